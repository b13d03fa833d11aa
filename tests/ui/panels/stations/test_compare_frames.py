"""Pictures side by side: moved and scaled together, measured in the same place, blinked, judged over the whole."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QWidget

from verispect.files.picture_out import write_picture
from verispect.plan.document import Wish
from verispect.prove.trials.compare import Compared, Looked, compare
from verispect.ui.panels.stations.compare_frames import SCALES, CompareFrames, Picture
from verispect.ui.window.main_window import MainWindow


def wall() -> np.ndarray:
    drawn = np.random.default_rng(2).uniform(0.2, 0.8, (480, 640, 3))
    return cv2.GaussianBlur(drawn, (0, 0), 1.0)


def frames(folder: Path) -> list[Path]:
    """The first is sharp on the left and the second on the right; the third a little soft all over."""
    sharp, soft = wall(), cv2.GaussianBlur(wall(), (0, 0), 2.5)
    left = np.where(np.arange(640)[None, :, None] < 320, sharp, soft)
    right = np.where(np.arange(640)[None, :, None] < 320, soft, sharp)
    paths = []
    for name, drawn in (("left", left), ("right", right), ("even", cv2.GaussianBlur(wall(), (0, 0), 0.7))):
        paths.append(folder / f"{name}.png")
        write_picture(paths[-1], (np.clip(drawn, 0, 1) * 65535).astype(np.uint16))
    return paths


@pytest.fixture
def dialog(qtbot, tmp_path: Path):
    from verispect.prove.desk import eight_bits

    parent = QWidget()
    qtbot.addWidget(parent)
    made = CompareFrames(parent, [Picture(path.name, eight_bits(path)) for path in frames(tmp_path)])
    qtbot.addWidget(made)
    made.show()
    yield made
    # Kept until here: with its parent the dialog would go.
    parent.close()


def test_the_sharpest_where_one_looks_is_named(dialog: CompareFrames) -> None:
    dialog.look_at(150.0, 240.0)
    dialog.measure()
    assert "sharpest here" in dialog.captions[0].text()
    assert "%" in dialog.captions[1].text()
    dialog.look_at(500.0, 240.0)
    dialog.measure()
    assert "sharpest here" in dialog.captions[1].text()
    dialog.look_at(5.0, 5.0)
    dialog.measure()
    assert all("edge" in caption.text() for caption in dialog.captions)


def test_all_move_and_scale_together(dialog: CompareFrames) -> None:
    before = [(pane.middle, pane.scale) for pane in dialog.panes]
    assert len(set(map(str, before))) == 1
    pane = dialog.panes[1]
    QTest.mousePress(pane, Qt.MouseButton.LeftButton, pos=QPoint(100, 80))
    QTest.mouseMove(pane, QPoint(60, 80))
    QTest.mouseRelease(pane, Qt.MouseButton.LeftButton, pos=QPoint(60, 80))
    assert {pane.middle.x() for pane in dialog.panes} == {before[0][0].x() + 40.0}
    QTest.keyClick(dialog, Qt.Key.Key_Plus)
    assert {pane.scale for pane in dialog.panes} == {2.0}
    QTest.keyClick(dialog, Qt.Key.Key_Right)
    assert {pane.middle.x() for pane in dialog.panes} == {before[0][0].x() + 70.0}


def test_blinking_shows_one_after_the_other(dialog: CompareFrames) -> None:
    seen = []
    for _ in range(4):
        QTest.keyClick(dialog, Qt.Key.Key_Space)
        seen.append([pane.isVisibleTo(dialog) for pane in dialog.panes])
    assert seen == [[True, False, False], [False, True, False], [False, False, True], [True, True, True]]


def test_pictures_are_shown_as_large_as_on_the_print(qtbot, tmp_path: Path) -> None:
    parent = QWidget()
    qtbot.addWidget(parent)
    wish = Wish(print_mm=(40.0, 30.0), viewing_mm=300.0)
    checks = np.zeros((480, 640, 3), np.uint8)
    checks[::2, ::2] = checks[1::2, 1::2] = 255
    dialog = CompareFrames(parent, [Picture("a", checks), Picture("b", checks)], wish)
    qtbot.addWidget(dialog)
    dialog.show()
    QTest.mouseClick(dialog.print_button, Qt.MouseButton.LeftButton)
    screen = dialog.screen()
    assert screen is not None
    # 640 pixels on 40 mm are 16 to the mm.
    assert dialog.scale == pytest.approx(screen.physicalDotsPerInch() / 25.4 / 16.0)
    assert dialog.panes[1].scale == dialog.scale
    assert "40 mm; look from 300 mm" in dialog.scale_label.text()
    # Drawn smaller, black and white squares of one pixel are an even grey: none were left out.
    pane = dialog.panes[0]
    seen = pane.grab().toImage()
    assert 60 < seen.pixelColor(pane.width() // 2 + 2, pane.height() // 2 + 2).red() < 200
    before = dialog.scale
    dialog._rescale(1)
    assert dialog.scale in SCALES
    assert dialog.scale >= before
    assert "print" not in dialog.scale_label.text()
    parent.close()


def test_the_verdict_tells_the_sharpest_and_the_most_even(dialog: CompareFrames, tmp_path: Path) -> None:
    dialog.show_verdict(
        compare(sorted(tmp_path.glob("*.png"), key=lambda path: ["left", "right", "even"].index(path.stem)), [])
    )
    text = dialog.verdict.text()
    assert "nowhere falls far behind is even.png" in text
    dialog.show_verdict([])
    assert "plain" in dialog.verdict.text()


def test_the_verdict_tells_how_often_each_is_as_sharp_as_the_plan_asks(dialog: CompareFrames) -> None:
    def place(*softness: float | None) -> Compared:
        looks = tuple(Looked(f"{k}.tif", 1.0 + k, soft) for k, soft in enumerate(softness))
        return Compared((100, 100), 96, looks, 2)

    dialog.show_verdict([place(0.7, 1.4, 0.9), place(1.2, 1.0, 2.0), place(None, None, None)])
    names = [pane.picture.name for pane in dialog.panes]
    assert f"of 2 places that can be told: {names[0]} 1; {names[1]} 1; {names[2]} 1." in dialog.verdict.text()
    dialog.show_verdict([place(None, None, None)])
    assert "plan asks" not in dialog.verdict.text()


def test_frames_are_opened_from_the_list_or_picked(qtbot, window: MainWindow, tmp_path: Path, monkeypatch) -> None:
    paths = frames(tmp_path)
    window.show_station("prove")
    desk = window.prove_desk
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_args: ([str(path) for path in paths], ""))
    desk.side_by_side.open([])
    qtbot.waitUntil(lambda: desk.side_by_side.opened is not None, timeout=60_000)
    opened = desk.side_by_side.opened
    assert [pane.picture.name for pane in opened.panes] == [path.name for path in paths]
    QTest.mouseClick(opened.verdict_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "even.png" in opened.verdict.text(), timeout=60_000)
    # Which focus served best is told by the plan's marks; these frames are of none of its ways, and that is said.
    QTest.mouseClick(opened.ways_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "frames of the trial are there" in opened.verdict.text(), timeout=60_000)
    opened.close()
    qtbot.waitUntil(lambda: desk.side_by_side.opened is None, timeout=5_000)
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_args: ([str(paths[0])], ""))
    desk.side_by_side.open([])
    assert desk.side_by_side.opened is None
