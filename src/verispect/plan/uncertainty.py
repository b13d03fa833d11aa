"""How surely a method holds: seeded draws of every figure that carries a ±.

A ± is read as two standard deviations of a normal distribution: 19 times in 20 the truth lies within.
"""

from __future__ import annotations

import numpy as np

from verispect.optics.blur import blur_of_many_states_mm
from verispect.optics.types import Bools, Floats, Indices
from verispect.plan.candidate import Candidate, Confidence
from verispect.plan.exposure import Exposure
from verispect.plan.scene import Scene

DRAWS = 1000
SEED = 1
_SIGMAS = 2.0
# Draws times marks taken at once, to spare memory.
_AT_ONCE = 2_000_000


def confidence(candidate: Candidate, *, draws: int = DRAWS, seed: int = SEED) -> Confidence | None:
    """Draw the figures of a method anew and look at the musts; None where nothing carries a ± or nothing fits."""
    if candidate.rendering is None or candidate.criterion is None or candidate.lens is None:
        return None
    scene = candidate.scene
    spread_m = scene.plus_minus_m[scene.deciding]
    lens = candidate.lens.lens
    camera = scene.plan.camera
    unsure = (
        np.any(spread_m)
        or lens.tilt_plus_minus_deg
        or lens.focus_plus_minus_mm
        or camera.height_plus_minus_m
        or camera.pitch_plus_minus_deg
    )
    if not unsure:
        return None
    rng = np.random.default_rng(seed)
    marks = np.flatnonzero(scene.deciding)
    most = max(1, _AT_ONCE // max(len(marks), 1))
    parts = [_softness(candidate, marks, min(most, draws - start), rng) for start in range(0, draws, most)]
    softness = np.concatenate(parts)
    sharp: Bools = softness <= 1.0
    return Confidence(
        holds=float(np.mean(np.all(sharp, axis=1))),
        each=np.mean(sharp, axis=0),
        softness_95=np.quantile(softness, 0.95, axis=0, method="higher"),
    )


def _softness(candidate: Candidate, marks: Indices, draws: int, rng: np.random.Generator) -> Floats:
    """Softness (draws, K) of the marks, each from the exposure that shows it best in that draw."""
    scene, criterion = candidate.scene, candidate.criterion
    assert criterion is not None
    assert candidate.rendering is not None
    offset = scene.world_m[marks] - scene.pose.pupil_m
    distance = np.linalg.norm(offset, axis=1)
    spread = scene.plus_minus_m[marks] / _SIGMAS
    drawn = np.maximum(distance + spread * rng.standard_normal((draws, len(marks))), 0.02 * distance)
    world = _as_placed(scene, scene.pose.pupil_m + (offset / distance[:, None]) * drawn[..., None], rng)
    # The tilt is set once for all frames; the focus anew for each.
    tilts = (
        np.radians(candidate.exposures[0].lens.lens.tilt_plus_minus_deg) / _SIGMAS * rng.standard_normal((draws, 2))
    )
    best = np.full((draws, len(marks)), np.inf)
    allowed_of_mark = candidate.rendering.allowed_mm[marks]
    for exposure in candidate.exposures:
        blur = _blur(exposure, world, tilts, rng)
        # Motion and the lens's own blur leave a mark less; that hardly changes with its distance.
        less = (scene.speeds_mm_s[marks] > 0.0) | bool(exposure.lens.lens.residual)
        allowed = np.where(less, allowed_of_mark, exposure.allowed_blur_mm)
        if criterion.rule == "root-sum":
            softness = criterion.softness(blur, exposure.state.working_f_number)
        else:
            with np.errstate(invalid="ignore", divide="ignore"):
                softness = np.where(np.isnan(allowed), np.inf, blur / allowed)
        # A mark that no frame shows is looked at wherever it would fall, as the weighing does.
        seen = _inside(exposure, world, scene.plan.kit.body.sensor_mm) | ~candidate.rendering.inside[marks]
        best = np.minimum(best, np.where(seen, softness, np.inf))
    return best


def _as_placed(scene: Scene, world_m: Floats, rng: np.random.Generator) -> Floats:
    """The marks (draws, K, 3) as they lie before a camera whose height and pitch are a little off, once a draw."""
    camera = scene.plan.camera
    rise, turn = rng.standard_normal((2, len(world_m), 1)) / _SIGMAS
    if not (camera.height_plus_minus_m or camera.pitch_plus_minus_deg):
        return world_m
    seen = scene.pose.to_camera_mm(
        world_m - np.array([0.0, 1.0, 0.0]) * (camera.height_plus_minus_m * rise)[..., None]
    )
    angle = np.radians(camera.pitch_plus_minus_deg) * turn
    right, up, away = np.moveaxis(seen, -1, 0)
    turned = [right, up * np.cos(angle) - away * np.sin(angle), away * np.cos(angle) + up * np.sin(angle)]
    return scene.pose.to_world_m(np.stack(turned, axis=-1))


def _blur(exposure: Exposure, world_m: Floats, tilts_rad: Floats, rng: np.random.Generator) -> Floats:
    state, lens = exposure.state, exposure.lens.lens
    focus = lens.focus_plus_minus_mm / _SIGMAS * rng.standard_normal((len(world_m), 1))
    sines = np.asarray(state.axis[:2]) + (tilts_rad if np.hypot(*state.axis[:2]) > 1e-9 else 0.0 * tilts_rad)
    points = exposure.pose.to_camera_mm(world_m)
    if state.pupil_ahead_mm != 0.0:
        ahead = np.sqrt(1.0 - np.sum(sines**2, axis=1, keepdims=True))
        points = points + state.pupil_ahead_mm * np.concatenate([sines, ahead], axis=1)[:, None, :]
    return blur_of_many_states_mm(
        points,
        focal_mm=state.focal_mm,
        f_number=state.f_number,
        pupil_magnification=state.pupil_magnification,
        image_distance_mm=state.image_distance_mm + focus,
        sines=sines[:, None, :],
    )


def _inside(exposure: Exposure, world_m: Floats, sensor_mm: tuple[float, float]) -> Bools:
    """Whether places fall on the sensor, give or take a tenth of it; a mark's direction is taken as sure."""
    seen = exposure.pose.to_camera_mm(world_m)
    with np.errstate(divide="ignore", invalid="ignore"):
        place = -seen[..., :2] / seen[..., 2:] * exposure.state.image_distance_mm
    half = 0.55 * np.asarray(sensor_mm)
    off = np.abs(place - np.asarray(exposure.sensor_centre_mm))
    found: Bools = (seen[..., 2] > 0.0) & np.all(off <= half, axis=-1)
    return found
