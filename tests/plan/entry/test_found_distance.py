"""Marks put where frames showed them, by hand."""

from __future__ import annotations

import pytest

from tests.conftest import make_plan
from verispect.plan.entry.found_distance import FoundPlace, with_distances


def test_an_estimate_is_weighed_with_what_was_found() -> None:
    """Ten ± 3 and nine ± 4: weights 1/9 and 1/16, so 9.64 ± 2.4, by hand."""
    plan = make_plan([(0.0, 0.0, 10.0), (1.0, 0.0, 5.0)], marks={"plus_minus_m": 3.0})
    after, count = with_distances(plan, [FoundPlace("m0", (0.0, 0.0, 10.0), (0.0, 0.0, 9.0), 4.0)])
    assert count == 1
    assert after.marks[0].z_m == pytest.approx(9.64)
    assert after.marks[0].plus_minus_m == pytest.approx(2.4)
    assert after.marks[1] == plan.marks[1]


def test_a_mark_moved_or_renamed_since_stays() -> None:
    plan = make_plan([(0.0, 0.0, 10.0)])
    for place in (FoundPlace("m0", (0.0, 0.0, 11.0), (0.0, 0.0, 9.0), 1.0),
                  FoundPlace("gate", (0.0, 0.0, 10.0), (0.0, 0.0, 9.0), 1.0)):  # fmt: skip
        assert with_distances(plan, [place]) == (plan, 0)
