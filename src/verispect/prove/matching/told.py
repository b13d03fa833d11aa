"""Which planned exposure each frame is: by the run's account, by focus as the metadata tells, by number, by order."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from verispect.files.run_file import Run
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.shots import Shot
from verispect.prove.intake import Frame

# Two focus settings further apart than this share of their closeness are told as different.
_SAME = 0.02


def match(
    frames: Sequence[Frame], exposures: Sequence[Exposure], shots: Sequence[Shot], run: Run | None
) -> list[Shot | None]:
    """For each frame the shot of which exposure it is; None for one too many."""
    by_run = _by_run(frames, shots, run)
    if by_run is not None:
        return by_run
    first = [shot for shot in shots if shot.number == 0]
    # As many as there are exposures: each was taken once after all, or its shots were put together.
    asked = first if len(frames) == len(first) else shots
    places = _by_what_they_tell(frames, [exposures[shot.exposure] for shot in asked])
    return [None if place is None else asked[place] for place in places]


def _by_run(frames: Sequence[Frame], shots: Sequence[Shot], run: Run | None) -> list[Shot | None] | None:
    if run is None:
        return None
    planned = {(shot.exposure, shot.number): shot for shot in shots}
    by_name = {frame.file: planned.get((frame.exposure, frame.shot)) for frame in run.frames
               if frame.file and frame.exposure is not None}  # fmt: skip
    told = [by_name.get(frame.path.name) for frame in frames]
    return told if any(shot is not None for shot in told) else None


def _by_what_they_tell(frames: Sequence[Frame], exposures: Sequence[Exposure]) -> list[int | None]:
    """By order, focus or number: for each frame its place among the exposures as they are taken one by one."""
    if len(frames) == len(exposures):
        order: list[int | None] = list(range(len(frames)))
        return order[::-1] if _are_reversed(frames, exposures) else order
    by_focus = _by_focus(frames, exposures)
    if by_focus is not None:
        return by_focus
    numbers = [frame.number for frame in frames]
    if len(frames) < len(exposures) and all(number is not None for number in numbers):
        known = [number for number in numbers if number is not None]
        first = min(known)
        # Numbered from 1 or 0 as written by a rehearsal, else from the first frame there is.
        start = first if first > 1 else 1 if max(known) - 1 < len(exposures) and first == 1 else first
        places = [number - start for number in known]
        if len(set(places)) == len(places) and max(places) < len(exposures):
            return list(places)
    return [k if k < len(exposures) else None for k in range(len(frames))]


def _are_reversed(frames: Sequence[Frame], exposures: Sequence[Exposure]) -> bool:
    """Whether the distances that frames tell go the other way than those that were planned."""
    closeness = _closeness(frames, exposures)
    if closeness is None:
        return False
    seen, wanted = closeness
    return float(np.abs(seen - wanted[::-1]).sum()) < 0.5 * float(np.abs(seen - wanted).sum())


def _closeness(frames: Sequence[Frame], exposures: Sequence[Exposure]) -> tuple[Floats, Floats] | None:
    """1/m of what frames tell and of what was planned; None where they tell none, or all the same."""
    told = [frame.subject_m for frame in frames]
    if any(value is None for value in told):
        return None
    seen = np.array([1.0 / value for value in told if value])
    wanted = np.array([0.0 if math.isinf(e.focus_m) else 1.0 / e.focus_m for e in exposures])
    return None if np.ptp(wanted) < _SAME * wanted.max() or np.ptp(seen) < 1e-9 else (seen, wanted)


def _by_focus(frames: Sequence[Frame], exposures: Sequence[Exposure]) -> list[int | None] | None:
    """Aligned in order by the distance that each frame tells; None where they tell none, or all the same."""
    closeness = _closeness(frames, exposures)
    if closeness is None:
        return None
    seen, wanted = closeness
    # Least change in order: dynamic programme over (frame, exposure), both forwards.
    cost = np.abs(seen[:, None] - wanted[None]) / np.ptp(wanted)
    rows, columns = cost.shape
    skip = 0.5 / max(columns, 1)
    best = np.zeros((rows + 1, columns + 1))
    best[1:, 0] = 10.0 * np.arange(1, rows + 1)
    best[0, 1:] = skip * np.arange(1, columns + 1)
    step = np.zeros((rows + 1, columns + 1), int)
    for i in range(1, rows + 1):
        for j in range(1, columns + 1):
            options = (best[i - 1, j - 1] + cost[i - 1, j - 1], best[i, j - 1] + skip, best[i - 1, j] + 10.0)
            step[i, j] = int(np.argmin(options))
            best[i, j] = options[step[i, j]]
    found: list[int | None] = [None] * rows
    i, j = rows, columns
    while i > 0 and j > 0:
        if step[i, j] == 0:
            found[i - 1] = j - 1
            i, j = i - 1, j - 1
        elif step[i, j] == 1:
            j -= 1
        else:
            i -= 1
    return found
