"""Frames taken in: found, put in order, read with their metadata as linear light or as they are coded."""

from __future__ import annotations

import math
import re
import warnings
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import FileError
from verispect.files.orientation import size_upright, upright

Linear = NDArray[np.float32]
Coded = NDArray[np.uint16]
Kept = NDArray[np.uint8] | NDArray[np.uint16]
PICTURES = (".tif", ".tiff", ".jpg", ".jpeg", ".png")
RAWS = (".dng", ".nef", ".cr2", ".cr3", ".arw", ".raf", ".orf", ".rw2", ".pef", ".3fr", ".iiq")
SUFFIXES = (*PICTURES, *RAWS)
# More pixels than this in one frame are refused before memory is asked for.
MOST_PIXELS = 400_000_000
_METADATA_BYTES = 4_000_000


@dataclass(frozen=True)
class Frame:
    """One frame's file and what it tells of itself; None where it does not.

    `white` is the white balance with which a raw is developed, factors of its four filters; None for its own.
    """

    path: Path
    pixels: tuple[int, int]
    taken: datetime | None = None
    focal_mm: float | None = None
    f_number: float | None = None
    shutter_s: float | None = None
    iso: float | None = None
    subject_m: float | None = None
    pixel_mm: float | None = None
    orientation: int = 1
    white: tuple[float, ...] | None = None

    @property
    def stored_pixels(self) -> tuple[int, int]:
        """Width and height as the file has them."""
        return size_upright(self.pixels, self.orientation)

    def held(self, orientation: int) -> Frame:
        """The same as if its file told another orientation."""
        if orientation == self.orientation:
            return self
        return replace(self, pixels=size_upright(self.stored_pixels, orientation), orientation=orientation)

    @property
    def focal_px(self) -> float:
        """Pixels for a tangent of 1; that of a usual lens where the file does not tell."""
        return self.focal_mm / self.pixel_mm if self.focal_mm and self.pixel_mm else 1.2 * max(self.pixels)

    @property
    def set_stops(self) -> float | None:
        """How much light it was set for, in stops, by its time, stop and ISO; None where its file does not tell."""
        if not self.shutter_s or not self.f_number:
            return None
        return math.log2(self.shutter_s * (self.iso or 100.0) / self.f_number**2)

    @property
    def number(self) -> int | None:
        """The last number in the file's name."""
        found = re.findall(r"\d+", self.path.stem)
        return int(found[-1]) if found else None


def natural(path: Path) -> list[tuple[int, str]]:
    """What sorts frame-2 before frame-10."""
    parts = re.split(r"(\d+)", path.name.lower())
    return [(int(part), "") if part.isdigit() else (-1, part) for part in parts]


def described(path: Path) -> Frame:
    """A frame's size and metadata, without reading its pixels.

    Raises
    ------
    FileError
        For what cannot be read or is no picture.
    """
    tags = _tags(path)
    size = _size(path)
    if size[0] * size[1] > MOST_PIXELS:
        raise FileError(
            "{path}: {wide} × {high} pixels; at most {most} can be read", path=path, wide=size[0], high=size[1],
            most=MOST_PIXELS,
        )  # fmt: skip

    def told(*names: str) -> float | None:
        for name in names:
            for prefix in ("EXIF", "Image"):
                value = _figure(tags.get(f"{prefix} {name}"))
                if value is not None and value > 0.0:
                    return value
        return None

    per_unit, unit = told("FocalPlaneXResolution"), told("FocalPlaneResolutionUnit") or 2.0
    pixel = {2: 25.4, 3: 10.0, 4: 1.0}.get(int(unit), 25.4) / per_unit if per_unit else None
    orientation = int(told("Orientation") or 1)
    return Frame(
        path=path,
        pixels=size_upright(size, orientation),
        taken=_moment(tags),
        focal_mm=told("FocalLength"),
        f_number=told("FNumber"),
        shutter_s=told("ExposureTime"),
        iso=told("ISOSpeedRatings", "PhotographicSensitivity"),
        subject_m=told("SubjectDistance"),
        pixel_mm=pixel if pixel and 1e-4 < pixel < 1.0 else None,
        orientation=orientation,
    )


def in_order(frames: Sequence[Frame]) -> list[Frame]:
    """By time and then by name where every frame tells its time, else as named."""
    if frames and all(frame.taken is not None for frame in frames):
        return sorted(frames, key=lambda frame: (frame.taken, natural(frame.path)))
    return list(frames)


def _tags(path: Path) -> dict[str, Any]:
    import io

    import exifread
    from exifread.core.exceptions import ExifNotFound, InvalidExif

    try:
        with path.open("rb") as stream:
            head = stream.read(_METADATA_BYTES)
            # The directory of a TIFF may stand at the end of a large file.
            source = io.BytesIO(head) if path.suffix.lower() not in (".tif", ".tiff") else path.open("rb")
            with source:
                found: dict[str, Any] = exifread.process_file(source, details=False)
                return found
    except (ValueError, IndexError, KeyError, TypeError, ExifNotFound, InvalidExif, OverflowError, MemoryError):
        return {}
    except OSError as error:
        raise FileError("{path}: cannot be read: {why}", path=path, why=error.strerror or error) from error


def _figure(tag: Any) -> float | None:
    values = getattr(tag, "values", None)
    if not values or isinstance(values, str):
        return None
    try:
        number = float(values[0])
    except (TypeError, ValueError, ZeroDivisionError):
        return None
    return number if math.isfinite(number) else None


def _moment(tags: dict[str, Any]) -> datetime | None:
    text = str(tags.get("EXIF DateTimeOriginal") or tags.get("Image DateTime") or "")
    try:
        found = datetime.strptime(text.strip(), "%Y:%m:%d %H:%M:%S")
    except ValueError:
        return None
    part = str(tags.get("EXIF SubSecTimeOriginal") or "").strip()
    return found.replace(microsecond=int(part.ljust(6, "0")[:6])) if part.isdigit() else found


def _no_picture(path: Path) -> FileError:
    return FileError("{path}: this is no picture that can be read, or it is cut", path=path)


def _size(path: Path) -> tuple[int, int]:
    suffix = path.suffix.lower()
    if suffix in RAWS:
        import rawpy

        try:
            with rawpy.imread(str(path)) as raw:
                return int(raw.sizes.width), int(raw.sizes.height)
        except (rawpy.LibRawError, OSError) as error:
            raise _no_picture(path) from error
    if suffix in (".tif", ".tiff"):
        import tifffile

        try:
            with tifffile.TiffFile(path) as file:
                page = file.pages.first
                return int(page.imagewidth), int(page.imagelength)
        except (
            tifffile.TiffFileError,
            OSError,
            ValueError,
            IndexError,
            KeyError,
            TypeError,
            AttributeError,
        ) as error:
            raise _no_picture(path) from error
    from PIL import Image, UnidentifiedImageError

    Image.MAX_IMAGE_PIXELS = None
    try:
        # A damaged block of metadata is warned of, and is no reason not to read the picture.
        with warnings.catch_warnings(action="ignore"), Image.open(path) as picture:
            return picture.size
    except (
        UnidentifiedImageError,
        OSError,
        ValueError,
        SyntaxError,
        MemoryError,
        Image.DecompressionBombError,
    ) as error:
        raise _no_picture(path) from error


def read_coded(frame: Frame) -> Coded:
    """A frame's pixels as they are coded (rows, columns, 3), 16 bits; raws are developed alike, with sRGB's curve.

    As the picture is looked at, which is how a plan has it: a camera held upright turns nothing but a tag.

    Raises
    ------
    FileError
        For what is cut or no picture.
    """
    return sixteen(read_kept(frame))


def sixteen(pixels: Kept) -> Coded:
    """Pixels in 16 bits, whether they are kept in 8 or 16."""
    if pixels.dtype == np.uint8:
        doubled: Coded = np.multiply(pixels, np.uint16(257), dtype=np.uint16)
        return doubled
    return np.asarray(pixels, np.uint16)


def read_kept(frame: Frame) -> Kept:
    """The same in as few bits as the file has them, 8 or 16: half the memory for most.

    Raises
    ------
    FileError
        As `read_coded`.
    """
    path, suffix = frame.path, frame.path.suffix.lower()
    try:
        if suffix in RAWS:
            pixels = _developed(path, frame.white)
        elif suffix in (".tif", ".tiff"):
            pixels = _tiff(path)
        else:
            found = cv2.imread(str(path), cv2.IMREAD_UNCHANGED | cv2.IMREAD_IGNORE_ORIENTATION)
            if found is None:
                raise _no_picture(path)
            pixels = found
            if found.ndim == 3 and found.shape[2] >= 3:
                pixels = cv2.cvtColor(found, cv2.COLOR_BGR2RGB if found.shape[2] == 3 else cv2.COLOR_BGRA2RGB)
    except (OSError, ValueError, IndexError, KeyError, TypeError, cv2.error, RuntimeError) as error:
        raise _no_picture(path) from error
    return np.ascontiguousarray(upright(_by_pixels(pixels, path), frame.orientation))


def _tiff(path: Path) -> NDArray[Any]:
    import tifffile

    try:
        found: NDArray[Any] = tifffile.imread(path, key=0)
    except tifffile.TiffFileError as error:
        raise _no_picture(path) from error
    if found.ndim == 3 and found.shape[0] in (3, 4) and found.shape[2] not in (1, 3, 4):
        found = np.moveaxis(found, 0, -1)
    return found


def _developed(path: Path, white: tuple[float, ...] | None) -> NDArray[Any]:
    import rawpy

    try:
        with rawpy.imread(str(path)) as raw:
            found: NDArray[Any] = raw.postprocess(
                use_camera_wb=white is None,
                user_wb=None if white is None else list(white),
                no_auto_bright=True,
                output_bps=16,
                gamma=(2.4, 12.92),
                user_flip=0,
            )
            return found
    except rawpy.LibRawError as error:
        raise _no_picture(path) from error


def _by_pixels(pixels: NDArray[Any], path: Path) -> Kept:
    if pixels.ndim == 2:
        pixels = np.repeat(pixels[..., None], 3, axis=2)
    elif pixels.ndim != 3 or pixels.shape[2] not in (1, 2, 3, 4):
        raise FileError("{path}: a picture of {shape}; grey or colour would be right", path=path,
                        shape=" × ".join(map(str, pixels.shape)))  # fmt: skip
    elif pixels.shape[2] < 3:
        pixels = np.repeat(pixels[..., :1], 3, axis=2)
    # Pixel by pixel: whatever lies otherwise in memory OpenCV copies as a whole, every time it is asked for a part.
    pixels = np.ascontiguousarray(pixels[..., :3])
    if pixels.dtype in (np.uint8, np.uint16):
        return pixels
    if np.issubdtype(pixels.dtype, np.floating):
        scaled: Coded = np.round(np.clip(np.nan_to_num(pixels), 0.0, 1.0) * 65535.0).astype(np.uint16)
        return scaled
    raise FileError("{path}: samples of {kind}; 8 or 16 bits would be right", path=path, kind=pixels.dtype)


_CURVE = np.arange(65536, dtype=np.float64) / 65535.0
_TO_LINEAR: Linear = np.where(_CURVE <= 0.04045, _CURVE / 12.92, ((_CURVE + 0.055) / 1.055) ** 2.4).astype(np.float32)


def linear_of(coded: Coded) -> Linear:
    """Linear light of sRGB-coded values, float32, 0 to 1."""
    return np.asarray(cv2.LUT(coded, _TO_LINEAR[None]), np.float32)


def coded_of(light: NDArray[Any]) -> Coded:
    """The same the other way: 16 bits of linear light, with sRGB's curve (IEC 61966-2-1)."""
    light = np.clip(light, 0.0, 1.0)
    curve = np.where(light <= 0.0031308, 12.92 * light, 1.055 * np.power(light, light.dtype.type(1 / 2.4)) - 0.055)
    return np.asarray(np.round(curve * 65535.0), np.uint16)


# A channel counts as burnt out from this coded value on.
WHITE = 64500
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)
# Rows of the small picture that are made at once.
_STRIP_ROWS = 64


def grey_linear(coded: Coded, divide: int) -> Linear:
    """Linear luminance, averaged over `divide` × `divide` pixels."""
    rows, columns = (side // divide for side in coded.shape[:2])
    found = np.empty((rows, columns), np.float32)
    # In strips that stay near at hand: the light of a whole frame is six times its file.
    for top in range(0, rows, _STRIP_ROWS):
        bottom = min(top + _STRIP_ROWS, rows)
        light = linear_of(coded[top * divide : bottom * divide, : columns * divide]) @ _LUMINANCE
        size = (columns, bottom - top)
        found[top:bottom] = light if divide == 1 else cv2.resize(light, size, interpolation=cv2.INTER_AREA)
    return found
