"""Shifted grids on a mount that holds some directions only: held, covered, overlapping, and as few as can be."""

from __future__ import annotations

import math
from itertools import combinations_with_replacement

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import a_lens, make_plan
from verispect.optics.movements import rotation_and_shift
from verispect.plan.explain.frame_table import frame_rows, shown_columns
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.solve.grid_layout import shifted_centres_mm
from verispect.plan.solve.held_shifts import held_centres_mm

SENSOR = (36.0, 24.0)


@settings(max_examples=15)
@given(
    st.floats(37.0, 75.0), st.floats(20.0, 50.0), st.sampled_from([90.0, 45.0, 30.0, 22.5]),
    st.floats(0.1, 0.4), st.sampled_from([0.0, 0.5, 1.0]), st.floats(-3.0, 3.0),
)  # fmt: skip
def test_what_is_found_is_held_covers_and_overlaps(width, height, detents, overlap, step, rise) -> None:
    asked = {"picture_mm": (width, height), "sensor_mm": SENSOR, "overlap": overlap, "step_mm": step}
    found = held_centres_mm(**asked, middle_mm=(0.0, rise), detents_deg=detents, limit_mm=30.0)
    free = shifted_centres_mm(**asked)[0]
    if found is None:
        return
    centres, columns = np.array(found[0]), found[1]
    assert len(centres) >= len(free) or step > 0.0
    for x, y in centres:
        turn, shift = rotation_and_shift(float(x), float(y))
        assert shift * math.sin(math.radians(turn)) == pytest.approx(x, abs=1e-9)
        assert shift * math.cos(math.radians(turn)) == pytest.approx(y, abs=1e-9)
        if abs(shift) > 1e-6:
            assert turn / detents == pytest.approx(round(turn / detents), abs=1e-6)
        if step:
            assert shift / step == pytest.approx(round(shift / step), abs=1e-6)
    # Every place of the picture, sampled densely, lies on a frame.
    x, y = np.meshgrid(np.linspace(-0.5, 0.5, 151) * width, rise + np.linspace(-0.5, 0.5, 101) * height)
    places = np.column_stack([x.ravel(), y.ravel()])
    off = np.abs(places[:, None] - centres)
    assert np.all(np.any(np.all(off <= np.array(SENSOR) / 2 + 1e-6, axis=2), axis=1))
    net = centres.reshape(-1, columns, 2)
    for first, second in ((net[:, :-1], net[:, 1:]), (net[:-1], net[1:])):
        if first.size:
            assert np.prod(1.0 - np.abs(second - first) / np.array(SENSOR), axis=-1).min() >= overlap - 1e-6


def test_two_frames_are_found_wherever_any_two_held_places_would_do() -> None:
    """Exhaustive over all pairs of held places a quarter of a millimetre apart."""
    ways = [(math.cos(math.radians(a)), math.sin(math.radians(a))) for a in (0, 30, 60, 90, 120, 150)]
    places = [(r * x, r * y) for x, y in ways for r in np.arange(-12.0, 12.01, 0.25)]
    for width, height in ((50.0, 22.0), (56.0, 23.0), (58.0, 24.0), (47.0, 20.0)):
        able = False
        for (x0, y0), (x1, y1) in combinations_with_replacement(places, 2):
            left, right = min(x0, x1), max(x0, x1)
            high = max(abs(y0), abs(y1)) <= (24.0 - height) / 2 + 1e-9
            wide = left <= 18.0 - width / 2 + 1e-9 and right >= width / 2 - 18.0 - 1e-9
            shared = (1.0 - (right - left) / 36.0) * (1.0 - abs(y1 - y0) / 24.0)
            able = able or (high and wide and shared >= 0.3 - 1e-9)
        found = held_centres_mm(
            picture_mm=(width, height), sensor_mm=SENSOR, middle_mm=(0.0, 0.0), overlap=0.3, detents_deg=30.0,
            limit_mm=12.0,
        )  # fmt: skip
        assert (found is not None and len(found[0]) == 2) == able, (width, height)


def shifted(**values):
    lens = a_lens(35.0, shift_mm=14.0, tilt_mount="rotating", image_circle_mm=110.0) | values
    plan = make_plan([(0.0, 1.5, 8.0)], lenses=[lens], overlap=0.2)
    return worked("shift-grid", build_scene(plan))


def test_set_tells_how_far_the_mount_is_turned_and_the_one_shift() -> None:
    found = shifted(detents_deg=30.0)
    assert found.fits, found.why_not
    rows = frame_rows(found)
    assert all(row.turn_deg / 30.0 == pytest.approx(round(row.turn_deg / 30.0), abs=1e-6) for row in rows)
    keys = [column.key for column in shown_columns(found)]
    assert {"turn_deg", "shift_mm"} <= set(keys)
    assert not {"cross_mm", "rise_mm"} & set(keys)
    for row in rows:
        assert math.hypot(row.cross_mm, row.rise_mm) == pytest.approx(abs(row.shift_mm))


def test_a_mount_that_holds_no_such_direction_says_so() -> None:
    found = shifted(detents_deg=90.0)
    assert not found.fits
    assert "directions that its mount holds" in str(found.why_not[0])
    assert shifted().fits


def test_a_grid_stops_short_of_the_circle_by_the_light_that_may_be_lost() -> None:
    """By hand: falloff goes with the fourth power of the share of the circle's radius."""
    lens = a_lens(35.0, shift_mm=14.0, image_circle_mm=80.0, falloff_stops=2.0)
    plan = make_plan([(0.0, 1.5, 8.0)], lenses=[lens], overlap=0.2)
    free = worked("shift-grid", build_scene(plan))
    assert free.fits
    exposure = free.exposures[0]
    corner = np.abs(exposure.sensor_centre_mm) + np.array([18.0, 12.0])
    lost = 2.0 * (math.hypot(*corner) * 35.0 / exposure.state.image_distance_mm / 40.0) ** 4
    for allowed, fits in ((lost * 1.01, True), (lost * 0.99, False)):
        wish = plan.wish.model_copy(update={"falloff_stops": allowed})
        found = worked("shift-grid", build_scene(plan.model_copy(update={"wish": wish})))
        assert found.fits == fits
        assert fits or f"loses {lost:.1f} stops" in str(found.why_not[0])
