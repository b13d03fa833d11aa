"""The simulated camera at its cable: one picture a trigger, in the manner of a camera."""

from __future__ import annotations

import json
import time
from pathlib import Path

import numpy as np
import pytest
import tifffile

from verispect.plan.frames.shots import Shot
from verispect.plan.methods.candidate import Candidate
from verispect.rehearse.camera import Options
from verispect.rig.camera_manner import Manner
from verispect.rig.device_program import device_program
from verispect.rig.tethered_camera import watch


def taken(candidate: Candidate, folder: Path, at: list[float], **figures: float) -> list[Path]:
    """Pictures of the first exposures, triggered at moments of one clock."""
    folder.mkdir()
    triggers = folder / "triggers"
    triggers.write_text("".join(json.dumps({"off": {}, "at": moment}) + "\n" for moment in at))
    watch(
        candidate, Options(pixels=(90, 60), noise=False), triggers, folder,
        order=[(Shot(k),) for k in range(len(at))], is_over=lambda: False, manner=Manner(**figures), rush=1000.0,
    )  # fmt: skip
    return sorted(folder.glob("tethered-*.tif"))


def test_a_picture_a_trigger_until_the_card_is_full(rail: Candidate, tmp_path: Path) -> None:
    now = time.monotonic()
    assert len(taken(rail, tmp_path / "free", [now] * 3)) == 3
    assert len(taken(rail, tmp_path / "full", [now] * 3, card=2.0)) == 2


def test_a_flash_that_is_not_full_leaves_the_frame_darker(rail: Candidate, tmp_path: Path) -> None:
    """Triggered a tenth of the recycling time apart, the second has an eighth and a tenth of seven eighths left."""
    now = time.monotonic()
    first, second = taken(rail, tmp_path / "flash", [now, now + 0.0004], recycle=4.0)
    light = [_linear(tifffile.imread(path)).mean() for path in (first, second)]
    expected = 1 / 8 + 7 / 8 * (0.0004 * 1000.0 + 0.0) / 4.0
    assert light[1] / light[0] == pytest.approx(expected, rel=0.35)
    assert light[1] < 0.4 * light[0]


def test_what_takes_long_to_write_comes_late(rail: Candidate, tmp_path: Path) -> None:
    now = time.monotonic()
    begun = time.monotonic()
    assert len(taken(rail, tmp_path / "slow", [now], write=1500.0)) == 1
    assert time.monotonic() - begun >= 1.5


def _linear(coded: np.ndarray) -> np.ndarray:
    part = coded / 65535.0
    return np.where(part <= 0.04045, part / 12.92, ((part + 0.055) / 1.055) ** 2.4)


def test_one_press_takes_a_whole_bracket_each_focused_as_planned(grid_series: Candidate, tmp_path: Path) -> None:
    """Two presses; every further frame without another press, after the one before, and its own focus in its name."""
    triggers = tmp_path / "triggers"
    triggers.write_text("".join(json.dumps({"off": {}, "at": time.monotonic()}) + "\n" for _ in range(2)))
    stops = device_program(grid_series).stops[:2]
    watch(
        grid_series, Options(pixels=(90, 60), noise=False), triggers, tmp_path,
        order=[stop.shots for stop in stops], is_over=lambda: False, manner=Manner(timer=2.0), rush=1000.0,
    )  # fmt: skip
    found = sorted(tmp_path.glob("tethered-*.tif"))
    assert len(found) == 2 * grid_series.bracket.count
    # Each press is another cell, each frame in it another focus.
    light = [tifffile.imread(path).astype(float) for path in found]
    alike = np.corrcoef([picture.ravel() for picture in light])
    each = grid_series.bracket.count
    assert alike[0, 1:each].min() > alike[0, each:].max()
    assert alike[0, 1:each].max() < 1.0 - 1e-6
