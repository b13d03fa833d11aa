"""What may be wrong with a frame."""
