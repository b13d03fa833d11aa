"""Tiles that two frames share: cut where both show the same, and a shake that smaller pictures hide."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.prove.join.spheres import FOCAL_PX, SIZE, painted_sphere, seen, turn
from tests.prove.shake.test_swing import moved_as
from verispect.files.picture_out import write_picture
from verispect.plan.methods.candidate import Candidate
from verispect.prove import evidence, grid_check
from verispect.prove.check import check
from verispect.prove.checks.overlap_tiles import shared_tiles
from verispect.prove.expected import View
from verispect.prove.intake import coded_of, described, linear_of, read_coded
from verispect.prove.shake.tile_powers import TILE, powers_of
from verispect.rehearse.camera import Options
from verispect.rehearse.pupil_views import Quality
from verispect.rig.rehearsed_run import Writing, rehearse_to

MIDDLE = ((SIZE[0] - 1) / 2.0, (SIZE[1] - 1) / 2.0)


def view(bearing: float, pitch: float) -> View:
    return View(turn(bearing, pitch), FOCAL_PX, MIDDLE)


@pytest.mark.parametrize(("bearing", "pitch"), [(14.0, 0.0), (0.0, 9.0), (11.0, -7.0)])
def test_tiles_of_both_show_the_same(bearing: float, pitch: float) -> None:
    """To the four pixels that places are told to: their powers are those of one another."""
    sphere = painted_sphere()
    frames = [np.asarray(seen(sphere, turn(*way)).mean(axis=2), np.float32) for way in ((0.0, 0.0), (bearing, pitch))]
    cuts = shared_tiles(view(0.0, 0.0), view(bearing, pitch), SIZE, 1)
    assert cuts is not None
    assert cuts[0].places == cuts[1].places
    own, other = (cut.powers(frame) for cut, frame in zip(cuts, frames, strict=True))
    np.testing.assert_allclose(own.light, other.light, rtol=0.1)
    apart = np.log(own.power[:, :5]) - np.log(other.power[:, :5])
    assert float(np.abs(np.median(apart))) < 0.1
    # Tiles elsewhere are as unlike as a sphere's parts are.
    unlike = np.log(own.power[:, :5]) - np.log(np.roll(other.power, 1, axis=0)[:, :5])
    assert float(np.abs(apart).mean()) < 0.5 * float(np.abs(unlike).mean())
    for top, left in cuts[0].places:
        assert 0 <= top <= SIZE[1] - TILE
        assert 0 <= left <= SIZE[0] - TILE


def test_frames_that_share_little_have_no_tiles() -> None:
    assert shared_tiles(view(0.0, 0.0), view(50.0, 0.0), SIZE, 1) is None
    assert shared_tiles(view(0.0, 0.0), view(170.0, 0.0), SIZE, 1) is None
    # In a picture four times smaller no tile fits.
    assert shared_tiles(view(0.0, 0.0), view(5.0, 0.0), SIZE, 4) is None


def test_wide_overlaps_of_large_frames_are_told_by_some_tiles_alone() -> None:
    large = View(turn(0.0, 0.0), 10 * FOCAL_PX, (10 * MIDDLE[0], 10 * MIDDLE[1]))
    beside = View(turn(4.0, 0.0), large.scale_px, large.centre_px)
    cuts = shared_tiles(large, beside, (10 * SIZE[0], 10 * SIZE[1]), 1)
    assert cuts is not None
    assert 100 < len(cuts[0].places) <= 200
    lefts = [left for _, left in cuts[0].places]
    assert min(lefts) > 200, "what the other does not show is left out"
    # As more frames arrive a frame is found a little aside, and the same tiles are wanted.
    moved = View(turn(4.0003, 0.0), large.scale_px, large.centre_px)
    assert shared_tiles(large, moved, (10 * SIZE[0], 10 * SIZE[1]), 1) == cuts


def test_powers_are_those_of_the_tiles() -> None:
    """A tile of one wave has all its power in one ring and direction."""
    y, x = np.mgrid[0:TILE, 0:TILE]
    waves = np.stack([np.cos(2 * np.pi * 0.125 * x), np.cos(2 * np.pi * 0.125 * y)]).astype(np.float32)
    found = powers_of(waves + 3.0)
    assert found.power.shape == (2, 8, 12)
    rings = found.power.sum(axis=2).argmax(axis=1)
    assert rings[0] == rings[1]
    ways = found.power[:, rings[0]].argmax(axis=1)
    assert abs(int(ways[1]) - int(ways[0])) in (5, 6, 7)
    assert found.light == pytest.approx(np.full(2, 9.0 * (np.hanning(TILE) ** 2).sum() ** 2), rel=0.01)


def test_a_shake_that_a_smaller_picture_hides_is_told(small_grid: Candidate, tmp_path: Path, monkeypatch) -> None:
    """Of frames looked at in half their pixels, as those of many pixels are."""
    rehearse_to(small_grid, Options(pixels=(960, 640), quality=Quality(0.5, 3)), Writing(tmp_path))
    (tmp_path / "run.json").unlink()
    path = sorted(tmp_path.glob("*.tif"))[4]
    light = linear_of(read_coded(described(path)))
    shaken = np.dstack([moved_as(np.ascontiguousarray(light[..., c]), 3.2, 30.0) for c in range(3)])
    noise = np.random.default_rng(3).normal(0.0, 0.0015, shaken.shape)
    write_picture(path, coded_of(np.clip(cv2.max(np.float64(shaken + noise), 0.0), 0.0, 1.0)), force=True)
    monkeypatch.setattr(evidence, "_WORKING_PIXELS", 200_000)
    report = check([tmp_path], candidate=small_grid)
    assert {frame.file: [fault.name for fault in frame.faults] for frame in report.frames if frame.faults} == {
        path.name: ["motion"]
    }
    frame = next(frame for frame in report.frames if frame.faults)
    assert frame.motion_length == pytest.approx(3.2, rel=0.15)
    assert frame.motion_direction == pytest.approx(30.0, abs=5.0)
    monkeypatch.setattr(grid_check, "shared_tiles", lambda *_: None)
    assert not any(frame.faults for frame in check([tmp_path], candidate=small_grid).frames)
