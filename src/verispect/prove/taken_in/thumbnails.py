"""Small pictures of frames, made without reading more of a file than it takes."""

from __future__ import annotations

import io
import warnings
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import FileError
from verispect.files.orientation import upright
from verispect.prove.intake import RAWS, described, read_coded

SIDE = 72


def thumbnail(path: Path, side: int = SIDE) -> NDArray[np.uint8]:
    """A frame as it is looked at, its longer side so many pixels, shape (rows, columns, 3).

    Raises
    ------
    FileError
        For what is no picture.
    """
    frame = described(path)
    quick = _quick(path, side)
    pixels = (read_coded(frame) >> 8).astype(np.uint8) if quick is None else upright(quick, frame.orientation)
    scale = side / max(pixels.shape[:2])
    size = (max(1, round(pixels.shape[1] * scale)), max(1, round(pixels.shape[0] * scale)))
    small = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA if scale < 1.0 else cv2.INTER_LINEAR)
    return np.asarray(small, np.uint8)


def _quick(path: Path, side: int) -> NDArray[np.uint8] | None:
    """A part of the file that is enough; None where all of it must be read."""
    suffix = path.suffix.lower()
    if suffix in (".jpg", ".jpeg"):
        return _drafted(path, side)
    if suffix in (".tif", ".tiff"):
        return _strided(path, side)
    return _embedded(path) if suffix in RAWS else None


def _drafted(path: Path, side: int) -> NDArray[np.uint8] | None:
    """A JPEG decoded at an eighth, a quarter or a half."""
    from PIL import Image, UnidentifiedImageError

    try:
        with warnings.catch_warnings(action="ignore"), Image.open(path) as picture:
            picture.draft("RGB", (2 * side, 2 * side))
            return np.asarray(picture.convert("RGB"))
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError):
        return None


def _strided(path: Path, side: int) -> NDArray[np.uint8] | None:
    """Every so manieth pixel of a TIFF that lies in its file as it is."""
    import tifffile

    try:
        whole = tifffile.memmap(path, page=0, mode="r")
    except (ValueError, OSError, tifffile.TiffFileError, IndexError, KeyError, TypeError, AttributeError):
        return None
    if (
        whole.ndim not in (2, 3)
        or (whole.ndim == 3 and whole.shape[2] < 3)
        or whole.dtype not in (np.uint8, np.uint16)
    ):
        return None
    step = max(1, max(whole.shape[:2]) // (3 * side))
    some = np.asarray(whole[::step, ::step])
    some = (some >> 8).astype(np.uint8) if some.dtype == np.uint16 else some
    return np.repeat(some[..., None], 3, axis=2) if some.ndim == 2 else some[..., :3]


def _embedded(path: Path) -> NDArray[np.uint8] | None:
    """The small picture that a raw carries."""
    import rawpy
    from PIL import Image, UnidentifiedImageError

    try:
        with rawpy.imread(str(path)) as raw:
            found = raw.extract_thumb()
        if found.format == rawpy.ThumbFormat.BITMAP:
            return np.asarray(found.data, np.uint8)
        with Image.open(io.BytesIO(bytes(found.data))) as picture:
            return np.asarray(picture.convert("RGB"))
    except (rawpy.LibRawError, OSError, ValueError, UnidentifiedImageError, AttributeError):
        return None


def thumbnails(paths: list[Path]) -> list[tuple[str, NDArray[np.uint8]]]:
    """Small pictures by their files' names; what is no picture is left out."""
    found = []
    for path in paths:
        try:
            found.append((path.name, thumbnail(path)))
        except FileError:
            continue
    return found
