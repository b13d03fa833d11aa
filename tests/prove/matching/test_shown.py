"""Frames that tell nothing but their picture: taken the other way, in no order, or with one of them missing."""

from __future__ import annotations

import random
from pathlib import Path

import cv2
import numpy as np
import pytest
import tifffile

from tests.prove.join.spheres import painted_sphere, seen, turn
from verispect.plan.methods.candidate import Candidate
from verispect.prove import evidence
from verispect.prove.check import check
from verispect.prove.intake import Coded, Frame, described
from verispect.prove.matching import shown
from verispect.prove.matching.shown import _ways, in_planned_order
from verispect.prove.report import Report, report_dict
from verispect.prove.resources.recall import Recall
from verispect.rehearse.camera import Options
from verispect.rehearse.pupil_views import Quality
from verispect.rig.rehearsed_run import Writing, rehearse_to

# One process makes the frames once.
pytestmark = pytest.mark.xdist_group("frames")


def bare(source: Path, to: Path, order: list[int]) -> Path:
    """Some frames in an order, under new names and without a word of what they are."""
    files = sorted(source.glob("*.tif"))
    to.mkdir()
    for number, k in enumerate(order):
        tifffile.imwrite(to / f"p{number + 1:03d}.tif", tifffile.imread(files[k]), photometric="rgb")
    return to


def taken_for(report: Report) -> list[int | None]:
    return [frame.planned_exposure for frame in report.frames if frame.file]


def faults(report: Report) -> list[str]:
    return [fault.name for frame in report.frames for fault in frame.faults]


def test_a_series_taken_the_other_way_or_in_no_order_is_known(rehearsed, series: Candidate, tmp_path: Path) -> None:
    count = series.frame_count
    for name, order in (
        ("reversed", list(range(count))[::-1]),
        ("shuffled", random.Random(4).sample(range(count), count)),
    ):
        report = check([bare(rehearsed(), tmp_path / name, order)], candidate=series)
        assert taken_for(report) == order, name
        assert faults(report) == []
        sharp = [mark for mark in report.marks if mark.verdict == "sharp"]
        assert len(sharp) >= 3
        for mark in sharp:
            assert mark.softness == pytest.approx(mark.planned, abs=0.3), mark.name


@pytest.mark.parametrize("gone", [0, 3, 7])
def test_the_frame_that_is_missing_from_a_series_is_named(
    rehearsed, series: Candidate, tmp_path: Path, gone: int
) -> None:
    """All eight lie evenly apart: at the ends only the marks tell which of them is not there."""
    order = [k for k in range(series.frame_count) if k != gone]
    report = check([bare(rehearsed(), tmp_path / "set", order)], candidate=series)
    assert taken_for(report) == order
    assert [frame.planned_exposure for frame in report.frames if frame.file is None] == [gone]


def test_beside_a_black_frame_the_others_tell_which_is_missing(rehearsed, series: Candidate, tmp_path: Path) -> None:
    order = [k for k in range(series.frame_count) if k != 4]
    report = check([bare(rehearsed("dark@3"), tmp_path / "set", order)], candidate=series)
    assert taken_for(report) == order
    found = {
        frame.planned_exposure: [fault.name for fault in frame.faults] for frame in report.frames if frame.faults
    }
    assert found == {3: ["dark"], 4: ["missing"]}


def test_what_tells_of_the_missing_one_is_read_once(
    rehearsed, series: Candidate, tmp_path: Path, monkeypatch
) -> None:
    folder = bare(rehearsed(), tmp_path / "set", [k for k in range(series.frame_count) if k != 7])
    recall = Recall()
    before = check([folder], candidate=series, recall=recall)

    def unread(frame: Frame) -> Coded:
        raise AssertionError(frame.path.name)

    for module in (evidence, shown):
        monkeypatch.setattr(module, "read_coded", unread)
    assert report_dict(check([folder], candidate=series, recall=recall)) == report_dict(before)


def test_one_that_missed_its_focus_is_a_fault_and_no_other_order(
    rehearsed, series: Candidate, tmp_path: Path
) -> None:
    order = list(range(series.frame_count))
    report = check([bare(rehearsed("autofocus-miss@3:3"), tmp_path / "set", order)], candidate=series)
    assert taken_for(report) == order
    assert {frame.planned_exposure for frame in report.frames if frame.faults} == {3}


def test_a_grid_is_known_in_any_order_and_its_missing_frame_too(small_grid: Candidate, tmp_path: Path) -> None:
    good = tmp_path / "good"
    rehearse_to(small_grid, Options(pixels=(480, 320), quality=Quality(0.5, 3)), Writing(good))
    count = small_grid.frame_count
    order = random.Random(1).sample(range(count), count)
    report = check([bare(good, tmp_path / "shuffled", order)], candidate=small_grid)
    assert taken_for(report) == order
    assert faults(report) == []
    # One of them is missing; a copy among them took a number, and no place.
    report = check([bare(good, tmp_path / "copied", [0, 2, 2, *range(3, count)])], candidate=small_grid)
    assert taken_for(report) == [0, 2, None, *range(3, count)]
    assert sorted(faults(report)) == ["duplicate", "missing"]


def test_the_plans_grid_is_known_between_others(small_grid: Candidate, tmp_path: Path) -> None:
    """Before and after it the same frames, turned over: they lie side by side, and not as planned."""
    good = tmp_path / "good"
    rehearse_to(small_grid, Options(pixels=(480, 320), quality=Quality(0.5, 3)), Writing(good))
    frames = [tifffile.imread(path) for path in sorted(good.glob("*.tif"))]
    before, after = [frame[::-1, ::-1] for frame in frames], [frame[::-1] for frame in frames[::-1]]
    (tmp_path / "mixed").mkdir()
    for number, frame in enumerate([*before, *frames, *after]):
        tifffile.imwrite(tmp_path / "mixed" / f"p{number + 1:03d}.tif", frame, photometric="rgb")
    count = len(frames)
    report = check([tmp_path / "mixed"], candidate=small_grid)
    assert [(group.frames[0], len(group.frames)) for group in report.sets] == [(k * count, count) for k in range(3)]
    assert taken_for(report)[count : 2 * count] == list(range(count))


def test_soft_clouds_that_went_on_tell_nothing_of_which_grid_it_is(small_grid: Candidate, tmp_path: Path) -> None:
    """All but a few frames of the plan's grid show clouds, each its own; a series follows it."""
    good = tmp_path / "good"
    rehearse_to(small_grid, Options(pixels=(480, 320), quality=Quality(0.5, 3)), Writing(good))
    frames = [tifffile.imread(path) for path in sorted(good.glob("*.tif"))]
    sky = cv2.GaussianBlur(painted_sphere(5), (0, 0), 6.0)
    for k in range(len(frames) - 3):
        light = 0.3 + 0.6 * cv2.resize(seen(sky, turn(40.0 * k, 20.0)), (480, 320))
        frames[k] = np.round(65535 * np.clip(light, 0.0, 1.0)).astype(np.uint16)
    series = [frames[-1][::-1, ::-1] // 2 + 200 * k for k in range(3)]
    (tmp_path / "both").mkdir()
    for number, frame in enumerate([*frames, *series]):
        tifffile.imwrite(tmp_path / "both" / f"p{number + 1:03d}.tif", frame, photometric="rgb")
    sets = check([tmp_path / "both"], candidate=small_grid).sets
    assert (sets[0].frames, sets[0].why[-1]) == (tuple(range(len(frames))), "they lie as planned")


def test_gaps_in_the_numbering_are_what_is_missing() -> None:
    assert _ways([4, 5, 7], 4) == [(0, 1, 3)]
    assert _ways([4, 5, 7], 5) == [(0, 1, 3), (1, 2, 4)]
    assert _ways([1, 2], 3) == [(0, 1), (0, 2), (1, 2)]
    # Of many that may be missing anywhere the ends alone are asked.
    assert len(_ways(list(range(10)), 30)) == 21
    assert all(np.ptp(np.diff(way)) == 0 for way in _ways(list(range(10)), 30))


def test_what_is_merged_or_joined_stands_in_the_plans_order(
    rehearsed, series: Candidate, small_grid: Candidate, tmp_path: Path
) -> None:
    good = tmp_path / "grid"
    rehearse_to(small_grid, Options(pixels=(480, 320), quality=Quality(0.5, 3)), Writing(good))
    for name, source, candidate in (("s", rehearsed(), series), ("g", good, small_grid)):
        count = candidate.frame_count
        order = list(range(count))[::-1]
        as_planned = [described(path) for path in sorted(bare(source, tmp_path / f"{name}1", order[::-1]).iterdir())]
        assert in_planned_order(as_planned, candidate, lambda: False) is None
        turned = [described(path) for path in sorted(bare(source, tmp_path / f"{name}2", order).iterdir())]
        found = in_planned_order(turned, candidate, lambda: False)
        assert found is not None
        assert [frame.path.name for frame in found] == [f"p{count - k:03d}.tif" for k in range(count)]
