"""What jobs teach of a person's distances, focus, times and promises, with how surely (docs/derivations/learning.md).

Every figure begins at a default that is worth a job or two, so that few jobs move it little.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
# Defaults and how far off they may well be (a factor, one standard deviation), from memory: distances by tape, pace
# and eye are good to some 3 in 100; focus by scale to some 0.02 mm on the image's side.
_DISTANCE, _DISTANCE_FACTOR = 0.03, 2.7
_FOCUS_MM, _FOCUS_FACTOR = 0.02, 3.3
_GRID = 80
# Places between which a job's focus is summed up, about each of two middles.
_NODES = 120
# How often a mark is read off something else that lies before or behind it, and how far off that is.
_MISTAKEN, _ELSEWHERE = 0.05, 0.5
# Of ln(taken / planned): worth so many jobs, at none, with this spread.
_TIME_WORTH, _TIME_SPREAD = 1.0, 0.3
_PROMISE_WORTH = 2.0


@dataclass(frozen=True)
class Learned:
    """A figure, within what it lies 95 times in 100, and how many jobs it rests on."""

    value: float
    low: float
    high: float
    jobs: int


@dataclass(frozen=True)
class Proved:
    """What one job proved of its marks.

    Attributes
    ----------
    off_mm : ndarray, shape (K,)
        Image distance at which each mark was sharp, less the one of its place in the plan.
    unsure_mm : ndarray, shape (K,)
        One standard deviation of that.
    per_share_mm : ndarray, shape (K,)
        By how much the image distance falls for a mark that lies one whole distance farther than planned.
    """

    off_mm: Floats
    unsure_mm: Floats
    per_share_mm: Floats


def _axis(middle: float, factor: float) -> tuple[Floats, Floats]:
    """Spreads to try, and the logarithm of what is thought of each beforehand (log-normal)."""
    steps = np.linspace(-3.5, 3.5, _GRID)
    return middle * factor**steps, -0.5 * steps**2


def spreads(jobs: Sequence[Proved]) -> tuple[Learned, Learned]:
    """One standard deviation of distances, as a share of them, and of the focus of a job, mm.

    A mark is off by what its own distance is and by what the focus of the whole job is:
    off = −per_share · d + b + noise with d ~ N(0, σ_d²) of each mark and b ~ N(0, σ_b²) of each job. One mark in
    twenty may have been read off something else.
    """
    distance, before_d = _axis(_DISTANCE, _DISTANCE_FACTOR)
    focus, before_b = _axis(_FOCUS_MM, _FOCUS_FACTOR)
    logs = before_d[:, None] + before_b[None]
    for job in jobs:
        logs = logs + _log_likelihood(job, distance, focus)
    weights = np.exp(logs - logs.max())
    return _summed(distance, weights.sum(axis=1), len(jobs)), _summed(focus, weights.sum(axis=0), len(jobs))


def _log_likelihood(job: Proved, distance: Floats, focus: Floats) -> Floats:
    """Of what a job proved, for spreads of distance and focus (D, F): the focus it really had is integrated out."""
    # Close together where either the marks or nothing at all says that the focus was; far out enough for any.
    finest = 0.1 * min(float(job.unsure_mm.min()), float(focus[0]))
    out = finest * np.sinh(np.linspace(-12.5, 12.5, _NODES))
    had = np.unique(np.concatenate([out, float(np.median(job.off_mm)) + out]))
    steps = np.gradient(had)
    variance = (job.per_share_mm * distance[:, None]) ** 2 + job.unsure_mm**2
    wide = variance + (job.per_share_mm * _ELSEWHERE) ** 2
    apart = (job.off_mm - had[:, None])[:, None] ** 2
    each = (1.0 - _MISTAKEN) * _normal(apart, variance) + _MISTAKEN * _normal(apart, wide)
    logs = np.sum(np.log(np.maximum(each, 1e-290)), axis=2)
    most = logs.max()
    thought = _normal(had**2, focus[:, None] ** 2) * steps
    found: Floats = np.log(np.maximum((thought @ np.exp(logs - most)).T, 1e-300)) + most
    return found


def _normal(squared: Floats, variance: Floats) -> Floats:
    found: Floats = np.exp(-0.5 * squared / variance) / np.sqrt(2.0 * np.pi * variance)
    return found


def _summed(values: Floats, weights: Floats, jobs: int) -> Learned:
    """Median and 95 % of a figure that is known at values evenly apart in its logarithm."""
    share = np.cumsum(weights) - 0.5 * weights
    low, middle, high = np.exp(np.interp(np.array([0.025, 0.5, 0.975]) * weights.sum(), share, np.log(values)))
    return Learned(float(middle), float(low), float(high), jobs)


def time_factor(taken_over_planned: Sequence[float]) -> tuple[Learned, Learned]:
    """How many times the planned time things take, on the whole and for the next job.

    ln(taken / planned) is normal; its mean and spread have their conjugate prior (normal and inverse gamma).
    """
    from scipy.stats import t

    logs = np.log(np.asarray(taken_over_planned, float)) if taken_over_planned else np.zeros(0)
    count = len(logs)
    worth = _TIME_WORTH + count
    mean = float(logs.sum()) / worth
    shape = 1.5 + 0.5 * count
    own = float(logs.mean()) if count else 0.0
    scale = 1.5 * _TIME_SPREAD**2 + 0.5 * float(np.sum((logs - own) ** 2)) + (
        0.5 * _TIME_WORTH * count * own**2 / worth
    )  # fmt: skip
    reach = float(t.ppf(0.975, 2.0 * shape))
    on_the_whole, next_one = (reach * math.sqrt(scale / shape * part) for part in (1.0 / worth, 1.0 + 1.0 / worth))
    return (
        Learned(math.exp(mean), math.exp(mean - on_the_whole), math.exp(mean + on_the_whole), count),
        Learned(math.exp(mean), math.exp(mean - next_one), math.exp(mean + next_one), count),
    )


def kept_promises(promised: float, kept: int, jobs: int) -> Learned:
    """Of jobs that were promised to hold with this probability, the share that does (beta prior at the promise)."""
    from scipy.stats import beta

    at = min(max(promised, 0.02), 0.98)
    a, b = _PROMISE_WORTH * at + kept, _PROMISE_WORTH * (1.0 - at) + jobs - kept
    low, high = beta.ppf([0.025, 0.975], a, b)
    return Learned(a / (a + b), float(low), float(high), jobs)
