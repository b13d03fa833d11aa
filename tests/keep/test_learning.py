"""Learning on simulated jobs with known truth, against SciPy where a case is Gaussian, and by hand."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.stats import beta, multivariate_normal

from verispect.keep.learning import Proved, _log_likelihood, kept_promises, spreads, time_factor


def a_job(rng: np.random.Generator, distance: float, focus_mm: float, *, mistaken: float = 0.03) -> Proved:
    count = int(rng.integers(2, 8))
    away, focal = rng.uniform(2.0, 20.0, count), float(rng.choice([24.0, 50.0, 85.0]))
    per_share = focal**2 / (1000.0 * away)
    unsure = rng.uniform(0.003, 0.02, count)
    off = np.where(rng.random(count) < mistaken, rng.normal(0, 0.4, count), rng.normal(0, distance, count))
    return Proved(-per_share * off + rng.normal(0, focus_mm) + unsure * rng.standard_normal(count), unsure, per_share)


@pytest.mark.parametrize(("jobs", "books"), [(4, 60), (25, 30)])
def test_what_is_told_covers_the_truth_as_often_as_it_says(jobs: int, books: int) -> None:
    """Truths drawn as widely as is thought beforehand; 95 in 100, less three standard errors of so many books."""
    rng = np.random.default_rng(11)
    covered, widths = np.zeros(3), []
    for _ in range(books):
        distance, focus = 0.03 * 2.7 ** rng.standard_normal(), 0.02 * 3.3 ** rng.standard_normal()
        told_d, told_f = spreads([a_job(rng, distance, focus) for _ in range(jobs)])
        middle = 0.3 * rng.standard_normal()
        told_t, _ = time_factor(np.exp(middle + 0.3 * rng.standard_normal(jobs)).tolist())
        truths = ((told_d, distance), (told_f, focus), (told_t, math.exp(middle)))
        covered += [told.low <= truth <= told.high for told, truth in truths]
        widths.append(told_d.high / told_d.low)
    assert np.all(covered / books > 0.95 - 3.0 * math.sqrt(0.95 * 0.05 / books))
    # And it does learn: nothing known spans a factor of 49.
    assert np.median(widths) < {4: 8.0, 25: 2.5}[jobs]


def test_many_jobs_of_one_person_come_down_to_the_truth() -> None:
    """200 simulated jobs: distances good to 4 in 100, focus to 0.03 mm, one mark in thirty something else."""
    rng = np.random.default_rng(3)
    distance, focus = spreads([a_job(rng, 0.04, 0.03) for _ in range(200)])
    assert distance.low < 0.04 < distance.high < 1.3 * distance.low
    assert focus.low < 0.03 < focus.high < 1.4 * focus.low
    assert distance.jobs == 200


def test_the_likelihood_of_a_job_without_mistakes_is_the_multivariate_normal_one(monkeypatch) -> None:
    monkeypatch.setattr("verispect.keep.learning._MISTAKEN", 0.0)
    job = Proved(np.array([0.02, -0.01, 0.03]), np.array([0.006, 0.01, 0.02]), np.array([0.5, 0.2, 0.1]))
    distance, focus = np.array([0.01, 0.05]), np.array([0.005, 0.04])
    found = _log_likelihood(job, distance, focus)
    for i, d in enumerate(distance):
        for j, f in enumerate(focus):
            covariance = np.diag((job.per_share_mm * d) ** 2 + job.unsure_mm**2) + f**2
            assert found[i, j] == pytest.approx(multivariate_normal.logpdf(job.off_mm, cov=covariance), abs=0.02)


def test_times_by_hand() -> None:
    """Two jobs that took e times as long: μ = 2/3, α = 2.5, β = 0.135 + 1/3; t(5) at 97.5 % is 2.5706 (tables)."""
    whole, following = time_factor([math.e, math.e])
    scale = (0.135 + 1.0 / 3.0) / 2.5
    assert math.log(whole.value) == pytest.approx(2.0 / 3.0)
    assert math.log(whole.high / whole.value) == pytest.approx(2.5706 * math.sqrt(scale / 3.0), abs=1e-3)
    assert math.log(following.high / whole.value) == pytest.approx(2.5706 * math.sqrt(scale * 4.0 / 3.0), abs=1e-3)
    nothing, _ = time_factor([])
    assert nothing.value == 1.0
    assert nothing.jobs == 0


def test_promises_shrink_towards_what_was_promised() -> None:
    """Nine in ten promised, 2 of 4 held: Beta(1.8 + 2, 0.2 + 2), mean 3.8/6."""
    found = kept_promises(0.9, 2, 4)
    assert found.value == pytest.approx(3.8 / 6.0)
    np.testing.assert_allclose([found.low, found.high], beta.ppf([0.025, 0.975], 3.8, 2.2))
    many = kept_promises(0.9, 500, 1000)
    assert many.value == pytest.approx(0.5, abs=0.005)
