"""What to set on the standards of a camera, and back: tilt, swing, and turned mounts with detents.

A standard is turned from the bed's direction by two axes, one of which rides on the other. Angles are in
radians; tilt positive leans the top forward, swing positive faces right (docs/conventions.md). All
directions are in the bed's frame (right, up, forward).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from verispect.errors import GeometryError
from verispect.optics.types import Floats, Vector

# Which axis rides on the other. "swing rides": the swing axis leans with the tilt (free of yaw when both
# standards are leaned alike); "tilt rides": the tilt axis turns with the swing.
Order = Literal["swing rides", "tilt rides"]


def standard_matrix(*, tilt_rad: float, swing_rad: float, order: Order) -> Floats:
    """Rows right, up and forward of a standard set to these angles, in the bed's frame, shape (3, 3).

    Examples
    --------
    >>> standard_matrix(tilt_rad=0.0, swing_rad=0.0, order="swing rides").tolist()
    [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]
    """
    st, ct = math.sin(tilt_rad), math.cos(tilt_rad)
    ss, cs = math.sin(swing_rad), math.cos(swing_rad)
    tilt = np.array([[1.0, 0.0, 0.0], [0.0, ct, st], [0.0, -st, ct]])
    swing = np.array([[cs, 0.0, -ss], [0.0, 1.0, 0.0], [ss, 0.0, cs]])
    # Rows are the standard's own axes; what rides is applied in the frame of what carries it.
    turned: Floats = swing @ tilt if order == "swing rides" else tilt @ swing
    return turned + 0.0


def settings_for_direction(direction: Vector, order: Order) -> tuple[float, float]:
    """Tilt and swing that face a standard in a direction (unit vector, forward component > 0).

    Raises
    ------
    GeometryError
        If the direction lies at a right angle to the bed or behind it.
    """
    dx, dy, dz = direction
    if dz <= 0.0:
        raise GeometryError("a standard cannot face sideways or back: the direction must lie before the bed")
    if order == "swing rides":
        return math.atan2(-dy, dz), math.asin(max(-1.0, min(1.0, dx)))
    return math.asin(max(-1.0, min(1.0, -dy))), math.atan2(dx, dz)


def base_tilt_moves_mm(*, tilt_rad: float, below_mm: float) -> tuple[float, float]:
    """How a lens centre moves (up, forward) when its standard tilts about a pivot `below_mm` under it."""
    return below_mm * (math.cos(tilt_rad) - 1.0), below_mm * math.sin(tilt_rad)


@dataclass(frozen=True)
class RotatingSetting:
    """A mount with one tilt that is turned to a side.

    Attributes
    ----------
    lean_rad : float
        The whole tilt, >= 0.
    direction_rad : float
        Towards which side the axis leans, seen from behind the camera: 0 is to the right, a quarter turn
        is up, so plain tilt (top forward, axis down) stands at −π/2.
    """

    lean_rad: float
    direction_rad: float


def rotating_from_axis(axis: Vector) -> RotatingSetting:
    """Setting of a rotating mount for a lens axis relative to the sensor's normal."""
    lean = math.asin(min(1.0, math.hypot(axis[0], axis[1])))
    return RotatingSetting(lean, math.atan2(axis[1], axis[0]) if lean > 0.0 else 0.0)


def axis_from_rotating(setting: RotatingSetting) -> Vector:
    """The inverse of `rotating_from_axis`."""
    lean = math.sin(setting.lean_rad)
    return (
        lean * math.cos(setting.direction_rad),
        lean * math.sin(setting.direction_rad),
        math.cos(setting.lean_rad),
    )


def detent_directions(step_deg: float) -> list[tuple[float, float]]:
    """Unit vectors (right, up) of a half turn of detents; the other half is the same with the lean reversed.

    Examples
    --------
    >>> [(round(x, 6), round(y, 6)) for x, y in detent_directions(90.0)]
    [(1.0, 0.0), (0.0, 1.0)]
    """
    count = max(1, round(180.0 / step_deg))
    return [(math.cos(math.pi * k / count), math.sin(math.pi * k / count)) for k in range(count)]


def rotation_and_shift(cross_mm: float, rise_mm: float) -> tuple[float, float]:
    """How a rotating mount makes a shift: turned so far clockwise from up in degrees, and shifted along its top.

    Within a quarter turn either way; a shift that is then downwards along its top is negative.

    Examples
    --------
    >>> rotation_and_shift(0.0, -6.0), rotation_and_shift(5.0, 0.0)
    ((0.0, -6.0), (90.0, 5.0))
    """
    length = math.hypot(cross_mm, rise_mm)
    if length < 1e-9:
        return 0.0, 0.0
    turned = math.degrees(math.atan2(cross_mm, rise_mm))
    if abs(turned) > 90.0 + 1e-9:
        return math.remainder(turned + 180.0, 360.0) + 0.0, -length
    return turned, length


def rounded(value: float, step: float) -> float:
    """A value as a scale with marks every `step` can show it; 0 is a scale without marks.

    Examples
    --------
    >>> rounded(2.37, 0.5)
    2.5
    """
    return round(value / step) * step if step > 0.0 else value


def scale_digits(step: float) -> int:
    """Digits behind the point that a scale with marks every `step` degrees can show; two where it has none.

    Examples
    --------
    >>> scale_digits(0.5), scale_digits(1.0), scale_digits(0.25), scale_digits(0.0)
    (1, 0, 2, 2)
    """
    if step <= 0.0:
        return 2
    return next((digits for digits in range(4) if abs(step * 10**digits - round(step * 10**digits)) < 1e-9), 4)


@dataclass(frozen=True)
class ViewCameraSetting:
    """Both standards of a camera on a bed.

    Attributes
    ----------
    bed_tilt_rad, bed_swing_rad : float
        How the bed faces against the sensor's wanted normal: pitched down and turned right are positive.
    lens_tilt_rad, lens_swing_rad, back_tilt_rad, back_swing_rad : float
    back_yaw_rad : float
        The lean of the picture's horizon that the back's two axes bring with them.
    """

    bed_tilt_rad: float
    bed_swing_rad: float
    lens_tilt_rad: float
    lens_swing_rad: float
    back_tilt_rad: float
    back_swing_rad: float
    back_yaw_rad: float


def share_between_standards(
    axis: Vector, *, lens_share: float, lens_order: Order, back_order: Order
) -> ViewCameraSetting:
    """Settings that put the lens's axis at `axis` relative to the sensor's normal, shared by both standards.

    Parameters
    ----------
    axis : (float, float, float)
        Wanted lens axis in the sensor's frame.
    lens_share : float
        1: all by the lens, the bed along the sensor's normal. 0: all by the back, the bed along the lens's
        axis, which is to turn the camera and swing the back home.
    """
    bed = _between(axis, 1.0 - lens_share)
    bed_tilt, bed_swing = settings_for_direction(bed, "swing rides")
    frame = standard_matrix(tilt_rad=bed_tilt, swing_rad=bed_swing, order="swing rides")
    lens_in_bed = frame @ np.asarray(axis)
    normal_in_bed = frame @ np.array([0.0, 0.0, 1.0])
    lens = settings_for_direction(_vector(lens_in_bed), lens_order)
    back = settings_for_direction(_vector(normal_in_bed), back_order)
    found = standard_matrix(tilt_rad=back[0], swing_rad=back[1], order=back_order)
    # The sensor's own right, as the bed sees it, against where the back's axes leave it.
    wanted_right = frame @ np.array([1.0, 0.0, 0.0])
    yaw = math.atan2(float(found[1] @ wanted_right), float(found[0] @ wanted_right))
    return ViewCameraSetting(bed_tilt, bed_swing, *lens, *back, yaw)


def geometry_of(setting: ViewCameraSetting, *, lens_order: Order, back_order: Order) -> Vector:
    """The lens's axis relative to the sensor, in the sensor's frame with the yaw taken out; inverse of sharing."""
    lens = standard_matrix(tilt_rad=setting.lens_tilt_rad, swing_rad=setting.lens_swing_rad, order=lens_order)
    back = standard_matrix(tilt_rad=setting.back_tilt_rad, swing_rad=setting.back_swing_rad, order=back_order)
    seen = back @ lens[2]
    c, s = math.cos(setting.back_yaw_rad), math.sin(setting.back_yaw_rad)
    return (float(c * seen[0] + s * seen[1]), float(c * seen[1] - s * seen[0]), float(seen[2]))


def _between(axis: Vector, share: float) -> Vector:
    """The direction a share of the way from the sensor's normal to an axis."""
    lean = math.asin(min(1.0, math.hypot(axis[0], axis[1])))
    if lean == 0.0:
        return (0.0, 0.0, 1.0)
    side = (axis[0] / math.sin(lean), axis[1] / math.sin(lean))
    return (side[0] * math.sin(share * lean), side[1] * math.sin(share * lean), math.cos(share * lean))


def _vector(values: Floats) -> Vector:
    x, y, z = (float(v) for v in values)
    return x, y, z
