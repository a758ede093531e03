"""Measurements: of a photo under a ledger, and of a finished file."""
