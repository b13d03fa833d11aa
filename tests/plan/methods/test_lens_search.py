"""What is left over once every must holds goes to the shoulds."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest

from tests.conftest import ROOT, a_lens, make_plan
from verispect.files.plan_file import read_plan
from verispect.plan.frames.rendering import render
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.subject.mark import Mark, Need


def with_shoulds(plan, *last: int):
    marks = [mark.model_dump(mode="json") for mark in plan.marks]
    for k in last:
        marks[k]["need"] = Need.SHOULD.value
    return plan.model_copy(update={"marks": tuple(Mark.model_validate(mark) for mark in marks)})


def test_the_example_of_a_table_holds_its_shoulds_too() -> None:
    # A search of everything had found f/9 with all five at 0.61.
    found = worked("tilt", build_scene(read_plan(ROOT / "examples" / "table-of-goods.verispect")))
    assert found.exposures[0].state.f_number == pytest.approx(8.98, abs=0.01)
    assert not found.loose_shoulds
    assert float(found.rendering.softness.max()) == pytest.approx(0.61, abs=0.01)


@pytest.mark.parametrize("seed", range(2))
def test_one_frame_leaves_as_few_shoulds_soft_as_any_focus_and_stop(seed) -> None:
    rng = np.random.default_rng(seed)
    depth = np.sort(np.exp(rng.uniform(math.log(2.0), math.log(12.0), 5)))
    places = [(0.1 * k - 0.2, 1.5, float(z)) for k, z in enumerate(depth)]
    lens = a_lens(35.0, f_numbers=[2.8, 16])
    plan = with_shoulds(make_plan(places, framing=35.0, lenses=[lens], print_mm=(500, 333)), 0, 4)
    scene = build_scene(plan)
    found = worked("one-frame", scene)
    if not found.holds:
        pytest.skip("the musts alone do not hold")
    problem, best = found.problem, 99
    low, high = (35.0 * z / (z - 35.0) for z in (20_000.0, 1_500.0))
    for stop, v in itertools.product(problem.stops, np.linspace(low, high, 160)):
        exposure = problem.exposure(problem.state(f_number=float(stop), image_distance_mm=float(v)))
        softness = render(scene, [exposure], found.criterion).softness
        if np.all(softness[scene.deciding] <= 1.0):
            best = min(best, int(np.sum(softness[scene.shoulds_in_picture] > 1.0)))
    assert len(found.loose_shoulds) <= best


def test_a_should_out_of_reach_costs_no_must() -> None:
    places = [(0.0, 1.5, 3.0), (0.2, 1.5, 3.2), (0.1, 1.5, 400.0)]
    plan = with_shoulds(make_plan(places, framing=50.0, lenses=[a_lens(50.0)], print_mm=(1200, 800)), 2)
    found = worked("one-frame", build_scene(plan))
    assert found.holds
    assert found.loose_shoulds == ("m2",)


def test_a_grid_is_stopped_down_for_what_should_be_sharp() -> None:
    places = [(-0.6, 1.5, 2.0), (0.6, 1.5, 2.6), (-0.5, 1.4, 2.15)]
    plan = with_shoulds(make_plan(places, framing=24.0, lenses=[a_lens(50.0)], print_mm=(700, 467)), 2)
    found = worked("turned-grid", build_scene(plan))
    assert found.holds
    assert not found.loose_shoulds
