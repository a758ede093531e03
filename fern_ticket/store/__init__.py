"""What must not be lost: PostgreSQL by plain SQL, and blobs in a folder."""
