"""Things that moved in one frame of a drawn series: merged they stand once, and what is about them stays sharp."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from verispect.files.picture_out import write_picture
from verispect.prove.intake import coded_of, linear_of
from verispect.prove.merge.ghosts import Ghost, ghosts_in, leave_out
from verispect.prove.merge.series import Merged, merge

ROWS, COLUMNS, SHIFT = 480, 720, 17
Light = NDArray[np.float64]


def grain(seed: int, sigma: float = 1.2) -> Light:
    noise = cv2.GaussianBlur(np.random.default_rng(seed).random((ROWS, COLUMNS)), (0, 0), sigma)
    return 0.35 + 0.12 * (noise - noise.mean()) / noise.std()


def frame(number: int, moved: int, *, sharp: int) -> Light:
    """Ground that is sharp in the last of four frames, and a board before it that is sharp in frame `sharp`."""
    soft = [0.01 + 1.3 * abs(number - place) for place in (3, sharp)]
    ground, board = grain(1), grain(2) + 0.15
    shown = np.zeros((ROWS, COLUMNS))
    shown[180:300, 250 + moved : 390 + moved] = 1.0
    board = np.roll(board, moved, axis=1)
    ground = cv2.GaussianBlur(ground, (0, 0), soft[0])
    cover = cv2.GaussianBlur(shown, (0, 0), soft[1])
    return ground * (1.0 - cover) + cv2.GaussianBlur(board, (0, 0), soft[1]) * cover


def merged(folder: Path, odd: int | None, *, sharp: int, memory_mb: int = 2500) -> Merged:
    folder.mkdir()
    random = np.random.default_rng(7)
    for k in range(4):
        light = frame(k, SHIFT if k == odd else 0, sharp=sharp) + random.normal(0.0, 0.002, (ROWS, COLUMNS))
        write_picture(folder / f"f-{k}.tif", coded_of(np.clip(np.repeat(light[..., None], 3, axis=2), 0, 1)))
    return merge([folder], memory_mb=memory_mb)


def off(found: Merged, truth: Merged) -> Light:
    return np.abs(linear_of(found.pixels) - linear_of(truth.pixels)).mean(axis=2)


@pytest.mark.parametrize("memory_mb", [2500, 100])
def test_what_moved_in_an_unsharp_frame_is_taken_from_the_others(tmp_path: Path, memory_mb: int) -> None:
    clean = merged(tmp_path / "clean", None, sharp=1)
    assert clean.ghosts == []
    found = merged(tmp_path / "moved", 2, sharp=1, memory_mb=memory_mb)
    assert [ghost["moved_in"] for ghost in found.ghosts] == ["f-2.tif"]
    assert not found.ghosts[0]["taken_from_it"]
    top, left, bottom, right = found.ghosts[0]["box"]
    assert top < 200 < 280 < bottom
    assert left < 270 < 390 < right
    # As if it had stood still: in the strip that it covers in the odd frame, and on the board.
    assert off(found, clean)[190:290, 240:420].mean() < 0.006
    assert found.report(None)["ghosts"] == found.ghosts


def test_what_moved_in_the_sharp_frame_is_taken_from_it_whole(tmp_path: Path) -> None:
    clean = merged(tmp_path / "clean", None, sharp=1)
    found = merged(tmp_path / "moved", 1, sharp=1)
    assert [(ghost["moved_in"], ghost["taken_from_it"]) for ghost in found.ghosts] == [("f-1.tif", True)]
    # It stands aside, sharp, and once: the strip it left shows ground, with no board in it.
    board = linear_of(found.pixels)[190:290, 275:400].mean(axis=2)
    truth = frame(1, SHIFT, sharp=1)[190:290, 275:400]
    assert np.abs(board - truth).mean() < 0.01
    strip = cv2.blur(linear_of(found.pixels).mean(axis=2), (9, 9))[190:290, 252:262]
    assert np.abs(strip - 0.35).mean() < 0.03
    away = np.ones((ROWS, COLUMNS), bool)
    away[150:330, 220:450] = False
    assert off(found, clean)[away].mean() < 0.002


def test_what_comes_from_others_is_left_out_row_by_row() -> None:
    mask = np.zeros((20, 30), np.uint8)
    mask[5:15, 10:20] = 1
    ghost = Ghost((100, 200, 140, 260), mask, odd=2, from_odd=False)
    assert leave_out([ghost], 0, None, (0, 480), 720) is None, "the others give all they have"
    whole = leave_out([ghost], 2, None, (0, 480), 720)
    assert (whole == 0).sum() == 20 * 20
    assert np.all(whole[110:130, 220:240] == 0)
    parts = [leave_out([ghost], 2, None, rows, 720) for rows in ((0, 118), (118, 480))]
    assert np.array_equal(np.concatenate(parts), whole)
    other = Ghost((100, 200, 140, 260), mask, odd=2, from_odd=True)
    assert leave_out([other], 2, None, (0, 480), 720) is None
    assert np.array_equal(leave_out([other], 1, None, (0, 480), 720), whole)


def test_where_nothing_moved_there_is_no_ghost() -> None:
    greys = [np.asarray(frame(k, 0, sharp=1), np.float32) for k in range(4)]
    assert ghosts_in(greys, [np.eye(3)] * 4, (COLUMNS, ROWS)) == []
    assert ghosts_in(greys[:2], [np.eye(3)] * 2, (COLUMNS, ROWS)) == []
