"""An independent ray trace of the contract's JSON: written from the contract alone, sharing no code.

It takes what `verispect weigh --json` prints and the plan file as plain dictionaries, traces rays from the
rim of the exit pupil of each exposure, and measures the blur figure, contrast and framing by itself. The
contrast is a sum over the pupil's overlap area by brute force, not the program's one-dimensional integral.
"""

from __future__ import annotations

import math
from functools import lru_cache
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
    x, y, open_pupil = _pupil_grid()
    overlap = ((x - shift) ** 2 + y**2 <= 1.0) & ((x + shift) ** 2 + y**2 <= 1.0)
    x, y = x[overlap], y[overlap]
    waves = blur_mm / (8.0 * working) / wavelength_mm
    plus = waves * ((x + shift) ** 2 + y**2)
    minus = waves * ((x - shift) ** 2 + y**2)
    return float(np.cos(2.0 * math.pi * (plus - minus)).sum() / open_pupil)


@lru_cache(maxsize=1)
def _pupil_grid(steps: int = 1200) -> tuple[np.ndarray, np.ndarray, int]:
    """Places of a grid over the upper half of the pupil, which is like the lower, and how many are within it."""
    edges = np.linspace(-1.0, 1.0, steps + 1)
    middles = 0.5 * (edges[1:] + edges[:-1])
    x, y = np.meshgrid(middles, middles[middles > 0.0])
    return x, y, int((x**2 + y**2 <= 1.0).sum())


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


def pupil_of(plan: dict[str, Any], exposure: dict[str, Any]) -> np.ndarray:
    """The entrance pupil in the world, m: f(1 − 1/p) before the front principal point along the lens's axis."""
    p = lens_of(plan, exposure["lens"]).get("pupil_magnification", 1.0)
    basis = np.array([exposure["right"], exposure["up"], exposure["forward"]])
    ahead = exposure["focal_mm"] * (1.0 - 1.0 / p) / 1000.0
    return np.array(exposure["position_m"]) + ahead * np.array(exposure["lens_axis"]) @ basis


def landed_mm(plan: dict[str, Any], exposure: dict[str, Any], directions: np.ndarray) -> np.ndarray:
    """Where middle rays from these directions (K, 3) meet the sensor, from its middle, (K, 2); nan from behind."""
    pupil, found = pupil_of(plan, exposure), np.full((len(directions), 2), np.nan)
    for k, direction in enumerate(directions):
        if direction @ np.array(exposure["forward"]) > 0.05:
            place = pupil + 50.0 * direction
            mark = dict(zip(("x_m", "y_m", "z_m"), place, strict=True))
            found[k] = rim_on_sensor(plan, exposure, mark, rays=1)[1] - np.array(exposure["sensor_centre_mm"])
    return found


def leaving(plan: dict[str, Any], exposure: dict[str, Any], places_mm: np.ndarray) -> np.ndarray:
    """Directions in the world (K, 3) that are seen at places (K, 2) of the sensor: the inverse of `landed_mm`."""
    f, v = exposure["focal_mm"], exposure["image_distance_mm"]
    p = lens_of(plan, exposure["lens"]).get("pupil_magnification", 1.0)
    tangents = -(places_mm + np.array(exposure["sensor_centre_mm"])) * p / (v - f * (1.0 - p))
    local = np.column_stack([tangents, np.ones(len(tangents))])
    world = local @ np.array([exposure["right"], exposure["up"], exposure["forward"]])
    return world / np.linalg.norm(world, axis=1, keepdims=True)


def shared(plan: dict[str, Any], first: dict[str, Any], second: dict[str, Any]) -> tuple[float, float]:
    """How much of the first frame the second shows too: of its width along its narrowest line, and of its area."""
    width, height = plan["kit"]["body"]["sensor_mm"]
    x, y = ((np.arange(60) + 0.5) / 60 - 0.5) * width, ((np.arange(20) + 0.5) / 20 - 0.5) * height
    columns, rows = np.meshgrid(x, y)
    off = landed_mm(plan, second, leaving(plan, first, np.column_stack([columns.ravel(), rows.ravel()])))
    with np.errstate(invalid="ignore"):
        across, up = np.abs(off[:, 0]) <= 0.5 * width, np.abs(off[:, 1]) <= 0.5 * height
    return float(across.reshape(len(y), len(x)).mean(axis=1).min()), float((across & up).mean())
