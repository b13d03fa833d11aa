"""The region of stop, time and ISO against sums worked by hand; hands that shake against the rule behind them."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.kit.equipment import Tripod
from verispect.optics.exposure_time import HANDS_RAD_S
from verispect.optics.f_stops import marked
from verispect.plan.advise.follow_up import further
from verispect.plan.advise.weigh import weigh
from verispect.plan.explain.setting_reasons import setting_reasons
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.exposure_region import exposure_region
from verispect.plan.setting.report import settings_of
from verispect.plan.setting.words import exposure_words

AWAY_M = 8.0


def one_mark(speed=0.0, *, iso_range=(100.0, 3200.0), camera=None, **wish):
    """A candidate of one frame over one mark in the middle, judged by the root-sum rule."""
    lens = a_lens(50.0, f_numbers=[2.8, 22], tilt_deg=0)
    marks = {"speed_mm_s": speed}
    plan = make_plan(
        [(0.0, 1.5, AWAY_M)], framing=50.0, lenses=[lens], marks=marks, camera=camera, rule="root-sum", **wish
    )
    body = plan.kit.body.model_copy(update={"iso_range": iso_range})
    plan = plan.model_copy(update={"kit": plan.kit.model_copy(update={"body": body})})
    return worked("one-frame", build_scene(plan))


def longest_by_hand(candidate, f_number, speed_mm_s):
    """What is left of the disc once diffraction and pixel are taken off, over how fast the image moves."""
    criterion, state = candidate.criterion, candidate.exposures[0].state.at(f_number)
    left = criterion.disc_mm**2 - (2.44 * 550e-6 * state.working_f_number) ** 2 - criterion.pixel_mm**2
    object_mm = state.focal_mm * state.image_distance_mm / (state.image_distance_mm - state.focal_mm)
    return math.sqrt(left) * object_mm / (speed_mm_s * state.image_distance_mm)


def test_times_of_a_moving_mark_are_those_worked_by_hand() -> None:
    candidate = one_mark(speed=300.0)
    region = exposure_region(candidate)
    assert region.isos == (100.0, 3200.0)
    assert len(region.serving) > 3
    for stop in region.stops:
        working = candidate.exposures[0].state.at(stop.f_number).working_f_number
        assert stop.at_base_s == pytest.approx(working**2 / 2.0**12, rel=1e-6)
        assert stop.shortest_s == pytest.approx(stop.at_base_s / 32.0, rel=1e-9)
        if stop.softness <= 1.0:
            assert stop.longest_s == pytest.approx(longest_by_hand(candidate, stop.f_number, 300.0), rel=0.01)
            assert stop.serves == (stop.shortest_s <= stop.longest_s * 1.005)
            assert stop.worst == "m0"
    assert any("m0 smears, it moves" in str(bound) for bound in region.bounds)


def test_nothing_that_moves_leaves_the_time_free_and_noise_ends_the_iso() -> None:
    still = exposure_region(one_mark())
    assert all(stop.longest_s == math.inf for stop in still.stops if stop.softness <= 1.0)
    assert still.serving[0].times_s == (still.serving[0].shortest_s, still.serving[0].at_base_s)
    quiet = exposure_region(one_mark(noise_ratio=120.0))
    assert 100.0 <= quiet.isos[1] < 3200.0
    assert any("noisier" in str(bound) for bound in quiet.bounds)
    assert any("too soft, by diffraction" in str(bound) for bound in still.bounds)


def test_by_hand_one_over_the_focal_length_smears_by_three_hundredths() -> None:
    """The rule of thumb that the shake is taken from, for any focal length: common practice."""
    for focal in (24.0, 50.0, 200.0):
        assert focal * HANDS_RAD_S / focal == pytest.approx(0.03)
    held = one_mark(camera={"hand_held": True})
    region = exposure_region(held)
    away = 1000.0 * AWAY_M
    for stop in region.stops:
        if stop.softness <= 1.0:
            wanted = longest_by_hand(held, stop.f_number, HANDS_RAD_S * away)
            assert stop.longest_s == pytest.approx(wanted, rel=0.015)
    steady = exposure_region(one_mark(camera={"hand_held": True, "stabiliser_stops": 3.0}))
    assert steady.stops[0].longest_s == pytest.approx(8.0 * region.stops[0].longest_s, rel=0.015)
    assert any("hands shake" in str(bound) for bound in region.bounds)


def test_by_hand_only_one_frame_is_offered_and_iso_is_raised_for_it() -> None:
    lens = a_lens(50.0, f_numbers=[4, 16], tilt_deg=0)
    plan = make_plan([(0.0, 1.5, 1.2), (0.3, 1.6, 30.0)], framing=50.0, lenses=[lens], camera={"hand_held": True})
    found = weigh(plan)
    assert all(c.frame_count <= 1 for c in found.candidates)
    assert "tripod" in str(found.by_key("series").why_not[0])
    dim = make_plan([(0.0, 1.5, 6.0)], framing=50.0, lenses=[lens], camera={"hand_held": True})
    body = dim.kit.body.model_copy(update={"iso_range": (100.0, 25600.0)})
    dim = dim.model_copy(update={"kit": dim.kit.model_copy(update={"body": body}),
                                 "light": dim.light.model_copy(update={"ev100": 6.0})})  # fmt: skip
    one = worked("one-frame", build_scene(dim))
    assert one.holds
    assert one.scene.plan.kit.body.iso > 100.0
    assert "by hand" in str(one.notes[0])


def test_what_moves_gets_a_frame_of_its_own_where_all_in_one_cannot_be() -> None:
    """In dim light the still depth wants a small stop, the mover a short time: no ISO serves both."""
    lens = a_lens(50.0, f_numbers=[2, 16], tilt_deg=0, shift_mm=0)
    plan = make_plan(
        [(0.0, 1.5, 4.0), (0.3, 1.6, 7.0), (-0.4, 1.4, 5.5)], framing=50.0, lenses=[lens], print_mm=(300, 200)
    )
    marks = (*plan.marks[:2], plan.marks[2].model_copy(update={"speed_mm_s": 500.0}))
    body = plan.kit.body.model_copy(update={"iso_range": (100.0, 800.0)})
    plan = plan.model_copy(update={"marks": marks, "kit": plan.kit.model_copy(update={"body": body}),
                                   "light": plan.light.model_copy(update={"ev100": 7.0})})  # fmt: skip
    found = weigh(plan)
    assert not found.by_key("one-frame").holds
    way = next(way for way in further(found).ways if way.key == "own frame")
    assert way.let_go == ("m2",)
    own = way.exposure
    alone = build_scene(plan.model_copy(update={"marks": (marks[2],)}))
    smear = 500.0 * own.shutter_s * own.state.image_distance_mm / alone.points_mm[0, 2]
    softness = found.by_key("one-frame").criterion.softness(np.zeros(1), own.state.working_f_number, smear)
    assert float(softness[0]) <= 1.0
    assert "m2 in a frame of its own" in str(way.told)


def swinging(wait_s: float, *, up: bool = False, arcsec: float = 60.0, **wish):
    plan = make_plan([(0.0, 1.5, 5.0), (0.3, 1.5, 6.0)], framing=90.0, lenses=[a_lens(90.0)], **wish)
    times = plan.kit.times.model_copy(update={"settle_s": wait_s})
    tripod = Tripod(swing_arcsec=arcsec, decay_s=0.5, swing_hz=4.0, column_times=3.0)
    kit = plan.kit.model_copy(update={"times": times, "tripod": tripod})
    return plan.model_copy(update={"kit": kit, "camera": plan.camera.model_copy(update={"column_up": up})})


def test_a_tripod_that_still_swings_smears_by_hand() -> None:
    """60″ to either side fall to 60″/e² in two decays; from side to side that is 39.4 µm at 100 mm in 1 s."""
    scene = build_scene(swinging(1.0))
    across = 2.0 * math.radians(60.0 / 3600.0) * math.exp(-2.0)
    away = 1000.0 * np.linalg.norm(scene.world_m - scene.pose.pupil_m, axis=1)
    assert scene.path_mm(1.0) == pytest.approx(across * away)
    # In a short time it goes as far as its speed in the middle, 2π f times the way to one side.
    short = 0.001 * math.pi * 4.0 * across * away
    assert scene.path_mm(0.001) == pytest.approx(short, rel=1e-9)
    assert build_scene(swinging(1.0, up=True)).path_mm(1.0) == pytest.approx(3.0 * across * away)
    assert not build_scene(swinging(1.0, arcsec=0.0)).path_mm(1.0).any()


def test_waiting_takes_the_swing_out_of_the_plan() -> None:
    still = worked("one-frame", build_scene(swinging(1.0, arcsec=0.0)))
    at_once, later = (worked("one-frame", build_scene(swinging(wait))) for wait in (0.0, 6.0))
    assert at_once.worst_softness > 1.15 * still.worst_softness
    assert later.worst_softness == pytest.approx(still.worst_softness, rel=1e-3)
    reason = next(r for r in setting_reasons(at_once, 0) if "tripod" in str(r.what))
    # What its own sum says is enough leaves nine tenths of the contrast.
    enough = float(re.search(r"([\d.]+) s of waiting", str(reason.working))[1])
    waited = worked("one-frame", build_scene(swinging(enough + 0.05)))
    assert waited.worst_softness < 1.06 * still.worst_softness


def test_a_tripod_that_swings_bounds_the_times_and_says_so() -> None:
    region = exposure_region(worked("one-frame", build_scene(swinging(0.2, arcsec=30.0))))
    assert region.serving
    assert any("the tripod still swings" in str(line) for line in region.bounds)


def test_the_words_name_the_ends_of_the_region() -> None:
    candidate = one_mark(40.0)
    settings = settings_of(candidate)
    serving = settings.region.serving
    assert len(serving) > 1
    said = str(exposure_words(settings)[0])
    assert said.startswith(f"f/{marked(serving[0].f_number)} to f/{marked(serving[-1].f_number)} at ")
    assert marked(serving[0].f_number) != marked(serving[-1].f_number)


def test_a_tripod_that_swings_too_much_is_what_is_blamed() -> None:
    plan = swinging(0.0, arcsec=20_000.0)
    told = worked("series", build_scene(plan))
    assert not told.fits or not told.holds
    said = " ".join(map(str, [*told.why_not, *weigh(plan).because]))
    assert "tripod still swings" in said
    assert "What moves" not in said
