"""Two frames of a near card before a far wall, drawn through known cameras: pupil, turn and focal length."""

from __future__ import annotations

import json
import math
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.cli import main
from verispect.errors import FileError
from verispect.files.picture_out import Shot, write_picture
from verispect.files.plan_file import plan_to_text, read_plan
from verispect.prove.trials.pupil_test import pupil_test

SIZE, PIXEL_MM, FOCAL_MM = (1200, 800), 0.02, 35.0
NEAR_M, FAR_M = 1.2, 9.0


def texture(seed: int) -> np.ndarray:
    drawn = cv2.GaussianBlur(np.random.default_rng(seed).uniform(0, 1, (900, 1200)).astype(np.float32), (0, 0), 3.0)
    return (drawn - drawn.min()) / np.ptp(drawn) * 0.8 + 0.1


def seen(plane_m: float, left_m: float, wide_m: float, *, turned_rad: float, ahead_m: float) -> np.ndarray:
    """The homography from a texture on the plane z = plane_m about the axis to the frame's pixels, by projection."""
    share, corners = 900 / 1200, []
    texels = np.array([[0, 0], [1199, 0], [1199, 899], [0, 899]], np.float32)
    for column, row in texels:
        x, y = left_m + wide_m * column / 1199, 0.5 * wide_m * share - wide_m * share * row / 899
        across = x * math.cos(turned_rad) - plane_m * math.sin(turned_rad)
        along = x * math.sin(turned_rad) + plane_m * math.cos(turned_rad) - ahead_m
        scale = FOCAL_MM / PIXEL_MM / along
        corners.append((0.5 * (SIZE[0] - 1) + scale * across, 0.5 * (SIZE[1] - 1) - scale * y))
    return cv2.getPerspectiveTransform(texels, np.array(corners, np.float32))


def two_frames(folder: Path, *, ahead_mm: float, turned_deg: float) -> list[Path]:
    folder.mkdir()
    paths = []
    for number, angle in enumerate((0.0, math.radians(turned_deg))):
        picture = np.zeros((SIZE[1], SIZE[0]), np.float32)
        for plane, left, wide, seed in ((FAR_M, -6.0, 12.0, 1), (NEAR_M, 0.05, 0.2, 2)):
            matrix = seen(plane, left, wide, turned_rad=angle, ahead_m=ahead_mm / 1000.0)
            drawn = cv2.warpPerspective(texture(seed), matrix, SIZE, flags=cv2.INTER_AREA)
            there = cv2.warpPerspective(np.ones((900, 1200), np.float32), matrix, SIZE)
            picture = np.where(there > 0.5, drawn, picture)
        pixels = np.repeat((picture * 65535).astype(np.uint16)[..., None], 3, axis=2)
        paths.append(folder / f"p-{number}.tif")
        write_picture(paths[-1], pixels, shot=Shot(focal_mm=FOCAL_MM))
    return paths


# The card stands from 5 to 25 cm to the right of the axis: its middle and a place of the wall, in the first frame.
NEAR = (400.0, 0.5 * (SIZE[0] - 1) + FOCAL_MM / PIXEL_MM * 0.15 / NEAR_M, 160.0)
FAR = (150.0, 760.0, 120.0)
TO_THINGS = {"near_m": math.hypot(NEAR_M, 0.15), "far_m": math.hypot(FAR_M, 0.825)}


@pytest.mark.parametrize(("ahead", "turned"), [(40.0, 10.0), (-15.0, -8.0), (0.0, 12.0)])
def test_the_pupil_is_found_where_it_was_put(tmp_path: Path, ahead: float, turned: float) -> None:
    frames = two_frames(tmp_path / "f", ahead_mm=ahead, turned_deg=turned)
    # The middle of the card is drawn nearer to the pupil than to the axis.
    column = 0.5 * (SIZE[0] - 1) + FOCAL_MM / PIXEL_MM * 0.15 / (NEAR_M - ahead / 1000.0)
    found = pupil_test(
        frames, near=(NEAR[0], column, NEAR[2]), far=FAR, **TO_THINGS, sensor_long_mm=SIZE[0] * PIXEL_MM
    )
    assert found.ahead_mm == pytest.approx(ahead, abs=max(found.plus_minus_mm, 0.5))
    assert found.plus_minus_mm < 3.0
    assert found.turned_deg == pytest.approx(turned, abs=0.02)
    assert found.field_deg == pytest.approx(
        2 * math.degrees(math.atan(0.5 * SIZE[0] * PIXEL_MM / FOCAL_MM)), rel=1e-6
    )
    given = pupil_test(frames, near=(NEAR[0], column, NEAR[2]), far=FAR, **TO_THINGS,
                       sensor_long_mm=SIZE[0] * PIXEL_MM, focal_mm=36.5, turned_deg=turned)  # fmt: skip
    assert given.focal_mm == pytest.approx(FOCAL_MM, abs=max(given.focal_plus_minus_mm, 0.1))
    assert given.focal_plus_minus_mm < 0.6
    assert given.ahead_mm == pytest.approx(ahead, abs=max(given.plus_minus_mm, 0.6))


def test_the_command_keeps_it_in_the_lens(tmp_path: Path, capsys) -> None:
    frames = two_frames(tmp_path / "f", ahead_mm=40.0, turned_deg=10.0)
    plan = tmp_path / "a.verispect"
    made = make_plan([(0.0, 1.5, 4.0)], lenses=[a_lens(35.0)])
    body = made.kit.body.model_copy(update={"sensor_mm": (24.0, 16.0)})
    plan.write_text(plan_to_text(made.model_copy(update={"kit": made.kit.model_copy(update={"body": body})})))
    out = tmp_path / "b.verispect"
    given = [
        "pupil-test", *map(str, frames), "--near-at", "400,822,150", "--far-at", "150,760,120", "--near", "1.209",
        "--far", "9.04", "--slide", "60", "--axis-behind-front", "110", "--plan", str(plan), "--lens",
        read_plan(plan).kit.lenses[0].name, "--out", str(out), "--json",
    ]  # fmt: skip
    assert main(given) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["slide_mm"] == pytest.approx(20.0, abs=told["plus_minus_mm"])
    assert told["plus_minus_mm"] < 4.0
    assert read_plan(out).kit.lenses[0].pupil_behind_front_mm == pytest.approx(70.0, abs=told["plus_minus_mm"])
    assert "pupil_behind_front_mm" in read_plan(out).kit.lenses[0].measured
    without = [part for part in given if part not in ("--axis-behind-front", "110", "--json")]
    without[without.index(str(out))] = str(tmp_path / "c.verispect")
    assert main(without) == 2
    assert "--axis-behind-front" in capsys.readouterr().err


def test_what_tells_nothing_is_said(tmp_path: Path) -> None:
    frames = two_frames(tmp_path / "f", ahead_mm=40.0, turned_deg=10.0)
    common = {"near": NEAR, "far": FAR, "sensor_long_mm": SIZE[0] * PIXEL_MM}
    with pytest.raises(FileError, match="much nearer"):
        pupil_test(frames, **common, near_m=5.0, far_m=5.5)
    with pytest.raises(FileError, match="two are needed"):
        pupil_test(frames[:1], **common, **TO_THINGS)
    with pytest.raises(FileError, match="reaches out"):
        pupil_test(frames, **(common | {"near": (5.0, 5.0, 100.0)}), **TO_THINGS)
    with pytest.raises(FileError, match="near thing is not found"):
        pupil_test([frames[0], two_frames(tmp_path / "g", ahead_mm=0.0, turned_deg=60.0)[1]], **common, **TO_THINGS)
