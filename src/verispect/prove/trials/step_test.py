"""What one unit of a body's focus-step number is: from the two ends of one test run."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from verispect.errors import FileError
from verispect.optics.conjugates import image_distance_for_scale_mm
from verispect.prove.align.motion import at_middle, motion_between
from verispect.prove.intake import Frame, described, frames_in, grey_linear, in_order, read_coded

# A reading of a ruler or a tape is taken to be sure to so much of itself, or to so much, whichever is more.
_READ_SHARE, _READ_MM = 0.005, 1.0
# Frames are laid over one another at about so many pixels along their long side.
_SIDE = 1600
# What an alignment leaves unsure, pixels of the smaller picture.
_ALIGNED_PX = 0.05


@dataclass(frozen=True)
class StepTest:
    """The step that was measured.

    Attributes
    ----------
    per_step_of_depth, plus_minus : float
        Of the depth of focus 2 N c that one unit of the number moves the focus by; almost surely within (95 %).
    increment_mm, increment_plus_minus_mm : float
        The same as image distance.
    from_m, to_m : float
        Where the run began and ended, from the sensor mark; infinite at infinity.
    how : str
        "distances", "pictures" or "what the frames say of themselves".
    """

    per_step_of_depth: float
    plus_minus: float
    increment_mm: float
    increment_plus_minus_mm: float
    from_m: float
    to_m: float
    how: str


def from_distances(
    from_m: float,
    to_m: float,
    *,
    stop: float,
    step: float,
    frames: int,
    focal_mm: float,
    circle_mm: float,
    separation_mm: float = 0.0,
) -> StepTest:
    """From the distances of the first and the last focus, from the sensor mark.

    Notes
    -----
    (v₁ − v₂)/((M − 1) K), in units of 2 N c; ± by the errors of both readings, carried on linearly.
    """
    ends = [_image_mm(distance, focal_mm, separation_mm) for distance in (from_m, to_m)]
    moved = abs(ends[0] - ends[1])
    unsure = math.hypot(*(_reading_mm(distance, focal_mm, separation_mm) for distance in (from_m, to_m)))
    return _test(moved, unsure, stop, step, frames, circle_mm, (from_m, to_m), "distances")


def _image_mm(distance_m: float, focal_mm: float, separation_mm: float) -> float:
    least = (4.0 * focal_mm + separation_mm) / 1000.0
    if distance_m < least:
        raise FileError(
            "a distance of {distance:g} m from the sensor: a {focal:g} mm lens forms no image nearer than "
            "{least:.3f} m",
            distance=distance_m, focal=focal_mm, least=least,
        )  # fmt: skip
    return image_distance_for_scale_mm(scale_m=distance_m, focal_mm=focal_mm, separation_mm=separation_mm)


def _reading_mm(distance_m: float, focal_mm: float, separation_mm: float) -> float:
    """What the error of a reading is as image distance."""
    if math.isinf(distance_m):
        return 0.0
    error = max(_READ_SHARE * distance_m, _READ_MM / 1000.0)
    ends = [
        image_distance_for_scale_mm(scale_m=reading, focal_mm=focal_mm, separation_mm=separation_mm)
        for reading in (distance_m, distance_m + error)
    ]
    return abs(ends[0] - ends[1])


def _test(
    moved_mm: float,
    unsure_mm: float,
    stop: float,
    step: float,
    frames: int,
    circle_mm: float,
    ends_m: tuple[float, float],
    how: str,
) -> StepTest:
    units = (frames - 1) * step
    depth = 2.0 * stop * circle_mm
    return StepTest(
        per_step_of_depth=moved_mm / units / depth,
        plus_minus=unsure_mm / units / depth,
        increment_mm=moved_mm / units,
        increment_plus_minus_mm=unsure_mm / units,
        from_m=ends_m[0],
        to_m=ends_m[1],
        how=how,
    )


def from_frames(
    places: Sequence[Path],
    *,
    stop: float,
    step: float,
    focal_mm: float,
    circle_mm: float,
    pupil_magnification: float = 1.0,
    separation_mm: float = 0.0,
    frames: int | None = None,
) -> StepTest:
    """From the pictures of a run: what they say of their focus, or how much the picture grew from first to last.

    Notes
    -----
    A lens set straight draws f + (v − f)/p for a tangent of 1, so of two frames whose scale differs by s the
    image distances differ by p (s − 1) times what the smaller one draws, which is f but for its magnification.
    """
    found = in_order([described(path) for path in frames_in(places)])
    count = frames or len(found)
    if len(found) < 2:
        raise FileError("{count} frame; a run of at least two is needed", count=len(found))
    told = [frame.subject_m for frame in (found[0], found[-1])]
    if told[0] is not None and told[1] is not None and told[0] != told[1]:
        by_word = from_distances(
            told[0], told[1], stop=stop, step=step, frames=count, focal_mm=focal_mm, circle_mm=circle_mm,
            separation_mm=separation_mm,
        )  # fmt: skip
        return StepTest(**{**by_word.__dict__, "how": "what the frames say of themselves"})
    grown, unsure = _grown(found[0], found[-1])
    nearest = min((distance for distance in told if distance is not None), default=math.inf)
    drawn = focal_mm
    if math.isfinite(nearest):
        v = image_distance_for_scale_mm(scale_m=nearest, focal_mm=focal_mm, separation_mm=separation_mm)
        drawn = focal_mm + (v - focal_mm) / pupil_magnification
    moved = pupil_magnification * abs(grown - 1.0) * drawn
    return _test(
        moved, pupil_magnification * unsure * drawn, stop, step, count, circle_mm, (math.nan, math.nan), "pictures"
    )


def _grown(first: Frame, last: Frame) -> tuple[float, float]:
    """By how much the picture grew, as a factor, and how surely."""
    divide = max(1, round(max(first.pixels) / _SIDE))
    one, other = (grey_linear(read_coded(frame), divide) for frame in (first, last))
    if one.shape != other.shape:
        raise FileError("{path}: of another size than {other}; a run is taken with one", path=last.path,
                        other=first.path)  # fmt: skip
    rows, columns = one.shape
    middle = (0.5 * (columns - 1), 0.5 * (rows - 1))
    motion = motion_between(one, other, planned=np.eye(3), focal_px=1.2 * columns, centre_px=middle, rotate=False)
    if not motion.trusted:
        raise FileError(
            "{first} and {last} cannot be laid over one another: too little in common is sharp in both; give --from "
            "and --to, read off a ruler",
            first=first.path, last=last.path,
        )  # fmt: skip
    scale = at_middle(motion.matrix, middle)[3]
    return scale, 2.0 * _ALIGNED_PX / (0.35 * columns)
