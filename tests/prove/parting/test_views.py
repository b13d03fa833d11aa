"""Which frames show one view."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.prove.parting.scenes import focused
from verispect.prove.parting.views import ALIKE, likeness, regular, runs_of, thumb_of


def thumb(seed: int, place: float, **how) -> np.ndarray:
    return thumb_of(focused(seed, place, **how))


def test_likeness_is_of_what_is_shown_not_of_its_light() -> None:
    one = thumb(1, 4.0)
    assert likeness(one, one) > 0.99
    assert likeness(one, 0.25 * one) > 0.99


def test_one_view_is_alike_however_it_is_focused_and_though_it_was_knocked() -> None:
    assert likeness(thumb(1, 0.0), thumb(1, 8.0)) > ALIKE
    # A twentieth of the frame aside.
    assert likeness(thumb(1, 3.0), thumb(1, 4.0, aside_px=18)) > ALIKE
    assert likeness(thumb(1, 3.0), thumb(1, 3.0, aside_px=140)) < ALIKE


def test_other_subjects_are_unlike_though_light_falls_on_them_alike() -> None:
    """A bright sky over a dark ground: all that coarse pictures of most subjects have in common."""
    sky = np.geomspace(16.0, 1.0, 240, dtype=np.float32)[:, None]
    for seed in range(2, 8):
        one, other = thumb_of(sky * focused(1, 4.0)), thumb_of(sky * focused(seed, 4.0))
        assert np.corrcoef(one.ravel(), other.ravel())[0, 1] > 0.5
        assert likeness(one, other) < ALIKE


def test_nothing_but_grey_is_like_itself_alone() -> None:
    grey = np.full((64, 96), 0.2, np.float32)
    assert likeness(grey, grey) == 1.0
    assert likeness(grey, thumb(1, 4.0)) == 0.0
    assert likeness(grey, grey[:32]) == 0.0


def runs(views: str) -> list[list[int]]:
    shown = {view: thumb(ord(view), 4.0) for view in set(views)}
    return runs_of([shown[view] for view in views])


@pytest.mark.parametrize(
    ("views", "lengths"),
    [
        ("aaabbb", [3, 3]),
        ("abcd", [1, 1, 1, 1]),
        # A hand before the lens, in a series; at its ends it may be anything.
        ("aaxaa", [5]),
        ("xaaa", [1, 3]),
        ("aaax", [3, 1]),
        # Three frames are no series with a stranger in it, but two places and the first again.
        ("aba", [1, 1, 1]),
    ],
)
def test_frames_that_follow_one_another_and_show_one_view_are_a_run(views: str, lengths: list[int]) -> None:
    assert [len(run) for run in runs(views)] == lengths


@pytest.mark.parametrize(
    ("lengths", "parts"),
    [
        ([5], [1]),
        ([3, 3, 2, 3], [4]),
        # Where little is deep a cell of a grid of series has one frame.
        ([1, 3, 1, 1, 1], [5]),
        # A series before or after a grid.
        ([7, 1, 1, 1, 1], [1, 4]),
        ([1, 1, 1, 1, 6], [4, 1]),
        ([8, 2, 2, 2, 9], [1, 3, 1]),
        ([4, 6, 5], [3]),
    ],
)
def test_a_far_longer_run_beside_a_grid_is_none_of_it(lengths: list[int], parts: list[int]) -> None:
    assert [part.stop - part.start for part in regular(lengths)] == parts


@given(st.lists(st.integers(1, 9), min_size=1, max_size=12))
def test_every_run_is_in_one_part(lengths: list[int]) -> None:
    assert [k for part in regular(lengths) for k in range(len(lengths))[part]] == list(range(len(lengths)))
