"""The largest rectangle against exhaustive search."""

from __future__ import annotations

import itertools

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from verispect.prove.join.crop import crop_of, largest_rectangle


@given(arrays(bool, st.tuples(st.integers(1, 7), st.integers(1, 7))))
def test_it_is_the_largest_of_all_rectangles(mask: np.ndarray) -> None:
    rows, columns = mask.shape
    best = max(
        (b - t) * (r - left)
        for t, b in itertools.combinations(range(rows + 1), 2)
        for left, r in itertools.combinations(range(columns + 1), 2)
        if mask[t:b, left:r].all() or not mask.any()
    ) if mask.any() else 0  # fmt: skip
    top, left, bottom, right = largest_rectangle(mask)
    assert (bottom - top) * (right - left) == best
    assert mask[top:bottom, left:right].all()


def test_a_large_picture_is_looked_at_in_blocks() -> None:
    covered = np.ones((2500, 4100), bool)
    covered[:130] = False
    covered[:, -77:] = False
    top, left, bottom, right = crop_of(covered)
    assert covered[top:bottom, left:right].all()
    assert (bottom - top) * (right - left) > 0.99 * covered.sum()
