"""Frame: turn, straighten, crop, output size. Every step changes one map from source pixels to the result."""
