"""How often the focus went through a view: places along a line, and pictures blurred by the tests' own hand."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.prove.parting.scenes import focused
from verispect.prove.parting.order import out_of_order
from verispect.prove.parting.passes import apart_by_detail, apart_by_distance, detail_of, series_in


def series(*places: float) -> list[list[float]]:
    """Series among frames focused at places along a line, as those places."""
    line = np.array(places, float)
    return [[places[k] for k in part] for part in series_in(np.abs(line[:, None] - line[None]))]


@pytest.mark.parametrize(
    "parts",
    [
        [[0, 1, 2, 3]],
        [[0, 1, 2, 3], [0, 1, 2, 3]],
        # There and back, with the farthest taken for both and for one.
        [[0, 1, 2, 3], [3, 2, 1, 0]],
        [[0, 1, 2, 3, 4], [3, 2, 1, 0]],
        [[0, 1], [0, 1], [0, 1]],
        # A trial before, a series broken off, another finer than the first.
        [[2], [0, 1, 2, 3, 4]],
        [[0, 1, 2], [0, 1, 2, 3, 4, 5]],
        [[0, 2, 4, 6], [0, 1, 2, 3, 4, 5, 6]],
        # From the middle out and then past it; every other frame and then those between; halved and halved again.
        [[3, 4, 5, 6, 2, 1, 0]],
        [[0, 2, 4, 6, 8, 1, 3, 5, 7]],
        [[0, 8, 4, 2, 6, 1, 3, 5, 7]],
        # One of them taken again in the end; all of them thrice.
        [[0, 1, 2, 3, 4, 2]],
        [[0, 0, 0, 1, 1, 1, 2, 2, 2]],
        [[0, 0, 1, 1, 2, 2, 3, 3], [0, 0, 1, 1, 2, 2, 3, 3]],
    ],
)
def test_a_series_begins_where_the_focus_goes_again_to_where_it_has_been(parts: list[list[float]]) -> None:
    assert series(*itertools.chain(*parts)) == parts


@given(
    st.lists(st.floats(0.75, 1.3), min_size=2, max_size=9), st.integers(1, 4), st.booleans(),
    st.integers(0, 2**32 - 1),
)  # fmt: skip
def test_so_many_times_through_are_so_many_series(steps: list[float], times: int, back: bool, seed: int) -> None:
    """Whatever the steps, whichever way, and with a tenth of a step of error."""
    places = np.concatenate([[0.0], np.cumsum(steps)])
    line = np.tile(places[::-1] if back else places, times)
    line = line + np.random.default_rng(seed).uniform(-0.05, 0.05, len(line))
    found = series_in(np.abs(line[:, None] - line[None]))
    assert [len(part) for part in found] == [len(places)] * times


def test_frames_that_tell_their_distance_are_taken_at_their_word() -> None:
    apart = apart_by_distance([1.0, 2.0, None])
    assert apart is None
    assert apart_by_distance([3.0, 3.0, 3.0]) is None
    told = apart_by_distance([1.0, 2.0, 4.0])
    assert told is not None
    np.testing.assert_allclose(told[0], [0.0, 0.5, 0.75])


def test_detail_tells_how_far_apart_two_frames_are_focused() -> None:
    """Places in depth that the tests have blurred for: nearer is more alike, and noise is as good as nothing."""
    details = [detail_of(focused(1, place)) for place in range(9)]
    apart = apart_by_detail(details)
    assert apart is not None
    for k in range(9):
        # Far out of focus all is alike.
        assert np.all(np.diff(apart[k, k : k + 7]) > 0.0)
    again = detail_of(focused(1, 3, noise=5))
    assert np.abs(again - details[3]).mean() < 0.2 * float(np.diag(apart, 1).min())
    assert apart_by_detail([details[3], again]) is None


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_two_series_of_one_view_are_parted_by_their_pictures(seed: int) -> None:
    places = [0, 2, 4, 6, 8]
    details = [detail_of(focused(seed, place, noise=k)) for k, place in enumerate([*places, *places])]
    apart = apart_by_detail(details)
    assert apart is not None
    assert [len(part) for part in series_in(apart)] == [5, 5]


def shown(*places: float) -> list[np.ndarray]:
    return [detail_of(focused(2, place)) for place in places]


def test_a_frame_that_is_focused_elsewhere_than_between_its_neighbours_is_told() -> None:
    assert out_of_order(shown(0, 2, 4, 6, 8)) == {}
    found = out_of_order(shown(0, 2, 8, 6, 8))
    assert list(found) == [2]
    assert found[2] == pytest.approx(2.0, rel=0.3)
    found = out_of_order(shown(0, 2, 4, 0, 8))
    assert list(found) == [3]
    assert found[3] < 0.0


@pytest.mark.parametrize("places", [(0, 6, 9, 13.5, 14.25, 17.25), (0, 3, 9, 10.5, 12, 12.75), (0, 4.5, 9.75, 13.5)])
def test_a_first_frame_past_all_there_is_accuses_none_after_it(places: tuple[float, ...]) -> None:
    # In it all is as far out of focus as can be told, as in frames that are focused nearer.
    assert out_of_order(shown(*places)) == {}
    assert out_of_order(shown(*places[::-1])) == {}


def test_another_order_is_no_missed_focus() -> None:
    assert out_of_order(shown(4, 6, 8, 2, 0)) == {}
    assert out_of_order(shown(0, 4, 8, 2, 6)) == {}
    assert out_of_order(shown(3, 3, 3, 3, 3)) == {}
