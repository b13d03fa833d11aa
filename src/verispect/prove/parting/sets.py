"""Which frames belong together: by dark separators, pauses, what they show, their focus, and the plan's number."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np

from verispect.optics.types import Floats
from verispect.prove.intake import Frame
from verispect.prove.parting.passes import apart_by_detail, apart_by_distance, is_one_but_for_one, series_in
from verispect.prove.parting.views import ALIKE, Grey, likeness, regular, runs_of

# Darker than the median of all frames by so many stops is black.
DARK_STOPS = -5.0
# A pause so many times the usual one, and at least so long, parts two sets.
_PAUSE_TIMES, _PAUSE_S = 6.0, 20.0
# So many of the places of a round must be those of the round before it, and of some of them first.
_ROUND, _SOME = 0.7, 4
# Over the place of one frame that is not there the focus goes so many of the usual steps.
_ONE_LEFT = (1.5, 2.7)
# Of a planned set within which one frame came out black so many others may be missing, and it still parts nothing.
_MAY_BE_MISSING = 2
_FOLLOW = "taken one after the other"
ELSE = "it shows something else"
_AGAIN = "the focus goes again to where it has been"
_ANEW = "the same places once more"
_PLANNED = "as many frames as the plan asks for"


class SetKind(StrEnum):
    """How the frames of a set hang together."""

    SERIES = "series"
    GRID = "grid"
    SINGLE = "single"
    UNKNOWN = "unknown"


@dataclass(frozen=True)
class FrameSet:
    """Frames that belong together, as indices into all frames; `separator` is the dark frame before them.

    `beside` where it may be another place of the grid that the set before is of; `by_hand` where a person put it
    together, so that nothing parts it; `set_apart` where dark frames or pauses part the whole: who set sets apart
    meant what lies between to stay together.
    """

    frames: tuple[int, ...]
    separator: int | None = None
    why: tuple[str, ...] = field(default=())
    beside: bool = False
    by_hand: bool = False
    set_apart: bool = False


@dataclass(frozen=True)
class Looks:
    """What frames are parted by, one of each for every frame.

    Attributes
    ----------
    thumbs : sequence of ndarray
        A tiny picture, in linear luminance.
    details : sequence of ndarray
        Where it is sharp, as `detail_of` tells it.
    """

    frames: Sequence[Frame]
    dark: Sequence[bool]
    thumbs: Sequence[Grey]
    details: Sequence[Floats]

    def of(self, some: Sequence[int]) -> Looks:
        """Of some of the frames."""
        return Looks(
            [self.frames[k] for k in some], [self.dark[k] for k in some], [self.thumbs[k] for k in some],
            [self.details[k] for k in some],
        )  # fmt: skip


@dataclass(frozen=True)
class Planned:
    """How many exposures a plan's method has, and whether they are of a grid."""

    count: int
    is_grid: bool = False


def is_dark(levels: Sequence[float]) -> list[bool]:
    """Which frames are black, from their median luminances in linear light."""
    logs = np.log2(np.maximum(np.asarray(levels, float), 2.0**-16))
    usual = float(np.median(logs))
    # Where most are black the brightest tell what is usual.
    usual = max(usual, float(logs.max()) - 4.0)
    return [bool(log < usual + DARK_STOPS) for log in logs]


def parted(looks: Looks, single: Sequence[int], planned: Planned | None) -> list[FrameSet]:
    """As `split`, of those frames that count once, as places among all."""
    return [
        replace(
            group,
            frames=tuple(single[k] for k in group.frames),
            separator=None if group.separator is None else single[group.separator],
        )
        for group in split(looks.of(single), planned)
    ]


def split(looks: Looks, planned: Planned | None) -> list[FrameSet]:
    """Frames in order, parted into sets.

    Parameters
    ----------
    planned : Planned or None
        Of the plan's method; then a black frame within its number is a fault and parts nothing.
    """
    every, dark = len(looks.frames), looks.dark
    bright = [k for k in range(every) if not dark[k]]
    if planned is not None and len(bright) < planned.count <= every + _few_missing(dark):
        missing = planned.count - every
        held = _PLANNED if missing <= 0 else f"all but {missing} of the frames that the plan asks for"
        return [FrameSet(tuple(range(every)), None, (held,))]
    if planned is not None and len(bright) == planned.count:
        before = bright[0] - 1 if bright[0] > 0 else None
        return [FrameSet(tuple(bright), before, (_PLANNED,))]
    sets = []
    stretches = _stretches(looks)
    for stretch in stretches:
        bright = [k for k in stretch.frames if not dark[k]]
        for number, (some, why, beside) in enumerate(_inside(looks.of(bright), planned)):
            shown = [bright[k] for k in some]
            # A frame that came out black goes with the one before it.
            frames = tuple(k for k in stretch.frames if k in shown or (dark[k] and k - 1 in shown))
            first = number == 0
            sets.append(
                FrameSet(
                    frames, stretch.separator if first else None, stretch.why if first else why, beside,
                    set_apart=len(stretches) > 1,
                )
            )  # fmt: skip
    return sets or [FrameSet(tuple(range(every)), None, ("nothing parts them",))]


def _few_missing(dark: Sequence[bool]) -> int:
    """How many of the plan's frames may be missing of a set of which one within it came out black.

    A black frame between whole sets parts them; between the halves of one that is all but whole it is a fault.
    """
    return _MAY_BE_MISSING if sum(dark[1:-1]) == sum(dark) == 1 else 0


def _stretches(looks: Looks) -> list[FrameSet]:
    """What lies between dark frames and pauses."""
    found: list[FrameSet] = []
    current: list[int] = []
    separator: int | None = None
    why = _FOLLOW
    pauses = _pauses(looks.frames)
    known = [pause for pause in pauses if np.isfinite(pause)]
    long = max(_PAUSE_TIMES * float(np.median(known)), _PAUSE_S) if known else np.inf
    for k, frame in enumerate(looks.frames):
        paused = bool(current) and np.isfinite(pauses[k]) and pauses[k] > long
        if current and (looks.dark[k] or paused):
            found.append(FrameSet(tuple(current), separator, (why,)))
            current, separator = [], None
        if looks.dark[k]:
            separator, why = k, f"a dark frame before it, {frame.path.name}"
            continue
        if paused:
            why = f"{pauses[k]:.0f} s after the frame before it"
        current.append(k)
    if current:
        found.append(FrameSet(tuple(current), separator, (why,)))
    return _without_faults(looks, found)


def _without_faults(looks: Looks, stretches: Sequence[FrameSet]) -> list[FrameSet]:
    """Stretches with those put together between which a frame of a series came out black: its place is left."""
    found: list[FrameSet] = []
    for stretch in stretches:
        between = stretch.separator
        follow = bool(found) and between is not None and found[-1].frames[-1] + 1 == between == stretch.frames[0] - 1
        if follow and between is not None and _leave_one(looks, found[-1].frames, stretch.frames):
            found[-1] = replace(found[-1], frames=(*found[-1].frames, between, *stretch.frames))
        else:
            found.append(stretch)
    return found


def _leave_one(looks: Looks, before: Sequence[int], after: Sequence[int]) -> bool:
    """Whether the series that ends some frames goes on in those that begin others, but for one place."""
    bright = [k for k in before if not looks.dark[k]]
    last, first = _series_of(looks, bright, goes_on=True)[-1], _series_of(looks, after)[0]
    some = looks.of([*last, *first])
    if len(some.frames) < 3 or len(runs_of(some.thumbs)) > 1 or (apart := _apart(some)) is None:
        return False
    steps = np.diag(apart, 1)
    over = steps[len(last) - 1] / max(float(np.median(np.delete(steps, len(last) - 1))), 1e-9)
    return bool(_ONE_LEFT[0] < over < _ONE_LEFT[1]) and len(series_in(apart)) == 1


def _series_of(looks: Looks, frames: Sequence[int], *, goes_on: bool = False) -> list[list[int]]:
    """Frames by view and series."""
    found = []
    for run in runs_of([looks.thumbs[k] for k in frames]):
        own = [frames[k] for k in run]
        apart = _apart(looks.of(own))
        parts = [list(range(len(own)))] if apart is None else series_in(apart, goes_on=goes_on)
        found += [[own[k] for k in part] for part in parts]
    return found


def _apart(looks: Looks) -> Floats | None:
    """How far the focus of each frame lies from that of each other; None where nothing tells."""
    told = apart_by_distance([frame.subject_m for frame in looks.frames])
    return apart_by_detail(looks.details) if told is None else told


Part = tuple[list[int], tuple[str, ...], bool]


def _inside(looks: Looks, planned: Planned | None) -> list[Part]:
    """Frames that nothing from outside parts, parted by what they show; with why, and whether beside the last."""
    found: list[Part] = []
    runs = runs_of(looks.thumbs)
    # Rounds before all else: a far longer run within them is as long in each.
    rounds = _rounds(looks, runs)
    several = len(rounds) > 1
    # Cells of a planned grid are as unlike as planned: no more frames than it has are not parted by that.
    whole = planned is not None and planned.is_grid and len(looks.frames) <= planned.count
    places = [slice(None)] if whole else regular([len(run) for run in runs])
    segments = rounds if several else [runs[segment] for segment in places]
    for segment in segments:
        for number, group in enumerate([segment] if several else _rounds(looks, segment)):
            why = _ANEW if several or number else ELSE
            if planned is not None and planned.is_grid and len(group) > 1:
                found.append(([k for run in group for k in run], (why,), False))
                continue
            for place, (some, inner) in enumerate(_series(looks, group, planned)):
                found.append((some, (inner or (ELSE if place else why),), bool(place and not inner)))
    return found


def _rounds(looks: Looks, runs: list[list[int]]) -> list[list[list[int]]]:
    """Runs of one view each, parted where they go round the same places again at the same focus."""
    first = [run[0] for run in runs]

    def alike(pairs: Sequence[tuple[int, int]]) -> bool:
        return float(np.mean([likeness(looks.thumbs[a], looks.thumbs[b]) > ALIKE for a, b in pairs])) >= _ROUND

    for period in range(2, len(runs) // 2 + 1):
        pairs = [(first[k - period], first[k]) for k in range(period, len(runs))]
        # A few tell of most that they are none.
        if not alike(pairs[:period][:: max(1, period // _SOME)]) or not alike(pairs[:period]):
            continue
        # One round a focus is a grid of series, taken focus by focus.
        still = [apart_by_detail([looks.details[a], looks.details[b]]) is None for a, b in pairs[:period]]
        if np.mean(still) >= _ROUND:
            return [runs[begin : begin + period] for begin in range(0, len(runs), period)]
    return [runs]


def _series(looks: Looks, runs: list[list[int]], planned: Planned | None) -> list[tuple[list[int], str]]:
    """The series of one view each that runs are of, with why where it is of the same view as the one before.

    Single frames that follow one another stay together.
    """
    found: list[tuple[list[int], str]] = []
    for is_single, several in itertools.groupby(runs, key=lambda run: len(run) == 1):
        if is_single:
            found.append(([k for run in several for k in run], ""))
            continue
        for run in several:
            own = _series_of(looks, run)
            if len(own) > 1 and planned is not None and len(run) <= planned.count and _one_missed(looks, run):
                own = [run]
            found += [(part, _AGAIN if number else "") for number, part in enumerate(own)]
    return found


def _one_missed(looks: Looks, frames: Sequence[int]) -> bool:
    """Whether of no more frames than are planned one was focused elsewhere, sooner than that it was begun anew."""
    apart = _apart(looks.of(frames))
    return apart is not None and is_one_but_for_one(apart)


def _pauses(frames: Sequence[Frame]) -> list[float]:
    """Seconds since the frame before; infinite where not known."""
    found = [float("inf")]
    for before, frame in itertools.pairwise(frames):
        known = before.taken is not None and frame.taken is not None
        found.append((frame.taken - before.taken).total_seconds() if known else float("inf"))  # type: ignore[operator]
    return found
