"""Where a lens turns without parallax, and the field it really sees: from two frames, turned between them.

Something near and something far stand in both. About an axis behind the entrance pupil by e, a thing at distance D
and bearing β from the axis is seen, with the camera turned by φ, at a tangent of
D sin(β − φ)/(D cos(β − φ) − e) off the middle; the two things in two frames give four such equations for e, both
bearings, and either the turn or, where the head's scale tells that, what the lens draws for a tangent of 1.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import FileError
from verispect.optics.conjugates import image_distance_for_scale_mm
from verispect.optics.types import Floats
from verispect.prove.intake import described, grey_linear, in_order, read_coded
from verispect.prove.taken_in.folders import frames_in

# Row and column of a thing's middle in the first frame as it is seen upright, and the side of the patch about it.
Patch = tuple[float, float, float | None]

_SIDE_SHARE, _LEAST_SIDE_PX = 0.06, 24
# The patch is looked for in frames of about so many pixels along their long side, then laid over at full size.
_SEARCH_SIDE = 1200
_ALIKE_COARSE, _ALIKE_FINE = 0.5, 0.8
_BLURS, _SEARCH_BLUR = (21, 9, 3), 2.5
# What laying a patch over leaves unsure, and the reading of a distance, whichever of the two is more (95 %).
_PLACED_PX, _READ_SHARE, _READ_M, _READ_TURN_DEG = 0.15, 0.005, 0.002, 0.05


@dataclass(frozen=True)
class PupilTest:
    """What two frames tell.

    Attributes
    ----------
    ahead_mm, plus_minus_mm : float
        The entrance pupil ahead of the axis the camera turned about, towards the subject; almost surely within
        (95 %).
    turned_deg : float
        To the right, from the first frame to the second.
    focal_mm, focal_plus_minus_mm : float or None
        The focal length that draws so; None where the turn was not given.
    field_deg : float
        Width of the picture as an angle from the entrance pupil.
    parallax_px : float
        By how much the near thing moved against the far one.
    """

    ahead_mm: float
    plus_minus_mm: float
    turned_deg: float
    focal_mm: float | None
    focal_plus_minus_mm: float | None
    field_deg: float
    parallax_px: float


def pupil_test(
    places: Sequence[Path],
    *,
    near: Patch,
    far: Patch,
    near_m: float,
    far_m: float,
    focal_mm: float | None = None,
    sensor_long_mm: float | None = None,
    turned_deg: float | None = None,
    pupil_magnification: float = 1.0,
    separation_mm: float = 0.0,
) -> PupilTest:
    """Measure.

    Parameters
    ----------
    near, far : (row, column, side)
        Where the things stand in the first frame.
    near_m, far_m : float
        From the axis the camera turns about; the far one may be infinitely far.
    focal_mm, sensor_long_mm : float, optional
        The focal length and the sensor's longer side; without them, what the frames tell of themselves.
    turned_deg : float, optional
        By the head's scale, to the right positive: then the focal length is measured too.

    Raises
    ------
    FileError
        For other than two frames, things that are not found again, or distances that tell nothing.
    """
    if not near_m < 0.8 * far_m:
        raise FileError("{near:g} m and {far:g} m: the near thing must be much nearer than the far one",
                        near=near_m, far=far_m)  # fmt: skip
    frames = in_order([described(path) for path in frames_in(places)])
    if len(frames) != 2:
        raise FileError("{count} frames: two are needed, the camera turned between them", count=len(frames))
    focal, pixel = focal_mm or frames[0].focal_mm, frames[0].pixel_mm
    if sensor_long_mm is not None:
        pixel = sensor_long_mm / max(frames[0].pixels)
    if focal is None or pixel is None:
        raise FileError("{path}: tells no focal length or size of a pixel; give --focal and --plan",
                        path=frames[0].path)  # fmt: skip
    one, other = (grey_linear(read_coded(frame), 1) for frame in frames)
    if one.shape != other.shape:
        raise FileError("{path}: of another size than {other}", path=frames[1].path, other=frames[0].path)
    middle = 0.5 * (one.shape[1] - 1)
    stands = {
        name: _columns(one, other, patch, name, frames[1].path) for name, patch in (("near", near), ("far", far))
    }
    seen = np.array([stands["near"], stands["far"]]) - middle
    distances = np.array([near_m, far_m])
    drawn = _drawn_mm(focal, frames[0].subject_m, pupil_magnification, separation_mm)
    given = None if turned_deg is None else math.radians(turned_deg)
    found = _solved(seen, distances, drawn / pixel, given)
    spread = _unsure(seen, distances, drawn / pixel, given, found)
    behind, turn, tangent_px = found
    own = None if given is None else _focal_mm(tangent_px * pixel, frames[0].subject_m, pupil_magnification,
                                               separation_mm)  # fmt: skip
    return PupilTest(
        ahead_mm=1000.0 * behind,
        plus_minus_mm=1000.0 * float(spread[0]),
        turned_deg=math.degrees(turn),
        focal_mm=own,
        focal_plus_minus_mm=None if own is None else own * float(spread[2]) / tangent_px,
        field_deg=2.0 * math.degrees(math.atan(0.5 * one.shape[1] / tangent_px)),
        parallax_px=float((seen[0, 1] - seen[0, 0]) - (seen[1, 1] - seen[1, 0])),
    )


def _columns(
    one: NDArray[np.float32], other: NDArray[np.float32], patch: Patch, name: str, path: Path
) -> tuple[float, float]:
    """The column of a thing's middle in both frames."""
    row, column, side = patch
    half = max(0.5 * (side or _SIDE_SHARE * max(one.shape)), 0.5 * _LEAST_SIDE_PX)
    top, left = round(row - half), round(column - half)
    bottom, right = round(row + half) + 1, round(column + half) + 1
    if top < 0 or left < 0 or bottom > one.shape[0] or right > one.shape[1]:
        raise FileError(
            "the {name} thing at row {row:.0f}, column {column:.0f}: its patch of {side:.0f} px reaches out of the "
            "frame",
            name=name, row=row, column=column, side=2.0 * half,
        )  # fmt: skip
    cut = one[top:bottom, left:right]
    lost = FileError(
        "{path}: the {name} thing is not found in it; choose something full of detail that both frames show, and "
        "turn less",
        path=path, name=name,
    )  # fmt: skip
    if float(cut.std()) < 0.02 * float(cut.mean()):
        raise lost
    corner = _found(cut, other)
    if corner is None:
        raise lost
    matrix = np.array([[1.0, 0.0, corner[0]], [0.0, 1.0, corner[1]]], np.float32)
    criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 100, 1e-6)
    whole = np.full(other.shape, 255, np.uint8)
    try:
        # From blurred to sharp: towards the side of a frame the same thing is drawn wider.
        for blur in _BLURS:
            alike, found = cv2.findTransformECC(cut, other, matrix, cv2.MOTION_AFFINE, criteria, whole, blur)
            matrix = np.asarray(found, np.float32)
    except cv2.error as error:
        raise lost from error
    if alike < _ALIKE_FINE:
        raise lost
    inside = np.array([0.5 * (cut.shape[1] - 1), 0.5 * (cut.shape[0] - 1), 1.0])
    return left + float(inside[0]), float(matrix[0] @ inside)


def _found(cut: NDArray[np.float32], other: NDArray[np.float32]) -> tuple[float, float] | None:
    """Column and row of the corner where a patch lies in another frame; None where nothing is like it."""
    divide = max(1, min(round(max(other.shape) / _SEARCH_SIDE), min(cut.shape) // 12))
    small = [
        cv2.GaussianBlur(
            cv2.resize(part, None, fx=1.0 / divide, fy=1.0 / divide, interpolation=cv2.INTER_AREA),
            (0, 0),
            _SEARCH_BLUR,
        )
        for part in (cut, other)
    ]
    likeness = cv2.matchTemplate(small[1], small[0], cv2.TM_CCOEFF_NORMED)
    _, best, _, (column, row) = cv2.minMaxLoc(likeness)
    return None if best < _ALIKE_COARSE else (float(column * divide), float(row * divide))


def _drawn_mm(focal: float, focus_m: float | None, p: float, separation_mm: float) -> float:
    """What a lens draws for a tangent of 1 as seen from its entrance pupil."""
    if focus_m is None or not math.isfinite(focus_m) or focus_m < (4.0 * focal + separation_mm) / 1000.0:
        return focal
    image = image_distance_for_scale_mm(scale_m=focus_m, focal_mm=focal, separation_mm=separation_mm)
    return focal + (image - focal) / p


def _focal_mm(drawn: float, focus_m: float | None, p: float, separation_mm: float) -> float:
    """The inverse of `_drawn_mm`, step by step."""
    focal = drawn
    for _ in range(20):
        focal += drawn - _drawn_mm(focal, focus_m, p, separation_mm)
    return focal


def _tangents(behind: float, distances: Floats, off: Floats) -> Floats:
    """Of things at distances (m) and bearings against the view, seen from a pupil ahead of the axis."""
    share = np.where(np.isinf(distances), 0.0, behind / distances)
    found: Floats = np.sin(off) / (np.cos(off) - share)
    return found


def _solved(seen: Floats, distances: Floats, tangent_px: float, turn: float | None) -> tuple[float, float, float]:
    """Pupil ahead of the axis (m), turn to the right (radians), and pixels for a tangent of 1."""
    from scipy.optimize import least_squares  # slow to import, as all of SciPy

    at = np.arctan(seen / tangent_px)
    begin = np.array([0.0, at[0, 0], at[1, 0], (at[1, 0] - at[1, 1]) if turn is None else 1.0])

    def left(values: Floats) -> Floats:
        behind, first, second, last = values
        turned, drawn = (last, tangent_px) if turn is None else (turn, tangent_px * last)
        bearings = np.array([first, second])
        rows = [_tangents(behind * distances[0], distances, bearings - angle) * drawn for angle in (0.0, turned)]
        return np.ravel(np.array(rows).T - seen)

    values = least_squares(left, begin, x_scale=np.array([0.01, 0.1, 0.1, 0.1]), xtol=1e-14, ftol=1e-14, gtol=1e-14).x
    behind = float(values[0] * distances[0])
    return (behind, float(values[3]), tangent_px) if turn is None else (behind, turn, tangent_px * float(values[3]))


def _unsure(
    seen: Floats, distances: Floats, tangent_px: float, turn: float | None, found: tuple[float, float, float]
) -> Floats:
    """± of what was solved: every reading moved by its own ±, the changes added as squares, shape (3,)."""
    total = np.zeros(3)
    for index in np.ndindex(seen.shape):
        moved = seen.copy()
        moved[index] += _PLACED_PX
        total += (np.array(_solved(moved, distances, tangent_px, turn)) - found) ** 2
    for k in range(2):
        if math.isfinite(distances[k]):
            moved = distances.copy()
            moved[k] += max(_READ_SHARE * moved[k], _READ_M)
            total += (np.array(_solved(seen, moved, tangent_px, turn)) - found) ** 2
    if turn is not None:
        total += (np.array(_solved(seen, distances, tangent_px, turn + math.radians(_READ_TURN_DEG))) - found) ** 2
    spread: Floats = np.sqrt(total)
    return spread
