"""Issue targets as ratios to one uint16 `cv2.pyrDown` of the same frame: checks ≤ 30, a rehearsed frame ≤ 160.

The ratio stands in each benchmark's `extra_info`, for a frame.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest
from tests.conftest import a_lens, make_plan

from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.check import check
from verispect.prove.join.grid import join
from verispect.prove.merge.series import merge
from verispect.rehearse.camera import Options
from verispect.rehearse.pupil_views import QUICK
from verispect.rig.rehearsed_run import Writing, rehearse_to

SIZE = (2160, 1440)


def pyramid_step_s() -> float:
    """What everything is measured by, here and now."""
    frame = np.random.default_rng(0).integers(0, 65535, (SIZE[1], SIZE[0], 3), dtype=np.uint16)
    took = []
    for _ in range(9):
        begun = time.perf_counter()
        cv2.pyrDown(frame)
        took.append(time.perf_counter() - begun)
    return float(np.median(took))


@pytest.fixture(scope="session")
def series() -> Candidate:
    lens = a_lens(85.0, f_numbers=[4, 4], tilt_deg=0, closest_m=0.5)
    places = [(-0.3, 1.25, 1.6), (0.25, 1.7, 2.2), (0.1, 1.3, 3.0), (-0.4, 1.9, 4.5), (0.8, 1.4, 7.0)]
    return worked("series", build_scene(make_plan(places, framing=85.0, lenses=[lens], line_pairs_per_mm=0.6)))


@pytest.fixture(scope="session")
def grid() -> Candidate:
    lens = a_lens(85.0, f_numbers=[8, 8], tilt_deg=0)
    places = [(-2.6, 1.5, 7.0), (0.0, 2.0, 7.4), (2.6, 1.2, 7.0)]
    return worked("turned-grid", build_scene(make_plan(places, framing=50.0, lenses=[lens])))


def rehearsed(candidate: Candidate, folder: Path) -> list[Path]:
    rehearse_to(candidate, Options(pixels=SIZE, quality=QUICK), Writing(folder))
    return sorted(folder.glob("*.tif"))


@pytest.fixture(scope="session")
def frames(tmp_path_factory, series: Candidate) -> list[Path]:
    return rehearsed(series, tmp_path_factory.mktemp("series") / "set")


def measured(benchmark, work: Callable[[], object], count: int) -> None:
    """Once over, with what it comes to for a frame."""
    step = pyramid_step_s()
    benchmark.pedantic(work, rounds=2, warmup_rounds=0)
    benchmark.extra_info["pyramid_steps_per_frame"] = round(benchmark.stats.stats.min / step / count, 1)


def test_a_rehearsed_frame(benchmark, tmp_path: Path, series: Candidate) -> None:
    folders = iter(range(9))

    def work() -> None:
        rehearse_to(series, Options(pixels=SIZE, quality=QUICK), Writing(tmp_path / f"{next(folders)}"))

    measured(benchmark, work, series.frame_count)


def test_a_check(benchmark, frames: list[Path], series: Candidate) -> None:
    measured(benchmark, lambda: check(frames, candidate=series), len(frames))


@pytest.mark.parametrize("proof", [True, False], ids=["proof", "final"])
def test_a_merge(benchmark, frames: list[Path], series: Candidate, proof: bool) -> None:
    measured(benchmark, lambda: merge(frames, exposures=series.exposures, proof=proof), len(frames))


def test_a_join(benchmark, tmp_path: Path, grid: Candidate) -> None:
    shots = rehearsed(grid, tmp_path / "grid")
    measured(benchmark, lambda: join(shots, exposures=grid.exposures, sensor_mm=(36.0, 24.0)), len(shots))
