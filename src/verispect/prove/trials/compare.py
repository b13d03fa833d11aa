"""The same patch of several frames side by side: how sharp each is, and by how much."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import FileError
from verispect.optics.criterion import Criterion
from verispect.prove.intake import Frame, described, grey_linear, read_coded
from verispect.prove.softness.edges import find_edge
from verispect.prove.taken_in.folders import frames_in
from verispect.prove.trials.resolution import disc_of_edge

Grey = NDArray[np.float32]
Patch = tuple[int, int, int]
SIZE = 96
MOST = 6
_EDGE_SIDE = 65
# Below so much contrast a patch is plain, and nothing can be told from it.
_PLAIN = 0.004
# Detail between these sizes counts, in pixels: finer is noise, coarser is shape.
_FINE, _COARSE = 0.8, 2.4


@dataclass(frozen=True)
class Looked:
    """One frame's patch: detail over brightness, and in the plan's units softness, where an edge lets it be told."""

    file: str
    sharpness: float
    softness: float | None


@dataclass(frozen=True)
class Compared:
    """One place in all frames; `best` is None where the place is too plain to tell."""

    at: tuple[int, int]
    size: int
    frames: tuple[Looked, ...]
    best: int | None


def compare(
    places: Sequence[Path],
    patches: Sequence[Patch],
    *,
    criterion: Criterion | None = None,
    progress: Callable[[float, str], None] = lambda _share, _text: None,
) -> list[Compared]:
    """Look at the same patches of several frames.

    Parameters
    ----------
    patches : sequence of (row, column, size)
        Middles and sides in pixels; without any the places with most detail in the first frame, one a ninth.
    criterion : Criterion, optional
        From a plan: then softness is told where an edge goes through a patch.
    """
    frames = [described(path) for path in frames_in(places, as_named=True)]
    if len(frames) < 2:
        raise FileError("{count} frame; two or more are compared", count=len(frames))
    sizes = {frame.pixels for frame in frames}
    if len(sizes) > 1:
        raise FileError(
            "{path}: {mine} pixels, and {other}: {its}; frames of one size are compared",
            path=frames[0].path, mine=_by(frames[0].pixels),
            other=next(frame.path for frame in frames if frame.pixels != frames[0].pixels),
            its=_by(next(frame.pixels for frame in frames if frame.pixels != frames[0].pixels)),
        )  # fmt: skip
    looks: list[list[Looked]] = []
    taken = list(patches)
    for number, frame in enumerate(frames):
        progress(number / len(frames), f"{frame.path.name}")
        grey = grey_linear(read_coded(frame), 1)
        if not taken:
            taken = most_detail(grey)
        looks.append([_looked(frame, _cut(grey, patch, frame), criterion) for patch in taken])
    progress(1.0, "compared")
    found = []
    for k, (row, column, size) in enumerate(taken):
        mine = tuple(look[k] for look in looks)
        sharpest = int(np.argmax([look.sharpness for look in mine]))
        found.append(Compared((row, column), size, mine, sharpest if mine[sharpest].sharpness > _PLAIN else None))
    return found


def _by(pixels: tuple[int, int]) -> str:
    return f"{pixels[0]} × {pixels[1]}"


def detail(grey: Grey) -> Grey:
    """What is between fine and coarse, over the brightness about it."""
    fine = cv2.GaussianBlur(grey, (0, 0), _FINE)
    coarse = cv2.GaussianBlur(grey, (0, 0), _COARSE)
    level = np.maximum(cv2.GaussianBlur(grey, (0, 0), 8.0), 0.01)
    return np.asarray((fine - coarse) / level, np.float32)


def patch_sharpness(pixels: NDArray[np.uint8], row: int, column: int, size: int = SIZE) -> float | None:
    """Detail over brightness of a patch of an 8-bit picture (rows, columns, 3); None where it passes the edge."""
    top, left = row - size // 2, column - size // 2
    if top < 0 or left < 0 or top + size > pixels.shape[0] or left + size > pixels.shape[1]:
        return None
    cut = pixels[top : top + size, left : left + size].astype(np.uint16) * np.uint16(257)
    return float(np.sqrt(np.mean(detail(grey_linear(cut, 1)) ** 2)))


def most_detail(grey: Grey) -> list[Patch]:
    """The place with most detail in each ninth of a frame."""
    energy = cv2.blur(detail(grey) ** 2, (SIZE, SIZE))
    rows, columns = grey.shape
    found = []
    for i in range(3):
        for j in range(3):
            top, left = max(i * rows // 3, SIZE // 2), max(j * columns // 3, SIZE // 2)
            part = energy[top : min((i + 1) * rows // 3, rows - SIZE // 2),
                          left : min((j + 1) * columns // 3, columns - SIZE // 2)]  # fmt: skip
            if part.size:
                row, column = np.unravel_index(int(part.argmax()), part.shape)
                found.append((top + int(row), left + int(column), SIZE))
    return found


def _cut(grey: Grey, patch: Patch, frame: Frame) -> Grey:
    row, column, size = patch
    rows, columns = grey.shape
    top, left = row - size // 2, column - size // 2
    if top < 0 or left < 0 or top + size > rows or left + size > columns:
        raise FileError(
            "{path}: a patch of {size} pixels about row {row}, column {column} passes the edge; the frame has {rows} "
            "rows and {columns} columns",
            path=frame.path, size=size, row=row, column=column, rows=rows, columns=columns,
        )  # fmt: skip
    return grey[top : top + size, left : left + size]


def _looked(frame: Frame, patch: Grey, criterion: Criterion | None) -> Looked:
    sharpness = float(np.sqrt(np.mean(detail(patch) ** 2)))
    return Looked(str(frame.path), sharpness, None if criterion is None else _softness(frame, patch, criterion))


def _softness(frame: Frame, patch: Grey, criterion: Criterion) -> float | None:
    """Blur by an edge through the patch's middle over what is allowed at the frame's stop."""
    side = min(_EDGE_SIDE, patch.shape[0] - 1 + patch.shape[0] % 2)
    start = (patch.shape[0] - side) // 2
    edge = find_edge(np.ascontiguousarray(patch[start : start + side, start : start + side]))
    pitch = frame.pixel_mm or criterion.pixel_mm
    if edge is None or frame.f_number is None:
        return None
    blur = disc_of_edge(edge, pitch_mm=pitch, working_f_number=frame.f_number, lights=criterion.lights)
    allowed = criterion.allowed_still_mm(frame.f_number)
    return None if blur is None or not np.isfinite(allowed) else blur / allowed
