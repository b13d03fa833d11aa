"""Scans: clouds of points, meshes and depth pictures, read piece by piece, placed and thinned."""
