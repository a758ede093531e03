"""Rendering: a ledger, a region and a scale to pixels. What is seen is what is delivered."""
