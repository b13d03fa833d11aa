"""How long a flash takes until it is full again: from frames fired ever closer together, or as fast as it goes."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from verispect.errors import FileError
from verispect.kit.equipment import Kit
from verispect.optics.types import Floats
from verispect.prove.intake import described, grey_linear, in_order, read_coded
from verispect.prove.taken_in.folders import frames_in
from verispect.prove.trials.burst import times_of

LEAST_FRAMES = 4
# Frames are averaged over about so many pixels along their long side before their light is taken.
_SIDE = 400
# Below this a frame shows next to nothing of the flash where none is darker: it did not go off.
_MISSED_STOPS, _LIKE_DARKEST_STOPS = 1.0, 0.3
_CLIPPED, _MOST_CLIPPED = 0.98, 0.02


@dataclass(frozen=True)
class RecycleTest:
    """What the frames tell.

    Attributes
    ----------
    recycle_s, plus_minus_s : float
        After a flash, until the next is as bright within `within_stops`; as far as the longest wait that was
        too short.
    within_stops : float
    always_full : bool
        No wait was too short: the time is at the most that.
    times_s, stops : ndarray, shape (N,)
        When each was taken, after the first, and its light against the first's.
    full : ndarray of bool, shape (N,)
    files : tuple of str
    """

    recycle_s: float
    plus_minus_s: float
    within_stops: float
    always_full: bool
    times_s: Floats
    stops: Floats
    full: NDArray[np.bool_]
    files: tuple[str, ...]


def kept_in_kit(found: RecycleTest, kit: Kit) -> Kit:
    """The kit with the time that frames wait for its flash."""
    full = round(found.recycle_s, 2)
    flash = kit.flash
    if flash is not None:
        flash = flash.model_copy(update={"recycle_s": full}).as_measured("recycle_s")
    times = kit.times.model_copy(update={"flash_recycle_s": full})
    return kit.model_copy(update={"times": times, "flash": flash})


def recycle_test(
    places: Sequence[Path],
    *,
    within_stops: float = 0.1,
    frames_per_s: float | None = None,
    progress: Callable[[float, str], None] = lambda _share, _text: None,
) -> RecycleTest:
    """Measure.

    Parameters
    ----------
    within_stops : float
        How much darker than the first frame, fired with a full flash, still counts as full.
    frames_per_s : float, optional
        Where the frames' own times are too coarse or missing.

    Raises
    ------
    FileError
        For too few frames, no times, a clipped first frame, or a flash that no wait was long enough for.
    """
    frames = in_order([described(path) for path in frames_in(places)])
    if len(frames) < LEAST_FRAMES:
        raise FileError("{count} frames: at least {least} are needed, the first with the flash full",
                        count=len(frames), least=LEAST_FRAMES)  # fmt: skip
    times = times_of(frames, frames_per_s)
    light = []
    for number, frame in enumerate(frames):
        progress(number / len(frames), f"reading {frame.path.name}")
        grey = grey_linear(read_coded(frame), max(1, round(max(frame.pixels) / _SIDE)))
        if number == 0 and float((grey > _CLIPPED).mean()) > _MOST_CLIPPED:
            raise FileError("{path}: clipped; expose so that nothing is white, else less light cannot be told",
                            path=frame.path)  # fmt: skip
        light.append(max(float(grey.mean()), 1e-7))
    progress(1.0, "measured")
    stops = np.log2(np.array(light) / light[0])
    recycle, sure, always = _between(times, stops, within_stops, coarse_s=_coarse_s(times, frames_per_s))
    return RecycleTest(recycle, sure, within_stops, always, times, stops, stops >= -within_stops,
                       tuple(frame.path.name for frame in frames))  # fmt: skip


def _coarse_s(times: Floats, frames_per_s: float | None) -> float:
    """What the times leave unsure: a second where all are whole ones."""
    return 1.0 if frames_per_s is None and bool(np.all(times == np.round(times))) else 0.0


def _between(times: Floats, stops: Floats, within: float, *, coarse_s: float) -> tuple[float, float, bool]:
    """The wait between the longest that was too short and the shortest that was enough."""
    darkest = float(stops.min())
    missed = (stops < -_MISSED_STOPS) & (stops < darkest + _LIKE_DARKEST_STOPS)
    fired = 0
    enough: list[float] = []
    short: list[float] = []
    for k in range(1, len(times)):
        wait = float(times[k] - times[fired])
        (enough if stops[k] >= -within else short).append(wait)
        if not missed[k]:
            fired = k
    if not enough:
        raise FileError(
            "no flash after the first was full again: the longest wait was {longest:.1f} s; wait longer between some",
            longest=max(short),
        )
    if not short:
        least = min(enough)
        return least, least + coarse_s, True
    # The waits where fewest frames contradict: a weak battery makes one wait do once and not again.
    waits = sorted({*enough, *short, math.inf})
    against = [sum(w < t for w in enough) + sum(w >= t for w in short) for t in waits]
    best = waits[int(np.argmin(against))]
    if math.isinf(best):
        raise FileError(
            "no wait was surely long enough: after {longest:.1f} s the flash was still too weak; wait longer between "
            "some",
            longest=max(short),
        )
    longest_short = max((w for w in short if w < best), default=0.0)
    contradicted = max([w for w in short if w >= best] + [best])
    return contradicted, contradicted - longest_short + coarse_s, False
