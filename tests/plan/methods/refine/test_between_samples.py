"""What a method tells of areas holds between the samples it was worked out for."""

from __future__ import annotations

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.plan.document import Plan
from verispect.plan.frames.rendering import render
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene, unchecked_scene
from verispect.subject.surface import Surface


def yard(seed: int) -> Plan:
    """A floor and a bench that must be sharp, frames that hardly overlap, and marks alone to be covered."""
    rng = np.random.default_rng(seed)
    lenses = [a_lens(24.0, f_numbers=[2.8, 11]), a_lens(50.0, f_numbers=[2.8, 11])]
    content = make_plan([(0.0, 1.5, float(rng.uniform(2, 4)))], lenses=lenses, overlap=0.05, series_covers="marks",
                        print_mm=(float(rng.uniform(2000, 4500)), 3000)).model_dump(mode="json")  # fmt: skip
    content["surfaces"] = [
        {"name": "Floor", "need": "must", "z_m": float(rng.uniform(1.8, 3)), "width_m": float(rng.uniform(3, 8)),
         "length_m": float(rng.uniform(6, 25))},
        {"name": "Bench", "need": "must", "x_m": 1.0, "y_m": 0.8, "z_m": 3, "width_m": 1.0, "length_m": 6.0},
    ]  # fmt: skip
    return Plan.model_validate(content)


def softest_anywhere(plan: Plan, found) -> float:
    """By eleven times as many samples each way, at places of their own."""
    dense = unchecked_scene(plan, spacing=1.0 / 24.0 / 11.0)
    seen = render(dense, found.exposures, found.criterion)
    return float(seen.softness[dense.deciding & seen.inside & (dense.group >= dense.mark_count)].max())


@pytest.mark.parametrize("seed", [0, 4])
def test_a_grid_of_series_is_as_sharp_between_the_samples_as_told(seed) -> None:
    plan = yard(seed)
    found = worked("turned-grid-series", build_scene(plan))
    assert softest_anywhere(plan, found) <= found.worst_softness + 0.01


def test_a_series_of_marks_leaves_no_gap_within_an_area() -> None:
    content = yard(1).model_dump(mode="json")
    content["wish"] |= {"print_mm": [1500, 1000]}
    plan = Plan.model_validate(content)
    found = worked("series", build_scene(plan))
    assert found.fits
    assert softest_anywhere(plan, found) <= found.worst_softness + 0.01


def test_a_wall_seen_askance_is_held_at_every_depth_between_any_two_frames() -> None:
    """Along a line on the wall at a thousand places: samples in columns have few depths of their own."""
    lens = a_lens(35.0, f_numbers=[2, 4], pupil_magnification=1.4)
    content = make_plan([(0.0, 1.5, 40.0)], framing=35.0, lenses=[lens], series_covers="marks",
                        print_mm=(1500, 1000), contrast_floor=0.35).model_dump(mode="json")  # fmt: skip
    content["surfaces"] = [
        {"name": "Wall", "need": "must", "kind": "wall", "x_m": 0.9, "y_m": 1.0, "z_m": 2.8, "bearing_deg": 76,
         "slope_deg": 90, "width_m": 1.2, "length_m": 1.2},
    ]  # fmt: skip
    scene = build_scene(Plan.model_validate(content))
    found = worked("series", scene)
    assert found.frame_count > 5
    assert found.holds
    turn = np.radians(76.0)
    across = np.linspace(-0.6, 0.6, 1000)[:, None] * np.array([np.cos(turn), 0.0, -np.sin(turn)])
    row = int(np.flatnonzero(scene.group == 1)[0])
    line = scene.of_rows(np.full(1000, row), np.array([0.9, 1.6, 2.8]) + across)
    seen = render(line, found.exposures, found.criterion)
    assert seen.inside.sum() > 500
    assert seen.softness[seen.inside].max() <= min(found.worst_softness + 0.005, 1.0)


def test_each_area_is_told_at_its_softest_where_frames_of_a_grid_meet() -> None:
    """A floor under a mark that is softer than any of it: what is told of the floor does not hang on the mark."""
    lens = a_lens(72.0, f_numbers=[2.8, 32])
    places = [(0.0, 1.28, 2.5), (0.3, 1.56, 2.5), (1.0, 1.2, 1.77)]
    content = make_plan(places, lenses=[lens], print_mm=(450, 300), viewing_mm=1000, contrast_floor=0.1).model_dump(
        mode="json"
    )
    content["surfaces"] = [
        {"name": "Floor", "need": "must", "x_m": 0.0, "z_m": 6.7, "width_m": 2.7, "length_m": 25.0}
    ]
    plan = Plan.model_validate(content)
    found = worked("turned-grid", build_scene(plan))
    mine = found.scene.group == found.scene.mark_count
    told = float(found.rendering.softness[mine & found.rendering.inside].max())
    assert told < found.worst_softness
    assert softest_anywhere(plan, found) <= told * 1.02


def test_a_mark_put_beside_an_area_does_not_pass_for_it() -> None:
    """What was sampled of the area for the plan without the mark is not taken for the plan with it."""
    floor = Surface(name="Floor", z_m=1.2, width_m=6.0, length_m=9.0)
    bare = make_plan([], lenses=[a_lens(24.0)]).model_copy(update={"surfaces": (floor,)})
    marked = make_plan([(0.0, 1.4, 4.0)], lenses=[a_lens(24.0)]).model_copy(update={"surfaces": (floor,)})
    for plan in (bare, marked):
        found = worked("tilt", build_scene(plan))
        of_floor = found.scene.group == len(plan.marks)
        assert found.rendering is not None
        assert int(np.count_nonzero(~of_floor)) == len(plan.marks)
        assert found.worst_softness == pytest.approx(float(found.rendering.softness.max()))


@pytest.mark.parametrize(("key", "sees"), [("tilt", 35.0), ("series", 35.0), ("tilt-series", 24.0)])
def test_an_area_close_before_the_camera_is_sharp_to_the_edge_of_what_the_frames_show(key: str, sees: float) -> None:
    """A wall a hand's breadth aside: focused farther than its nearest place, frames see more than that lets expect.

    Against where lines of sight all over the picture meet the wall, and not by the samples of it.
    """
    wall = Surface(
        name="Wall",
        kind="wall",
        x_m=0.12,
        y_m=0.0,
        z_m=1.0,
        bearing_deg=90.0,
        slope_deg=90.0,
        width_m=3.0,
        length_m=2.5,
    )
    lens = a_lens(sees, closest_m=0.1)
    plan = make_plan([(0.0, 1.5, 4.0)], framing=sees, lenses=[lens], contrast_floor=0.1, print_mm=(450, 300),
                     viewing_mm=600)  # fmt: skip
    plan = plan.model_copy(update={"surfaces": (wall,)})
    found = worked(key, build_scene(plan))
    rows, columns = np.meshgrid(np.linspace(-1, 1, 121), np.linspace(0.01, 1, 121))
    ways = np.stack([columns * 18.0 / sees, rows * 12.0 / sees, np.ones_like(rows)], -1).reshape(-1, 3)
    # Where each line of sight meets the wall, which runs straight away.
    places = np.array([0.0, 1.5, 0.0]) + ways * (0.12 / ways[:, :1])
    on_it = (places[:, 2] <= 2.5) & (places[:, 1] >= 0.0) & (places[:, 1] <= 2.5)
    looked = found.scene.of_rows(np.full(int(on_it.sum()), found.scene.mark_count), places[on_it])
    assert found.criterion is not None
    shown = np.all([render(looked, (one,), found.criterion).inside for one in found.exposures], axis=0)
    soft = render(looked, found.exposures, found.criterion).softness[shown]
    assert shown.sum() > 500
    assert soft.max() <= found.worst_softness * 1.02 + 0.01
