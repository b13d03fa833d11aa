"""Frames lit by a flash that was full or not: the wait it needs is found between what was enough and what was not."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import make_plan
from verispect.cli import main
from verispect.errors import FileError
from verispect.files.picture_out import Shot, write_picture
from verispect.files.plan_file import plan_to_text, read_plan
from verispect.prove.trials.recycle_test import recycle_test

NOON = datetime(2027, 1, 1, 12)


def flashes(folder: Path, waits: Sequence[float], *, full_s: float, ambient: float = 0.02) -> Path:
    """A flash that charges evenly and is full after `full_s`; below half its charge it does not go off at all."""
    folder.mkdir()
    at, charge, light = 0.0, 1.0, 0.4
    for k, wait in enumerate((0.0, *waits)):
        at += wait
        charge = min(1.0, charge + wait / full_s)
        fires = charge >= 0.5
        level = ambient + (light * charge if fires else 0.0)
        charge = 0.0 if fires else charge
        picture = np.full((60, 90, 3), level) * np.linspace(0.6, 1.4, 90)[:, None]
        coded = np.where(picture <= 0.0031308, 12.92 * picture, 1.055 * picture ** (1 / 2.4) - 0.055)
        shot = Shot(taken=NOON + timedelta(seconds=at))
        write_picture(folder / f"f-{k:02d}.tif", (np.minimum(coded, 1.0) * 65535).astype(np.uint16), shot=shot)
    return folder


@pytest.mark.parametrize("full_s", [1.9, 3.3])
def test_the_wait_lies_between_too_short_and_enough(tmp_path: Path, full_s: float) -> None:
    waits = [0.7 * k for k in range(1, 8)]
    found = recycle_test([flashes(tmp_path / "f", waits, full_s=full_s)], within_stops=0.1)
    # Within a tenth of a stop of full is reached a little before full.
    needed = full_s * (1.0 - (1.0 - 2.0**-0.1) * (0.42 / 0.4))
    assert found.recycle_s >= needed - 1e-6
    assert found.recycle_s - found.plus_minus_s <= needed
    assert found.plus_minus_s <= 1.45
    assert not found.always_full


def test_a_flash_that_did_not_go_off_goes_on_charging(tmp_path: Path) -> None:
    """Five a second and 1.1 s to charge: dark frames between, and each that is lit is half full or more."""
    found = recycle_test([flashes(tmp_path / "f", [0.2] * 20 + [1.2, 1.2], full_s=1.1, ambient=0.0)])
    assert found.recycle_s == pytest.approx(1.2, abs=0.01)
    assert math.isclose(found.recycle_s - found.plus_minus_s, 0.6, abs_tol=0.01)


def test_what_is_always_full_is_at_the_most_the_shortest_wait(tmp_path: Path) -> None:
    found = recycle_test([flashes(tmp_path / "f", [2.0, 1.5, 1.0, 1.5], full_s=0.6)])
    assert found.always_full
    assert found.recycle_s == pytest.approx(1.0, abs=0.01)


def test_the_command_keeps_it_in_a_plan(tmp_path: Path, capsys) -> None:
    folder = flashes(tmp_path / "f", [0.5, 1.0, 1.5, 2.0, 2.5, 3.0], full_s=2.2)
    plan, out = tmp_path / "a.verispect", tmp_path / "b.verispect"
    plan.write_text(plan_to_text(make_plan([(0.0, 1.5, 4.0)])))
    assert main(["recycle-test", str(folder), "--plan", str(plan), "--out", str(out), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["format"] == "verispect-recycle-test"
    assert [frame["full"] for frame in told["frames"]] == [True, False, False, False, False, True, True]
    assert read_plan(out).kit.times.flash_recycle_s == pytest.approx(2.5, abs=0.01)


def test_what_cannot_be_measured_is_told(tmp_path: Path) -> None:
    with pytest.raises(FileError, match="wait longer"):
        recycle_test([flashes(tmp_path / "f", [0.5] * 5, full_s=5.0)])
    with pytest.raises(FileError, match="at least 4"):
        recycle_test([flashes(tmp_path / "g", [2.0], full_s=1.0)])
    with pytest.raises(FileError, match="clipped"):
        recycle_test([flashes(tmp_path / "h", [1.0] * 4, full_s=1.0, ambient=0.9)])
