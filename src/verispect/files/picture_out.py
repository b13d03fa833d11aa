"""Pictures written with their metadata: 16-bit TIFF, JPEG and PNG, atomically, never over another unasked."""

from __future__ import annotations

import io
import struct
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any, BinaryIO, NamedTuple

import numpy as np
from numpy.typing import NDArray

from verispect.errors import FileError
from verispect.files.atomic import write_atomically
from verispect.files.orientation import laid_back

Pixels16 = NDArray[np.uint16]
TIFF_SUFFIXES = (".tif", ".tiff")
SUFFIXES = (*TIFF_SUFFIXES, ".jpg", ".jpeg", ".png")
_EXIF_IFD = 34665
# tifffile writes no directory of its own there: a private code of the same rank keeps the place.
_PLACE_HELD = 34666
# Rows brought to eight bits together, to spare memory.
_ROWS = 512
# Exif 2.3 tags and TIFF types used here (from memory).
_SHORT, _LONG, _RATIONAL, _ASCII, _UNDEFINED, _LONG8 = 3, 4, 5, 2, 7, 16
# Held in a TIFF until its Exif directory stands behind the pixels.
HELD_FOR_EXIF: tuple[Any, ...] = (_PLACE_HELD, "I", 1, 1, True)


class _Widths(NamedTuple):
    """How a TIFF counts: where its first directory is named, and how places, entries and values are written."""

    start_at: int
    place: str
    entries: str
    long: int

    @property
    def wide(self) -> int:
        """Bytes of a place, and of a count of values."""
        return struct.calcsize(self.place)


_CLASSIC, _BIG = _Widths(4, "<I", "<H", _LONG), _Widths(8, "<Q", "<Q", _LONG8)


@dataclass(frozen=True)
class Shot:
    """What a picture tells of how it was taken; None for what is not known."""

    focal_mm: float | None = None
    f_number: float | None = None
    shutter_s: float | None = None
    iso: float | None = None
    subject_m: float | None = None
    taken: datetime | None = None
    pixel_mm: float | None = None
    lens: str = ""
    description: str = ""


def not_over(path: Path, *, force: bool) -> None:
    """Raise a FileError where a file would be written over unasked."""
    if path.exists() and not force:
        raise FileError("{path}: there is such a file already; name another or say --force", path=path)


def suits(path: Path, more: Sequence[str] = ()) -> None:
    """Raise a FileError for an ending that no picture is written by; before anything is worked out."""
    allowed = (*SUFFIXES, *more)
    if path.suffix.lower() not in allowed:
        raise FileError(
            "{path}: pictures are written as {suffixes}; give it one of these endings", path=path,
            suffixes=", ".join(allowed),
        )  # fmt: skip


def bytes_of_picture(path: Path, size: tuple[int, int]) -> int:
    """What a picture (wide, high) takes on the disk for sure: a TIFF is not packed, of others nothing is known."""
    return 6 * size[0] * size[1] if path.suffix.lower() in TIFF_SUFFIXES else 0


def write_picture(
    path: Path,
    pixels: Pixels16,
    *,
    shot: Shot | None = None,
    icc: bytes | None = None,
    orientation: int = 1,
    force: bool = False,
) -> None:
    """Write 16-bit RGB pixels (rows, columns, 3), as they are looked at; JPEG takes their upper 8 bits.

    TIFF and JPEG lay them down by `orientation` and say so; a PNG stands upright.

    Raises
    ------
    FileError
        For an ending that is not known, a file that is there already, or a place that cannot be written.
    """  # fmt: skip
    not_over(path, force=force)
    suits(path)
    suffix = path.suffix.lower()
    shot = shot or Shot()
    if suffix in TIFF_SUFFIXES:
        write_atomically(path, _tiff(laid_back(pixels, orientation), shot, icc, orientation))
    elif suffix in (".jpg", ".jpeg"):
        write_atomically(path, _jpeg(laid_back(pixels, orientation), shot, icc, orientation))
    else:
        write_atomically(path, _png(pixels))


def _tiff(pixels: Pixels16, shot: Shot, icc: bytes | None, orientation: int) -> bytes:
    import tifffile

    extra: list[tuple[Any, ...]] = [(274, "H", 1, orientation, True), HELD_FOR_EXIF]
    if icc:
        extra.append((34675, "B", len(icc), icc, True))
    stream = io.BytesIO()
    tifffile.imwrite(
        stream, pixels, photometric="rgb", metadata=None, software="Verispect", description=shot.description or None,
        datetime=shot.taken, extratags=extra, bigtiff=pixels.nbytes > 3_900_000_000,
    )  # fmt: skip
    add_exif(stream, shot)
    return stream.getvalue()


def add_exif(stream: BinaryIO, shot: Shot) -> None:
    """Put what a camera tells of a shot into a little-endian TIFF, classic or big, that has a tag held for it."""
    stream.seek(0)
    big = stream.read(4)[2:] == b"\x2b\x00"
    widths = _BIG if big else _CLASSIC
    stream.seek(0, io.SEEK_END)
    end = stream.tell()
    at = end + end % 2
    stream.write(b"\0" * (at - end) + _exif_ifd(shot, widths, at=at))
    # Points to the block just put at the end.
    stream.seek(_place_of_tag(stream, widths, _PLACE_HELD))
    stream.write(struct.pack("<HH", _EXIF_IFD, widths.long))
    stream.write(struct.pack(widths.place, 1) + struct.pack(widths.place, at))


def _place_of_tag(stream: BinaryIO, widths: _Widths, code: int) -> int:
    """Where the entry of a tag of the first directory stands."""
    stream.seek(widths.start_at)
    stream.seek(struct.unpack(widths.place, stream.read(widths.wide))[0])
    (count,) = struct.unpack(widths.entries, stream.read(struct.calcsize(widths.entries)))
    first, size = stream.tell(), 4 + 2 * widths.wide
    for at in range(first, first + size * count, size):
        stream.seek(at)
        if struct.unpack("<H", stream.read(2))[0] == code:
            return at
    raise ValueError(code)


def _entries(shot: Shot) -> list[tuple[int, int, Any]]:
    """Tags of the Exif directory: code, type, value."""
    found: list[tuple[int, int, Any]] = []
    if shot.shutter_s:
        found.append((33434, _RATIONAL, shot.shutter_s))
    if shot.f_number:
        found.append((33437, _RATIONAL, shot.f_number))
    if shot.iso:
        found.append((34855, _SHORT, min(round(shot.iso), 65535)))
    found.append((36864, _UNDEFINED, b"0230"))
    if shot.taken is not None:
        found.append((36867, _ASCII, shot.taken.strftime("%Y:%m:%d %H:%M:%S")))
        found.append((37521, _ASCII, f"{shot.taken.microsecond // 1000:03d}"))
    if shot.subject_m and shot.subject_m < 4e6:
        found.append((37382, _RATIONAL, shot.subject_m))
    if shot.focal_mm:
        found.append((37386, _RATIONAL, shot.focal_mm))
    if shot.pixel_mm:
        found.append((41486, _RATIONAL, 10.0 / shot.pixel_mm))
        found.append((41487, _RATIONAL, 10.0 / shot.pixel_mm))
        found.append((41488, _SHORT, 3))
    if shot.lens:
        found.append((42036, _ASCII, shot.lens))
    return sorted(found)


def _ratio(value: float) -> tuple[int, int]:
    """A fraction of 32 bits near a positive value."""
    from fractions import Fraction

    near = Fraction(value).limit_denominator(1_000_000)
    while near.numerator >= 2**32:
        near = Fraction(value).limit_denominator(max(1, near.denominator // 10))
    return max(near.numerator, 0), near.denominator


def _exif_ifd(shot: Shot, widths: _Widths, *, at: int) -> bytes:
    """The Exif directory as it stands from a place of the file on."""
    entries = _entries(shot)
    data_at = at + struct.calcsize(widths.entries) + (4 + 2 * widths.wide) * len(entries) + widths.wide
    table, data = struct.pack(widths.entries, len(entries)), b""
    for code, kind, value in entries:
        count = 1
        if kind == _SHORT:
            content = struct.pack("<H", value)
        elif kind == _RATIONAL:
            content = struct.pack("<II", *_ratio(value))
        else:
            content = value if isinstance(value, bytes) else value.encode("ascii", "replace") + b"\0"
            count = len(content)
        table += struct.pack("<HH", code, kind) + struct.pack(widths.place, count)
        if len(content) <= widths.wide:
            table += content.ljust(widths.wide, b"\0")
            continue
        table += struct.pack(widths.place, data_at + len(data))
        data += content + b"\0" * (len(content) % 2)
    return table + b"\0" * widths.wide + data


def _jpeg(pixels: Pixels16, shot: Shot, icc: bytes | None, orientation: int) -> bytes:
    from PIL import Image
    from PIL.TiffImagePlugin import IFDRational

    exif = Image.Exif()
    exif[274] = orientation
    exif[305] = "Verispect"
    if shot.description:
        exif[270] = shot.description
    directory = exif.get_ifd(_EXIF_IFD)
    for code, kind, value in _entries(shot):
        directory[code] = IFDRational(*_ratio(value)) if kind == _RATIONAL else value
    stream = io.BytesIO()
    eight = np.empty(pixels.shape, np.uint8)
    for top in range(0, len(pixels), _ROWS):
        rows = slice(top, top + _ROWS)
        eight[rows] = (pixels[rows].astype(np.uint32) + 128) // 257
    more = {"icc_profile": icc} if icc else {}
    Image.fromarray(eight).save(stream, "JPEG", quality=95, subsampling=0, exif=exif, **more)
    return stream.getvalue()


def _png(pixels: Pixels16) -> bytes:
    import cv2

    ok, content = cv2.imencode(".png", np.ascontiguousarray(pixels[..., ::-1]))
    if not ok:
        raise FileError("the picture could not be put into PNG")
    return bytes(content)
