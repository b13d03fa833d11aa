"""Pictures that no memory holds: tiled TIFF with smaller copies of itself, and Zarr; written from mapped pixels."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled, FileError
from verispect.files.picture_out import HELD_FOR_EXIF, TIFF_SUFFIXES, Shot, add_exif, not_over

Pixels16 = NDArray[np.uint16]
ZARR = ".zarr"
_TILE, _CHUNK = 512, 1024
# So many pixels of a smaller copy are made at once.
_STRIP_PIXELS = 1_000_000
# Smaller copies end where one fits on a screen.
_SCREEN = 1024
# Classic TIFF counts bytes with 32 bits; a little is left for what is not pixels.
_CLASSIC_BYTES = 4_000_000_000
_UNREADY = ".verispect-part-"


def write_large(
    path: Path,
    pixels: Pixels16,
    *,
    room: Path,
    shot: Shot | None = None,
    icc: bytes | None = None,
    force: bool = False,
    is_cancelled: Callable[[], bool] | None = None,
) -> None:
    """Write 16-bit RGB pixels (rows, columns, 3), a mapped file's for choice, as TIFF or Zarr by the name's ending.

    Parameters
    ----------
    room : Path
        A folder for the smaller copies while they are made.

    Raises
    ------
    FileError
        For an ending that cannot hold it, a file that is there already, or a place that cannot be written.
    Cancelled
    """
    not_over(path, force=force)
    stop = is_cancelled or (lambda: False)
    suffix = path.suffix.lower()
    unready = path.with_name(_UNREADY + path.name)
    try:
        if suffix in TIFF_SUFFIXES:
            _write_tiff(unready, pixels, room, shot or Shot(), icc, stop)
        elif suffix == ZARR:
            _write_zarr(unready, pixels, stop)
        else:
            raise FileError(
                "{path}: {wide} × {high} pixels are more than such a file can take here; name a .tif or a .zarr",
                path=path, wide=pixels.shape[1], high=pixels.shape[0],
            )  # fmt: skip
        if suffix == ZARR and path.exists():
            shutil.rmtree(path) if path.is_dir() else path.unlink()
        unready.replace(path)
    except OSError as error:
        raise FileError(
            "{path}: could not be written ({why}); free some space or save elsewhere",
            path=path, why=(error.strerror or str(error)).lower(),
        ) from error  # fmt: skip
    finally:
        if unready.is_dir():
            shutil.rmtree(unready, ignore_errors=True)
        else:
            unready.unlink(missing_ok=True)


def _write_tiff(
    path: Path, pixels: Pixels16, room: Path, shot: Shot, icc: bytes | None, stop: Callable[[], bool]
) -> None:
    import tifffile

    levels = _levels(pixels, room, stop)
    more: list[tuple[Any, ...]] = [HELD_FOR_EXIF]
    if icc:
        more.append((34675, "B", len(icc), icc, True))
    how: dict[str, Any] = {
        "photometric": "rgb", "tile": (_TILE, _TILE), "compression": "zlib", "predictor": True,
        "compressionargs": {"level": 1}, "metadata": None, "dtype": np.uint16,
    }  # fmt: skip
    # Compressed it may be less; what it could be is what counts.
    with tifffile.TiffWriter(path, bigtiff=pixels.nbytes * 4 // 3 > _CLASSIC_BYTES) as out:
        out.write(
            _tiles(pixels, stop), shape=pixels.shape, subifds=len(levels), software="Verispect", datetime=shot.taken,
            description=shot.description or None, extratags=more, **how,
        )  # fmt: skip
        for level in levels:
            out.write(_tiles(level, stop), shape=level.shape, subfiletype=1, **how)
    with path.open("r+b") as stream:
        add_exif(stream, shot)


def _tiles(pixels: Pixels16, stop: Callable[[], bool]) -> Iterator[Pixels16]:
    for top in range(0, pixels.shape[0], _TILE):
        if stop():
            raise Cancelled
        for left in range(0, pixels.shape[1], _TILE):
            yield np.ascontiguousarray(pixels[top : top + _TILE, left : left + _TILE])


def _levels(pixels: Pixels16, room: Path, stop: Callable[[], bool]) -> list[Pixels16]:
    """Each half as large as the one before, means of 2 × 2, mapped from files in the room."""
    levels: list[Pixels16] = []
    larger = pixels
    while max(larger.shape[:2]) > _SCREEN:
        rows, columns = larger.shape[0] // 2, larger.shape[1] // 2
        if rows < 1 or columns < 1:
            break
        smaller: Pixels16 = np.memmap(room / f"level-{len(levels) + 1}", np.uint16, "w+", shape=(rows, columns, 3))
        # As wide as the picture is a strip, however wide: so few rows that it stays small.
        step = max(1, min(_TILE, _STRIP_PIXELS // columns))
        for top in range(0, rows, step):
            if stop():
                raise Cancelled
            bottom = min(top + step, rows)
            strip = larger[2 * top : 2 * bottom, : 2 * columns].astype(np.uint32)
            mean = strip[::2, ::2] + strip[1::2, ::2] + strip[::2, 1::2] + strip[1::2, 1::2]
            smaller[top:bottom] = (mean + 2) // 4
        levels.append(smaller)
        larger = smaller
    return levels


def _write_zarr(path: Path, pixels: Pixels16, stop: Callable[[], bool]) -> None:
    import zarr

    made: Any = zarr.create_array(
        store=str(path), shape=pixels.shape, chunks=(_CHUNK, _CHUNK, 3), dtype=np.uint16, overwrite=True,
        attributes={"axes": ["row", "column", "channel"], "curve": "sRGB", "made_by": "Verispect"},
    )  # fmt: skip
    for top in range(0, pixels.shape[0], _CHUNK):
        for left in range(0, pixels.shape[1], _CHUNK):
            if stop():
                raise Cancelled
            here = np.s_[top : top + _CHUNK, left : left + _CHUNK]
            made[here] = pixels[here]
