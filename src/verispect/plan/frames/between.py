"""What lies between two frames: how one would have to be focused to be so, and what neither holds."""

from __future__ import annotations

import math

from verispect.plan.frames.exposure import Exposure

# Cameras that lie no farther apart along the view, mm, stand at one place.
_STILL_MM = 1e-6


def closeness_per_mm(exposure: Exposure) -> float:
    """One over how far ahead of its front principal point a frame is focused; below nought beyond infinity."""
    state = exposure.state
    return state.axis[2] / state.focal_mm - 1.0 / state.image_distance_mm


def blur_per_defocus(exposure: Exposure) -> float:
    """Blur per mm of defocus on the axis: the pupil's width over its distance, the image's side."""
    state = exposure.state
    width = state.focal_mm / state.f_number * state.pupil_magnification
    return width / (state.image_distance_mm - state.focal_mm * (1.0 - state.pupil_magnification))


def focused_from(exposure: Exposure, other: Exposure) -> tuple[float, float]:
    """At which image distance `other` would be focused on what `exposure` is focused on, and how that goes on.

    From one place with one focal length its own image distance, and 1. On a rail the camera moves, and a lens that
    focuses internally has another focal length: what is z before the one is z + a before the other, and sharp at v′,
    1/v′ = 1/f′ − 1/(z + a). The second figure is how many mm `exposure` gets out of focus where `other` does by one,
    (v/v′)²((z + a)/z)².

    Returns
    -------
    (float, float)
        Image distance in mm (not a number where `other` cannot be focused there), and that ratio.
    """
    image, focal = exposure.state.image_distance_mm, exposure.state.focal_mm
    ahead = 1000.0 * float((exposure.position_m - other.position_m) @ other.pose.forward)
    if abs(ahead) < _STILL_MM and focal == other.state.focal_mm:
        return image, 1.0
    closeness = closeness_per_mm(exposure)
    nearer = 1.0 + closeness * ahead
    left = other.state.axis[2] / other.state.focal_mm - closeness / nearer if nearer > 0.0 else 0.0
    if left <= 0.0:
        return math.nan, 1.0
    return 1.0 / left, (image * left * nearer) ** 2


def blur_between(first: Exposure, second: Exposure) -> tuple[float, float]:
    """The least blur, in mm, that two frames of one place leave somewhere between what they are focused on.

    From the exit pupil, y = v − f(1 − p)n: blur is D|y₁/y − 1| in the one, D′|y₂/y − 1| in the other.

    Returns
    -------
    (float, float)
        That blur, and the image distance of the first at which it is; not numbers where the first cannot be
        focused on what the second is.
    """
    state = first.state
    exit_mm = state.focal_mm * (1.0 - state.pupil_magnification) * state.axis[2]
    focused, ratio = focused_from(second, first)
    y1, y2 = state.image_distance_mm - exit_mm, focused - exit_mm
    wide, other = blur_per_defocus(first) * y1, blur_per_defocus(second) * ratio * y2
    between = (wide * y1 + other * y2) / (wide + other)
    return wide * abs(y1 / between - 1.0), between + exit_mm
