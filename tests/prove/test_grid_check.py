"""Frames of a grid against one another: two faults at once in frames of a yard with walls and paving."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.conftest import a_lens
from verispect.files.plan_file import read_plan
from verispect.kit.lens import Lens
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.check import check
from verispect.rehearse.camera import Options
from verispect.rehearse.faults import parse_fault
from verispect.rehearse.pupil_views import Quality
from verispect.rig.rehearsed_run import Writing, rehearse_to

DEMO = Path(__file__).parents[2] / "src" / "verispect" / "ui" / "demo" / "demo.verispect"
OPTIONS = Options(pixels=(720, 480), quality=Quality(0.3, 2))


@pytest.mark.xdist_group("yard")
def test_shake_and_missed_focus_are_told_from_a_knock_in_a_grid(tmp_path: Path) -> None:
    plan = read_plan(DEMO)
    lens = a_lens(35.0, f_numbers=[8, 8], tilt_deg=0)
    plan = plan.model_copy(update={"kit": plan.kit.model_copy(update={"lenses": (Lens.model_validate(lens),)})})
    grid = worked("turned-grid", build_scene(plan))
    faults = [parse_fault(text, frames=grid.frame_count) for text in ("wind@2:6", "autofocus-miss@1:6")]
    run = rehearse_to(grid, OPTIONS, Writing(tmp_path), faults=faults)
    report = check([tmp_path], candidate=grid)
    found = {
        frame.planned_exposure: [fault.name for fault in frame.faults] for frame in report.frames if frame.faults
    }
    assert found == {1: ["missed-focus"], 2: ["motion"]}
    apart = abs(report.frames[2].motion_direction - run.frames[2].happened["wind_direction_deg"]) % 180
    assert min(apart, 180 - apart) < 12.0
    assert report.frames[1].faults[0].size == pytest.approx(6.0, abs=0.6)
    good = [frame for frame in report.frames if not frame.faults]
    assert max(float(np.hypot(*frame.shift_px)) for frame in good) < 0.35
