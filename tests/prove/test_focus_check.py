"""How large frames are drawn: what creeps within what is known of it accuses no frame's focus, what jumps does."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from verispect.prove.focus_check import _by_steps


@given(st.lists(st.floats(-2.9e-4, 2.9e-4), min_size=2, max_size=30))
def test_a_creep_within_what_is_known_is_none(steps: list[float]) -> None:
    rest = np.cumsum([0.0, *steps])
    assert not _by_steps(rest - np.median(rest), np.full(len(steps), 1e-4)).any()


@given(st.integers(0, 8), st.floats(4e-4, 1e-2), st.sampled_from([-1.0, 1.0]))
def test_one_frame_that_jumps_is_as_far_off_as_it_jumped(odd: int, size: float, way: float) -> None:
    rest = np.zeros(9)
    rest[odd] = way * size
    np.testing.assert_allclose(_by_steps(rest, np.full(8, 1e-4)), rest, atol=1e-12)


def test_all_from_one_frame_on_may_be_off() -> None:
    rest = np.array([0.0, 0.0, 0.0, 0.0, 2e-3, 2e-3])
    np.testing.assert_allclose(_by_steps(rest, np.full(5, 1e-4)), rest, atol=1e-12)
