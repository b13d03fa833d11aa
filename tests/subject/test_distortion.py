"""Distortion taken out, and the axis off the picture's middle, against dots drawn by the definition alone."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import ndimage

from verispect.subject.distortion import distorted, straightened
from verispect.subject.photograph import Photograph, level_from_verticals

SIZE = (600, 400)


def bent_dots(straight: np.ndarray, percent: float, axis=(199.5, 299.5)) -> np.ndarray:
    """A picture with a bright dot where a lens of that distortion draws each place; (row, column) each."""
    shown = np.zeros((SIZE[1], SIZE[0], 3))
    row, column = np.mgrid[0 : SIZE[1], 0 : SIZE[0]]
    for place in straight:
        off = place - np.array(axis)
        far = float(np.hypot(*off)) / (0.5 * math.hypot(*SIZE))
        at = np.array(axis) + off * (1.0 + percent / 100.0 * far * far)
        shown += 255.0 * np.exp(-((row - at[0]) ** 2 + (column - at[1]) ** 2) / 8.0)[..., None]
    return np.clip(shown, 0, 255).astype(np.uint8)


PLACES = np.array([(60.0, 80.0), (200.0, 300.0), (340.0, 520.0), (70.0, 500.0), (200.0, 90.0)])


@pytest.mark.parametrize("percent", [-6.0, -1.5, 2.0, 5.0])
@pytest.mark.parametrize("axis", [None, (150.0, 260.0)])
def test_dots_come_back_to_where_a_straight_lens_draws_them(percent, axis) -> None:
    told = {} if axis is None else {"axis_row_px": axis[0], "axis_column_px": axis[1]}
    photo = Photograph(pixels=SIZE, distortion_percent=percent, **told)
    shown = straightened(bent_dots(PLACES, percent, axis or (199.5, 299.5)), photo)
    labels, count = ndimage.label(shown[..., 0] > 100)
    assert count == len(PLACES)
    found = np.array(ndimage.center_of_mass(shown[..., 0].astype(float), labels, range(1, count + 1)))
    for place in PLACES:
        assert np.min(np.hypot(*(found - place).T)) < 0.35


def test_a_reduced_copy_is_straightened_alike() -> None:
    photo = Photograph(pixels=(1200, 800), distortion_percent=-5.0)
    whole = straightened(np.kron(bent_dots(PLACES, 0.0), np.ones((2, 2, 1))).astype(np.uint8), photo)
    small = straightened(bent_dots(PLACES, 0.0), photo)
    apart = whole.reshape(400, 2, 600, 2, 3).mean(axis=(1, 3)) - small
    assert np.abs(apart).mean() < 0.5


@given(st.floats(-30, 30), st.floats(0, 1), st.floats(0, 2 * math.pi))
def test_the_figure_is_the_share_by_which_a_corner_moves(percent, far, angle) -> None:
    photo = Photograph(pixels=SIZE, distortion_percent=percent)
    reach = far * 0.5 * math.hypot(*SIZE) * np.array([math.sin(angle), math.cos(angle)])
    off = distorted(photo.axis_px + reach, photo) - photo.axis_px
    assert off == pytest.approx(reach * (1.0 + percent / 100.0 * far**2), abs=1e-9)


@given(st.floats(0, 400), st.floats(0, 600), st.floats(-30, 30), st.floats(-20, 20))
def test_directions_and_pixels_agree_about_any_axis(row, column, bearing, pitch) -> None:
    photo = Photograph(pixels=SIZE, axis_row_px=120.0, axis_column_px=350.0, bearing_deg=bearing, pitch_deg=pitch)
    pixel = np.array([row, column])
    assert photo.pixel_of(photo.directions(pixel)) == pytest.approx(pixel, abs=1e-6)


def test_a_shifted_photograph_keeps_uprights_upright_and_tells_a_level_camera() -> None:
    """Taken level with the lens raised: the axis lies below the picture's middle, and verticals run parallel."""
    photo = Photograph(pixels=SIZE, focal_mm=24.0, sensor_long_mm=36.0, axis_row_px=330.0)
    lines = np.array([[[50.0, c], [380.0, c]] for c in (60.0, 250.0, 500.0)])
    level = level_from_verticals(photo, lines)
    assert level.pitch_rad == pytest.approx(0.0, abs=1e-9)
    # The horizon of a level camera runs through its axis.
    assert photo.directions(np.array([330.0, 100.0]))[1] == pytest.approx(0.0, abs=1e-12)
