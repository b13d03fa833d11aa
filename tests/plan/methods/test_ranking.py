"""Within one method the lens, the focal length and the stop follow the user's aim, against exhaustive searches."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.kit.focal_choice import grid_focals_mm
from verispect.plan.advise.confidence_search import sure_enough, surer_stop
from verispect.plan.advise.follow_up import further
from verispect.plan.advise.weigh import weigh
from verispect.plan.assess.confidence import confidence
from verispect.plan.assess.costs import costs_of
from verispect.plan.document import Wish
from verispect.plan.methods.lens_search import with_every_lens
from verispect.plan.methods.ranking import burden, ranked
from verispect.plan.methods.registry import worked
from verispect.plan.methods.series import from_ladder
from verispect.plan.scene.scene import build_scene
from verispect.plan.solve.focus_ladder import fewest_frames, frames_at_stops
from verispect.plan.solve.problem import problem_for

DEEP = [(0.0, 0.9, 2.0), (0.3, 1.2, 3.0), (-0.5, 1.5, 9.0), (1.0, 2.0, 30.0)]
ZOOM = {"name": "zoom", "focal_mm": [24, 70], "f_numbers": [2.8, 22], "closest_m": 0.3}


def deep(**values):
    wish = {"print_mm": (1500, 1000), "contrast_floor": 0.25} | values.pop("wish", {})
    lenses = values.pop("lenses", [a_lens(24), ZOOM])
    return make_plan(DEEP, lenses=lenses, **wish, **values)


def wanting(plan, **wish):
    return plan.model_copy(update={"wish": Wish.model_validate(plan.wish.model_dump() | wish)})


def lit(plan, **values):
    data = plan.model_dump(mode="json", by_alias=True)
    data["light"] = {"ev100": values.pop("ev100")}
    data["kit"]["times"] |= values
    return type(plan).model_validate(data)


@pytest.mark.parametrize("key", ["turned-grid", "turned-grid-series"])
def test_most_detail_takes_the_longest_lens_that_holds(key) -> None:
    scene = build_scene(wanting(deep(), priority="most detail"))
    found = worked(key, scene)
    fewest = worked(key, build_scene(deep()))
    assert found.holds
    assert fewest.holds
    longest = max(focal for lens in scene.plan.kit.lenses for focal in grid_focals_mm(lens, 24.0))
    assert found.focal_mm == pytest.approx(longest)
    assert np.prod(found.final_pixels) > 2 * np.prod(fewest.final_pixels)
    assert fewest.frame_count < found.frame_count


def test_most_detail_counts_what_a_merge_in_the_camera_loses() -> None:
    """Joined pixels are equal; the series loses a part of the field, so one frame or tilt is more detail."""
    plan = wanting(deep(lenses=[a_lens(24)]), priority="most detail")
    data = plan.model_dump(mode="json", by_alias=True)
    data["kit"]["body"]["merge_keeps"] = 0.7
    scene = build_scene(type(plan).model_validate(data))
    tilt, series = worked("tilt", scene), worked("series", scene)
    assert series.frame_count > 1
    assert burden(series) > 1.8 * burden(tilt)
    assert series.kept_pixels[0] == round(series.final_pixels[0] * costs_of(series).kept)


@pytest.mark.parametrize("ev100", [-2.0, 2.0, 12.0])
@pytest.mark.parametrize("priority", ["least time", "least risk from movement"])
def test_in_the_dark_a_series_takes_the_stop_that_is_done_soonest(priority, ev100) -> None:
    """Against every stop tried by itself: long exposures at a small stop cost more than a frame saved."""
    plan = lit(wanting(deep(lenses=[a_lens(24)]), priority=priority), ev100=ev100, settle_s=1.0, write_s=0.5)
    scene = build_scene(plan)
    problem = problem_for(scene, plan.kit.lenses[0], 24.0)
    found = worked("series", scene)
    each = []
    for stop, count in zip(problem.stops, frames_at_stops(problem), strict=True):
        if np.isfinite(count):
            ladder = fewest_frames(problem, stops=np.array([stop]))
            each.append(from_ladder("series", problem, ladder, (0.0, 0.0, 1.0)))
    assert found.holds
    assert burden(found) <= min(burden(candidate) for candidate in each if candidate.holds) * 1.021


def test_darkness_changes_the_stop_of_a_series_only_where_time_counts() -> None:
    plan = deep(lenses=[a_lens(24)])
    stops = {}
    for priority in ("least frames", "least time"):
        wished = wanting(plan, priority=priority)
        stops[priority] = [
            worked("series", build_scene(lit(wished, ev100=ev, settle_s=1.0))).exposures[0].state.f_number
            for ev in (14.0, -4.0)
        ]
    assert stops["least frames"][0] == stops["least frames"][1]
    assert stops["least time"][1] < stops["least time"][0]


@pytest.mark.parametrize("priority", ["least frames", "least time", "most detail", "least risk from movement"])
def test_of_several_lenses_the_one_of_least_burden_is_kept(priority) -> None:
    """Each lens alone is weighed by the same rule; the kit's choice is the best of them."""
    lenses = [a_lens(35, image_circle_mm=120), ZOOM, a_lens(50, name="50 slow", f_numbers=[5.6, 16])]
    whole = wanting(deep(lenses=lenses), priority=priority)
    for key in ("turned-grid", "turned-grid-series"):
        found = worked(key, build_scene(whole))
        alone = [worked(key, build_scene(wanting(deep(lenses=[lens]), priority=priority))) for lens in lenses]
        holding = [candidate for candidate in alone if candidate.holds]
        assert found.holds == bool(holding)
        assert burden(found) <= min(burden(candidate) for candidate in holding) * 1.02


def test_ranking_prefers_what_holds_then_the_burden_then_the_frames() -> None:
    scene = build_scene(deep())
    series, frame, tilt = (worked(key, scene) for key in ("series", "one-frame", "tilt"))
    assert not frame.holds
    assert ranked([frame, series, tilt])[-1] is frame
    assert ranked([series, tilt])[0] is tilt
    assert ranked([]) == []


def test_asked_probability_takes_more_frames_of_a_series_and_no_more_than_needed() -> None:
    """Exhaustive: no share of the allowed blur with fewer frames is as sure at the stop taken."""
    plan = deep(lenses=[a_lens(24, focus_plus_minus_mm=0.01)], marks={"plus_minus_m": 0.05})
    calm = weigh(plan).by_key("series")
    asked = 0.97
    assert calm.confidence.holds < asked
    sure = weigh(wanting(plan, least_probability=asked)).by_key("series")
    assert sure.confidence.holds >= asked
    assert sure.holds
    assert any("Set so as to hold" in str(note) for note in sure.notes)
    scene = build_scene(wanting(plan, least_probability=asked))
    for share in np.linspace(0.99, 0.3, 24):
        tried = worked("series", replace(scene, blur_share=float(share)))
        if tried.frame_count < sure.frame_count:
            assert confidence(tried).holds < asked


def test_asked_probability_stops_down_what_lies_on_a_plane() -> None:
    """Marks on a plane are sharpest wide open; an unsure tilt then holds seldom, and more surely stopped down."""
    floor = [(x, 0.0, z) for z in (2.1, 3.0, 7.0) for x in (-0.2, 0.3)]
    plan = make_plan(
        floor, camera={"height_m": 1.0}, lenses=[a_lens(24, tilt_plus_minus_deg=0.4)], print_mm=(900, 600)
    )
    calm = weigh(plan)
    tilt = calm.by_key("tilt")
    assert tilt.confidence.holds < 0.9
    said = str(surer_stop(tilt))
    sure = sure_enough(worked("tilt", build_scene(wanting(plan, least_probability=0.9))))
    assert sure.confidence.holds >= 0.9
    assert sure.exposures[0].state.f_number > tilt.exposures[0].state.f_number
    assert said.startswith("At f/")
    surest = int(said.split(" in ")[1].split()[0])
    assert 100.0 * tilt.confidence.holds < 100.0 * sure.confidence.holds <= surest + 0.5


def test_another_lens_is_taken_where_only_it_is_sure_enough() -> None:
    """The first lens can hardly be set; the second can, and serves a little less well by the figures."""
    vague = a_lens(24, name="vague", focus_plus_minus_mm=0.4, tilt_deg=0, f_numbers=[2.8, 16])
    plain = a_lens(24, name="plain", tilt_deg=0, f_numbers=[4, 16], pupil_magnification=1.01)
    plan = make_plan([(0.0, 1.5, 5.0), (0.4, 1.4, 5.6)], lenses=[vague, plain], marks={"plus_minus_m": 0.02})
    assert weigh(plan).by_key("one-frame").lens.name == "vague"
    assert weigh(wanting(plan, least_probability=0.95)).by_key("one-frame").lens.name == "plain"


def test_every_lens_that_holds_is_kept_for_the_surest_to_be_chosen() -> None:
    scene = build_scene(deep(lenses=[a_lens(24), a_lens(24, name="second", f_numbers=[4, 16])]))
    found = with_every_lens("series", scene, lambda problem: from_ladder(
        "series", problem, fewest_frames(problem), (0.0, 0.0, 1.0)))  # fmt: skip
    assert [other.lens.name for other in found.others] != []
    assert weigh(scene.plan).by_key("series").others == ()


def test_thresholds_ask_for_the_probability_too() -> None:
    """A method that would do must be as sure as was asked: at the printed size named it is, a little larger not."""
    places = [(0.0, 0.7, 1.8), (0.3, 0.2, 3.0), (-0.5, 0.05, 7.0)]
    lens = a_lens(24, tilt_plus_minus_deg=0.6, f_numbers=[7.1, 11])
    plan = make_plan(
        places, lenses=[lens], marks={"plus_minus_m": 0.005}, print_mm=(1350, 900), least_probability=0.95
    )
    weighing = weigh(plan)
    assert weighing.advised == "series"
    said = [str(told) for told in further(weighing).changes if "Tilt would do" in str(told)]
    assert len(said) == 1
    times = float(said[0].split("seen from ")[1].split(" times")[0])
    for factor, sure in ((times * 1.006, True), (times / 1.02, False)):
        wish = {"viewing_mm": plan.wish.viewing_mm * factor}
        tilt = sure_enough(worked("tilt", build_scene(wanting(plan, **wish))))
        assert (tilt.confidence.holds >= 0.95) == sure


def test_what_a_simpler_method_costs_more_is_said_in_numbers() -> None:
    """The sentence's numbers are those of the methods."""
    plan = deep(lenses=[a_lens(24), ZOOM])
    said = {}
    for priority in ("most detail", "least time"):
        weighing = weigh(wanting(plan, priority=priority))
        chosen = weighing.by_key(weighing.advised)
        for reason in weighing.because:
            if "holds too" in str(reason):
                said.setdefault(priority, []).append((str(reason), chosen, weighing))
    told, chosen, weighing = said["most detail"][0]
    own = np.prod(chosen.kept_pixels) / 1e6
    assert told.endswith(f"million pixels where this gives {own:.0f}")
    assert f"with {np.prod(weighing.by_key('tilt').kept_pixels) / 1e6:.0f} million" in told
    told, chosen, weighing = said["least time"][0]
    assert told.endswith(f"where this takes {chosen.time_on_site_s / 60.0:.1f}")
    assert f"in {weighing.by_key('tilt').time_on_site_s / 60.0:.1f} min on site" in told


def test_a_frame_of_a_grid_with_nothing_but_shoulds_is_focused_on_them() -> None:
    musts = [(-1.5, 2.2, 5.0), (1.5, 2.2, 5.0)]
    plan = make_plan([*musts, (0.9, 0.9, 2.6)], lenses=[a_lens(50.0, image_circle_mm=90.0)])
    low = plan.marks[2].model_copy(update={"need": "should"})
    plan = plan.model_copy(update={"marks": (*plan.marks[:2], low)})
    for key in ("turned-grid", "turned-grid-series"):
        candidate = worked(key, build_scene(plan))
        assert candidate.holds
        assert candidate.rendering.softness[2] < 0.01
