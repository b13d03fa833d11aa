"""Depth of a merge as points: rehearsed placards lie where they stood, and the file reads back as a scan."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tests.prove.conftest import Rehearse
from verispect.cli import main
from verispect.errors import FileError
from verispect.files.plan_file import plan_to_text
from verispect.files.scans.placement import Placing
from verispect.files.scans.scan_file import read_scan
from verispect.plan.methods.candidate import Candidate
from verispect.prove.merge.depth_points import _by_the_merge, depth_points, ply_of
from verispect.prove.merge.series import Merged, merge
from verispect.subject.scan import unpacked

# What is made once is made in one process.
pytestmark = pytest.mark.xdist_group("depth")


@pytest.fixture(scope="module")
def merged(series: Candidate, rehearsed: Rehearse) -> Merged:
    return merge([rehearsed()], exposures=series.exposures, sensor_mm=series.scene.plan.sensor_mm)


def test_placards_lie_where_they_stood(merged: Merged, series: Candidate) -> None:
    """Within their ±, and within 6 % of where they stand: those between frames, and the last, too."""
    found = depth_points(merged, series)
    eye = series.exposures[0].pose.pupil_m
    ways = (found.world_m - eye) / np.linalg.norm(found.world_m - eye, axis=1)[:, None]
    seen = 0
    for mark in series.scene.plan.marks[1:6]:
        place = np.array([mark.x_m, mark.y_m, mark.z_m])
        way = (place - eye) / np.linalg.norm(place - eye)
        near = np.degrees(np.arccos(np.clip(ways @ way, -1.0, 1.0))) < 0.6
        assert near.sum() > 50, mark.name
        off = np.median(found.world_m[near], axis=0) - place
        assert abs(off[2]) < max(float(np.median(found.plus_minus_m[near])), 0.03), mark.name
        assert abs(off[2]) < 0.06 * place[2], mark.name
        assert np.abs(off[:2]).max() < 0.05
        seen += 1
    assert seen == 5


def test_what_the_merge_takes_from_another_frame_is_not_told_and_beside_it_all_is_less_sure(
    series: Candidate,
) -> None:
    """A map of the second frame on the left and of the fifth on the right; blocks that tell of the second."""
    taken = [exposure.state.image_distance_mm for exposure in series.exposures]
    step = float(np.median(np.abs(np.diff(taken))))
    depth = np.full((120, 300), 1.0, np.float32)
    depth[:, 150:] = 4.0
    places = np.array([[60, 30], [60, 140], [60, 160], [60, 280]])
    image = np.full(4, taken[1] + 0.2 * (taken[2] - taken[1]))
    agree, unsure = _by_the_merge(depth, series.exposures, places, image, 600)
    assert agree.tolist() == [True, True, False, False]
    assert unsure == pytest.approx([0.0, 0.6 * step, 0.6 * step, 0.0])
    mixed = (series.exposures[3], *series.exposures[:3], *series.exposures[4:])
    agree, unsure = _by_the_merge(depth, mixed, places, image, 600)
    assert agree.all(), "in no order of focus the map's numbers tell nothing"
    assert not unsure.any()


def test_the_file_is_a_scan_that_lies_as_it_should(merged: Merged, series: Candidate, tmp_path: Path) -> None:
    found = depth_points(merged, series, most=500)
    assert len(found.world_m) <= 500
    path = tmp_path / "depth.ply"
    path.write_bytes(ply_of(found))
    cloud = read_scan(path, Placing()).cloud
    back = unpacked(cloud.points, cloud.count)
    # Thinned on the way in: each kept point is one of ours.
    apart = np.linalg.norm(back[:, None] - found.world_m[None], axis=2).min(axis=1)
    assert apart.max() < 0.01


def test_the_command_writes_it_and_says_what_it_needs(
    series: Candidate, rehearsed: Rehearse, tmp_path: Path, capsys
) -> None:
    plan, out, ply = tmp_path / "p.verispect", tmp_path / "m.tif", tmp_path / "m.ply"
    plan.write_text(plan_to_text(series.scene.plan))
    given = ["merge", str(rehearsed()), "--out", str(out), "--ply", str(ply), "--json"]
    assert main([*given, "--plan", str(plan), "--method", "series"]) in (0, 1)
    json.loads(capsys.readouterr().out)
    assert ply.read_bytes().startswith(b"ply\nformat binary")
    assert main([*given, "--force"]) == 2
    assert "--plan" in capsys.readouterr().err


def test_without_a_focus_for_each_frame_there_is_no_depth(merged: Merged, series: Candidate) -> None:
    with pytest.raises(FileError, match="planned"):
        depth_points(replace(merged, exposures=None), series)
    proof = Merged(merged.pixels, merged.frames, merged.crop, 0.0)
    with pytest.raises(FileError, match="merge in full"):
        depth_points(proof, series)
    with pytest.raises(FileError, match="take three"):
        depth_points(replace(merged, files=merged.files[:2]), series)


def test_frames_of_a_rail_tell_no_distances(merged: Merged, series: Candidate) -> None:
    alike = [replace(one, state=series.exposures[0].state) for one in series.exposures]
    with pytest.raises(FileError, match="camera was moved"):
        depth_points(replace(merged, exposures=alike), series)


def test_a_merge_is_kept_where_its_distances_cannot_be_told(
    series: Candidate, rehearsed: Rehearse, tmp_path: Path, capsys
) -> None:
    """Three of eight frames: the picture is written, then it is said why there are no distances."""
    plan, out, few = tmp_path / "p.verispect", tmp_path / "m.tif", tmp_path / "few"
    plan.write_text(plan_to_text(series.scene.plan))
    few.mkdir()
    for path in sorted(rehearsed().glob("*.tif"))[:3]:
        (few / path.name).write_bytes(path.read_bytes())
    given = ["merge", str(few), "--out", str(out), "--ply", str(tmp_path / "m.ply"), "--quiet"]
    assert main([*given, "--plan", str(plan), "--method", "series"]) == 2
    assert "no distances" in capsys.readouterr().err
    assert out.stat().st_size > 100_000
    assert not (tmp_path / "m.ply").exists()
