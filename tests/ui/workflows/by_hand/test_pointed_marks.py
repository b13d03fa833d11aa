"""Marks over the picture: dragged onto what they are, asked for from the list, taken back."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from tests.prove.parting.scenes import focused
from tests.ui.conftest import weighed
from verispect.files.picture_out import write_picture
from verispect.prove.intake import coded_of
from verispect.ui.drawings.picture_marks import at
from verispect.ui.window.main_window import MainWindow


def settled(qtbot, window: MainWindow) -> None:
    desk = window.prove_desk
    qtbot.waitUntil(lambda: desk._job is None and not desk._is_stale and bool(desk._images), timeout=60_000)


@pytest.fixture
def proved(qtbot, window: MainWindow, tmp_path: Path) -> MainWindow:
    """The demo's focus series, taken of another scene: what is measured does not count here."""
    window.take_method("series")
    weighed(qtbot, window)
    window.show_station("prove")
    qtbot.waitUntil(lambda: "prove_desk" in window.__dict__)
    candidate = window.prove_desk._candidate()
    assert candidate is not None
    for k in range(candidate.frame_count):
        write_picture(tmp_path / f"f-{k}.tif", coded_of(np.dstack([focused(1, float(k), noise=k)] * 3)))
    window.prove_desk.check(tmp_path)
    qtbot.waitUntil(lambda: window.prove_desk.report is not None, timeout=60_000)
    settled(qtbot, window)
    return window


def place_of(window: MainWindow, name: str) -> QPoint:
    canvas = window.pictures.first
    mark = next(mark for mark in canvas.marks if mark.name == name)
    return at(mark, canvas._area()).toPoint()


def test_a_mark_that_is_dragged_takes_all_others_along(qtbot, proved: MainWindow) -> None:
    window, canvas = proved, proved.pictures.first
    assert window.pictures.marks_button.isVisible()
    names = [mark.name for mark in canvas.marks if 0.25 < mark.x < 0.75 and 0.25 < mark.y < 0.75]
    before = {name: place_of(window, name) for name in (mark.name for mark in canvas.marks)}
    name = names[0]
    # A mere click moves nothing.
    QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=before[name])
    assert window.prove_desk.pointed.pointed == ()
    to = before[name] + QPoint(24, -10)
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=before[name])
    QTest.mouseMove(canvas, before[name] + QPoint(9, -4))
    QTest.mouseMove(canvas, to)
    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=to)
    settled(qtbot, window)
    report = window.prove_desk.report
    assert report.looked is not None
    assert report.looked.by == (name,)
    assert report.looked.right_deg < 0.0
    assert any("all marks were looked for there" in line for line in report.advice)
    pointed = [mark.name for mark in canvas.marks if mark.is_pointed]
    assert pointed == [name]
    for other in canvas.marks:
        if other.name in before and 0.2 < other.x < 0.8:
            moved = place_of(window, other.name) - before[other.name]
            assert abs(moved.x() - 24) <= 6
            assert abs(moved.y() + 10) <= 6
    # Nor does one on a mark that was pointed at.
    told = window.prove_desk.pointed.pointed
    QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=place_of(window, name) + QPoint(4, 3))
    assert window.prove_desk.pointed.pointed == told
    # Taken back and brought again; the plan's own steps back stay untouched.
    undo, redo, planned, by_photograph = canvas.mark_actions
    assert not by_photograph.isEnabled()
    assert not window.document.undo_stack.undoText().startswith("pointing")
    undo.trigger()
    settled(qtbot, window)
    assert window.prove_desk.report.looked is None
    assert place_of(window, name) == before[name]
    redo.trigger()
    settled(qtbot, window)
    assert window.prove_desk.report.looked is not None
    planned.trigger()
    settled(qtbot, window)
    assert window.prove_desk.report.looked is None
    assert not planned.isEnabled()
    # Off with them.
    window.pictures.marks_button.click()
    assert canvas.marks == []


def test_a_mark_of_the_list_is_asked_for_in_the_picture(qtbot, proved: MainWindow) -> None:
    window, canvas = proved, proved.pictures.first
    table = window.prove_desk._panel.marks
    table.itemActivated.emit(table.item(1, 0))
    name = table.item(1, 0).text()
    assert f"Click where {name} is" in window.pictures.words.text()
    assert canvas.cursor().shape() == Qt.CursorShape.CrossCursor
    QTest.keyClick(canvas, Qt.Key.Key_Escape)
    assert canvas.cursor().shape() == Qt.CursorShape.ArrowCursor
    assert "Click where" not in window.pictures.words.text()
    assert window.prove_desk.pointed.pointed == ()
    table.itemActivated.emit(table.item(1, 0))
    QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=canvas._area().center().toPoint())
    settled(qtbot, window)
    (told,) = window.prove_desk.pointed.pointed
    assert told.name == name
    assert told.file == "f-0.tif"
    image = canvas.image
    assert image is not None
    assert (told.column, told.row) == pytest.approx((image.width() / 2, image.height() / 2), abs=2.0)
    assert window.prove_desk.report.looked.by == (name,)
    # Another folder begins as its plan has it.
    other = window.prove_desk.folder / "other"
    other.mkdir()
    (window.prove_desk.folder / "f-0.tif").rename(other / "f-0.tif")
    window.prove_desk.check(other)
    settled(qtbot, window)
    assert window.prove_desk.pointed.pointed == ()


def test_the_photograph_of_the_plan_tells_where_marks_are_unless_it_is_not_wished(
    qtbot, proved: MainWindow, tmp_path: Path
) -> None:
    window, desk = proved, proved.prove_desk
    before = {mark.name: mark.pixel for mark in desk.report.marks}
    assert desk.report.looked is None
    assert window.photograph_desk.at_hand is None
    # What the frames show, moved 40 pixels to the right: the camera looked farther right than the photograph.
    shown = np.roll(np.dstack([focused(1, 2.0, noise=9)] * 3), 40, axis=1)
    picture = tmp_path / "beside.png"
    write_picture(picture, coded_of(shown))
    window.photograph_desk.open_path(picture)
    qtbot.waitUntil(lambda: window.document.plan.photograph is not None, timeout=20_000)
    assert window.photograph_desk.at_hand == picture
    weighed(qtbot, window)
    desk.check(desk.folder, tuple(sorted(tmp_path.glob("f-*.tif"))))
    qtbot.waitUntil(lambda: desk.report is not None and desk.report.looked is not None, timeout=60_000)
    settled(qtbot, window)
    found = desk.report.looked
    assert found.shared > 24
    assert found.right_deg > 0.0
    moved = [
        (mark.pixel[0] - before[mark.name][0], mark.pixel[1] - before[mark.name][1])
        for mark in desk.report.marks if mark.pixel is not None and before[mark.name] is not None
    ]  # fmt: skip
    assert np.median(moved, axis=0) == pytest.approx((0.0, -40.0), abs=4.0)
    by_photograph = window.pictures.first.mark_actions[3]
    assert by_photograph.isEnabled()
    by_photograph.trigger()
    settled(qtbot, window)
    assert desk.report.looked is None
    assert {mark.name: mark.pixel for mark in desk.report.marks} == before
