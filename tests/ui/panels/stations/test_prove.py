"""Prove in the window: folders dropped, frames that arrive, sets copied."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QFileDialog

from tests.ui.conftest import weighed
from verispect.files.picture_out import write_picture
from verispect.ui.window.main_window import MainWindow


@pytest.fixture
def card(tmp_path: Path) -> Path:
    folder = tmp_path / "card"
    folder.mkdir()
    for k in range(3):
        rng = np.random.default_rng(k)
        write_picture(folder / f"f-{k}.tif", (rng.uniform(0.1, 0.9, (90, 120, 3)) * 65535).astype(np.uint16))
    return folder


def drop(window: MainWindow, *places: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(place)) for place in places])
    window.prove_desk._panel.dropEvent(
        QDropEvent(QPointF(20, 20), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                   Qt.KeyboardModifier.NoModifier)
    )  # fmt: skip


def checked(qtbot, window: MainWindow, count: int) -> None:
    desk = window.prove_desk
    qtbot.waitUntil(lambda: desk.report is not None and len(desk.report.paths) == count, timeout=60_000)
    qtbot.waitUntil(lambda: desk._job is None, timeout=10_000)


def test_what_is_dropped_is_checked_and_copied(qtbot, window: MainWindow, card, tmp_path, monkeypatch) -> None:
    window.show_station("prove")
    weighed(qtbot, window)
    drop(window, card / "f-0.tif", card / "f-1.tif")
    checked(qtbot, window, 2)
    drop(window, card, tmp_path)
    assert "one folder" in window.message.text
    target = tmp_path / "sets"
    target.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_given: str(target))
    window.prove_desk._panel.sort_button.click()
    qtbot.waitUntil(lambda: len(list(target.rglob("*.xmp"))) == 2, timeout=30_000)
    qtbot.waitUntil(lambda: window.prove_desk._job is None, timeout=10_000)


def test_frames_that_arrive_are_checked_by_themselves(qtbot, window: MainWindow, card, tmp_path) -> None:
    window.show_station("prove")
    weighed(qtbot, window)
    desk, panel = window.prove_desk, window.prove_desk._panel
    drop(window, card)
    checked(qtbot, window, 3)
    panel.watch_box.setChecked(True)
    shutil.copy(card / "f-2.tif", tmp_path / "late.tif")
    (tmp_path / "late.tif").replace(card / "f-3.tif")
    checked(qtbot, window, 4)
    panel.watch_box.setChecked(False)
    assert desk._watcher.directories() == []
