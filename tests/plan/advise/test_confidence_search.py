"""A probability asked for beside wishes: the musts come first, and what is asked quickly is what a weighing finds."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import make_plan
from tests.plan.advise.test_weigh import scattered_plan
from verispect.files.plan_file import read_plan
from verispect.plan.advise.confidence_search import can_be_sure, deciding_alone, sure_enough
from verispect.plan.document import Plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.subject.mark import Mark, Need

EXAMPLE = Path(__file__).parents[3] / "examples" / "table-of-goods.verispect"


def plan_with_wishes(least: float) -> Plan:
    """Two musts, one of them known to 2 cm, two shoulds and something wanted soft behind them."""
    plan = read_plan(EXAMPLE)
    rows = [
        ("Near", -0.005, 1.057, 1.469, Need.SHOULD, 0.5, 0.0, 2.0),
        ("Low", -0.130, 0.832, 1.508, Need.MUST, 0.2, 0.0, 2.0),
        ("High", 0.027, 1.089, 1.461, Need.MUST, 0.5, 0.02, 2.0),
        ("Middle", -0.038, 1.003, 1.459, Need.SHOULD, 0.3, 0.02, 2.0),
        ("Behind", -0.090, 0.962, 2.929, Need.SOFT, 0.5, 0.02, 5.0),
    ]
    marks = tuple(
        Mark(name=name, x_m=x, y_m=y, z_m=z, need=need, detail_mm=detail, plus_minus_m=unsure, soft_times=times)
        for name, x, y, z, need, detail, unsure, times in rows
    )
    wish = plan.wish.model_copy(update={"rule": "root-sum", "least_probability": least})
    camera = plan.camera.model_copy(update={"pitch_deg": -24.0})
    return plan.model_copy(update={"marks": marks, "wish": wish, "camera": camera})


def test_wishes_give_way_where_with_them_the_musts_are_not_sure_enough() -> None:
    plan = plan_with_wishes(0.95)
    by_wishes = sure_enough(worked("tilt", build_scene(plan_with_wishes(0.0))))
    assert by_wishes.holds
    assert by_wishes.confidence is not None
    assert by_wishes.confidence.holds < 0.9
    found = sure_enough(worked("tilt", build_scene(plan)))
    assert found.holds
    assert found.confidence is not None
    assert found.confidence.holds >= 0.95
    assert found.is_sure
    # It is the plan's own scene that is told of, its shoulds and all.
    assert found.scene.plan is plan
    assert found.rendering is not None
    assert found.rendering.softness.shape == (5,)
    said = str(found.notes[-1])
    assert f"to hold in {100 * found.confidence.holds:.0f} of 100 tries; with what is wished besides" in said


def test_where_the_wishes_cost_nothing_they_stay() -> None:
    found = sure_enough(worked("tilt-series", build_scene(plan_with_wishes(0.9))))
    assert found.confidence is not None
    assert found.confidence.holds >= 0.9
    assert not any("alone" in str(note) for note in found.notes)


@pytest.mark.parametrize("least", [0.0, 0.6, 0.95])
@pytest.mark.parametrize("key", ["one-frame", "tilt", "series", "tilt-series"])
def test_what_can_be_sure_is_what_a_weighing_finds_sure(key: str, least: float) -> None:
    plans = [plan_with_wishes(least)]
    for seed in (3, 8):
        plan = scattered_plan(seed)
        marks = tuple(mark.model_copy(update={"plus_minus_m": 0.03 * mark.z_m}) for mark in plan.marks)
        wish = plan.wish.model_copy(update={"least_probability": least})
        plans.append(plan.model_copy(update={"marks": marks, "wish": wish}))
    for plan in plans:
        found = sure_enough(worked(key, build_scene(plan)))
        sure = found.holds and (least == 0.0 or found.is_sure)
        assert can_be_sure(key, plan) == sure


def test_only_wishes_are_put_aside() -> None:
    plan = plan_with_wishes(0.9)
    assert [mark.need for mark in deciding_alone(plan).marks] == [
        Need.MAY, Need.MUST, Need.MUST, Need.MAY, Need.MAY
    ]  # fmt: skip
    alone = make_plan([(0, 1, 3), (0, 1, 5)])
    assert deciding_alone(alone) is alone
