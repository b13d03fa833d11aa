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
from verispect.prove.verdict import missing_frames
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


def test_what_walks_between_shots_is_no_fault_and_every_shot_is_known(grid: Candidate, good: Path) -> None:
    report = check([good], candidate=grid)
    assert faults_of(report) == {}
    expected = [(shot.exposure, shot.number) for shot in grid.shots]
    assert [(frame.planned_exposure, frame.shot) for frame in report.frames] == expected
    assert len(report.sets) == 1


def test_what_is_wrong_with_single_shots_is_told_of_these_alone(grid: Candidate, folder: Path) -> None:
    changed(folder / "frame-002.tif", lambda pixels: (pixels * 0.8).astype(np.uint16))
    changed(folder / "frame-004.tif", lambda pixels: np.zeros_like(pixels))
    move = np.array([[1.0, 0.0, 3.0], [0.0, 1.0, 0.0]])
    changed(
        folder / "frame-008.tif", lambda pixels: cv2.warpAffine(pixels, move, SIZE, borderMode=cv2.BORDER_REFLECT)
    )
    report = check([folder], candidate=grid, run=read_run(folder / "run.json"))
    # Of the black first shot the second stands for its frame.
    assert faults_of(report) == {(0, 1): {"exposure"}, (1, 0): {"dark"}, (2, 1): {"knock"}}
    moved = report.frames[7]
    # A camera that turns draws the edges otherwise than pixels that are pushed aside.
    assert moved.shift_px[1] == pytest.approx(3.0, abs=0.2)
    assert "two shots of one frame" in moved.faults[0].says


def test_a_shot_that_is_not_there_is_told_and_only_that(grid: Candidate) -> None:
    there = [shot for shot in grid.shots if (shot.exposure, shot.number) != (3, 2) and shot.exposure != 5]
    lost = missing_frames(grid, there)
    assert [(one.planned_exposure, one.shot) for one in lost] == [(3, 2), (5, 0)]
    says = [one.faults[0].says for one in lost]
    assert says == ["shot 3 of frame 4 is not there", f"frame 6 of {grid.frame_count} is not there"]
    once = [shot for shot in grid.shots if shot.number == 0]
    assert missing_frames(grid, once) == [], "each was taken once after all"
