"""The same patch of several frames side by side: how sharp each is, and by how much."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled, FileError
from verispect.optics.criterion import Criterion
from verispect.plan.methods.candidate import Candidate
from verispect.prove.intake import Frame, described, grey_linear, read_coded
from verispect.prove.softness.edges import find_edge
from verispect.prove.taken_in.folders import frames_in
from verispect.prove.trials.patch_softness import SeriesFrames
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
# What a patch shows is looked for so far about it, of the picture's diagonal: a lens that breathes by a tenth draws a
# corner that far off. Coarsely, for it may be blurred there; this much alike it is surely the same, and what is less
# alike than the best by no more than this may be it as well.
_REACH, _ROUGH = 0.05, 4.0
_SURELY_ALIKE, _AS_ALIKE = 0.8, 0.01


@dataclass(frozen=True)
class Looked:
    """One frame's patch: detail over brightness, and in the plan's units softness with its ±, where that can be told.

    `at` is where the frame shows what the first one has there: they draw more or less large as they are focused.
    """

    file: str
    sharpness: float
    softness: float | None
    plus_minus: float | None = None
    at: tuple[int, int] | None = None


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
    candidate: Candidate | None = None,
    progress: Callable[[float, str], None] = lambda _share, _text: None,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> list[Compared]:
    """Look at the same patches of several frames.

    Parameters
    ----------
    patches : sequence of (row, column, size)
        Middles and sides in pixels; without any the places with most detail in the first frame, one a ninth.
    criterion : Criterion, optional
        From a plan: then softness is told where an edge goes through a patch.
    candidate : Candidate, optional
        The method of the plan whose frames these may be: then it is told of textures too.

    Raises
    ------
    FileError
        For one frame alone, frames of several sizes, and a patch that passes the edge.
    Cancelled
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
    paths = [frame.path for frame in frames]
    series = None
    if candidate is not None:
        checked = SeriesFrames(
            paths, frames[0].pixels, candidate, lambda share, text: progress(0.5 * share, text), is_cancelled
        )
        series = checked if checked.tells else None
    looks: list[list[Looked]] = []
    blocks: list[dict[int, Grey]] = []
    taken, shown = list(patches), list[Grey]()
    for number, frame in enumerate(frames):
        if is_cancelled():
            raise Cancelled
        progress(0.5 + 0.5 * number / len(frames), f"{frame.path.name}")
        grey = grey_linear(read_coded(frame), 1)
        if not taken:
            taken = most_detail(grey)
        if not number:
            shown = [_cut(grey, patch, frame) for patch in taken]
            blocks = [{} for _ in taken]
        mine = []
        for (row, column, size), first, block in zip(taken, shown, blocks, strict=True):
            at = None if series is None else series.places_of(row, column).get(number)
            at = followed(grey, first, (row, column)) if at is None else (round(at[0]), round(at[1]))
            patch = _within(grey, (*at, size))
            if patch is None:
                at = (row, column)
                patch = _cut(grey, (row, column, size), frame)
            elif series is not None and number in series.exposure:
                block[number] = patch
            mine.append(_looked(frame, patch, criterion, at))
        looks.append(mine)
    found = []
    for k, (row, column, size) in enumerate(taken):
        told = {} if series is None else series.softness(row, column, blocks[k])
        own = tuple(
            look if number not in told else replace(look, **told[number]._asdict())
            for number, look in enumerate(one[k] for one in looks)
        )
        sharpest = int(np.argmax([look.sharpness for look in own]))
        found.append(Compared((row, column), size, own, sharpest if own[sharpest].sharpness > _PLAIN else None))
    progress(1.0, "compared")
    return found


def followed(grey: Grey, first: Grey, place: tuple[int, int]) -> tuple[int, int]:
    """Row and column at which a frame shows what the patch of the first one, (n, n), has at a place.

    Where nothing is surely the same it stays where it was; of what repeats the nearest counts.
    """
    reach, size = round(_REACH * math.hypot(*grey.shape)), first.shape[0]
    half = size // 2
    top, left = max(place[0] - half - reach, 0), max(place[1] - half - reach, 0)
    about = grey[top : place[0] - half + size + reach, left : place[1] - half + size + reach]
    rough = [cv2.GaussianBlur(one, (0, 0), _ROUGH) for one in (about, first)]
    if float(rough[1].std()) < _PLAIN * max(float(rough[1].mean()), _PLAIN):
        return place
    likeness = cv2.matchTemplate(rough[0], rough[1], cv2.TM_CCOEFF_NORMED)
    rows, columns = np.nonzero(likeness >= max(float(likeness.max()) - _AS_ALIKE, _SURELY_ALIKE))
    if rows.size == 0:
        return place
    rows, columns = rows + top + half, columns + left + half
    nearest = int(np.argmin((rows - place[0]) ** 2 + (columns - place[1]) ** 2))
    return int(rows[nearest]), int(columns[nearest])


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
    found = _within(grey, patch)
    if found is None:
        raise FileError(
            "{path}: a patch of {size} pixels about row {row}, column {column} passes the edge; the frame has {rows} "
            "rows and {columns} columns",
            path=frame.path, size=size, row=row, column=column, rows=rows, columns=columns,
        )  # fmt: skip
    return found


def _within(grey: Grey, patch: Patch) -> Grey | None:
    row, column, size = patch
    top, left = row - size // 2, column - size // 2
    if top < 0 or left < 0 or top + size > grey.shape[0] or left + size > grey.shape[1]:
        return None
    return grey[top : top + size, left : left + size].copy()


def _looked(frame: Frame, patch: Grey, criterion: Criterion | None, at: tuple[int, int]) -> Looked:
    sharpness = float(np.sqrt(np.mean(detail(patch) ** 2)))
    softness = None if criterion is None else _softness(frame, patch, criterion)
    return Looked(str(frame.path), sharpness, softness, at=at)


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
