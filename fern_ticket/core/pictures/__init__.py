"""Reading and writing picture files: decode, encode, colour profiles, the resolution pyramid."""
