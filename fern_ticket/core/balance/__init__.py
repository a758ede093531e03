"""Balance: light and colour of the whole picture, each operation in a module of its own."""
