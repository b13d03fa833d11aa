"""What one frame of a series has burnt out, told by its neighbour: against light that was painted."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from scipy import ndimage

from tests.prove.merge.test_evened import hall
from verispect.files.picture_out import Shot, write_picture
from verispect.prove.intake import linear_of
from verispect.prove.merge.burnt import laid_over, told_by, witness_of
from verispect.prove.merge.series import merge
from verispect.rehearse.sensor_noise import srgb_16


def coloured() -> np.ndarray:
    """A hall lit in colours, up to 0.95 in its brightest channel: linear light (320, 480, 3)."""
    tint = ndimage.zoom(np.random.default_rng(5).uniform(0.4, 1.0, (4, 6, 3)), (80, 80, 1), order=1)
    return np.minimum(1.9 * hall()[..., :1] * tint, 0.95)


def soft(light: np.ndarray, blur: float) -> np.ndarray:
    return ndimage.gaussian_filter(light, (blur, blur, 0))


def test_what_is_lost_in_some_channels_has_this_frames_detail_and_its_neighbours_colour() -> None:
    """A stop too bright, beside a soft neighbour: where one channel is left the detail is far finer than there."""
    scene = coloured()
    frame, beside = srgb_16(2.0 * scene), srgb_16(soft(scene, 3.0))
    told = linear_of(told_by(frame, np.full(3, 1.0), beside, np.zeros(3)))
    # What is nearly white counts as lost.
    lost = 2.0 * scene >= 0.96
    some, every = lost.any(axis=2) & ~lost.all(axis=2), lost.all(axis=2)
    assert some.mean() > 0.03
    assert every.any()
    np.testing.assert_allclose(told[~lost.any(axis=2)], scene[~lost.any(axis=2)], atol=1e-3)
    off = np.abs(told - scene)
    assert off[some].mean() < 0.5 * np.abs(soft(scene, 3.0) - scene)[some].mean()
    # Never darker than what burns out in it, and never the white that it shows.
    assert told[2.0 * scene >= 1.0].min() >= 0.499
    assert told.max() < 0.95


def test_what_its_neighbour_burnt_out_too_stays_white() -> None:
    scene = coloured()
    scene[100:120, 100:140] = 5.0
    told = told_by(srgb_16(2.0 * scene), np.full(3, 1.0), srgb_16(scene), np.zeros(3))
    assert (told[102:118, 102:138] == 65535).all()
    assert (told[200:] < 65535).all()


def test_the_nearest_that_was_exposed_for_less_tells() -> None:
    some = np.full((4, 6), 9, np.uint8)
    stops = np.array([0.0, 0.05, 1.0, 0.95, 0.0])[:, None].repeat(3, axis=1)
    burnt = [None, some, some, some, None]
    assert [witness_of(k, burnt, stops) for k in range(5)] == [None, None, 1, 4, None]


def test_a_neighbour_is_laid_where_the_frame_shows_the_same() -> None:
    scene = srgb_16(coloured())
    moved = np.array([[1.0, 0, 5], [0, 1.0, -3], [0, 0, 1.0]])
    laid = laid_over(scene, moved, (40, 90), 480)
    assert laid.shape == (50, 480, 3)
    np.testing.assert_array_equal(laid[:, 10:-10], scene[43:93, 5:-15])


@pytest.mark.parametrize("proof", [True, False])
@pytest.mark.parametrize("odd", [0, 1, 2])
def test_a_frame_a_stop_too_bright_leaves_no_glaring_colours(tmp_path: Path, odd: int, proof: bool) -> None:
    """Each third is sharp in one frame; the merge is held against that of the same frames all exposed alike."""
    scene = coloured()
    third = np.arange(480) // 160
    errors = []
    for stops in (0.0, 1.0):
        folder = tmp_path / f"{stops}"
        folder.mkdir()
        for k in range(3):
            picture = np.where((third == k)[None, :, None], scene, soft(scene, 3.0)) * 2.0 ** (stops * (k == odd))
            write_picture(folder / f"{k}.tif", srgb_16(picture), shot=Shot(f_number=4.0))
        light = linear_of(merge([folder], proof=proof).pixels)
        level = float(np.median(light[20:-20, 20:-20] / scene[20:-20, 20:-20]))
        errors.append(float(np.sqrt(np.mean((light / level - scene)[20:-20, 20:-20] ** 2))))
    # What all channels have lost comes soft from the others.
    assert errors[1] < 2.3 * errors[0]
