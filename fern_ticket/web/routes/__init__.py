"""One module for each thing that can be asked about. They know what they share, not one another."""
