"""What a method tells of areas holds between the samples it was worked out for."""

from __future__ import annotations

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.plan.document import Plan
from verispect.plan.frames.rendering import render
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene, unchecked_scene


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
