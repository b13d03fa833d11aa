"""Converging verticals, and the level camera with a raised lens that takes the same picture with upright lines."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from verispect.kit.mounted_lens import focal_range, optic_at
from verispect.optics.image_circle import circle_reserve_mm, corner_points_mm
from verispect.optics.lens_state import LensState
from verispect.plan.document import Plan


@dataclass(frozen=True)
class Converging:
    """How upright edges at both sides of the picture lean towards one another.

    Attributes
    ----------
    degrees : float
        Between the left and the right edge; positive where they meet above.
    pixels : float
        By how much the picture is narrower at its top than at its bottom, in final pixels at the framing.
    """

    degrees: float
    pixels: float


def converging(plan: Plan) -> Converging:
    """Of a plan's camera as it is pitched; its roll leans both alike and is left out.

    An upright line through the tangent x at the picture's foot runs to the vanishing point (0, cot pitch).
    """
    pitch = math.radians(plan.camera.pitch_deg)
    framing = plan.framing_mm
    half = np.asarray(plan.picture_mm) / (2.0 * framing)
    middle_x, middle_y = plan.picture_centre
    if abs(pitch) < 1e-9:
        return Converging(0.0, 0.0)
    vanishing = 1.0 / math.tan(pitch)
    bottom, top = middle_y - half[1], middle_y + half[1]
    leans, narrowing = 0.0, 0.0
    for side in (-1.0, 1.0):
        x = middle_x + side * half[0]
        # The edge that stands at the side half-way up.
        slope = -x / (vanishing - middle_y)
        leans += side * math.degrees(math.atan(slope))
        narrowing += side * slope * (top - bottom)
    return Converging(-leans, -narrowing * framing / plan.kit.body.pixel_mm)


@dataclass(frozen=True)
class Upright:
    """One lens with which the level camera takes the same picture.

    Attributes
    ----------
    lens : str
    focal_mm : float
    rise_mm : float
        Of the lens; negative is fall.
    cross_mm : float
    reserve_mm : float
        How far the worst corner of what is used lies within the image circle.
    limit_mm : float
        How far it can shift.
    """

    lens: str
    focal_mm: float
    rise_mm: float
    cross_mm: float
    reserve_mm: float
    limit_mm: float

    @property
    def fits(self) -> bool:
        """Whether shift and image circle suffice."""
        return math.hypot(self.rise_mm, self.cross_mm) <= self.limit_mm + 1e-9 and self.reserve_mm >= -1e-6


def levelled_rise_mm(plan: Plan) -> float:
    """Rise at the framing focal length with which the level camera points the picture's middle where it is now."""
    camera = plan.camera
    middle = math.atan(plan.picture_centre[1])
    return plan.framing_mm * math.tan(math.radians(camera.pitch_deg) + middle)


def upright_options(plan: Plan) -> list[Upright]:
    """Every lens that sees the picture, with the camera level."""
    rise, cross = levelled_rise_mm(plan), plan.camera.cross_mm
    body, framing = plan.kit.body, plan.whole_focal_mm
    found = []
    for lens in plan.kit.lenses:
        shortest, longest = focal_range(lens)
        if shortest > framing * (1.0 + 1e-6):
            continue
        focal = min(framing, longest)
        optic = optic_at(lens, focal, back_shift_mm=body.back_shift_mm)
        ratio = focal / framing
        used = (plan.picture_mm[0] * ratio, plan.picture_mm[1] * ratio)
        region = (-cross * ratio, -rise * ratio)
        shifts = [
            math.copysign(max(abs(at) - 0.5 * (size - part), 0.0), at)
            for at, part, size in zip(region, used, plan.sensor_mm, strict=True)
        ]
        state = LensState(focal, float(optic.stops()[0]), focal, pupil_magnification=optic.pupil_magnification)
        corners = corner_points_mm(used, region)
        reserve = float(circle_reserve_mm(corners, state, optic.circle_mm(body.diagonal_mm)).min())
        found.append(Upright(lens.name, focal, -shifts[1], -shifts[0], reserve, optic.shift_mm))
    return found


def focal_for_width_mm(plan: Plan, *, width_m: float, distance_m: float) -> float:
    """The framing focal length at which the picture is this wide at a distance (thin lens, from the lens).

    f = s d / (w + s), with the picture's width s on the sensor.
    """
    sensor = plan.picture_mm[0]
    return sensor * distance_m * 1000.0 / (width_m * 1000.0 + sensor)
