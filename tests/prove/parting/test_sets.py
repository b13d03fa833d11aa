"""Which frames belong together."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.prove.intake import Frame
from verispect.prove.parting.sets import FrameSet, Looks, Planned, is_dark, split
from verispect.prove.parting.views import likeness

NOON = datetime(2027, 1, 1, 12)


def frames(seconds: list[float | None]) -> list[Frame]:
    return [
        Frame(Path(f"{k}.tif"), (9, 9), None if s is None else NOON + timedelta(seconds=s))
        for k, s in enumerate(seconds)
    ]


def thumbs(kinds: str) -> list[np.ndarray]:
    """One picture per letter; the same letter shows the same thing."""
    return [np.random.default_rng(ord(kind)).uniform(0.1, 0.9, (32, 48)).astype(np.float32) for kind in kinds]


def sets(taken: list[Frame], black: list[bool], kinds: str, planned: int | None = None) -> list[FrameSet]:
    """Sets of frames of one focus throughout."""
    looks = Looks(taken, black, thumbs(kinds), [np.zeros(96)] * len(taken))
    return split(looks, None if planned is None else Planned(planned))


def parted(seconds: list[float | None], dark: str, kinds: str, planned: int | None = None) -> list[tuple[int, ...]]:
    black = [mark == "x" for mark in dark]
    return [group.frames for group in sets(frames(seconds), black, kinds, planned)]


def test_a_dark_frame_parts_sets_and_belongs_to_none() -> None:
    assert parted([None] * 5, "..x..", "aaaaa") == [(0, 1), (3, 4)]
    [first, second] = sets(frames([None] * 5), [False, False, True, False, False], "aaaaa")
    assert (first.separator, second.separator) == (None, 2)
    assert "dark frame" in second.why[0]


def test_a_black_frame_within_a_planned_set_of_which_few_are_missing_parts_nothing() -> None:
    assert parted([None] * 5, "..x..", "aaaaa", planned=6) == [(0, 1, 2, 3, 4)]
    [whole] = sets(frames([None] * 7), [k == 5 for k in range(7)], "a" * 7, planned=9)
    assert whole.why == ("all but 2 of the frames that the plan asks for",)
    # Of which many are missing, at the end of which it lies, or two black ones: these may have parted what they part.
    assert parted([None] * 5, "..x..", "aaaaa", planned=8) == [(0, 1), (3, 4)]
    assert parted([None] * 6, "..x.x.", "aaaaaa", planned=7) == [(0, 1), (3,), (5,)]
    assert parted([None] * 5, "x....", "aaaaa", planned=6) == [(1, 2, 3, 4)]


def test_a_long_pause_parts_sets() -> None:
    assert parted([0, 3, 6, 9, 200, 203], "......", "aaaaaa") == [(0, 1, 2, 3), (4, 5)]
    assert parted([0, 3, 6, 9, 20, 23], "......", "aaaaaa") == [(0, 1, 2, 3, 4, 5)]


def test_another_subject_parts_sets_where_each_is_alike_within() -> None:
    assert parted([None] * 6, "......", "aaabbb") == [(0, 1, 2), (3, 4, 5)]
    # Of a turned grid every frame shows something new: nothing is parted.
    assert parted([None] * 6, "......", "abcdef") == [(0, 1, 2, 3, 4, 5)]


def with_focus(metres: list[float]) -> list[Frame]:
    return [Frame(Path(f"{k}.tif"), (9, 9), subject_m=value) for k, value in enumerate(metres)]


def test_a_focus_that_jumps_back_begins_another_series() -> None:
    def groups(metres: list[float]) -> list[tuple[int, ...]]:
        found = sets(with_focus(metres), [False] * len(metres), "a" * len(metres))
        return [group.frames for group in found]

    assert groups([1.0, 1.5, 3.0, 9.0, 1.0, 1.5, 3.0, 9.0]) == [(0, 1, 2, 3), (4, 5, 6, 7)]
    assert groups([9.0, 3.0, 1.5, 1.0, 9.0, 3.0, 1.5]) == [(0, 1, 2, 3), (4, 5, 6)]
    # From the middle away and then past the start is one series; so is one focus throughout.
    assert groups([2.0, 3.0, 9.0, 1.4, 1.0]) == [(0, 1, 2, 3, 4)]
    assert groups([4.0] * 6) == [(0, 1, 2, 3, 4, 5)]


@pytest.mark.parametrize(
    ("metres", "parts"),
    [
        # The second of eight is not there, and the third was focused as the sixth.
        ([3.3, 8.6, 5.2, 6.5, 8.7, 13.1, 27.3], [7]),
        # Begun anew after two; taken twice.
        ([3.3, 3.7, 3.3, 3.7, 4.3, 5.2, 6.5], [2, 5]),
        ([3.3, 4.3, 5.2, 3.3, 4.3, 5.2], [3, 3]),
    ],
)
def test_of_no_more_frames_than_planned_one_may_be_focused_elsewhere(metres: list[float], parts: list[int]) -> None:
    taken = with_focus(metres)
    looks = Looks(taken, [False] * len(taken), thumbs("a" * len(taken)), [np.zeros(96)] * len(taken))
    assert [len(group.frames) for group in split(looks, Planned(8))] == parts
    # Without a plan, or of more than it has, something was begun anew.
    assert len(split(looks, None)) == 2 == len(split(looks, Planned(len(metres) - 1)))


def test_a_black_frame_within_the_planned_number_parts_nothing() -> None:
    assert parted([None] * 4, "..x.", "aaaa", planned=4) == [(0, 1, 2, 3)]


def test_as_many_as_planned_are_one_set_whatever_they_show() -> None:
    assert parted([None] * 6, "......", "aaabbb", planned=6) == [(0, 1, 2, 3, 4, 5)]
    [group] = sets(frames([None] * 4), [True, False, False, True], "abcd", 2)
    assert (group.frames, group.separator) == ((1, 2), 0)


def test_cells_of_a_planned_grid_may_be_as_unlike_as_five_and_one() -> None:
    # One of eight is not there.
    looks = Looks(frames([None] * 7), [False] * 7, thumbs("aaaaabc"), [np.zeros(96)] * 7)
    assert [group.frames for group in split(looks, Planned(8, is_grid=True))] == [tuple(range(7))]
    # More than it has: the five are a series before a grid of two.
    assert [group.frames for group in split(looks, Planned(2, is_grid=True))] == [(0, 1, 2, 3, 4), (5, 6)]


@given(st.text("x.", min_size=1, max_size=12))
def test_every_frame_is_in_one_set_or_dark(dark: str) -> None:
    groups = parted([None] * len(dark), dark, "a" * len(dark))
    members = [k for group in groups for k in group]
    assert members == sorted(set(members))
    if "." in dark:
        assert members == [k for k, mark in enumerate(dark) if mark == "."]


def test_dark_is_told_against_the_others() -> None:
    assert is_dark([0.2, 0.18, 0.002, 0.21]) == [False, False, True, False]
    # A night scene is dark throughout, and none of it is a separator.
    assert is_dark([0.002, 0.0021, 0.0019]) == [False, False, False]
    assert is_dark([0.0001, 0.0001, 0.2]) == [True, True, False]


def test_likeness_is_that_of_detail_not_of_exposure() -> None:
    a, b = thumbs("ab")
    assert likeness(a, a) > 0.99
    assert likeness(a, (0.5 * a).astype(np.float32)) > 0.95
    assert likeness(a, b) < 0.3
