"""Frames that nothing planned: which of them lie side by side, found from what they have in common."""

from __future__ import annotations

import itertools
from collections.abc import Collection, Sequence
from dataclasses import replace

import numpy as np

from verispect.errors import FileError
from verispect.prove.evidence import Evidence, Grey
from verispect.prove.intake import coded_of
from verispect.prove.join.placing import found_places
from verispect.prove.sets import ALIKE, FrameSet, likeness

# More are not looked at: every pair would have to be.
_MOST = 60
# A grid has so many places; of the frames that may lie in it so many must, of every part that was parted from the
# others by what it shows too.
_LEAST_PLACES, _LEAST_SHARE = 3, 0.6
_WHY = "each shows a part of what its neighbours show"

Cells = list[list[int]]


def grids_among(
    evidence: Evidence, sets: Sequence[FrameSet], thumbs: Sequence[Grey], left_out: Collection[int]
) -> tuple[list[FrameSet], dict[FrameSet, Cells]]:
    """The sets with those that prove to be parts of one grid put together, and the frames of each grid by places.

    Where each place looks is kept in the evidence.

    Parameters
    ----------
    thumbs : sequence of ndarray
        A tiny picture of every frame.
    left_out : collection of int
        Frames that show nothing, or nothing of their own.
    """
    runs: list[list[FrameSet]] = []
    for group in sets:
        if group.unlike and runs:
            runs[-1].append(group)
        else:
            runs.append([group])
    found: list[FrameSet] = []
    cells: dict[FrameSet, Cells] = {}
    for run in runs:
        whole = replace(run[0], frames=tuple(k for group in run for k in group.frames), why=(*run[0].why, _WHY))
        placed = _placed(evidence, run, thumbs, left_out)
        if placed is not None:
            found.append(whole)
            cells[whole] = placed
            continue
        for group in run:
            # What was one set already has been looked at.
            placed = _placed(evidence, [group], thumbs, left_out) if len(run) > 1 else None
            found.append(group if placed is None else replace(group, why=(*group.why, _WHY)))
            if placed is not None:
                cells[found[-1]] = placed
    return found, cells


def _placed(
    evidence: Evidence, parts: Sequence[FrameSet], thumbs: Sequence[Grey], left_out: Collection[int]
) -> Cells | None:
    """The frames of a grid by places; None where they are none."""
    used = [k for part in parts for k in part.frames if k not in left_out]
    if not _LEAST_PLACES <= len(used) <= _MOST:
        return None
    # Frames of one view are alike from each to the next.
    if min(likeness(thumbs[a], thumbs[b]) for a, b in itertools.pairwise(used)) > ALIKE:
        return None
    pictures = [(coded_of(evidence.reads[k].grey) >> 8).astype(np.uint8) for k in used]

    def say(share: float, text: str) -> None:
        evidence.progress(0.6 + 0.1 * share, text)

    try:
        placed = found_places([evidence.frames[k] for k in used], None, say, evidence.is_cancelled, pictures)
    except FileError:
        # Nothing in common: they are what they were.
        return None
    cells = [[used[number] for number in cell] for cell in placed.cells]
    there = {k for cell in cells for k in cell}
    shares = [float(np.mean([float(k in there) for k in part.frames if k not in left_out])) for part in parts]
    if len(cells) < _LEAST_PLACES or min(shares) < _LEAST_SHARE:
        return None
    evidence.found |= {k: view for cell, view in zip(cells, placed.views, strict=True) for k in cell}
    return cells
