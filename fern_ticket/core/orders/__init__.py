"""Orders: what a ticket is made of, the files that they come in, and the numbers that they get."""
