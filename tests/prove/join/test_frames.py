"""Cells of several frames: merged once, and anew where the frames are others."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np

from verispect.files.picture_out import write_picture
from verispect.prove.intake import Frame, described, read_coded
from verispect.prove.join.frames import FrameStore, merged_cells


def frames_of(folder: Path, grey: int) -> list[Frame]:
    folder.mkdir(exist_ok=True)
    for k in range(3):
        write_picture(folder / f"f-{k}.tif", np.full((40, 60, 3), grey + k, np.uint16), force=True)
    return [described(folder / f"f-{k}.tif") for k in range(3)]


def test_a_cell_is_merged_once_and_never_taken_for_that_of_other_frames(tmp_path: Path) -> None:
    room, asked = tmp_path / "room", []
    room.mkdir()

    def shown(frames: list[Frame]) -> list[int]:
        def merge_cell(members):
            asked.append(list(members))
            return read_coded(frames[members[-1]])

        cells = merged_cells(frames, [[0, 1], [2]], merge_cell, room, lambda _share, _text: None, lambda: False)
        store = FrameStore(cells, 10.0)
        return [int(store[k][0, 0, 0]) for k in range(len(store))]

    first = frames_of(tmp_path / "a", 1000)
    assert shown(first) == [1001, 1002]
    assert shown(first) == [1001, 1002]
    assert asked == [[0, 1]]
    # Frames of the same names elsewhere, and the same files written anew.
    assert shown(frames_of(tmp_path / "b", 2000)) == [2001, 2002]
    again = frames_of(tmp_path / "a", 3000)
    os.utime(again[0].path, ns=(1, 1))
    assert shown(again) == [3001, 3002]
    assert len(asked) == 3
