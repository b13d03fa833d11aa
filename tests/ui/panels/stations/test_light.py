"""The page of the light: typed place and time, the day in words and in the drawings, a search, and undo."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tests.ui.conftest import weighed
from verispect.ui.window.main_window import MainWindow

LEFT = Qt.MouseButton.LeftButton


def typed(field, text: str) -> None:
    field.clear()
    QTest.keyClicks(field, text)
    field.editingFinished.emit()


def test_place_and_time_are_typed_and_the_day_is_told_and_drawn(qtbot, window: MainWindow) -> None:
    weighed(qtbot, window)
    window.subject.show_page("light")
    page = window.subject.light
    qtbot.waitUntil(lambda: "light_desk" in window.__dict__)
    desk = window.light_desk
    window.document.update("no site", site=None)
    qtbot.waitUntil(lambda: "Give the place" in page.day.toPlainText(), timeout=30_000)
    assert window.board.frame.courses == ()
    typed(page.form.fields["latitude_deg"], "47")
    typed(page.form.fields["away_azimuth_deg"], "75")
    typed(page.times["from_"], "tomorrow")
    assert page.complaint.isVisibleTo(page)
    typed(page.times["from_"], "2027-06-14 06:30+02:00")
    assert not page.complaint.isVisibleTo(page)
    assert window.document.plan.site.from_.isoformat() == "2027-06-14T06:30:00+02:00"
    qtbot.waitUntil(lambda: "sunrise" in page.day.toPlainText(), timeout=60_000)
    qtbot.waitUntil(lambda: desk._job is None)
    assert "Never look at the Sun" in page.day.toPlainText()
    assert len(window.board.frame.courses) == 2
    strokes, words = window.board.frame.draw_courses(window.board.frame.shown, window.theme)
    assert strokes
    assert any(text.startswith("Sun ") for _, _, text in words)
    assert window.board.ground.draw_courses(window.board.ground.shown, window.theme)[0]
    QTest.mouseClick(page.course_box, LEFT)
    assert window.board.frame.courses == ()
    QTest.mouseClick(page.course_box, LEFT)
    assert len(window.board.ground.courses) == 2
    # Elsewhere the drawings are the subject's alone.
    window.subject.show_page("marks")
    assert window.board.frame.courses == ()
    # Back to no place, and again to the one that was worked out.
    window.subject.show_page("light")
    site = window.document.plan.site
    window.document.update("no site", site=None)
    qtbot.waitUntil(lambda: "Give the place" in page.day.toPlainText(), timeout=30_000)
    window.document.undo_stack.undo()
    assert window.document.plan.site == site
    qtbot.waitUntil(lambda: "sunrise" in page.day.toPlainText(), timeout=60_000)
    qtbot.waitUntil(lambda: desk._job is None)
    for _ in range(4):
        window.document.undo_stack.undo()
    weighed(qtbot, window)


def test_when_the_sun_stands_at_a_mark_and_from_where(qtbot, window: MainWindow) -> None:
    weighed(qtbot, window)
    window.subject.show_page("light")
    page = window.subject.light
    qtbot.waitUntil(lambda: "light_desk" in window.__dict__)
    page.search_form.fields["days"].setText("20")
    page.search_form.fields["days"].editingFinished.emit()
    assert page.search.days == 20
    QTest.mouseClick(page.search_button, LEFT)
    qtbot.waitUntil(lambda: "Never look" in page.found.toPlainText(), timeout=60_000)
    qtbot.waitUntil(lambda: window.light_desk._searching is None)
    QTest.mouseClick(page.stand_button, LEFT)
    assert "Stand " in page.found.toPlainText() or "no place" in page.found.toPlainText()
    qtbot.waitUntil(lambda: window.light_desk._job is None, timeout=60_000)
