"""What was said of frames by hand, kept from one look to the next: whole, or not at all."""

from __future__ import annotations

import json
import os
from pathlib import Path

import pytest

from verispect.errors import FileError
from verispect.prove.looked import Pointed
from verispect.prove.parting.by_hand import ByHand
from verispect.prove.parting.kept_by_hand import KeptByHand

SAID = ByHand((("a.tif", "b.tif"), ("c.tif",)), frozenset({"d.tif"}))
MARKS = {"Door": Pointed("Door", 12.5, 30.0, "a.tif")}


@pytest.fixture
def frames(tmp_path: Path) -> Path:
    folder = tmp_path / "frames"
    folder.mkdir()
    for name in "abcd":
        (folder / f"{name}.tif").write_bytes(name.encode())
    return folder


def refused(error: FileError) -> None:
    raise AssertionError(error)


def test_what_was_said_comes_back_and_lies_not_with_the_frames(frames: Path, tmp_path: Path) -> None:
    before = sorted(frames.iterdir())
    KeptByHand(tmp_path / "own").keep(frames, SAID, MARKS, refused)
    assert KeptByHand(tmp_path / "own").of(frames) == (SAID, MARKS)
    assert sorted(frames.iterdir()) == before
    assert KeptByHand(tmp_path / "own").of(tmp_path) == (None, {})
    KeptByHand(tmp_path / "own").keep(frames, None, {}, refused)
    assert KeptByHand(tmp_path / "own").of(frames) == (None, {})


def test_of_other_frames_under_the_same_names_nothing_is_held(frames: Path, tmp_path: Path) -> None:
    kept = KeptByHand(tmp_path / "own")
    kept.keep(frames, SAID, {}, refused)
    os.utime(frames / "b.tif", ns=(1, 1))
    assert kept.of(frames) == (None, {})
    kept.keep(frames, SAID, {}, refused)
    assert kept.of(frames)[0] == SAID
    (frames / "c.tif").write_bytes(b"another")
    assert kept.of(frames) == (None, {})


@pytest.mark.parametrize(
    "damage",
    [
        b"",
        b"{}",
        b"[1]",
        b'{"sets": 3}',
        b'{"sets": [[1]], "aside": 7}',
        b"\xff\xfe",
        b'{"sets": null, "aside": [], "files": {}, "marks": [{"name": "a", "row": NaN, "column": 1, "file": null}]}',
    ],
)
def test_a_damaged_file_holds_nothing(frames: Path, tmp_path: Path, damage: bytes) -> None:
    kept = KeptByHand(tmp_path / "own")
    kept.keep(frames, SAID, MARKS, refused)
    (only,) = (tmp_path / "own").glob("*.json")
    only.write_bytes(damage)
    assert kept.of(frames) == (None, {})


def test_where_nothing_can_be_kept_it_is_said(frames: Path, tmp_path: Path) -> None:
    (tmp_path / "own").write_text("a file where the folder should be")
    said: list[FileError] = []
    KeptByHand(tmp_path / "own").keep(frames, SAID, MARKS, said.append)
    assert len(said) == 1
    assert str(tmp_path / "own") in str(said[0])


def test_what_was_said_longest_ago_goes_first(frames: Path, tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setattr("verispect.prove.parting.kept_by_hand._MOST_FOLDERS", 2)
    kept = KeptByHand(tmp_path / "own")
    for number in range(4):
        kept.keep(tmp_path / f"folder {number}", SAID, {}, refused)
        (newest,) = [p for p in (tmp_path / "own").glob("*.json")
                     if json.loads(p.read_text())["folder"].endswith(str(number))]  # fmt: skip
        os.utime(newest, (number, number))
    left = sorted(json.loads(path.read_text())["folder"][-1] for path in (tmp_path / "own").glob("*.json"))
    assert left == ["2", "3"]
