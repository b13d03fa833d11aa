"""Shots of each frame of a rehearsed grid: good ones pass, planted faults of further shots are found."""

from __future__ import annotations

import shutil
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.prove.conftest import SIZE
from verispect.files.picture_out import Shot, write_picture
from verispect.files.run_file import read_run
from verispect.plan.document import ShotsEach
from verispect.plan.methods.candidate import Candidate
from verispect.prove.check import check
from verispect.prove.intake import described, read_coded
from verispect.prove.report import Report
from verispect.rehearse.camera import Options
from verispect.rehearse.faults import parse_fault
from verispect.rehearse.pupil_views import QUICK
from verispect.rig.rehearsed_run import Writing, rehearse_to

pytestmark = pytest.mark.xdist_group("frames")


@pytest.fixture(scope="module")
def grid(small_grid: Candidate) -> Candidate:
    plan = small_grid.scene.plan
    changed = plan.model_copy(update={"choice": plan.choice.model_copy(update={"shots": ShotsEach(each=3)})})
    return replace(small_grid, scene=replace(small_grid.scene, plan=changed))


@pytest.fixture(scope="module")
def good(grid: Candidate, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("shots") / "set"
    fault = parse_fault("moved@1:25", frames=grid.frame_count)
    run = rehearse_to(grid, Options(pixels=SIZE, quality=QUICK), Writing(folder), faults=[fault])
    assert [(frame.exposure, frame.shot) for frame in run.frames[:3]] == [(0, 0), (0, 1), (0, 2)]
    return folder


@pytest.fixture
def folder(good: Path, tmp_path: Path) -> Path:
    return Path(shutil.copytree(good, tmp_path / "set"))


def faults_of(report: Report) -> dict[tuple[int | None, int], set[str]]:
    return {
        (frame.planned_exposure, frame.shot): {fault.name for fault in frame.faults}
        for frame in report.frames
        if frame.faults
    }


def changed(path: Path, how) -> None:
    pixels = read_coded(described(path))
    write_picture(path, how(pixels), shot=Shot(), force=True)


@pytest.mark.parametrize("told", [True, False])
def test_what_walks_between_shots_is_no_fault_and_every_shot_is_known(
    grid: Candidate, good: Path, told: bool
) -> None:
    report = check([good], candidate=grid, run=read_run(good / "run.json") if told else None)
    assert faults_of(report) == {}
    expected = [(shot.exposure, shot.number) for shot in grid.shots]
    assert [(frame.planned_exposure, frame.shot) for frame in report.frames] == expected
    assert len(report.sets) == 1


def test_a_camera_that_moved_between_two_shots_is_found(grid: Candidate, folder: Path) -> None:
    move = np.array([[1.0, 0.0, 3.0], [0.0, 1.0, 0.0]])
    path = folder / "frame-008.tif"
    changed(path, lambda pixels: cv2.warpAffine(pixels, move, SIZE, borderMode=cv2.BORDER_REFLECT))
    report = check([folder], candidate=grid)
    assert faults_of(report) == {(2, 1): {"knock"}}
    moved = report.frames[7]
    # A camera that turns draws the edges otherwise than pixels that are pushed aside.
    assert moved.shift_px[1] == pytest.approx(3.0, abs=0.2)
    assert "two shots of one frame" in moved.faults[0].says


def test_a_shot_that_is_darker_or_not_there_is_told_as_that(grid: Candidate, folder: Path) -> None:
    changed(folder / "frame-002.tif", lambda pixels: (pixels * 0.8).astype(np.uint16))
    (folder / "frame-008.tif").unlink()
    report = check([folder], candidate=grid, run=read_run(folder / "run.json"))
    found = faults_of(report)
    assert found == {(0, 1): {"exposure"}, (2, 1): {"missing"}}
    assert any("shot 2 of frame 3 is not there" in line for line in report.redo)


def test_of_a_black_first_shot_the_second_stands_for_the_frame(grid: Candidate, folder: Path) -> None:
    changed(folder / "frame-004.tif", lambda pixels: np.zeros_like(pixels))
    report = check([folder], candidate=grid, run=read_run(folder / "run.json"))
    assert faults_of(report) == {(1, 0): {"dark"}}
