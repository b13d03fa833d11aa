"""Curved fields and focus that shifts with the stop: traced rays through a bent image, and the best focus for it."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import a_lens, make_plan
from verispect.optics.blur import blur_axes_mm
from verispect.optics.focus_bend import FocusBend
from verispect.optics.lens_state import LensState
from verispect.plan.assess.confidence import confidence
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene

CURVED = [{"f_number": 4.0, "half_um": -10.0, "corner_um": -45.0}]
SHIFTED = [{"f_number": 4.0, "um": 0.0}, {"f_number": 16.0, "um": 300.0}]


@given(st.floats(-30.0, 30.0), st.floats(-80.0, 80.0), st.floats(0.0, 1.0))
def test_the_course_goes_through_what_was_measured(half_um, corner_um, share) -> None:
    bend = FocusBend(21.6, curvature=((8.0, half_um / 1000.0, corner_um / 1000.0),))
    at = bend.away_mm(np.array([0.0, 10.8, 21.6, 40.0]), 8.0) * 1000.0
    assert at == pytest.approx([0.0, half_um, corner_um, corner_um], abs=1e-9)
    # Even in the height, so level on the axis.
    assert abs(bend.away_mm(21.6e-3 * share, 8.0)) < 1e-4


@given(st.floats(0.0, 0.55), st.floats(2.0, 60.0), st.floats(0.6, 1.6))
def test_blur_is_that_of_rays_to_where_the_image_really_lies(tangent, away_m, pupils) -> None:
    # A cone from the rim of the exit pupil to the image point, put so much farther, cut by the sensor.
    bend = FocusBend(21.6, curvature=((4.0, -0.02, -0.07),), shift=((4.0, 0.05),))
    state = LensState(35.0, 4.0, 35.4, pupil_magnification=pupils, bend=bend)
    point = np.array([tangent, 0.0, 1.0]) * away_m * 1000.0
    beyond = point[2] - 35.0
    image_mm, height = 35.0 * point[2] / beyond, 35.0 * point[0] / beyond
    image_mm += float(bend.away_mm(height, 4.0))
    exit_mm = 35.0 * (1.0 - pupils)
    expected = 35.0 * pupils / 4.0 * abs(state.image_distance_mm - image_mm) / (image_mm - exit_mm)
    assert float(blur_axes_mm(point, state)[0]) == pytest.approx(expected, rel=2e-3, abs=1e-6)


def flat_wall(**lens):
    """Nine marks over a wall that fills the picture."""
    half = np.array([18.0, 12.0]) / 35.0 * 4.0 * 0.95
    places = [(float(x * half[0]), float(1.5 + y * half[1] * 0.5), 4.0) for x in (-1, 0, 1) for y in (-1, 0, 1)]
    return make_plan(places, framing=35.0, lenses=[a_lens(35.0, f_numbers=[4, 16]) | lens], rule="disc",
                     print_mm=(600, 400), series_covers="marks")  # fmt: skip


def test_one_frame_is_focused_between_middle_and_corner() -> None:
    plain, curved = (
        worked("one-frame", build_scene(flat_wall(**lens))) for lens in ({}, {"field_curvature": CURVED})
    )
    moved = 1000.0 * (curved.exposures[0].state.image_distance_mm - plain.exposures[0].state.image_distance_mm)
    assert -45.0 < moved < -5.0
    assert plain.worst_softness < 1e-6 < curved.worst_softness


def test_a_lens_whose_focus_shifts_is_focused_for_the_stop_it_is_used_at() -> None:
    deep = flat_wall(focus_shift=SHIFTED)
    far = deep.marks[0].model_copy(update={"name": "far", "z_m": 40.0, "x_m": 0.0})
    plan = deep.model_copy(update={"marks": (*deep.marks, far)})
    found = worked("one-frame", build_scene(plan))
    state = found.exposures[0].state
    assert state.f_number > 5.6
    away = 0.3 * math.log2(state.f_number / 4.0) / 2.0
    # The two ends are blurred alike about where the shifted focus lies.
    near, there = (35.0 * z / (z - 35.0) + away for z in (4000.0, 40000.0))
    assert state.image_distance_mm == pytest.approx(0.5 * (near + there), abs=0.003)


def test_a_series_covers_a_curved_field_and_no_ideal_one_would() -> None:
    plan = flat_wall(field_curvature=[{"f_number": 4.0, "half_um": -100.0, "corner_um": -400.0}], f_numbers=[4, 5.6])
    found = worked("series", build_scene(plan))
    assert found.holds
    assert found.frame_count > 1


def test_the_confidence_knows_the_bend() -> None:
    plan = flat_wall(field_curvature=CURVED, focus_plus_minus_mm=0.0)
    marks = tuple(mark.model_copy(update={"plus_minus_m": 1e-4}) for mark in plan.marks)
    found = worked("one-frame", build_scene(plan.model_copy(update={"marks": marks})))
    sure = confidence(found, draws=200)
    assert sure.holds in (0.0, 1.0)
    assert (sure.holds == 1.0) == (found.worst_softness <= 1.0)
