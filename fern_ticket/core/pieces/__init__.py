"""What is laid on the photo: pieces of pictures, and text."""
