"""How soft any place of a series came out in each frame, against the blur that the simulated camera gave it."""

from __future__ import annotations

import json

import cv2
import numpy as np
import pytest

from tests.prove.conftest import SIZE, Rehearse
from tests.prove.trials.test_compare import compared
from tests.prove.trials.test_lens_test import srgb16
from verispect.files.picture_out import Shot, write_picture
from verispect.files.plan_file import plan_to_text
from verispect.prove.trials.compare import compare, followed


def allowed_px(series) -> float:
    return series.exposures[0].allowed_blur_mm / (36.0 / SIZE[0])


def marks_seen(folder) -> tuple[list[tuple[int, int, int]], list[list[float]]]:
    """Where the first frame shows the run's marks, and the long blur of each in every frame, pixels."""
    frames = json.loads((folder / "run.json").read_text())["frames"]
    inside = [
        k for k, mark in enumerate(frames[0]["marks"])
        if 48 <= mark["pixel"][0] < SIZE[1] - 48 and 48 <= mark["pixel"][1] < SIZE[0] - 48
    ]  # fmt: skip
    patches = [(*map(round, frames[0]["marks"][k]["pixel"]), 96) for k in inside]
    return patches, [[frame["marks"][k]["blur_px"][0] for frame in frames] for k in inside]


def test_textures_tell_their_softness_in_every_frame_of_the_plans_series(rehearsed: Rehearse, series) -> None:
    folder = rehearsed()
    patches, blurs = marks_seen(folder)
    found = compare(sorted(folder.glob("*.tif")), patches, criterion=series.criterion, candidate=series)
    off = []
    for patch, of in zip(found, blurs, strict=True):
        # A mark may stand at another thing's edge; what is told says how surely.
        for look, blur in zip(patch.frames, of, strict=True):
            if look.plus_minus is not None:
                off.append(abs(look.softness - blur / allowed_px(series)) / look.plus_minus)
    assert len(off) >= 3 * len(series.exposures)
    assert np.median(off) < 0.7
    assert np.mean(np.array(off) <= 1.0) >= 0.85


def test_a_frame_of_missed_focus_is_told_as_it_came_out(rehearsed: Rehearse, series) -> None:
    folder = rehearsed("autofocus-miss@4:3")
    patches, blurs = marks_seen(folder)
    found = compare(sorted(folder.glob("*.tif")), patches, criterion=series.criterion, candidate=series)
    told = [
        (patch.frames[4], of[4] / allowed_px(series))
        for patch, of in zip(found, blurs, strict=True)
        if patch.frames[4].plus_minus is not None
    ]
    assert told
    assert all(abs(look.softness - blur) <= look.plus_minus + 0.2 * max(1.0, blur) for look, blur in told)


def test_frames_that_are_not_the_plans_tell_edges_alone(tmp_path, capsys, series, rehearsed: Rehearse) -> None:
    folder = rehearsed()
    plan = tmp_path / "p.verispect"
    plan.write_text(plan_to_text(series.scene.plan))
    some = sorted(folder.glob("*.tif"))[:2]
    for number, path in enumerate(some):
        # Without what the camera wrote two of eight frames may be any.
        pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
        cv2.imwrite(str(tmp_path / f"{number}.tif"), pixels)
    told = compared(capsys, tmp_path / "0.tif", tmp_path / "1.tif", "--plan", plan, "--method", "series")
    assert all(frame["plus_minus"] is None for patch in told["patches"] for frame in patch["frames"])
    assert "edges alone" in told["says"]
    frames = sorted(folder.glob("*.tif"))
    assert compared(capsys, *frames, "--plan", plan, "--method", "series")["says"] is None


def test_a_method_that_does_not_fit_is_refused_only_where_it_was_asked_for(
    tmp_path, capsys, series, rehearsed
) -> None:
    from verispect.cli import main

    plan = tmp_path / "p.verispect"
    plan.write_text(plan_to_text(series.scene.plan))
    paths = [str(path) for path in sorted(rehearsed().glob("*.tif"))[:2]]
    assert main(["compare", *paths, "--plan", str(plan), "--method", "rail-series"]) == 2
    assert "rail" in capsys.readouterr().err


def test_what_a_patch_shows_is_followed_where_it_is_drawn_elsewhere() -> None:
    rng = np.random.default_rng(7)
    wall = cv2.GaussianBlur(rng.normal(0.4, 0.3, (500, 800)).astype(np.float32), (0, 0), 2.0)
    moved = cv2.warpAffine(cv2.GaussianBlur(wall, (0, 0), 2.0), np.float32([[1, 0, 23], [0, 1, -11]]), (800, 500))
    first = wall[152:248, 352:448]
    assert followed(moved, first, (200, 400)) == pytest.approx((189, 423), abs=1)
    # What is nowhere the same stays where it was, as does what is plain.
    assert followed(rng.normal(0.4, 0.3, (500, 800)).astype(np.float32), first, (200, 400)) == (200, 400)
    assert followed(moved, np.full((96, 96), 0.4, np.float32), (200, 400)) == (200, 400)


def test_what_repeats_is_followed_no_farther_than_it_must() -> None:
    columns = np.arange(800)
    wall = np.tile((0.4 + 0.2 * np.sign(np.sin(columns / 6.0))).astype(np.float32), (500, 1))
    assert followed(np.roll(wall, 4, axis=1), wall[152:248, 352:448], (200, 400))[1] == pytest.approx(404, abs=1)


def test_the_patch_is_cut_where_the_frame_shows_it(tmp_path, capsys) -> None:
    rng = np.random.default_rng(3)
    wall = (0.3 + 0.1 * cv2.GaussianBlur(rng.normal(0.0, 1.0, (400, 600)), (0, 0), 1.0)).astype(np.float32)
    write_picture(tmp_path / "a.tif", srgb16(wall), shot=Shot(f_number=8.0))
    write_picture(tmp_path / "b.tif", srgb16(np.roll(wall, 17, axis=1)), shot=Shot(f_number=8.0))
    patch = compared(capsys, tmp_path / "a.tif", tmp_path / "b.tif", "--at", "200,300")["patches"][0]
    assert patch["frames"][1]["at"] == pytest.approx([200, 317], abs=1)
    assert patch["frames"][1]["sharpness"] == pytest.approx(patch["frames"][0]["sharpness"], rel=0.01)
