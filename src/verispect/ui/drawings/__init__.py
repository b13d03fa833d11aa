"""The drawing board: elevation, ground and frame."""
