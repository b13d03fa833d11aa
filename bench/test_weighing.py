"""design targets: a full weighing of 50 marks ≤ 0.3 s, of a million-point scan ≤ 2 s."""

from __future__ import annotations

import numpy as np
from tests.conftest import DEMO, make_plan

from verispect.files.plan_file import read_plan
from verispect.plan.advise.follow_up import further
from verispect.plan.advise.weigh import weigh
from verispect.plan.scene import areas
from verispect.subject.scan import Cloud, packed, unpacked


def fifty_marks():
    rng = np.random.default_rng(1)
    z = np.exp(rng.uniform(np.log(3.0), np.log(40.0), 50))
    places = [
        (float(0.5 * d * a), float(1.5 + 0.3 * d * b), float(d))
        for d, a, b in zip(z, rng.uniform(-1, 1, 50), rng.uniform(-1, 1, 50), strict=True)
    ]
    demo = read_plan(DEMO)
    return make_plan(places).model_copy(update={"kit": demo.kit})


def test_fifty_marks_with_three_lenses(benchmark) -> None:
    weighing = benchmark.pedantic(weigh, args=(fifty_marks(),), rounds=5, warmup_rounds=1)
    assert len(weighing.candidates) == 8


def test_what_comes_after_the_advice(benchmark) -> None:
    weighing = weigh(fifty_marks())
    found = benchmark.pedantic(further, args=(weighing,), rounds=3, warmup_rounds=1)
    assert found.changes


def scanned(count: int = 1_000_000):
    """A terrain that must be sharp, and a lens for every method."""
    rng = np.random.default_rng(0)
    x, z = rng.uniform(-30, 30, count), rng.uniform(3, 80, count)
    y = 0.5 * np.sin(x / 5) + 0.3 * np.cos(z / 7) + 0.02 * rng.standard_normal(count)
    cloud = Cloud(name="terrain", need="must", count=count, points=packed(np.column_stack([x, y, z])))
    demo = read_plan(DEMO)
    return make_plan([(0.0, 1.5, 5.0)]).model_copy(update={"kit": demo.kit, "scans": (cloud,)})


def test_a_million_points_with_three_lenses(benchmark) -> None:
    """From the plan as it comes out of its file, nothing remembered."""
    plan = scanned()
    weigh(scanned(20_000))  # what is imported on the way

    def fresh() -> None:
        for kept in (unpacked, areas._in_picture, areas._reduced):
            kept.cache_clear()
        assert len(weigh(plan).candidates) == 8

    benchmark.pedantic(fresh, rounds=3, warmup_rounds=0)
