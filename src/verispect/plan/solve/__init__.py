"""One lens before one scene: the best plane, stop, focus ladder and grid."""
