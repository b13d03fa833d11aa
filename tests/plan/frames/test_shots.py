"""Shots of each frame: their order, their light, and what they cost."""

from __future__ import annotations

import math
from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.conftest import DEMO, a_lens, make_plan
from verispect.files.plan_file import read_plan
from verispect.plan.assess.costs import costs_of
from verispect.plan.document import Order, Plan, ShotsEach
from verispect.plan.explain.frame_table import frame_rows, in_work_order, shot_row, shown_columns
from verispect.plan.frames.rendering import render
from verispect.plan.frames.shots import Shot, shots_of
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene


def with_shots(plan: Plan, each: int, apart: float = 0.0) -> Plan:
    shots = ShotsEach(each=each, apart_stops=apart)
    return plan.model_copy(update={"choice": plan.choice.model_copy(update={"shots": shots})})


def series_of(each: int, apart: float = 0.0) -> Candidate:
    lens = a_lens(85.0, f_numbers=[4, 4], tilt_deg=0, closest_m=0.5)
    plan = make_plan([(-0.3, 1.25, 1.6), (0.25, 1.7, 2.2), (0.1, 1.3, 3.0)], framing=85.0, lenses=[lens])
    return worked("series", build_scene(with_shots(plan, each, apart)))


@given(each=st.integers(1, 9), apart=st.floats(0.0, 2.0), count=st.integers(1, 6))
def test_steps_go_out_from_the_plan_to_both_sides(each: int, apart: float, count: int) -> None:
    steps = ShotsEach(each=each, apart_stops=apart).steps
    assert len(steps) == each
    assert steps[0] == 0.0
    # Sorted they are evenly apart, and none is further out than half of them.
    assert sorted(steps) == pytest.approx([apart * (k - each // 2) for k in range(each)])
    shots = shots_of(range(count), steps, several=range(count))
    assert [shot.exposure for shot in shots] == [k for k in range(count) for _ in range(each)]
    assert [shot.stops for shot in shots[:each]] == list(steps)


def test_steps_that_no_camera_has_are_refused() -> None:
    with pytest.raises(ValidationError, match="at most 10 stops"):
        ShotsEach(each=9, apart_stops=3.0)
    plan = read_plan(DEMO)
    assert plan.choice.shots.each == 1


def test_a_shot_is_its_frame_with_another_time() -> None:
    exposures = series_of(3, 2.0).exposures
    assert Shot(1).of(exposures) is exposures[1]
    longer = Shot(1, 2, 2.0).of(exposures)
    assert longer.shutter_s == pytest.approx(4.0 * exposures[1].shutter_s)
    assert (longer.state, longer.pose) == (exposures[1].state, exposures[1].pose)


def test_time_card_and_battery_count_every_shot() -> None:
    once, thrice = series_of(1), series_of(3, 1.0)
    assert thrice.frame_count == once.frame_count > 2, "the plan's frames stay what they are"
    assert thrice.shot_count == 3 * once.shot_count
    assert costs_of(thrice).storage_mb == pytest.approx(3.0 * costs_of(once).storage_mb)
    # One at the time, one at half and one at twice of it: three and a half times the light.
    assert thrice.open_s == pytest.approx(3.5 * once.open_s)
    more = 2 * once.frame_count * once.scene.plan.kit.times.frame_s + 2.5 * once.open_s
    assert thrice.time_on_site_s - once.time_on_site_s == pytest.approx(more)
    assert thrice.run_s - once.run_s == pytest.approx(more)
    assert thrice.worst_softness == once.worst_softness


def test_the_frame_list_tells_how_often_or_the_times() -> None:
    once, alike, steps = series_of(1), series_of(5), series_of(3, 2.0)
    keys = [[column.key for column in shown_columns(candidate)] for candidate in (once, alike, steps)]
    assert "shots" not in keys[0]
    assert {"shots", "shutter_s"} <= set(keys[1])
    assert "shots" in keys[2]
    assert "shutter_s" not in keys[2], "the times of the shots stand in its place"
    assert "shutter_s" in [column.key for column in shown_columns(steps, one_shot=True)]
    assert frame_rows(alike)[0].shots == "5"
    assert frame_rows(once)[0].shots == "1"
    row = frame_rows(steps)[0]
    told = [Fraction(part) for part in row.shots.removesuffix(" s").split(", ")]
    assert [round(math.log2(part / told[0])) for part in told] == [0, -2, 2]
    assert shot_row(row, Shot(0, 1, -2.0)).shutter_s == pytest.approx(row.shutter_s / 4.0)


@given(p=st.floats(0.05, 0.99))
def test_in_wind_so_many_that_one_is_still_nineteen_times_in_twenty(p: float) -> None:
    count = ShotsEach(still_share=p).count
    assert (1.0 - p) ** count <= 0.05 * (1.0 + 1e-9)
    assert count == 1 or (1.0 - p) ** (count - 1) > 0.05 * (1.0 - 1e-9)


def test_only_frames_that_a_must_hangs_on_are_doubled_where_that_is_asked() -> None:
    """Against every frame left out by hand."""
    lens = a_lens(50.0, f_numbers=[4, 8], tilt_deg=0, closest_m=0.4)
    places = [(0.1 * k - 0.2, 1.5, z) for k, z in enumerate((0.9, 1.3, 1.31, 3.5, 9.0))]
    plan = make_plan(places, framing=50.0, lenses=[lens], print_mm=(450, 300))
    found = worked("series", build_scene(with_shots(plan, 2)))
    choice = found.scene.plan.choice
    asked = choice.model_copy(update={"shots": choice.shots.model_copy(update={"needed_only": True})})
    scene = replace(found.scene, plan=found.scene.plan.model_copy(update={"choice": asked}))
    found = replace(found, scene=scene)
    needed = set()
    for k in range(found.frame_count):
        rest = [exposure for j, exposure in enumerate(found.exposures) if j != k]
        seen = render(scene, rest, found.criterion)
        if np.any((seen.softness > 1.0)[scene.deciding]):
            needed.add(k)
    assert 0 < len(needed) < found.frame_count
    assert {shot.exposure for shot in found.shots if shot.number} == needed
    assert found.shot_count == found.frame_count + len(needed)
    assert found.open_s == pytest.approx(sum(shot.of(found.exposures).shutter_s for shot in found.shots))
    assert {k for k, row in enumerate(frame_rows(found)) if row.shots == "2"} == needed


@pytest.mark.parametrize("order", list(Order))
def test_the_run_and_the_lists_follow_the_order(order: Order) -> None:
    found = series_of(2)
    asked = found.scene.plan.choice.model_copy(update={"order": order})
    found = replace(found, scene=replace(found.scene, plan=found.scene.plan.model_copy(update={"choice": asked})))
    sequence = found.in_order(order)
    assert [shot.exposure for shot in found.shots[::2]] == sequence == found.sequence
    focus = [row.focus_m for row in in_work_order(frame_rows(found))]
    assert focus == [found.exposures[k].focus_m for k in sequence]
    if order is Order.FAR_NEAR:
        assert focus == sorted(focus, reverse=True)
    assert [found.number_of(k) for k in sequence] == list(range(1, found.frame_count + 1))
