"""Settings against hand calculations, the contract's shape, and every way to lose a frame."""

from __future__ import annotations

import json
import math
from itertools import pairwise

import numpy as np
import pytest

from tests.conftest import DEMO, a_lens, make_plan
from verispect.cli import main
from verispect.optics.blur import blur_axes_mm
from verispect.plan.document import BodyBracket, Order, Plan
from verispect.plan.frames.rendering import render
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.report import settings_of
from verispect.plan.setting.words import in_words

DEEP = [(0.1 * k - 0.2, 1.5, z) for k, z in enumerate((0.9, 1.3, 1.9, 3.5, 9.0))]


def deep(**lens):
    plan = make_plan(DEEP, framing=50.0, lenses=[a_lens(50.0, f_numbers=[4, 8]) | lens], print_mm=(450, 300))
    found = worked("series", build_scene(plan))
    assert found.holds
    assert found.frame_count > 4
    return found


@pytest.mark.parametrize("order", list(Order))
def test_every_order_takes_every_frame_once(order) -> None:
    found = deep()
    assert sorted(found.in_order(order)) == list(range(found.frame_count))


def test_from_the_middle_away_and_then_back_past_the_start() -> None:
    found = deep()
    focus = [found.exposures[k].focus_m for k in found.in_order(Order.CENTRE_FIRST)]
    turn = int(np.argmax(focus))
    assert focus[: turn + 1] == sorted(focus[: turn + 1])
    assert focus[turn + 1 :] == sorted(focus[turn + 1 :], reverse=True)
    assert max(focus[turn + 1 :]) < focus[0]


def test_the_first_frame_of_least_loss_holds_as_many_musts_as_any() -> None:
    found = deep()

    def held(frames) -> int:
        return int(np.sum(render(found.scene, [found.exposures[k] for k in frames], found.criterion).softness <= 1.0))

    order = found.in_order(Order.LEAST_LOSS)
    assert held(order[:1]) == max(held([k]) for k in range(found.frame_count))
    counts = [held(order[: n + 1]) for n in range(len(order))]
    assert counts == sorted(counts)
    assert counts[-1] == len(DEEP)


def test_without_a_frame_is_what_the_others_render() -> None:
    found = deep()
    for one in settings_of(found).without:
        rest = [exposure for k, exposure in enumerate(found.exposures) if k != one.exposure]
        softness = render(found.scene, rest, found.criterion).softness
        assert one.worst_softness == pytest.approx(float(softness.max()))
        assert one.fails == tuple(f"m{k}" for k in np.flatnonzero(softness > 1.0))


def test_overlaps_are_those_of_the_depths_by_image_distance() -> None:
    found = deep()
    frames = settings_of(found).frames
    assert frames[-1].overlap is None
    for frame, after in pairwise(frames):
        first, second = found.exposures[frame.exposure].state, found.exposures[after.exposure].state
        c = found.exposures[frame.exposure].allowed_blur_mm
        # p = 1: v (1 ∓ c N/f) about each focus (Ray, Applied Photographic Optics; from memory).
        kappa = c * first.f_number / first.focal_mm
        own = first.image_distance_mm / (1 + kappa), first.image_distance_mm / (1 - kappa)
        other = second.image_distance_mm / (1 + kappa), second.image_distance_mm / (1 - kappa)
        expected = max(0.0, min(own[1], other[1]) - max(own[0], other[0])) / (own[1] - own[0])
        assert frame.overlap == pytest.approx(expected, abs=1e-3)


def test_step_number_and_count_follow_from_the_test_of_the_step() -> None:
    found = deep(focus_step={"per_step_of_depth": 0.2, "plus_minus": 0.02, "circle_mm": 0.03})
    bracket = settings_of(found).bracket
    v = [exposure.image_distance_mm for exposure in (e.state for e in found.exposures)]
    unit = 0.2 * 2.0 * found.exposures[0].state.f_number * 0.03
    spacing = (max(v) - min(v)) / (len(v) - 1)
    assert bracket.step_number == max(1, math.floor(spacing / unit))
    assert (bracket.count - 1) * bracket.step_number * unit >= max(v) - min(v) - 1e-9
    assert (bracket.count - 2) * bracket.step_number * unit < max(v) - min(v)
    assert bracket.plus_minus_count >= 1
    assert bracket.first_focus_m == pytest.approx(min(e.focus_m for e in found.exposures))


def test_a_step_never_measured_is_not_guessed() -> None:
    bracket = settings_of(deep()).bracket
    assert bracket.step_number is None
    assert bracket.count is None
    assert "never measured" in str(bracket.says[0])


def test_focusing_anywhere_in_the_band_holds_every_must_and_nowhere_beyond() -> None:
    plan = make_plan([(0.0, 1.5, 4.0), (0.3, 1.5, 5.0), (-0.2, 1.4, 6.5)], framing=24.0, print_mm=(600, 400))
    found = worked("one-frame", build_scene(plan))
    band = settings_of(found).band
    state, allowed = found.exposures[0].state, found.exposures[0].allowed_blur_mm
    points = found.problem.points_from_lens_mm(state)

    def worst(focus_m: float) -> float:
        scale = 1000.0 * focus_m
        v = 0.5 * (scale - math.sqrt(scale * scale - 4.0 * 24.0 * scale)) if math.isfinite(scale) else 24.0
        moved = found.problem.state(f_number=state.f_number, image_distance_mm=v)
        return float(blur_axes_mm(points, moved)[0].max()) / allowed

    for limit, outwards in ((band.near_m, 1 / 1.01), (band.far_m, 1.01)):
        if math.isfinite(limit):
            assert worst(limit) == pytest.approx(1.0, abs=0.01)
            assert worst(limit * outwards) > 1.0
    assert "m1" in band.on


def test_a_strip_in_a_cell_of_a_grid_is_as_deep_as_that_cell_sees_it() -> None:
    """Two things 31° off the picture's middle: what counts is how far they lie along their own frame's view."""
    places = [(0.6, 1.5, 1.0), (1.83, 1.5, 3.0), (-0.6, 1.5, 1.0)]
    lens = a_lens(50.0, f_numbers=[4, 4], tilt_deg=0, shift_mm=0)
    found = worked(
        "turned-grid-series", build_scene(make_plan(places, framing=24.0, lenses=[lens], print_mm=(600, 400)))
    )
    halo = next(one for one in settings_of(found).halos if (one.edge, one.behind) == ("m0", "m1"))
    exposure = found.exposures[int(found.rendering.exposure[0])]
    near, far = (np.array(place) - exposure.pose.pupil_m for place in places[:2])
    near_mm, far_mm = (1000.0 * float(one @ exposure.pose.forward) for one in (near, far))
    strip_mm = 0.5 * 50.0 / exposure.state.f_number * (far_mm - near_mm) / near_mm
    assert halo.px == pytest.approx(
        strip_mm * 50.0 / (far_mm - 50.0) / 36.0 * found.scene.plan.kit.body.pixels[0], rel=0.02
    )


def internal(focal: float, most: float, separation: float, **more):
    """A lens that focuses internally: its closest distance by the conjugates of what it is there, 0.85 of it."""
    close = 0.85 * focal
    away = (close * (2.0 + most + 1.0 / most) + separation) / 1000.0
    return a_lens(focal, focusing="internal", closest_magnification=most, closest_m=away,
                  principal_separation_mm=separation, f_numbers=[4, 4], **more)  # fmt: skip


def breathed(away_mm: float) -> float:
    """Focal length of the 90 mm lens at 0.3 of life size, straight with the magnification on the way there."""
    focal = 90.0
    for _ in range(50):
        focal = 90.0 - 0.15 * 90.0 * (focal / (away_mm - focal)) / 0.3
    return focal


def test_a_lens_that_breathes_shows_on_its_scale_what_it_is_focused_on() -> None:
    lens = internal(90.0, 0.3, -6.0, tilt_deg=0, shift_mm=0)
    for away in (0.7, 1.5, 40.0):
        plan = make_plan([(0.0, 1.5, away)], framing=90.0, lenses=[lens])
        frame = settings_of(worked("one-frame", build_scene(plan))).frames[0]
        assert frame.ring_m == pytest.approx(frame.row.focus_m, rel=1e-9)
        focal = breathed(1000.0 * away)
        assert frame.extension_mm == pytest.approx(focal**2 / (1000.0 * away - focal), rel=1e-3)


def test_a_strip_is_as_wide_as_a_lens_that_breathes_draws_it_focused_behind() -> None:
    """The focal length goes straight with the magnification; focused far behind it is longer than on the edge."""
    lens = internal(90.0, 0.3, -6.0, tilt_deg=0, shift_mm=0)
    plan = make_plan([(0.0, 1.5, 0.8), (0.01, 1.5, 3.0)], framing=90.0, lenses=[lens], print_mm=(450, 300))
    halo = settings_of(worked("series", build_scene(plan))).halos[0]
    focal = breathed(3000.0)
    strip_mm = 0.5 * focal / 4.0 * (3000.0 - 800.0) / 800.0
    assert halo.px == pytest.approx(strip_mm * focal / (3000.0 - focal) / plan.kit.body.pixel_mm, rel=0.01)


def test_a_strip_behind_an_edge_is_half_its_blur_with_the_background_in_focus() -> None:
    places = [(0.0, 1.5, 1.0), (0.03, 1.5, 3.0)]
    plan = make_plan(places, framing=50.0, lenses=[a_lens(50.0, f_numbers=[4, 5.6])], print_mm=(450, 300))
    found = worked("series", build_scene(plan))
    halo = settings_of(found).halos[0]
    assert (halo.edge, halo.behind) == ("m0", "m1")
    # Seen past an edge at d1, a point at d2 loses a strip of D/2 (d2 − d1)/d1 there, drawn f d2/(d2 − f)/d2 as large.
    stop = found.exposures[0].state.f_number
    strip_mm = 0.5 * 50.0 / stop * (3000.0 - 1000.0) / 1000.0
    drawn = strip_mm * 50.0 / (3000.0 - 50.0)
    assert halo.px == pytest.approx(drawn / plan.kit.body.pixel_mm, rel=0.02)
    # The pupil is as much smaller as the stop.
    assert [stop for stop, _ in halo.by_stop] == pytest.approx([4.0, 5.657], abs=0.01)
    assert [px * stop for stop, px in halo.by_stop] == pytest.approx([halo.px * stop_planned(found)] * 2)


def stop_planned(candidate) -> float:
    return candidate.exposures[0].state.f_number


def test_a_rail_goes_from_its_first_place_in_even_steps() -> None:
    content = make_plan([(0.0, 1.5, 0.2), (0.01, 1.5, 0.21), (0.0, 1.5, 0.22)], framing=90.0,
                        lenses=[a_lens(60.0, closest_m=0.2)]).model_dump(mode="json")  # fmt: skip
    content["kit"]["rail"] = {"travel_mm": 100}
    found = worked("rail-series", build_scene(Plan.model_validate(content)))
    rail = settings_of(found).rail
    assert rail.start_mm == 0.0
    assert rail.count == found.frame_count
    assert rail.end_mm == pytest.approx(rail.step_mm * (rail.count - 1))


def test_a_turned_grid_covers_and_overlaps_as_asked_and_says_what_an_error_costs() -> None:
    plan = make_plan([(-1.0, 1.5, 3.0), (2.0, 1.5, 8.0), (0.0, 3.0, 20.0)], framing=24.0, lenses=[a_lens(70.0)])
    found = worked("turned-grid", build_scene(plan))
    head = settings_of(found).head
    assert head.covered
    assert head.smallest_overlap >= plan.wish.overlap - 1e-6
    px = dict(head.parallax_px_for_mm)
    assert px[20.0] == pytest.approx(20.0 * px[1.0])
    assert head.slide_mm == pytest.approx(found.exposures[0].state.image_distance_mm)
    assert any("ahead of the sensor mark" in str(line) for _, lines in in_words(settings_of(found)) for line in lines)
    assert head.seam_loss_stops is None


def test_where_neighbours_meet_light_is_lost_as_the_lens_falls_off() -> None:
    """By hand: half-way lies at v tan(half the turn), and the loss grows with the fourth power of its share."""
    lens = a_lens(70.0, falloff_stops=2.0, image_circle_mm=46.0)
    plan = make_plan([(-2.0, 1.5, 8.0), (3.0, 1.5, 8.0)], framing=24.0, lenses=[lens])
    found = worked("turned-grid", build_scene(plan))
    half = [0.5 * math.acos(float(a.pose.forward @ b.pose.forward)) for a in found.exposures for b in found.exposures
            if a is not b]  # fmt: skip
    state = found.exposures[0].state
    # The cone of light has its angle from the focal length: circle over 2 f.
    across = [state.focal_mm * math.tan(angle) / 23.0 for angle in half]
    rows = settings_of(found).candidate.grid_cells
    assert sum(rows) == len(found.exposures)
    told = settings_of(found).head.seam_loss_stops
    assert any(told == pytest.approx(2.0 * share**4, rel=1e-3) for share in across)
    said = [str(line) for _, lines in in_words(settings_of(found)) for line in lines]
    assert any("where neighbours meet" in line for line in said) == (told >= 0.1)


@pytest.mark.parametrize("key", ["one-frame", "tilt", "series", "turned-grid-series"])
def test_the_command_prints_what_the_contract_names(capsys, key) -> None:
    assert main(["settings", str(DEMO), "--method", key, "--json"]) in (0, 1)
    told = json.loads(capsys.readouterr().out)
    assert told["format"] == "verispect-settings"
    assert set(told) >= {
        "method",
        "lens",
        "mount",
        "frames",
        "bracket",
        "focus_band",
        "head",
        "rail",
        "halo_px",
        "without",
    }
    assert set(told["mount"]) >= {"rotation_deg", "tilt_deg", "swing_deg", "shift_mm", "rise_mm", "cross_mm",
                                  "back_tilt_deg", "back_swing_deg", "says"}  # fmt: skip
    for number, frame in enumerate(told["frames"], start=1):
        assert frame["number"] == number
        assert set(frame) >= {"exposure", "cell", "bearing_deg", "pitch_deg", "focus_m", "measured_from", "ring_m",
                              "extension_mm", "rail_mm", "near_m", "far_m", "overlap", "field_share", "f_number",
                              "shutter_s", "iso"}  # fmt: skip


def test_an_unknown_order_or_method_is_one_sentence(capsys) -> None:
    with pytest.raises(SystemExit) as stopped:
        main(["settings", str(DEMO), "--order", "sideways"])
    assert stopped.value.code == 2
    assert main(["settings", str(DEMO), "--method", "sideways"]) == 2
    assert "sideways" in capsys.readouterr().err


def test_the_frame_that_serves_alone_is_the_best_of_all_frames_and_stops() -> None:
    found = deep()
    told = settings_of(found).alone
    best = (0, math.inf)
    for exposure in found.exposures:
        for stop in found.problem.stops:
            one = found.problem.exposure(exposure.state.at(float(stop)))
            softness = render(found.scene, [one], found.criterion).softness[found.scene.deciding]
            best = min(best, (-int((softness <= 1.0).sum()), float(softness.max())))
    assert told.worst_softness == pytest.approx(best[1])
    assert len(told.fails) == len(DEEP) + best[0]
    said = " ".join(str(line) for title, lines in in_words(settings_of(found)) for line in lines)
    assert "should merging fail, frame" in said


def test_a_count_typed_beyond_what_is_enough_is_not_told_as_too_few() -> None:
    found = deep(focus_step={"per_step_of_depth": 0.2, "plus_minus": 0.04, "circle_mm": 0.03})
    choice = found.scene.plan.choice.model_copy(update={"bracket": BodyBracket(step_number=1, count=200)})
    typed = worked("series", build_scene(found.scene.plan.model_copy(update={"choice": choice})))
    settings = settings_of(typed)
    assert settings.bracket.count == 200
    assert settings.bracket.plus_minus_count == 0
    told = " ".join(str(line) for _, lines in in_words(settings) for line in lines)
    assert "perhaps" not in told
