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
from verispect.prove.join.pointing import Pair, growth_agreed, growths
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


def test_paving_laid_over_itself_a_few_slabs_on_accuses_nobody() -> None:
    """Pairs as they were measured in a good grid of nine: five of them laid the same slabs over others."""
    told = [(3, 4, -4e-5), (4, 5, 1e-5), (3, 6, 0.10073), (3, 7, 0.31688), (4, 6, 0.34099), (4, 7, 3e-5),
            (4, 8, 0.31748), (5, 7, 0.25599), (5, 8, 8e-5), (6, 7, -2e-5), (7, 8, -1e-5)]  # fmt: skip
    pairs = [Pair(a, b, 0.3, 0.74 if abs(g) > 0.01 else 0.99, np.zeros(3), 0.5, g) for a, b, g in told]
    grown = growths(pairs, 9)
    blamed = [k for k in range(3, 9) if abs(grown[k]) > 0.002 and growth_agreed(pairs, grown, k)]
    assert blamed == []
    # A frame that all its neighbours have grown alike is told all the same.
    pairs = [Pair(a, b, 0.3, 0.9, np.zeros(3), 0.2, 0.02 * ((b == 4) - (a == 4)))
             for a, b in ((1, 4), (3, 4), (4, 5), (4, 7), (1, 3), (5, 7))]  # fmt: skip
    grown = growths(pairs, 9)
    assert 0.015 < grown[4] < 0.021
    assert growth_agreed(pairs, grown, 4)
