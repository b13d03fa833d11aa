"""Quadrature nodes against NumPy's own."""

from __future__ import annotations

import numpy as np
import pytest

from verispect.optics.otf import _NODES, _nodes


@pytest.mark.parametrize("count", _NODES)
def test_nodes_are_those_of_legendre(count: int) -> None:
    # Outside truth: numpy.polynomial.legendre.leggauss.
    nodes, weights = np.polynomial.legendre.leggauss(count)
    found, shares = _nodes(count)
    np.testing.assert_allclose(found, nodes, atol=1e-14)
    np.testing.assert_allclose(shares, weights, rtol=1e-10)
