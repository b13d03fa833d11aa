"""A small camera raw (DNG), written with tifffile: a plain mosaic with the tags that a raw needs."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import tifffile

# Codes and types: Adobe DNG 1.4 and TIFF/EP (from memory); FocalLength and its 35 mm equivalent: Exif 2.3.
_SHORT, _BYTE, _RATIONAL, _SRATIONAL, _ASCII = "H", "B", "2I", "2i", "s"
_MATRIX = (19549, -7877, -2582, -5724, 10121, 1917, -1267, -110, 6621)


def write_raw(
    path: Path,
    mosaic: np.ndarray,
    *,
    focal_mm: int = 35,
    focal_35_mm: int = 53,
    colours: bool = True,
    neutral: tuple[float, float, float] = (1.0, 1.0, 1.0),
) -> None:
    """Write a mosaic of 16 bits, red, green, green, blue; or without a filter over the pixels, all alike."""
    pattern = [(33421, _SHORT, 2, (2, 2), True), (33422, _BYTE, 4, bytes((0, 1, 1, 2)), True)] if colours else []
    white = tuple(part for value in neutral for part in (round(1000 * value), 1000))
    model = "Test camera"
    matrix = tuple(part for value in _MATRIX for part in (value, 10000))
    tifffile.imwrite(
        path,
        np.asarray(mosaic, np.uint16),
        photometric=32803,
        metadata=None,
        extratags=[
            *pattern,
            (37386, _RATIONAL, 1, (focal_mm, 1), True),
            (41989, _SHORT, 1, focal_35_mm, True),
            (50706, _BYTE, 4, bytes((1, 4, 0, 0)), True),
            (50707, _BYTE, 4, bytes((1, 2, 0, 0)), True),
            (50708, _ASCII, len(model) + 1, model, True),
            (50714, _SHORT, 1, 0, True),
            (50717, "I", 1, 65535, True),
            (50721, _SRATIONAL, 9, matrix, True) if colours else (50721, _SRATIONAL, 3, (1, 1, 1, 1, 1, 1), True),
            *([(50728, _RATIONAL, 3, white, True)] if colours else []),
            (50778, _SHORT, 1, 21, True),
        ],
    )
