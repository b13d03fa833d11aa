"""Frames that go on from one to the next, as clouds have them, against heads that were pushed or sink."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from tests.conftest import a_lens, make_plan
from tests.prove.join.spheres import SIZE, painted_sphere, seen
from tests.prove.parting.test_unplanned_grid import save
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.check import check
from verispect.prove.checks.drift import drift_words, drifted
from verispect.prove.join.grid import join


def errors(seed: int, count: int) -> np.ndarray:
    return np.random.default_rng(seed).normal(0.0, 0.15, (count, 2))


@settings(max_examples=60)
@given(step=st.floats(3.0, 40.0), way=st.floats(0.0, 6.3), sky=st.integers(3, 6), seed=st.integers(0, 99))
def test_what_drifts_over_the_first_frames_is_known(step: float, way: float, sky: int, seed: int) -> None:
    shifts = errors(seed, sky + 5)
    shifts[:sky] += np.outer(np.arange(sky, 0, -1), step * np.array([np.sin(way), np.cos(way)]))
    assert np.flatnonzero(drifted(shifts)).tolist() == list(range(sky))


@given(
    pushes=st.lists(st.tuples(st.integers(0, 8), st.floats(-30.0, 30.0), st.floats(-30.0, 30.0), st.booleans()),
                    max_size=1),
    seed=st.integers(0, 99),
)  # fmt: skip
def test_a_push_is_no_drift(pushes: list[tuple[int, float, float, bool]], seed: int) -> None:
    """Of one frame, or of all from one on."""
    shifts = errors(seed, 9)
    for at, down, right, stays in pushes:
        shifts[at : None if stays else at + 1] += (down, right)
    assert not drifted(shifts).any()


def test_a_head_that_sinks_all_the_time_is_no_drift() -> None:
    assert not drifted(np.outer(np.arange(9), (3.0, 0.2))).any()
    assert not drifted(np.zeros((2, 2))).any()


def test_it_is_said_of_which_frames() -> None:
    assert drift_words([]) == ()
    assert "What a.tif has" in drift_words(["a.tif"])[0]
    assert "What a.tif, b.tif and c.tif have" in drift_words(["a.tif", "b.tif", "c.tif"])[0]


@pytest.fixture(scope="module")
def taken_under_clouds(tmp_path_factory: pytest.TempPathFactory):
    """A grid of a painted sphere whose upper frames' sky went on by 9 pixels from each to the next."""
    lens = a_lens(28.0, f_numbers=[8, 8], tilt_deg=0)
    plan = make_plan([(-5.0, 1.0, 6.0), (0.0, 4.6, 6.4), (5.0, 0.5, 6.0)], framing=15.0, lenses=[lens])
    grid = worked("turned-grid", build_scene(plan))
    folder = tmp_path_factory.mktemp("clouds")
    focal_px = grid.exposures[0].state.image_distance_mm / (36.0 / SIZE[0])
    ahead = np.array([exposure.pose.matrix[2][1] for exposure in grid.exposures])
    upper = ahead > np.sort(ahead)[-4]
    sky = 0
    for k, exposure in enumerate(grid.exposures):
        matrix = exposure.pose.matrix
        if upper[k]:
            sky += 1
            turn = np.radians(np.degrees(9.0 / focal_px) * (4 - sky))
            matrix = matrix @ np.array([[np.cos(turn), 0, np.sin(turn)], [0, 1, 0], [-np.sin(turn), 0, np.cos(turn)]])
        save(folder / f"frame-{k + 1:03d}.tif", 0.5 * seen(painted_sphere(3), matrix, focal_px=focal_px) ** 2.2)
    return folder, grid, np.flatnonzero(upper)


def test_frames_of_clouds_alone_are_not_called_pushed(taken_under_clouds) -> None:
    folder, grid, upper = taken_under_clouds
    assert len(upper) == 3
    report = check([folder], candidate=grid)
    assert not [fault for frame in report.frames for fault in frame.faults if fault.name == "knock"]
    (says,) = [one for one in report.advice if "as clouds do" in one]
    assert all(f"frame-{k + 1:03d}.tif" in says for k in upper[:2])


def under_soft_clouds(k: int) -> np.ndarray:
    """A painted sphere with clouds above it that no edge tells of, gone on by 8 pixels for every frame taken."""
    whole = painted_sphere(3).copy()
    noise = np.random.default_rng(9).normal(0.0, 1.0, whole.shape[:2]).astype(np.float32)
    soft = cv2.GaussianBlur(noise, (0, 0), 25.0)
    rows = round((0.5 + 6.0 / 180.0) * len(whole))
    whole[:rows] = np.roll(0.62 + 0.02 * soft / soft.std(), 8 * k, axis=1)[:rows, :, None]
    return whole


def test_soft_clouds_draw_no_frame_along_and_it_is_said(tmp_path: Path) -> None:
    """The ground lies by the ground, frames of sky alone where a head that errs by 0.05° was sent."""
    lens = a_lens(28.0, f_numbers=[8, 8], tilt_deg=0)
    plan = make_plan([(-5.0, 1.0, 6.0), (0.0, 6.2, 6.4), (5.0, 0.5, 6.0)], framing=13.0, lenses=[lens])
    grid = worked("turned-grid", build_scene(plan))
    focal_px = grid.exposures[0].state.image_distance_mm / (36.0 / SIZE[0])
    errs = np.radians(np.random.default_rng(4).normal(0.0, 0.05, (len(grid.exposures), 2)))
    looks = [
        Rotation.from_rotvec([*err, 0.0]).as_matrix() @ exposure.pose.matrix
        for err, exposure in zip(errs, grid.exposures, strict=True)
    ]
    for k, look in enumerate(looks):
        save(tmp_path / f"frame-{k + 1:03d}.tif", 0.5 * seen(under_soft_clouds(k), look, focal_px=focal_px) ** 2.2)
    upper = [k for k, look in enumerate(looks) if look[2][1] > 0.2]
    lower = [k for k, look in enumerate(looks) if look[2][1] < -0.2]
    joined = join([tmp_path], exposures=grid.exposures, sensor_mm=grid.scene.plan.sensor_mm, room=None)
    found = [np.array(frame["rotation"]) for frame in joined.frames]
    off = focal_px * np.stack([Rotation.from_matrix(a.T @ b).as_rotvec() for a, b in zip(found, looks, strict=True)])
    off = np.linalg.norm(off - np.median(off[lower], axis=0), axis=1)
    assert off[lower].max() < 0.3
    assert off[upper].max() < 1.5
    (says,) = [one["says"] for one in joined.doubtful]
    assert "as clouds do" in says
    assert all(f"frame-{k + 1:03d}.tif" in says for k in upper)
    report = check([tmp_path], candidate=grid)
    assert not [fault for frame in report.frames for fault in frame.faults]
    assert len([one for one in report.advice if "as clouds do" in one]) == 1
