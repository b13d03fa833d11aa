"""The blur figure: the exact ellipse that a point out of focus leaves on the sensor.

The rim of the exit pupil is projected through the image point onto the sensor. A circle so projected is
a conic; its axes have a closed form (docs/derivations/blur.md), with no linearisation and valid for any
tilt and pupil magnification, and for points on either side of focus.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from verispect.optics.lens_state import LensState
from verispect.optics.types import Floats


@dataclass(frozen=True)
class PupilCone:
    """How fast the blur of each point grows with defocus: blur = |v − sharp_at_mm| · rate.

    Attributes
    ----------
    sharp_at_mm : ndarray, shape (...)
        Image distance v_i at which the point is sharp.
    long_rate, short_rate : ndarray, shape (...)
        Long and short axis of the ellipse in mm per mm of defocus along the sensor's normal.
    """

    sharp_at_mm: Floats
    long_rate: Floats
    short_rate: Floats


def pupil_cones(points_mm: Floats, state: LensState) -> PupilCone:
    """The cones of light from the exit pupil to each point's image.

    They do not depend on `state.image_distance_mm`, so one call serves a whole focus series.
    """
    terms = _terms(points_mm, state)
    with np.errstate(divide="ignore", invalid="ignore"):
        rate = np.abs(terms.beyond_focal) * terms.scale
        return PupilCone(
            sharp_at_mm=terms.image_depth / terms.beyond_focal,
            long_rate=rate * terms.long,
            short_rate=rate * terms.short,
        )


def blur_axes_mm(points_mm: Floats, state: LensState) -> tuple[Floats, Floats]:
    """Long and short axis of the blur ellipse on the sensor.

    Parameters
    ----------
    points_mm : ndarray, shape (..., 3)
        From the front principal point, in the camera's frame.
    state : LensState
        The lens as set.

    Returns
    -------
    long, short : ndarray, shape (...)
        Whole axes (diameters), mm. Infinite where the cone touches the sensor's own direction.

    Notes
    -----
    docs/derivations/blur.md, equations 3 to 5. For p = 1 and small pupils these are the singular values
    of (1 − v/v_Q)(I + Q nᵀ/v_Q) on the lens plane, times f/N.
    """
    terms = _terms(points_mm, state)
    defocus = np.abs(state.image_distance_mm * terms.beyond_focal - terms.image_depth) * terms.scale
    return defocus * terms.long, defocus * terms.short


def image_centres_mm(points_mm: Floats, state: LensState) -> Floats:
    """Where the middle ray of each point meets the sensor: (right, up) from the foot, shape (..., 2).

    The middle ray leaves the exit pupil's centre. The picture is upside down, as on the sensor.
    """
    axis = np.asarray(state.axis)
    beyond = points_mm @ axis - state.focal_mm
    exit_centre = -state.focal_mm * (1.0 - state.pupil_magnification) * axis
    # All image-side lengths are multiplied by `beyond`, so that a point at the focal length stays finite.
    image = -state.focal_mm * points_mm
    towards_pupil = exit_centre * beyond[..., None] - image
    image_depth = state.focal_mm * points_mm[..., 2]
    pupil_depth = -exit_centre[2] * beyond
    share = (state.image_distance_mm * beyond - image_depth) / (pupil_depth - image_depth)
    with np.errstate(divide="ignore", invalid="ignore"):
        centre: Floats = ((image + share[..., None] * towards_pupil) / beyond[..., None])[..., :2]
    # At the focal length itself the light is parallel: follow the ray from the pupil along it.
    parallel = beyond == 0.0
    if np.any(parallel):
        run = (state.image_distance_mm + exit_centre[2]) / points_mm[..., 2]
        centre[parallel] = (exit_centre - points_mm * run[..., None])[parallel][..., :2]
    return centre


def blur_of_many_states_mm(
    points_mm: Floats,
    *,
    focal_mm: Floats | float,
    f_number: Floats | float,
    pupil_magnification: Floats | float,
    image_distance_mm: Floats,
    sines: Floats,
    bend_mm: Floats | float = 0.0,
) -> Floats:
    """Long axes for states that differ in focus and movements, or in the lens itself, all at once.

    Parameters
    ----------
    points_mm : ndarray, shape (S, K, 3)
        From the front principal point.
    focal_mm, f_number, pupil_magnification : float or ndarray, shape (S, 1)
    image_distance_mm : ndarray, shape (S, 1)
    sines : ndarray, shape (S, 1, 2)
        The axis's components along right and up.

    Returns
    -------
    ndarray, shape (S, K)
    """
    ax, ay = sines[..., 0], sines[..., 1]
    terms = _tilted_terms(
        points_mm,
        (ax, ay, np.sqrt(1.0 - ax**2 - ay**2)),
        focal_mm=focal_mm,
        pupil_magnification=pupil_magnification,
        diameter_mm=pupil_magnification * focal_mm / f_number,
    )
    found: Floats = (
        np.abs((image_distance_mm - bend_mm) * terms.beyond_focal - terms.image_depth) * terms.scale * terms.long
    )
    return found


@dataclass(frozen=True)
class _Terms:
    beyond_focal: Floats  # a·P − f
    image_depth: Floats  # f n·P = v_i (a·P − f)
    scale: Floats | float  # exit pupil diameter over the ellipse's denominator
    long: Floats | float
    short: Floats | float


def _terms(points_mm: Floats, state: LensState) -> _Terms:
    """The parts of the closed form, all multiplied through by a·P − f so that nothing divides by it."""
    f, p = state.focal_mm, state.pupil_magnification
    ax, ay, az = state.axis
    z = points_mm[..., 2]
    diameter = p * f / state.f_number
    if ax != 0.0 or ay != 0.0:
        terms = _tilted_terms(points_mm, (ax, ay, az), focal_mm=f, pupil_magnification=p, diameter_mm=diameter)
        if state.bend is None:
            return terms
        # How wide the cone is changes by the bend over the image distance, a thousandth; where it ends decides.
        return replace(terms, image_depth=terms.image_depth + bend_mm(points_mm, state) * terms.beyond_focal)
    beyond = z - f
    image_depth = f * z
    if state.bend is not None:
        image_depth = image_depth + bend_mm(points_mm, state) * beyond
    width = f * (1.0 - p) * beyond - image_depth
    with np.errstate(divide="ignore"):
        return _Terms(beyond, image_depth, diameter / np.abs(width), 1.0, 1.0)


def bend_mm(points_mm: Floats, state: LensState) -> Floats:
    """How much farther from the lens each point (..., 3) is sharpest than through an ideal lens, shape (...)."""
    if state.bend is None:
        return np.zeros(points_mm.shape[:-1])
    return state.bend.away_mm(height_mm(points_mm, state), state.f_number)


def height_mm(points_mm: Floats, state: LensState) -> Floats:
    """Distance from the lens's axis at which each point (..., 3) is imaged, shape (...)."""
    axis = np.asarray(state.axis)
    along = points_mm @ axis
    across = np.linalg.norm(points_mm - along[..., None] * axis, axis=-1)
    # At infinity the image lies f·tan from the axis, nearer by so much more as it is drawn larger.
    height: Floats = state.focal_mm * across / np.maximum(np.abs(along - state.focal_mm), 1e-9)
    return height


def _tilted_terms(
    points_mm: Floats,
    axis: tuple[Floats | float, Floats | float, Floats | float],
    *,
    focal_mm: Floats | float,
    pupil_magnification: Floats | float,
    diameter_mm: Floats | float,
) -> _Terms:
    """The closed form for any axis, or for one axis a point where the parts of `axis` are arrays."""
    f, (ax, ay, az), diameter = focal_mm, axis, diameter_mm
    x, y, z = points_mm[..., 0], points_mm[..., 1], points_mm[..., 2]
    exit_ahead = f * (1.0 - pupil_magnification)
    image_depth = f * z
    lean = np.hypot(ax, ay)  # sine of the whole tilt; n·e2 = lean for the steepest pupil radius
    # e1 lies in both the lens's and the sensor's plane; e2 is the pupil radius that leans most to n,
    # f2 the direction in the sensor below e2. An axis without lean may take any.
    if np.ndim(lean) == 0 and lean > 0.0:
        tx, ty = ax / lean, ay / lean
    else:
        straight = lean == 0.0
        tx, ty = np.where(straight, 1.0, ax / np.where(straight, 1.0, lean)), ay / np.where(straight, 1.0, lean)
    beyond = ax * x + ay * y + az * z - f
    width = exit_ahead * az * beyond - image_depth
    d1 = f * (ty * x - tx * y)
    d2 = f * (-tx * x - ty * y) + exit_ahead * lean * beyond
    across = width * az + lean * d2
    reach2 = width**2 - (0.5 * diameter * lean * beyond) ** 2
    a11, a12 = across**2, across * d1 * lean
    a22 = (d1 * lean) ** 2 + reach2
    half_sum = 0.5 * (a11 + a22)
    root = np.sqrt(np.maximum(0.25 * (a11 - a22) ** 2 + a12**2, 0.0))
    big = half_sum + root
    with np.errstate(divide="ignore", invalid="ignore"):
        scale = np.where(reach2 > 0.0, diameter / reach2, np.inf)
        short = np.sqrt(np.maximum(a11 * reach2 / big, 0.0))
    return _Terms(beyond, image_depth, scale, np.sqrt(big), short)
