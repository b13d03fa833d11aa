"""What the window and the sheet draw and say: sections, settings by hand, frame list, reasons, steps, kit."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.conftest import a_lens, make_plan
from verispect.kit.equipment import Kit
from verispect.kit.focal_choice import grid_focals_mm, single_frame_focal_mm
from verispect.kit.lens import Lens
from verispect.kit.mounted_lens import optic_at
from verispect.optics.blur import blur_axes_mm
from verispect.optics.exposure_time import shutter_words
from verispect.optics.lens_state import focus_image_distance_mm, plane_of_sharp_focus
from verispect.plan.advise.weigh import Weighing, weigh
from verispect.plan.document import ManualSetting, Plan
from verispect.plan.entry.manual_setting import setting_of, with_focus_at, with_plane_through, worked_by_hand
from verispect.plan.explain.frame_table import frame_rows
from verispect.plan.explain.reasons import reasons_for
from verispect.plan.explain.work_order import cautions, steps
from verispect.plan.frames.focus_traces import Section, Trace, elevation_section, focus_traces
from verispect.plan.methods.method import METHOD_KEYS, method_of
from verispect.plan.scene.scene import build_scene

FLOOR = [(-0.4, 0.1, 2.6), (0.6, 0.0, 3.4), (1.2, 0.0, 9.0), (-3.0, 0.6, 17.0), (3.0, 6.0, 22.0)]


@pytest.fixture(scope="module")
def weighing() -> Weighing:
    camera = {"bearing_deg": 12.0, "pitch_deg": 3.0}
    lenses = [a_lens(24.0, pupil_magnification=1.6), a_lens(35.0, image_circle_mm=90, shift_mm=20)]
    return weigh(make_plan(FLOOR, lenses=lenses, camera=camera))


def tilted(weighing: Weighing):
    return weighing.by_key("tilt").exposures[0]


# Sections ----------------------------------------------------------------------------------------------


def level_at(height_m: float) -> Section:
    """A level section that looks 12° to the right, as the camera of these tests does."""
    turn = np.radians(12.0)
    right, away = (np.array([np.cos(turn), 0.0, -np.sin(turn)]), np.array([np.sin(turn), 0.0, np.cos(turn)]))
    return Section(np.array([0.0, height_m, 0.0]), right, away)


@pytest.mark.parametrize("make", [elevation_section, lambda _exposure: level_at(0.4)])
def test_places_in_a_section_lift_back_to_where_they_were(weighing: Weighing, make) -> None:
    section = make(tilted(weighing))
    places = np.array([[0.0, 0.0], [2.0, -1.0], [5.5, 3.0]])
    np.testing.assert_allclose(section.place(section.lift(places)), places, atol=1e-12)


@pytest.mark.parametrize("make", [elevation_section, lambda _exposure: level_at(1.0)])
def test_points_of_the_drawn_line_are_sharp(weighing: Weighing, make) -> None:
    exposure = tilted(weighing)
    section = make(exposure)
    line = focus_traces(exposure, section).plane.clipped((-20.0, 20.0, -20.0, 20.0))
    assert line is not None
    for share in (0.1, 0.5, 0.9):
        world = section.lift(line[0] + share * (line[1] - line[0]))
        seen = (world - exposure.position_m) @ exposure.pose.matrix.T * 1000.0
        if seen[2] > 500.0:
            assert float(blur_axes_mm(seen, exposure.state)[0]) < 1e-9


def test_all_three_lines_meet_at_the_hinge(weighing: Weighing) -> None:
    exposure = tilted(weighing)
    traces = focus_traces(exposure, elevation_section(exposure))
    assert traces.hinge is not None
    for line in (traces.plane, traces.near, traces.far):
        assert line is not None
        assert line.a * traces.hinge[0] + line.b * traces.hinge[1] == pytest.approx(line.c, abs=1e-6)


def test_a_straight_lens_has_no_hinge_to_draw(weighing: Weighing) -> None:
    exposure = weighing.by_key("one-frame").exposures[0]
    assert focus_traces(exposure, elevation_section(exposure)).hinge is None


@given(st.floats(-1, 1), st.floats(-1, 1), st.floats(-3, 3))
def test_clipped_lines_lie_on_the_line_and_in_the_box(a: float, b: float, c: float) -> None:
    line = Trace(a, b, c).clipped((-1.0, 2.0, -1.5, 1.0))
    if line is None:
        return
    for x, y in line:
        assert a * x + b * y == pytest.approx(c, abs=1e-9)
        assert -1.0 - 1e-9 <= x <= 2.0 + 1e-9
        assert -1.5 - 1e-9 <= y <= 1.0 + 1e-9


# By hand -----------------------------------------------------------------------------------------------


def test_a_setting_taken_from_an_exposure_makes_that_exposure_again(weighing: Weighing) -> None:
    candidate = weighing.by_key("tilt")
    again = worked_by_hand(weighing.scene, setting_of(candidate.exposures[0]))
    assert again is not None
    assert again.worst_softness == pytest.approx(candidate.worst_softness, rel=1e-6)


def test_focus_by_hand_lays_the_plane_through_that_depth(weighing: Weighing) -> None:
    exposure = tilted(weighing)
    moved = worked_by_hand(weighing.scene, with_focus_at(exposure, 6000.0))
    assert moved is not None
    g = plane_of_sharp_focus(moved.exposures[0].state)
    assert 1.0 / g[2] == pytest.approx(6000.0, rel=1e-9)
    assert moved.exposures[0].tilt_deg == pytest.approx(exposure.tilt_deg)


def test_focus_by_hand_stops_at_closest_focus(weighing: Weighing) -> None:
    setting = with_focus_at(tilted(weighing), 1.0)
    lens = weighing.scene.plan.kit.lenses[0]
    assert setting.image_distance_mm <= optic_at(lens, 24.0).longest_image_mm + 1e-9


def test_a_plane_by_hand_goes_through_the_point(weighing: Weighing) -> None:
    exposure = tilted(weighing)
    point = np.array([0.0, -900.0, 4000.0])
    moved = worked_by_hand(weighing.scene, with_plane_through(exposure, point, upright=True))
    assert moved is not None
    state = moved.exposures[0].state
    found = float(focus_image_distance_mm(point, focal_mm=24.0, axis=state.axis))
    # The swing stays as it was, so the point is met in the section where it was dragged.
    assert found == pytest.approx(state.image_distance_mm, rel=1e-4)


def test_a_lens_that_is_gone_has_no_setting(weighing: Weighing) -> None:
    gone = ManualSetting(lens="lost", image_distance_mm=25.0, f_number=8.0)
    assert worked_by_hand(weighing.scene, gone) is None


# Frame list, reasons, steps ----------------------------------------------------------------------------


@pytest.mark.parametrize("key", METHOD_KEYS)
def test_rows_say_what_the_exposures_are(weighing: Weighing, key: str) -> None:
    candidate = weighing.by_key(key)
    rows = frame_rows(candidate)
    assert [row.number for row in rows] == list(range(1, candidate.frame_count + 1))
    for row, exposure in zip(rows, candidate.exposures, strict=True):
        assert row.f_number == exposure.state.f_number
        assert row.rise_mm == -exposure.sensor_centre_mm[1]
        if not method_of(key).turns:
            assert row.bearing_deg == pytest.approx(12.0)
            assert row.pitch_deg == pytest.approx(3.0)


def test_focus_scale_reads_from_the_sensor(weighing: Weighing) -> None:
    exposure = weighing.by_key("one-frame").exposures[0]
    v = exposure.state.image_distance_mm
    object_mm = 1.0 / (1.0 / exposure.state.focal_mm - 1.0 / v)
    assert exposure.focus_m == pytest.approx((object_mm + v) / 1000.0)


@pytest.mark.parametrize(
    ("seconds", "words"), [(1 / 8200, "1/8000 s"), (1 / 101.6, "1/100 s"), (1 / 3.9, "1/4 s"), (0.5, "0.5 s"),
                           (1.0, "1 s"), (30.2, "30 s")],
)  # fmt: skip
def test_exposure_times_are_written_as_on_a_dial(seconds: float, words: str) -> None:
    assert shutter_words(seconds) == words


@pytest.mark.parametrize("key", ["one-frame", "tilt", "series", "turned-grid"])
def test_reasons_put_this_cases_values_in(weighing: Weighing, key: str) -> None:
    candidate = weighing.by_key(key)
    said = {str(reason.what): str(reason.working) for reason in reasons_for(candidate)}
    assert f"{candidate.criterion.frequency:.3g} cycles/mm" in said["Detail wanted on the sensor"]
    assert f"{candidate.criterion.disc_mm * 1000:.1f} µm" in said["Circle of confusion"]
    assert f"softness {candidate.worst_softness:.2f}" in said["Softest must"]
    assert ("Tilt and swing" in said) == (key == "tilt")
    if key == "tilt":
        lean = math.degrees(math.acos(candidate.exposures[0].state.axis[2]))
        assert f"α = {lean:.2f}°" in said["Tilt and swing"]


@pytest.mark.parametrize("key", METHOD_KEYS)
def test_steps_begin_with_the_tripod_and_end_with_a_look(weighing: Weighing, key: str) -> None:
    candidate = weighing.by_key(key)
    if not candidate.fits:
        return
    said = [str(step) for step in steps(candidate)]
    assert "1.50 m above the ground" in said[0]
    assert "full magnification" in said[-1]
    assert any("end of the run" in line for line in said) == (candidate.frame_count > 1)


def test_cautions_name_the_dangers_of_the_work() -> None:
    said = " ".join(str(caution) for caution in cautions())
    for danger in ("Sun", "edges", "overhead lines", "mains", "flash", "codes"):
        assert danger in said


# Kit and documents -------------------------------------------------------------------------------------


def test_closest_focus_is_converted_from_where_it_is_taken() -> None:
    common = {"name": "L", "focal_mm": (50, 50), "f_numbers": (2, 16), "closest_m": 0.5}
    sensor = Lens(**common, principal_separation_mm=10.0)
    # By hand: u + v = 490 mm, u v = 50 (u + v): v = 57.0 mm.
    assert optic_at(sensor, 50.0).longest_image_mm == pytest.approx(245 - math.sqrt(245**2 - 50 * 490))
    principal = Lens(**common, closest_from="principal")
    assert optic_at(principal, 50.0).longest_image_mm == pytest.approx(50 * 500 / 450)
    front = Lens(**common, closest_from="front", front_ahead_mm=30.0)
    assert optic_at(front, 50.0).longest_image_mm == pytest.approx(50 * 530 / 480)


@pytest.mark.parametrize(
    "values", [{"focal_mm": (70, 24)}, {"f_numbers": (16, 4)}, {"closest_m": 0}, {"tilt_deg": 45}, {"shift_mm": -1},
               {"pupil_magnification": 0}, {"closest_m": float("nan")}],
)  # fmt: skip
def test_impossible_lenses_are_refused(values) -> None:
    good = {"name": "L", "focal_mm": (24, 70), "f_numbers": (4, 16), "closest_m": 0.5}
    with pytest.raises(ValidationError):
        Lens(**(good | values))


def test_focal_lengths_for_one_frame_and_for_grids() -> None:
    zoom = Lens(name="Z", focal_mm=(24, 70), f_numbers=(4, 16), closest_m=0.5)
    assert single_frame_focal_mm(zoom, 20.0) is None
    assert single_frame_focal_mm(zoom, 200.0) == 70.0
    focals = grid_focals_mm(zoom, 30.0)
    assert focals[0] == pytest.approx(31.5)
    assert focals[-1] == pytest.approx(70.0)
    assert grid_focals_mm(zoom, 70.0) == []


@given(st.floats(10.0, 400.0), st.floats(1.0, 6.0), st.floats(0.8, 1.3))
def test_every_lens_takes_the_picture_in_one_frame_or_in_a_grid(shortest: float, zooms: float, wider: float) -> None:
    lens = Lens(name="L", focal_mm=(shortest, shortest * zooms), f_numbers=(4, 16), closest_m=0.5)
    framing = shortest * wider
    focals = grid_focals_mm(lens, framing)
    assert focals or single_frame_focal_mm(lens, framing) is not None
    assert all(framing < focal <= shortest * zooms * (1.0 + 1e-9) for focal in focals)


def test_an_empty_plan_is_a_plan_with_nothing_to_weigh() -> None:
    plan = Plan()
    assert plan.marks == ()
    assert plan.kit == Kit()
    with pytest.raises(ValidationError):
        plan.title = "frozen"  # type: ignore[misc]


def test_enlargement_fits_long_side_to_long_side() -> None:
    upright = make_plan([(0, 1, 2)], print_mm=(600, 900))
    wide = make_plan([(0, 1, 2)], print_mm=(900, 600))
    square = make_plan([(0, 1, 2)], print_mm=(600, 600))
    assert upright.enlargement() == wide.enlargement() == pytest.approx(25.0)
    assert square.enlargement() == pytest.approx(600 / 36)


def test_shoulds_decide_where_there_are_no_musts() -> None:
    plan = make_plan([(0, 1.5, 3), (0, 1.5, 6)], marks={"need": "should"})
    scene = build_scene(plan)
    assert scene.deciding.all()
    assert not scene.musts.any()
    assert weigh(plan).advised is not None
