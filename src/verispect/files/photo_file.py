"""Photographs: their pixels, small enough to be shown, and what their metadata tells of how they were taken."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from verispect.errors import FileError
from verispect.files.orientation import ON_ITS_SIDE

Pixels = np.ndarray[tuple[int, int, int], np.dtype[np.uint8]]

PICTURES = (".jpg", ".jpeg", ".tif", ".tiff", ".png")
RAWS = (".dng", ".nef", ".cr2", ".cr3", ".arw", ".raf", ".orf", ".rw2", ".pef", ".srw", ".3fr", ".iiq")
# A picture of more pixels is refused before it is unpacked.
MOST_PIXELS = 400_000_000
_SHOWN_PX = 2400
_DIAGONAL_35_MM = math.hypot(36.0, 24.0)


@dataclass(frozen=True)
class Picture:
    """A photograph held upright.

    Attributes
    ----------
    shown : ndarray of uint8, shape (rows, columns, 3)
        Reduced to what a screen can show.
    width, height : int
        Pixels of the picture itself, held upright.
    focal_mm, sensor_long_mm : float or None
        None where the metadata does not tell.
    """

    shown: Pixels
    width: int
    height: int
    focal_mm: float | None
    sensor_long_mm: float | None


def lies_beside(folder: Path, name: str) -> bool:
    """Whether a picture that a plan names lies in or under the plan's folder: only such a one is opened unasked.

    A plan may come from anybody, and a picture from anywhere is read by libraries that many have broken.
    """
    return (folder / name).resolve().is_relative_to(folder.resolve())


def read_picture(path: Path) -> Picture:
    """Open a JPEG, TIFF, PNG or camera raw.

    Raises
    ------
    FileError
        If it is no picture, is cut, or is too large.
    """
    if not path.is_file():
        raise FileError("{path}: there is no such file", path=path)
    suffix = path.suffix.lower()
    if suffix in RAWS:
        return _raw(path)
    if suffix in PICTURES:
        return _plain(path)
    known = " ".join(kind.lstrip(".") for kind in (*PICTURES, *RAWS))
    raise FileError("{name}: a photograph ends in one of {known}", name=path.name, known=known)


def _plain(path: Path) -> Picture:
    from PIL import Image, ImageOps, UnidentifiedImageError

    # Large sensors have more pixels than Pillow lets pass unwarned; the limit is looked after below.
    Image.MAX_IMAGE_PIXELS = MOST_PIXELS
    try:
        with Image.open(path) as picture:
            width, height = picture.size
            if width * height > MOST_PIXELS:
                raise too_large(path, width, height)
            exif = picture.getexif()
            told = {**exif, **exif.get_ifd(0x8769)}
            if picture.format == "JPEG":
                picture.draft("RGB", (_SHOWN_PX, _SHOWN_PX))
            picture.load()
            turned = ImageOps.exif_transpose(_eight_bits(picture))
            turned.thumbnail((_SHOWN_PX, _SHOWN_PX))
            shown = np.asarray(turned.convert("RGB"))
    except UnidentifiedImageError as error:
        raise FileError("{name}: this is no picture that can be read", name=path.name) from error
    except Image.DecompressionBombError as error:
        raise FileError("{name}: this picture has too many pixels to be true", name=path.name) from error
    except (OSError, SyntaxError, ValueError, TypeError, KeyError, ZeroDivisionError, EOFError, MemoryError) as error:
        raise FileError(
            "{name}: this picture is broken or cut: {reason}", name=path.name, reason=str(error)[:80]
        ) from error
    focal, sensor = _taken_with(
        _figure(told.get(0x920A)),
        _figure(told.get(0xA405)),
        _figure(told.get(0xA20E)),
        int(_figure(told.get(0xA210)) or 2),
        (width, height),
    )
    if told.get(0x0112) in ON_ITS_SIDE:
        width, height = height, width
    return Picture(shown, width, height, focal, sensor)


def _eight_bits(picture: Any) -> Any:
    """A picture of 16 bits or floats brought to 8, from its darkest to its brightest."""
    if not picture.mode.startswith(("I", "F")):
        return picture
    from PIL import Image

    values = np.asarray(picture).astype(float)
    low, high = float(np.nanmin(values)), float(np.nanmax(values))
    scaled = np.nan_to_num((values - low) / max(high - low, 1e-12)) * 255.0
    made = Image.fromarray(scaled.astype(np.uint8))
    made.info = dict(picture.info)
    return made


def too_large(path: Path, width: int, height: int, most: int = MOST_PIXELS) -> FileError:
    """A picture of more pixels than are read."""
    return FileError(
        "{name}: {width} × {height} pixels; at most {most} can be read",
        name=path.name,
        width=width,
        height=height,
        most=most,
    )


def _figure(value: Any) -> float | None:
    """A positive figure of the metadata; broken ones count as untold."""
    try:
        number = float(value)
    except (TypeError, ValueError, ZeroDivisionError):
        return None
    return number if math.isfinite(number) and number > 0.0 else None


def _taken_with(
    focal: float | None,
    focal_35: float | None,
    per_unit: float | None,
    unit: int,
    size: tuple[int, int],
) -> tuple[float | None, float | None]:
    """Focal length and the sensor's long side, from what the metadata tells of either.

    Pixels to a unit of the sensor (Exif FocalPlaneXResolution; unit 2 inch, 3 cm, 4 mm) come first, then the
    focal length that sees as much on 36 × 24 mm, by the diagonals.
    """
    if focal is None:
        return (focal_35, 36.0) if focal_35 is not None else (None, None)
    sensor = None
    if per_unit is not None:
        sensor = max(size) / per_unit * {2: 25.4, 3: 10.0, 4: 1.0}.get(unit, 25.4)
        sensor = sensor if 2.0 < sensor < 500.0 else None
    if sensor is None and focal_35 is not None:
        diagonal = _DIAGONAL_35_MM * focal / focal_35
        sensor = diagonal * max(size) / math.hypot(*size)
    return focal, sensor


def _raw(path: Path) -> Picture:
    import io

    import exifread
    import rawpy
    from exifread.core.exceptions import ExifNotFound, InvalidExif
    from PIL import Image

    try:
        with rawpy.imread(str(path)) as raw:
            sizes = raw.sizes
            if sizes.raw_width * sizes.raw_height > MOST_PIXELS:
                raise too_large(path, sizes.raw_width, sizes.raw_height)
            width, height = sizes.width, sizes.height
            if sizes.flip in (5, 6):
                width, height = height, width
            developed = raw.postprocess(half_size=True, use_camera_wb=True, output_bps=8)
    except rawpy.LibRawError as error:
        raise FileError("{name}: this is no camera raw that can be read, or it is cut", name=path.name) from error
    # A sensor without a colour filter gives one channel.
    small = Image.fromarray(developed[..., 0] if developed.shape[2] == 1 else developed).convert("RGB")
    small.thumbnail((_SHOWN_PX, _SHOWN_PX))
    try:
        with path.open("rb") as file:
            tags = exifread.process_file(io.BytesIO(file.read(20_000_000)), details=False)
    except (OSError, ValueError, IndexError, KeyError, TypeError, ExifNotFound, InvalidExif):
        tags = {}

    def told(name: str) -> float | None:
        # Some raws hold them beside the picture's own tags.
        values = getattr(tags.get(f"EXIF {name}", tags.get(f"Image {name}")), "values", None)
        return _figure(values[0]) if values else None

    focal, sensor = _taken_with(
        told("FocalLength"),
        told("FocalLengthIn35mmFilm"),
        told("FocalPlaneXResolution"),
        int(told("FocalPlaneResolutionUnit") or 2),
        (width, height),
    )
    return Picture(np.asarray(small), width, height, focal, sensor)
