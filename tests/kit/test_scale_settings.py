"""What real kit does to a plan: scales, detents, backs, circles, pivots, own blur, film, refused stops."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from scipy.optimize import differential_evolution

from tests.conftest import a_lens, make_plan
from verispect.optics.blur import blur_axes_mm
from verispect.optics.image_circle import circle_reserve_mm, corner_points_mm
from verispect.plan.assess.image_circle_report import circle_report
from verispect.plan.document import Plan
from verispect.plan.explain.reasons import reasons_for
from verispect.plan.explain.work_order import steps
from verispect.plan.methods.lens_search import corner_reserve_mm
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.solve.problem import problem_for
from verispect.plan.solve.stop_choice import best_stops_in_focus, stop_range

FLOOR = [(-0.6, 0.1, 1.8), (0.8, 0.0, 2.6), (-1.2, 0.3, 4.5), (2.0, 0.2, 8.0)]


def floor_plan(body: dict[str, Any] | None = None, kit: dict[str, Any] | None = None, **lens) -> Plan:
    plan = make_plan(FLOOR, lenses=[a_lens(24.0, **lens)])
    data = plan.model_dump(mode="json", by_alias=True)
    data["kit"]["body"] |= body or {}
    data["kit"] |= kit or {}
    return Plan.model_validate(data)


def tilted(plan: Plan):
    return worked("tilt", build_scene(plan))


def test_a_scale_is_respected_and_its_cost_said() -> None:
    free = tilted(floor_plan())
    marked = tilted(floor_plan(tilt_scale_deg=0.5))
    tilt, swing = marked.exposures[0].tilt_deg, marked.exposures[0].swing_deg
    assert tilt / 0.5 == pytest.approx(round(tilt / 0.5), abs=1e-9)
    assert abs(swing) < 1e-9
    assert tilt != pytest.approx(free.exposures[0].tilt_deg, abs=1e-3)
    assert marked.worst_softness >= free.worst_softness
    said = [str(note) for note in marked.notes if "marks of the scales" in str(note)]
    assert f"from {free.worst_softness:.2f} to {marked.worst_softness:.2f}" in said[0]


def test_after_rounding_no_other_focus_is_better() -> None:
    candidate = tilted(floor_plan(tilt_scale_deg=1.0))
    exposure = candidate.exposures[0]
    problem = problem_for(candidate.scene, exposure.lens.lens, 24.0)

    def worst(v: float) -> float:
        state = problem.state(f_number=exposure.state.f_number, image_distance_mm=v, axis=exposure.state.axis)
        return float(blur_axes_mm(problem.points_from_lens_mm(state), state)[0].max())

    best = min(worst(v) for v in np.linspace(23.5, 25.0, 4001))
    assert worst(exposure.state.image_distance_mm) <= best * 1.001


def test_a_coarse_focus_is_rounded_for_one_frame() -> None:
    candidate = worked("one-frame", build_scene(floor_plan(focus_scale_mm=0.1)))
    extension = candidate.exposures[0].state.image_distance_mm - 24.0
    assert extension / 0.1 == pytest.approx(round(extension / 0.1), abs=1e-9)


def test_detents_hold_the_direction_and_none_between_is_taken() -> None:
    free = tilted(floor_plan(tilt_mount="rotating"))
    held = tilted(floor_plan(tilt_mount="rotating", detents_deg=45.0))
    ax, ay, _ = held.exposures[0].state.axis
    turned = math.degrees(math.atan2(ay, ax))
    assert turned / 45.0 == pytest.approx(round(turned / 45.0), abs=1e-9)
    assert held.worst_softness >= free.worst_softness - 1e-9


def test_detents_take_the_best_of_all_their_directions() -> None:
    """Exhaustive: differential evolution along each direction of the mount."""
    candidate = tilted(floor_plan(tilt_mount="rotating", detents_deg=60.0))
    exposure = candidate.exposures[0]
    problem = problem_for(candidate.scene, exposure.lens.lens, 24.0)
    best = math.inf
    for turn in (0.0, 60.0, 120.0):
        way = (math.cos(math.radians(turn)), math.sin(math.radians(turn)))

        def worst(x, way=way) -> float:
            axis = (x[0] * way[0], x[0] * way[1], math.sqrt(1.0 - x[0] ** 2))
            state = problem.state(f_number=exposure.state.f_number, image_distance_mm=x[1], axis=axis)
            return float(blur_axes_mm(problem.points_from_lens_mm(state), state)[0].max())

        limit = math.sin(math.radians(8.5))
        best = min(best, differential_evolution(worst, [(-limit, limit), (23.5, 25.5)], seed=1, tol=1e-9).fun)
    assert worst_blur(problem, exposure.state) <= best * 1.005


def worst_blur(problem, state) -> float:
    return float(blur_axes_mm(problem.points_from_lens_mm(state), state)[0].max())


def test_a_back_adds_to_the_tilt_of_the_lens_and_is_told_how() -> None:
    low = [(0.0, 1.3, 1.5), (0.4, 1.29, 3.0), (-0.3, 1.31, 6.0)]
    plan = make_plan(low, lenses=[a_lens(24.0, tilt_deg=3.0, image_circle_mm=120)])
    alone = tilted(plan)
    data = plan.model_dump(mode="json", by_alias=True)
    data["kit"]["body"]["back_tilt_deg"] = 10.0
    both = tilted(Plan.model_validate(data))
    assert abs(alone.exposures[0].tilt_deg) <= 3.0 + 1e-9
    assert both.exposures[0].tilt_deg > 5.0
    assert both.worst_softness < alone.worst_softness
    told = str(next(reason.working for reason in reasons_for(both) if str(reason.what) == "On the scales"))
    assert "back tilt" in told
    assert "lens tilt +3.00°" in told
    assert any(told in str(step) for step in steps(both))


@pytest.mark.parametrize("seed", [2, 3, 5])
def test_best_tilt_within_the_image_circle_equals_an_exhaustive_search(seed) -> None:
    """scipy's differential evolution on the exact blur, corners outside the circle penalised."""
    rng = np.random.default_rng(seed)
    places = []
    while len(places) < 8:
        z = float(np.exp(rng.uniform(math.log(1.0), math.log(8.0))))
        x = float(rng.uniform(-0.7, 0.7) * z)
        y = float((1 - 2.5 * x - 0.3 * z) / -3.33 * (1 + rng.normal() * 0.05))
        if abs(y) < 0.48 * z:
            places.append((x, 1.5 + y, z))
    plan = make_plan(places, lenses=[a_lens(24.0, f_numbers=[3.5, 22], tilt_deg=10, shift_mm=0, image_circle_mm=46)])
    candidate = tilted(plan)
    exposure = candidate.exposures[0]
    problem = problem_for(candidate.scene, exposure.lens.lens, 24.0)

    def penalised(x) -> float:
        axis = (x[0], x[1], math.sqrt(1.0 - x[0] ** 2 - x[1] ** 2))
        state = problem.state(f_number=exposure.state.f_number, image_distance_mm=x[2], axis=axis)
        return worst_blur(problem, state) + 10.0 * max(0.0, -corner_reserve_mm(problem, state))

    found = differential_evolution(
        penalised, [(-0.17, 0.17), (-0.17, 0.17), (23, 26)], seed=1, tol=1e-5, popsize=15, maxiter=300
    )
    assert corner_reserve_mm(problem, exposure.state) >= -1e-6
    assert worst_blur(problem, exposure.state) <= found.fun * 1.005


def test_circle_report_names_the_corner_and_the_shift_that_is_left() -> None:
    candidate = tilted(floor_plan())
    exposure = candidate.exposures[0]
    report = circle_report(exposure, used_mm=(36.0, 24.0), sensor_diagonal_mm=43.27)
    circle = exposure.lens.circle_mm(43.27)
    # The sensor's own lower corners show the top of the picture; shifted as told, the first of them fails.
    assert report.shift_left_mm["up"] <= exposure.lens.shift_mm
    for side, way in (("up", (0.0, -1.0)), ("right", (-1.0, 0.0))):
        shift = report.shift_left_mm[side]
        centre = (way[0] * shift, way[1] * shift)
        reserve = circle_reserve_mm(corner_points_mm((36.0, 24.0), centre), exposure.state, circle).min()
        assert reserve >= -1e-6
        assert reserve == pytest.approx(0.0, abs=1e-6) or shift == pytest.approx(exposure.lens.shift_mm)


def test_shift_left_of_a_straight_lens_is_plain_geometry() -> None:
    """Hand-worked: circle 60, sensor 36 × 24: up √(30² − 18²) − 12 = 12 mm, across √(30² − 12²) − 18 = 9.5 mm."""
    plan = make_plan([(0, 1.5, 1e5)], lenses=[a_lens(24.0, image_circle_mm=60.0, shift_mm=20.0)])
    exposure = worked("one-frame", build_scene(plan)).exposures[0]
    report = circle_report(exposure, used_mm=(36.0, 24.0), sensor_diagonal_mm=43.27)
    assert report.shift_left_mm["up"] == pytest.approx(12.0, abs=0.01)
    assert report.shift_left_mm["left"] == pytest.approx(math.sqrt(756.0) - 18.0, abs=0.01)
    assert report.reserve_mm == pytest.approx(30.0 - math.hypot(18, 12), abs=0.01)


def test_a_pivot_off_the_principal_point_is_shifted_back_or_said() -> None:
    shiftable = tilted(floor_plan(tilt_pivot_mm=40.0))
    assert shiftable.exposures[0].sensor_centre_mm == (0.0, 0.0)
    assert any("shift the lens back" in str(note) for note in shiftable.notes)
    fixed = tilted(floor_plan(tilt_pivot_mm=40.0, shift_mm=0.0))
    ax, ay, _ = fixed.exposures[0].state.axis
    assert fixed.exposures[0].sensor_centre_mm == pytest.approx((40.0 * ax, 40.0 * ay))
    assert any("frame anew" in str(note) for note in fixed.notes)


RESIDUAL = [
    {"f_number": 2.8, "centre_um": 8, "corner_um": 25},
    {"f_number": 5.6, "centre_um": 3, "corner_um": 12},
    {"f_number": 11, "centre_um": 2, "corner_um": 4},
]


def test_own_blur_of_the_lens_softens_corners_and_stops_it_down() -> None:
    far = [(0.0, 1.5, 900.0), (600.0, 1.5, 900.0)]
    plain = worked("one-frame", build_scene(make_plan(far)))
    spoilt = worked("one-frame", build_scene(make_plan(far, lenses=[a_lens(24.0, residual=RESIDUAL)])))
    assert spoilt.exposures[0].state.f_number > plain.exposures[0].state.f_number
    contrast = spoilt.rendering.contrast
    assert contrast[1] < contrast[0]


def test_middle_and_corner_have_their_own_best_stops() -> None:
    plan = make_plan([(0.0, 1.5, 900.0)], lenses=[a_lens(24.0, residual=RESIDUAL)])
    problem = problem_for(build_scene(plan), plan.kit.lenses[0], 24.0)
    state = problem.state(f_number=8.0, image_distance_mm=24.0)
    middle, corner = best_stops_in_focus(problem, state)
    assert middle < corner
    plain = problem_for(build_scene(make_plan([(0.0, 1.5, 900.0)])), a_plain(), 24.0)
    assert best_stops_in_focus(plain, state)[0] == pytest.approx(2.828, abs=0.01)


def a_plain():
    return make_plan([(0, 1.5, 2)]).kit.lenses[0]


def test_flat_optimum_is_told_as_a_range_of_stops() -> None:
    plan = make_plan(FLOOR)
    candidate = worked("one-frame", build_scene(plan))
    exposure = candidate.exposures[0]
    problem = problem_for(candidate.scene, exposure.lens.lens, 24.0)
    wide, small = stop_range(problem, exposure.state)
    assert wide <= exposure.state.f_number <= small
    best = candidate.worst_contrast
    for stop, inside in ((wide, True), (small, True), (wide / 2 ** (1 / 3), False), (small * 2 ** (1 / 3), False)):
        blur = blur_axes_mm(problem.points_from_lens_mm(exposure.state), exposure.state.at(stop))[0]
        contrast = float(problem.criterion.contrast(blur, exposure.state.at(stop).working_f_number).min())
        assert (contrast >= 0.95 * best - 1e-9) == inside


def test_refused_stops_are_not_used() -> None:
    deep = [(0.0, 1.5, 0.8), (0.5, 1.5, 30.0)]
    plan = make_plan(deep, rule="disc")
    small = worked("one-frame", build_scene(plan)).exposures[0].state.f_number
    data = plan.model_dump(mode="json", by_alias=True)
    data["kit"]["refuse_smallest"] = 3
    kept = worked("one-frame", build_scene(Plan.model_validate(data))).exposures[0].state.f_number
    assert small == pytest.approx(22.627, abs=0.01)
    assert kept == pytest.approx(8.0, abs=0.01)


def test_filters_and_film_lengthen_the_exposure() -> None:
    plain = worked("one-frame", build_scene(floor_plan())).exposures[0]
    data = floor_plan().model_dump(mode="json", by_alias=True)
    data["kit"]["filter_stops"] = 10.0
    data["kit"]["body"]["film"] = {"exponent": 1.3, "from_s": 1.0}
    slow = worked("one-frame", build_scene(Plan.model_validate(data))).exposures[0]
    metered = plain.shutter_s * 1024.0
    assert metered > 1.0
    assert slow.shutter_s == pytest.approx(metered**1.3, rel=1e-6)


@pytest.mark.parametrize(("closest_m", "shorter"), [(0.24, True), (0.3, False)])
def test_inner_focusing_series_still_covers_with_the_focal_length_of_each_frame(closest_m, shorter) -> None:
    """Half life size at 0.24 m is 53 mm, at 0.3 m 67 mm: a lens may grow shorter or longer near."""
    near = [(0.0, 1.5, 0.5), (0.05, 1.5, 0.62), (0.02, 1.5, 0.9)]
    lens = a_lens(60.0, closest_m=closest_m, focusing="internal", closest_magnification=0.5)
    candidate = worked("series", build_scene(make_plan(near, framing=60.0, lenses=[lens])))
    focals = [exposure.state.focal_mm for exposure in candidate.exposures]
    assert candidate.holds
    assert focals == sorted(focals, reverse=not shorter)
    assert (focals[0] < 60.0) == shorter
    assert candidate.final_pixels == (8256, 5504)


def test_detail_can_be_asked_of_a_screen_or_of_the_sensor() -> None:
    plan = make_plan(FLOOR, detail_from="screen", screen_pixels=3600, pixels_per_line_pair=4.0)
    assert plan.criterion(24.0).frequency == pytest.approx(3600 / 4 / 36.0)
    plan = make_plan(FLOOR, detail_from="sensor", pixels_per_line_pair=3.0)
    assert plan.criterion(24.0).frequency == pytest.approx(8256 / 36.0 / 3.0)
    assert plan.criterion(48.0).frequency == pytest.approx(8256 / 36.0 / 6.0)


def test_a_back_that_shifts_makes_a_grid_without_parallax_and_a_lens_says_its_own() -> None:
    """Parallax of a moved lens: the shift × the difference of magnification, hand-worked from the exposures."""
    places = [(-0.8, 1.5, 3.0), (2.0, 2.0, 9.0)]
    lens = a_lens(45.0, shift_mm=0.0, image_circle_mm=200.0)
    by_back = make_plan(places, framing=35.0, lenses=[lens], line_pairs_per_mm=1.0)
    data = by_back.model_dump(mode="json", by_alias=True)
    data["kit"]["body"]["back_shift_mm"] = 30.0
    candidate = worked("shift-grid", build_scene(Plan.model_validate(data)))
    assert candidate.fits
    assert any("Move the back" in str(note) for note in candidate.notes)
    by_lens = make_plan(places, framing=35.0, lenses=[lens | {"shift_mm": 30.0}], line_pairs_per_mm=1.0)
    moved = worked("shift-grid", build_scene(by_lens))
    shift = max(math.hypot(*exposure.sensor_centre_mm) for exposure in moved.exposures)
    apart = 2.0 * shift * moved.exposures[0].state.image_distance_mm * (1 / 3000.0 - 1 / 9000.0) / (36.0 / 8256)
    note = next(str(note) for note in moved.notes if "pixels" in str(note))
    assert f"by {apart:.0f} pixels" in note


def test_a_base_tilt_says_how_the_lens_moves() -> None:
    candidate = tilted(floor_plan(tilt_base_mm=80.0))
    tilt = math.radians(candidate.exposures[0].tilt_deg)
    assert any(f"{80.0 * math.sin(tilt):+.1f} mm forward" in str(note) for note in candidate.notes)
