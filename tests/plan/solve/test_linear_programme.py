"""Small linear programmes against scipy.optimize.linprog's interior-point answer."""

from __future__ import annotations

import threading

import numpy as np
import pytest
from scipy.optimize import linprog

from verispect.plan.solve.linear_programme import least_cost


@pytest.mark.parametrize("seed", range(6))
def test_the_optimum_is_scipys(seed) -> None:
    rng = np.random.default_rng(seed)
    matrix, right = rng.normal(size=(3 + 5 * seed, 4)), rng.uniform(0.0, 1.0, 3 + 5 * seed)
    cost, lower, upper = rng.normal(size=4), np.full(4, -2.0), np.array([2.0, 2.0, 2.0, 3.0])
    found = least_cost(cost, matrix, right, lower=lower, upper=upper)
    bounds = list(zip(lower, upper, strict=True))
    theirs = linprog(cost, A_ub=matrix, b_ub=right, bounds=bounds, method="highs-ipm")
    assert found is not None
    assert float(cost @ found) == pytest.approx(theirs.fun, abs=1e-7)
    assert (matrix @ found <= right + 1e-7).all()


def test_none_where_nothing_satisfies_or_nothing_bounds() -> None:
    one = np.ones(1)
    assert least_cost(one, np.array([[1.0], [-1.0]]), np.array([0.0, -1.0]), lower=-one, upper=one) is None
    assert least_cost(-one, np.zeros((1, 1)), one, lower=-one, upper=np.full(1, np.inf)) is None
    assert least_cost(one, np.ones((1, 1)), one, lower=-one, upper=one) == pytest.approx([-1.0])


def test_several_threads_at_once_and_nothing_is_printed(capfd) -> None:
    found: list[float] = []

    def solve(k: int) -> None:
        for _ in range(20):
            x = least_cost(np.ones(1), -np.ones((1, 1)), np.array([-k / 10.0]), lower=np.zeros(1), upper=np.ones(1))
            assert x is not None
            found.append(float(x[0]) - k / 10.0)

    threads = [threading.Thread(target=solve, args=(k,)) for k in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(found) == 80
    assert np.abs(found).max() < 1e-9
    assert capfd.readouterr() == ("", "")
