"""Scans: clouds of points, meshes and depth pictures, read piece by piece, placed and thinned."""

from verispect.files.scans.placing import Placing
from verispect.files.scans.reading import ScanPeek, ScanRead, peek_scan, read_scan

__all__ = ["Placing", "ScanPeek", "ScanRead", "peek_scan", "read_scan"]
