"""A higher ISO where what moves asks for it, and no farther than its noise allows."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.files.weighing_json import weighing_to_dict
from verispect.kit.equipment import Body
from verispect.plan.advise.weigh import weigh
from verispect.plan.document import Plan
from verispect.plan.methods.refine.iso_choice import signal_to_noise
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene


def walker(ev100: float, *, body=None, **wish) -> Plan:
    """Somebody walks by at 1.2 m/s, five metres away, as the day ends."""
    plan = make_plan([(0.0, 1.5, 5.0)], lenses=[a_lens(24.0)], marks={"speed_mm_s": 1200}, **wish)
    content = plan.model_dump(mode="json") | {"light": {"ev100": ev100}}
    content["kit"]["body"] |= body or {}
    return Plan.model_validate(content)


def test_without_a_range_the_iso_stays_and_the_smear_is_named() -> None:
    weighing = weigh(walker(6.0))
    assert not any(candidate.holds for candidate in weighing.candidates)
    assert any("smears at every stop" in str(line) and "higher ISO" in str(line) for line in weighing.because)


def test_the_lowest_iso_that_holds_is_taken_and_said() -> None:
    plan = walker(6.0, body={"iso_range": [100, 25600]})
    found = worked("one-frame", build_scene(plan))
    assert found.holds
    iso = found.scene.plan.kit.body.iso
    assert iso > 100.0
    assert f"Set ISO {iso:.0f}" in str(found.notes[0])
    body = plan.kit.body.model_dump() | {"iso": iso / 2.0, "iso_range": None}
    lower = plan.model_copy(update={"kit": plan.kit.model_copy(update={"body": Body.model_validate(body)})})
    assert not worked("one-frame", build_scene(lower)).holds
    told = weighing_to_dict(weigh(plan))["methods"][0]
    # ISO 2720: twice the ISO, half the time.
    assert told["iso"] == iso
    state = found.exposures[0].state
    assert found.exposures[0].shutter_s == pytest.approx(state.working_f_number**2 / 2.0**6.0 * 100.0 / iso, rel=0.02)


def test_the_noise_that_is_asked_for_ends_the_range() -> None:
    free, held = (walker(6.0, body={"iso_range": [100, 25600]}, noise_ratio=ratio) for ratio in (None, 1e4))
    assert worked("one-frame", build_scene(free)).holds
    assert not worked("one-frame", build_scene(held)).holds


def test_signal_to_noise_is_that_of_counted_photons() -> None:
    body = Body(full_well_e=40_000.0, read_noise_e=5.0, iso=100.0)
    frequency = 1.0 / (4.0 * body.pixel_mm)  # a line pair of four pixels
    rng = np.random.default_rng(0)
    for iso in (100.0, 1600.0):
        electrons = 0.18 * 40_000.0 * 100.0 / iso
        patches = (rng.poisson(electrons, (20_000, 16)) + rng.normal(0.0, 5.0, (20_000, 16))).mean(axis=1)
        assert signal_to_noise(body, iso=iso, frequency=frequency) == pytest.approx(
            float(patches.mean() / patches.std()), rel=0.03
        )


def test_a_frame_of_days_is_not_advised() -> None:
    plan = make_plan([(0.0, 1.5, 5.0)])
    dark = plan.model_copy(update={"light": plan.light.model_copy(update={"ev100": -10.0})})
    film = {"film": {"exponent": 3.0, "from_s": 1.0}, "iso": 0.1}
    content = dark.model_dump(mode="json")
    content["kit"]["body"] |= film
    weighing = weigh(Plan.model_validate(content))
    assert all(math.isfinite(exposure.shutter_s) and exposure.shutter_s <= 86400.0
               for candidate in weighing.candidates for exposure in candidate.exposures)  # fmt: skip
    assert any("bring light" in str(reason) for candidate in weighing.candidates for reason in candidate.why_not)
