"""What cannot be checked with the others is named, and the rest is checked all the same."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import numpy as np
import pytest

from verispect.cli import main
from verispect.errors import FileError
from verispect.files.picture_out import write_picture
from verispect.plan.methods.candidate import Candidate
from verispect.prove.check import check
from verispect.prove.report import Report


@pytest.fixture
def mixed(rehearsed, tmp_path: Path) -> Path:
    """The good series with its third frame cut, a text that calls itself a picture, and another camera's frame."""
    folder = tmp_path / "mixed"
    shutil.copytree(rehearsed(), folder)
    cut = folder / "frame-003.tif"
    cut.write_bytes(cut.read_bytes()[:200_000])
    (folder / "notes.jpg").write_text("these are no pixels")
    write_picture(folder / "other.tif", np.full((300, 400, 3), 20_000, np.uint16))
    return folder


def _faults(report: Report) -> dict[str | None, list[str]]:
    return {frame.file: [fault.name for fault in frame.faults] for frame in report.frames}


def test_the_rest_is_checked(mixed: Path, series: Candidate) -> None:
    report = check([mixed], candidate=series)
    faults = _faults(report)
    assert faults.pop("frame-003.tif") == faults.pop("notes.jpg") == ["unreadable"]
    assert faults.pop("other.tif") == ["other-size"]
    # It is lost for the series as well.
    assert faults.pop(None) == ["missing"]
    assert len(faults) == series.frame_count - 1
    assert not any(faults.values())
    assert [len(group.frames) for group in report.sets] == [series.frame_count - 1]
    assert "frame-003.tif" in report.redo[1]
    assert "copy it from the card" in report.redo[1]


def test_the_command_says_so_in_one_sentence_and_still_tells_of_the_rest(mixed: Path, capsys) -> None:
    assert main(["check", str(mixed), "--json", "--quiet"]) == 2
    out, err = capsys.readouterr()
    told = {frame["file"]: frame["verdict"] for frame in json.loads(out)["frames"]}
    assert told["frame-001.tif"] == "good"
    assert told["frame-003.tif"] == "redo"
    assert err.count("\n") == 1
    assert "no picture that can be read, or it is cut (and 2 more left aside)" in err


def test_sorting_copies_the_rest(mixed: Path, tmp_path: Path, capsys) -> None:
    assert main(["sort", str(mixed), "--into", str(tmp_path / "sorted"), "--quiet"]) == 2
    copied = {path.name for path in (tmp_path / "sorted").rglob("*.tif")}
    assert "frame-001.tif" in copied
    assert not copied & {"frame-003.tif", "other.tif"}
    capsys.readouterr()


def test_where_nothing_can_be_read_that_is_the_answer(tmp_path: Path) -> None:
    for name in ("a.jpg", "b.tif"):
        (tmp_path / name).write_text("no pixels")
    with pytest.raises(FileError, match="no picture that can be read"):
        check([tmp_path])


def test_of_equally_many_the_larger_are_checked(rehearsed, tmp_path: Path) -> None:
    shutil.copy(rehearsed() / "frame-001.tif", tmp_path)
    write_picture(tmp_path / "small.tif", np.full((30, 40, 3), 20_000, np.uint16))
    assert _faults(check([tmp_path])) == {"frame-001.tif": [], "small.tif": ["other-size"]}
