"""Frames far out of focus beside sharp ones, by a pinhole's view of a painted sphere and a disc (a thin lens's)."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from tests.prove.join.spheres import SIZE, painted_sphere, seen
from tests.prove.join.test_canvas import PIXELS, view
from tests.prove.merge.test_lights import out_of_focus
from tests.prove.parting.test_unplanned_grid import save
from tests.prove.shake.test_swing import moved_as
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.check import check
from verispect.prove.join import far_out
from verispect.prove.join.far_out import laid_as_blurred
from verispect.prove.join.grid import join
from verispect.prove.join.pointing import Pair

APERTURE_MM = 35.0 / 2.0


@pytest.fixture(scope="module")
def wide_open() -> Candidate:
    """A turned grid of six frames at f/2."""
    lens = a_lens(35.0, f_numbers=[2, 2], tilt_deg=0)
    places = [(-5.0, 1.5, 5.0), (0.0, 2.0, 5.4), (5.0, 1.2, 5.0)]
    return worked("turned-grid", build_scene(make_plan(places, framing=20.0, lenses=[lens])))


def taken(folder: Path, grid: Candidate, missed: dict[int, float]) -> None:
    """The frames, some with the lens drawn out by a share of its image distance, in as much as it then blurs."""
    pitch_mm = grid.scene.plan.sensor_mm[0] / SIZE[0]
    for k, exposure in enumerate(grid.exposures):
        state, grown = exposure.state, missed.get(k, 0.0)
        focal_px = (1.0 + grown) * state.image_distance_mm / pitch_mm
        light = 0.6 * seen(painted_sphere(3), exposure.pose.matrix, focal_px=focal_px) ** 2.2
        disc_px = APERTURE_MM * abs(grown) / pitch_mm
        save(folder / f"frame-{k + 1:03d}.tif", out_of_focus(light, disc_px) if grown else light)


@pytest.mark.parametrize(("frame", "grown"), [(1, 0.05), (4, 0.15), (5, -0.025)])
def test_a_frame_that_missed_its_focus_by_far_is_told_with_how_far(
    tmp_path: Path, wide_open: Candidate, frame: int, grown: float
) -> None:
    """Discs of 6 to 35 pixels, of 480."""
    taken(tmp_path, wide_open, {frame: grown})
    report = check([tmp_path], candidate=wide_open)
    assert {k: [fault.name for fault in one.faults] for k, one in enumerate(report.frames) if one.faults} == {
        frame: ["missed-focus"]
    }
    exposure = wide_open.exposures[frame]
    blurs = APERTURE_MM * abs(grown) / exposure.allowed_blur_mm
    assert report.frames[frame].faults[0].size == pytest.approx(blurs, rel=0.15)
    assert ("nearer" if grown > 0.0 else "farther") in report.frames[frame].faults[0].says
    assert np.hypot(*report.frames[frame].shift_px) < 1.5


def test_it_is_joined_as_large_as_it_is_drawn_and_leaves_the_others_where_they_look(
    tmp_path: Path, wide_open: Candidate
) -> None:
    taken(tmp_path, wide_open, {4: 0.06})
    plan = wide_open.scene.plan
    joined = join([tmp_path], exposures=wide_open.exposures, sensor_mm=plan.sensor_mm, room=None)
    (says,) = [one["says"] for one in joined.doubtful if "drawn" in one["says"]]
    assert says.startswith("frame-005.tif is drawn ")
    assert float(says.split()[3]) == pytest.approx(6.0, rel=0.15)
    moved = [frame["moved_deg"] for frame in joined.frames]
    assert max(moved) < 0.12
    # Less than half a pixel.
    assert max(moved[:4] + moved[5:]) < 0.05


def test_a_frame_that_was_shaken_far_is_no_frame_out_of_focus(tmp_path: Path, wide_open: Candidate) -> None:
    """A motion of 24 pixels, of 480."""
    taken(tmp_path, wide_open, {})
    exposure, pitch_mm = wide_open.exposures[2], wide_open.scene.plan.sensor_mm[0] / SIZE[0]
    sharp = seen(painted_sphere(3), exposure.pose.matrix, focal_px=exposure.state.image_distance_mm / pitch_mm)
    light = np.asarray(0.6 * sharp**2.2, np.float32)
    (tmp_path / "frame-003.tif").unlink()
    save(tmp_path / "frame-003.tif", np.dstack([moved_as(light[..., c].copy(), 24.0, 65.0) for c in range(3)]))
    report = check([tmp_path], candidate=wide_open)
    assert [(k, fault.name) for k, one in enumerate(report.frames) for fault in one.faults] == [(2, "motion")]
    assert report.frames[2].motion_length == pytest.approx(24.0, rel=0.1)
    assert report.frames[2].motion_direction == pytest.approx(65.0, abs=5.0)


def test_good_frames_at_a_wide_stop_are_not_accused(tmp_path: Path, wide_open: Candidate) -> None:
    taken(tmp_path, wide_open, {})
    report = check([tmp_path], candidate=wide_open)
    assert not any(frame.faults for frame in report.frames)


@pytest.mark.parametrize(
    ("alike", "drifts", "is_taken"), [(0.7, False, False), (0.9, False, True), (0.9, True, False)]
)
def test_a_guess_by_which_two_frames_grow_less_alike_is_none(
    monkeypatch, alike: float, drifts: bool, is_taken: bool
) -> None:
    """A frame that the plan has far out of focus lies right as it is: blurred besides it had lain elsewhere.

    And clouds that went on are drawn larger by no lens.
    """
    views = [view(0.0), view(20.0)]
    greys = [np.zeros((PIXELS[1], PIXELS[0]), np.float32) for _ in views]
    plain = Pair(0, 1, 0.5, 0.8, np.zeros(3), 1.2, drifts=drifts)
    guessed = replace(plain, correlation=alike, residual_px=np.inf, growth=-0.12, blurred=True)
    sure = Pair(0, 2, 0.5, 0.99, np.zeros(3), 0.05)
    monkeypatch.setattr(far_out._Blurred, "lacks_detail_of", lambda one, pair: True)
    monkeypatch.setattr(far_out._Blurred, "searched", lambda one, pair: (guessed, -0.12))
    found = laid_as_blurred(
        views, greys, [plain, sure], PIXELS, lambda number, grown: 20.0, is_cancelled=lambda: False
    )
    assert found == [guessed if is_taken else plain, sure]
