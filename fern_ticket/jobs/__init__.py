"""Background work on a PostgreSQL queue: the same code on one machine or many."""
