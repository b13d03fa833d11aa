"""How a picture lies in its file, against Pillow's own turning by Exif (CIPA DC-008)."""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image, ImageOps

from verispect.files.orientation import laid_back, size_upright, upright


@pytest.mark.parametrize("orientation", range(1, 9))
def test_every_orientation_is_turned_as_pillow_turns_it_and_back(orientation: int) -> None:
    stored = np.random.default_rng(1).integers(0, 255, (5, 8, 3), np.uint8)
    picture = Image.fromarray(stored)
    picture.getexif()[274] = orientation
    outside = np.asarray(ImageOps.exif_transpose(picture))
    for pixels in (stored, stored.astype(np.uint16) * 257):
        found = upright(pixels, orientation)
        assert np.array_equal(found.astype(np.uint8), outside)
        assert found.dtype == pixels.dtype
        assert np.array_equal(laid_back(found, orientation), pixels)
    assert size_upright((8, 5), orientation) == outside.shape[1::-1]


def test_what_is_no_orientation_turns_nothing() -> None:
    stored = np.zeros((2, 3, 3), np.uint8)
    assert upright(stored, 0) is stored
    assert upright(stored, 77) is stored
