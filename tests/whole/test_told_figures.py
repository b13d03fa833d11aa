"""Figures that a person reads, each worked out here by hand: by the rule stated beside it, with other numbers."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.files.weighing_json import weighing_to_dict
from verispect.kit.equipment import Body
from verispect.kit.lens import Lens
from verispect.kit.mounted_lens import optic_at
from verispect.kit.scale_settings import dial
from verispect.optics.criterion import Criterion, Rule
from verispect.optics.exposure_time import longest_time_for_motion_s
from verispect.optics.image_circle import circle_reserve_mm
from verispect.optics.lens_state import LensState, axis_from_tilt_and_swing
from verispect.plan.advise.weigh import weigh
from verispect.plan.assess.costs import costs_of
from verispect.plan.document import Plan
from verispect.plan.entry.measured_mark import FocusScale
from verispect.plan.explain.frame_table import frame_rows, shown_columns
from verispect.plan.explain.reasons import reasons_for
from verispect.plan.explain.setting_reasons import engraved_reading_m
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene

PLAIN = {"tilt_deg": 0, "shift_mm": 0, "pupil_magnification": 1.0}


def changed(plan: Plan, **parts: dict) -> Plan:
    """The plan with values put into its parts, `kit__times={...}` and the like."""
    data = plan.model_dump(mode="json", by_alias=True)
    for name, values in parts.items():
        place = data
        for key in name.split("__"):
            place = place[key]
        place.update(values)
    return Plan.model_validate(data)


def test_the_circle_is_a_cone_that_widens_as_the_lens_moves_out() -> None:
    """f = 50 mm, 60 mm across at infinity: at life size, v = 100 mm, twice as wide, so 59 mm out is still lit."""
    state = LensState(50.0, 8.0, 100.0)
    inside, outside = circle_reserve_mm(np.array([[59.0, 0.0], [61.0, 0.0]]), state, 60.0)
    # In the plane one focal length behind the lens: 30 − 59/2 and 30 − 61/2.
    assert (inside, outside) == pytest.approx((0.5, -0.5))


def test_many_points_at_several_stops_each_keep_their_own() -> None:
    """From a table above 6,000 points: the row of each stop is what single values give."""
    criterion = Criterion(rule=Rule.WAVE, frequency=40.0, contrast_floor=0.2, pixel_mm=0.004)
    blur = np.tile(np.linspace(0.0, 0.03, 6500), (3, 1))
    stops = np.array([[4.0], [11.0], [22.0]])
    many = criterion.optical_contrast(blur, stops)
    for row, stop in enumerate((4.0, 11.0, 22.0)):
        single = [float(criterion.optical_contrast(float(blur[row, k]), stop)) for k in (0, 2000, 6499)]
        assert many[row, [0, 2000, 6499]] == pytest.approx(single, abs=2e-5)
    # Perfect MTF at ν λ N = 0.242 and 0.484 (Born & Wolf): (2/π)(acos s − s √(1 − s²)).
    for row, s in ((1, 0.242), (2, 0.484)):
        assert many[row, 0] == pytest.approx(2 / math.pi * (math.acos(s) - s * math.sqrt(1 - s * s)), abs=1e-5)


def test_longest_time_for_what_moves() -> None:
    """1 m/s across, 10 m away, 50 mm behind the lens: 5 mm/s on the sensor, so 0.01 mm take 2 ms."""
    time = longest_time_for_motion_s(speed_mm_s=1000.0, distance_mm=10_000.0, image_mm=50.0, allowed_smear_mm=0.01)
    assert time == pytest.approx(0.002)


def test_parallax_of_a_shifted_grid_is_twice_the_shift_of_the_lens() -> None:
    """Lens moved from −s to +s: near and far part by 2 s v (1/near − 1/far) on the sensor."""
    plan = make_plan([(0.5, 1.5, 4.0), (-0.5, 1.4, 20.0)], framing=24.0, lenses=[a_lens(35.0, image_circle_mm=120)])
    candidate = worked("shift-grid", build_scene(plan))
    assert candidate.fits
    shift = max(math.hypot(*exposure.sensor_centre_mm) for exposure in candidate.exposures)
    v = candidate.exposures[0].state.image_distance_mm
    parted = 2.0 * shift * v * (1 / 4000.0 - 1 / 20000.0) / (36.0 / 8256)
    assert costs_of(candidate).parallax_px == pytest.approx(parted, rel=1e-9)


def test_parallax_of_a_rail_is_what_two_pinholes_see() -> None:
    """At the picture's edge near things move by travel · (1/near − 1/far) · half width more than far ones."""
    data = make_plan([(0, 1.5, 0.30), (0, 1.5, 0.335)], framing=100.0, lenses=[a_lens(100.0, closest_m=0.3)])
    plan = changed(data, kit={"rail": {"travel_mm": 60.0}})
    candidate = worked("rail-series", build_scene(plan))
    travel = 1000.0 * (candidate.exposures[-1].pose.pupil_m[2] - candidate.exposures[0].pose.pupil_m[2])
    expected = travel * (1 / 300.0 - 1 / 335.0) * 18.0 / (36.0 / 8256)
    assert costs_of(candidate).parallax_px == pytest.approx(expected, rel=1e-6)


def test_time_on_site_and_of_the_run_by_hand() -> None:
    """Five frames: four changes and four pauses lie between the first exposure's beginning and the last one's end."""
    times = {"set_up_s": 40.0, "settle_s": 2.0, "write_s": 0.5, "refocus_s": 3.0}
    plan = make_plan([(0, 1.5, 1.2), (0, 1.5, 12.0)], framing=50.0, lenses=[a_lens(50.0, **PLAIN)], rule="disc")
    candidate = worked("series", build_scene(changed(plan, kit__times=times)))
    frames = candidate.frame_count
    assert frames > 2
    exposed = sum(exposure.shutter_s for exposure in candidate.exposures)
    assert candidate.run_s == pytest.approx(exposed + (frames - 1) * (2.0 + 0.5 + 3.0))
    assert candidate.time_on_site_s == pytest.approx(40.0 + exposed + frames * 2.5 + (frames - 1) * 3.0)


def test_time_of_a_grid_of_series_counts_turns_and_focus_apart() -> None:
    times = {
        "set_up_s": 0.0,
        "head_set_up_s": 100.0,
        "settle_s": 0.0,
        "write_s": 0.0,
        "turn_s": 7.0,
        "refocus_s": 3.0,
    }
    behind = [(0.316 * z, 1.5 - 0.053 * z, z) for z in (1.9, 3.5, 7.0, 15.0, 40.0)]
    aside = [(-0.9, 0.9, 1.5), (12.5, -0.5, 40.0), (9.0, 6.0, 30.0), (0.0, 1.2, 45.0), (1.0, 0.9, 2.6)]
    lens = a_lens(70.0, f_numbers=[4, 16])
    plan = make_plan([*behind, *aside], framing=24.0, lenses=[lens], print_mm=(2400, 1600), viewing_mm=500)
    candidate = worked("turned-grid-series", build_scene(changed(plan, kit__times=times)))
    cells, frames = sum(candidate.grid_cells), candidate.frame_count
    assert frames > cells > 1
    exposed = sum(exposure.shutter_s for exposure in candidate.exposures)
    assert candidate.time_on_site_s == pytest.approx(100.0 + exposed + 7.0 * (cells - 1) + 3.0 * (frames - cells))


@pytest.mark.parametrize(
    ("tilt", "swing", "turned"), [(5.0, 0.0, 0), (0.0, 5.0, 90), (-5.0, 0.0, 180), (0.0, -5.0, 270), (3.0, 3.0, 45)]
)
def test_a_rotating_mount_is_turned_to_where_the_axis_leans(tilt: float, swing: float, turned: int) -> None:
    """Seen from behind, plain forward tilt leans the axis down; a quarter turn counter-clockwise leans it right."""
    lens = Lens.model_validate(a_lens(24.0, tilt_mount="rotating"))
    axis = axis_from_tilt_and_swing(tilt_rad=math.radians(tilt), swing_rad=math.radians(swing))
    words = str(dial(optic_at(lens, 24.0), Body(), axis).words)
    assert f"turned {turned}° from plain forward tilt, counter-clockwise seen from behind" in words
    assert f"tilt {math.degrees(math.asin(math.hypot(axis[0], axis[1]))):.2f}°" in words


def test_the_scale_of_a_lens_reckoned_from_its_front_reads_less_by_the_glass_ahead() -> None:
    """f = 50 mm, object 2,050 mm from the principal point, front 30 mm ahead of it: the scale shows 2.02 m."""
    lens = a_lens(50.0, **PLAIN, closest_from="front", front_ahead_mm=30.0, f_numbers=[8, 8])
    candidate = worked("one-frame", build_scene(make_plan([(0, 1.5, 2.05)], framing=50.0, lenses=[lens])))
    assert engraved_reading_m(candidate.exposures[0]) == pytest.approx(2.02, abs=1e-6)
    told = " ".join(str(reason.working) for reason in reasons_for(candidate))
    assert "scale to 2.020 m, reckoned from the front of the lens; extension beyond infinity focus 1.25 mm" in told


def test_what_the_focus_scale_says_is_as_sure_as_the_depth_of_field() -> None:
    """Half the depth of the lens wide open at two pixels of blur: c N (u/f)²."""
    plan = make_plan([(0, 1.5, 5.0)], framing=50.0, lenses=[a_lens(50.0, **PLAIN, f_numbers=[2.0, 16])])
    caught = FocusScale(lens="50 tilt", scale_m=3.0).caught(plan)
    # 3 m from the sensor is u + v with 1/u + 1/v = 1/50: u = 2,949.15 mm.
    u = (3000.0 + math.sqrt(3000.0**2 - 4 * 50.0 * 3000.0)) / 2.0
    assert caught.plus_minus_m == pytest.approx(2 * (36.0 / 8256) * 2.0 * (u / 50.0) ** 2 / 1000.0, rel=1e-6)


def test_the_plus_minus_of_a_stop_is_that_of_its_area() -> None:
    """Half a stop (two standard deviations) more light makes the f-number 2^(1/4) smaller: compared with SciPy."""
    from scipy.stats import norm

    from verispect.plan.assess.confidence import confidence

    lens = a_lens(50.0, **PLAIN, f_numbers=[8, 8], stop_plus_minus_stops=0.5)
    places = [(0, 1.5, 3.0), (0, 1.5, 3.75)]

    def with_lines(lines: float) -> Candidate:
        return worked(
            "one-frame",
            build_scene(make_plan(places, framing=50.0, lenses=[lens], rule="disc", line_pairs_per_mm=lines)),
        )

    # Just held: softness goes as the lines asked for.
    candidate = with_lines(0.93 / with_lines(1.0).worst_softness)
    assert candidate.worst_softness == pytest.approx(0.93)
    # Blur goes as 1/N under the disc rule: it fails where N falls below softness · 8.
    stops_short = 2.0 * math.log2(1.0 / candidate.worst_softness)
    expected = norm.cdf(stops_short / (0.5 / 2.0))
    assert 0.6 < expected < 0.999
    assert confidence(candidate, draws=40_000).holds == pytest.approx(expected, abs=0.01)


def test_schools_are_told_in_metres() -> None:
    plan = make_plan([(0, 1.5, 2.0), (0, 1.5, 9.0)], framing=24.0, lenses=[a_lens(24.0, **PLAIN)])
    told = weighing_to_dict(weigh(plan))["focus_schools"]
    harmonic = 2.0 / (1 / 2.0 + 1 / 9.0)
    best = next(row for row in told if row["object_m"] is not None and abs(row["object_m"] - harmonic) < 0.2)
    assert 2.0 < best["object_m"] < 9.0
    assert all(0.1 < row["object_m"] < 1e4 for row in told if row["object_m"] is not None)


def test_rise_set_by_hand_stands_in_every_list_of_frames() -> None:
    """A picture 6 mm above the lens's axis: the lens is raised by 6 mm in Set, on the sheet and in the table."""
    plan = make_plan([(0, 2.5, 8.0)], framing=24.0, lenses=[a_lens(24.0)], camera={"rise_mm": 6.0})
    candidate = worked("one-frame", build_scene(plan))
    assert [row.rise_mm for row in frame_rows(candidate)] == pytest.approx([6.0])
    assert "rise_mm" in [column.key for column in shown_columns(candidate)]
    level = worked("one-frame", build_scene(make_plan([(0, 1.5, 8.0)], lenses=[a_lens(24.0)])))
    assert "rise_mm" not in [column.key for column in shown_columns(level)]


@pytest.mark.parametrize("detail_from", ["print", "screen", "sensor"])
def test_the_sum_of_the_wanted_detail_adds_up(detail_from: str) -> None:
    """The numbers that the reason prints, multiplied as it says, give the frequency that it prints."""
    plan = make_plan(
        [(0, 1.5, 8.0)], lenses=[a_lens(24.0)], camera={"aspect": 1.0}, detail_from=detail_from, screen_pixels=3000
    )
    candidate = worked("one-frame", build_scene(plan))
    reason = reasons_for(candidate)[0]
    frequency = candidate.criterion.frequency
    assert f"= {frequency:.3g} cycles/mm" in str(reason.working)
    if detail_from == "screen":
        # A square picture on 36 × 24 mm is 24 mm wide.
        assert "3000 pixels / 3 a line pair / 24 mm" in str(reason.working)
        assert frequency == pytest.approx(3000 / 3 / 24.0)
    if detail_from == "sensor":
        assert frequency == pytest.approx(8256 / 3 / 36.0)
    assert ("ISO 8596" in str(reason.source)) == (detail_from == "print")


def test_typed_lines_are_not_laid_to_a_standard() -> None:
    plan = make_plan([(0, 1.5, 8.0)], lenses=[a_lens(24.0)], line_pairs_per_mm=5.0)
    reason = reasons_for(worked("one-frame", build_scene(plan)))[0]
    assert str(reason.source) == "Your wish"


def test_json_is_in_the_units_its_keys_say() -> None:
    plan = make_plan([(0, 1.5, 4.0)], framing=50.0, lenses=[a_lens(50.0, **PLAIN, f_numbers=[8, 8])])
    method = json.loads(json.dumps(weighing_to_dict(weigh(plan))))["methods"][0]
    exposure, mark = method["exposures"][0], method["marks"][0]
    # u = 4,000 mm, so v = 50 · 4000/3950 = 50.633 mm, and the scale reads u + v.
    assert exposure["image_distance_mm"] == pytest.approx(50.6329, abs=1e-3)
    assert exposure["focus_m"] == pytest.approx(4.0506, abs=1e-3)
    assert mark["pixels_per_mm"] == pytest.approx(50.6329 / 4000.0 / (36.0 / 8256), rel=1e-3)
    assert method["final_pixels"] == [8256, 5504]
