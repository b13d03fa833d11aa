"""Focus schools on the same marks, and how surely a method holds: against closed forms and general statistics."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import brentq
from scipy.stats import norm

from tests.conftest import a_lens, make_plan
from verispect.files.plan_file import read_plan
from verispect.kit.lens import Lens
from verispect.optics.blur import blur_axes_mm, blur_of_many_states_mm
from verispect.optics.depth_of_field import limits_along_ray_mm
from verispect.optics.focus_bend import FocusBend
from verispect.optics.lens_state import LensState, axis_from_tilt_and_swing, from_principal_point
from verispect.optics.pose import camera_pose
from verispect.plan.advise.weigh import weigh
from verispect.plan.assess.confidence import confidence
from verispect.plan.assess.focus_schools import schools_of
from verispect.plan.assess.sensitivity import most_telling, unmeasured_lens_decides
from verispect.plan.document import Plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.solve.problem import problem_for

# Known to be sharpest where an ideal lens is.
FLAT = {
    "field_curvature": [{"f_number": 8, "half_um": 0, "corner_um": 0}],
    "focus_shift": [{"f_number": 8, "um": 0}],
}


def schools(places, **wish):
    plan = make_plan(places, **wish)
    return schools_of(problem_for(build_scene(plan), plan.kit.lenses[0], 24.0))


@given(near=st.floats(1.0, 6.0), times=st.floats(1.3, 12.0), rule=st.sampled_from(["wave", "root-sum"]))
def test_no_school_beats_the_optimum(near, times, rule) -> None:
    found = schools([(0.0, 1.5, near), (0.1, 1.4, near * times)], rule=rule)
    best = found[0]
    for school in found[1:]:
        if rule == "wave":
            assert school.contrast <= best.contrast * 1.002
        else:
            assert school.worst >= best.worst * 0.998


def test_schools_focus_where_they_say() -> None:
    """Hand-worked for musts 2 m and 8 m away: 8/3, 2 + 6/3, 2·2·8/(2 + 8) from the lens."""
    found = {str(school.name): school for school in schools([(0.0, 1.5, 2.0), (0.0, 1.5, 8.0)])}
    at = {name: school.object_mm for name, school in found.items()}
    assert at["a third of the way to the farthest must"] == pytest.approx(8000 / 3, rel=1e-6)
    assert at["twice as much behind as before: a third of the depth"] == pytest.approx(4000.0, rel=1e-6)
    assert at["equal blur on the nearest and the farthest must"] == pytest.approx(3200.0, rel=1e-6)
    assert at["the farthest must"] == pytest.approx(8000.0, rel=1e-6)
    assert at["infinity"] == math.inf
    equal = found["equal blur on the nearest and the farthest must"].softness
    assert equal[0] == pytest.approx(equal[1], rel=1e-2)
    assert found["infinity"].softness[1] < found["infinity"].softness[0]


def test_a_third_up_the_picture_and_the_disc_in_the_subject() -> None:
    """By hand: of marks at 1/6, 1/2 and 5/6 of the height the first is nearest to a third; f/N = c·near/f."""
    found = {str(s.name): s for s in schools([(0, 0.5, 3.0), (0, 1.5, 5.0), (0, 4.0, 7.5)], rule="disc")}
    # Tangents -1/3, 0, 1/3 of half a height of 0.5; a third up is -1/6: between the first two, nearer to neither.
    assert found["what stands a third up the picture"].object_mm in (pytest.approx(3000.0), pytest.approx(5000.0))
    space = found["infinity, with an opening as wide as the disc allowed on the nearest must"]
    plan = make_plan([(0, 0.5, 3.0)], rule="disc")
    allowed = plan.criterion(24.0).disc_mm * 3000.0 / 24.0
    assert 24.0 / space.f_number <= allowed
    assert 24.0 / (space.f_number / 2 ** (1 / 6)) > allowed
    # Its disc on the nearest must is its opening, which is just allowed there: the softness is one, or just less.
    assert 0.85 < space.softness[0] <= 1.0 + 1e-6


def test_a_third_of_the_way_fails_with_something_near() -> None:
    """Common practice: it serves when nothing is very near. Here it is shown where it is wrong."""
    mild = {str(s.name): s for s in schools([(0.0, 1.5, 9.0), (0.0, 1.5, 30.0)])}
    harsh = {str(s.name): s for s in schools([(0.0, 1.5, 1.5), (0.0, 1.5, 30.0)])}
    name = "a third of the way to the farthest must"
    optimum = "the optimum: the softest must as sharp as can be"
    assert mild[name].contrast > 0.75 * mild[optimum].contrast
    assert harsh[name].contrast < 0.7 * harsh[optimum].contrast


def test_weighing_brings_the_schools_of_the_best_single_frame() -> None:
    weighing = weigh(make_plan([(0.0, 1.5, 2.0), (0.0, 1.5, 8.0)]))
    assert len(weighing.schools) == 10
    assert weighing.schools[0].worst == pytest.approx(weighing.by_key("one-frame").worst_softness, rel=1e-6)


def test_blur_of_many_states_is_that_of_each() -> None:
    rng = np.random.default_rng(0)
    points = rng.uniform([-500, -400, 1500], [500, 400, 9000], (20, 3))
    tilts = rng.uniform(-0.1, 0.1, (6, 2))
    v = rng.uniform(50.2, 51.5, (6, 1))
    found = blur_of_many_states_mm(
        np.broadcast_to(points, (6, 20, 3)), focal_mm=50.0, f_number=8.0, pupil_magnification=1.4,
        image_distance_mm=v, sines=np.sin(tilts)[:, None, :],
    )  # fmt: skip
    for row, (tilt, swing), distance in zip(found, tilts, v[:, 0], strict=True):
        axis = axis_from_tilt_and_swing(tilt_rad=-swing, swing_rad=tilt)
        state = LensState(50.0, 8.0, float(distance), axis, 1.4)
        assert row == pytest.approx(blur_axes_mm(points, state)[0], rel=1e-9)


def unsure(places, plus_minus: float, **lens) -> Plan:
    return make_plan(places, lenses=[a_lens(24.0, **FLAT, **lens)], marks={"plus_minus_m": plus_minus}, rule="disc")


def test_nothing_unsure_gives_no_figure() -> None:
    assert confidence(worked("one-frame", build_scene(unsure([(0, 1.5, 3)], 0.0)))) is None


def test_probability_of_one_mark_is_that_of_the_normal_distribution() -> None:
    """scipy.stats.norm between the near and the far limit on the mark's ray."""
    candidate = worked("one-frame", build_scene(unsure([(0.0, 1.5, 3.0)], 1.6, f_numbers=[5.6, 5.6])))
    state = candidate.exposures[0].state
    near, _, far = limits_along_ray_mm(np.array([0.0, 0.0, 1.0]), state, candidate.criterion.disc_mm)
    expected = norm.cdf(far / 1000.0, 3.0, 0.8) - norm.cdf(near / 1000.0, 3.0, 0.8)
    found = confidence(candidate, draws=20_000, seed=3)
    assert 0.1 < expected < 0.9
    assert found.holds == pytest.approx(expected, abs=3.0 * math.sqrt(expected * (1 - expected) / 20_000))


def test_probability_of_a_focus_that_is_set_roughly() -> None:
    plan = unsure([(0.0, 1.5, 3.0)], 0.0, f_numbers=[5.6, 5.6], focus_plus_minus_mm=0.16)
    candidate = worked("one-frame", build_scene(plan))
    state = candidate.exposures[0].state
    # Blur is D |dv| / v for an untilted lens of one pupil: it holds while |dv| < c v / D.
    most = candidate.criterion.disc_mm * state.image_distance_mm * state.f_number / 24.0
    expected = 1.0 - 2.0 * norm.sf(most / 0.08)
    assert confidence(candidate, draws=20_000).holds == pytest.approx(expected, abs=0.012)


def test_an_unsure_tilt_spoils_a_tilted_plan_and_leaves_a_straight_one() -> None:
    places = [(0.0, 0.1, 1.8), (0.3, 0.0, 3.0), (-0.5, 0.05, 7.0)]
    scene = build_scene(unsure(places, 0.0, tilt_plus_minus_deg=1.5))
    assert confidence(worked("tilt", scene)).holds < 1.0
    straight = worked("series", scene)
    assert confidence(straight).holds == (1.0 if straight.holds else 0.0)


def test_draws_are_seeded_and_the_weighing_carries_them() -> None:
    plan = unsure([(0.0, 1.5, 3.0), (0.0, 1.5, 5.0)], 0.8)
    candidate = worked("one-frame", build_scene(plan))
    assert confidence(candidate, seed=5).holds == confidence(candidate, seed=5).holds
    assert all(c.confidence is not None for c in weigh(plan).candidates if c.fits)
    found = confidence(candidate)
    assert found.holds <= found.each.min() + 1e-12
    assert (found.softness_95 > 0.0).all()


PLACES = [(0.0, 0.7, 1.8), (0.3, 0.2, 3.0), (-0.5, 0.05, 7.0)]


@pytest.mark.parametrize(
    "unsure",
    [
        {"height_plus_minus_m": 0.06},
        {"pitch_plus_minus_deg": 3.0},
        {"bearing_plus_minus_deg": 9.0},
        {"roll_plus_minus_deg": 9.0},
    ],
)
def test_the_camera_against_cameras_that_stand_otherwise(unsure) -> None:
    """Brute force: cameras really placed and turned otherwise, the lens set as planned, general random numbers."""
    swung = "height_plus_minus_m" not in unsure and "pitch_plus_minus_deg" not in unsure
    places = [(-0.7, 1.6, 1.8), (0.3, 1.3, 3.0), (1.6, 1.5, 7.0)] if swung else PLACES
    lens = [a_lens(24.0, f_numbers=[4, 4], **FLAT)]
    plan = make_plan(places, lenses=lens, rule="disc", camera=unsure, print_mm=(1350, 900))
    candidate = worked("tilt", build_scene(plan))
    state, allowed = candidate.exposures[0].state, candidate.criterion.disc_mm
    rng = np.random.default_rng(11)
    count, held = 3000, 0

    def off(key: str) -> float:
        return unsure.get(key, 0.0) / 2.0 * rng.standard_normal()

    for _ in range(count):
        moved = camera_pose(
            height_m=1.5 + off("height_plus_minus_m"),
            bearing_rad=math.radians(off("bearing_plus_minus_deg")),
            pitch_rad=math.radians(off("pitch_plus_minus_deg")),
            roll_rad=math.radians(off("roll_plus_minus_deg")),
        )
        blur = blur_axes_mm(moved.to_camera_mm(np.array(places)), state)[0]
        held += bool((blur <= allowed).all())
    expected = held / count
    assert 0.1 < expected < 0.97
    assert confidence(candidate, draws=8000).holds == pytest.approx(expected, abs=0.035)


@pytest.mark.parametrize(
    "unsure",
    [
        {"focal_plus_minus_percent": 6.0},
        {"stop_plus_minus_stops": 0.8},
        {"pupil_plus_minus": 0.7, "pupil_magnification": 1.5},
    ],
)
def test_the_lens_against_lenses_that_are_otherwise(unsure) -> None:
    """Brute force: lenses really of another focal length, stop and pupil, focused on the same place on their axis."""
    places = [(0.0, 1.5, 1.672), (0.6, 1.3, 3.0)]
    plan = make_plan(places, lenses=[a_lens(24.0, f_numbers=[5.6, 5.6], **FLAT, **unsure)], rule="disc")
    candidate = worked("one-frame", build_scene(plan))
    # Just held as planned, so that what is off tells.
    allowed = candidate.criterion.disc_mm
    state = candidate.exposures[0].state
    points = candidate.scene.points_mm
    object_mm = state.focal_mm * state.image_distance_mm / (state.image_distance_mm - state.focal_mm)
    rng = np.random.default_rng(12)
    count, held = 4000, 0

    def off(key: str) -> float:
        return unsure.get(key, 0.0) / 2.0 * rng.standard_normal()

    for _ in range(count):
        focal = 24.0 * (1.0 + off("focal_plus_minus_percent") / 100.0)
        image = focal * object_mm / (object_mm - focal)
        pupil = max(state.pupil_magnification + off("pupil_plus_minus"), 0.1 * state.pupil_magnification)
        true = LensState(
            focal, state.f_number * 2.0 ** (0.5 * off("stop_plus_minus_stops")), image, state.axis, pupil
        )
        held += bool((blur_axes_mm(from_principal_point(points, true), true)[0] <= allowed).all())
    assert 0.1 < held / count < 0.97
    assert confidence(candidate, draws=8000).holds == pytest.approx(held / count, abs=0.03)


def test_places_aside_speeds_and_light_that_are_unsure() -> None:
    """A mark aside of where it was thought, seen by scipy.stats; more light than thought spoils nothing."""
    still = make_plan(PLACES, lenses=[a_lens(24.0, **FLAT)], rule="disc", marks={"plus_minus_side_m": 0.4})
    tilted = confidence(worked("tilt", build_scene(still)))
    assert 0.0 < tilted.holds < 1.0
    # An untilted thin lens blurs by depth alone: a step aside changes nothing.
    middle = make_plan(
        [(0.0, 1.5, 1.8), (0.1, 1.4, 3.0)],
        lenses=[a_lens(24.0, **FLAT)],
        rule="disc",
        marks={"plus_minus_side_m": 0.4},
    )
    straight = worked("one-frame", build_scene(middle))
    assert straight.holds
    assert confidence(straight).holds == 1.0
    moving = make_plan(
        [(0.0, 1.5, 3.0)], lenses=[a_lens(24.0, f_numbers=[8, 8], **FLAT)],
        marks={"speed_mm_s": 60.0, "speed_plus_minus_mm_s": 40.0},
    )  # fmt: skip
    candidate = worked("one-frame", build_scene(moving))
    exposure = candidate.exposures[0]
    # The speed at which a mark in perfect focus just holds, found on the criterion itself.
    paths = np.linspace(0.0, 0.2, 20001)
    contrast = candidate.criterion.contrast(0.0, exposure.state.working_f_number, paths)
    longest = paths[np.argmax(contrast < candidate.criterion.contrast_floor)]
    fastest = longest * 3000.0 / exposure.state.image_distance_mm / exposure.shutter_s
    found = confidence(candidate, draws=20_000)
    assert found.holds == pytest.approx(norm.cdf(fastest, 60.0, 20.0), abs=0.02)
    darker = moving.model_copy(update={"light": moving.light.model_copy(update={"ev100_plus_minus": 4.0})})
    spread = confidence(worked("one-frame", build_scene(darker)), draws=20_000).holds
    assert abs(spread - 0.5) < abs(found.holds - 0.5)


def _in_the_corner(**lens):
    """One must in the upper corner of the frame, and nothing unsure but where the lens is sharpest."""
    plan = make_plan([(3.9, 4.1, 5.4)], lenses=[a_lens(24.0, f_numbers=[4, 4], tilt_deg=0, **lens)])
    return worked("one-frame", build_scene(plan))


@pytest.mark.parametrize("spread_um", [60.0, 120.0])
def test_the_corners_own_focus_counts_as_a_normal_distribution_has_it(spread_um) -> None:
    """In closed form: blur grows straight with the offset, so the mark is sharp within a band of a normal."""
    rows = [{"f_number": 4, "half_um": 0.0, "corner_um": 0.0, "plus_minus_um": spread_um}]
    candidate = _in_the_corner(field_curvature=rows, focus_shift=[{"f_number": 4, "um": 0.0}])
    exposure = candidate.exposures[0]
    corner_mm = candidate.scene.plan.kit.body.diagonal_mm / 2
    bent = replace(exposure.state, bend=FocusBend(corner_mm, ((4, 0.0025, 0.01),)))
    at = from_principal_point(exposure.pose.to_camera_mm(candidate.scene.world_m), bent)
    per_mm = (blur_axes_mm(at, bent)[0][0] - blur_axes_mm(at, exposure.state)[0][0]) / 0.01
    room = (exposure.allowed_blur_mm - blur_axes_mm(at, exposure.state)[0][0]) / abs(per_mm)
    wanted = 2.0 * norm.cdf(room / (spread_um / 2000.0)) - 1.0
    assert 0.1 < wanted < 0.999
    found = confidence(candidate, draws=20_000)
    assert found is not None
    assert found.holds == pytest.approx(wanted, abs=0.012)


def test_the_lenss_own_blur_counts_as_a_normal_distribution_has_it() -> None:
    """Sharp up to the blur of the lens at which the contrast sinks to the floor, bisected on the contrast."""
    places, stop = [(0.0, 1.5, 2.0), (0.0, 1.5, 2.6)], {"f_numbers": [5.6, 5.6], "tilt_deg": 0}
    residual = [{"f_number": 5.6, "centre_um": 8.0, "corner_um": 8.0, "plus_minus_um": 8.0}]
    plan = make_plan(places, lenses=[a_lens(24.0, **stop, **FLAT, residual=residual)])
    candidate = worked("one-frame", build_scene(plan))
    exposure, criterion = candidate.exposures[0], candidate.criterion
    blur = float(candidate.rendering.blur_long_mm.max())
    working = exposure.state.working_f_number

    def over(residual_mm: float) -> float:
        return float(criterion.contrast(np.array([blur]), working, 0.0, residual_mm)[0]) - criterion.contrast_floor

    most = brentq(over, 1e-6, 0.1)
    wanted = norm.cdf((most - 0.008) / 0.004)
    assert 0.05 < wanted < 0.98
    found = confidence(candidate, draws=20_000)
    assert found is not None
    assert found.holds == pytest.approx(wanted, abs=0.012)
    sure = [{**residual[0], "plus_minus_um": 0.0}]
    lens = a_lens(24.0, **stop, **FLAT, residual=sure)
    assert confidence(worked("one-frame", build_scene(make_plan(places, lenses=[lens])))) is None
    assert "the blur of the lens itself" in str(most_telling(replace(candidate, confidence=found)))


def test_what_nobody_measured_is_as_usual_and_said_where_it_decides() -> None:
    unknown, known = _in_the_corner(), _in_the_corner(**FLAT)
    assert confidence(unknown) is None
    typical = confidence(unknown, even_of_the_lens_alone=True)
    sure = confidence(known, even_of_the_lens_alone=True)
    assert typical is not None
    assert sure is not None
    assert sure.holds == 1.0
    assert typical.holds <= sure.holds
    # In the example the softest mark is just held by a lens taken for ideal.
    facade = read_plan(Path("examples/facade-and-forecourt.verispect"))
    told = unmeasured_lens_decides(worked("tilt", build_scene(facade)))
    assert told is not None
    usual = confidence(worked("tilt", build_scene(facade)), even_of_the_lens_alone=True, draws=200)
    assert usual is not None
    assert f"{100 * usual.holds:.0f} of 100" in str(told)
    lenses = [Lens.model_validate(lens.model_dump() | FLAT) for lens in facade.kit.lenses]
    flat = facade.model_copy(update={"kit": facade.kit.model_copy(update={"lenses": lenses})})
    assert unmeasured_lens_decides(worked("tilt", build_scene(flat))) is None
