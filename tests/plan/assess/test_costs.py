"""Costs by hand, and daylight against an independent formula (low-precision Sun, Meeus ch. 25, from memory)."""

from __future__ import annotations

import itertools
import math
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.plan.assess.costs import cost_notes, costs_of
from verispect.plan.assess.daylight import drift_stops, illuminance_lux, sun_altitude_deg
from verispect.plan.document import Site
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene

PLACES = [(0.0, 1.4, 1.6), (0.2, 1.6, 3.0), (0.5, 1.8, 9.0)]


def kit_with(plan, **body):
    kit = plan.kit.model_copy(update={"body": plan.kit.body.model_copy(update=body)})
    return plan.model_copy(update={"kit": kit})


def test_storage_computing_and_battery_by_hand() -> None:
    plan = kit_with(make_plan(PLACES, print_mm=(1200, 800)), file_mb=50.0, battery_frames=400.0, battery_min=100.0)
    series = worked("series", build_scene(plan))
    n, megapixels = series.frame_count, 8256 * 5504 / 1e6
    costs = costs_of(series)
    assert n > 1
    assert costs.storage_mb == 50.0 * n
    assert costs.computing_s == pytest.approx(n * megapixels * 0.25)
    assert costs.battery == pytest.approx(n / 400.0 + series.run_s / 60.0 / 100.0)
    assert costs_of(worked("one-frame", build_scene(plan))).computing_s == 0.0
    grid = worked("turned-grid", build_scene(make_plan(PLACES, lenses=[a_lens(24.0), a_lens(50.0)])))
    assert costs_of(grid).computing_s == pytest.approx(sum(grid.grid_cells) * megapixels * 0.4)


def test_ghosts_are_the_way_between_frames() -> None:
    plan = make_plan(PLACES, print_mm=(1200, 800))
    marks = (*plan.marks[:2], plan.marks[2].model_copy(update={"speed_mm_s": 3.0}))
    series = worked("series", build_scene(plan.model_copy(update={"marks": marks})))
    costs = costs_of(series)
    shown = series.exposures[series.rendering.exposure[2]]
    between = series.run_s / (series.frame_count - 1)
    expected = 3.0 * between * shown.state.image_distance_mm / 9000.0 / plan.kit.body.pixel_mm
    assert costs.ghost_px == pytest.approx(expected, rel=1e-6)
    assert costs.ghost_mark == "m2"
    assert any("ghosts must be painted out" in str(note) for note in cost_notes(series, costs))


def test_parallax_of_a_head_that_is_off_by_turning_two_pinholes() -> None:
    """Independent: the pupil really swung about a point 5 mm behind it, near and far projected, and compared."""
    plan = make_plan([(0.0, 1.5, 1.6), (0.0, 1.5, 20.0)], lenses=[a_lens(24.0), a_lens(50.0)])
    kit = plan.kit.model_copy(update={"head": plan.kit.head.model_copy(update={"off_mm": 5.0})})
    grid = worked("turned-grid", build_scene(plan.model_copy(update={"kit": kit})))
    forward = [e.pose.forward for e in grid.exposures]
    turns = [math.acos(min(float(a @ b), 1.0)) for a, b in itertools.pairwise(forward)]
    turn = max(turns)
    v = grid.exposures[0].state.image_distance_mm
    pupil = 5.0 * np.array([math.sin(turn), math.cos(turn) - 1.0])
    apart = []
    for depth in (1600.0, 20000.0):
        seen = np.array([0.0, depth]) - pupil
        apart.append(v * seen[0] / seen[1])
    assert costs_of(grid).parallax_px == pytest.approx(abs(apart[0] - apart[1]) / plan.kit.body.pixel_mm, rel=0.02)


def test_breathing_and_a_merge_in_the_camera_cost_pixels() -> None:
    plan = make_plan(PLACES, print_mm=(1200, 800))
    series = worked("series", build_scene(plan))
    v = [e.state.image_distance_mm for e in series.exposures]
    assert costs_of(series).kept == pytest.approx(min(v) / max(v))
    merged = worked("series", build_scene(kit_with(plan, merge_keeps=0.7)))
    costs = costs_of(merged)
    assert costs.kept == pytest.approx(0.7 * min(v) / max(v))
    assert merged.kept_pixels[0] == pytest.approx(8256 * costs.kept, abs=1)
    assert any("is left after the merge" in str(note) for note in cost_notes(merged, costs))


def test_frames_with_nothing_to_join_by_are_counted() -> None:
    plan = make_plan([(0, 1.5, 3), (0.1, 1.4, 9)], lenses=[a_lens(24), a_lens(90)])
    grid = worked("turned-grid", build_scene(plan))
    costs = costs_of(grid)
    assert costs.bare_frames > 0
    assert costs.bare_frames < sum(grid.grid_cells)


def low_precision_altitude(latitude: float, longitude: float, when: datetime) -> float:
    """The Sun to about 0.01°: mean longitude and anomaly, equation of the centre, sidereal time."""
    days = (when - datetime(2000, 1, 1, 12, tzinfo=UTC)).total_seconds() / 86400.0
    anomaly = math.radians(357.529 + 0.98560028 * days)
    mean = 280.459 + 0.98564736 * days
    longitude_sun = math.radians(mean + 1.915 * math.sin(anomaly) + 0.020 * math.sin(2 * anomaly))
    tilt = math.radians(23.439 - 0.00000036 * days)
    right = math.atan2(math.cos(tilt) * math.sin(longitude_sun), math.cos(longitude_sun))
    declination = math.asin(math.sin(tilt) * math.sin(longitude_sun))
    sidereal = math.radians((18.697374558 + 24.06570982441908 * days) % 24.0 * 15.0 + longitude)
    hour, north = sidereal - right, math.radians(latitude)
    sine = math.sin(north) * math.sin(declination) + math.cos(north) * math.cos(declination) * math.cos(hour)
    return math.degrees(math.asin(sine))


@pytest.mark.parametrize("latitude", [-52.0, 3.0, 47.1, 68.0])
@pytest.mark.parametrize("hours", [0, 5, 9, 13, 17, 21])
def test_the_sun_stands_where_an_almanac_has_it(latitude: float, hours: int) -> None:
    when = datetime(2026, 8, 12, tzinfo=UTC) + timedelta(hours=hours, days=20 * hours)
    site = Site(latitude_deg=latitude, longitude_deg=8.3)
    assert sun_altitude_deg(site, when) == pytest.approx(low_precision_altitude(latitude, 8.3, when), abs=0.03)


def test_bands_of_twilight_join_and_darken() -> None:
    """The table's bands join to 0.01 in log10 (so it is said where it is from), and light falls with the Sun."""
    for edge in (20.0, 5.0, -0.8, -5.0, -12.0):
        above, below = (math.log10(illuminance_lux(edge + step)) for step in (1e-6, -1e-6))
        assert above == pytest.approx(below, abs=0.012)
    lux = [illuminance_lux(a) for a in np.arange(-18.0, 90.0, 0.5)]
    assert all(a < b for a, b in itertools.pairwise(lux))


def test_light_drifts_at_sunset_and_is_told() -> None:
    site = Site(latitude_deg=47.1, longitude_deg=8.3)
    evening = datetime(2027, 3, 14, 17, 40, tzinfo=UTC)
    drift = drift_stops(site, evening, 600.0)
    first, last = (illuminance_lux(sun_altitude_deg(site, evening + timedelta(seconds=s))) for s in (0, 600))
    assert drift == pytest.approx(math.log2(last / first))
    assert drift < -0.5
    plan = make_plan(PLACES, print_mm=(1200, 800))
    content = plan.model_dump(by_alias=True) | {
        "site": {"latitude_deg": 47.1, "longitude_deg": 8.3, "from": "2027-03-14T17:40:00Z"}
    }
    content["kit"]["times"]["refocus_s"] = 60.0
    series = worked("series", build_scene(type(plan).model_validate(content)))
    costs = costs_of(series)
    assert costs.drift_stops == pytest.approx(drift_stops(site, evening, series.run_s))
    assert any("Daylight changes" in str(note) for note in cost_notes(series, costs))


def test_what_a_merge_leaves_of_the_width_is_told_in_hundredths() -> None:
    plan = make_plan([(0.0, 1.5, 0.35), (0.05, 1.5, 1.2), (0.2, 1.5, 4.0)], framing=50.0, lenses=[a_lens(50.0)])
    series = worked("series", build_scene(plan))
    kept = costs_of(series).kept
    assert kept == pytest.approx(series.kept)
    assert kept < 0.97
    told = next(str(note) for note in cost_notes(series, costs_of(series)) if "width" in str(note))
    assert f"{100.0 * kept:.0f} %" in told
