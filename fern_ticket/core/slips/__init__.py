"""Slips: the delivery measure, line by line, and its checks."""
