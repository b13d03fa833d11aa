"""Frames that show something else are passed by, wherever they stand."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.prove.align.chains import longest_chain
from verispect.prove.align.motion import Motion


def held(views: list[int]):
    """Frames of one view can be laid over one another, others cannot; and what was asked."""
    asked: list[tuple[int, int]] = []

    def motion(k: int, before: int) -> Motion:
        asked.append((k, before))
        return Motion(np.eye(3), 1.0 if views[k] == views[before] else 0.0, 0.0)

    return longest_chain(range(len(views)), motion), asked


@pytest.mark.parametrize("odd", range(6))
def test_one_stranger_is_passed_by_wherever_it_stands(odd: int) -> None:
    (members, motions), _ = held([int(k == odd) for k in range(6)])
    assert members == [k for k in range(6) if k != odd]
    assert len(motions) == len(members) - 1


def test_frames_that_belong_together_are_compared_once_each() -> None:
    (members, _), asked = held([0] * 5)
    assert members == list(range(5))
    assert asked == [(k, k - 1) for k in range(1, 5)]


@given(st.lists(st.integers(0, 2), min_size=1, max_size=12))
def test_the_chain_is_the_commonest_view(views: list[int]) -> None:
    (members, _), _ = held(views)
    assert len({views[k] for k in members}) == 1
    assert len(members) == max(views.count(view) for view in set(views))
