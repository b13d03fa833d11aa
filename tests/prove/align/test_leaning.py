"""What hangs on one part of a picture, by parts that were planted aside."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.prove.align.test_stood import FOCAL_PX, MIDDLE, leaves, moved_by
from tests.prove.shake.test_shaken import SIZE, disc, texture
from verispect.prove.align.leaning import leaning_px
from verispect.prove.align.motion import Bands, motion_between


def leans(first: np.ndarray, second: np.ndarray) -> tuple[float, np.ndarray]:
    found = motion_between(second, first, planned=np.eye(3), focal_px=FOCAL_PX, centre_px=MIDDLE).matrix
    return leaning_px(Bands(second), Bands(first), found, FOCAL_PX, MIDDLE), found


def with_grain(picture: np.ndarray, seed: int) -> np.ndarray:
    return (picture + np.random.default_rng(seed).normal(0.0, 0.003, picture.shape)).astype(np.float32)


def boards(*, aside_px: float) -> np.ndarray:
    """Four boards before an empty wall, the first of them so far aside."""
    picture, wall = np.full(SIZE[::-1], 0.5, np.float32), texture(8)
    for k, (top, left) in enumerate(((60, 80), (90, 560), (340, 120), (360, 580))):
        whole = np.full(SIZE[::-1], 0.5, np.float32)
        whole[top : top + 80, left : left + 90] = wall[top : top + 80, left : left + 90]
        moved = cv2.warpPerspective(whole, moved_by(aside_px if k == 0 else 0.0, 0.0), SIZE, flags=cv2.INTER_CUBIC)
        picture += moved - 0.5
    return picture


@pytest.mark.parametrize("moves", [(0.0, 0.0), (0.6, -0.4)])
def test_a_picture_full_of_things_hangs_on_none_of_them(moves: tuple[float, float]) -> None:
    wall = texture(5)
    moved = cv2.warpPerspective(wall, moved_by(*moves), SIZE, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    told, _ = leans(with_grain(disc(wall, 1.0), 1), with_grain(disc(moved, 3.0), 2))
    assert told < 0.05


def test_of_four_boards_each_counts_and_one_that_stands_aside_shows() -> None:
    first = with_grain(boards(aside_px=0.0), 1)
    still, _ = leans(first, with_grain(boards(aside_px=0.0), 2))
    told, found = leans(first, with_grain(boards(aside_px=1.0), 3))
    assert still < 0.05
    assert told > 0.15
    # By so much and less they were led astray: nothing else moved.
    shift = found @ np.array([*MIDDLE, 1.0])
    assert float(np.hypot(*(shift[:2] / shift[2] - MIDDLE))) < 5.0 * told


def test_an_empty_picture_hangs_on_nothing() -> None:
    empty = np.full(SIZE[::-1], 0.5, np.float32)
    assert leaning_px(Bands(empty), Bands(empty), np.eye(3), FOCAL_PX, MIDDLE) == 0.0


def test_a_picture_full_of_leaves_in_the_wind_hangs_on_none_of_them() -> None:
    frame, other = Bands(leaves(0, np.eye(3))), Bands(texture(5))
    assert leaning_px(frame, other, np.eye(3), FOCAL_PX, MIDDLE) == 0.0
