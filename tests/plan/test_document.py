"""A picture framed by its width, from a tenth of life size to ten times it."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import a_lens, make_plan
from verispect.errors import VerispectError
from verispect.files.plan_file import plan_from_text
from verispect.plan.document import Plan
from verispect.plan.methods.rail_series import depth_at
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene

FOCAL = 60.0


def close_up(life_size: float, *, pupils: float = 1.0, deep_mm: float = 0.5, **wish) -> Plan:
    """A picture that fills the sensor at a magnification, with a mark in its plane, one before and one behind."""
    away = FOCAL * (1.0 + 1.0 / life_size)
    from_pupil = (away - FOCAL * (1.0 - 1.0 / pupils)) / 1000.0
    side = 0.1 * 36.0 / life_size / 1000.0
    depth = deep_mm / 1000.0
    lens = a_lens(FOCAL, closest_m=0.2, closest_magnification=10.0, pupil_magnification=pupils, f_numbers=[2, 32])
    plan = make_plan(
        [(0.0, 1.5, from_pupil), (side, 1.5, from_pupil + depth), (-side, 1.5, from_pupil - depth)],
        camera={"framing_width_mm": 36.0 / life_size, "framing_at_m": away / 1000.0},
        lenses=[lens],
        **({"print_mm": (300, 200)} | wish),
    )
    kit = plan.kit.model_dump(mode="json") | {"rail": {"travel_mm": 100}}
    return Plan.model_validate(plan.model_dump(mode="json") | {"kit": kit})


@given(st.floats(0.02, 10.0), st.floats(0.5, 2.0))
def test_the_frequency_on_the_sensor_is_the_prints_whatever_the_magnification(life_size, pupils) -> None:
    # What fills the sensor is enlarged 300/36 times at any magnification.
    scene = build_scene(close_up(life_size, pupils=pupils, deep_mm=0.01))
    found = worked("one-frame", scene)
    assert found.fits
    assert found.criterion.frequency == pytest.approx(
        scene.plan.wish.print_line_pairs_per_mm() * 300.0 / 36.0, rel=1e-6
    )
    assert found.final_pixels == scene.plan.kit.body.pixels
    assert found.exposures[0].state.magnification == pytest.approx(life_size, rel=0.01)


def test_the_best_stop_opens_with_magnification() -> None:
    stops = [worked("series", build_scene(close_up(m, deep_mm=2.0 / m))).exposures[0].state for m in (1, 2, 5, 10)]
    marked = [state.f_number for state in stops]
    assert marked == sorted(marked, reverse=True)
    assert marked[-1] < 0.35 * marked[0]
    for state in stops:
        assert state.working_f_number == pytest.approx(state.f_number * (1.0 + state.magnification))


@pytest.mark.parametrize("life_size", [0.5, 1.0, 3.0, 10.0])
def test_a_step_of_the_rail_is_the_depth_that_handbooks_give(life_size) -> None:
    # Total depth 2 N c (1 + m)/m² for a lens whose pupils are alike, close to the lens (standard close-up formula).
    found = worked("rail-series", build_scene(close_up(life_size, deep_mm=6.0 / life_size**2, rule="disc")))
    assert found.fits
    exposure = found.exposures[0]
    near, far = depth_at(exposure.state, exposure.allowed_blur_mm)
    expected = 2.0 * exposure.state.f_number * exposure.allowed_blur_mm * (1.0 + life_size) / life_size**2
    assert far - near == pytest.approx(expected, rel=0.03)


def test_a_width_is_not_judged_as_if_the_lens_drew_it_smaller() -> None:
    by_width = close_up(0.5, deep_mm=8.0, rule="disc")
    # The lens sees, at half of life size, what a lens of 1.5 f sees at infinity.
    content = by_width.model_dump(mode="json")
    content["camera"] |= {"framing_width_mm": None, "framing_at_m": None, "framing_mm": 1.5 * FOCAL}
    by_focal = Plan.model_validate(content)
    assert by_focal.framing_mm == pytest.approx(by_width.framing_mm)
    first, second = (worked("series", build_scene(plan)) for plan in (by_width, by_focal))
    assert first.frame_count <= second.frame_count
    assert first.criterion.disc_mm == pytest.approx(1.5 * second.criterion.disc_mm)


def test_a_zoom_is_set_to_what_takes_the_width_in() -> None:
    plan = close_up(0.25)
    lens = a_lens(60.0) | {"name": "zoom", "focal_mm": [30, 120], "closest_m": 0.1}
    content = plan.model_dump(mode="json")
    content["kit"]["lenses"] = [lens]
    found = worked("one-frame", build_scene(Plan.model_validate(content)))
    away = 1000.0 * plan.camera.framing_at_m
    assert found.focal_mm / (away - found.focal_mm) == pytest.approx(0.25, rel=1e-6)


def test_a_width_without_its_distance_is_asked_for_in_one_sentence() -> None:
    text = '{"format": "verispect-plan", "version": 1, "camera": {"framing_width_mm": 36}}'
    with pytest.raises(VerispectError, match="framing_at_m"):
        plan_from_text(text, name="a plan")


def test_a_lens_reversed_has_its_pupils_the_other_way_round() -> None:
    plan = close_up(2.0, pupils=1.25, deep_mm=0.02)
    content = plan.model_dump(mode="json")
    content["kit"]["lenses"][0] |= {"pupil_magnification": 0.8, "reversed": True}
    reversed_lens = worked("one-frame", build_scene(Plan.model_validate(content)))
    as_built = worked("one-frame", build_scene(plan))
    assert reversed_lens.exposures[0].state.pupil_magnification == pytest.approx(1.25)
    assert reversed_lens.worst_softness == pytest.approx(as_built.worst_softness)
    assert math.isfinite(as_built.worst_softness)


@pytest.mark.parametrize("year", ["0001", "9999"])
def test_a_year_without_a_known_sky_is_refused_in_one_sentence(year) -> None:
    site = f'{{"latitude_deg": 1, "longitude_deg": 2, "from": "{year}-12-31T00:00:00Z"}}'
    with pytest.raises(VerispectError, match="a year from 1600 to 2400"):
        plan_from_text(f'{{"format": "verispect-plan", "version": 1, "site": {site}}}', name="a plan")
