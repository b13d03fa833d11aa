"""The motion that frames lost to, planted in pictures of noise by an even blur along a line."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.prove.shake.test_swing import moved_as
from verispect.prove.shake.even_motion import even_motion
from verispect.prove.shake.tile_powers import sector_powers


@pytest.mark.parametrize(("length", "direction"), [(3.0, 0.0), (4.5, 63.0), (6.5, 137.0)])
@pytest.mark.parametrize("defocus", [0.0, 1.2])
def test_length_and_direction_are_found(length: float, direction: float, defocus: float) -> None:
    """Also where the frame that is held against it is softer in all directions."""
    rng = np.random.default_rng(4)
    sharp = cv2.GaussianBlur(rng.normal(0.5, 0.2, (600, 800)).astype(np.float32), (0, 0), 0.8)
    other = cv2.GaussianBlur(sharp, (0, 0), defocus) if defocus else sharp

    def seen(picture: np.ndarray) -> np.ndarray:
        return sector_powers((picture + rng.normal(0.0, 0.001, picture.shape)).astype(np.float32))

    left, found = even_motion([seen(moved_as(sharp, length, direction)) - seen(other)])
    assert found.length_px == pytest.approx(length, rel=0.08)
    assert abs((found.direction_deg - direction + 90.0) % 180.0 - 90.0) < 4.0
    _, unmoved = even_motion([seen(sharp) - seen(sharp)])
    assert unmoved.length_px < 1.3
    assert left < 0.3
