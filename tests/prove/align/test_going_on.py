"""How frames go on from one to the next, against rates that were planted and a regression by numpy."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from verispect.prove.align.going_on import going_on


def pairs_of(count: int, rng: np.random.Generator) -> list[tuple[int, int]]:
    """A chain through all of them, and some besides."""
    chain = [(k, k + 1) for k in range(count - 1)]
    return chain + [tuple(sorted(rng.choice(count, 2, replace=False).tolist())) for _ in range(count)]


@settings(max_examples=40, deadline=None)
@given(st.integers(5, 12), st.integers(0, 10_000), st.floats(0.0, 2.0))
def test_where_pairs_agree_it_is_a_regression_of_places_on_their_order(count: int, seed: int, noise: float) -> None:
    rng = np.random.default_rng(seed)
    rate = rng.normal(0.0, 1.0, 3)
    places = np.outer(np.arange(count), rate) + noise * rng.normal(0.0, 1.0, (count, 3))
    ends = pairs_of(count, rng)
    apart = np.array([places[a] - places[b] for a, b in ends])
    found = going_on(ends, apart, rng.uniform(0.1, 1.0, len(ends)))
    # Outside truth: numpy's own least squares line, axis by axis.
    line = np.polyfit(np.arange(count), places, 1)
    left = np.sum((places - np.outer(np.arange(count), line[0]) - line[1]) ** 2)
    assert np.allclose(found.rate, line[0], atol=1e-8)
    assert np.isclose(found.share, 1.0 - left / np.sum((places - places.mean(axis=0)) ** 2), atol=1e-8)
    # And by how far the means before and after some frame lie from that of all.
    pushes = [
        sum(len(part) * np.sum((part.mean(axis=0) - places.mean(axis=0)) ** 2) for part in (places[:k], places[k:]))
        for k in range(1, count)
    ]
    assert np.isclose(found.by_a_push, max(pushes) / np.sum((places - places.mean(axis=0)) ** 2), atol=1e-8)
    if noise == 0.0:
        assert found.is_so


@pytest.mark.parametrize("pushed", range(1, 9))
def test_one_push_that_lasts_is_nothing_that_goes_on(pushed: int) -> None:
    rng = np.random.default_rng(pushed)
    places = 8.0 * np.outer(np.arange(9) >= pushed, [0.0, 1.0, 0.3]) + rng.normal(0.0, 0.3, (9, 3))
    ends = pairs_of(9, rng)
    assert not going_on(ends, np.array([places[a] - places[b] for a, b in ends]), np.ones(len(ends))).is_so


def test_a_head_that_errs_by_chance_hardly_ever_goes_on() -> None:
    """Of 2000 sets of each size; few frames go on as often as not, and are not believed."""
    rng = np.random.default_rng(1)
    went = {}
    for count in (3, 4, 5, 6, 9):
        ends = pairs_of(count, rng)
        places = rng.normal(0.0, 1.0, (2000, count, 3))
        apart = np.stack([places[:, a] - places[:, b] for a, b in ends], axis=1)
        went[count] = np.mean([going_on(ends, one, np.ones(len(ends))).is_so for one in apart])
    assert went[3] == 0.0
    assert went[4] == 0.0
    assert went[5] < 0.02
    assert went[6] < 0.005
    assert went[9] == 0.0
