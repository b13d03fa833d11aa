"""Learned figures taken into a plan: what carries a ± of its own keeps it, times by hand alone are scaled."""

from __future__ import annotations

from tests.conftest import a_lens, make_plan
from verispect.plan.entry.learned_figures import with_distance_share, with_focus, with_time_factor


def test_marks_without_a_plus_minus_get_their_share() -> None:
    plan = make_plan([(3.0, 1.5, 4.0), (0.0, 1.5, 7.77)])
    first = plan.marks[0].model_copy(update={"plus_minus_m": 0.01})
    plan = plan.model_copy(update={"marks": (first, plan.marks[1])})
    after = with_distance_share(plan, 0.03)
    assert [mark.plus_minus_m for mark in after.marks] == [0.01, 0.23]
    assert with_distance_share(after, 0.5) == after


def test_the_focus_goes_to_the_lens_that_was_meant() -> None:
    plan = make_plan([(0.0, 1.5, 4.0)], lenses=[a_lens(24.0), a_lens(50.0)])
    after = with_focus(plan, "50 tilt", 0.01234)
    assert [lens.focus_plus_minus_mm for lens in after.kit.lenses] == [0.0, 0.012]
    assert with_focus(plan, "none such", 0.01) == plan


def test_what_the_computer_does_takes_as_long_as_before() -> None:
    plan = make_plan([(0.0, 1.5, 4.0)])
    after = with_time_factor(plan, 1.5).kit.times
    assert after.set_up_s == 90.0
    assert after.refocus_s == 4.5
    assert after.merge_s_per_mp == plan.kit.times.merge_s_per_mp
    assert after.timer_s == plan.kit.times.timer_s
