"""Things that move while one frame is taken, planted in series of photographs that scikit-image carries."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.outside.test_shaken_scenes import FRAMES, bricks, motorcycle, series
from tests.prove.shake.test_swing import moved_as
from verispect.prove.shake.gust import gusts_in

STILL = [np.eye(3)] * FRAMES


@pytest.mark.parametrize("scene", [motorcycle, bricks])
def test_no_good_series_has_anything_that_moved(scene) -> None:
    assert gusts_in(series(scene, {}), STILL) == {}


def test_a_part_of_a_motorcycle_that_shook_is_told() -> None:
    frames = series(motorcycle, {})
    rows, columns = frames[0].shape
    round_about = np.zeros((rows, columns), np.float32)
    cv2.circle(round_about, (columns // 2, rows // 2), 70, 1.0, -1)
    frames[2] = round_about * moved_as(frames[2], 10.0, 40.0) + (1.0 - round_about) * frames[2]
    found = gusts_in(frames, STILL)
    assert set(found) == {2}
    assert np.hypot(found[2].row - rows / 2, found[2].column - columns / 2) < 70.0
    assert found[2].length_px == pytest.approx(10.0, rel=0.2)
    assert found[2].direction_deg == pytest.approx(40.0, abs=10.0)
