"""A zoom's focal length for a turned grid, against every focal length tried by itself."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from tests.conftest import a_lens, make_plan
from tests.outside.oracle import landed_mm, shared
from verispect.files.weighing_json import weighing_to_dict
from verispect.plan.advise.weigh import Weighing
from verispect.plan.explain.search_note import searched
from verispect.plan.methods.grid_search import _half_frame, _layout, cells_of
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.solve.grid_assignment import DEEPEST, SUM, regrouped
from verispect.plan.solve.grid_estimate import one_focus_each, series_each
from verispect.plan.solve.grid_layout import _bearing_step_rad, _edge_step_rad, row_overlap
from verispect.plan.solve.problem import problem_for
from verispect.subject.mark import Mark

ESTIMATES = {"turned-grid": one_focus_each, "turned-grid-series": series_each}


def zoom(shortest: float, longest: float):
    return {"name": "zoom", "focal_mm": [shortest, longest], "f_numbers": [4, 16], "closest_m": 0.2,
            "pupil_magnification": 1.2}  # fmt: skip


def deep_plan(seed: int, lens, **wish):
    rng = np.random.default_rng(seed)
    z = np.exp(rng.uniform(math.log(1.2), math.log(40.0), 6))
    places = [
        (float(a * d), float(1.5 + b * d), float(d))
        for a, b, d in zip(rng.uniform(-0.45, 0.45, 6), rng.uniform(-0.3, 0.3, 6), z, strict=True)
    ]
    asked = {"print_mm": (1500, 1000), "contrast_floor": 0.3, "series_covers": "marks"} | wish
    return make_plan(places, lenses=[lens], **asked)


@pytest.mark.parametrize("seed", [0, 3])
@pytest.mark.parametrize("key", ["turned-grid", "turned-grid-series"])
def test_no_focal_length_of_a_zoom_needs_fewer_frames(key, seed) -> None:
    """Against 30 focal lengths, each as a lens of its own; the search's own may do better between them."""
    found = worked(key, build_scene(deep_plan(seed, zoom(24.0, 70.0))))
    alone = [
        worked(key, build_scene(deep_plan(seed, zoom(float(f), float(f))))) for f in np.geomspace(25.2, 70.0, 30)
    ]
    holding = [candidate.frame_count for candidate in alone if candidate.holds]
    if holding:
        assert found.holds
        assert found.frame_count <= min(holding)


@pytest.mark.parametrize("focal", [70.0, 80.0, 83.0])
def test_what_no_lens_shifts_as_far_as_a_head_turns_to(focal: float) -> None:
    """A rise of 18 mm by a lens that shifts 12: frames are turned to a picture that one would show but for that."""
    framing, rise = 80.0, 18.0
    places = [(x * d / framing, 1.5 + (rise + y) * d / framing, d) for x, y, d in
              [(-15.0, -9.0, 6.0), (14.0, 10.0, 7.0), (0.0, 1.0, 6.4)]]  # fmt: skip
    lens = a_lens(focal, tilt_deg=0, f_numbers=[8, 16], image_circle_mm=90.0)
    scene = build_scene(make_plan(places, framing=framing, camera={"rise_mm": rise}, lenses=[lens]))
    assert not worked("one-frame", scene).fits
    found = worked("turned-grid", scene)
    assert found.holds, found.why_not
    # Dense rays of the wanted picture, each through a pinhole at the pupil about which the head turns.
    across, up = (part.ravel() for part in np.meshgrid(np.linspace(-17.9, 17.9, 37), np.linspace(-11.9, 11.9, 25)))
    rays = np.stack([across / framing, (up + rise) / framing, np.ones_like(up)], axis=1)
    shown = np.zeros(len(rays), bool)
    for exposure in found.exposures:
        assert exposure.sensor_centre_mm == (0.0, 0.0)
        x, y, z = exposure.pose.matrix @ rays.T
        scale = exposure.state.pupil_scale_mm
        shown |= (z > 0.0) & (np.abs(scale * x / z) <= 18.0) & (np.abs(scale * y / z) <= 12.0)
    assert shown.all()


@pytest.mark.parametrize("covers", ["marks", "range"])
@pytest.mark.parametrize("key", list(ESTIMATES))
def test_estimates_foretell_what_is_worked_out(key, covers) -> None:
    """Still marks and a lens without residual: whether a grid holds, and its frames within a frame in twelve."""
    held = 0
    for seed in range(6):
        for focal in (30.0, 45.0, 70.0):
            plan = deep_plan(seed, zoom(focal, focal), series_covers=covers)
            scene = build_scene(plan)
            problem = problem_for(scene, plan.kit.lenses[0], focal)
            half_frame = _half_frame(problem)
            layout = _layout(scene, half_frame)
            cells, _ = cells_of(problem, layout, half_frame, DEEPEST if key == "turned-grid" else SUM)
            prospect = ESTIMATES[key](problem, cells, covers)
            candidate = worked(key, scene)
            assert candidate.holds == math.isfinite(prospect.frames)
            if candidate.holds:
                held += 1
                assert abs(candidate.frame_count - prospect.frames) <= max(1.0, candidate.frame_count / 12.0)
    assert held > 3


@given(st.floats(0.05, 1.2), st.floats(0.05, 1.0), st.floats(-1.1, 1.1), st.floats(0.0, 0.8))
def test_step_in_a_row_is_the_largest_with_the_asked_overlap(hx, hy, pitch, overlap) -> None:
    half = np.array([hx, hy])
    step = _edge_step_rad(pitch, half, overlap)
    assume(0.0 < step < 1.5)
    assert _bearing_step_rad(pitch, half, overlap) <= step
    assert row_overlap(step, pitch, half) >= overlap - 1e-9
    if step < 2.0 * math.atan(hx) / max(math.cos(pitch), 0.05) - 1e-9:
        assert row_overlap(step + 1e-4, pitch, half) < overlap


def near_plan(seed: int, **wish):
    """A picture at a fifth of life size and more, a lens whose pupils differ, and a should nearer than every must."""
    rng = np.random.default_rng(seed)
    focal = float(rng.choice([60.0, 100.0]))
    framing = focal / float(rng.uniform(1.3, 2.2))
    depth = focal / 1000.0 * rng.uniform(4.0, 9.0) * np.array([1.0, 1.1, 1.3, 0.9])
    places = [
        (float(a * 18.0 / framing * d), float(1.5 + b * 12.0 / framing * d), float(d))
        for a, b, d in zip(rng.uniform(-0.9, 0.9, 4), rng.uniform(-0.9, 0.9, 4), depth, strict=True)
    ]
    lens = a_lens(focal, pupil_magnification=float(rng.uniform(0.5, 2.0)), closest_m=0.1, shift_mm=90,
                  image_circle_mm=500)  # fmt: skip
    plan = make_plan(places, framing=framing, lenses=[lens], contrast_floor=0.1, print_mm=(300, 200), **wish)
    marks = [mark.model_dump(mode="json") for mark in plan.marks]
    marks[-1]["need"] = "should"
    return plan.model_copy(update={"marks": tuple(Mark.model_validate(mark) for mark in marks)})


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("key", ["turned-grid", "turned-grid-series", "shift-grid"])
def test_frames_of_near_grids_meet_as_seen_through_the_exit_pupil(key, seed) -> None:
    # Judged by rays from the exit pupil, written from the contract alone.
    plan = near_plan(seed, overlap=(0.2, 0.4)[seed % 2])
    found = worked(key, build_scene(plan))
    assert found.fits
    told = weighing_to_dict(Weighing(found.scene, (found,), key, ()))["methods"][0]["exposures"]
    content = plan.model_dump(mode="json", by_alias=True)
    width, height = (side / plan.camera.framing_mm for side in plan.sensor_mm)
    x, y = np.meshgrid(np.linspace(-0.5, 0.5, 15) * width, np.linspace(-0.5, 0.5, 11) * height)
    wanted = np.column_stack([x.ravel(), y.ravel(), np.ones(x.size)])
    wanted /= np.linalg.norm(wanted, axis=1, keepdims=True)
    half = 0.5 * np.array(plan.sensor_mm) * (1.0 + 1e-9)
    # Of a series the frame focused nearest sees least.
    cells = {}
    for exposure in sorted(told, key=lambda exposure: exposure["image_distance_mm"]):
        cells[(*np.round(exposure["forward"], 9), *exposure["sensor_centre_mm"])] = exposure
    seen = [np.all(np.abs(landed_mm(content, one, wanted)) <= half, axis=1) for one in cells.values()]
    assert np.all(np.any(seen, axis=0))
    first = next(iter(cells.values()))
    beside = min(cells.values(), key=lambda other: _apart(other, first) if other is not first else math.inf)
    for one, other in ((first, beside), (beside, first)):
        assert shared(content, one, other)[1] >= plan.wish.overlap - 0.01


def _apart(one, other) -> float:
    turn = np.abs(np.subtract(one["forward"], other["forward"]))
    shift = np.abs(np.subtract(one["sensor_centre_mm"], other["sensor_centre_mm"]))
    return float(turn.sum() * 100.0 + shift.sum())


def test_a_grid_that_cannot_be_says_whether_it_is_overhead_or_how_many_frames_it_takes() -> None:
    up = make_plan([(0.0, 60.0, 30.0)], lenses=[a_lens(100.0)], camera={"pitch_deg": 65.0})
    assert "overhead" in str(worked("turned-grid", build_scene(up)).why_not[0])
    many = make_plan([(0.0, 1.5, 30.0)], framing=8.0, lenses=[a_lens(800.0)], overlap=0.5)
    assert re.search(r"would need \d{4,} frames", str(worked("turned-grid", build_scene(many)).why_not[0]))


def test_every_focal_length_is_counted_among_what_was_searched() -> None:
    found = worked("turned-grid", build_scene(deep_plan(0, zoom(24.0, 70.0))))
    assert str(searched(found)).startswith("Searched 1 lenses at 24 focal lengths")


@st.composite
def shared_marks(draw):
    """Up to three frames, up to seven marks, each shown by some of the frames and owned by one of those."""
    frames, count = draw(st.integers(2, 3)), draw(st.integers(2, 7))
    depth = np.array(draw(st.lists(st.floats(0.0, 5.0), min_size=count, max_size=count)))
    owner = np.array(draw(st.lists(st.integers(0, frames - 1), min_size=count, max_size=count)))
    shown = np.array(draw(st.lists(st.booleans(), min_size=count * frames, max_size=count * frames)))
    shown = shown.reshape(count, frames)
    shown[np.arange(count), owner] = True
    return owner, shown, depth


def spread(owner, depth, power: float) -> float:
    return sum(np.ptp(depth[owner == k]) ** power for k in set(owner.tolist()))


@given(shared_marks(), st.sampled_from([SUM, DEEPEST]))
def test_moving_marks_to_neighbours_saves_depth_until_no_single_move_does(marks, power) -> None:
    owner, shown, depth = marks
    found = regrouped(owner, shown, depth, power)
    assert shown[np.arange(len(depth)), found].all()
    depth = depth / max(float(np.ptp(depth)), 1e-12)
    least = spread(found, depth, power)
    assert least <= spread(owner, depth, power) * (1.0 + 1e-9) + 1e-9
    for k in range(len(depth)):
        for frame in np.flatnonzero(shown[k]):
            other = found.copy()
            other[k] = frame
            # A frame is never emptied: it has to be taken all the same.
            if np.any(other == found[k]):
                assert spread(other, depth, power) >= least - 1e-9


def test_taking_marks_from_the_neighbour_saves_frames(monkeypatch) -> None:
    """The same plans with every mark taken from the frame in whose middle it lies most."""
    plans = [deep_plan(seed, zoom(60.0, 60.0), series_covers="range") for seed in range(12)]
    with_sharing = [worked("turned-grid-series", build_scene(plan)) for plan in plans]
    monkeypatch.setattr("verispect.plan.solve.grid_assignment._MOST_MOVES", 0)
    without = [worked("turned-grid-series", build_scene(plan)) for plan in plans]
    assert all(candidate.holds for candidate in with_sharing)
    pairs = [(a.frame_count, b.frame_count) for a, b in zip(with_sharing, without, strict=True)]
    assert all(shared <= alone for shared, alone in pairs)
    assert sum(shared for shared, _ in pairs) < 0.95 * sum(alone for _, alone in pairs)
