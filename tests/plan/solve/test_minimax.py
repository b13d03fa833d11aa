"""Least worst residuals, and of answers that do as well the one that leans least."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.plan.solve.minimax import least_lean, least_worst

LOWER, UPPER = np.array([-9.0, -9.0, -9.0]), np.array([9.0, 9.0, 9.0])


@given(st.integers(0, 10_000))
def test_two_conditions_on_three_parts_are_met_with_the_shortest_lean(seed: int) -> None:
    """Against the shortest of a line of answers, by calculus: x = p + s d, |x's first two| least."""
    rng = np.random.default_rng(seed)
    rows = np.column_stack([rng.uniform(-1, 1, (2, 2)), rng.uniform(0.3, 1.0, 2)])
    offsets = -rng.uniform(0.1, 1.0, 2)
    point = np.linalg.lstsq(rows, -offsets, rcond=None)[0]
    along = np.linalg.svd(rows)[2][-1]
    if np.linalg.norm(along[:2]) < 1e-3:
        return
    best = point - (point[:2] @ along[:2]) / (along[:2] @ along[:2]) * along
    if np.any(np.abs(best) > 8.9):
        return
    found = least_lean(rows, offsets, lower=LOWER, upper=UPPER, worst=1e-9, leans=2)
    assert found is not None
    assert np.abs(rows @ found + offsets).max() < 1e-6
    assert np.linalg.norm(found[:2]) <= np.linalg.norm(best[:2]) * 1.01 + 1e-6


def test_marks_in_one_line_ask_for_no_lean_across_it() -> None:
    """Ten rows that tell nothing of the first part: it stays nought, and the worst is as good."""
    depth = np.linspace(1.0, 9.0, 10)
    rows = np.column_stack([np.zeros(10), 0.7 / depth, np.ones(10)])
    offsets = -1.0 / depth + 0.02 * np.sin(depth)
    _, worst = least_worst(rows, offsets, lower=LOWER, upper=UPPER)
    found = least_lean(rows, offsets, lower=LOWER, upper=UPPER, worst=worst * 1.001, leans=2)
    assert found is not None
    assert abs(found[0]) < 0.03 * abs(found[1])
    assert np.abs(rows @ found + offsets).max() <= worst * 1.0011


def test_rows_that_leave_no_choice_are_left_alone() -> None:
    rng = np.random.default_rng(1)
    rows = rng.uniform(-1, 1, (9, 3))
    assert least_lean(rows, rng.uniform(-1, 1, 9), lower=LOWER, upper=UPPER, worst=1.0, leans=2) is None


def test_a_worst_that_cannot_be_kept_gives_nothing() -> None:
    rows, offsets = np.array([[0.0, 0.0, 1.0], [0.0, 0.0, 1.0]]), np.array([1.0, -1.0])
    assert least_lean(rows, offsets, lower=LOWER, upper=UPPER, worst=0.5, leans=2) is None
    assert least_worst(rows, offsets, lower=LOWER, upper=UPPER)[1] == pytest.approx(1.0)
