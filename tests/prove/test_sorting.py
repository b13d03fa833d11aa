"""Frames copied set by set with sidecars: nothing of the originals changes, nothing is written over."""

from __future__ import annotations

import hashlib
import json
import xml.etree.ElementTree as ET
from pathlib import Path

import numpy as np
import pytest

from verispect.cli import main
from verispect.errors import FileError
from verispect.files.picture_out import write_picture
from verispect.prove.check import check
from verispect.prove.intake import described, in_order
from verispect.prove.sorting import sort_frames
from verispect.prove.taken_in.folders import frames_in

DC = "{http://purl.org/dc/elements/1.1/}"


@pytest.fixture
def card(tmp_path: Path) -> Path:
    """Two sets of three frames with a dark one between, as they come from a card."""
    rng = np.random.default_rng(0)
    folder = tmp_path / "card"
    folder.mkdir()
    for k in range(7):
        base = np.zeros((120, 180, 3)) if k == 3 else rng.uniform(0.1, 0.9, (120, 180, 3)) * 60000
        write_picture(folder / f"shot-{k:03d}.tif", base.astype(np.uint16))
    return folder


def digests(folder: Path) -> dict[str, str]:
    return {path.name: hashlib.sha256(path.read_bytes()).hexdigest() for path in sorted(folder.iterdir())}


def test_the_command_copies_into_a_folder_a_set(card: Path, tmp_path: Path, capsys) -> None:
    before = digests(card)
    assert main(["sort", str(card), "--into", str(tmp_path / "out"), "--job", "Mill & <Court>", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert [len(group["frames"]) for group in told["sets"]] == [3, 3]
    assert digests(card) == before
    copies = [Path(one["to"]) for one in told["copies"] if one["from"].endswith(("000.tif", "005.tif"))]
    assert [copy.parent.name for copy in copies] == ["set-01", "set-02"]
    assert hashlib.sha256(copies[0].read_bytes()).hexdigest() == before["shot-000.tif"]
    root = ET.parse(copies[0].with_suffix(".xmp")).getroot()
    text = {element.tag: "".join(element.itertext()).strip() for element in root.iter() if element.tag.startswith(DC)}
    assert text[f"{DC}title"] == "Mill & <Court>"
    assert text[f"{DC}source"] == "shot-000.tif"
    assert "set 1, frame 1" in text[f"{DC}description"]
    # Once more without --force is refused, in one sentence, and nothing is lost.
    assert main(["sort", str(card), "--into", str(tmp_path / "out")]) == 2
    assert "is there already" in capsys.readouterr().err
    assert main(["sort", str(card), "--into", str(tmp_path / "out"), "--force", "--quiet"]) == 0


@pytest.mark.parametrize(
    ("pattern", "words"),
    [("{set}", "two frames the name"), ("{nothing}", "cannot be filled"), ("../{name}", "within the folder"),
     ("/tmp/{name}", "within the folder"), ("{name", "cannot be filled"), ("{name.__class__}", "cannot be filled")],
)  # fmt: skip
def test_patterns_that_cannot_be_are_told(card: Path, tmp_path: Path, pattern: str, words: str) -> None:
    report = check([card])
    sources = [frame.path for frame in in_order([described(path) for path in frames_in([card])])]
    with pytest.raises(FileError, match=words):
        sort_frames(sources, report, tmp_path / "out", pattern=pattern)
    assert not (tmp_path / "out").exists()


def test_the_originals_are_not_written_over_even_by_force(card: Path) -> None:
    report = check([card])
    sources = [frame.path for frame in in_order([described(path) for path in frames_in([card])])]
    with pytest.raises(FileError, match="frames themselves"):
        sort_frames(sources, report, card, pattern="{name}", force=True)


def test_names_by_set_and_frame(card: Path, tmp_path: Path) -> None:
    report = check([card])
    sources = [frame.path for frame in in_order([described(path) for path in frames_in([card])])]
    found = sort_frames(sources, report, tmp_path / "out", pattern="{job}/{set}-{frame:02d}-{name}", job="a: b?")
    assert found[0].copy == tmp_path / "out" / "a- b-" / "1-01-shot-000.tif"
    assert all(one.copy.exists() and one.sidecar.exists() for one in found)
    assert not list((tmp_path / "out").rglob("*.part"))
