"""Telling a thing from its ground: what stands out, where it ends, and how far each pixel of its edge is covered."""
