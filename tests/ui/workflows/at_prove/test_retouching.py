"""Retouching in the window: painted by the pointer, undone, saved, and nothing lost on leaving."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import tifffile
from PyQt6.QtCore import QObject, QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMessageBox, QWidget

from tests.prove.merge.test_retouch import frames, grain  # noqa: F401 - a fixture
from verispect.files.picture_out import write_picture
from verispect.ui.panels.stations.retouch import SCALES
from verispect.ui.state.notices import Notices
from verispect.ui.workflows.at_prove.retouching import RetouchDesk

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def opened(qtbot, frames: Path, tmp_path: Path, monkeypatch):  # noqa: F811
    """A merged picture of three frames on the desk, in a window of its own."""
    merged = tmp_path / "merged.tif"
    write_picture(merged, grain(3), force=True)
    report = {
        "format": "verispect-merge",
        "frames": [{"file": f"f{k}.tif", "matrix": np.eye(3).tolist(), "evened_stops": [0, 0, 0]} for k in range(3)],
    }
    window = QWidget()
    qtbot.addWidget(window)
    window.show()
    said: list[str] = []
    notices = Notices(QObject(window))
    monkeypatch.setattr(notices, "say", lambda words, *_acts: said.append(words))
    written: list[Path] = []
    desk = RetouchDesk(window, notices, written.append)
    desk.open(merged, report, frames, moved=[("f2.tif", 70.0, 90.0), ("other.tif", 1.0, 1.0)])
    qtbot.waitUntil(
        lambda: desk.dialog.merged.image is not None and desk.dialog.frame.image is not None, timeout=30_000
    )
    yield desk, said, written
    desk.close()


def pixel(canvas, row: int, column: int) -> tuple[int, int, int]:
    colour = canvas.image.pixelColor(column, row)
    return colour.red(), colour.green(), colour.blue()


def eight(coded: np.ndarray, row: int, column: int) -> tuple[int, ...]:
    return tuple(int(part) >> 8 for part in coded[row, column])


def at(canvas, row: float, column: float) -> QPoint:
    place = (QPointF(column, row) + QPointF(0.5, 0.5) - canvas.middle) * canvas.scale
    return (place + QPointF(canvas.width() / 2, canvas.height() / 2)).toPoint()


def test_a_click_takes_a_disc_from_the_frame_and_undo_gives_it_back(qtbot, opened) -> None:
    desk, _said, _written = opened
    dialog = desk.dialog
    dialog.frames.setCurrentIndex(2)
    qtbot.waitUntil(lambda: pixel(dialog.frame, 30, 30) == eight(grain(2), 30, 30), timeout=20_000)
    dialog.radius.setValue(20)
    QTest.mouseClick(dialog.merged, LEFT, pos=at(dialog.merged, 60, 80))
    qtbot.waitUntil(lambda: dialog.strokes == 1, timeout=20_000)
    assert pixel(dialog.merged, 60, 80) == eight(grain(2), 60, 80)
    assert pixel(dialog.merged, 60, 120) == eight(grain(3), 60, 120)
    QTest.keyClick(dialog, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: dialog.strokes == 0, timeout=20_000)
    assert pixel(dialog.merged, 60, 80) == eight(grain(3), 60, 80)
    QTest.mouseClick(dialog.redo_button, LEFT)
    qtbot.waitUntil(lambda: dialog.strokes == 1, timeout=20_000)
    # Both sides look at the same place, however they are moved and scaled.
    QTest.keyClick(dialog, Qt.Key.Key_Right)
    QTest.keyClicks(dialog, "+.")
    assert dialog.merged.middle == dialog.frame.middle
    assert dialog.merged.scale == dialog.frame.scale
    assert dialog.radius.value() == 25
    assert dialog.merged.scale in SCALES


def test_a_thing_that_moved_is_gone_to_with_the_frame_beside_it_chosen(qtbot, opened) -> None:
    desk, _said, _written = opened
    dialog = desk.dialog
    assert dialog.moved.isVisibleTo(dialog)
    assert dialog.moved.count() == 2, "one of another folder is none of this merge"
    dialog.moved.setCurrentIndex(1)
    dialog.moved.activated.emit(1)
    assert dialog.merged.middle == QPointF(90.0, 70.0)
    assert dialog.merged.scale >= 1.0
    assert dialog.frames.currentIndex() == 1


def test_a_line_is_painted_from_either_side_and_saved_in_sixteen_bits(qtbot, opened, tmp_path, monkeypatch) -> None:
    desk, said, written = opened
    dialog, target = desk.dialog, tmp_path / "kept.tif"
    dialog.radius.setValue(12)
    QTest.mousePress(dialog.frame, LEFT, pos=at(dialog.frame, 50, 40))
    for column in (60, 80, 100, 120):
        QTest.mouseMove(dialog.frame, at(dialog.frame, 50, column))
    QTest.mouseRelease(dialog.frame, LEFT, pos=at(dialog.frame, 50, 120))
    qtbot.waitUntil(lambda: dialog.strokes == 1, timeout=20_000)
    assert desk.unsaved
    monkeypatch.setattr("verispect.ui.workflows.at_prove.retouching.ask_save", lambda *_given: target)
    QTest.mouseClick(dialog.write_button, LEFT)
    qtbot.waitUntil(lambda: written == [target], timeout=20_000)
    kept = tifffile.imread(target)
    assert np.array_equal(kept[50, 45:115], grain(1)[50, 45:115])
    assert np.array_equal(kept[90:], grain(3)[90:])
    assert not desk.unsaved
    assert any("kept.tif" in words for words in said)


@pytest.mark.parametrize("answer", ["Save", "Discard", "Cancel", "Save, and no file"])
def test_leaving_with_unsaved_strokes_asks_and_loses_nothing(qtbot, opened, tmp_path, monkeypatch, answer) -> None:
    desk, _said, written = opened
    dialog, target = desk.dialog, tmp_path / "late.tif"
    QTest.mouseClick(dialog.merged, LEFT, pos=at(dialog.merged, 60, 80))
    qtbot.waitUntil(lambda: dialog.strokes == 1, timeout=20_000)
    button = QMessageBox.StandardButton[answer.split(",")[0]]
    monkeypatch.setattr(QMessageBox, "warning", lambda *_given: button)
    monkeypatch.setattr(
        "verispect.ui.workflows.at_prove.retouching.ask_save", lambda *_given: None if "no file" in answer else target
    )
    if answer == "Cancel":
        QTest.keyClick(dialog, Qt.Key.Key_Escape)
    else:
        dialog.close()
    stays = answer in ("Cancel", "Save, and no file")
    assert dialog.isVisible() == stays
    assert (desk.dialog is dialog) == stays
    assert target.exists() == (answer == "Save")
    assert written == ([target] if answer == "Save" else [])
    assert desk.may_leave() != stays
