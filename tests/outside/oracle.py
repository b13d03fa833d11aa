"""An independent ray trace of the contract's JSON: written from the contract alone, sharing no code.

It takes what `verispect weigh --json` prints and the plan file as plain dictionaries, traces rays from the
rim of the exit pupil of each exposure, and measures the blur figure, contrast and framing by itself. The
contrast is a sum over the pupil's overlap area by brute force, not the program's one-dimensional integral.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np


def lens_of(plan: dict[str, Any], name: str) -> dict[str, Any]:
    return next(lens for lens in plan["kit"]["lenses"] if lens["name"] == name)


def seen_mm(exposure: dict[str, Any], mark: dict[str, Any]) -> np.ndarray:
    """The mark from the front principal point, in (right, up, forward), mm."""
    world = np.array([mark["x_m"], mark["y_m"], mark["z_m"]]) - np.array(exposure["position_m"])
    basis = np.array([exposure["right"], exposure["up"], exposure["forward"]])
    return basis @ world * 1000.0


def rim_on_sensor(plan: dict[str, Any], exposure: dict[str, Any], mark: dict[str, Any], rays: int = 720):
    """Where the rays of the exit pupil's rim meet the sensor, (rays, 2), and the middle ray."""
    f, n = exposure["focal_mm"], exposure["f_number"]
    p = lens_of(plan, exposure["lens"]).get("pupil_magnification", 1.0)
    axis = np.array(exposure["lens_axis"])
    point = seen_mm(exposure, mark)
    along = axis @ point
    across = point - along * axis
    # Gauss's equation along the axis, magnification across it.
    image_along = f * along / (along - f)
    image = -axis * image_along - across * image_along / along
    pupil = -axis * f * (1.0 - p)
    helper = np.array([0.3, 0.9, 0.1])
    first = np.cross(axis, helper)
    first /= np.linalg.norm(first)
    second = np.cross(axis, first)
    angle = np.linspace(0.0, 2.0 * math.pi, rays, endpoint=False)
    radius = p * f / (2.0 * n)
    rim = pupil + radius * (np.cos(angle)[:, None] * first + np.sin(angle)[:, None] * second)
    rim = np.vstack([rim, pupil])
    depth = -exposure["image_distance_mm"]
    share = (depth - image[2]) / (rim[:, 2] - image[2])
    hits = image + share[:, None] * (rim - image)
    return hits[:-1, :2], hits[-1, :2]


def blur_axes(hits: np.ndarray) -> tuple[float, float]:
    """Longest and shortest width of the figure."""
    angle = np.linspace(0.0, math.pi, 721)
    shadow = hits @ np.array([np.cos(angle), np.sin(angle)])
    width = shadow.max(axis=0) - shadow.min(axis=0)
    return float(width.max()), float(width.min())


def pupil_contrast(*, blur_mm: float, frequency: float, working: float, wavelength_mm: float) -> float:
    """Contrast of a defocused round pupil: its autocorrelation summed over a grid of the overlap."""
    shift = frequency * wavelength_mm * working  # half the shear, in pupil radii
    if shift >= 1.0:
        return 0.0
    steps = 1201
    x = np.linspace(-1.0, 1.0, steps)
    x = 0.5 * (x[1:] + x[:-1])
    grid_x, grid_y = np.meshgrid(x, x)
    overlap = ((grid_x - shift) ** 2 + grid_y**2 <= 1.0) & ((grid_x + shift) ** 2 + grid_y**2 <= 1.0)
    waves = blur_mm / (8.0 * working) / wavelength_mm
    plus = waves * ((grid_x + shift) ** 2 + grid_y**2)
    minus = waves * ((grid_x - shift) ** 2 + grid_y**2)
    open_pupil = grid_x**2 + grid_y**2 <= 1.0
    return float(np.cos(2.0 * math.pi * (plus - minus))[overlap].sum() / open_pupil.sum())


def working_f_number(plan: dict[str, Any], exposure: dict[str, Any]) -> float:
    p = lens_of(plan, exposure["lens"]).get("pupil_magnification", 1.0)
    return exposure["f_number"] * (1.0 + (exposure["image_distance_mm"] / exposure["focal_mm"] - 1.0) / p)


def total_contrast(plan: dict[str, Any], method: dict[str, Any], exposure: dict[str, Any], blur: float) -> float:
    """Contrast through pupil and pixel for one wavelength, of a mark that stands still."""
    frequency = method["criterion"]["frequency_cycles_per_mm"]
    body = plan["kit"]["body"]
    pixel = body["sensor_mm"][0] / body["pixels"][0]
    x = math.pi * frequency * pixel
    optics = pupil_contrast(
        blur_mm=blur,
        frequency=frequency,
        working=working_f_number(plan, exposure),
        wavelength_mm=plan["wish"]["wavelength_nm"] * 1e-6,
    )
    return optics * (math.sin(x) / x if x else 1.0)
