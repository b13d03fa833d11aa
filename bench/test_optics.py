"""design targets: a million blur ellipses ≤ 0.25 s, a million wave contrasts ≤ 0.3 s, on one core."""

from __future__ import annotations

import math

import numpy as np

from verispect.optics.blur import blur_axes_mm
from verispect.optics.criterion import Criterion
from verispect.optics.lens_state import LensState, axis_from_tilt_and_swing

STATE = LensState(24.0, 8.0, 24.3, axis_from_tilt_and_swing(tilt_rad=math.radians(5), swing_rad=math.radians(1)), 1.5)


def test_million_blur_ellipses(benchmark) -> None:
    rng = np.random.default_rng(0)
    points = rng.uniform(-3000, 3000, (1_000_000, 3))
    points[:, 2] = rng.uniform(1000, 50_000, 1_000_000)
    long, _ = benchmark.pedantic(blur_axes_mm, args=(points, STATE), rounds=5, warmup_rounds=1)
    assert long.shape == (1_000_000,)


def test_million_wave_contrasts(benchmark) -> None:
    blur = np.random.default_rng(0).uniform(0.0, 0.05, 1_000_000)
    criterion = Criterion("wave", 71.6, 0.2, 0.00436, 550.0)
    found = benchmark.pedantic(criterion.contrast, args=(blur, 8.0), rounds=5, warmup_rounds=1)
    assert found.shape == blur.shape
