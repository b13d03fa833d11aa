"""Bursts of a wall that swings and comes to rest, drawn with known rates: the time until it is still is found."""

from __future__ import annotations

import json
import math
from datetime import datetime, timedelta
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.conftest import make_plan
from verispect.cli import main
from verispect.errors import FileError
from verispect.files.picture_out import Shot, write_picture
from verispect.files.plan_file import plan_to_text, read_plan
from verispect.prove.trials.settle_test import settle_test

SIZE = (270, 180)
NOON = datetime(2027, 1, 1, 12)


def burst(folder: Path, *, swing_px=6.0, decay_s=0.5, hertz=3.0, fps=12.0, count=24, seed=0) -> Path:
    """Frames moved by a swing that dies away, mostly up and down, with noise; times on their sub-seconds."""
    folder.mkdir()
    rng = np.random.default_rng(seed)
    wall = cv2.GaussianBlur(rng.uniform(0.0, 1.0, (SIZE[1] + 80, SIZE[0] + 80)).astype(np.float32), (0, 0), 2.0)
    wall = (wall - wall.min()) / (wall.max() - wall.min()) * 0.8 + 0.1
    for k in range(count):
        at = k / fps
        off = swing_px * math.exp(-at / decay_s) * math.cos(2.0 * math.pi * hertz * at + 0.4)
        shift = np.array([[1, 0, -40 + 0.3 * off], [0, 1, -40 + off]])
        seen = cv2.warpAffine(wall, shift, SIZE, flags=cv2.INTER_CUBIC)
        seen = np.clip(seen + rng.normal(0.0, 0.004, seen.shape), 0.0, 1.0)
        pixels = np.repeat(np.round(seen * 65535.0).astype(np.uint16)[..., None], 3, axis=2)
        write_picture(folder / f"b-{k:02d}.tif", pixels, shot=Shot(taken=NOON + timedelta(seconds=at)))
    return folder


DRAWN = [
    {"hertz": 3.0, "decay_s": 0.5},
    {"hertz": 1.2, "decay_s": 1.1, "swing_px": 3.0},
    {"hertz": 5.3, "decay_s": 0.25},
]


@pytest.mark.parametrize("drawn", DRAWN)
def test_the_time_until_it_is_still_is_that_of_the_swing(tmp_path: Path, drawn) -> None:
    """By hand: e^(−t/τ) of the first swing, along both axes, falls to what counts as still."""
    values = {"swing_px": 6.0, "decay_s": 0.5} | drawn
    found = settle_test([burst(tmp_path / "b", **values)], within_px=0.5, frames_per_s=12.0)
    size = values["swing_px"] * math.hypot(1.0, 0.3)
    wanted = values["decay_s"] * math.log(size / 0.5)
    assert found.settle_s == pytest.approx(wanted, abs=max(found.plus_minus_s, 0.08 * wanted))
    assert found.plus_minus_s < 0.3 * wanted
    assert found.decay_s == pytest.approx(values["decay_s"], rel=0.12)
    assert found.swing_hz == pytest.approx(values["hertz"], rel=0.05)


def test_a_camera_that_turns_swings_as_far_as_its_lens_draws_a_turn(tmp_path: Path) -> None:
    """A turn of 24 mm on 36 mm drawn by its homography: the middle moves f tan θ, the edges half as far again."""
    folder, focal_px, rng = tmp_path / "b", SIZE[0] * 24.0 / 36.0, np.random.default_rng(4)
    folder.mkdir()
    wall = cv2.GaussianBlur(rng.uniform(0.0, 1.0, (SIZE[1] + 80, SIZE[0] + 80)).astype(np.float32), (0, 0), 2.0)
    wall = (wall - wall.min()) / np.ptp(wall) * 0.8 + 0.1
    seen_by = np.array([[focal_px, 0.0, (SIZE[0] - 1) / 2], [0.0, focal_px, (SIZE[1] - 1) / 2], [0.0, 0.0, 1.0]])
    for k in range(24):
        at = k / 12.0
        turn = 8.0 / focal_px * math.exp(-at / 0.5) * math.cos(6.0 * math.pi * at)
        level = np.array([[math.cos(turn), 0, math.sin(turn)], [0, 1, 0], [-math.sin(turn), 0, math.cos(turn)]])
        into = seen_by @ level @ np.linalg.inv(seen_by) @ np.array([[1.0, 0, -40], [0, 1, -40], [0, 0, 1]])
        seen = np.clip(cv2.warpPerspective(wall, into, SIZE, flags=cv2.INTER_CUBIC), 0.0, 1.0)
        pixels = np.repeat(np.round(seen * 65535.0).astype(np.uint16)[..., None], 3, axis=2)
        write_picture(folder / f"b-{k:02d}.tif", pixels, shot=Shot(taken=NOON + timedelta(seconds=at)))
    common = {"within_px": 0.5, "frames_per_s": 12.0}
    known = settle_test([folder], **common, focal_mm=24.0, sensor_long_mm=36.0)
    assert known.first_px == pytest.approx(8.0, rel=0.02)
    assert known.settle_s == pytest.approx(0.5 * math.log(16.0), abs=known.plus_minus_s)
    # Not told which lens it was, it is less sure, and the truth is within it.
    unknown = settle_test([folder], **common)
    assert unknown.plus_minus_s > known.plus_minus_s
    assert unknown.settle_s == pytest.approx(0.5 * math.log(16.0), abs=unknown.plus_minus_s)


def test_nothing_that_swings_is_said_to_be_still_at_once(tmp_path: Path) -> None:
    found = settle_test([burst(tmp_path / "b", swing_px=0.0, count=10)], frames_per_s=12.0)
    assert found.settle_s == 0.0
    assert math.isinf(found.decay_s)


def test_the_command_keeps_it_in_a_plan(tmp_path: Path, capsys) -> None:
    folder = burst(tmp_path / "b", count=12)
    plan = tmp_path / "a.verispect"
    plan.write_text(plan_to_text(make_plan([(0.0, 1.5, 4.0)])), encoding="utf-8")
    out = tmp_path / "b.verispect"
    given = ["settle-test", str(folder), "--fps", "12", "--plan", str(plan), "--out", str(out), "--json"]
    assert main(given) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["format"] == "verispect-settle-test"
    assert len(told["frames"]) == 12
    assert read_plan(out).kit.times.settle_s == pytest.approx(told["settle_s"] + told["plus_minus_s"], abs=0.006)
    assert main(given) == 2
    assert "--force" in capsys.readouterr().err


def test_what_cannot_be_measured_is_told(tmp_path: Path) -> None:
    folder = burst(tmp_path / "b", count=9)
    with pytest.raises(FileError, match="at least 8"):
        settle_test(sorted(folder.iterdir())[:5], frames_per_s=12.0)
    with pytest.raises(FileError, match="fewer than"):
        settle_test([folder], frames_per_s=12.0, touch_s=5.0)
