"""A window with settings and recovery of its own, and ways to wait for it and to drag in it."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, QPointF, QSettings, Qt
from PyQt6.QtTest import QTest

from tests.conftest import DEMO
from verispect.files.plan_file import read_plan
from verispect.ui.drawings.board import Board, Handle
from verispect.ui.window.application import make_application, make_window
from verispect.ui.window.main_window import MainWindow
from verispect.ui.work.hands import close_idle, keep_one_ready, waiting
from verispect.ui.work.picture_process import PICTURES
from verispect.ui.work.weighing_process import PROCESS


@pytest.fixture(scope="session")
def qapp():
    return make_application(["verispect-tests"])


@pytest.fixture(scope="session", autouse=True)
def weighing_process() -> Iterator[None]:
    """One process that weighs and one that rehearses for all tests, ended with them."""
    PROCESS.submit(read_plan(DEMO))[1].result(timeout=60)
    PICTURES.begin()
    yield
    PROCESS.close()
    PICTURES.close()
    close_idle()


@pytest.fixture
def window(qtbot, tmp_path: Path) -> Iterator[MainWindow]:
    """The window on the demo, weighed and drawn; closed without leaving anything behind."""
    settings = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
    keep_one_ready()
    # Its threads are there before they are counted.
    waiting()[0].worker.submit(int).result(timeout=60)
    made = make_window(settings=settings, recovery_folder=tmp_path / "recovery", book_path=tmp_path / "book.sqlite")
    before = others()
    made.document.open(read_plan(DEMO), None)
    made.show()
    qtbot.waitExposed(made)
    weighed(qtbot, made)
    qtbot.waitUntil(lambda: made.weighing is not None and bool(made.board.elevation.handles()))
    yield made
    made.document.undo_stack.setClean()
    assert made.close()
    made.weigher.close()
    made.deleteLater()
    qtbot.waitUntil(lambda: others() <= before, timeout=20_000)


def others() -> int:
    """Threads that are not of processes that wait for the next job, two each."""
    return threading.active_count() - 2 * len(waiting())


def weighed(qtbot, window: MainWindow) -> None:
    """Wait until the newest plan is weighed."""
    qtbot.waitUntil(lambda: window.weigher.idle(), timeout=20_000)


def handle(board: Board, kind: str, index: int = 0) -> Handle:
    return next(h for h in board.handles() if h.kind == kind and h.number == index)


def drag(qtbot, board: Board, start: QPointF, by: tuple[int, int], *, steps: int = 4, drop: bool = True) -> None:
    """Drag on a drawing with the left button, by pixels, in steps as a hand does."""
    view = board.canvas
    first = start.toPoint()
    QTest.mouseMove(view, first)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, first)
    for k in range(1, steps + 1):
        place = first + QPoint(by[0] * k // steps, by[1] * k // steps)
        QTest.mouseMove(view, place)
        qtbot.wait(12)
    if drop:
        QTest.mouseRelease(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, first + QPoint(*by))


def drag_handle(qtbot, board: Board, which: Handle, by: tuple[int, int], **how) -> None:
    drag(qtbot, board, board.window_place(which.across, which.up), by, **how)
