"""The logbook and the shelf in the window: logged, found, opened again, taken and put away, with undo."""

from __future__ import annotations

import json

from PyQt6.QtCore import QDate, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QLabel, QMessageBox, QPushButton

from tests.keep.test_lessons import a_check, a_mark
from tests.ui.conftest import weighed
from verispect.keep.entry import entry_of
from verispect.plan.document import Plan
from verispect.ui.panels.stations.jobs import MOST_SHOWN, JobsPage
from verispect.ui.panels.stations.keep import KeepPanel
from verispect.ui.window.main_window import MainWindow

LEFT = Qt.MouseButton.LeftButton


def keep_panel(window: MainWindow) -> KeepPanel:
    assert window.keep_desk is not None
    panel = window.panels["keep"]
    assert isinstance(panel, KeepPanel)
    return panel


def titles(window: MainWindow) -> list[str]:
    table = keep_panel(window).jobs.entries
    return [table.item(row, 3).text() for row in range(table.rowCount())]


def test_a_plan_is_logged_found_and_opened_again(qtbot, window: MainWindow) -> None:
    window.show_station("keep")
    panel = keep_panel(window)
    QTest.mouseClick(panel.jobs.log_button, LEFT)
    title = window.document.plan.title
    assert titles(window) == [title]
    QTest.keyClicks(panel.jobs.search, "nowhere such")
    assert titles(window) == []
    panel.jobs.search.clear()
    panel.jobs.entries.selectRow(0)
    window.subject.add_mark()
    marks = len(window.document.plan.marks)
    window.document.undo_stack.setClean()
    QTest.mouseClick(panel.jobs.open_button, LEFT)
    assert len(window.document.plan.marks) == marks - 1


def test_a_removed_job_can_be_brought_back(window: MainWindow) -> None:
    window.show_station("keep")
    panel = keep_panel(window)
    QTest.mouseClick(panel.jobs.log_button, LEFT)
    panel.jobs.entries.selectRow(0)
    QTest.mouseClick(panel.jobs.remove_button, LEFT)
    assert titles(window) == []
    assert window.message.isVisibleTo(window)
    button = next(b for b in window.message.findChildren(QPushButton) if b.isVisibleTo(window.message) and b.text())
    QTest.mouseClick(button, LEFT)
    assert titles(window) == [window.document.plan.title]


def test_kit_goes_on_the_shelf_and_back_into_a_plan(window: MainWindow) -> None:
    window.show_station("keep")
    panel = keep_panel(window)
    panel.setCurrentIndex(1)
    panel.put_wanted.emit()
    names = [panel.items.item(row).text() for row in range(panel.items.count())]
    lenses = window.document.plan.kit.lenses
    assert all(any(lens.name in name for name in names) for lens in lenses)
    before = window.document.plan
    row = next(row for row, name in enumerate(names) if lenses[0].name in name)
    panel.items.setCurrentRow(row)
    renamed = before.model_copy(
        update={"kit": before.kit.model_copy(update={"lenses": before.kit.lenses[1:] or before.kit.lenses})}
    )
    window.document.open(renamed, None)
    panel._emit_item(panel.take_wanted)
    assert lenses[0].name in [lens.name for lens in window.document.plan.kit.lenses]
    window.document.undo_stack.undo()
    assert window.document.plan == renamed


def test_what_the_jobs_teach_is_shown_and_taken_only_when_asked(qtbot, window: MainWindow) -> None:
    window.show_station("keep")
    panel, desk, plan = keep_panel(window), window.keep_desk, window.document.plan
    lens = plan.kit.lenses[0].name
    check = a_check(*(a_mark(name, away=10.0 + 0.2 * k) for k, name in enumerate(("Gate", "Wall"))))
    for title in ("One", "Two"):
        content = {"title": title, "marks": [{"name": "Gate"}, {"name": "Wall"}]}
        entry = entry_of(content, check=check, run={"method": "series"}, promised=0.9, lens=lens, planned_s=10,
                         taken_s=15)  # fmt: skip
        desk.book().add(entry)
    panel.setCurrentWidget(panel.lessons)
    qtbot.waitUntil(lambda: len(panel.lessons.diagram.promises) == 1, timeout=30_000)
    qtbot.waitUntil(lambda: desk._learning is None)
    assert "2 of 2" in panel.lessons.methods.text()
    assert "2 of 2" in panel.lessons.diagram.accessibleDescription()
    # The point lies at the promise, between none and all.
    at = panel.lessons.diagram.place(0.9, panel.lessons.diagram.promises[0].share.value)
    assert panel.lessons.diagram.place(0.0, 1.0).y() < at.y() < panel.lessons.diagram.place(0.0, 0.0).y()
    assert window.document.plan == plan
    buttons = panel.lessons.findChildren(QPushButton)
    for button in buttons:
        QTest.mouseClick(button, LEFT)
    taken = window.document.plan
    assert all(mark.plus_minus_m > 0.0 for mark in taken.marks)
    assert taken.kit.lenses[0].focus_plus_minus_mm > 0.0
    assert taken.kit.times.refocus_s > plan.kit.times.refocus_s
    for _ in buttons:
        window.document.undo_stack.undo()
    assert window.document.plan == plan


def test_a_note_is_told_anew_and_two_jobs_are_held_side_by_side(qtbot, window: MainWindow) -> None:
    window.show_station("keep")
    panel = keep_panel(window).jobs
    QTest.mouseClick(panel.log_button, LEFT)
    renamed = window.document.plan.model_copy(update={"title": "The other yard"})
    window.document.open(renamed, None)
    QTest.mouseClick(panel.log_button, LEFT)
    row = next(row for row, title in enumerate(titles(window)) if title == "The other yard")
    panel.entries.selectRow(row)
    assert "The other yard" in panel.lines.text()
    panel.tags.setText("dawn, dawn")
    panel.tags.editingFinished.emit()
    assert panel.tags.text() == "dawn"
    panel.search.setText("dawn")
    assert titles(window) == ["The other yard"]
    panel.search.clear()
    panel.entries.selectAll()
    assert panel.below.currentWidget() is panel.differences
    shown = {
        panel.differences.item(row, 0).text(): [panel.differences.item(row, column).text() for column in (1, 2)]
        for row in range(panel.differences.rowCount())
    }
    assert "The other yard" in shown["title"]
    assert not panel.open_button.isEnabled()
    assert panel.entries.isColumnHidden(4) == (window.document.plan.site is None)
    weighed(qtbot, window)


def test_a_job_opened_for_another_day_has_its_time_there_and_tells_the_light(qtbot, window: MainWindow) -> None:
    window.show_station("keep")
    panel = keep_panel(window).jobs
    site = {"latitude_deg": 51.0, "longitude_deg": 4.0, "from": "2027-06-21T10:00Z"}
    plan = Plan.model_validate(window.document.plan.model_dump(by_alias=True) | {"site": site})
    window.document.open(plan, None)
    QTest.mouseClick(panel.log_button, LEFT)
    panel.entries.selectRow(0)
    panel.day.setDate(QDate(2027, 12, 21))
    QTest.mouseClick(panel.again_button, LEFT)
    assert window.document.plan.site.from_.date().isoformat() == "2027-12-21"
    said = " ".join(label.text() for label in window.message.findChildren(QLabel))
    assert "darker" in said
    weighed(qtbot, window)


def test_the_book_is_backed_up_and_brought_back(qtbot, window: MainWindow, tmp_path, monkeypatch) -> None:
    window.show_station("keep")
    panel = keep_panel(window).jobs
    desk = window.keep_desk.jobs
    QTest.mouseClick(panel.log_button, LEFT)
    for name, act in (("copy.sqlite", desk.back_up), ("jobs.csv", desk.export), ("jobs.json", desk.export)):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args, name=name: (str(tmp_path / name), ""))
        act()
        assert (tmp_path / name).stat().st_size > 100
    panel.entries.selectRow(0)
    QTest.mouseClick(panel.remove_button, LEFT)
    assert titles(window) == []
    monkeypatch.setattr(QMessageBox, "question", lambda *_args: QMessageBox.StandardButton.Cancel)
    desk.restore_from(tmp_path / "copy.sqlite")
    assert titles(window) == []
    monkeypatch.setattr(QMessageBox, "question", lambda *_args: QMessageBox.StandardButton.Ok)
    desk.restore_from(tmp_path / "jobs.csv")
    assert titles(window) == []
    desk.restore_from(tmp_path / "copy.sqlite")
    assert titles(window) == [window.document.plan.title]
    weighed(qtbot, window)


def test_the_shelf_is_sifted_and_handed_on(qtbot, window: MainWindow, tmp_path, monkeypatch) -> None:
    window.show_station("keep")
    panel = keep_panel(window)
    panel.put_wanted.emit()
    count = panel.items.count()
    lens = window.document.plan.kit.lenses[0].name
    panel.item_search.setText(f"lens {lens}")
    shown = [panel.items.item(row).text() for row in range(count) if not panel.items.item(row).isHidden()]
    assert shown
    assert len(shown) < count
    panel.item_search.clear()
    for name in ("gear.csv", "gear.json"):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args, name=name: (str(tmp_path / name), ""))
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_args, name=name: (str(tmp_path / name), ""))
        panel.gear_out_wanted.emit()
        panel.gear_in_wanted.emit()
        assert panel.items.count() == count
    more = json.loads((tmp_path / "gear.json").read_text())
    more["pieces"] = [{"kind": "tripod", "name": "Three legs", "content": {"name": "Three legs"}}]
    (tmp_path / "gear.json").write_text(json.dumps(more))
    panel.gear_in_wanted.emit()
    assert panel.items.count() == count + 1
    button = next(b for b in window.message.findChildren(QPushButton) if b.text() == "As it was")
    QTest.mouseClick(button, LEFT)
    assert panel.items.count() == count
    weighed(qtbot, window)


def test_a_full_book_shows_its_newest_and_says_so(qtbot) -> None:
    page = JobsPage()
    qtbot.addWidget(page)
    jobs = [entry_of({"title": f"job {k}"}) for k in range(MOST_SHOWN + 5)]
    page.show_entries(jobs, [1.0] * len(jobs))
    assert page.entries.rowCount() == MOST_SHOWN
    assert str(MOST_SHOWN + 5) in page.empty.text()
    page.show_entries(jobs[:3])
    assert page.entries.rowCount() == 3
    assert page.empty.text() == ""
