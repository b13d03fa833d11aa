"""What one unit of a body's focus-step number is: from the two ends of one test run."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from verispect.errors import FileError
from verispect.kit.lens import Lens
from verispect.kit.mounted_lens import optic_at
from verispect.optics.conjugates import image_distance_for_scale_mm, scale_distance_m
from verispect.prove.align.motion import at_middle, motion_between
from verispect.prove.intake import Frame, described, grey_linear, in_order, read_coded
from verispect.prove.taken_in.folders import frames_in

# A reading of a ruler or a tape is taken to be sure to so much of itself, or to so much, whichever is more.
_READ_SHARE, _READ_MM = 0.005, 1.0
# Frames are laid over one another at about so many pixels along their long side.
_SIDE = 1600
# What an alignment leaves unsure, pixels of the smaller picture; and of a growth, where blur differs from end to end:
# of 34 traced series 33 lay within 1.8 parts in a hundred, one 2.9 off.
_ALIGNED_PX, _ALIGNED_SHARE = 0.05, 0.018
# A run of which no distance is known is taken to have come no nearer than this magnification, nor than the lens can.
_USUAL_MAGNIFICATION = 0.15


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
    no_nearer_m : float or None
        Where no distance was known: as near as the run was taken to have come, from the sensor mark.
    """

    per_step_of_depth: float
    plus_minus: float
    increment_mm: float
    increment_plus_minus_mm: float
    from_m: float
    to_m: float
    how: str
    no_nearer_m: float | None = None


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

    Raises
    ------
    FileError
        For ends that are the same, or nearer than the lens forms an image.
    """
    if from_m == to_m:
        raise FileError("--from and --to are the same: the focus did not move; give the two ends of the run")
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
    lens: Lens | None = None,
    frames: int | None = None,
    ends_m: tuple[float | None, float | None] = (None, None),
) -> StepTest:
    """From the pictures of a run: what they say of their focus, or how much the picture grew from first to last.

    Parameters
    ----------
    lens : Lens, optional
        Its pupils say how the picture grows, and its closest focus how near it may stand where no end is known.
    ends_m : (float or None, float or None)
        Where the run began and ended, from the sensor mark; goes before what the frames say.

    Raises
    ------
    FileError
        For less than two frames, frames that cannot be laid over one another, and where only growth tells of a lens
        whose focal length changes as it focuses.

    Notes
    -----
    A lens that moves out as a whole and stands straight draws f + (v − f)/p for a tangent of 1, so where one frame
    draws s times as large as the other the image distances differ by p (s − 1) times what the smaller one draws.
    """
    optic = None if lens is None else optic_at(lens, focal_mm)
    pupil, separation_mm = (1.0, 0.0) if optic is None else (optic.pupil_magnification, optic.principal_separation_mm)
    found = in_order([described(path) for path in frames_in(places)])
    count = frames or len(found)
    if len(found) < 2:
        raise FileError("{count} frame; a run of at least two is needed", count=len(found))
    told = [at if at is not None else frame.subject_m
            for at, frame in zip(ends_m, (found[0], found[-1]), strict=True)]  # fmt: skip
    if told[0] is not None and told[1] is not None and (None not in ends_m or told[0] != told[1]):
        by_word = from_distances(
            told[0], told[1], stop=stop, step=step, frames=count, focal_mm=focal_mm, circle_mm=circle_mm,
            separation_mm=separation_mm,
        )  # fmt: skip
        how = by_word.how if None not in ends_m else "what the frames say of themselves"
        return replace(by_word, how=how)
    if lens is not None and lens.focusing == "internal":
        raise FileError(
            "{lens}: its focal length changes as it focuses, so the picture's growth does not tell how far it went; "
            "give --from and --to, read off a ruler",
            lens=lens.name,
        )
    growth, unsure = _grown(found[0], found[-1])
    if told[0] is not None and told[0] == told[1]:
        # Frames that all say the same say nothing of where they were focused.
        told = list(ends_m)
    most = min(_USUAL_MAGNIFICATION, math.inf if optic is None else optic.longest_image_mm / optic.focal_mm - 1.0)
    smaller, about = _smaller_draws_mm(
        told, growth, focal_mm=focal_mm, pupil_magnification=pupil, separation_mm=separation_mm,
        most_magnification=most,
    )  # fmt: skip
    times = max(growth, 1.0 / growth) - 1.0
    moved, errors = (pupil * share * smaller for share in (times, math.hypot(unsure, times * about)))
    by_growth = _test(moved, errors, stop, step, count, circle_mm, (math.nan, math.nan), "pictures")
    if told != [None, None]:
        return by_growth
    nearest_m = scale_distance_m(image_mm=focal_mm * (1.0 + most), focal_mm=focal_mm, separation_mm=separation_mm)
    return replace(by_growth, no_nearer_m=nearest_m)


def _smaller_draws_mm(
    ends_m: Sequence[float | None],
    growth: float,
    *,
    focal_mm: float,
    pupil_magnification: float,
    separation_mm: float,
    most_magnification: float,
) -> tuple[float, float]:
    """What the frame that draws smaller draws for a tangent of 1, and how surely, as a share of it."""
    for end, at in enumerate(ends_m):
        if at is not None:
            v = focal_mm if math.isinf(at) else _image_mm(at, focal_mm, separation_mm)
            drawn = focal_mm + (v - focal_mm) / pupil_magnification
            unsure = _reading_mm(at, focal_mm, separation_mm) / pupil_magnification / drawn
            is_smaller = (growth > 1.0) == (end == 0)
            return (drawn if is_smaller else drawn / max(growth, 1.0 / growth)), unsure
    # Somewhere between infinity and as close as the other one can go.
    closest = max(1.0 + most_magnification / pupil_magnification, 1.0) / max(growth, 1.0 / growth)
    half = 0.5 * max(closest - 1.0, 0.0)
    return focal_mm * (1.0 + half), half / (1.0 + half)


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
    return scale, math.hypot(2.0 * _ALIGNED_PX / (0.35 * columns), _ALIGNED_SHARE * abs(scale - 1.0))
