"""Joins that go over the disk: the same picture, gone on with after a stop, also by a Dask cluster."""

from __future__ import annotations

import itertools
import json
from pathlib import Path

import numpy as np
import pytest

from tests.prove.join.spheres import taken, turn
from verispect.errors import Cancelled, FileError
from verispect.prove.join import large
from verispect.prove.join.grid import Room, join


@pytest.fixture(scope="module")
def folder(tmp_path_factory) -> Path:
    made = tmp_path_factory.mktemp("row")
    taken(made, [turn(b, 0) for b in (-20, 0, 20)])
    return made


def joined(folder: Path, room: Room | None, **more):
    return join([folder], exposures=None, sensor_mm=None, room=room, **more)


def test_what_is_made_on_the_disk_is_what_memory_would_hold(folder: Path, tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setattr(large, "PART_PX", 200)
    held = joined(folder, None)
    laid = joined(folder, Room(tmp_path, on_disk=True))
    assert laid.on_disk
    assert not held.on_disk
    assert held.pixels.shape == laid.pixels.shape
    assert float(np.mean(np.abs(held.pixels.astype(float) - laid.pixels))) < 30.0
    assert laid.crop == held.crop
    assert [f["used_share"] for f in laid.frames] == pytest.approx([f["used_share"] for f in held.frames], abs=0.01)


def test_a_join_that_was_broken_off_goes_on_where_it_was(folder: Path, tmp_path: Path, monkeypatch) -> None:
    """Stopped after its third look: what is measured and painted by then is neither measured nor painted again."""
    monkeypatch.setattr(large, "PART_PX", 200)
    painted: list[int] = []
    really = large.paint_parts
    monkeypatch.setattr(
        large, "paint_parts", lambda where, numbers: painted.extend(numbers) or really(where, numbers)
    )
    with pytest.raises(Cancelled):
        joined(folder, Room(tmp_path, on_disk=True), is_cancelled=lambda: len(painted) >= 8)
    before = list(painted)
    done = np.fromfile(tmp_path / "done", bool)
    assert np.flatnonzero(done).tolist() == sorted(before)
    monkeypatch.setattr("verispect.prove.join.grid.small_pictures", None)
    painted.clear()
    # With more memory it is the same work.
    whole = joined(folder, Room(tmp_path, memory_mb=4000, on_disk=True))
    assert sorted(before + painted) == list(range(done.size))
    top, left, bottom, right = whole.crop
    assert float((whole.pixels[top:bottom, left:right].max(axis=2) == 0).mean()) == 0.0


@pytest.mark.parametrize("seed", [0, 1])
def test_every_part_is_given_out_once_and_neighbours_after_one_another(monkeypatch, seed) -> None:
    monkeypatch.setattr(large, "PART_PX", 10)
    wide, high = 23, 19
    parts = [(10 * c, 10 * r, 10 * c + 10, 10 * r + 10) for r in range(high) for c in range(wide)]
    rng = np.random.default_rng(seed)
    done = rng.random(len(parts)) < (0.0, 0.3)[seed]
    blocks = large.blocks_of(parts, done)
    share, given, own = large._Share(blocks), [], {"a": [], "b": [], "c": []}
    while (batch := share.next(worker := str(rng.choice(list(own), p=[0.7, 0.2, 0.1])))) is not None:
        given += batch
        own[worker] += batch
        assert len(batch) <= 4
    assert sorted(given) == np.flatnonzero(~done).tolist()
    if seed == 0:
        for numbers in own.values():
            steps = [
                max(abs(a - b) // 10 for a, b in zip(parts[m][:2], parts[n][:2], strict=True))
                for m, n in itertools.pairwise(numbers)
            ]
            # All but the steps from block to block, and those taken from another's at the end.
            assert np.mean(np.array(steps) == 1) > 0.9


def test_frames_are_read_seldom_for_what_they_show(monkeypatch) -> None:
    """Against parts row by row, as a store of four frames of 5 by 4 parts would read them."""
    parts = [(c, r, c + 1, r + 1) for r in range(24) for c in range(40)]

    def readings(order: list[int]) -> int:
        kept: list[tuple[int, int]] = []
        count = 0
        for number in order:
            left, top, _, _ = parts[number]
            for frame in {((left + a) // 5, (top + b) // 4) for a in (0, 1) for b in (0, 1)}:
                if frame in kept:
                    kept.remove(frame)
                else:
                    count += 1
                kept = [*kept, frame][-4:]
        return count

    monkeypatch.setattr(large, "PART_PX", 1)
    ordered = [k for block in large.blocks_of(parts, np.zeros(len(parts), bool)) for batch in block for k in batch]
    assert readings(ordered) < 0.7 * readings(list(range(len(parts))))


def test_other_frames_are_measured_anew(folder: Path, tmp_path: Path) -> None:
    room = Room(tmp_path / "work", on_disk=True)
    room.folder.mkdir()
    joined(folder, room)
    kept = json.loads((room.folder / "measured.json").read_text())
    taken(tmp_path, [turn(b, 0) for b in (-20, 0, 20)], seed=9)
    joined(tmp_path, room)
    assert json.loads((room.folder / "measured.json").read_text())["asked"] != kept["asked"]


def test_a_picture_too_wide_for_its_file_is_refused_before_it_is_painted(folder: Path, tmp_path: Path) -> None:
    with pytest.raises(FileError, match=r"takes 500 each way; name a \.tif"):
        joined(folder, Room(tmp_path, on_disk=True, most_side=500))
    assert not (tmp_path / "done").exists()


def test_no_room_on_the_disk_is_told_before_anything_is_painted(folder: Path, tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setattr(large, "_free_bytes", lambda _folder: 1000)
    with pytest.raises(FileError, match=r"joining needs 0\.\d GB of room"):
        joined(folder, Room(tmp_path, on_disk=True))


def test_a_cluster_paints_it_and_one_that_does_not_answer_is_told(folder: Path, tmp_path: Path) -> None:
    """A real Dask cluster of two processes, named by its address."""
    from distributed import LocalCluster

    for wrong in ("nonsense://nowhere:1", "tcp://127.0.0.1:1", "tcp://127.0.0.1", "words"):
        with pytest.raises(FileError, match="no Dask cluster answers there"):
            large._check_answers(wrong)
    (tmp_path / "b").mkdir()
    with LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address="127.0.0.1:0") as cluster:
        laid = joined(folder, Room(tmp_path / "b", scheduler=cluster.scheduler_address, on_disk=True))
    held = joined(folder, None)
    assert float(np.mean(np.abs(held.pixels.astype(float) - laid.pixels))) < 30.0
