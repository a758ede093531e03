"""Balance: light and colour of the whole picture, on linear values."""
