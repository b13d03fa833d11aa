"""Frames of something else than what was planned: painted spheres seen by a pinhole, and the plan's own rehearsed."""

from __future__ import annotations

import itertools
from pathlib import Path
from types import SimpleNamespace

import cv2
import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from tests.prove.join.spheres import SIZE, painted_sphere, seen, turn
from tests.prove.parting.test_unplanned_grid import grid, kinds, save, write_frames
from verispect.cli import main
from verispect.files.plan_file import plan_to_text
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.check import check
from verispect.prove.checks.pointing import Fit
from verispect.prove.matching import not_of_plan
from verispect.prove.matching.not_of_plan import Held
from verispect.prove.parting.sets import FrameSet, SetKind
from verispect.prove.report import Report


@pytest.fixture(scope="module")
def wide_grid() -> Candidate:
    """A turned grid of a 35 mm lens."""
    lens = a_lens(35.0, f_numbers=[8, 8], tilt_deg=0)
    places = [(-5.0, 1.5, 5.0), (0.0, 2.0, 5.4), (5.0, 1.2, 5.0)]
    return worked("turned-grid", build_scene(make_plan(places, framing=20.0, lenses=[lens])))


def faults(report: Report) -> list[str]:
    return [fault.name for frame in report.frames for fault in frame.faults]


def of_house(folder: Path) -> None:
    """Frames of a row of equal windows, three windows further each: all look alike."""
    own = painted_sphere(3)
    _, wide, _ = own.shape
    window = (np.arange(wide) * 360.0 / wide % 8.0) < 4.0
    row = (np.arange(own.shape[0]) * 180.0 / own.shape[0] % 7.0) < 3.0
    house = 0.5 * own + 0.2 * (window[None, :, None] & row[:, None, None])
    for k, (pitch, bearing) in enumerate(itertools.product((-14.0, 14.0), (-24.0, 0.0, 24.0))):
        save(folder / f"frame-{k + 1:03d}.tif", 0.6 * seen(house, turn(bearing, pitch)) ** 2.2)


@pytest.mark.parametrize("is_house", [False, True])
def test_a_grid_is_no_series_with_frames_knocked_far(tmp_path: Path, series: Candidate, *, is_house: bool) -> None:
    if is_house:
        of_house(tmp_path)
    else:
        write_frames(tmp_path, grid(np.random.default_rng(1)))
    report = check([tmp_path], candidate=series)
    assert kinds(report) == [("grid", 6)]
    assert report.without_plan
    assert not faults(report)
    assert not report.marks
    assert report.advice[0].startswith("These frames look side by side where the plan has one view")
    assert all(frame.planned_exposure is None for frame in report.frames)


def test_of_a_plan_of_one_frame_nine_side_by_side_are_none(tmp_path: Path, series: Candidate) -> None:
    write_frames(tmp_path, [(b, p, 0.0) for p in (-22.0, 0.0, 22.0) for b in (-26.0, 0.0, 26.0)])
    report = check([tmp_path], candidate=worked("one-frame", series.scene))
    assert kinds(report) == [("grid", 9)]
    assert report.without_plan
    assert not faults(report)


def test_nothing_is_written_into_a_plan_that_the_frames_are_not_of(
    tmp_path: Path, series: Candidate, capsys: pytest.CaptureFixture[str]
) -> None:
    frames, plan, out = tmp_path / "frames", tmp_path / "a.verispect", tmp_path / "b.verispect"
    frames.mkdir()
    write_frames(frames, [(b, 0.0, 0.0) for b in (-26.0, 0.0, 26.0)])
    plan.write_text(plan_to_text(series.scene.plan), encoding="utf-8")
    given = ["check", str(frames), "--plan", str(plan), "--method", "series", "--quiet"]
    assert main([*given, "--distances-out", str(out)]) == 2
    assert "tell nothing of the plan's marks" in capsys.readouterr().err
    assert not out.exists()
    assert main(["sort", str(frames), "--into", str(tmp_path / "sorted"), *given[2:]]) == 0
    sidecar = next((tmp_path / "sorted").rglob("*.xmp")).read_text(encoding="utf-8")
    assert "series" not in sidecar


def test_a_series_is_no_grid_of_which_all_frames_lie_on_one_another(tmp_path: Path, wide_grid: Candidate) -> None:
    write_frames(tmp_path, [(4.0, 2.0, 0.004 * k) for k in range(4)])
    report = check([tmp_path], candidate=wide_grid)
    assert kinds(report) == [("series", 4)]
    assert report.without_plan
    assert not faults(report)
    assert "all look the same way where the plan has frames side by side" in report.advice[0]


def test_what_the_account_of_a_run_tells_of_is_the_plans(wide_grid: Candidate) -> None:
    """Whatever it shows, nothing is looked at for it: the evidence here has no pictures."""
    evidence = SimpleNamespace(run=object(), candidate=wide_grid, matched=[0, 1, 2], exposures=wide_grid.exposures)
    group = FrameSet((0, 1, 2))
    held = Held(evidence, [(group, SetKind.GRID)], [], ())
    assert held.at_sight() == []
    assert held.once_compared([], {group: Fit.BADLY}) == []
    assert held.other_lens(group, Fit.BADLY) == ""


@pytest.mark.parametrize(("fit", "fewest"), [(Fit.UNTOLD, 4), (Fit.BADLY, 3)])
def test_three_frames_far_out_of_focus_tell_no_other_lens(
    monkeypatch: pytest.MonkeyPatch, wide_grid: Candidate, fit: Fit, fewest: int
) -> None:
    monkeypatch.setattr(not_of_plan, "_times_planned", lambda _evidence, _frames: 0.7)
    evidence = SimpleNamespace(run=None, candidate=wide_grid, matched=[0, 1, 2, 3], exposures=wide_grid.exposures)
    for count in (3, 4):
        group = FrameSet(tuple(range(count)))
        told = Held(evidence, [(group, SetKind.GRID)], [], ()).other_lens(group, fit)
        assert ("a lens of about 24 mm" in told) == (count >= fewest), told


@pytest.mark.parametrize("times", [0.8, 1.0])
def test_a_grid_by_another_lens_is_told_with_its_focal_length(
    tmp_path: Path, wide_grid: Candidate, times: float
) -> None:
    """Within four parts in a hundred, by what they show where they overlap."""
    pitch_mm = wide_grid.scene.plan.sensor_mm[0] / SIZE[0]
    for k, exposure in enumerate(wide_grid.exposures):
        focal_px = times * exposure.lens.focal_mm / pitch_mm
        light = 0.6 * seen(painted_sphere(3), exposure.pose.matrix, focal_px=focal_px) ** 2.2
        save(tmp_path / f"frame-{k + 1:03d}.tif", light)
    report = check([tmp_path], candidate=wide_grid)
    assert kinds(report) == [("grid", wide_grid.frame_count)]
    assert report.without_plan is (times != 1.0)
    if times != 1.0:
        said = float(report.advice[0].split("about ")[1].split(" mm")[0])
        assert said == pytest.approx(35.0 * times, rel=0.04)
    assert "moved-subject" not in faults(report)


def test_a_series_that_was_knocked_far_and_often_is_still_the_plans(rehearsed, series: Candidate) -> None:
    report = check([rehearsed("knock@2:190", "knock@5:150")], candidate=series)
    assert not report.without_plan
    assert {k for k, frame in enumerate(report.frames) if not frame.without("knock")} == {2, 5}
    assert [frame.planned_exposure for frame in report.frames] == list(range(8))


def test_of_what_lies_together_only_what_is_not_the_plans_is_held_without_it(
    rehearsed, series: Candidate, tmp_path: Path
) -> None:
    """The plan's series but for a frame, and a grid of other things of the same size after it."""
    good = sorted(rehearsed().glob("*.tif"))
    for k, path in enumerate(good[:7]):
        (tmp_path / f"frame-{k + 1:03d}.tif").write_bytes(path.read_bytes())
    for k, (pitch, bearing) in enumerate(itertools.product((-14.0, 14.0), (-26.0, 0.0, 26.0))):
        light = 0.6 * seen(painted_sphere(3), turn(bearing, pitch)) ** 2.2
        save(tmp_path / f"frame-{k + 8:03d}.tif", cv2.resize(light, (720, 480), interpolation=cv2.INTER_CUBIC))
    report = check([tmp_path], candidate=series)
    assert not report.without_plan
    assert kinds(report) == [("series", 7), ("grid", 6)]
    assert [frame.planned_exposure for frame in report.checked] == [*range(7), *[None] * 6]
    assert faults(report) == ["missing"]


@pytest.mark.parametrize(("times", "turned"), [(0.97, 1.0), (1.0, 1.03)], ids=["focal length", "angles"])
def test_a_grid_of_which_all_lies_a_little_nearer_or_farther_says_so_and_nothing_moved(
    tmp_path: Path, wide_grid: Candidate, times: float, turned: float
) -> None:
    """A lens that draws 3 % smaller, and a head that went by angles 3 % too large: it may be the plan's own."""
    pitch_mm = wide_grid.scene.plan.sensor_mm[0] / SIZE[0]
    for k, exposure in enumerate(wide_grid.exposures):
        focal_px = times * exposure.state.image_distance_mm / pitch_mm
        right, up, ahead = exposure.pose.forward
        bearing, pitch = np.degrees(np.arctan2(right, ahead)), np.degrees(np.arcsin(up))
        light = 0.6 * seen(painted_sphere(3), turn(turned * bearing, turned * pitch), focal_px=focal_px) ** 2.2
        save(tmp_path / f"frame-{k + 1:03d}.tif", light)
    report = check([tmp_path], candidate=wide_grid)
    assert not report.without_plan
    assert "moved-subject" not in faults(report)
    said = next(line for line in report.advice if line.startswith("The frames lie"))
    share, word = said.removeprefix("The frames lie ").split(" %")
    assert float(share) == pytest.approx(3.0, abs=0.6)
    assert word.startswith(" nearer" if times < 1.0 else " farther")
