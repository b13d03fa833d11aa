"""Light made even between a series' frames, against light that was planted."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from scipy import ndimage

from verispect.files.picture_out import Shot, write_picture
from verispect.prove.intake import linear_of
from verispect.prove.merge.evened import evened, off_in_stops, small_light
from verispect.prove.merge.series import merge
from verispect.rehearse.sensor_noise import srgb_16


def hall(seed: int = 3) -> np.ndarray:
    """Contrasty grain of our own, linear light (320, 480, 3)."""
    grain = np.random.default_rng(seed).random((320, 480, 3)) > 0.6
    return 0.04 + 0.5 * ndimage.gaussian_filter(grain.astype(float), (1.0, 1.0, 0))


def test_planted_light_and_colour_are_found_whatever_the_blur() -> None:
    planted = np.array([[0.0, 0.0, 0.0], [0.1, 0.05, 0.0], [-0.4, -0.35, -0.5], [0.02, 0.02, 0.02], [0.0, 0.0, 0.0]])
    blurs = [0.0, 1.0, 2.0, 3.0, 5.0]
    frames = [
        srgb_16(ndimage.gaussian_filter(hall(), (blur, blur, 0)) * 2.0**stops)
        for blur, stops in zip(blurs, planted, strict=True)
    ]
    found = off_in_stops([small_light(frame) for frame in frames], [np.eye(3)] * 5, (480, 320))
    np.testing.assert_allclose(found, planted - np.median(planted, axis=0), atol=0.004)


@pytest.mark.parametrize("clouded", [None, 0, 2])
def test_frames_are_made_as_light_as_the_first_should_be(clouded: int | None) -> None:
    """Light lost to extension is not the first's error, whether it is focused nearest or farthest; a cloud is."""
    for scales in (np.array([1.0, 1.03, 1.06, 1.09, 1.12]), np.array([1.0, 0.97, 0.94, 0.91, 0.88])):
        planted = 2.0 * np.log2(scales)
        if clouded is not None:
            planted[clouded] -= 0.7
        matrices = [np.array([[s, 0, (1 - s) * 239.5], [0, s, (1 - s) * 159.5], [0, 0, 1.0]]) for s in scales]
        frames = []
        for stops, matrix in zip(planted, matrices, strict=True):
            drawn = cv2.warpPerspective(hall(), np.linalg.inv(matrix), (480, 320), borderMode=cv2.BORDER_REFLECT_101)
            frames.append(srgb_16(drawn * 2.0**stops))
        found = off_in_stops([small_light(frame) for frame in frames], matrices, (480, 320))
        np.testing.assert_allclose(found, np.repeat(planted[:, None], 3, axis=1), atol=0.012)


def test_evening_scales_linear_light_and_leaves_white_white_where_that_is_little() -> None:
    frame = srgb_16(hall())
    frame[:4] = 65535
    assert (evened(frame, np.array([0.08, 0.05, -0.5]))[:4] == 65535).all()
    after = evened(frame, np.array([0.5, 0.0, -0.5]))
    # Beside what is nearly white what is burnt out may not glare.
    assert linear_of(after)[:4].max(axis=(0, 1)) == pytest.approx([2**-0.5, 1.0, 1.0], rel=0.001)
    ratio = linear_of(after)[8:].mean(axis=(0, 1)) / linear_of(frame)[8:].mean(axis=(0, 1))
    np.testing.assert_allclose(ratio, [2**-0.5, 1.0, 2**0.5], rtol=0.01)
    assert evened(frame, np.array([0.003, 0.0, -0.003])) is frame


@pytest.mark.parametrize("proof", [True, False])
def test_a_cloud_over_half_the_series_leaves_no_patch(tmp_path: Path, proof: bool) -> None:
    """The left half is sharp in the first frame and the right half in the second, half a stop darker."""
    scene = hall()
    soft = ndimage.gaussian_filter(scene, (4, 4, 0))
    left = (np.arange(480) < 240)[None, :, None]
    for name, picture in (("1", np.where(left, scene, soft)), ("2", np.where(left, soft, scene) * 2**-0.5)):
        write_picture(tmp_path / f"{name}.tif", srgb_16(picture), shot=Shot(f_number=4.0))
    merged = merge([tmp_path], proof=proof)
    light = linear_of(merged.pixels)
    sides = [
        float(light[40:-40, part].mean() / scene[40:-40, part].mean()) for part in (slice(40, 200), slice(280, 440))
    ]
    assert sides[0] == pytest.approx(sides[1], rel=0.02)
    stops = [frame["evened_stops"][1] for frame in merged.frames]
    assert stops[1] - stops[0] == pytest.approx(0.5, abs=0.02)
