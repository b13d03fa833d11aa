"""The frames of a grid, read when they are needed and the last few kept; a cell of several is merged once."""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Callable, Sequence
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled, FileError
from verispect.prove.align.motion import halvings
from verispect.prove.intake import Coded, Frame, Kept, described, grey_linear, linear_of, read_kept, sixteen
from verispect.prove.taken_in.read_alike import HowRead, how_read

Progress = Callable[[float, str], None]
_WORKING_PIXELS = 700_000
# A small picture in colour has about so many pixels on its short side.
_SMALL = 150
_LEAST_KEPT = 2


class FrameStore:
    """Frames by number.

    Parameters
    ----------
    frames : sequence of Frame
        One for each place of the grid.
    budget_mb : float
        What those kept may hold; two at least.
    """

    def __init__(self, frames: Sequence[Frame], budget_mb: float) -> None:
        self._frames = list(frames)
        self._budget = budget_mb * 1e6
        self._kept: OrderedDict[int, Kept] = OrderedDict()

    def __len__(self) -> int:
        return len(self._frames)

    def __getitem__(self, k: int) -> Coded:
        return sixteen(self._read(k))

    def part(self, k: int, place: tuple[slice, slice]) -> Coded:
        """Rows and columns of a frame, in 16 bits."""
        return sixteen(self._read(k)[place])

    def clear(self) -> None:
        """Keep none for now."""
        self._kept.clear()

    def _read(self, k: int) -> Kept:
        if k in self._kept:
            self._kept.move_to_end(k)
            return self._kept[k]
        # All are of one size, and of one kind of file but for a merged cell here and there.
        largest = max((kept.nbytes for kept in self._kept.values()), default=0)
        while len(self._kept) >= _LEAST_KEPT and (len(self._kept) + 1) * largest > self._budget:
            self._kept.popitem(last=False)
        found = self._kept[k] = read_kept(self._frames[k])
        return found


def merged_cells(
    frames: Sequence[Frame],
    cells: Sequence[Sequence[int]],
    merge_cell: Callable[[Sequence[int]], Coded],
    folder: Path,
    say: Progress,
    stop: Callable[[], bool],
) -> list[Frame]:
    """One frame for each cell; those of several are merged into the folder, where they stay for a second try.

    Raises
    ------
    Cancelled
    FileError
        Where the folder takes no more.
    """
    found = []
    for number, members in enumerate(cells):
        if len(members) == 1:
            found.append(frames[members[0]])
            continue
        if stop():
            raise Cancelled
        say(0.25 * number / len(cells), f"merging cell {number + 1} of {len(cells)}")
        mark = hashlib.sha256(repr(told_of([frames[k] for k in members])).encode("utf-8")).hexdigest()
        path = folder / f"cell-{mark[:24]}.tif"
        if not path.exists():
            _write(path, merge_cell(members))
        found.append(described(path))
    return found


def told_of(frames: Sequence[Frame]) -> list[tuple[str, int, int, HowRead]]:
    """Which very files, and how read: what was found of others, or before they changed, is not taken for theirs."""
    stats = [(frame.path.resolve(), frame.path.stat(), how_read(frame)) for frame in frames]
    return [(str(path), stat.st_size, stat.st_mtime_ns, how) for path, stat, how in stats]


def _write(path: Path, pixels: Coded) -> None:
    import tifffile

    unready = path.with_suffix(".unready")
    try:
        tifffile.imwrite(unready, pixels, photometric="rgb", metadata=None)
        unready.replace(path)
    except OSError as error:
        unready.unlink(missing_ok=True)
        raise FileError(
            "{path}: a merged cell could not be kept ({why}); free some space beside the result",
            path=path, why=(error.strerror or str(error)).lower(),
        ) from error  # fmt: skip


def small_pictures(
    store: FrameStore, pixels: tuple[int, int], say: Progress, stop: Callable[[], bool]
) -> tuple[list[NDArray[np.float32]], list[NDArray[np.float32]]]:
    """Brightness at the working size, and small pictures in colour, all in linear light."""
    divide = halvings(pixels, _WORKING_PIXELS)
    greys, smalls = [], []
    for k in range(len(store)):
        if stop():
            raise Cancelled
        say(0.25 * k / len(store), f"reading frame {k + 1} of {len(store)}")
        # Most of the way as it is coded, the rest in linear light: a quarter of the time, and neighbours are alike.
        coded, left = _halved(store[k], divide // 2), min(divide, 2)
        greys.append(grey_linear(coded, left))
        step = max(1, min(pixels) // _SMALL)
        size = (pixels[0] // step, pixels[1] // step)
        smalls.append(np.asarray(cv2.resize(linear_of(coded), size, interpolation=cv2.INTER_AREA), np.float32))
    return greys, smalls


def _halved(coded: Coded, by: int) -> Coded:
    """One part in `by` of its size, means."""
    if by < 2:
        return coded
    rows, columns = (side // by for side in coded.shape[:2])
    cut = coded[: rows * by, : columns * by]
    return np.asarray(cv2.resize(cut, (columns, rows), interpolation=cv2.INTER_AREA), np.uint16)
