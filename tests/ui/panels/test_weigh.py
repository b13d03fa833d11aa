"""The weighing's table, its bars, what comes after the advice, and schools that are drawn."""

from __future__ import annotations

import csv
import io
import re

import pytest
from PyQt6.QtCore import QPoint, Qt, QUrl
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtTest import QTest

from tests.ui.conftest import weighed
from verispect.optics.f_stops import marked
from verispect.plan.explain.comparison import COLUMNS, as_csv, as_markdown, comparison, written
from verispect.prove.trials.focus_ways import ways_of
from verispect.ui.window.main_window import MainWindow


@pytest.fixture
def page(window: MainWindow):
    window.show_station("weigh")
    window.weigh.setCurrentIndex(1)
    return window.weigh.compare


def column(page, number: int) -> list[str]:
    return [page.table.item(row, number).text() for row in range(page.table.rowCount())]


def test_the_table_shows_the_figures_of_the_weighing(window: MainWindow, page) -> None:
    assert page.table.rowCount() == 8
    tilt = window.weighing.by_key("tilt")
    row = next(k for k in range(8) if page.table.item(k, 0).text().startswith("Tilt ·"))
    assert page.table.item(row, 1).text() == "holds"
    assert page.table.item(row, 2).text() == "1"
    assert page.table.item(row, 3).text() == f"{tilt.worst_softness:.2f}"
    assert not page.table.item(row, 0).icon().isNull()
    assert "advised" in page.table.item(row, 0).text()


def test_sorting_up_down_and_back_keeps_what_is_unknown_last(page) -> None:
    usual = column(page, 0)
    header = page.table.horizontalHeader()
    x = header.sectionViewportPosition(3) + 10
    QTest.mouseClick(header.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(x, 8))
    values = [float(text) for text in column(page, 3) if text]
    assert values == sorted(values)
    assert column(page, 3)[-1] == ""
    page.sort_by(3)
    values = [float(text) for text in column(page, 3) if text]
    assert values == sorted(values, reverse=True)
    assert column(page, 3)[-1] == ""
    page.sort_by(3)
    assert column(page, 0) == usual


def test_pinned_methods_stay_on_top(page) -> None:
    last = page.table.rowCount() - 1
    name = page.table.item(last, 0).text()
    page.table.selectRow(last)
    QTest.mouseClick(page.pin_button, Qt.MouseButton.LeftButton)
    page.sort_by(3)
    assert name in page.table.item(0, 0).text()
    page.table.selectRow(0)
    page.pin()
    assert page.pinned == set()


def test_taking_a_method_from_the_table(window: MainWindow, page) -> None:
    row = next(k for k in range(8) if page.table.item(k, 0).text().startswith("Focus series"))
    page.table.setCurrentCell(row, 0)
    page.table.itemActivated.emit(page.table.item(row, 0))
    assert window.document.plan.choice.method == "series"
    row = next(k for k in range(8) if page.table.item(k, 1).text() == "does not fit")
    page.table.itemActivated.emit(page.table.item(row, 0))
    assert window.document.plan.choice.method == "series"


def test_copies_are_the_table(window: MainWindow, page) -> None:
    QTest.mouseClick(page.csv_button, Qt.MouseButton.LeftButton)
    rows = list(csv.reader(io.StringIO(QGuiApplication.clipboard().text())))
    assert rows[0][:5] == ["Method", "State", "With", "Frames", "Softest [×]"]
    assert len(rows) == 9
    told = {row.key: row for row in comparison(window.weighing)}
    tilt = next(row for row in rows if row[0] == "Tilt *")
    assert tilt[3:] == [written(c, told["tilt"]) for c in COLUMNS]
    QTest.mouseClick(page.markdown_button, Qt.MouseButton.LeftButton)
    lines = QGuiApplication.clipboard().text().splitlines()
    assert len(lines) == 10
    assert all(line.count("|") == 4 + len(COLUMNS) for line in lines)
    assert as_csv(list(told.values())).count("\r\n") == 9
    assert as_markdown(list(told.values())).startswith("| Method |")


def test_two_methods_side_by_side(qtbot, window: MainWindow) -> None:
    window.show_station("weigh")
    window.weigh.setCurrentIndex(2)
    beside = window.weigh.beside
    beside.boxes[0].setCurrentIndex(beside.boxes[0].findData("tilt"))
    beside.boxes[1].setCurrentIndex(beside.boxes[1].findData("series"))
    rendering = [window.weighing.by_key(key).rendering for key in ("tilt", "series")]
    for k, pair in enumerate(beside.bars._values):
        assert [value for value, _ in pair] == [float(r.softness[k]) for r in rendering]
    assert "Frames 1 / 2" in beside.figures.text()
    assert "Tower clockface: " in beside.bars.accessibleDescription()
    # What does not fit leaves its place empty.
    loupe = beside.loupe
    # The softest must of either comes first.
    softest = [max(float(one.rendering.softness[k]) for one in beside.pair()) for k in range(7)]
    musts = [k for k in range(7) if beside.pair()[0].scene.deciding[k]]
    assert loupe.mark_box.currentData() == max(musts, key=lambda k: softest[k])
    QTest.mouseClick(loupe.button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "Focus series, frame" in loupe.captions[1].text(), timeout=60_000)
    assert loupe.pictures[0].pixmap().width() == 236
    assert f"{beside.pair()[0].rendering.softness[loupe.mark_box.currentData()]:.2f}" in loupe.captions[0].text()
    # Then what an edge in the mark's place comes out as.
    qtbot.waitUntil(lambda: all(" ± " in one.text() for one in loupe.captions), timeout=60_000)
    for caption in loupe.captions:
        planned, measured, unsure = (
            float(part) for part in re.search(r"planned (\S+), measured (\S+) ± (\S+) on", caption.text()).groups()
        )
        assert abs(planned - measured) <= unsure + 0.01
    qtbot.waitUntil(lambda: window.loupe_desk._job is None)
    beside.boxes[1].setCurrentIndex(beside.boxes[1].findData("rail-series"))
    assert not loupe.button.isEnabled()
    assert not loupe.pictures[0].isVisibleTo(loupe)
    assert "holds / does not fit" in beside.figures.text()
    beside.bars.grab()


def test_what_comes_after_the_advice_is_told_a_while_later(qtbot, window: MainWindow) -> None:
    window.show_station("weigh")
    text = window.weigh.text
    qtbot.waitUntil(lambda: "What would change this" in text.toPlainText(), timeout=20_000)
    assert "One frame would do" in text.toPlainText()
    assert "The advice stays the same by" in text.toPlainText() or "would be advised" in text.toPlainText()
    assert "lets go of" in text.toPlainText()
    # A change takes it away until it is worked out anew.
    window.document.change(window.document.plan.model_copy(update={"title": "x"}), "title")
    weighed(qtbot, window)
    assert "What would change this" not in text.toPlainText()


def test_a_school_is_drawn_and_undone(qtbot, window: MainWindow) -> None:
    window.show_station("weigh")
    number = next(k for k, s in enumerate(window.weighing.schools) if str(s.name) == "infinity")
    window.weigh.text.anchorClicked.emit(QUrl(f"school:{number}"))
    assert window.shown.by_hand
    assert window.shown.candidate.key == "one-frame"
    school = window.weighing.schools[number]
    state = window.shown.exposure.state
    assert (state.image_distance_mm, state.f_number) == (school.image_mm, school.f_number)
    deciding = window.shown.scene.deciding
    assert window.shown.rendering.softness[deciding] == pytest.approx(school.softness, rel=1e-6)
    window.document.undo_stack.undo()
    assert not window.shown.by_hand


def test_weigh_tells_what_to_take_to_see_which_focus_serves_best(qtbot, window: MainWindow) -> None:
    window.show_station("weigh")
    told = window.weigh.text.toPlainText()
    line = next(line for line in told.splitlines() if "To see it on your own frames" in line)
    ways = ways_of(window.document.plan).candidate.exposures
    assert line.count(" m") + line.count("∞") >= len(ways)
    assert f"all at f/{marked(ways[0].state.f_number)}" in line
