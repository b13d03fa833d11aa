"""How surely a method holds: seeded draws of every figure that carries a ±.

A ± is read as two standard deviations of a normal distribution: 19 times in 20 the truth lies within.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from verispect.kit.lens import Lens
from verispect.optics.blur import bend_mm, blur_of_many_states_mm, height_mm
from verispect.optics.criterion import Rule
from verispect.optics.types import Bools, Floats, Indices
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.rendering import on_sensor, residual_mm
from verispect.plan.methods.candidate import Candidate, Confidence
from verispect.plan.scene.scene import Scene
from verispect.subject.camera import Camera

DRAWS = 1000
SEED = 1
_SIGMAS = 2.0
# Draws times marks taken at once, to spare memory.
_AT_ONCE = 2_000_000
# Of an area so many of the softest points are drawn.
_OF_AN_AREA = 24
# What a camera may be off in, once for all frames, and a lens.
_CAMERA = ("height_plus_minus_m", "bearing_plus_minus_deg", "pitch_plus_minus_deg", "roll_plus_minus_deg")
_LENS = (
    "tilt_plus_minus_deg", "focus_plus_minus_mm", "focal_plus_minus_percent", "stop_plus_minus_stops",
    "pupil_plus_minus",
)  # fmt: skip


def confidence(
    candidate: Candidate, *, draws: int = DRAWS, seed: int = SEED, even_of_the_lens_alone: bool = False
) -> Confidence | None:
    """Draw the figures of a method anew and look at the musts; None where nothing carries a ± or nothing fits.

    What nobody measured of the lens (curvature of field, focus shift) is drawn as lenses of its kind usually are;
    where nothing else carries a ±, only if it is asked for.
    """
    if candidate.rendering is None or candidate.criterion is None or candidate.lens is None:
        return None
    if not even_of_the_lens_alone and not _is_unsure(candidate.scene, candidate.lens.lens):
        return None
    rng = np.random.default_rng(seed)
    marks = _looked_at(candidate)
    most = max(1, _AT_ONCE // max(len(marks), 1))
    parts = [_softness(candidate, marks, min(most, draws - start), rng) for start in range(0, draws, most)]
    softness = np.concatenate(parts)
    sharp: Bools = softness <= 1.0
    return Confidence(
        holds=0.0 if candidate.lost_marks or candidate.beside else float(np.mean(np.all(sharp, axis=1))),
        each=np.mean(sharp, axis=0),
        softness_95=np.quantile(softness, 0.95, axis=0, method="higher"),
        points=marks,
    )


def _looked_at(candidate: Candidate) -> Indices:
    """The deciding marks, and of each area its softest points."""
    scene, rendering = candidate.scene, candidate.rendering
    marks = np.flatnonzero(scene.deciding)
    if scene.mark_count == len(scene.names) or rendering is None:
        return marks
    softness = np.nan_to_num(rendering.softness, posinf=1e9)
    found = [marks[marks < scene.mark_count]]
    for index in range(len(scene.areas)):
        mine = marks[scene.group[marks] == scene.mark_count + index]
        found.append(np.sort(mine[np.argsort(-softness[mine], kind="stable")[:_OF_AN_AREA]]))
    return np.concatenate(found)


def _is_unsure(scene: Scene, lens: Lens) -> bool:
    deciding = scene.deciding
    of_marks = (scene.plus_minus_m, scene.plus_minus_side_m, scene.plus_minus_speed_mm_s)
    return (
        any(bool(np.any(part[deciding])) for part in of_marks)
        or any(getattr(scene.plan.camera, key) > 0.0 for key in _CAMERA)
        or any(getattr(lens, key) > 0.0 for key in _LENS)
        or any(row.plus_minus_um > 0.0 for row in lens.field_curvature)
        or any(row.plus_minus_um > 0.0 for row in lens.focus_shift)
        or any(row.plus_minus_um > 0.0 for row in lens.residual)
        or (scene.plan.light.ev100_plus_minus > 0.0 and bool(np.any(scene.speeds_mm_s[deciding])))
    )


@dataclass(frozen=True)
class _Drawn:
    """What is drawn once for all frames; shapes (S, 1) unless said otherwise.

    Attributes
    ----------
    world_m : ndarray, shape (S, K, 3)
        The marks as they lie before the camera as planned.
    tilts_rad : ndarray, shape (S, 2)
    focal, stop, pupil : ndarray
        Factors on the focal length, the f-number and the pupil magnification.
    smear : ndarray, shape (S, K) or (S, 1)
        Factor on the path that moves during an exposure.
    curvature, shift : ndarray
        Of their ± (two standard deviations), what the corner's and the middle's best focus is off.
    residual : ndarray
        Of its ±, what the lens's own blur is off.
    """

    world_m: Floats
    tilts_rad: Floats
    focal: Floats
    stop: Floats
    pupil: Floats
    smear: Floats
    curvature: Floats
    shift: Floats
    residual: Floats


def _softness(candidate: Candidate, marks: Indices, draws: int, rng: np.random.Generator) -> Floats:
    """Softness (draws, K) of the marks, each from the exposure that shows it best in that draw."""
    scene, criterion, rendering = candidate.scene, candidate.criterion, candidate.rendering
    assert criterion is not None
    assert rendering is not None
    drawn = _draw(candidate, marks, draws, rng)
    best = np.full((draws, len(marks)), np.inf)
    for exposure in candidate.exposures:
        blur, working = _blur_and_working(exposure, drawn, scene.plan.kit.body.diagonal_mm, rng)
        softness = _read(candidate, exposure, marks, drawn, blur, working)
        # A mark that no frame shows is looked at wherever it would fall, as the weighing does.
        seen = _inside(exposure, drawn.world_m, scene.plan.sensor_mm) | ~rendering.inside[marks]
        best = np.minimum(best, np.where(seen, softness, np.inf))
    return best


def _draw(candidate: Candidate, marks: Indices, draws: int, rng: np.random.Generator) -> _Drawn:
    scene = candidate.scene
    assert candidate.lens is not None
    lens, light = candidate.lens.lens, scene.plan.light

    def normal(plus_minus: float, *shape: int) -> Floats:
        """Draws about 0; nothing is asked of the generator for what is sure."""
        if plus_minus == 0.0:
            return np.zeros((draws, *shape))
        return plus_minus / _SIGMAS * rng.standard_normal((draws, *shape))

    world = _as_placed(scene, _marks_drawn(scene, marks, draws, rng), normal)
    # A stop is an area: half a stop more makes the f-number 2^(1/4) larger.
    stop = 2.0 ** (0.5 * normal(lens.stop_plus_minus_stops, 1))
    smear = 2.0 ** -normal(light.ev100_plus_minus, 1)
    unsure = scene.plus_minus_speed_mm_s[marks]
    if np.any(unsure):
        speeds = scene.speeds_mm_s[marks]
        drawn = np.maximum(speeds + unsure / _SIGMAS * rng.standard_normal((draws, len(marks))), 0.0)
        smear = smear * np.where(speeds > 0.0, drawn / np.where(speeds > 0.0, speeds, 1.0), 1.0)
    # From a stream of its own: the other draws stay what they were.
    curvature, shift = rng.spawn(1)[0].standard_normal((2, draws, 1)) / _SIGMAS
    residual = rng.spawn(1)[0].standard_normal((draws, 1)) / _SIGMAS
    return _Drawn(
        world_m=world,
        # The tilt is set once for all frames; the focus anew for each.
        tilts_rad=np.radians(normal(lens.tilt_plus_minus_deg, 2)),
        focal=1.0 + normal(lens.focal_plus_minus_percent / 100.0, 1),
        stop=stop,
        pupil=np.maximum(1.0 + normal(lens.pupil_plus_minus / lens.pupil_magnification, 1), 0.1),
        smear=smear,
        curvature=curvature,
        shift=shift,
        residual=residual,
    )


def _marks_drawn(scene: Scene, marks: Indices, draws: int, rng: np.random.Generator) -> Floats:
    """Places (draws, K, 3): nearer or farther along the line of sight, and aside of it."""
    offset = scene.world_m[marks] - scene.pose.pupil_m
    distance = np.linalg.norm(offset, axis=1)
    spread = scene.plus_minus_m[marks] / _SIGMAS
    # An area is off as a whole.
    groups, own = np.unique(scene.group[marks], return_inverse=True)
    drawn = np.maximum(distance + spread * rng.standard_normal((draws, len(groups)))[:, own], 0.02 * distance)
    world: Floats = scene.pose.pupil_m + (offset / distance[:, None]) * drawn[..., None]
    aside = scene.plus_minus_side_m[marks] / _SIGMAS
    if np.any(aside):
        across, up = aside[:, None] * rng.standard_normal((2, draws, len(marks), 1))
        world = world + across * scene.pose.right + up * scene.pose.up
    return world


def _as_placed(scene: Scene, world_m: Floats, normal: Callable[..., Floats]) -> Floats:
    """The marks (draws, K, 3) as they lie before a camera whose height and angles are a little off, once a draw."""
    camera: Camera = scene.plan.camera
    if not any(getattr(camera, key) > 0.0 for key in _CAMERA):
        return world_m
    rise = np.array([0.0, 1.0, 0.0]) * normal(camera.height_plus_minus_m, 1, 1)
    seen = scene.pose.to_camera_mm(world_m - rise)
    right, up, away = np.moveaxis(seen, -1, 0)
    # Small turns about the camera's own axes, one after the other.
    for key, pair in (("bearing", "right"), ("pitch", "up"), ("roll", "turn")):
        angle = np.radians(normal(getattr(camera, f"{key}_plus_minus_deg"), 1))
        cos, sin = np.cos(angle), np.sin(angle)
        if pair == "right":
            right, away = right * cos - away * sin, away * cos + right * sin
        elif pair == "up":
            up, away = up * cos - away * sin, away * cos + up * sin
        else:
            right, up = right * cos - up * sin, up * cos + right * sin
    return scene.pose.to_world_m(np.stack([right, up, away], axis=-1))


def _blur_and_working(
    exposure: Exposure, drawn: _Drawn, diagonal_mm: float, rng: np.random.Generator
) -> tuple[Floats, Floats]:
    """Long axes (S, K) and working f-numbers (S, 1).

    A lens of another focal length than was thought is focused on the same place, as one does by eye or by
    its scale; what the focus itself is off comes on top.
    """
    state, lens = exposure.state, exposure.lens.lens
    unsure = lens.focus_plus_minus_mm / _SIGMAS
    off = unsure * rng.standard_normal((len(drawn.world_m), 1)) if unsure else np.zeros((len(drawn.world_m), 1))
    sines = np.asarray(state.axis[:2]) + (drawn.tilts_rad if np.hypot(*state.axis[:2]) > 1e-9 else 0.0)
    sines = np.broadcast_to(sines, (len(drawn.world_m), 2))
    ahead = np.sqrt(1.0 - np.sum(sines**2, axis=1, keepdims=True))
    focal, pupil = state.focal_mm * drawn.focal, state.pupil_magnification * drawn.pupil
    axial = state.image_distance_mm / state.axis[2]
    # On the axis 1/u = 1/f − 1/v stays.
    image = state.axis[2] / (1.0 / focal - (1.0 / state.focal_mm - 1.0 / axial)) + off
    points = exposure.pose.to_camera_mm(drawn.world_m)
    pupil_ahead = focal * (1.0 - 1.0 / pupil)
    if np.any(pupil_ahead):
        points = points + (pupil_ahead * np.concatenate([sines, ahead], axis=1))[:, None, :]
    f_number = state.f_number * drawn.stop
    blur = blur_of_many_states_mm(
        points,
        focal_mm=focal,
        f_number=f_number,
        pupil_magnification=pupil,
        image_distance_mm=image,
        sines=sines[:, None, :],
        bend_mm=bend_mm(points, state) + _unknown_bend_mm(exposure, drawn, points, diagonal_mm),
    )
    return blur, f_number * (1.0 + (image / focal - 1.0) / pupil)


def _unknown_bend_mm(exposure: Exposure, drawn: _Drawn, points_mm: Floats, diagonal_mm: float) -> Floats:
    """What of the lens's best focus is not known, as drawn, shape (S, K); the corner's with the height's square."""
    state = exposure.state
    corner, axis = exposure.lens.bend_plus_minus_mm(state.f_number, diagonal_mm)
    share = np.minimum(height_mm(points_mm, state) / (0.5 * diagonal_mm), 1.0)
    off: Floats = drawn.curvature * corner * share**2 + drawn.shift * axis
    return off


def _read(
    candidate: Candidate, exposure: Exposure, marks: Indices, drawn: _Drawn, blur_mm: Floats, working: Floats
) -> Floats:
    """Softness (S, K) by the rule in force, with motion and the lens's own blur."""
    scene, criterion, rendering = candidate.scene, candidate.criterion, candidate.rendering
    assert criterion is not None
    assert rendering is not None
    state = exposure.state
    speeds = scene.speeds_mm_s[marks]
    unsure = exposure.lens.residual_plus_minus_mm(state.f_number)
    as_set = unsure == 0.0 and all(
        bool(np.all(part == 1.0)) for part in (drawn.stop, drawn.focal, drawn.pupil, drawn.smear)
    )
    plain = not np.any(speeds) and not exposure.lens.lens.residual
    if plain or (as_set and criterion.rule != Rule.ROOT_SUM):
        allowed = np.where((speeds > 0.0) | bool(exposure.lens.lens.residual), rendering.allowed_mm[marks],
                           exposure.allowed_blur_mm)  # fmt: skip
        return criterion.softness(blur_mm, working, 0.0, allowed if as_set else criterion.allowed_blur_mm(working))
    depth = exposure.pose.to_camera_mm(scene.world_m[marks])[:, 2]
    # A smaller stop than was thought is not exposed longer: the time was set.
    run = scene.path_mm(exposure.shutter_s, marks)
    path = run * state.image_distance_mm / np.maximum(depth, state.focal_mm) * drawn.smear
    residual = residual_mm(scene, exposure, marks)
    if unsure:
        residual = np.maximum(residual + unsure * drawn.residual, 0.0)
    allowed = criterion.allowed_blur_mm(working, path, residual)
    return criterion.softness(blur_mm, working, path, allowed, residual)


def _inside(exposure: Exposure, world_m: Floats, sensor_mm: tuple[float, float]) -> Bools:
    """Whether places fall on the sensor, give or take a tenth of it."""
    return on_sensor(exposure, world_m, 0.55 * np.asarray(sensor_mm))
