"""Runs of focus over a wall through a lens that leans, blurred place by place by the thin lens: the lean is found."""

from __future__ import annotations

import json
import math
from functools import cache
from pathlib import Path

import cv2
import numpy as np
import pytest
from scipy import fft
from scipy.special import j1

from tests.conftest import a_lens, make_plan
from verispect.cli import main
from verispect.errors import FileError
from verispect.files.picture_out import Shot, write_picture
from verispect.files.plan_file import plan_to_text, read_plan
from verispect.prove.trials.tilt_test import tilt_test

# What is made once is made in one process.
pytestmark = pytest.mark.xdist_group("walls")
SIZE, SENSOR_MM, FOCAL_MM, STOP = (576, 384), (36.0, 24.0), 90.0, 4.0
WALL_MM = 4000.0
# Blurred at twice the pixels' number: a disc cut out of whole pixels draws bends a tenth too flat.
FINE, MARGIN = 2, 24
DISCS_PX = np.linspace(0.0, 9.0, 37)


@cache
def walls() -> np.ndarray:
    """Detail of every size, blurred by each of the discs (its transform is 2 J₁(x)/x), and gathered by the pixels."""
    rng = np.random.default_rng(5)
    rows, columns = ((side + 2 * MARGIN) * FINE for side in reversed(SIZE))
    drawn = sum(
        cv2.GaussianBlur(rng.uniform(-1, 1, (rows, columns)), (0, 0), s * FINE) * s for s in (0.5, 1.2, 3.0, 8.0)
    )
    # A few bright places on a dull wall: blur leaves its mean as it is and raises its median.
    drawn = np.exp(drawn / drawn.std())
    drawn = drawn / drawn.max() * 0.8 + 0.1
    spectrum = fft.rfft2(drawn)
    nu = np.hypot(fft.fftfreq(rows)[:, None], fft.rfftfreq(columns)[None])
    found = []
    for disc in DISCS_PX:
        x = np.pi * nu * disc * FINE
        transfer = np.where(x < 1e-9, 1.0, 2.0 * j1(x) / np.where(x < 1e-9, 1.0, x))
        blurred = fft.irfft2(spectrum * transfer, drawn.shape)
        small = blurred.reshape(rows // FINE, FINE, columns // FINE, FINE).mean(axis=(1, 3))
        found.append(small[MARGIN:-MARGIN, MARGIN:-MARGIN])
    return np.array(found)


def frame_of(sensor_at_mm: float, tilt_rad: float, swing_rad: float, *, bend_mm: float = 0.0) -> np.ndarray:
    """The wall on a sensor at w, each pixel blurred by how far its own image lies before or behind it.

    A bend puts the best focus that far off in the corner, with the square of the height on the way there.
    """
    pitch = SENSOR_MM[0] / SIZE[0]
    x = ((np.arange(SIZE[0]) + 0.5) * pitch - SENSOR_MM[0] / 2)[None]
    y = (SENSOR_MM[1] / 2 - (np.arange(SIZE[1]) + 0.5) * pitch)[:, None]
    # The ray through (x, y) meets the wall at depth a along the lens's axis; its image lies f/(a - f) as far.
    away = WALL_MM / sensor_at_mm
    axis = [math.sin(swing_rad), -math.sin(tilt_rad)]
    depth = x * away * axis[0] + y * away * axis[1] + WALL_MM * math.sqrt(1.0 - axis[0] ** 2 - axis[1] ** 2)
    image = WALL_MM * FOCAL_MM / (depth - FOCAL_MM) + bend_mm * (x * x + y * y) / (18.0**2 + 12.0**2)
    disc_px = np.abs(image - sensor_at_mm) / image * FOCAL_MM / STOP / pitch
    at = np.clip(disc_px / DISCS_PX[1], 0.0, len(DISCS_PX) - 1.001)
    below = at.astype(int)
    rows, columns = np.indices(below.shape)
    share = at - below
    return walls()[below, rows, columns] * (1.0 - share) + walls()[below + 1, rows, columns] * share


def run_of(
    folder: Path, tilt_deg: float, swing_deg: float = 0.0, *, count: int = 9, told: bool = True, half_mm: float = 1.5
) -> Path:
    """Frames whose scale moves in equal steps about the wall; the scale follows the lens's own axis."""
    folder.mkdir()
    tilt, swing = math.radians(tilt_deg), math.radians(swing_deg)
    level = math.sqrt(1.0 - math.sin(tilt) ** 2 - math.sin(swing) ** 2)
    middle = WALL_MM * FOCAL_MM / (WALL_MM * level - FOCAL_MM)
    rng = np.random.default_rng(1)
    for k, off in enumerate(np.linspace(half_mm, -half_mm, count)):
        drawn = frame_of(middle + off, tilt, swing) + rng.normal(0.0, 0.003, (SIZE[1], SIZE[0]))
        coded = np.clip(drawn, 0.0, 1.0) ** (1 / 2.2) * 65535
        axial = (middle + off) / level
        subject = (axial + axial * FOCAL_MM / (axial - FOCAL_MM)) / 1000.0 if told and axial > FOCAL_MM else None
        shot = Shot(focal_mm=FOCAL_MM, f_number=STOP, subject_m=subject)
        write_picture(folder / f"w-{k}.tif", np.repeat(coded.astype(np.uint16)[..., None], 3, axis=2), shot=shot)
    return folder


@pytest.mark.parametrize(("tilt", "swing"), [(4.0, 0.0), (-1.5, 0.0), (2.0, -3.0), (0.0, 0.0)])
def test_the_lean_is_that_of_the_lens(tmp_path: Path, tilt: float, swing: float) -> None:
    found = tilt_test([run_of(tmp_path / "w", tilt, swing)], focal_mm=FOCAL_MM, sensor_mm=SENSOR_MM)
    assert found.tilt_deg == pytest.approx(tilt, abs=max(found.plus_minus_deg, 0.05))
    assert found.swing_deg == pytest.approx(swing, abs=max(found.plus_minus_deg, 0.05))
    assert found.plus_minus_deg < 0.2
    assert abs(found.corner_um) < 60.0


def test_a_short_run_of_small_steps_tells_as_well(tmp_path: Path) -> None:
    """From one end of the wall being sharp to the other: no place falls far from its peak."""
    wide = 12.0 * WALL_MM * math.sin(math.radians(3.0)) / (WALL_MM - FOCAL_MM)
    folder = run_of(tmp_path / "w", -3.0, count=41, half_mm=wide)
    found = tilt_test([folder], focal_mm=FOCAL_MM, sensor_mm=SENSOR_MM)
    assert found.tilt_deg == pytest.approx(-3.0, abs=0.06)


def test_the_command_keeps_what_the_scale_is_off_by(tmp_path: Path, capsys) -> None:
    folder = run_of(tmp_path / "w", 3.0)
    plan, out = tmp_path / "a.verispect", tmp_path / "b.verispect"
    plan.write_text(plan_to_text(make_plan([(0.0, 1.5, 4.0)], lenses=[a_lens(90.0)])))
    name = read_plan(plan).kit.lenses[0].name
    given = ["tilt-test", str(folder), "--scale", "2.5", "--plan", str(plan), "--lens", name, "--out", str(out)]
    assert main([*given, "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["tilt_deg"] == pytest.approx(3.0, abs=told["plus_minus_deg"])
    lens = read_plan(out).kit.lenses[0]
    assert lens.tilt_zero_deg == pytest.approx(0.5, abs=told["plus_minus_deg"])
    assert lens.tilt_plus_minus_deg == pytest.approx(told["plus_minus_deg"], abs=0.01)
    assert set(lens.measured) >= {"tilt_zero_deg", "tilt_plus_minus_deg"}


def test_what_tells_nothing_is_said(tmp_path: Path) -> None:
    folder = run_of(tmp_path / "w", 2.0, count=5, told=False)
    common = {"focal_mm": FOCAL_MM, "sensor_mm": SENSOR_MM}
    with pytest.raises(FileError, match="--from and --to"):
        tilt_test([folder], **common)
    with pytest.raises(FileError, match="at least 5"):
        tilt_test(sorted(folder.iterdir())[:3], **common)
    with pytest.raises(FileError, match="no image of what is so near"):
        tilt_test([folder], **common, ends_m=(0.2, 5.0))
    with pytest.raises(FileError, match="focused alike"):
        tilt_test([folder], **common, ends_m=(5.0, 5.0))
