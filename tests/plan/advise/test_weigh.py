"""Whole weighings, as the command line prints them, against the independent ray trace."""

from __future__ import annotations

import json
import math
import re
from functools import lru_cache
from typing import Any

import numpy as np
import pytest

from tests.conftest import DEMO, EXAMPLES, a_lens, make_plan
from tests.outside.oracle import blur_axes, rim_on_sensor, seen_mm, total_contrast
from verispect.errors import Cancelled, PlanError
from verispect.files.plan_file import plan_to_text, read_plan
from verispect.files.weighing_json import weighing_to_dict, weighing_to_table
from verispect.plan.advise.weigh import advised_of, weigh
from verispect.plan.document import Aim, Plan
from verispect.plan.methods.method import METHOD_KEYS
from verispect.plan.methods.ranking import burden
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.solve.problem import problem_for
from verispect.plan.solve.stop_choice import look_at_stops
from verispect.subject.surface import Surface


def scattered_plan(seed: int) -> Plan:
    """A plan that no example knows: random marks, pupils, poses and lenses."""
    rng = np.random.default_rng(seed)
    z = np.exp(rng.uniform(math.log(1.8), math.log(50.0), 6))
    places = [(float(a * d), float(1.5 + b * d), float(d)) for a, b, d in zip(
        rng.uniform(-0.4, 0.4, 6), rng.uniform(-0.25, 0.2, 6), z, strict=True)]  # fmt: skip
    lenses = [
        a_lens(
            24.0, pupil_magnification=float(rng.uniform(0.5, 2.0)), principal_separation_mm=float(rng.uniform(-9, 9))
        ),
        a_lens(45.0, pupil_magnification=float(rng.uniform(0.5, 2.0)), image_circle_mm=64),
        {"name": "zoom", "focal_mm": [20, 60], "f_numbers": [4, 22], "closest_m": 0.3, "pupil_magnification": 1.4},
    ]
    camera = {"bearing_deg": float(rng.uniform(-20, 20)), "pitch_deg": float(rng.uniform(-6, 6)),
              "roll_deg": float(rng.uniform(-2, 2))}  # fmt: skip
    floor = float(rng.uniform(0.15, 0.4))
    return make_plan(places, lenses=lenses, camera=camera, contrast_floor=floor)


@lru_cache
def scattered(seed: int) -> tuple[dict[str, Any], dict[str, Any]]:
    """The same, printed; to be looked at only."""
    return printed(scattered_plan(seed))


def printed(plan: Plan) -> tuple[dict[str, Any], dict[str, Any]]:
    """The plan and its weighing as plain JSON, as anybody outside would read them."""
    weighing = weighing_to_dict(weigh(plan))
    return json.loads(plan_to_text(plan)), json.loads(json.dumps(weighing, allow_nan=False))


@pytest.mark.parametrize("seed", range(5))
def test_every_exposure_of_every_method_agrees_with_traced_rays(seed: int) -> None:
    plan, weighing = scattered(seed)
    looked_at = 0
    for method in weighing["methods"]:
        for reported, mark in zip(method["marks"], plan["marks"], strict=False):
            exposure = method["exposures"][reported["exposure"]]
            hits, _ = rim_on_sensor(plan, exposure, mark)
            long, _ = blur_axes(hits)
            assert reported["blur_mm"][0] == pytest.approx(long, rel=1e-3, abs=2e-6), (method["key"], mark["name"])
            contrast = total_contrast(plan, method, exposure, long)
            assert reported["contrast"] == pytest.approx(contrast, abs=0.004)
            # Softness says the same as the contrast, and is blur over the allowed blur.
            if reported["softness"] is not None:
                floor = method["criterion"]["contrast_floor"]
                if abs(contrast - floor) > 0.004 and reported["softness"] < 1.8:
                    assert (reported["softness"] <= 1.0) == (contrast >= floor)
                assert reported["softness"] == pytest.approx(long / exposure["allowed_blur_mm"], rel=2e-3, abs=1e-4)
            looked_at += 1
    assert looked_at >= 24


@pytest.mark.parametrize("seed", range(5))
def test_allowed_blur_of_each_exposure_brings_the_contrast_to_the_floor(seed: int) -> None:
    plan, weighing = scattered(seed)
    for method in weighing["methods"]:
        for exposure in method["exposures"][:3]:
            if exposure["allowed_blur_mm"] is not None:
                reached = total_contrast(plan, method, exposure, exposure["allowed_blur_mm"])
                assert reached == pytest.approx(method["criterion"]["contrast_floor"], abs=0.004)


@pytest.mark.parametrize("seed", range(3))
def test_marks_reported_as_inside_fall_on_their_sensor(seed: int) -> None:
    plan, weighing = scattered(seed)
    half = np.array(plan["kit"]["body"]["sensor_mm"]) / 2.0
    for method in weighing["methods"]:
        for reported, mark in zip(method["marks"], plan["marks"], strict=False):
            exposure = method["exposures"][reported["exposure"]]
            _, middle = rim_on_sensor(plan, exposure, mark)
            on_sensor = bool(np.all(np.abs(middle - np.array(exposure["sensor_centre_mm"])) <= half + 1e-6))
            assert on_sensor == reported["inside"]
            assert seen_mm(exposure, mark)[2] > 0.0


def test_worst_softness_and_holds_are_of_the_musts_only() -> None:
    plan = make_plan([(0, 1.5, 3), (0, 1.5, 4)], lenses=[a_lens(24)])
    soft = plan.marks[0].model_copy(update={"name": "far", "z_m": 0.5, "need": "may"})
    weighing = weigh(plan.model_copy(update={"marks": (*plan.marks, soft)}))
    one = weighing.by_key("one-frame")
    assert one.holds
    assert one.rendering.softness[2] > 1.0 > one.worst_softness


def test_all_methods_are_weighed_at_the_same_final_picture() -> None:
    plan = scattered_plan(1)
    base = plan.wish.print_line_pairs_per_mm() * plan.enlargement()
    for candidate in weigh(plan).candidates:
        if candidate.fits:
            on_print = candidate.criterion.frequency * candidate.focal_mm / plan.camera.framing_mm
            assert on_print == pytest.approx(base, rel=1e-12)


def test_wish_without_line_pairs_is_two_arcmin_at_the_viewing_distance() -> None:
    # ISO 8596: 1 arcmin for a line; a pair takes 2. At 600 mm that is 0.349 mm.
    wish = make_plan([(0, 1, 4)], viewing_mm=600).wish
    assert 1.0 / wish.print_line_pairs_per_mm() == pytest.approx(0.349, abs=5e-4)
    assert make_plan([(0, 1, 4)], line_pairs_per_mm=5).wish.print_line_pairs_per_mm() == 5


def test_a_25_on_half_size_asks_for_the_same_picture_as_50_on_full_size() -> None:
    # Common practice: a 25 mm lens on the half-size format sees what 50 mm sees on 36 × 24.
    full = make_plan([(0, 1, 4)], framing=50)
    half = make_plan([(0, 1, 4)], framing=25)
    body = half.kit.body.model_copy(update={"sensor_mm": (18.0, 12.0)})
    half = half.model_copy(update={"kit": half.kit.model_copy(update={"body": body})})
    np.testing.assert_allclose(build_scene(full).half_picture(), build_scene(half).half_picture())
    assert half.enlargement() == pytest.approx(2.0 * full.enlargement())


def test_best_stop_under_wave_is_the_one_with_most_contrast() -> None:
    plan = make_plan([(0, 1.5, 3), (0, 1.5, 12)])
    candidate = weigh(plan).by_key("one-frame")
    from verispect.plan.solve.focus_plane import focus_for
    from verispect.plan.solve.problem import problem_for

    task = problem_for(candidate.scene, candidate.lens.lens, candidate.focal_mm)
    worst = []
    for n in task.stops:
        state = focus_for(task, f_number=float(n), weights=task.weights)
        from verispect.optics.blur import blur_axes_mm

        blur = blur_axes_mm(task.points_from_lens_mm(state), state)[0]
        worst.append(float(task.criterion.contrast(blur, state.working_f_number).min()))
    assert candidate.exposures[0].state.f_number == task.stops[int(np.argmax(worst))]


def test_best_stop_under_disc_is_the_widest_that_holds() -> None:
    plan = make_plan([(0, 1.5, 3), (0, 1.5, 6)], rule="disc")
    candidate = weigh(plan).by_key("one-frame")
    stop = candidate.exposures[0].state.f_number
    assert candidate.holds
    # Blur grows as 1/N untilted, so one third wider must fail.
    assert candidate.worst_softness * 2.0 ** (1.0 / 6.0) > 1.0
    assert stop < 22.0


@pytest.mark.parametrize("path", [*EXAMPLES, DEMO], ids=lambda path: path.stem)
def test_examples_make_an_interesting_choice(path) -> None:
    weighing = weigh(read_plan(path))
    holds = {candidate.key: candidate.holds for candidate in weighing.candidates}
    assert weighing.advised is not None
    assert weighing.by_key(weighing.advised).holds
    assert not all(holds.values())
    assert len(weighing.because) >= 2


def test_simplest_of_equal_burdens_is_advised_and_ties_are_said() -> None:
    weighing = weigh(make_plan([(0, 1.5, 5), (0.2, 1.5, 5.5)]))
    assert weighing.advised == "one-frame"
    assert any("ties with it" in str(reason) for reason in weighing.because)


def test_a_floor_from_near_to_far_wants_tilt_and_says_what_one_frame_leaves_soft() -> None:
    floor = [(x, 0.0, z) for z in (2.1, 3.0, 7.0, 30.0) for x in (-0.2, 0.3)]
    weighing = weigh(make_plan(floor, camera={"height_m": 1.0}, print_mm=(1200, 800), contrast_floor=0.2))
    assert weighing.advised == "tilt"
    one = weighing.by_key("one-frame")
    said = [str(reason) for reason in weighing.because if "One frame leaves" in str(reason)]
    assert len(said) == 1
    assert said[0].endswith(f"{one.worst_softness:.2f} times too soft")


def test_nothing_holds_names_the_nearest() -> None:
    plan = make_plan([(0, 1.5, 0.6), (0.3, 3.0, 30)], lenses=[{
        "name": "fixed", "focal_mm": [24, 24], "f_numbers": [2, 2.8], "closest_m": 0.3}], series_covers="range",
        print_mm=(9000, 6000))  # fmt: skip
    plan = plan.model_copy(update={"kit": plan.kit.model_copy(update={"head": None})})
    weighing = weigh(plan)
    assert not any(candidate.holds for candidate in weighing.candidates)
    assert str(weighing.because[0]).startswith(("Nothing holds", "The wanted detail is finer"))


def test_a_hopeless_depth_is_told_at_the_stop_that_blurs_it_least() -> None:
    """Past the first zero contrast only ripples: there the stop of least softness is the nearest to holding."""
    plan = make_plan([(0.0, 1.4, 1.2), (0.4, 1.5, 40.0)], lenses=[a_lens(24, tilt_deg=0)], print_mm=(6000, 4000))
    scene = build_scene(plan)
    one = worked("one-frame", scene)
    problem = problem_for(scene, plan.kit.lenses[0], 24.0)
    softness, contrast = look_at_stops(problem, one.exposures[0].state)
    assert contrast.min(axis=1).max() < 0.064
    assert one.worst_softness > 1.0
    assert one.worst_softness == pytest.approx(softness.max(axis=1).min(), rel=1e-3)


def test_least_time_and_most_detail_change_the_burden() -> None:
    plan = make_plan([(-2, 0.8, 5), (2, 2, 9)], lenses=[a_lens(24), a_lens(70, image_circle_mm=90)])
    detailed = plan.model_copy(update={"wish": plan.wish.model_copy(update={"priority": "most detail"})})
    assert weigh(plan).advised == "one-frame"
    assert weigh(detailed).advised == "turned-grid"


def test_least_movement_and_least_merging_change_the_burden() -> None:
    """Several methods hold; the advised one has the shortest run, or the least for a computer to do."""
    plan = make_plan([(0.0, 1.5, 1.2), (0.3, 1.4, 6.0)], lenses=[a_lens(24)])
    chosen = {}
    for priority in ("least risk from movement", "least computer work"):
        wished = plan.model_copy(update={"wish": plan.wish.model_copy(update={"priority": priority})})
        weighing = weigh(wished)
        holding = [candidate for candidate in weighing.candidates if candidate.holds]
        assert len(holding) > 1
        chosen[priority] = weighing.by_key(weighing.advised)
    assert chosen["least risk from movement"].run_s <= min(c.run_s for c in holding) * 1.02
    assert chosen["least computer work"].frame_count == min(c.frame_count for c in holding)


def test_asked_probability_passes_over_what_is_not_sure_enough() -> None:
    places = [(0.0, 0.7, 1.8), (0.3, 0.2, 3.0), (-0.5, 0.05, 7.0)]
    lens = a_lens(24, tilt_plus_minus_deg=0.6)
    plan = make_plan(places, lenses=[lens], marks={"plus_minus_m": 0.005}, print_mm=(1350, 900))
    calm = weigh(plan)
    assert calm.advised == "tilt"
    share = calm.by_key("tilt").confidence.holds
    assert 0.0 < share < 0.95
    surer = max(c.confidence.holds for c in calm.candidates if c.holds)
    doubt = next(str(reason) for reason in calm.because if "With your ± it holds" in str(reason))
    assert f"in {100 * share:.0f} of 100 tries;" in doubt
    assert doubt.endswith(f"in {100 * surer:.0f}")
    sure = plan.model_copy(update={"wish": plan.wish.model_copy(update={"least_probability": 0.99})})
    weighing = weigh(sure)
    chosen = weighing.by_key(weighing.advised)
    assert weighing.advised != "tilt"
    assert chosen.holds
    assert chosen.confidence.holds >= 0.99
    surest = weighing.by_key("tilt").confidence.holds
    assert share < surest < 0.99
    said = next(str(reason) for reason in weighing.because if "Tilt holds by the figures" in str(reason))
    assert f"only in {100 * surest:.0f} of 100 tries; 99 were asked" in said


def test_where_none_is_sure_enough_the_surest_is_advised_and_that_is_said() -> None:
    plan = make_plan([(0.0, 1.5, 2.0), (0.3, 1.4, 2.2)], marks={"plus_minus_m": 1.5}, least_probability=1.0)
    weighing = weigh(plan)
    holding = [candidate for candidate in weighing.candidates if candidate.holds]
    surest = max(candidate.confidence.holds for candidate in holding)
    assert surest < 1.0
    assert weighing.by_key(weighing.advised).confidence.holds == surest
    assert any("No method holds in 100 of 100 tries" in str(reason) for reason in weighing.because)


def test_a_must_beside_the_picture_is_held_by_nothing_and_the_rest_told_all_the_same() -> None:
    inside = make_plan([(0, 1.5, 5), (0.4, 1.2, 9)])
    alone = weigh(inside)
    weighing = weigh(make_plan([(0, 1.5, 5), (0.4, 1.2, 9), (5.0, 1.5, 6)]))
    written = weighing_to_dict(weighing)
    for method in written["methods"]:
        assert not method["holds"]
        if method["fits"]:
            assert method["outside"] == ["m2"]
    assert weighing.advised == alone.advised
    first, then, *ways = map(str, weighing.because)
    assert first.startswith("m2 lies outside the picture")
    assert then.startswith("But for that One frame would hold everything in one frame at f/")
    assert any("If m2 may be soft, One frame holds" in way for way in ways)
    cross = next(float(words[1]) for way in ways if (words := re.search(r"With a cross of ([\d.]+) mm", way)))
    # By hand: 5 m aside at 6 m, the picture's edge at 18 mm of 24.
    assert cross == pytest.approx(24.0 * 5.0 / 6.0 - 18.0, rel=0.06)


def test_an_area_beside_the_picture_is_held_by_nothing() -> None:
    shed = Surface(name="shed", x_m=40.0, z_m=3.0, width_m=1.0)
    weighing = weigh(make_plan([(0, 1.5, 5)]).model_copy(update={"surfaces": (shed,)}))
    assert not any(candidate.holds for candidate in weighing.candidates)
    assert str(weighing.because[0]).startswith("shed lies outside the picture")


@pytest.mark.parametrize(
    ("places", "words", "change"),
    [
        ([(0, 1.5, 5), (1.0, 5.0, 6.0)], r"With a rise of ([\d.]+) mm", "rise_mm"),
        ([(0, 1.5, 5), (1.0, 5.0, 6.0)], r"With the camera pitched by \+([\d.]+)°", "pitch_deg"),
        ([(0, 1.5, 5), (1.0, 5.0, 6.0)], r"With the camera at ([\d.]+) m", "height_m"),
        ([(0, 1.5, 5), (5.0, 1.5, 6.0)], r"With the camera turned by \+([\d.]+)°", "bearing_deg"),
    ],
)
def test_what_takes_in_a_must_beside_the_picture_does(places, words, change) -> None:
    plan = make_plan(places)
    told = [float(found[1]) for reason in weigh(plan).because if (found := re.search(words, str(reason)))]
    camera = plan.camera.model_copy(update={change: told[0] + 0.05})
    assert any(candidate.holds for candidate in weigh(plan.model_copy(update={"camera": camera})).candidates)


def test_contract_has_all_its_keys() -> None:
    _, weighing = printed(scattered_plan(2))
    assert weighing["format"] == "verispect-weighing"
    assert weighing["version"] == 1
    assert [method["key"] for method in weighing["methods"]] == list(METHOD_KEYS)
    for method in weighing["methods"]:
        assert {"fits", "why_not", "holds", "frame_count", "time_on_site_s", "final_pixels", "worst_softness",
                "criterion", "exposures", "marks"} <= set(method)  # fmt: skip
        assert {"rule", "frequency_cycles_per_mm", "contrast_floor"} <= set(method["criterion"])
        assert method["frame_count"] == len(method["exposures"])
        for exposure in method["exposures"]:
            assert {"lens", "focal_mm", "f_number", "position_m", "right", "up", "forward", "lens_axis",
                    "image_distance_mm", "sensor_centre_mm", "focus_m", "shutter_s",
                    "allowed_blur_mm"} <= set(exposure)  # fmt: skip
    assert weighing["advised"] in METHOD_KEYS


def test_f_numbers_are_exact_thirds() -> None:
    _, weighing = printed(scattered_plan(3))
    for method in weighing["methods"]:
        for exposure in method["exposures"]:
            thirds = 6.0 * math.log2(exposure["f_number"])
            assert thirds == pytest.approx(round(thirds), abs=1e-9)


def test_table_has_a_line_for_each_method_and_the_reasons() -> None:
    table = weighing_to_table(weigh(scattered_plan(1)))
    for name in ("One frame", "Tilt", "Focus series", "Tilted series", "Shifted grid", "Turned grid"):
        assert name in table


@pytest.mark.parametrize(
    ("place", "said"),
    [
        ((0, 1.5, -2.0), "2.00 m behind the lens"),
        ((0, 1.5, 0.02), "20 mm before the lens"),
        ((0, 1.5, 0.0), "behind"),
    ],
)
def test_marks_behind_or_inside_the_lens_are_refused_by_name(place, said: str) -> None:
    with pytest.raises(PlanError, match=said) as caught:
        weigh(make_plan([(0, 1.5, 5), place]))
    assert "marks[1] (m1)" in str(caught.value)


def test_no_marks_and_no_lenses_are_refused() -> None:
    plan = make_plan([(0, 1.5, 5)])
    with pytest.raises(PlanError, match="at least one mark"):
        weigh(plan.model_copy(update={"marks": ()}))
    with pytest.raises(PlanError, match="at least one lens"):
        weigh(plan.model_copy(update={"kit": plan.kit.model_copy(update={"lenses": ()})}))


def test_ten_thousand_marks_are_weighed() -> None:
    rng = np.random.default_rng(0)
    z = rng.uniform(3, 30, 10_000)
    places = [(float(0.3 * d * a), float(1.5 + 0.2 * d * b), float(d)) for d, a, b in zip(
        z, rng.uniform(-1, 1, 10_000), rng.uniform(-1, 1, 10_000), strict=True)]  # fmt: skip
    weighing = weigh(make_plan(places))
    assert weighing.by_key("one-frame").rendering.softness.shape == (10_000,)
    assert weighing.by_key("tilt").worst_softness <= weighing.by_key("one-frame").worst_softness * 1.001


@pytest.mark.parametrize("priority", list(Aim))
def test_the_advice_alone_is_that_of_a_weighing(priority) -> None:
    """What is not worked out for it could not have been advised."""
    for seed in range(2):
        plan = scattered_plan(seed)
        # From prints that one frame serves to such as nothing does.
        for width in (300.0, 2700.0):
            wish = plan.wish.model_copy(update={"print_mm": (width, width / 1.5), "priority": priority})
            asked = plan.model_copy(update={"wish": wish})
            whole, alone = weigh(asked), advised_of(asked)
            assert alone is not None
            best = whole.by_key(whole.advised or "")
            assert (alone.key, alone.holds, burden(alone)) == (best.key, best.holds, burden(best))


def test_weighing_can_be_cancelled_between_methods() -> None:
    told: list[float] = []
    with pytest.raises(Cancelled):
        weigh(make_plan([(0, 1.5, 5)]), is_cancelled=lambda: len(told) >= 2, progress=told.append)
    assert len(told) == 2


def test_a_tight_image_circle_holds_the_tilt_back() -> None:
    # The optimum wants 1.56°; a circle that barely covers the sensor leaves only part of that.
    floor = [(x, 0.9, z) for z in (1.2, 3.0, 9.0) for x in (-0.3, 0.3)]
    free = weigh(make_plan(floor)).by_key("tilt")
    tight = weigh(make_plan(floor, lenses=[a_lens(24, image_circle_mm=44.6)])).by_key("tilt")
    assert tight.fits
    assert abs(tight.exposures[0].tilt_deg) < abs(free.exposures[0].tilt_deg)
    assert any("image circle" in str(note) for note in tight.notes)
    from verispect.optics.image_circle import circle_reserve_mm, corner_points_mm

    corners = corner_points_mm((36, 24), (0, 0))
    assert circle_reserve_mm(corners, tight.exposures[0].state, 44.6).min() >= -1e-6


def test_too_small_a_circle_is_no_lens_for_this_sensor() -> None:
    weighing = weigh(make_plan([(0, 1.5, 5)], lenses=[a_lens(24, image_circle_mm=30)]))
    assert not weighing.by_key("one-frame").fits
    assert "misses a corner" in str(weighing.by_key("one-frame").why_not[0])


def test_moving_mark_smears_and_wants_a_shorter_exposure() -> None:
    still = weigh(make_plan([(0, 1.5, 4), (0, 1.5, 9)])).by_key("one-frame")
    moving = weigh(make_plan([(0, 1.5, 4), (0, 1.5, 9)], marks={"speed_mm_s": 80})).by_key("one-frame")
    assert moving.exposures[0].state.f_number < still.exposures[0].state.f_number
    smear, exposure = moving.rendering.smear_mm[0], moving.exposures[0]
    # w t m by hand: 80 mm/s for the exposure time at image distance over object distance.
    assert smear == pytest.approx(80 * exposure.shutter_s * exposure.state.image_distance_mm / 4000, rel=1e-3)
    assert moving.worst_contrast < still.worst_contrast


def test_a_must_that_a_near_focus_drops_from_every_frame_is_not_held() -> None:
    """By the thin lens: at v = f z / (z − f) half a sensor sees less than at infinity, and the mark lies between."""
    away, focal = 0.4, 50.0
    image = focal * away * 1000 / (away * 1000 - focal)
    aside = 0.97 * 18.0 / focal * away
    assert 18.0 / image * away < aside < 18.0 / focal * away
    lens = a_lens(focal, f_numbers=[4, 16], tilt_deg=0, closest_m=0.3)
    weighing = weigh(make_plan([(0.0, 1.5, away), (aside, 1.5, away)], framing=focal, lenses=[lens]))
    fitting = [candidate for candidate in weighing.candidates if candidate.fits]
    assert fitting
    assert not any(candidate.holds for candidate in fitting)
    assert all(candidate.lost_marks == ("m1",) for candidate in fitting)
    assert "m1 is on no frame" in str(weighing.because[0])
    inner = weigh(make_plan([(0.0, 1.5, away), (0.8 * aside, 1.5, away)], framing=focal, lenses=[lens]))
    assert inner.by_key("one-frame").holds
