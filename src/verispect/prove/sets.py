"""Which frames belong together: by dark separators, pauses, likeness, and the plan's run."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from verispect.prove.intake import Frame

# Darker than the median of all frames by so many stops is black.
DARK_STOPS = -5.0
# A pause so many times the usual one, and at least so long, parts two sets.
_PAUSE_TIMES, _PAUSE_S = 6.0, 20.0
# Two neighbours less alike than this show different things.
_UNLIKE = 0.25
_ELSE = "it shows something else"
# Frames of one view are at least so alike.
ALIKE = 0.6
# A series has gone at least so far in closeness (1/m), as a share; back is within so much of where it began.
_SPAN, _BACK = 0.05, 0.4


class SetKind(StrEnum):
    """How the frames of a set hang together."""

    SERIES = "series"
    GRID = "grid"
    SINGLE = "single"
    UNKNOWN = "unknown"


@dataclass(frozen=True)
class FrameSet:
    """Frames that belong together, as indices into all frames; `separator` is the dark frame before them.

    `unlike` where nothing but what it shows parts it from the set before.
    """

    frames: tuple[int, ...]
    separator: int | None = None
    why: tuple[str, ...] = field(default=())
    unlike: bool = False


def is_dark(levels: Sequence[float]) -> list[bool]:
    """Which frames are black, from their median luminances in linear light."""
    logs = np.log2(np.maximum(np.asarray(levels, float), 2.0**-16))
    usual = float(np.median(logs))
    # Where most are black the brightest tell what is usual.
    usual = max(usual, float(logs.max()) - 4.0)
    return [bool(log < usual + DARK_STOPS) for log in logs]


def parted(
    frames: Sequence[Frame],
    single: Sequence[int],
    dark: Sequence[bool],
    thumbs: Sequence[NDArray[np.float32]],
    planned: int | None,
) -> list[FrameSet]:
    """As `split`, of those frames that count once, as places among all."""
    found = split([frames[k] for k in single], [dark[k] for k in single], [thumbs[k] for k in single], planned)
    return [
        FrameSet(
            tuple(single[k] for k in group.frames),
            None if group.separator is None else single[group.separator],
            group.why,
            group.unlike,
        )
        for group in found
    ]


def split(
    frames: Sequence[Frame], dark: Sequence[bool], thumbs: Sequence[NDArray[np.float32]], planned: int | None
) -> list[FrameSet]:
    """Frames in order, parted into sets.

    Parameters
    ----------
    planned : int or None
        Exposures of the plan's method; then a black frame within its number is a fault and parts nothing.
    """
    bright = [k for k in range(len(frames)) if not dark[k]]
    if planned is not None and len(bright) < planned <= len(frames):
        return [FrameSet(tuple(range(len(frames))), None, ("as many frames as the plan asks for",))]
    if planned is not None and len(bright) == planned:
        before = bright[0] - 1 if bright[0] > 0 else None
        return [FrameSet(tuple(bright), before, ("as many frames as the plan asks for",))]
    sets: list[FrameSet] = []
    current: list[int] = []
    separator: int | None = None
    why: list[str] = []
    pauses = _pauses(frames)

    def close() -> None:
        nonlocal current
        if current:
            reasons = tuple(why) or ("taken one after the other",)
            sets.append(FrameSet(tuple(current), separator, reasons, _ELSE in reasons))
        current = []

    for k in range(len(frames)):
        if dark[k]:
            close()
            separator, why = k, [f"a dark frame before it, {frames[k].path.name}"]
            continue
        reason = _parts(k, current, pauses, thumbs) or _jumped_back(frames, current, k)
        if reason:
            close()
            separator, why = None, [reason]
        current.append(k)
    close()
    return sets or [FrameSet(tuple(range(len(frames))), None, ("nothing parts them",))]


def _parts(k: int, current: list[int], pauses: list[float], thumbs: Sequence[NDArray[np.float32]]) -> str:
    """Why a frame begins another set; empty where it does not."""
    if not current:
        return ""
    before = current[-1]
    usual = float(np.median([p for p in pauses if np.isfinite(p)] or [np.inf]))
    if np.isfinite(pauses[k]) and pauses[k] > max(_PAUSE_TIMES * usual, _PAUSE_S):
        return f"{pauses[k]:.0f} s after the frame before it"
    if len(current) >= 2 and k + 1 < len(thumbs):
        # A turned grid shows something new at every frame; only a change among likeness parts sets.
        here, inside = likeness(thumbs[k], thumbs[before]), likeness(thumbs[before], thumbs[current[-2]])
        after = likeness(thumbs[k], thumbs[k + 1])
        if here < _UNLIKE and min(inside, after) > ALIKE:
            return _ELSE
    return ""


def _jumped_back(frames: Sequence[Frame], current: list[int], k: int) -> str:
    """Why a frame begins another series: the focus went one way and jumps back to where it began."""
    told = [frames[j].subject_m for j in [*current, k]]
    if len(current) < 3 or any(value is None for value in told):
        return ""
    close = np.array([1.0 / value for value in told if value])
    steps = np.diff(close[:-1])
    span = float(np.ptp(close[:-1]))
    one_way = bool((steps >= 0.0).all() or (steps <= 0.0).all())
    if not one_way or span < _SPAN * close.max():
        return ""
    if abs(close[-1] - close[0]) < _BACK * span < abs(close[-1] - close[-2]):
        return "the focus jumps back to where it began"
    return ""


def _pauses(frames: Sequence[Frame]) -> list[float]:
    """Seconds since the frame before; infinite where not known."""
    found = [float("inf")]
    for before, frame in itertools.pairwise(frames):
        known = before.taken is not None and frame.taken is not None
        found.append((frame.taken - before.taken).total_seconds() if known else float("inf"))  # type: ignore[operator]
    return found


def likeness(first: NDArray[np.float32], second: NDArray[np.float32]) -> float:
    """Correlation of two small pictures' logarithms; 1 where they show the same."""
    if first.shape != second.shape:
        return 0.0
    a, b = (np.log2(np.maximum(part, 1e-4)).ravel() for part in (first, second))
    a, b = a - a.mean(), b - b.mean()
    return float(a @ b / max(float(np.sqrt((a @ a) * (b @ b))), 1e-9))
