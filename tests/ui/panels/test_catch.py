"""Catching marks in the window, and marks from and to files."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from tests.ui.conftest import weighed
from tests.ui.panels.test_lens_forms import chosen, typed
from verispect.ui.window.main_window import MainWindow


def way(window: MainWindow, key: str):
    box = window.subject.catch.way_box
    box.setCurrentIndex(box.findData(key))
    return window.subject.catch.forms[key]


def last(window: MainWindow):
    return window.document.plan.marks[-1]


def test_a_mark_by_tape_is_added_selected_and_undone(qtbot, window: MainWindow) -> None:
    count = len(window.document.plan.marks)
    form = way(window, "tape")
    typed(form, "name", "Post")
    typed(form, "away_m", "12 ft 6 in")
    typed(form, "side_m", "-40cm")
    QTest.mouseClick(window.subject.catch.add_button, Qt.MouseButton.LeftButton)
    assert (last(window).name, last(window).z_m, last(window).x_m) == ("Post", pytest.approx(3.81), -0.4)
    assert window.subject.table.currentIndex().row() == count
    assert form.fields["name"].text() == ""
    window.document.undo_stack.undo()
    assert len(window.document.plan.marks) == count


def test_a_mark_by_laser_from_a_spot(window: MainWindow) -> None:
    form = way(window, "laser")
    typed(form, "slope_m", "8")
    chosen(form, "stands", "spot")
    typed(form, "spot_side_m", "2")
    window.subject.catch.add()
    assert (last(window).x_m, last(window).z_m, last(window).plus_minus_m) == (2.0, 8.0, 0.01)


def test_a_mark_by_the_focus_scale_of_a_lens(qtbot, window: MainWindow) -> None:
    form = way(window, "focus scale")
    typed(form, "lens", "45 tilt")
    typed(form, "scale_m", "5")
    window.subject.catch.add()
    assert 4.8 < last(window).z_m < 5.0
    weighed(qtbot, window)
    typed(form, "lens", "lost")
    window.subject.catch.add()
    assert "name a lens of the kit" in window.subject.catch.complaint.text()


def test_a_mark_on_a_map_uses_the_site(window: MainWindow) -> None:
    form = way(window, "map")
    typed(window.subject.catch.site_form, "away_azimuth_deg", "90")
    site = window.document.plan.site
    assert site.away_azimuth_deg == 90.0
    typed(form, "latitude_deg", f"{site.latitude_deg}")
    typed(form, "longitude_deg", f"{site.longitude_deg + 0.001}")
    typed(form, "elevation_m", f"{site.elevation_m} m")
    window.subject.catch.add()
    assert last(window).z_m == pytest.approx(76.0, abs=1.0)


def test_a_wrong_figure_is_said_beside_its_field(window: MainWindow) -> None:
    form = way(window, "infinity")
    typed(form, "bearing_deg", "400")
    assert "less than or equal to 180" in form._complaints["bearing_deg"].text()


def test_marks_go_out_and_come_in_as_files(window: MainWindow, tmp_path: Path, monkeypatch) -> None:
    before = window.document.plan.marks
    for suffix in (".csv", ".gpx"):
        path = tmp_path / f"out{suffix}"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, path=path: (str(path.with_suffix("")), ""))
        window.marks_desk.write(suffix)
        assert path.exists()
        window.marks_desk.read_path(path)
        assert len(window.document.plan.marks) == 2 * len(before)
        assert window.document.plan.marks[-1].z_m == pytest.approx(before[-1].z_m, abs=0.01)
        window.document.undo_stack.undo()
        assert window.document.plan.marks == before


def test_a_table_with_bad_rows_says_which(window: MainWindow, tmp_path: Path) -> None:
    path = tmp_path / "bad.csv"
    path.write_text("name,x [m],y [m],z [m]\na,0,1,2\nb,0,one,2\n", encoding="utf-8")
    window.marks_desk.read_path(path)
    assert "1 marks added, 1 rows not: row 3, y [m]: 'one' is no length" in window.message._words.text()
    path.write_bytes(b"\xff\xfe\x00broken")
    window.marks_desk.read_path(path)
    assert "this is no text" in window.message._words.text()
    window.marks_desk.read_path(tmp_path / "gone.csv")
    assert "cannot be read" in window.message._words.text()
