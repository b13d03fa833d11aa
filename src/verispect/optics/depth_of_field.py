"""What is acceptably sharp in depth: limits along any ray, and the focus and stop that hold two limits."""

from __future__ import annotations

import math

import numpy as np

from verispect.optics.blur import blur_axes_mm
from verispect.optics.conjugates import image_distance_for_object_mm, object_for_image_distance_mm
from verispect.optics.lens_state import LensState, depth_planes, plane_of_sharp_focus
from verispect.optics.types import Floats

# A span is parted into so many at once, so often: together finer than a number is kept.
_PARTS, _ROUNDS = 1024, 5


def limits_along_ray_mm(direction: Floats, state: LensState, allowed_blur_mm: float) -> tuple[float, float, float]:
    """Near limit, plane and far limit along a ray from the front principal point.

    Parameters
    ----------
    direction : ndarray, shape (3,)
        In the camera's frame, forward component > 0; need not be a unit vector.

    Returns
    -------
    near, plane, far : float
        Distances along the ray in mm; infinite where the ray never gets there. All infinite where the ray
        runs away from the plane and even the farthest point of it is too soft.

    Notes
    -----
    On the exact blur figure, by parting of 1/distance between the plane and the wedge's face and beyond:
    the wedge of two planes (docs/derivations/blur.md, 6) is exact for an untilted lens only.
    """
    unit = np.asarray(direction, dtype=float) / np.linalg.norm(direction)
    closeness = float(plane_of_sharp_focus(state) @ unit)  # one over the distance of the plane
    faces = [float(face @ unit) for face in depth_planes(state, allowed_blur_mm)]
    nearest, farthest = max(faces), min(faces)
    near = _edge(unit, state, allowed_blur_mm, max(closeness, 0.0), nearest)
    far = _edge(unit, state, allowed_blur_mm, max(closeness, 0.0), farthest)
    if closeness <= 0.0 and _blur_at(unit, state, 0.0) > allowed_blur_mm:
        return math.inf, math.inf, math.inf
    return _distance(near), _distance(closeness), _distance(far)


def image_limits_mm(state: LensState, allowed_blur_mm: float) -> tuple[float, float]:
    """Image distances of what is just sharp beyond and before the focus; the second infinite where none is too near.

    v(1 ∓ κ) from the exit pupil, κ = c/(p D) (docs/derivations/blur.md, 6): exact for a straight lens.
    """
    exit_mm = state.focal_mm * (1.0 - state.pupil_magnification) * state.axis[2]
    kappa = allowed_blur_mm * state.f_number / (state.pupil_magnification * state.focal_mm)
    v = state.image_distance_mm
    nearer = (v - kappa * exit_mm) / (1.0 - kappa) if kappa < 1.0 else math.inf
    return (v + kappa * exit_mm) / (1.0 + kappa), nearer


def _edge(unit: Floats, state: LensState, allowed_mm: float, inside: float, guess: float) -> float:
    """Closeness at which the blur reaches what is allowed, on the side of `guess`."""
    step = guess - inside
    if step == 0.0:
        return inside
    outside = inside + 2.0 * step
    if step < 0.0 and outside <= 0.0:
        outside = 0.0
        if _blur_at(unit, state, 0.0) <= allowed_mm:
            return 0.0
    nearest = 1.0 / (1.02 * state.focal_mm / max(float(np.dot(unit, state.axis)), 1e-3))
    while _blur_at(unit, state, outside) < allowed_mm:
        outside = inside + 2.0 * (outside - inside)
        if outside >= nearest:
            return nearest
    for _ in range(_ROUNDS):
        tried = np.linspace(inside, outside, _PARTS + 1)
        soft = _blurs_at(unit, state, tried[1:]) > allowed_mm
        first = int(np.argmax(soft)) if soft.any() else _PARTS - 1
        inside, outside = float(tried[first]), float(tried[first + 1])
    return inside


def _blur_at(unit: Floats, state: LensState, closeness: float) -> float:
    return float(_blurs_at(unit, state, np.array([closeness]))[0])


def _blurs_at(unit: Floats, state: LensState, closeness: Floats) -> Floats:
    return blur_axes_mm(unit / np.maximum(closeness, 1e-12)[:, None], state)[0]


def _distance(closeness: float) -> float:
    return 1.0 / closeness if closeness > 1e-12 else math.inf


def focus_and_stop_for_limits(
    *, near_mm: float, far_mm: float, focal_mm: float, circle_mm: float, pupil_magnification: float = 1.0
) -> tuple[float, float]:
    """The focus distance and f-number that just hold a near and a far limit, untilted, by the disc rule.

    Parameters
    ----------
    near_mm, far_mm : float
        From the front principal point along the axis; far may be infinite.

    Returns
    -------
    focus_mm, f_number : float

    Notes
    -----
    From the exit pupil, y = v − f(1 − p): y_near/y_far = (1 + κ)/(1 − κ), κ = c N/(p f)
    (docs/derivations/series.md). In the object space of a thin lens the focus is the harmonic mean.

    Examples
    --------
    >>> focus, stop = focus_and_stop_for_limits(near_mm=2000, far_mm=6000, focal_mm=50, circle_mm=0.03)
    >>> round(focus), round(stop, 2)
    (3000, 14.12)
    """
    exit_mm = focal_mm * (1.0 - pupil_magnification)
    y_near = image_distance_for_object_mm(object_mm=near_mm, focal_mm=focal_mm) - exit_mm
    y_far = image_distance_for_object_mm(object_mm=far_mm, focal_mm=focal_mm) - exit_mm
    kappa = (y_near - y_far) / (y_near + y_far)
    y = 2.0 * y_near * y_far / (y_near + y_far)
    focus = object_for_image_distance_mm(image_mm=y + exit_mm, focal_mm=focal_mm)
    return focus, kappa * pupil_magnification * focal_mm / circle_mm
