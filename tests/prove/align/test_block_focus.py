"""What blur and contrast explain of a difference, by blurs and shifts that were planted."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from scipy import ndimage

from tests.prove.align.test_leaning import with_grain
from tests.prove.align.test_stood import FOCAL_PX, MIDDLE, moved_by
from tests.prove.shake.test_shaken import SIZE, disc, texture
from verispect.prove.align.block_focus import BlockFocus, curved
from verispect.prove.align.motion import motion_between

CORNERS = np.array([[0, 0, 1], [SIZE[0] - 1, 0, 1], [0, SIZE[1] - 1, 1], [SIZE[0] - 1, SIZE[1] - 1, 1.0]]).T


def banded(seed: int = 3) -> np.ndarray:
    wall = texture(seed)
    return (ndimage.gaussian_filter(wall, 1.5) - ndimage.gaussian_filter(wall, 12.0)).astype(np.float32) * 20.0


def left_of(picture: np.ndarray, error: np.ndarray) -> float:
    """How much of a difference's power is left, well within the picture."""
    left = BlockFocus(picture, curved(picture), 1).without(error, np.ones_like(error))
    inner = (slice(40, 440), slice(40, 720))
    return float((left[inner] ** 2).sum() / (error[inner] ** 2).sum())


@pytest.mark.parametrize(("sigma", "gain"), [(0.8, 1.0), (1.5, 1.1), (0.0, 0.8)])
def test_what_a_blur_and_a_strength_make_is_taken_out(sigma: float, gain: float) -> None:
    picture = banded()
    other = gain * ndimage.gaussian_filter(picture, sigma)
    assert left_of(picture, (picture - other).astype(np.float32)) < 0.1


def test_a_shift_is_left() -> None:
    picture = banded()
    shifted = ndimage.shift(picture, (0.3, -0.4), order=3, mode="reflect")
    assert left_of(picture, (picture - shifted).astype(np.float32)) > 0.9


def test_what_counts_for_nothing_tells_nothing() -> None:
    picture = banded()
    error, inner = (picture - ndimage.gaussian_filter(picture, 1.0)).astype(np.float32), np.ones_like(picture)
    focus, wild = BlockFocus(picture, curved(picture), 1), error.copy()
    inner[:, ::2] = 0.0
    wild[:, ::2] = 9.0
    one, other = focus.without(error, inner), focus.without(wild, inner)
    assert np.abs(one[:, 1::2] - other[:, 1::2]).max() < 1e-6
    # A change of what counts is seen.
    assert np.abs(focus.without(wild, np.ones_like(picture))[:, 1::2] - one[:, 1::2]).max() > 0.1


def test_less_than_a_block_stays_as_it_is() -> None:
    small = banded()[:30, :200]
    error = np.ones_like(small)
    assert (BlockFocus(small, curved(small), 1).without(error, error) == error).all()


def scene(k: int, *, moved: np.ndarray, falls_off: float = 0.0) -> np.ndarray:
    """Four boards at four depths before an empty wall, blurred as the k-th of a series has them."""
    boards, whole = texture(8), np.full(SIZE[::-1], 0.6, np.float32)
    for number, (top, left) in enumerate(((60, 60), (120, 620), (340, 30), (420, 560))):
        there = np.zeros_like(boards)
        there[top : top + 80, left : left + 90] = 1.0
        blur = 1.0 + 5.0 * abs(number - k)
        cover = disc(there, blur)
        whole = disc(0.7 * boards * there, blur) + whole * (1.0 - cover)
    whole = cv2.warpPerspective(whole, moved, SIZE, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    y, x = np.mgrid[: SIZE[1], : SIZE[0]]
    radius = np.hypot(x - MIDDLE[0], y - MIDDLE[1]) / np.hypot(*MIDDLE)
    return with_grain((whole * 2.0 ** (-falls_off * radius**4)).astype(np.float32), k)


def off_px(first: np.ndarray, second: np.ndarray, moved: np.ndarray) -> float:
    """How far at the worst corner a motion is found beside the one that was planted."""
    found = motion_between(second, first, planned=np.eye(3), focal_px=FOCAL_PX, centre_px=MIDDLE).matrix
    told, true = found @ CORNERS, np.linalg.inv(moved) @ CORNERS
    return float(np.hypot(*(told[:2] / told[2] - true[:2] / true[2])).max())


@pytest.mark.parametrize("k", [0, 1, 2])
def test_boards_that_go_out_of_focus_do_not_make_the_picture_grow(k: int) -> None:
    grown = moved_by(0.2, -0.3, scale=1.008)
    assert off_px(scene(k, moved=np.eye(3)), scene(k + 1, moved=grown), grown) < 0.13


def test_darker_rims_of_an_empty_wall_do_not_hold_the_picture_fast() -> None:
    grown = moved_by(0.0, 0.0, scale=1.01)
    first, second = (scene(1, moved=moved, falls_off=2.5) for moved in (np.eye(3), grown))
    assert off_px(first, second, grown) < 0.06
