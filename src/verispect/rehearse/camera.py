"""The simulated camera: an exposure of a plan becomes a picture, with an account of what happened."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.blur import image_centres_mm
from verispect.optics.image_circle import circle_share
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.rendering import render as look
from verispect.plan.frames.shots import Shot
from verispect.plan.methods.candidate import Candidate
from verispect.rehearse import pupil_views
from verispect.rehearse.cards import draw_cards
from verispect.rehearse.faults import LASTING, Fault, FaultName, defocused, dusted, grains, knocked, shaken, turned
from verispect.rehearse.projection import Camera
from verispect.rehearse.pupil_views import FINE, Quality
from verispect.rehearse.scene_model import Model, build_model
from verispect.rehearse.sensor_noise import dim, exposed
from verispect.rehearse.wave_blur import diffracted

Picture = NDArray[np.float32]
# Ends of the tone scale: a dark frame lets through so little.
_COVERED = 2.0**-11
# Shots of one frame have noise of their own.
_SHOT_SEED = 100_003


@dataclass(frozen=True)
class Options:
    """How pictures are made.

    Attributes
    ----------
    pixels : (int, int) or None
        Width and height; None takes the body's.
    cards : bool
        Test cards in place of the scene, without noise and falloff.
    seed : int
    noise, falloff : bool
    quality : Quality
    """

    pixels: tuple[int, int] | None = None
    cards: bool = False
    seed: int = 1
    noise: bool = True
    falloff: bool = True
    quality: Quality = FINE


@dataclass(frozen=True)
class Taken:
    """One frame: its linear picture (None where it is missing), and what happened."""

    index: int
    exposure: Exposure
    picture: Picture | None
    happened: dict[str, Any] = field(default_factory=dict)


class Rehearsal:
    """Takes the frames of one method, one after the other; what they share is made once."""

    def __init__(self, candidate: Candidate, options: Options) -> None:
        self.candidate, self.options = candidate, options
        plan = candidate.scene.plan
        wide, high = _upright(options.pixels or plan.kit.body.pixels, plan.sensor_mm)
        self.pixels = (wide, high)
        # Square pixels that fill the sensor's width; a picture of another shape shows less or more of its height.
        self.pitch_mm = plan.sensor_mm[0] / wide
        self._model: Model | None = None

    @property
    def model(self) -> Model:
        """The scene's panels."""
        if self._model is None:
            self._model = build_model(self.candidate.scene, seed=self.options.seed)
        return self._model

    def take(
        self,
        index: int,
        faults: Sequence[Fault] = (),
        *,
        shot: Shot | None = None,
        progress: Callable[[float], None] | None = None,
        is_cancelled: Callable[[], bool] | None = None,
    ) -> Taken | None:
        """Take one frame, or one of its shots; None where it was cancelled. Faults befall the first shot."""
        shot = shot or Shot(index)
        if (
            shot.number == 0
            and self.candidate.number_of(index) > 1
            and any(fault.name is FaultName.DUPLICATE and fault.frame == index for fault in faults)
        ):
            return self._once_more(index, faults, progress, is_cancelled)
        if shot.number:
            faults = [fault for fault in faults if fault.name in LASTING]
        exposure, gain, happened, is_missing = self._befallen(shot.of(self.candidate.exposures), index, faults)
        gain *= 2.0**shot.stops
        happened |= _settings(exposure)
        if is_missing:
            return Taken(index, exposure, None, happened)
        camera = Camera(exposure, self.pixels, self.pitch_mm)
        model = None if self.options.cards else self._model_of(camera, happened)
        picture = self._light(camera, index, model, progress, is_cancelled)
        if picture is None:
            return None
        plain = self.options.cards
        if self.options.falloff and not plain:
            dim(picture, self._falloff(camera))
        if FaultName.WIND in happened:
            picture = shaken(picture, happened[FaultName.WIND], happened["wind_direction_deg"])
        if FaultName.DUST in happened:
            picture, happened["dust_px"] = dusted(
                picture,
                grains(round(happened[FaultName.DUST]), self.pixels, self.options.seed),
                working_f_number=exposure.state.working_f_number,
                pitch_mm=self.pitch_mm,
            )
        picture = exposed(
            picture,
            body=self.candidate.scene.plan.kit.body,
            pixel_mm=self.pitch_mm,
            gain=gain,
            seed=(self.options.seed, index + _SHOT_SEED * shot.number),
            noise=self.options.noise and not plain,
        )
        return Taken(index, exposure, picture, happened)

    def _once_more(
        self,
        index: int,
        faults: Sequence[Fault],
        progress: Callable[[float], None] | None,
        is_cancelled: Callable[[], bool] | None,
    ) -> Taken | None:
        """The frame before, written a second time in this one's place."""
        sequence = self.candidate.sequence
        before = self.take(sequence[sequence.index(index) - 1], faults, progress=progress, is_cancelled=is_cancelled)
        if before is None:
            return None
        return replace(before, index=index, happened={**before.happened, str(FaultName.DUPLICATE): 0.0})

    def _befallen(
        self, planned: Exposure, index: int, faults: Sequence[Fault]
    ) -> tuple[Exposure, float, dict[str, Any], bool]:
        """The exposure as it really is, the gain, and what is to be told."""
        exposure, gain, is_missing = planned, 1.0, False
        happened: dict[str, Any] = {}
        for fault in faults:
            # What lasts is there from then on, in whichever order the frames are taken.
            since = fault.name in LASTING and self.candidate.number_of(fault.frame) <= self.candidate.number_of(index)
            if fault.name is FaultName.TURN and since:
                exposure = turned(exposure, math.radians(fault.size), 0.0)
            elif fault.name is FaultName.DUST and since:
                happened[str(fault.name)] = happened.get(fault.name, 0.0) + fault.size
                continue
            elif fault.frame != index:
                continue
            elif fault.name is FaultName.KNOCK:
                exposure = knocked(exposure, fault.size, pitch_mm=self.pitch_mm, seed=self.options.seed + index)
            elif fault.name is FaultName.EXPOSURE:
                gain *= 2.0**fault.size
            elif fault.name is FaultName.MISSED_FLASH:
                gain *= 2.0 ** -abs(fault.size)
            elif fault.name is FaultName.DARK:
                gain *= _COVERED
            elif fault.name is FaultName.MISSING:
                is_missing = True
            elif fault.name is FaultName.MOVED:
                happened["moved_mark"] = self._mover(index)
            elif fault.name is FaultName.GUST:
                happened["gust_mark"] = self._mover(index)
            elif fault.name is FaultName.WIND:
                way = np.random.default_rng((self.options.seed, index)).uniform(0.0, 180.0)
                happened["wind_direction_deg"] = round(float(way), 3)
            else:
                exposure = defocused(exposure, fault.size)
            happened[str(fault.name)] = fault.size
        return exposure, gain, happened, is_missing

    def _mover(self, index: int) -> str:
        """What moves in a frame where something is to have moved: the first mark that it shows with a speed.

        Else the nearest that another frame shows as well, else that it shows; where it shows none the nearest of all.
        """
        scene, criterion = self.candidate.scene, self.candidate.criterion
        count = scene.mark_count
        shown = np.ones((len(self.candidate.exposures), count), bool)
        if criterion is not None:
            shown = np.array([look(scene, [one], criterion).inside[:count] for one in self.candidate.exposures])
        here = shown[index]
        moving = [
            mark.name for mark, sees in zip(scene.plan.marks, here, strict=True) if mark.speed_mm_s > 0 and sees
        ]
        if moving:
            return moving[0]
        several = here & (shown.sum(axis=0) > 1)
        some = next((those for those in (several, here) if those.any()), np.ones(count, bool))
        return scene.plan.marks[int(np.argmin(np.where(some, scene.depth_mm[:count], np.inf)))].name

    def _model_of(self, camera: Camera, happened: dict[str, Any]) -> Model:
        """The scene as it is in one frame: something may have moved, or move while the shutter is open."""
        found, exposure = self.model, camera.exposure
        for fault in (FaultName.MOVED, FaultName.GUST):
            name = happened.get(f"{fault}_mark")
            if name is None:
                continue
            number = next(k for k, mark in enumerate(self.candidate.scene.plan.marks) if mark.name == name)
            depth = float(exposure.pose.to_camera_mm(self.candidate.scene.world_m[number])[2])
            way_mm = abs(depth) * happened[fault] * self.pitch_mm / exposure.state.image_distance_mm
            change: dict[str, Any] = {"speed_mm_s": way_mm / exposure.shutter_s}
            panels = [
                replace(
                    panel,
                    **(change if fault is FaultName.GUST else
                       {"origin_m": panel.origin_m + way_mm / 1000.0 * exposure.pose.right}),
                ) if panel.placard == number else panel
                for panel in found.panels
            ]  # fmt: skip
            found = replace(found, panels=tuple(panels))
        return found

    def _light(
        self,
        camera: Camera,
        index: int,
        model: Model | None,
        progress: Callable[[float], None] | None,
        is_cancelled: Callable[[], bool] | None,
    ) -> Picture | None:
        scene = self.candidate.scene
        criterion = self.candidate.criterion
        assert criterion is not None
        wavelength = criterion.lights[len(criterion.lights) // 2][0]
        if self.options.cards:
            count = scene.mark_count
            seen = look(scene, [camera.exposure], criterion)
            return draw_cards(
                camera,
                scene.world_m[:count],
                residual_mm=seen.residual_mm[:count],
                smear_mm=seen.smear_mm[:count],
                wavelengths_mm=criterion.lights,
                is_cancelled=is_cancelled,
            )
        assert model is not None
        picture = pupil_views.render(
            model,
            camera,
            wavelength_mm=wavelength,
            seed=1_000_003 * self.options.seed + index,
            quality=self.options.quality,
            progress=progress,
            is_cancelled=is_cancelled,
        )
        if picture is None:
            return None
        return diffracted(
            picture, working_f_number=camera.exposure.state.working_f_number, wavelength_mm=wavelength,
            pitch_mm=self.pitch_mm,
        )  # fmt: skip

    def _falloff(self, camera: Camera) -> Picture:
        """Light that is left over the picture, 1 on the axis: the lens's own and the cosine's fourth power."""
        exposure = camera.exposure
        wide, high = self.pixels
        step = max(1, min(wide, high) // 64)
        columns, rows = np.meshgrid(np.arange(0, wide + step, step), np.arange(0, high + step, step))
        x0, y0 = exposure.sensor_centre_mm
        x = x0 - (columns - 0.5 * (wide - 1)) * self.pitch_mm
        y = y0 + (rows - 0.5 * (high - 1)) * self.pitch_mm
        circle = exposure.lens.circle_mm(self.candidate.scene.plan.kit.body.diagonal_mm)
        share = circle_share(np.stack([x, y], axis=-1), exposure.state, circle)
        left = 2.0 ** -exposure.lens.falloff_at(np.clip(share, 0.0, 1.2))
        small = np.asarray(left, np.float32)
        size = (small.shape[1] * step, small.shape[0] * step)
        whole = np.asarray(cv2.resize(small, size, interpolation=cv2.INTER_LINEAR), np.float32)
        found: Picture = whole[step // 2 : step // 2 + high, step // 2 : step // 2 + wide]
        return found

    def marks(self, taken: Taken) -> list[dict[str, Any]]:
        """Every mark in one frame: where it lies, its blur and its contrast, as `run.json` tells."""
        scene, criterion = self.candidate.scene, self.candidate.criterion
        assert criterion is not None
        camera = Camera(taken.exposure, self.pixels, self.pitch_mm)
        # Whatever the plan's own pixels are, these are the picture's.
        criterion = replace(criterion, pixel_mm=self.pitch_mm)
        rendering = look(scene, [taken.exposure], criterion)
        points = camera.to_lens_mm(scene.world_m[: scene.mark_count])
        centres = image_centres_mm(points, taken.exposure.state)
        found = []
        for k, name in enumerate(scene.names[: scene.mark_count]):
            column, row, _ = camera.to_pixel() @ np.array([*centres[k], 1.0])
            blur = [float(rendering.blur_long_mm[k]), float(rendering.blur_short_mm[k])]
            found.append(
                {
                    "name": name,
                    "pixel": [_finite(row), _finite(column)],
                    "blur_px": [_finite(part / self.pitch_mm) for part in blur],
                    "contrast": _finite(float(rendering.contrast[k])),
                    "softness": _finite(float(rendering.softness[k])),
                    "inside": bool(rendering.inside[k]),
                }
            )
        return found


def _upright(pixels: tuple[int, int], sensor_mm: tuple[float, float]) -> tuple[int, int]:
    """The body's pixels as the camera is held."""
    wide, high = max(pixels), min(pixels)
    return (wide, high) if sensor_mm[0] >= sensor_mm[1] else (high, wide)


def _finite(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _settings(exposure: Exposure) -> dict[str, Any]:
    """What the camera was really set to and where it looked."""
    forward = exposure.pose.forward
    return {
        "focal_mm": exposure.state.focal_mm,
        "f_number": exposure.state.f_number,
        "shutter_s": exposure.shutter_s,
        "focus_m": _finite(exposure.focus_m),
        "image_distance_mm": exposure.state.image_distance_mm,
        "bearing_deg": math.degrees(math.atan2(forward[0], forward[2])),
        "pitch_deg": math.degrees(math.asin(float(np.clip(forward[1], -1.0, 1.0)))),
        "right": exposure.pose.right.tolist(),
        "up": exposure.pose.up.tolist(),
        "forward": forward.tolist(),
    }
