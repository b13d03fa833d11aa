"""One state of a lens before a sensor, and what follows from it: image points, planes, the hinge line.

Everything here stands in the camera's frame in mm. Object points are reckoned from the front principal
point, image points from the rear one, so a thick lens needs nothing more (docs/derivations/imaging.md).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from verispect.errors import GeometryError
from verispect.optics.focus_bend import FocusBend
from verispect.optics.types import Floats, Vector

FORWARD: Vector = (0.0, 0.0, 1.0)


@dataclass(frozen=True)
class LensState:
    """A lens focused, stopped down and tilted.

    Attributes
    ----------
    focal_mm : float
        Focal length, > 0.
    f_number : float
        Exact stop (11.314, not 11), > 0.
    image_distance_mm : float
        Rear principal point to sensor plane along the sensor's normal, > 0.
    axis : (float, float, float)
        The lens's unit axis towards the scene, in (right, up, forward).
    pupil_magnification : float
        Exit over entrance pupil diameter, > 0.
    bend : FocusBend or None
        How the best focus departs from the ideal; None for an ideal lens.
    """

    focal_mm: float
    f_number: float
    image_distance_mm: float
    axis: Vector = FORWARD
    pupil_magnification: float = 1.0
    bend: FocusBend | None = None

    @property
    def magnification(self) -> float:
        """Image distance over focal length, less one."""
        return self.image_distance_mm / self.focal_mm - 1.0

    @property
    def working_f_number(self) -> float:
        """N(1 + m/p): the f-number of the cone that reaches the sensor."""
        return self.f_number * (1.0 + self.magnification / self.pupil_magnification)

    @property
    def pupil_ahead_mm(self) -> float:
        """Entrance pupil ahead of the front principal point along the axis, f(1 − 1/p)."""
        return self.focal_mm * (1.0 - 1.0 / self.pupil_magnification)

    @property
    def pupil_scale_mm(self) -> float:
        """Image size per tangent of the angle seen from the entrance pupil: f + (v − f)/p for a straight lens.

        From the exit pupil to the sensor, over p, for a tilted one (near its axis, where p is not 1).
        """
        exit_ahead = self.focal_mm * (1.0 - self.pupil_magnification) * self.axis[2]
        return (self.image_distance_mm - exit_ahead) / self.pupil_magnification

    @property
    def ideal_on_axis(self) -> LensState:
        """The ideal lens that renders what lies on the axis as this one does."""
        if self.bend is None:
            return self
        away = float(self.bend.away_mm(0.0, self.f_number))
        return replace(self, image_distance_mm=self.image_distance_mm - away, bend=None)

    def at(self, f_number: float) -> LensState:
        """The same state at another stop."""
        return replace(self, f_number=f_number)


def from_principal_point(points_from_pupil_mm: Floats, state: LensState) -> Floats:
    """Points (..., 3) reckoned from the entrance pupil, reckoned anew from the front principal point."""
    if state.pupil_ahead_mm == 0.0:
        return points_from_pupil_mm
    moved: Floats = points_from_pupil_mm + state.pupil_ahead_mm * np.asarray(state.axis)
    return moved


def focus_image_distance_mm(points_mm: Floats, *, focal_mm: float, axis: Vector = FORWARD) -> Floats:
    """Image distance v_i at which each point is sharp: f n·P / (a·P − f).

    Parameters
    ----------
    points_mm : ndarray, shape (..., 3)
        From the front principal point.

    Returns
    -------
    ndarray, shape (...)
        mm along the sensor's normal; negative or infinite for points nearer than the focal length.
    """
    depth = points_mm @ np.asarray(axis)
    with np.errstate(divide="ignore"):
        found: Floats = focal_mm * points_mm[..., 2] / (depth - focal_mm)
    return found


def image_points_mm(points_mm: Floats, state: LensState) -> Floats:
    """Sharp image points Q (..., 3) from the rear principal point: −f P / (a·P − f)."""
    depth = points_mm @ np.asarray(state.axis)
    found: Floats = -state.focal_mm * points_mm / (depth - state.focal_mm)[..., None]
    return found


def plane_of_sharp_focus(state: LensState) -> Floats:
    """The vector g, shape (3,), 1/mm, of the plane g·P = 1 on which the state is focused.

    g = a/f − n/v (docs/derivations/imaging.md). A zero vector means the plane lies at infinity.
    """
    found: Floats = np.asarray(state.axis) / state.focal_mm
    found[2] -= 1.0 / state.image_distance_mm
    return found


def depth_planes(state: LensState, allowed_blur_mm: float) -> tuple[Floats, Floats]:
    """The two faces of the wedge of depth of field: planes g·P = 1 of v(1 + c/D) and v(1 − c/D).

    Both go through the hinge line. For a lens whose pupils differ the distance that counts is that from
    the exit pupil, hence the correction by f(1 − p) (docs/derivations/blur.md, equation 6).

    Returns
    -------
    near, far : ndarray, shape (3,)
    """
    pupil_mm = state.pupil_magnification * state.focal_mm / state.f_number
    exit_ahead = state.focal_mm * (1.0 - state.pupil_magnification) * state.axis[2]
    kappa = allowed_blur_mm / pupil_mm
    v = state.image_distance_mm
    planes = []
    for sign in (-1.0, 1.0):
        v_face = (v + sign * kappa * exit_ahead) / (1.0 + sign * kappa)
        face = np.asarray(state.axis) / state.focal_mm
        face[2] -= 1.0 / v_face
        planes.append(face)
    return planes[0], planes[1]


def lens_for_plane(normal: Vector, distance_mm: float, *, focal_mm: float) -> tuple[Vector, float]:
    """The lens axis and image distance that focus on a wanted plane.

    Parameters
    ----------
    normal : (float, float, float)
        Unit normal m of the plane m·P = h, in the camera's frame.
    distance_mm : float
        h > 0, from the front principal point.

    Returns
    -------
    axis : (float, float, float)
    image_distance_mm : float

    Raises
    ------
    GeometryError
        If the plane passes within a focal length so that no real image distance focuses on it.

    Notes
    -----
    v is the positive root of v²(1 − f²/h²) − 2 v f² (n·m)/h − f² = 0, then a = (f/v) n + (f/h) m
    (docs/derivations/imaging.md, equation 5).

    Examples
    --------
    >>> axis, v = lens_for_plane((0.0, 0.0, 1.0), 2000.0, focal_mm=50.0)
    >>> round(v, 4)
    51.2821
    """
    if distance_mm <= focal_mm:
        raise GeometryError(
            "the wanted plane passes {distance_mm:.0f} mm from the lens; it must stay farther than the focal "
            "length, {focal_mm:g} mm",
            distance_mm=distance_mm,
            focal_mm=focal_mm,
        )
    f, h = focal_mm, distance_mm
    first = 1.0 - (f / h) ** 2
    half = f * f * normal[2] / h
    v = (half + math.sqrt(half * half + first * f * f)) / first
    axis = (f / h * normal[0], f / h * normal[1], f / v + f / h * normal[2])
    return axis, v


def hinge_distance_mm(*, focal_length_mm: float, tilt_rad: float) -> float:
    """Signed distance J from the lens centre to the hinge line.

    Parameters
    ----------
    focal_length_mm : float
        Greater than 0.
    tilt_rad : float
        Lens plane against sensor plane, 0 < abs < pi/2; positive leans the top of the lens forward.

    Returns
    -------
    float
        mm, parallel to the sensor; positive below the axis.

    Raises
    ------
    GeometryError
        If tilt_rad is 0: parallel planes have no hinge line.

    Notes
    -----
    Thin lens in air; J = f / sin(tilt), the hinge rule (Merklinger, Focusing the View Camera, 1993; from
    memory); docs/derivations/imaging.md, equation 6.

    Examples
    --------
    >>> round(hinge_distance_mm(focal_length_mm=90.0, tilt_rad=0.0872665), 1)
    1032.6
    """
    if tilt_rad == 0.0:
        raise GeometryError("tilt must not be 0 here: parallel planes have no hinge line")
    return focal_length_mm / math.sin(tilt_rad)


def hinge_line(state: LensState) -> tuple[Floats, Floats]:
    """The line n·P = 0, a·P = f about which the plane turns when the focus changes.

    Returns
    -------
    foot : ndarray, shape (3,)
        Its point nearest the front principal point, mm.
    direction : ndarray, shape (3,)
        Unit vector.

    Raises
    ------
    GeometryError
        For an untilted lens.
    """
    ax, ay, _ = state.axis
    lean = math.hypot(ax, ay)
    if lean == 0.0:
        raise GeometryError("an untilted lens has no hinge line: its plane stays parallel to the sensor")
    foot = np.array([ax, ay, 0.0]) * state.focal_mm / lean**2
    return foot, np.array([-ay, ax, 0.0]) / lean


def tilt_and_swing_rad(axis: Vector) -> tuple[float, float]:
    """Tilt and swing of an axis: tilt positive leans the top forward, swing positive faces right.

    Both are the inclination of the axis to the planes that they move it out of (asin of −a_y and a_x), so
    that they may be given in either order.
    """
    return -math.asin(axis[1]), math.asin(axis[0])


def axis_from_tilt_and_swing(*, tilt_rad: float, swing_rad: float) -> Vector:
    """The unit lens axis that has this tilt and swing; the inverse of `tilt_and_swing_rad`.

    Raises
    ------
    GeometryError
        If both together lean by a right angle or more.
    """
    ax, ay = math.sin(swing_rad), -math.sin(tilt_rad)
    rest = 1.0 - ax * ax - ay * ay
    if rest <= 0.0:
        raise GeometryError("tilt and swing together must lean the lens by less than 90 degrees")
    return ax, ay, math.sqrt(rest)
