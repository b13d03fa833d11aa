"""What a near thing's blur lays over the wall behind it is taken off, and nothing else is touched."""

from __future__ import annotations

import io
from dataclasses import replace
from types import SimpleNamespace

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import a_lens, make_plan
from tests.prove.merge.posts import FOCUSING, posts_before_a_wall, spread
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.merge.bands import Band, merged_in_bands
from verispect.prove.merge.final import DepthMap
from verispect.prove.merge.series import _focusing
from verispect.prove.merge.unveil import Focusing, Veil, disc
from verispect.prove.merge.written import done_words

SHAPE = (300, 420)


def merged(frames: list[np.ndarray], focusing: Focusing | None):
    high, wide = frames[0].shape[:2]
    return merged_in_bands(
        [Band(0, high, 0, high)], (wide, high), len(frames), lambda k, top, bottom: (frames[k][top:bottom], None), 2,
        0.5, focusing, lambda _share, _text: None, lambda: False,
    )  # fmt: skip


def beside(truth: np.ndarray, reach: int = 12) -> np.ndarray:
    """Places of the wall that the posts' blur reaches."""
    post = (truth.mean(axis=2) < 15_000).astype(np.uint8)
    post = cv2.morphologyEx(post, cv2.MORPH_OPEN, np.ones((9, 5), np.uint8))
    near = cv2.dilate(post, np.ones((1, 2 * reach + 1), np.uint8)) > 0
    return near & (cv2.dilate(post, np.ones((1, 3), np.uint8)) == 0)


def off(pixels: np.ndarray, truth: np.ndarray, places: np.ndarray) -> float:
    """How far low frequencies lie off, in shares of the scale."""
    error = cv2.GaussianBlur(pixels.astype(np.float32) / 65535 - truth.astype(np.float32) / 32767, (0, 0), 1.5)
    return float(np.abs(error[places]).mean())


@pytest.mark.parametrize("seed", [1, 2])
@pytest.mark.parametrize("width", [5, 9, 30])
def test_the_wall_beside_a_post_comes_out_as_it_is(seed: int, width: int) -> None:
    frames, truth = posts_before_a_wall(SHAPE, seed=seed, width=width)
    before, after = merged(frames, None), merged(frames, FOCUSING)
    places = beside(truth)
    assert places.mean() > 0.05
    assert off(after.pixels, truth, places) < 0.93 * off(before.pixels, truth, places)
    rest = ~cv2.dilate(places.astype(np.uint8), np.ones((3, 41), np.uint8)).astype(bool)
    assert off(after.pixels, truth, rest) < 1.1 * off(before.pixels, truth, rest) + 1e-4
    assert 0.01 < after.unveiled < 0.6
    assert before.unveiled == 0.0


def test_frames_from_far_to_near_give_the_same() -> None:
    frames, _ = posts_before_a_wall(SHAPE, seed=1)
    forth = merged(frames, FOCUSING)
    back = merged(frames[::-1], Focusing(FOCUSING.image_mm[::-1], FOCUSING.px_per_mm))
    assert back.unveiled == pytest.approx(forth.unveiled, rel=0.06)
    assert float(np.abs(back.pixels.astype(float) - forth.pixels).mean()) < 120.0


def test_a_flat_wall_is_left_to_the_bit() -> None:
    """One depth: nothing stands before anything."""
    wall, _ = posts_before_a_wall(SHAPE, seed=4, width=0)
    assert np.array_equal(merged(wall, None).pixels, merged(wall, FOCUSING).pixels)


def test_a_slope_comes_out_no_worse() -> None:
    """Nearest at the left and farthest at the right, it veils nothing; few places that were labelled wrong change."""
    wall = posts_before_a_wall(SHAPE, seed=4, width=0)[1].astype(np.float32)
    at = np.linspace(0.0, 5.0, SHAPE[1])
    soft = [spread(wall, 0.5 * step) for step in range(41)]
    frames = [
        np.stack([soft[round(8.0 * abs(at[x] - k))][:, x] for x in range(SHAPE[1])], axis=1).astype(np.int16)
        for k in range(6)
    ]
    before, after = merged(frames, None), merged(frames, FOCUSING)
    errors = [float(np.sqrt(((one.pixels - 2.0 * wall) ** 2).mean())) for one in (before, after)]
    assert after.unveiled < 0.06
    assert errors[1] < 1.01 * errors[0]


def test_where_the_merge_took_another_frame_nothing_is_taken_off() -> None:
    frames, _ = posts_before_a_wall(SHAPE, seed=5)
    depth = DepthMap(io.BytesIO())
    for frame in frames:
        depth.add(frame, None)
    veil = Veil(depth.layers(), FOCUSING, SHAPE)
    for k, frame in enumerate(frames):
        veil.add(k, frame)
    found, share = veil.taken_off(frames[5])
    assert share > 0.01
    assert not np.array_equal(found, frames[5])
    # A merge that shows something else there altogether.
    other = (frames[5] // 2).astype(np.int16)
    found, _ = veil.taken_off(other)
    assert float(np.abs(found.astype(int) - other).max()) < 200


def test_how_frames_were_focused_comes_from_the_plan() -> None:
    """A series by a lens of 50 mm at f/4, by hand; of a camera that is moved, and without a plan nothing is known."""
    plan = make_plan([(0.0, 1.5, 1.0), (0.1, 1.4, 2.0), (0.0, 1.5, 6.0)], framing=50.0,
                     lenses=[a_lens(50.0, f_numbers=[4.0, 4.0], tilt_deg=0)])  # fmt: skip
    frame = SimpleNamespace(pixels=(6000, 4000))
    exposures = worked("series", build_scene(plan)).exposures
    focusing = _focusing([frame] * len(exposures), exposures, 36.0)
    assert focusing.serves
    # Distances count from the sensor: v (D - v) = f D.
    ends = (1000.0 * exposure.focus_m for exposure in (exposures[0], exposures[-1]))
    near, far = (0.5 * (d - np.sqrt(d * d - 200.0 * d)) for d in ends)
    assert focusing.image_mm[0] == pytest.approx(near, abs=0.02)
    # A disc is as wide as the pupil's share of the way past the image, in pixels of 6 µm.
    expected = (near - far) / far * 50.0 / 4.0 / 0.006
    assert focusing.blur_px(0, -1) == pytest.approx(expected, rel=0.05)
    moved = [
        replace(exposure, pose=replace(exposure.pose, pupil_m=exposure.pose.pupil_m + np.array([0.0, 0.0, 1e-3 * k])))
        for k, exposure in enumerate(exposures)
    ]
    assert _focusing([frame] * len(moved), moved, 36.0) is None
    assert _focusing([frame] * 3, None, 36.0) is None


def test_it_is_told_where_it_is_worth_it() -> None:
    assert done_words({"ghosts": [], "black": [], "doubtful": [], "unveiled_share": 0.0004}) == []
    [said] = done_words({"ghosts": [], "black": [], "doubtful": [], "unveiled_share": 0.0432})
    assert "4.3 % of the picture" in str(said)


@pytest.mark.parametrize("images", [(52.0, 51.0), (52.0, 51.0, 51.5), (52.0, 52.0, 51.0), (50.0,)])
def test_frames_in_no_order_of_focus_are_let_be(images: tuple[float, ...]) -> None:
    assert not Focusing(images, 10.0).serves


@given(st.floats(4.0, 30.0))
def test_a_disc_is_even_and_as_wide_as_said(diameter: float) -> None:
    found = disc(diameter)
    assert float(found.sum()) == pytest.approx(1.0, abs=1e-5)
    half = found.shape[0] // 2
    at = np.arange(found.shape[0]) - half
    # An even disc has a second moment of d²/16 about each axis, a pixel's own of 1/12 beside it.
    assert float((found * at[None] ** 2).sum()) == pytest.approx(diameter**2 / 16.0 + 1.0 / 12.0, rel=0.06)
