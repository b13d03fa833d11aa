"""Damaged files of every kind: read, or refused in one sentence, and nothing else (tools/fuzz_readers.py: longer)."""

from __future__ import annotations

import struct

import numpy as np
import pytest

from tests.files.mutants import MAKERS, answers, damaged, read, whole
from verispect.errors import FileError

# Seeds at which a reader once broke, and a handful more.
KNOWN = {
    "cloud.ply": (59, 66), "cloud.las": (102, 204), "box.obj": (11, 101, 134, 194, 2625), "box.glb": (47, 790, 1694),
    "depth.npy": (2, 102, 194), "cloud.laz": (), "marks.csv": (995,),
}  # fmt: skip


@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize("kind", MAKERS)
def test_a_damaged_file_is_answered_in_a_sentence(kind, tmp_path) -> None:
    good = whole(kind, tmp_path)
    assert answers(kind, good, tmp_path) is None
    # A packed scan is unpacked in a process of its own, which takes a second to begin.
    more = range(1000, 1002) if kind == "cloud.laz" else range(1000, 1010)
    for seed in (*KNOWN.get(kind, ()), *more):
        content = damaged(good, np.random.default_rng(seed))
        assert answers(kind, content, tmp_path) is None, seed


@pytest.mark.parametrize("kind", ["cloud.las", "cloud.laz"])
@pytest.mark.parametrize("at", [96, 100, 107])
def test_a_scan_that_claims_four_thousand_million_is_not_believed(kind, at, tmp_path) -> None:
    # Where the points begin, how many records stand before them, how many there are (LAS 1.2 header).
    content = bytearray(whole(kind, tmp_path))
    struct.pack_into("<I", content, at, 4_000_000_000)
    path = tmp_path / kind
    path.write_bytes(content)
    with pytest.raises(FileError):
        read(path)


@pytest.mark.parametrize("kind", ["depth.png", "photo.png", "frame.png"])
def test_a_chunk_that_claims_more_than_memory_holds_is_a_broken_picture(kind, tmp_path, monkeypatch) -> None:
    """Found by the longer run at its 3708th damaged picture, under a ceiling of 3 GB."""
    from PIL import PngImagePlugin

    whole(kind, tmp_path)

    def asks_for_too_much(_self: object, *_given: object) -> None:
        raise MemoryError

    monkeypatch.setattr(PngImagePlugin.PngImageFile, "load", asks_for_too_much)
    monkeypatch.setattr(PngImagePlugin.PngImageFile, "_open", asks_for_too_much)
    with pytest.raises(FileError, match=r"no whole picture|broken or cut|no picture that can be read"):
        read(tmp_path / kind)
