"""Grids: every direction covered, every overlap kept, checked by looking through the frames."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as hypothesis_settings
from hypothesis import strategies as st

from tests.conftest import a_lens, make_plan
from verispect.optics.pose import camera_pose
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.solve.grid_layout import (
    all_round_poses,
    fewest_all_round,
    pitch_step_rad,
    row_overlap,
    shifted_centres_mm,
    turned_grid_poses,
)


def sees(pose, direction: np.ndarray, half: np.ndarray) -> bool:
    local = pose.matrix @ direction
    return bool(local[2] > 0 and np.all(np.abs(local[:2] / local[2]) <= half * (1 + 1e-9)))


def common_share(first, second, half: np.ndarray, *, along: int) -> float:
    """Share of the first frame's width (or height) that the second also sees, on its narrowest line."""
    least = 1.0
    run = np.linspace(-1, 1, 801) * half[along]
    for across in np.linspace(-1, 1, 21) * half[1 - along]:
        line = np.ones((run.size, 3))
        line[:, along], line[:, 1 - along] = run, across
        local = line @ first.matrix @ second.matrix.T
        seen = (local[:, 2] > 0) & (np.abs(local[:, along] / local[:, 2]) <= half[along])
        least = min(least, float(seen.mean()))
    return least


@hypothesis_settings(max_examples=25)
@given(
    st.floats(-0.5, 0.5), st.floats(-0.9, 0.9), st.floats(-0.3, 0.3), st.floats(1.2, 4.0), st.floats(0.2, 0.45),
)  # fmt: skip
def test_every_direction_of_the_picture_is_on_a_frame(bearing, pitch, roll, longer, overlap) -> None:
    pose = camera_pose(height_m=1.5, bearing_rad=bearing, pitch_rad=pitch, roll_rad=roll)
    picture = np.array([18.0, 12.0]) / 35.0
    half = picture / longer
    grid = turned_grid_poses(pose=pose, half_picture=picture, half_frame=half, overlap=overlap)
    assert grid is not None
    rng = np.random.default_rng(0)
    inside = rng.uniform(-1, 1, (300, 2)) * picture
    edge = np.array([[sx, sy] for sx in (-1, 1) for sy in (-1, 1)]) * picture
    for x, y in np.vstack([inside, edge]):
        direction = np.array([x, y, 1.0]) @ pose.matrix
        assert any(sees(frame, direction, half) for frame in grid.poses)


@pytest.mark.parametrize("pitch_deg", [0.0, 15.0, 40.0, -30.0])
@pytest.mark.parametrize("overlap", [0.2, 0.4])
def test_neighbours_in_a_row_keep_the_asked_overlap_at_their_narrowest(pitch_deg: float, overlap: float) -> None:
    pose = camera_pose(height_m=1.5, pitch_rad=math.radians(pitch_deg))
    picture, half = np.array([0.9, 0.5]), np.array([0.3, 0.2])
    grid = turned_grid_poses(pose=pose, half_picture=picture, half_frame=half, overlap=overlap)
    assert grid is not None
    start = 0
    for count in grid.rows:
        row = grid.poses[start : start + count]
        for left, right in itertools.pairwise(row):
            assert common_share(left, right, half, along=0) >= overlap - 0.006
        start += count


def test_rows_keep_the_asked_overlap() -> None:
    half = np.array([0.3, 0.2])
    step = pitch_step_rad(half, 0.3)
    low, high = (camera_pose(height_m=0, pitch_rad=p) for p in (0.1, 0.1 + step))
    assert 0.3 <= common_share(low, high, half, along=1) + 0.004 < 0.33
    # The frame above is seen narrower down here: as much of the area takes a little more of the height.
    x, y = np.meshgrid(np.linspace(-0.3, 0.3, 401), np.linspace(-0.2, 0.2, 401))
    rays = np.column_stack([x.ravel(), y.ravel(), np.ones(x.size)]) @ low.matrix @ high.matrix.T
    on_high = np.all(np.abs(rays[:, :2]) <= half * rays[:, 2:], axis=1)
    assert on_high.mean() == pytest.approx(0.3, abs=0.004)


def test_step_set_by_the_middle_would_be_too_wide_on_a_pitched_row() -> None:
    # The narrowest overlap is at the edge nearer the horizon: a step that suits the middle fails there.
    half = np.array([0.3, 0.25])
    pitch = math.radians(35.0)
    step = 2.0 * math.atan(0.3) * 0.7 / math.cos(pitch)
    level_middle = (
        camera_pose(height_m=0, pitch_rad=pitch),
        camera_pose(height_m=0, bearing_rad=step, pitch_rad=pitch),
    )
    assert row_overlap(step, pitch, half) < 0.3
    assert common_share(*level_middle, half, along=0) == pytest.approx(row_overlap(step, pitch, half), abs=0.006)


def test_straight_up_has_no_turned_grid() -> None:
    pose = camera_pose(height_m=1.5, pitch_rad=math.radians(80.0))
    assert turned_grid_poses(
        pose=pose, half_picture=np.array([0.5, 0.3]), half_frame=np.array([0.2, 0.15]), overlap=0.3
    ) is None  # fmt: skip


@given(st.floats(10, 200), st.floats(10, 200), st.floats(0.0, 0.6))
def test_shifted_frames_cover_the_picture_and_overlap(width: float, height: float, overlap: float) -> None:
    centres, columns = shifted_centres_mm(picture_mm=(width, height), sensor_mm=(36.0, 24.0), overlap=overlap)
    places = np.array(centres)
    xs, ys = np.unique(places[:, 0].round(9)), np.unique(places[:, 1].round(9))
    assert len(xs) == columns
    assert len(xs) * len(ys) == len(centres)
    for values, size, wanted in ((xs, 36.0, width), (ys, 24.0, height)):
        assert values.max() + size / 2 >= wanted / 2 - 1e-6
        if len(values) > 1:
            assert (1.0 - np.diff(values) / size).min() >= overlap - 1e-6


def test_turned_frames_take_their_own_focus() -> None:
    plan = make_plan(
        [(-3.0, 0.5, 4.0), (6.0, 3.0, 25.0)], framing=24,
        lenses=[{"name": "50", "focal_mm": [50, 50], "f_numbers": [2, 16], "closest_m": 0.45}],
    )  # fmt: skip
    candidate = worked("turned-grid", build_scene(plan))
    assert candidate.fits
    by_mark = [candidate.exposures[int(k)].focus_m for k in candidate.rendering.exposure]
    assert by_mark[0] < 6.0 < by_mark[1]
    assert candidate.worst_softness < 0.2
    assert candidate.final_pixels == (round(8256 * 50 / 24), round(5504 * 50 / 24))
    assert len({exposure.state.f_number for exposure in candidate.exposures}) == 1


def test_entrance_pupil_stays_put_in_a_turned_grid() -> None:
    plan = make_plan([(-3, 0.5, 4), (6, 3, 25)], lenses=[a_lens(50, pupil_magnification=0.7)])
    candidate = worked("turned-grid", build_scene(plan))
    for exposure in candidate.exposures:
        ahead = exposure.state.pupil_ahead_mm / 1000.0 * exposure.pose.forward
        np.testing.assert_allclose(exposure.position_m + ahead, [0.0, 1.5, 0.0], atol=1e-12)


def test_no_head_no_turned_grid() -> None:
    plan = make_plan([(0, 1, 4)], lenses=[a_lens(50)])
    plan = plan.model_copy(update={"kit": plan.kit.model_copy(update={"head": None})})
    candidate = worked("turned-grid", build_scene(plan))
    assert not candidate.fits
    assert "no head" in str(candidate.why_not[0])


def test_shifted_grid_says_how_much_shift_is_missing() -> None:
    plan = make_plan([(0, 1, 4)], framing=24, lenses=[a_lens(50, shift_mm=5)])
    reasons = [str(reason) for reason in worked("shift-grid", build_scene(plan)).why_not]
    # By hand: focused at 4 m, v = 50.63 mm and the picture is 75.95 × 50.63 mm there; the outermost frames stand
    # 19.97 and 13.32 mm off, 24.0 mm together.
    assert any("shifts 5 mm" in reason and "needs 24.0 mm" in reason for reason in reasons)


def test_shifted_grid_of_a_longer_lens_covers_the_picture() -> None:
    plan = make_plan([(0, 1, 4), (1, 2, 9)], framing=24, lenses=[a_lens(35, shift_mm=12, image_circle_mm=90)])
    candidate = worked("shift-grid", build_scene(plan))
    assert candidate.fits
    centres = np.array([exposure.sensor_centre_mm for exposure in candidate.exposures])
    v = candidate.exposures[0].state.image_distance_mm
    assert centres[:, 0].max() + 18.0 >= v * 18.0 / 24.0 - 1e-6
    assert centres[:, 1].max() + 12.0 >= v * 12.0 / 24.0 - 1e-6
    assert candidate.rendering.inside.all()


def random_directions(low: float, high: float, count: int = 4000) -> np.ndarray:
    """Evenly at random all round between two heights."""
    rng = np.random.default_rng(3)
    up, turn = rng.uniform(math.sin(low), math.sin(high), count), rng.uniform(0.0, math.tau, count)
    level = np.sqrt(1.0 - up**2)
    return np.stack([level * np.sin(turn), up, level * np.cos(turn)], axis=1)


@pytest.mark.parametrize("half", [(0.75, 0.5), (0.36, 0.24), (0.24, 0.36), (0.15, 0.1)])
@pytest.mark.parametrize("heights", [(-0.2, 0.2), (0.1, 0.9), (-1.2, 0.3), (-math.pi / 2, math.pi / 2)])
def test_all_round_every_direction_is_on_a_frame_and_rows_close(half, heights) -> None:
    half_frame, pose = np.array(half), camera_pose(height_m=1.5, bearing_rad=0.7)
    grid = all_round_poses(pose=pose, elevations_rad=heights, half_frame=half_frame, overlap=0.3)
    assert grid is not None
    directions = random_directions(*heights)
    seen = np.zeros(len(directions), dtype=bool)
    for frame in grid.poses:
        local = directions @ frame.matrix.T
        seen |= (local[:, 2] > 0) & np.all(np.abs(local[:, :2]) <= half_frame * local[:, 2:] * (1 + 1e-6), axis=1)
    assert seen.all()
    start = 0
    for count in grid.rows:
        row = grid.poses[start : start + count]
        start += count
        if count > 1:
            for left, right in [*itertools.pairwise(row), (row[-1], row[0])]:
                assert common_share(left, right, half_frame, along=0) >= 0.3 - 0.01
    if heights[1] > 1.5:
        # Rows are thinned towards the poles.
        assert grid.rows[1] < max(grid.rows)
        assert (grid.rows[0], grid.rows[-1]) == (1, 1)
        assert grid.poses[0].forward == pytest.approx([0.0, 1.0, 0.0], abs=1e-9)
        for beside in grid.poses[1 : 1 + grid.rows[1]]:
            x, y = np.meshgrid(np.linspace(-1, 1, 101) * half[0], np.linspace(-1, 1, 101) * half[1])
            rays = np.column_stack([x.ravel(), y.ravel(), np.ones(x.size)]) @ beside.matrix @ grid.poses[0].matrix.T
            shared = (rays[:, 2] > 0) & np.all(np.abs(rays[:, :2]) <= half_frame * rays[:, 2:], axis=1)
            assert shared.mean() >= 0.3 - 0.02


def test_a_level_row_has_as_few_frames_as_any_even_row_that_overlaps_enough() -> None:
    """Exhaustive over the counts: so many even frames of a level row overlap by 30 % and reach the band's edges."""
    half_frame = np.array([0.5, 0.4])
    grid = all_round_poses(
        pose=camera_pose(height_m=0.0), elevations_rad=(-0.2, 0.2), half_frame=half_frame, overlap=0.3
    )
    assert grid is not None
    for count in range(3, 40):
        step = math.tau / count
        next_to = camera_pose(height_m=0.0, bearing_rad=step)
        wide = common_share(camera_pose(height_m=0.0), next_to, half_frame, along=0) >= 0.3 - 0.002
        # Half-way between two frames the band is lowest on them.
        tall = math.tan(0.2) / math.cos(0.5 * step) <= 0.4
        if wide and tall:
            break
    assert grid.rows == (count,)


def test_a_circle_that_nears_the_zenith_has_no_rows() -> None:
    grid = all_round_poses(
        pose=camera_pose(height_m=0.0), elevations_rad=(0.8, 1.52), half_frame=np.array([0.5, 0.4]), overlap=0.3
    )
    assert grid is None


@pytest.mark.parametrize("step_deg", [1.0, 7.5, 15.0])
@pytest.mark.parametrize("pitch_deg", [0.0, 20.0])
def test_on_a_head_that_clicks_every_frame_stands_on_a_click(step_deg: float, pitch_deg: float) -> None:
    pose = camera_pose(height_m=1.5, bearing_rad=0.4, pitch_rad=math.radians(pitch_deg))
    picture, half, step = np.array([1.2, 0.6]), np.array([0.5, 0.35]), math.radians(step_deg)
    free = turned_grid_poses(pose=pose, half_picture=picture, half_frame=half, overlap=0.3)
    grid = turned_grid_poses(pose=pose, half_picture=picture, half_frame=half, overlap=0.3, step_rad=step)
    assert grid is not None
    assert free is not None
    assert len(grid.poses) >= len(free.poses)
    start = 0
    for count in grid.rows:
        row = grid.poses[start : start + count]
        start += count
        for frame in row:
            turned = math.atan2(frame.forward[0], frame.forward[2]) - 0.4
            for angle in (turned, math.asin(frame.forward[1])):
                assert angle / step == pytest.approx(round(angle / step), abs=1e-6)
        for left, right in itertools.pairwise(row):
            assert common_share(left, right, half, along=0) >= 0.3 - 0.006
    rng = np.random.default_rng(0)
    for x, y in rng.uniform(-1, 1, (400, 2)) * picture:
        direction = np.array([x, y, 1.0]) @ pose.matrix
        assert any(sees(frame, direction, half) for frame in grid.poses)


def test_clicks_too_far_apart_lay_nothing_and_all_round_they_divide_the_turn() -> None:
    pose, half = camera_pose(height_m=0.0), np.array([0.3, 0.4])
    wide = {"pose": pose, "half_picture": np.array([1.2, 0.3]), "half_frame": half, "overlap": 0.3}
    assert turned_grid_poses(**wide, step_rad=math.radians(45.0)) is None
    band = {"pose": pose, "elevations_rad": (-0.2, 0.2), "half_frame": half, "overlap": 0.3}
    free, clicking = all_round_poses(**band), all_round_poses(**band, step_rad=math.radians(15.0))
    assert free is not None
    assert clicking is not None
    (count,) = clicking.rows
    assert 24 % count == 0
    # The fewest that divide 24 clicks and are no fewer than a free head takes.
    assert count == min(n for n in range(free.rows[0], 25) if 24 % n == 0)
    assert all_round_poses(**band, step_rad=math.radians(50.0)) is None


@pytest.mark.parametrize("heights", [(-0.4, 0.3), (-math.pi / 2, math.pi / 2)])
def test_fewest_all_round_is_never_more_than_what_is_laid(heights) -> None:
    for half in ((0.75, 0.5), (0.36, 0.24), (0.15, 0.1)):
        asked = {"elevations_rad": heights, "half_frame": np.array(half), "overlap": 0.3}
        grid = all_round_poses(pose=camera_pose(height_m=0.0), **asked)
        assert grid is not None
        assert 0.6 * len(grid.poses) <= fewest_all_round(**asked) <= len(grid.poses)
