"""design target: a full weighing of 50 marks ≤ 0.3 s."""

from __future__ import annotations

import numpy as np
from tests.conftest import DEMO, make_plan

from verispect.files.plan_file import read_plan
from verispect.plan.weigh import weigh


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
