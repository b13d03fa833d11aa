"""Ways out and thresholds: each is tried anew here on plans that differ by what it says, and by brute force."""

from __future__ import annotations

import itertools
import re

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.errors import Cancelled
from verispect.plan.advise.alternatives import stepped_back
from verispect.plan.advise.follow_up import further
from verispect.plan.advise.remedies import eased
from verispect.plan.advise.thresholds import openings
from verispect.plan.advise.weigh import weigh
from verispect.plan.methods.method import method_of
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene

PLACES = [(0.0, 1.4, 1.3), (0.2, 1.6, 2.2), (-0.4, 1.3, 4.0), (0.9, 2.2, 9.0), (2.0, 3.0, 30.0)]
PLAIN = {"tilt_deg": 0, "shift_mm": 0}


def ways(plan):
    return {way.key: way for way in further(weigh(plan)).ways}


def test_letting_go_keeps_as_many_as_any_subset_can() -> None:
    """All subsets of five marks, each weighed as a plan of its own."""
    plan = make_plan(PLACES, lenses=[a_lens(24.0, **PLAIN)], print_mm=(1100, 733))
    found = ways(plan)["let go"]
    most = 0
    for size in range(len(PLACES), 0, -1):
        for kept in itertools.combinations(plan.marks, size):
            if worked("one-frame", build_scene(plan.model_copy(update={"marks": kept}))).holds:
                most = max(most, size)
        if most:
            break
    assert len(PLACES) - len(found.let_go) == most
    held = tuple(mark for mark in plan.marks if mark.name not in found.let_go)
    again = worked("one-frame", build_scene(plan.model_copy(update={"marks": held})))
    assert again.holds
    assert found.exposure.state.f_number == again.exposures[0].state.f_number
    assert found.exposure.focus_m == pytest.approx(again.exposures[0].focus_m, rel=1e-6)


def test_letting_go_weighs_the_marks() -> None:
    """Two near marks against one far one that counts for five."""
    plan = make_plan([(0, 1.5, 1.0), (0.1, 1.5, 1.05), (0, 1.5, 30.0)], lenses=[a_lens(24.0, **PLAIN)])
    marks = (*plan.marks[:2], plan.marks[2].model_copy(update={"weight": 5.0}))
    assert ways(plan)["let go"].let_go == ("m2",)
    assert ways(plan.model_copy(update={"marks": marks}))["let go"].let_go == ("m0", "m1")


def test_a_wider_frame_cropped_holds_and_a_longer_one_does_not() -> None:
    zoom = a_lens(45.0, focal_mm=[16, 45], f_numbers=[2.8, 5.6], **PLAIN)
    plan = make_plan([(0, 1.5, 2.5), (0.1, 1.4, 8.0)], framing=45.0, lenses=[zoom], viewing_mm=1500)
    found = ways(plan)["wider"]
    assert 16.0 < found.focal_mm < 45.0
    assert found.final_pixels[0] == pytest.approx(8256 * found.focal_mm / 45.0, abs=1)

    def holds(focal: float) -> bool:
        lens = a_lens(focal, f_numbers=[2.8, 5.6], **PLAIN)
        kit = make_plan([(0, 1.5, 3)], lenses=[lens]).kit
        return worked("one-frame", build_scene(plan.model_copy(update={"kit": kit}))).holds

    assert holds(found.focal_mm)
    assert not holds(found.focal_mm * 1.03)


def test_stepping_back_holds_and_a_little_less_does_not() -> None:
    lens = a_lens(24.0, f_numbers=[2.8, 5.6], **PLAIN)
    plan = make_plan([(0, 1.5, 0.6), (0.1, 1.4, 1.2)], lenses=[lens], viewing_mm=1500)
    found = ways(plan)["move"]
    assert found.back_m > 0.05
    assert worked("one-frame", build_scene(stepped_back(plan, found.back_m))).holds
    assert not worked("one-frame", build_scene(stepped_back(plan, 0.95 * found.back_m))).holds
    # The nearest mark is drawn as large as before: framing over distance stays.
    moved = stepped_back(plan, 0.6)
    assert moved.camera.framing_mm / (0.6 + 0.6) == pytest.approx(24.0 / 0.6)
    assert found.final_pixels[0] < 8256


def test_thresholds_are_where_the_methods_change() -> None:
    weighing = weigh(make_plan(PLACES, print_mm=(1100, 733)))
    plan, told = weighing.scene.plan, [str(said) for said in further(weighing).changes]
    assert weighing.advised == "tilt"
    would = next(said for said in told if "One frame would do" in said)
    share, times = map(float, re.findall(r"[\d.]+", would)[:2])
    assert share == pytest.approx(100.0 / times, abs=1.0)

    def holds(key: str, factor: float) -> bool:
        changed = plan.model_copy(update={"wish": eased(plan.wish, factor)})
        return worked(key, build_scene(changed)).holds

    assert holds("one-frame", times * 1.01)
    assert not holds("one-frame", times * 0.97)
    fails = [said for said in told if "Tilt no longer holds" in said]
    larger = float(re.findall(r"[\d.]+", fails[0])[0]) / 100.0
    assert holds("tilt", 1.0 / (larger * 0.985))
    assert not holds("tilt", 1.0 / (larger * 1.03))


def test_the_speed_at_which_the_advice_fails_is_told() -> None:
    plan = make_plan([(0.0, 1.5, 3.0), (0.1, 1.4, 4.0)], marks={"speed_mm_s": 400.0})
    weighing = weigh(plan)
    [said] = [str(s) for s in further(weighing).changes if "Once things move" in str(s)]
    times = float(re.findall(r"[\d.]+", said)[0])
    for factor, holds in ((0.97, True), (1.03, False)):
        marks = tuple(m.model_copy(update={"speed_mm_s": 400.0 * times * factor}) for m in plan.marks)
        assert worked(weighing.advised, build_scene(plan.model_copy(update={"marks": marks}))).holds is holds


def test_nothing_is_added_where_one_frame_holds_and_it_can_be_given_up() -> None:
    easy = weigh(make_plan([(0.0, 1.5, 5.0), (0.1, 1.4, 6.0)]))
    assert further(easy).ways == ()
    hard = weigh(make_plan(PLACES, lenses=[a_lens(24.0, **PLAIN)], print_mm=(1100, 733)))
    with pytest.raises(Cancelled):
        further(hard, is_cancelled=lambda: True)


def test_a_zoom_is_set_wider_for_a_mark_that_a_near_focus_would_lose() -> None:
    """At the very edge of the picture, near: a lens at the framing focal length no longer shows it."""
    edge = (0.749 * 1.0, 1.5, 1.0)
    zoom = a_lens(24.0, focal_mm=[20, 24], **PLAIN)
    candidate = worked("series", build_scene(make_plan([edge, (0.0, 1.5, 20.0)], lenses=[zoom])))
    assert candidate.rendering.inside.all()
    assert 20.0 < candidate.focal_mm < 24.0
    prime = worked("series", build_scene(make_plan([edge, (0.0, 1.5, 20.0)], lenses=[a_lens(24.0, **PLAIN)])))
    assert prime.worst_softness > candidate.worst_softness
    assert np.isfinite(candidate.worst_softness)


def test_the_advice_by_other_rules_is_what_weighing_by_them_gives() -> None:
    plan = make_plan(PLACES, print_mm=(1100, 733))
    told = " ".join(str(said) for said in further(weigh(plan)).changes)
    own = weigh(plan).advised
    for rule in ("root-sum", "disc"):
        other = weigh(plan.model_copy(update={"wish": plan.wish.model_copy(update={"rule": rule})}))
        if other.advised == own:
            assert f"the rule {rule}" in told.split("stays the same by:")[1]
        else:
            assert f"By the rule {rule}, {method_of(other.advised).name} would be advised" in told
    refused = weigh(plan.model_copy(update={"kit": plan.kit.model_copy(update={"refuse_smallest": 3})}))
    if refused.advised == own:
        assert "the three smallest stops refused" in told.split("stays the same by:")[1]
    else:
        assert "By the three smallest stops refused" in told


def test_a_dead_end_says_what_would_open_it() -> None:
    """Too little tilt and no stop small enough: each opening is tried on a kit that has it, and a little less."""
    places = [(0.0, 0.93, 1.2), (0.3, 0.5, 2.4), (-0.6, 0.1, 6.0)]
    lens = {"f_numbers": [2.8, 4.0], "tilt_deg": 0.6, "shift_mm": 0, "image_circle_mm": 70}
    hard = make_plan(places, lenses=[a_lens(24.0, **lens)], viewing_mm=900)
    said = [str(s) for s in _openings_of(hard)]
    tilt = next(s for s in said if "of tilt, not 0.6°" in s)
    needed = float(re.findall(r"[\d.]+", tilt)[0])

    def tilt_holds(limit: float) -> bool:
        more = lens | {"tilt_deg": limit, "image_circle_mm": 2000}
        changed = make_plan(places, lenses=[a_lens(24.0, **more)], viewing_mm=900)
        return worked("tilt", build_scene(changed)).holds

    assert tilt_holds(needed * 1.02)
    assert not tilt_holds(needed * 0.95)
    stop = next(s for s in said if "One frame would hold" in s)
    stops = float(re.findall(r"[\d.]+", stop)[0])

    def stop_holds(more: float) -> bool:
        smallest = 4.0 * 2.0 ** (more / 2.0)
        changed = make_plan(places, lenses=[a_lens(24.0, **(lens | {"f_numbers": [2.8, smallest]}))], viewing_mm=900)
        return worked("one-frame", build_scene(changed)).holds

    assert stop_holds(stops + 0.1)
    assert not stop_holds(stops - 0.4)


def _openings_of(plan):
    return [said for asked in openings(weigh(plan)) if (said := asked()) is not None]
