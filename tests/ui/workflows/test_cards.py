"""A card that is put in, and one that is dropped on Prove: what was taken last is offered, and checked."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
import pytest

from verispect.files.picture_out import write_picture
from verispect.ui.window.main_window import MainWindow
from verispect.ui.workflows.cards import CardDesk


@pytest.fixture
def card(tmp_path: Path) -> Path:
    """Two pictures of an hour ago, and three just taken, the last two in another folder."""
    root = tmp_path / "CARD"
    grain = np.random.default_rng(1).integers(2000, 60000, (96, 128, 3)).astype(np.uint16)
    for number, (folder, minute) in enumerate((("100A", 0), ("100A", 1), ("100A", 70), ("101A", 71), ("101A", 72))):
        path = root / "DCIM" / folder / f"IMG_{number}.jpg"
        path.parent.mkdir(parents=True, exist_ok=True)
        write_picture(path, grain)
        os.utime(path, (3600 + 60 * minute, 3600 + 60 * minute))
    return root


def checked(qtbot, window: MainWindow) -> None:
    desk = window.prove_desk
    qtbot.waitUntil(lambda: desk.report is not None and desk._job is None, timeout=60_000)


def line(root: Path) -> str:
    return f"80 27 8:33 / {root} rw shared:50 - exfat /dev/sdz1 rw\n"


def test_a_card_that_is_put_in_is_offered_once_and_checked(
    qtbot, window: MainWindow, card: Path, tmp_path: Path, monkeypatch
) -> None:
    # The tests' own folders lie where no card is ever mounted.
    monkeypatch.setattr("verispect.prove.taken_in.cards._NOT_CARDS", ("/",))
    mounts = tmp_path / "mountinfo"
    mounts.write_text(line(tmp_path / "other"))
    desk = CardDesk(window, window.notices, window._check_files, mounts)
    desk.look()
    assert window.message.text == ""
    mounts.write_text(line(tmp_path / "other") + line(card))
    desk.look()
    qtbot.waitUntil(timeout=20_000, callback=lambda: "A card is in" in window.message.text)
    assert "2 pictures in 101A" in window.message.text
    assert "1 more of that sitting" in window.message.text
    window.message._buttons[0].click()
    checked(qtbot, window)
    assert [frame.file for frame in window.prove_desk.report.frames] == ["IMG_3.jpg", "IMG_4.jpg"]
    assert window.prove_desk.folder == card / "DCIM" / "101A"
    window.message.hide()
    desk.look()
    assert window.message.text == ""
    desk.close()


def test_a_card_that_is_chosen_as_a_folder_is_what_was_taken_last(qtbot, window: MainWindow, card: Path) -> None:
    window.prove_desk.drop([card])
    checked(qtbot, window)
    assert [frame.file for frame in window.prove_desk.report.frames] == ["IMG_3.jpg", "IMG_4.jpg"]


def test_an_empty_card_is_said_to_be_empty(qtbot, window: MainWindow, tmp_path: Path) -> None:
    (tmp_path / "DCIM" / "100A").mkdir(parents=True)
    window.prove_desk.open(tmp_path)
    qtbot.waitUntil(timeout=20_000, callback=lambda: "no pictures in this folder" in window.message.text)
