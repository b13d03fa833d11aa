"""A rail series and a small grid that rigs can drive."""

from __future__ import annotations

import pytest

from tests.conftest import a_lens, make_plan
from verispect.kit.equipment import Head, Rail
from verispect.plan.document import BodyBracket
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene


@pytest.fixture(scope="session")
def grid() -> Candidate:
    """Three cells or a few more, one focus."""
    lens = a_lens(85.0, f_numbers=[8, 8], tilt_deg=0)
    plan = make_plan([(-2.6, 1.5, 7.0), (0.0, 2.0, 7.4), (2.6, 1.2, 7.0)], framing=50.0, lenses=[lens])
    kit = plan.kit.model_copy(update={"head": Head(slack_deg=0.5)})
    return worked("turned-grid", build_scene(plan.model_copy(update={"kit": kit})))


@pytest.fixture(scope="session")
def rail() -> Candidate:
    """A few millimetres of rail, close up."""
    lens = a_lens(60.0, f_numbers=[8, 8], tilt_deg=0, closest_m=0.18, closest_magnification=1.0)
    plan = make_plan([(0.0, 1.5, 0.13), (0.003, 1.503, 0.133), (-0.003, 1.497, 0.136)], framing=60.0, lenses=[lens])
    kit = plan.kit.model_copy(update={"rail": Rail(slack_mm=0.2)})
    return worked("rail-series", build_scene(plan.model_copy(update={"kit": kit})))


@pytest.fixture(scope="session")
def grid_series() -> Candidate:
    """A few cells, each deep, whose focus the body brackets by itself."""
    lens = a_lens(85.0, f_numbers=[5.6, 5.6], tilt_deg=0) | {
        "focus_step": {"per_step_of_depth": 0.4, "plus_minus": 0.02}
    }
    near = [(-1.6, 1.5, 4.0), (-2.4, 1.6, 6.5), (1.6, 1.4, 4.0), (2.4, 1.6, 6.5)]
    plan = make_plan(near, framing=50.0, lenses=[lens])
    kit = plan.kit.model_copy(update={"head": Head(slack_deg=0.5)})
    choice = plan.choice.model_copy(update={"bracket": BodyBracket()})
    found = worked("turned-grid-series", build_scene(plan.model_copy(update={"kit": kit, "choice": choice})))
    assert found.is_bracketed
    return found
