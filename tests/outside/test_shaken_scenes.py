"""Shakes planted in focus series of real scenes: photographs that scikit-image carries, one with measured depth.

`skimage.data.stereo_motorcycle` (Middlebury 2014, disparities measured by structured light) is full of spokes, bars
and edges that come into focus frame by frame; on `brick` every edge runs along or across. Blur is by discs drawn
eight times as large, layer by layer, motion by the mean of shifted pictures: neither is the program's own.
"""

from __future__ import annotations

import numpy as np
import pytest
from skimage import data

from tests.prove.shake.test_shaken import as_jpeg, disc
from tests.prove.shake.test_swing import moved_as
from verispect.prove.shake.shaken import above_noise, powers_in, shaken_in

FRAMES, STEP_PX = 5, 3.0


def motorcycle() -> tuple[np.ndarray, np.ndarray]:
    picture, _, disparity = data.stereo_motorcycle()
    known = np.where(np.isfinite(disparity) & (disparity > 0.0), disparity, np.nan)
    known = np.nan_to_num(known, nan=float(np.nanmedian(known)))
    near, far = np.quantile(known, [0.98, 0.02])
    return picture.mean(axis=2), np.clip((known - far) / (near - far), 0.0, 1.0)


def bricks() -> tuple[np.ndarray, np.ndarray]:
    """A wall that runs away to the right."""
    picture = data.brick()
    return picture.astype(float), np.broadcast_to(np.linspace(0.0, 1.0, picture.shape[1]), picture.shape)


def series(scene, shakes: dict[int, tuple[float, float]]) -> list[np.ndarray]:
    picture, depth = scene()
    light = ((picture / 255.0) ** 2.2).astype(np.float32)
    layers = np.round(depth * STEP_PX * (FRAMES - 1))
    rng, frames = np.random.default_rng(5), []
    for k in range(FRAMES):
        shown, weight = np.zeros_like(light), np.full_like(light, 1e-6)
        for layer in np.unique(layers):
            mask = (layers == layer).astype(np.float32)
            blur = float(np.hypot(layer - k * STEP_PX, 0.7))
            shown, weight = shown + disc(light * mask, blur), weight + disc(mask, blur)
        frame = shown / weight
        if k in shakes:
            frame = moved_as(frame, *shakes[k])
        frames.append((frame + rng.normal(0.0, 0.002, frame.shape)).clip(0.0, 1.0).astype(np.float32))
    return frames


def told(frames: list[np.ndarray], *, compressed: bool = False) -> dict:
    return shaken_in(above_noise([powers_in(one, compressed=compressed) for one in frames]), compressed=compressed)


@pytest.mark.parametrize("scene", [motorcycle, bricks])
def test_no_good_frame_of_a_real_scene_is_accused(scene) -> None:
    still = series(scene, {})
    assert told(still) == {}
    assert told([as_jpeg(frame, 92) for frame in still], compressed=True) == {}


@pytest.mark.parametrize(
    ("scene", "shakes"),
    [(motorcycle, {2: (6.9, 140.0)}), (motorcycle, {1: (4.0, 25.0)}), (motorcycle, {0: (6.5, 60.0)}),
     (bricks, {2: (5.0, 30.0)}), (bricks, {1: (7.0, 0.0), 4: (6.0, 115.0)})],
)  # fmt: skip
def test_shaken_frames_of_a_real_scene_are_told(scene, shakes: dict[int, tuple[float, float]]) -> None:
    found = told(series(scene, shakes))
    assert set(found) == set(shakes)
    for number, (length, direction) in shakes.items():
        assert found[number].length_px == pytest.approx(length, rel=0.3)
        off = abs(found[number].direction_deg - direction)
        assert min(off, 180.0 - off) < 10.0
