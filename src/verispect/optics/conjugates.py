"""Between the focusing scale and the image distance: conjugates, closest focus, depth limits."""

from __future__ import annotations

import math
from dataclasses import dataclass


@dataclass(frozen=True)
class DepthLimits:
    """Near and far limit of what is acceptable on the axis, metres; `far_m` may be infinite."""

    near_m: float
    far_m: float


def image_distance_for_object_mm(*, object_mm: float, focal_mm: float) -> float:
    """Image distance for an object distance, both from their principal points; infinity is allowed.

    Examples
    --------
    >>> image_distance_for_object_mm(object_mm=100.0, focal_mm=50.0)
    100.0
    """
    if math.isinf(object_mm):
        return focal_mm
    return focal_mm * object_mm / (object_mm - focal_mm)


def object_for_image_distance_mm(*, image_mm: float, focal_mm: float) -> float:
    """Object distance for an image distance along the axis; infinite at or inside the focal length."""
    if image_mm <= focal_mm:
        return math.inf
    return focal_mm * image_mm / (image_mm - focal_mm)


def scale_distance_m(*, image_mm: float, focal_mm: float, separation_mm: float) -> float:
    """What a distance scale reckoned from the sensor mark reads: object + image + separation."""
    conjugate = object_for_image_distance_mm(image_mm=image_mm, focal_mm=focal_mm)
    return (conjugate + image_mm + separation_mm) / 1000.0


def image_distance_for_scale_mm(*, scale_m: float, focal_mm: float, separation_mm: float) -> float:
    """Image distance when the scale, reckoned from the sensor mark, is set to `scale_m`.

    Below four focal lengths from object to image nothing can be focused: then life size, 2f, is returned.
    """
    if math.isinf(scale_m):
        return focal_mm
    spread = scale_m * 1000.0 - separation_mm - 2.0 * focal_mm
    if spread <= 2.0 * focal_mm:
        return 2.0 * focal_mm
    return focal_mm + 0.5 * (spread - math.sqrt(spread * spread - 4.0 * focal_mm * focal_mm))


def hyperfocal_mm(*, focal_mm: float, f_number: float, circle_mm: float) -> float:
    """Hyperfocal distance H = f²/(N c) + f from the front principal point (thin lens, disc rule).

    Focused there, everything from H/2 to infinity stays within c.
    """
    return focal_mm * focal_mm / (f_number * circle_mm) + focal_mm


def depth_limits(*, focus_mm: float, focal_mm: float, f_number: float, circle_mm: float) -> DepthLimits:
    """Near and far limit for a focus distance from the front principal point, untilted, p = 1.

    From the image side: limits are the conjugates of v(1 ± c/D), D = f/N.
    """
    v = image_distance_for_object_mm(object_mm=focus_mm, focal_mm=focal_mm)
    kappa = circle_mm * f_number / focal_mm
    near = object_for_image_distance_mm(image_mm=v / (1.0 - kappa), focal_mm=focal_mm)
    far = object_for_image_distance_mm(image_mm=v / (1.0 + kappa), focal_mm=focal_mm)
    return DepthLimits(near_m=near / 1000.0, far_m=far / 1000.0)
