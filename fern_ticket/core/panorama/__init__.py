"""Looking at a whole sphere: views that cover it once, faces, what is upright, what stands at the bottom."""
