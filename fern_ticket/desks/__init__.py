"""Simulated receivers. They read only the file that they were given, and measure it in their own way."""
