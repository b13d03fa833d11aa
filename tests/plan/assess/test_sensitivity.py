"""What to measure better: found among figures of which one alone spoils the plan."""

from __future__ import annotations

import pytest

from tests.conftest import a_lens, make_plan
from verispect.plan.advise.weigh import weigh
from verispect.plan.assess.sensitivity import most_telling

PLACES = [(0.0, 1.5, 1.75), (0.1, 1.4, 3.0)]


def told(camera=None, marks=None, **lens) -> str:
    plan = make_plan(PLACES, rule="disc", lenses=[a_lens(24.0, f_numbers=[5.6, 5.6], **lens)], camera=camera)
    if marks:
        changed = [mark.model_copy(update=values) for mark, values in zip(plan.marks, marks, strict=True)]
        plan = plan.model_copy(update={"marks": tuple(changed)})
    return str(most_telling(weigh(plan).by_key("one-frame")) or "")


@pytest.mark.parametrize(
    ("unsure", "figure"),
    [
        ({"marks": [{"plus_minus_m": 0.5}, {"plus_minus_m": 0.05}]}, "how far away m0 is"),
        ({"marks": [{"plus_minus_m": 0.01}, {"plus_minus_m": 2.0}]}, "how far away m1 is"),
        ({"marks": [{"plus_minus_m": 0.02}, {}], "focus_plus_minus_mm": 0.2}, "the focus"),
        ({"camera": {"height_plus_minus_m": 0.01}, "focal_plus_minus_percent": 8.0}, "the focal length"),
        ({"camera": {"pitch_plus_minus_deg": 0.1}, "stop_plus_minus_stops": 1.5}, "the stop"),
    ],
)
def test_the_figure_that_spoils_is_named(unsure, figure) -> None:
    assert f"Measuring {figure} better" in told(**unsure)


def test_nothing_is_named_where_all_is_sure_enough() -> None:
    assert told() == ""
    assert told(marks=[{"plus_minus_m": 0.001}, {"plus_minus_m": 0.001}]) == ""


def test_the_advice_says_what_would_tell_most() -> None:
    plan = make_plan(PLACES, rule="disc", lenses=[a_lens(24.0, f_numbers=[5.6, 5.6])], marks={"plus_minus_m": 0.4})
    assert any("better would help most" in str(reason) for reason in weigh(plan).because)
