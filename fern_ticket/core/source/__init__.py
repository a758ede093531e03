"""The station that makes the starting picture: what it is merged from, and faults of its lens taken out."""
