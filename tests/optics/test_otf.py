"""Quadrature nodes against NumPy's own; what is reckoned in steps against what is not."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.optics.otf import _NODES, _nodes, defocused_otf, otf_by_steps


@pytest.mark.parametrize("count", _NODES)
def test_nodes_are_those_of_legendre(count: int) -> None:
    # Outside truth: numpy.polynomial.legendre.leggauss.
    nodes, weights = np.polynomial.legendre.leggauss(count)
    found, shares = _nodes(count)
    np.testing.assert_allclose(found, nodes, atol=1e-14)
    np.testing.assert_allclose(shares, weights, rtol=1e-10)


@given(
    st.floats(-200.0, 200.0),
    st.floats(-2.0, 2.0),
    st.lists(st.floats(0.0, 1.3), min_size=1, max_size=9),
    st.integers(1, 260),
)
def test_even_steps_of_blur_are_what_each_is_by_itself(first: float, step: float, s: list[float], count: int) -> None:
    reduced = np.array(s)
    beta, steps = np.full(len(s), first), np.full(len(s), step)
    found = otf_by_steps(reduced_frequency=reduced, beta=beta, step=steps, count=count)
    whole = beta + np.arange(count)[:, None] * steps
    alone = defocused_otf(reduced_frequency=reduced, beta=whole)
    near = np.abs(whole) * (1.0 - np.minimum(reduced, 1.0)) <= 40.0
    np.testing.assert_allclose(found[near], alone[near], atol=1e-9)
    assert np.abs(alone[~near]).max(initial=0.0) < 0.01
    assert not found[~near].any()
