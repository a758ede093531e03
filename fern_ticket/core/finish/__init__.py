"""Finish: what is done to the cropped picture last, each operation in a module of its own."""
