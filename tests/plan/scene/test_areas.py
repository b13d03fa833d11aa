"""Surfaces and scans in the weighing: against the same places typed as marks, and against every point of a scan.

The references are brute force: thousands of points rendered one by one in the exposures that were advised.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.errors import PlanError
from verispect.files.weighing_json import weighing_to_dict
from verispect.plan.advise.follow_up import further
from verispect.plan.advise.remedies import remedies
from verispect.plan.advise.weigh import weigh
from verispect.plan.assess.confidence import confidence
from verispect.plan.explain.search_note import searched
from verispect.plan.frames.rendering import render
from verispect.plan.methods.method import METHOD_KEYS
from verispect.plan.methods.registry import worked
from verispect.plan.scene import areas
from verispect.plan.scene.areas import SPACING
from verispect.plan.scene.scene import build_scene, unchecked_scene
from verispect.subject.scan import Cloud, packed
from verispect.subject.surface import Surface, patches

FLOOR = Surface(name="Floor", z_m=1.2, width_m=6.0, length_m=9.0)
WALL = Surface(
    name="Wall", kind="wall", x_m=2.0, z_m=10.0, bearing_deg=25.0, slope_deg=90.0, width_m=8.0, length_m=5.0
)


def plan_with(surfaces=(), scans=(), places=(), **more):
    plan = make_plan(list(places), lenses=[a_lens(24.0), a_lens(35.0)], **more)
    return plan.model_copy(update={"surfaces": tuple(surfaces), "scans": tuple(scans)})


def dense(surface: Surface, count: int = 160) -> np.ndarray:
    patch = patches(surface)[0]
    u, v = np.meshgrid(np.linspace(0, 1, count), np.linspace(0, 1, count))
    return (patch.corner_m + u[..., None] * patch.across_m + v[..., None] * patch.along_m).reshape(-1, 3)


def rendered_at(candidate, world: np.ndarray) -> np.ndarray:
    """Softness of these places in a candidate's exposures, those outside its picture left out."""
    scene = candidate.scene
    count = len(world)
    nought = np.zeros(count)
    other = replace(
        scene, world_m=world, weights=nought + 1, speeds_mm_s=nought, mark_count=count, names=("",) * count,
        musts=nought == 0, deciding=nought == 0,
    )  # fmt: skip
    # Of the wanted picture what the final one keeps: of a series what each of its frames shows.
    seen = other.points_mm
    inside = (seen[:, 2] > 60.0) & np.all(np.abs(seen[:, :2]) <= other.half_picture() * seen[:, 2:], axis=1)
    rendering = render(other, candidate.exposures, candidate.criterion)
    inside &= rendering.inside
    if not candidate.method.is_grid:
        inside &= np.all([render(other, (one,), candidate.criterion).inside for one in candidate.exposures], axis=0)
    return rendering.softness[inside]


@pytest.mark.parametrize("key", ["one-frame", "tilt", "series", "tilt-series", "turned-grid-series"])
def test_a_surface_is_as_soft_as_its_softest_place(key) -> None:
    candidate = worked(key, build_scene(plan_with([FLOOR, WALL])))
    every = np.concatenate([rendered_at(candidate, dense(surface)) for surface in (FLOOR, WALL)])
    # A dense grid comes near the clipped edges and not onto them: what is weighed is never the milder, but for what
    # is not worth another look between its samples.
    assert every.max() - 0.005 <= candidate.worst_softness <= every.max() * 1.04


@pytest.mark.parametrize("key", [key for key in METHOD_KEYS if key not in ("rail-series", "shift-grid")])
def test_halving_the_spacing_changes_less_than_one_in_a_hundred(key) -> None:
    plan = plan_with([FLOOR, WALL], places=[(0.0, 1.4, 4.0)])
    coarse = worked(key, unchecked_scene(plan))
    fine = worked(key, unchecked_scene(plan, spacing=0.5 * SPACING))
    assert coarse.frame_count == fine.frame_count
    assert coarse.worst_softness == pytest.approx(fine.worst_softness, rel=0.01)


def test_a_floor_alone_is_laid_sharp_by_tilt() -> None:
    """The hinge rule: a level lens 1.5 m above a floor needs sin(tilt) = f/J, J = 1.5 m (Merklinger 1993, memory)."""
    candidate = worked("tilt", build_scene(plan_with([FLOOR])))
    state = candidate.exposures[0].state
    assert abs(state.axis[1]) == pytest.approx(24.0 / 1500.0, rel=1e-3)
    assert candidate.worst_softness < 1e-3


def test_surfaces_outside_the_picture_are_named_and_small_parts_are_clipped() -> None:
    behind = Surface(name="Behind", z_m=-9.0)
    weighing = weigh(plan_with([FLOOR, behind]))
    assert weighing.by_key("tilt").outside_names == ("Behind",)
    assert any("Behind lies outside" in str(reason) for reason in weighing.because)
    scene = build_scene(plan_with([Surface(name="Through", z_m=-5.0, width_m=50.0, length_m=60.0)]))
    assert not scene.outside_picture.any()
    with pytest.raises(PlanError, match="turn the camera"):
        build_scene(plan_with([behind]))


def terrain(count: int, seed: int = 0) -> np.ndarray:
    rng = np.random.default_rng(seed)
    x, z = rng.uniform(-12, 12, count), rng.uniform(2.0, 40.0, count)
    return np.column_stack([x, 0.4 * np.sin(x / 3) + 0.02 * z + 0.02 * rng.standard_normal(count), z])


def scan(places: np.ndarray, **values) -> Cloud:
    return Cloud(name="Scan", count=len(places), points=packed(places), **({"need": "must"} | values))


@pytest.mark.parametrize("key", ["one-frame", "tilt", "series", "tilt-series", "turned-grid"])
def test_a_reduced_scan_decides_as_all_its_points_would(key) -> None:
    places = terrain(60_000)
    scene = build_scene(plan_with(scans=[scan(places)]))
    assert len(scene.names) < 3000
    candidate = worked(key, scene)
    every = rendered_at(candidate, np.round(places, 3))
    assert candidate.worst_softness == pytest.approx(every.max(), rel=0.02)


def test_a_flat_scan_is_reduced_too() -> None:
    """All points in one plane: their hull has no inside."""
    rng = np.random.default_rng(1)
    places = np.column_stack([rng.uniform(-3, 3, 20_000), np.zeros(20_000), rng.uniform(2, 20, 20_000)])
    candidate = worked("tilt", build_scene(plan_with(scans=[scan(places)])))
    assert candidate.worst_softness < 0.02


def test_only_the_region_of_a_scan_counts() -> None:
    places = terrain(5000)
    whole = build_scene(plan_with(scans=[scan(places)]))
    part = build_scene(plan_with(scans=[scan(places, region_m=(-12, 12, -5, 5, 10.0, 40.0))]))
    assert part.points_mm[:, 2].min() >= 9999.0 > whole.points_mm[:, 2].min()
    drawn_only = plan_with(scans=[scan(places, need="may")], places=[(0, 1.5, 5)])
    assert len(build_scene(drawn_only).names) == 1


def test_an_area_is_unsure_as_a_whole() -> None:
    """One mark and a small patch about it are as sure as one another: the patch does not fall apart."""
    patch = Surface(name="p", kind="wall", y_m=1.49, z_m=3.0, slope_deg=90.0, width_m=0.02, length_m=0.02,
                    plus_minus_m=1.6)  # fmt: skip
    lens = [a_lens(24.0, f_numbers=[5.6, 5.6])]
    alone = make_plan([(0.0, 1.5, 3.0)], lenses=lens, rule="disc", marks={"plus_minus_m": 1.6})
    area = make_plan([], lenses=lens, rule="disc").model_copy(update={"surfaces": (patch,)})
    expected, found = (
        confidence(worked("one-frame", build_scene(plan)), draws=20_000).holds for plan in (alone, area)
    )
    assert 0.1 < expected < 0.9
    assert found == pytest.approx(expected, abs=0.02)


def test_what_is_wanted_soft_opens_the_stop() -> None:
    """A plane sharp and the ground behind thrown out: without the wish a smaller stop would be best."""
    places = [(0.0, 1.5, 2.0), (0.1, 1.4, 2.1)]
    behind = {"name": "Behind", "x_m": 0.0, "y_m": 1.5, "z_m": 6.0, "need": "soft", "soft_times": 20.0}
    lenses = [a_lens(85.0, f_numbers=[2.8, 22])]
    plan = make_plan(places, framing=85.0, lenses=lenses)
    with_soft = plan.model_validate(plan.model_dump() | {"marks": [*plan.model_dump()["marks"], behind]})
    plain, soft = worked("one-frame", build_scene(plan)), worked("one-frame", build_scene(with_soft))
    assert plain.holds
    assert soft.holds
    assert soft.exposures[0].state.f_number < plain.exposures[0].state.f_number
    assert soft.soft_enough
    assert soft.rendering.blur_long_mm[2] >= 20.0 * soft.criterion.disc_mm
    weighing = weigh(with_soft)
    assert any("Behind, wanted soft, is so" in str(reason) for reason in weighing.because)
    impossible = with_soft.marks[2].model_copy(update={"soft_times": 900.0})
    weighing = weigh(with_soft.model_copy(update={"marks": (*with_soft.marks[:2], impossible)}))
    assert any("you asked for 900×, which no method reaches" in str(reason) for reason in weighing.because)
    # Out of reach, it spoils nothing: the stop is the one without the wish, not the smallest that still holds.
    one = weighing.by_key("one-frame")
    assert one.exposures[0].state.f_number == plain.exposures[0].state.f_number
    assert one.worst_softness == pytest.approx(plain.worst_softness)


def test_diffraction_does_not_count_as_wanted_softness() -> None:
    # Hardly out of focus: at f/22 the wave allows next to no blur, and the mark would be "soft" by that alone.
    beside = {"name": "Beside", "x_m": 0.1, "y_m": 1.5, "z_m": 2.3, "need": "soft", "soft_times": 3.0}
    plan = make_plan([(0.0, 1.5, 2.0), (0.1, 1.4, 2.02)], framing=50.0, lenses=[a_lens(50.0, f_numbers=[8, 32])],
                     contrast_floor=0.1)  # fmt: skip
    with_soft = plan.model_validate(plan.model_dump() | {"marks": [*plan.model_dump()["marks"], beside]})
    found = worked("one-frame", build_scene(with_soft))
    assert found.exposures[0].state.f_number == pytest.approx(8.0)
    assert not found.soft_enough


def test_the_weighing_tells_areas_beside_the_marks() -> None:
    plan = plan_with([FLOOR], places=[(0.0, 1.4, 4.0)])
    weighing = weigh(plan)
    told = weighing_to_dict(weighing, further(weighing))
    for method in told["methods"]:
        if method["fits"]:
            assert [mark["name"] for mark in method["marks"]] == ["m0"]
            [area] = method["areas"]
            assert area["name"] == "Floor"
            softest = max(area["worst_softness"], method["marks"][0]["softness"])
            assert method["worst_softness"] == pytest.approx(softest)
            assert area["sharp_share"] == 1.0 or area["worst_softness"] > 1.0
            assert method["costs"]["kept_pixels"][0] <= method["final_pixels"][0]
            assert method["searched"].startswith("Searched ")
    assert {"ways_out", "would_change"} <= set(told)


def test_what_was_searched_is_counted_from_the_kit() -> None:
    """By hand: of 24 and 35 mm one sees the picture, one is longer than it; 19 third-stops from 2.8 to 22."""
    weighing = weigh(plan_with([FLOOR]))
    one = str(searched(weighing.by_key("one-frame")))
    assert one.startswith("Searched 1 lenses at 1 focal lengths, up to 19 stops")
    assert str(searched(weighing.by_key("turned-grid"))).startswith("Searched 1 lenses at 1 focal lengths")
    assert str(searched(weighing.by_key("rail-series"))).startswith("Searched 0 lenses at 0 focal lengths, up to 0")


def test_where_nothing_holds_an_area_can_be_let_go_too() -> None:
    """One straight lens, a stone close by, and marks far off that it would hold alone."""
    straight = [a_lens(24.0, tilt_deg=0, shift_mm=0, f_numbers=[8, 8])]
    near = Surface(name="Stone", kind="wall", y_m=1.2, z_m=1.0, slope_deg=90.0, width_m=0.5, length_m=0.4)
    for surfaces, scans in (((WALL.model_copy(update={"need": "may"}), near), ()), ((), (scan(dense(near, 40)),))):
        plan = make_plan([(0.0, 1.6, 9.0), (0.2, 1.4, 11.0)], lenses=straight, print_mm=(1200, 800))
        kit = plan.kit.model_copy(update={"head": None})
        plan = plan.model_copy(update={"surfaces": surfaces, "scans": scans, "kit": kit})
        weighing = weigh(plan)
        one = weighing.by_key("one-frame")
        assert not one.holds
        told = " ".join(str(said) for said in remedies(one))
        name = near.name if surfaces else "Scan"
        assert f"If {name} may be soft, One frame holds" in told
        assert f"lets go of {name}" in " ".join(str(way.told) for way in further(weighing).ways)


def test_an_even_choice_of_a_scan_keeps_places_within_its_hull() -> None:
    rng = np.random.default_rng(4)
    ball = rng.normal(size=(30_000, 3))
    ball *= (rng.uniform(size=(30_000, 1)) ** (1 / 3)) / np.linalg.norm(ball, axis=1)[:, None]
    found = areas.deciding_of(ball)
    assert len(np.unique(found)) == len(found)
    away = np.linalg.norm(ball[found], axis=1)
    # Of a ball some lie near its middle, and every octant has its share.
    assert (away < 0.4).sum() >= 8
    octants = {tuple(row) for row in (ball[found][away < 0.6] > 0.0).astype(int)}
    assert len(octants) == 8
