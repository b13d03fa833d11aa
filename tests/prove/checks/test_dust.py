"""Dust planted on a plain frame is found where it is and as large as it is; and nowhere else."""

from __future__ import annotations

import numpy as np
import pytest
from skimage import data

from verispect.prove.checks.dust import Speck, is_plain, seen_on, specks_on

# Row, column, radius in pixels, depth.
PLANTED = [(100, 200, 9, 0.1), (300, 500, 4, 0.08), (420, 300, 2.5, 0.15), (60, 640, 6, 0.06), (380, 640, 11, 0.12)]


def ground(noise: float, seed: int = 1) -> np.ndarray:
    """Evenly lit, darker to the right, with photon-like noise."""
    even = 0.4 - 0.08 * np.linspace(0.0, 1.0, 720)[None] * np.ones((480, 1))
    return even + np.random.default_rng(seed).normal(0.0, noise, even.shape) * np.sqrt(even)


def dirty(picture: np.ndarray) -> np.ndarray:
    y, x = np.mgrid[0 : picture.shape[0], 0 : picture.shape[1]]
    for row, column, radius, depth in PLANTED:
        picture = picture * (1.0 - depth * np.clip(radius + 0.5 - np.hypot(y - row, x - column), 0.0, 1.0))
    return np.clip(picture, 1e-4, 1.0).astype(np.float32)


@pytest.mark.parametrize("noise", [0.004, 0.015])
def test_planted_dust_is_found_with_its_size_and_nothing_else(noise: float) -> None:
    found = specks_on(dirty(ground(noise)))
    assert len(found) == len(PLANTED)
    for row, column, radius, _ in PLANTED:
        near = [speck for speck in found if np.hypot(speck.pixel[0] - row, speck.pixel[1] - column) < 2.0]
        assert len(near) == 1
        assert near[0].radius_px == pytest.approx(radius, rel=0.25, abs=0.7)


@pytest.mark.parametrize("noise", [0.0, 0.01, 0.05])
def test_a_clean_frame_has_none(noise: float) -> None:
    assert specks_on(np.clip(ground(noise), 1e-4, 1.0).astype(np.float32)) == []


@pytest.mark.parametrize("name", ["coffee", "chelsea", "brick", "grass", "gravel"])
def test_pictures_of_things_tell_nothing_of_dust(name: str) -> None:
    """Photographs that the scikit-image package carries."""
    picture = getattr(data, name)()
    grey = (picture if picture.ndim == 2 else picture[..., 1]).astype(float) / 255.0
    light = np.asarray(grey**2.2, np.float32)
    assert not is_plain(light)
    assert specks_on(light) == []


def test_places_are_those_of_the_whole_picture() -> None:
    small = specks_on(dirty(ground(0.004)))
    whole = specks_on(dirty(ground(0.004)), divide=2)
    for a, b in zip(small, whole, strict=True):
        assert b.pixel == pytest.approx((2 * a.pixel[0] + 0.5, 2 * a.pixel[1] + 0.5), abs=0.51)
        assert b.radius_px == pytest.approx(2 * a.radius_px, abs=0.11)


def test_a_speck_on_two_frames_is_one() -> None:
    assert seen_on([[Speck((10, 10), 4.0), Speck((50, 9), 3.0)], [Speck((11, 9), 4.0)]]) == [
        (Speck((10, 10), 4.0), 2),
        (Speck((50, 9), 3.0), 1),
    ]
