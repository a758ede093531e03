"""Clean: taking things out. Repairs live in source pixels, before tone and geometry."""
