"""A rehearsed grid joined: against the same view rendered as one picture, with a frame knocked."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import numpy as np
import pytest
import tifffile

import verispect
from verispect.cli import main
from verispect.errors import Cancelled, FileError
from verispect.files.plan_file import plan_to_text
from verispect.plan.methods.candidate import Candidate
from verispect.prove.desk import join_files
from verispect.prove.intake import linear_of
from verispect.prove.join.canvas import frame_maps
from verispect.prove.join.grid import Room, _held_words, cells_of, join
from verispect.prove.merge.series import merge
from verispect.rehearse.camera import Options
from verispect.rehearse.faults import parse_fault
from verispect.rehearse.pupil_views import Quality
from verispect.rig.rehearsed_run import Writing, rehearse_to

SIZE = (360, 240)


@pytest.fixture(scope="module")
def folder(tmp_path_factory, small_grid: Candidate) -> Path:
    made = tmp_path_factory.mktemp("grid") / "set"
    rehearse_to(small_grid, Options(pixels=SIZE, quality=Quality(0.5, 3)), Writing(made))
    return made


def joined_of(folder: Path, grid: Candidate, **more):
    # What was measured for the first is taken up by all.
    room = folder.parent / "room"
    room.mkdir(exist_ok=True)
    return join(
        [folder], room=Room(room), exposures=grid.exposures, sensor_mm=(36.0, 24.0), basis=grid.scene.pose.matrix,
        merge_cell=lambda paths, exposures: merge(paths, exposures=exposures).pixels, **more,
    )  # fmt: skip


def test_the_grid_becomes_one_picture_without_seams(folder: Path, small_grid: Candidate) -> None:
    joined = joined_of(folder, small_grid)
    assert joined.doubtful == []
    assert joined.pixels.shape[1] > 1.5 * SIZE[0]
    top, left, bottom, right = joined.crop
    inner = linear_of(joined.pixels[top:bottom, left:right])
    assert inner.size > 0
    # No black hole within the crop.
    assert float((inner.max(axis=2) <= 0).mean()) < 0.001
    shares = [frame["used_share"] for frame in joined.frames]
    assert sum(shares) == pytest.approx(1.0, abs=1e-3)
    assert min(shares) > 0.0
    assert max(shares) > 1.05 * min(shares)
    for pair in joined.pairs:
        if pair.get("residual_px") is not None and np.isfinite(pair["residual_px"]):
            assert pair["residual_px"] < 1.0


def test_a_mark_lies_where_its_direction_is(folder: Path, small_grid: Candidate) -> None:
    """The joined picture keeps the angles of the plan: its directions, taken to each planned frame, agree."""
    from verispect.prove.expected import view_of

    joined = joined_of(folder, small_grid)
    wide, high = joined.canvas.size
    directions = joined.canvas.directions(0, 0, wide, high)
    covered = np.zeros((high, wide), bool)
    for exposure in small_grid.exposures:
        columns, rows = frame_maps(view_of(exposure, SIZE, 36.0 / SIZE[0]), directions)
        covered |= (columns > 2) & (columns < SIZE[0] - 3) & (rows > 2) & (rows < SIZE[1] - 3)
    shown = joined.pixels.max(axis=2) > 0
    assert float((shown[covered]).mean()) > 0.99


@pytest.mark.parametrize("projection", ["flat", "cylinder", "sphere"])
def test_each_projection_can_be_asked_for(folder: Path, small_grid: Candidate, projection: str) -> None:
    assert joined_of(folder, small_grid, projection=projection).canvas.projection == projection


def test_frames_of_one_pointing_are_one_cell(small_grid: Candidate) -> None:
    assert cells_of(small_grid.exposures) == [[k] for k in range(small_grid.frame_count)]
    twice = [exposure for exposure in small_grid.exposures for _ in range(2)]
    assert cells_of(twice) == [[2 * k, 2 * k + 1] for k in range(small_grid.frame_count)]


def test_another_number_of_frames_is_told(folder: Path, small_grid: Candidate) -> None:
    few = sorted(folder.glob("*.tif"))[:2]
    with pytest.raises(FileError, match=str(small_grid.frame_count)):
        join(few, exposures=small_grid.exposures, sensor_mm=(36.0, 24.0))


@pytest.mark.parametrize("by_window", [False, True])
def test_where_a_frame_is_missing_the_others_lie_as_planned(
    folder: Path, small_grid: Candidate, tmp_path: Path, *, by_window: bool
) -> None:
    """The fifth of eight; what they show tells which it is, for their names do not."""
    whole = joined_of(folder, small_grid)
    there = tmp_path / "set"
    there.mkdir()
    kept = [k for k in range(8) if k != 4]
    for number, k in enumerate(kept):
        (there / f"a{number}.tif").write_bytes(sorted(folder.glob("*.tif"))[k].read_bytes())
    out = tmp_path / "joined.tif"
    said = "frame 5 of 8 is not there: what no other frame shows is left empty"
    if by_window:
        found = join_files(sorted(there.glob("*.tif")), small_grid, out, progress=lambda _share: None,
                           is_cancelled=lambda: False)  # fmt: skip
        assert [str(doubt) for doubt in found.doubts] == [f"doubtful: {said}"]
        return
    plan, report = tmp_path / "a.verispect", tmp_path / "j.json"
    plan.write_text(plan_to_text(small_grid.scene.plan), encoding="utf-8")
    given = ["join", str(there), "--plan", str(plan), "--method", "turned-grid", "--out", str(out), "--quiet"]
    assert main([*given, "--report", str(report)]) == 1
    told = json.loads(report.read_text(encoding="utf-8"))
    assert [doubt["says"] for doubt in told["doubtful"]] == [said]
    for frame, k in zip(told["frames"], kept, strict=True):
        # Within a hundredth of a degree or two of where they lie with it.
        np.testing.assert_allclose(frame["rotation"], whole.frames[k]["rotation"], atol=3e-4)


def test_a_frame_that_was_written_twice_takes_no_other_ones_place(
    folder: Path, small_grid: Candidate, tmp_path: Path, capsys
) -> None:
    there = tmp_path / "set"
    shutil.copytree(folder, there)
    files = sorted(there.glob("*.tif"))
    pixels = tifffile.imread(files[2])
    # Written anew with something else beside the picture, as a camera or a card reader does.
    for path in files[2:4]:
        tifffile.imwrite(path, pixels, photometric="rgb", description=path.name)
    plan = tmp_path / "a.verispect"
    plan.write_text(plan_to_text(small_grid.scene.plan), encoding="utf-8")
    given = ["join", str(there), "--plan", str(plan), "--method", "turned-grid", "--out", str(tmp_path / "j.tif")]
    assert main([*given, "--quiet"]) == 1
    told = capsys.readouterr().out
    assert f"{files[3].name} is the same picture as {files[2].name} and counts once" in told
    assert "frame 4 of 8 is not there" in told
    assert "7 frames joined" in told


def test_of_too_few_frames_nothing_tells_which_are_missing(
    folder: Path, small_grid: Candidate, tmp_path: Path, capsys
) -> None:
    plan = tmp_path / "a.verispect"
    plan.write_text(plan_to_text(small_grid.scene.plan), encoding="utf-8")
    few = [str(path) for path in sorted(folder.glob("*.tif"))[:3]]
    given = ["join", *few, "--plan", str(plan), "--method", "turned-grid", "--out", str(tmp_path / "j.tif")]
    assert main([*given, "--quiet"]) == 2
    assert "3 frames, but the plan's method has 8 exposures" in capsys.readouterr().err
    assert not (tmp_path / "j.tif").exists()


def test_it_stops_when_it_is_told_to(folder: Path, small_grid: Candidate) -> None:
    with pytest.raises(Cancelled):
        join([folder], exposures=small_grid.exposures, sensor_mm=(36.0, 24.0), is_cancelled=lambda: True)


def test_a_frame_that_missed_its_focus_is_laid_as_large_as_it_is_drawn(small_grid: Candidate, tmp_path: Path) -> None:
    """Its neighbours lie where they were planned, not where paper that grew would push them."""
    fault = parse_fault("autofocus-miss@4:8", frames=small_grid.frame_count)
    run = rehearse_to(
        small_grid, Options(pixels=SIZE, quality=Quality(0.5, 3)), Writing(tmp_path / "set"), faults=[fault]
    )
    joined = join([tmp_path / "set"], exposures=small_grid.exposures, sensor_mm=(36.0, 24.0))
    planned = small_grid.exposures[4].state.image_distance_mm
    size = float(run.frames[4].happened["image_distance_mm"]) / planned
    assert abs(size - 1.0) > 0.01
    (doubt,) = joined.doubtful
    assert run.frames[4].file in doubt["says"]
    assert f"{100.0 * abs(size - 1.0):.1f} % {'larger' if size > 1.0 else 'smaller'}" in doubt["says"]
    for told, exposure in zip(joined.frames, small_grid.exposures, strict=True):
        turned = np.asarray(told["rotation"]) @ exposure.pose.matrix.T
        off = 0.5 * np.array([turned[2, 1] - turned[1, 2], turned[0, 2] - turned[2, 0]])
        assert np.hypot(*off) * exposure.state.image_distance_mm * SIZE[0] / 36.0 < 0.5


def test_what_moved_between_frames_is_said_of_one_and_of_several() -> None:
    assert _held_words(["a.tif"]) == (
        "what a.tif shares with the frames beside it moved between them, as clouds do; it lies where the plan has it"
    )
    assert "what a.tif, b.tif and c.tif share with" in _held_words(["a.tif", "b.tif", "c.tif"])


def test_in_a_notebook_too_what_is_there_is_joined(folder: Path, small_grid: Candidate) -> None:
    there = [path for k, path in enumerate(sorted(folder.glob("*.tif"))) if k != 4]
    found = verispect.join(there, plan=small_grid.scene.plan, method="turned-grid")
    assert [doubt["says"] for doubt in found.doubtful] == [
        "frame 5 of 8 is not there: what no other frame shows is left empty"
    ]
