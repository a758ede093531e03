"""Fern Ticket: photos made to the measure of a slip."""
