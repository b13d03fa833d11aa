"""A board that moves while one frame is taken, in series with blur, noise and breathing; none where it rests.

The motion is the mean of many pictures of the board on its way, blur is by discs drawn eight times as large: neither
is the program's own.
"""

from __future__ import annotations

import itertools

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.prove.shake.test_shaken import SIZE, disc, texture
from tests.prove.shake.test_swing import moved_as
from verispect.errors import Cancelled
from verispect.prove.shake.gust import Gust, _lines_across, gust_in, gusts_in, seen_of

ROW, COLUMN, HALF = 260, 400, 60
# Discs of the board and of what stands behind it, frame by frame, pixels.
BOARD, BEHIND = (5.0, 2.5, 1.0, 2.5, 5.0), (9.0, 7.0, 5.0, 3.0, 1.0)
STILL = [np.eye(3)] * 5


def taken(
    k: int, length: float = 0.0, direction: float = 0.0, *, begin: float = -0.5, scale: float = 1.0
) -> np.ndarray:
    """A frame of the board before a wall; the board moves by so much while it is taken."""
    wall, board, places = texture(3), texture(4), np.zeros(SIZE[::-1], np.float32)
    places[ROW - HALF : ROW + HALF, COLUMN - HALF : COLUMN + HALF] = 1.0
    cover, light = disc(places, BOARD[k]), disc(board * places, BOARD[k])
    way = np.array([np.cos(np.radians(direction)), np.sin(np.radians(direction))])
    frame = np.zeros_like(wall)
    steps = length * (np.linspace(0.0, 1.0, 25) + begin) if length else [0.0]
    for step in steps:
        shift = np.array([[1.0, 0.0, step * way[0]], [0.0, 1.0, step * way[1]]])
        there, seen = (cv2.warpAffine(part, shift, SIZE, flags=cv2.INTER_LINEAR) for part in (light, cover))
        frame += (there + disc(wall, BEHIND[k]) * (1.0 - seen)) / len(steps)
    middle = ((SIZE[0] - 1) / 2, (SIZE[1] - 1) / 2)
    grown = cv2.warpAffine(frame, cv2.getRotationMatrix2D(middle, 0.0, scale), SIZE, borderMode=cv2.BORDER_REFLECT)
    return (grown + np.random.default_rng(k).normal(0.0, 0.003, grown.shape)).astype(np.float32)


def is_it(gust: Gust, length: float, direction: float) -> bool:
    aside = abs(gust.direction_deg - direction) % 180.0
    near = abs(gust.row - ROW) < HALF and abs(gust.column - COLUMN) < HALF
    return near and abs(gust.length_px - length) < 0.15 * length and min(aside, 180.0 - aside) < 10.0


@pytest.mark.parametrize("odd", range(5))
@pytest.mark.parametrize(("length", "direction"), [(9.0, 20.0), (14.0, 120.0)])
def test_a_board_that_moves_in_one_frame_is_told_where_and_how_far(odd: int, length: float, direction: float) -> None:
    frames = [taken(k, length=length if k == odd else 0.0, direction=direction) for k in range(5)]
    found = gusts_in(frames, STILL)
    if BOARD[odd] > 4.0 and length < 10.0:
        # Out of focus it hardly shows, and one neighbour alone does not tell it.
        assert set(found) <= {odd}
        return
    assert set(found) == {odd}
    assert is_it(found[odd], length, direction)


@settings(max_examples=8, deadline=None)
@given(
    length=st.floats(7.0, 17.0), direction=st.floats(0.0, 179.0), light=st.floats(0.3, 1.0),
    begin=st.sampled_from([-0.5, 0.0, -1.0]),
)  # fmt: skip
def test_whatever_its_way_and_light_and_wherever_it_began(length, direction, light, begin) -> None:
    frames = [taken(1), light * taken(2, length=length, direction=direction, begin=begin), taken(3)]
    found = gusts_in(frames, STILL[:3])
    assert set(found) == {1}
    assert is_it(found[1], length, direction)


def test_a_lens_that_breathes_hides_it_not() -> None:
    scales = [1.0, 1.01, 1.02]
    frames = [taken(k + 1, length=10.0 * (k == 1), direction=70.0, scale=scale) for k, scale in enumerate(scales)]
    middle = np.array([(SIZE[0] - 1) / 2, (SIZE[1] - 1) / 2])
    onto_first = [
        np.array([[1 / s, 0.0, middle[0] * (1 - 1 / s)], [0.0, 1 / s, middle[1] * (1 - 1 / s)], [0.0, 0.0, 1.0]])
        for s in scales
    ]
    found = gusts_in(frames, onto_first)
    assert set(found) == {1}
    assert is_it(found[1], 10.0, 70.0)


def test_where_nothing_moved_nothing_is_told() -> None:
    assert gusts_in([taken(k) for k in range(5)], STILL) == {}


def test_a_whole_frame_that_was_shaken_is_no_gust() -> None:
    flat = [disc(texture(3), blur) for blur in (2.0, 1.0, 2.0)]
    assert gusts_in([flat[0], moved_as(flat[1], 9.0, 30.0), flat[2]], STILL[:3]) == {}


def test_nor_is_a_board_that_one_frame_has_out_of_focus() -> None:
    soft, sharp = taken(0), taken(2)
    frame = taken(3)
    box = np.s_[ROW - HALF - 12 : ROW + HALF + 12, COLUMN - HALF - 12 : COLUMN + HALF + 12]
    frame[box] = disc(soft, 9.0)[box]
    assert gusts_in([sharp, frame, sharp], STILL[:3]) == {}


def test_an_edge_alone_does_not_tell_a_motion_across_it_before_one_other() -> None:
    """Of a post a disc takes what a motion across it does."""
    posts = np.full(SIZE[::-1], 0.3, np.float32)
    for left in range(20, SIZE[0], 37):
        posts[:, left : left + 17] = 0.6
    rng = np.random.default_rng(2)
    sharp, soft = disc(posts, 1.0), disc(posts, 1.0)
    soft[100:300, 200:500] = disc(posts, 14.0)[100:300, 200:500]
    sharp, soft = ((part + rng.normal(0.0, 0.003, part.shape)).astype(np.float32) for part in (sharp, soft))
    assert gust_in(seen_of(soft), [(seen_of(sharp), np.eye(3))]) is None


def test_only_what_is_shown_counts() -> None:
    sharp, moved = seen_of(taken(2)), seen_of(taken(1, 12.0, 45.0))
    shown = np.ones(SIZE[::-1], bool)
    assert is_it(gust_in(moved, [(sharp, np.eye(3))], shown), 12.0, 45.0)
    shown[:, : COLUMN + HALF + 20] = False
    assert gust_in(moved, [(sharp, np.eye(3))], shown) is None


def test_clipped_lights_tell_nothing() -> None:
    """What is burnt out keeps its shape, and moves as what is not."""
    frames = [np.minimum(2.2 * taken(k + 1, 12.0 * (k == 1), 45.0), 1.0).astype(np.float32) for k in range(3)]
    assert 0.3 < float((frames[1] == 1.0).mean()) < 0.6
    assert gusts_in(frames, STILL[:3]) == {}


def test_frames_left_out_neither_tell_nor_are_told_of() -> None:
    frames = [taken(1), taken(2, 12.0, 45.0), taken(3)]
    assert gusts_in([frames[0], None, frames[2]], STILL[:3]) == {}
    assert gusts_in([None, frames[1], None], STILL[:3]) == {}


def test_the_first_is_told_where_one_beside_it_is_enough() -> None:
    frames = [taken(1, 12.0, 45.0), taken(2), taken(3)]
    assert is_it(gusts_in(frames, STILL[:3])[0], 12.0, 45.0)
    assert gusts_in(frames, STILL[:3], by_both=True) == {}


def test_it_can_be_stopped() -> None:
    counted = itertools.count()
    with pytest.raises(Cancelled):
        gusts_in([taken(k) for k in range(3)], STILL[:3], lambda: next(counted) > 0)


@pytest.mark.parametrize(("direction", "lines"), [(0.0, True), (90.0, False)])
def test_whether_what_moved_shows_lines_across_its_way(direction: float, lines: bool) -> None:
    """Upright stripes with a grain of their own, drawn out across and along."""
    grain = texture(4)
    stripes = 0.2 + 0.15 * np.sign(np.sin(np.arange(SIZE[0]) / 4.0)).astype(np.float32)[None] * np.ones_like(grain)
    at_rest = stripes + 0.1 * grain
    assert _lines_across(seen_of(at_rest), np.eye(3), (float(ROW), float(COLUMN)), direction) is lines
    assert not _lines_across(seen_of(grain), np.eye(3), (float(ROW), float(COLUMN)), direction)
