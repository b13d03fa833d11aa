"""The kit's lens tabs, the rows of their tables, and what they do to the plan, with mouse and keyboard."""

from __future__ import annotations

import math

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tests.ui.conftest import weighed
from verispect.kit.lens import Lens
from verispect.ui.window.main_window import MainWindow


def lens(window: MainWindow) -> Lens:
    return window.document.plan.kit.lenses[0]


def typed(form, key: str, text: str) -> None:
    field = form.fields[key]
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def chosen(form, key: str, value: str) -> None:
    box = form.fields[key]
    box.setCurrentIndex(box.findData(value))
    box.activated.emit(box.currentIndex())


@pytest.mark.parametrize(
    ("tab", "key", "text", "expected"),
    [
        ("movements", "tilt_scale_deg", "0.5", 0.5),
        ("movements", "tilt_pivot_mm", "35", 35.0),
        ("main", "pupil_behind_front_mm", "42", 42.0),
        ("main", "falloff_stops", "2,5", 2.5),
        ("focus", "focus_plus_minus_mm", "0.02", 0.02),
    ],
)
def test_fields_of_every_tab_change_the_lens(window: MainWindow, tab, key, text, expected) -> None:
    window.show_station("kit")
    typed(getattr(window.kit.lens_forms, tab), key, text)
    assert getattr(lens(window), key) == expected
    window.document.undo_stack.undo()
    assert getattr(lens(window), key) != expected


def test_a_rotating_mount_with_detents_is_weighed(qtbot, window: MainWindow) -> None:
    window.show_station("kit")
    form = window.kit.lens_forms.movements
    chosen(form, "tilt_mount", "rotating")
    typed(form, "detents_deg", "30")
    weighed(qtbot, window)
    ax, ay, _ = window.weighing.by_key("tilt").exposures[0].state.axis
    turned = math.degrees(math.atan2(ay, ax)) / 30.0
    assert turned == pytest.approx(round(turned), abs=1e-6)
    window.show_station("set")
    assert "with the mount turned" in window.set.why.toPlainText()


def test_an_inner_focusing_lens_asks_for_its_magnification_beside_the_field(window: MainWindow) -> None:
    window.show_station("kit")
    form = window.kit.lens_forms.focus
    before = window.document.plan
    chosen(form, "focusing", "internal")
    assert "closest_magnification" in form._complaints["focusing"].text()
    assert window.document.plan is before
    typed(form, "closest_magnification", "0.2")
    chosen(form, "focusing", "internal")
    assert lens(window).focusing == "internal"


def test_fitted_tubes_change_what_the_lens_can_do(qtbot, window: MainWindow) -> None:
    window.show_station("kit")
    typed(window.kit.lens_forms.fitted, "tube_mm", "12")
    weighed(qtbot, window)
    assert lens(window).fitted.tube_mm == 12.0
    assert not window.weighing.by_key("tilt").holds


def test_rows_of_own_blur_are_added_typed_and_removed(qtbot, window: MainWindow) -> None:
    window.show_station("kit")
    forms = window.kit.lens_forms
    forms.setCurrentIndex(5)
    rows = forms.residual
    while lens(window).residual:
        QTest.mouseClick(rows.remove_button, Qt.MouseButton.LeftButton)
    QTest.mouseClick(rows.add_button, Qt.MouseButton.LeftButton)
    QTest.mouseClick(rows.add_button, Qt.MouseButton.LeftButton)
    rows.table.item(0, 0).setText("4")
    rows.table.item(0, 2).setText("14")
    assert [(row.f_number, row.corner_um) for row in lens(window).residual] == [(4.0, 14.0), (8.0, 0.0)]
    rows.table.item(1, 1).setText("soft")
    assert "is no number" in rows.complaint.text()
    rows.table.item(1, 1).setText("-2")
    assert "greater than or equal to 0" in rows.complaint.text()
    assert len(lens(window).residual) == 2
    QTest.mouseClick(rows.remove_button, Qt.MouseButton.LeftButton)
    assert len(lens(window).residual) == 1
    weighed(qtbot, window)


def test_zoom_rows_take_empty_cells_and_ranges(window: MainWindow) -> None:
    window.show_station("kit")
    rows = window.kit.lens_forms.by_focal
    rows.add_row()
    rows.table.item(0, 1).setText("3.5-22")
    rows.table.item(0, 3).setText("1.7")
    row = lens(window).by_focal[0]
    assert (row.f_numbers, row.pupil_magnification, row.closest_m) == ((3.5, 22.0), 1.7, None)
    rows.table.item(0, 3).setText("")
    assert lens(window).by_focal[0].pupil_magnification is None


def test_film_filters_and_refused_stops(qtbot, window: MainWindow) -> None:
    window.show_station("kit")
    typed(window.kit.film_form, "exponent", "1.3")
    typed(window.kit.use_form, "filter_stops", "6")
    typed(window.kit.use_form, "refuse_smallest", "3")
    kit = window.document.plan.kit
    assert (kit.body.film.exponent, kit.filter_stops, kit.refuse_smallest) == (1.3, 6.0, 3)
    typed(window.kit.film_form, "exponent", "1")
    assert window.document.plan.kit.body.film is None
    typed(window.kit.camera_form, "back_tilt_deg", "10")
    assert window.document.plan.kit.body.back_tilt_deg == 10.0


def test_reasons_tell_scales_circle_stops_depth_time_and_certainty(qtbot, window: MainWindow) -> None:
    window.subject.model.setData(window.subject.model.index(0, 4), "20 cm")
    window.show_station("kit")
    typed(window.kit.lens_forms.movements, "tilt_scale_deg", "0.5")
    weighed(qtbot, window)
    window.show_station("set")
    text = window.set.why.toPlainText()
    for said in ("On the scales", "Image circle", "How much the stop matters", "Depth along the view", "Time",
                 "Longest time without a smear", "How sure", "of 100 tries"):  # fmt: skip
        assert said in text
    assert "marks of the scales" in window.set.heading.text()


def test_weigh_shows_the_schools_and_takes_a_screen(qtbot, window: MainWindow) -> None:
    window.show_station("weigh")
    text = window.weigh.text.toPlainText()
    assert "a third of the way to the farthest must" in text
    assert "the hyperfocal distance at this stop" in text
    chosen(window.weigh.wish_form, "detail_from", "screen")
    weighed(qtbot, window)
    plan = window.document.plan
    assert plan.criterion(24.0).frequency == pytest.approx(3840 / 3.0 / 36.0)
    window.show_station("set")
    assert "pixels" in window.set.why.toPlainText()


def test_a_lens_that_cannot_be_is_said_and_can_be_undone(qtbot, window: MainWindow) -> None:
    window.show_station("kit")
    typed(window.kit.lens_forms.focus, "front_ahead_mm", "100")
    typed(window.kit.lens_forms.fitted, "close_up_dioptres", "50")
    weighed(qtbot, window)
    window.show_station("weigh")
    assert "makes no camera lens" in window.weigh.text.toPlainText()
    way = window.subject.catch.way_box
    way.setCurrentIndex(way.findData("focus scale"))
    window.subject.catch.add()
    assert "makes no camera lens" in window.subject.catch.complaint.text()
    window.document.undo_stack.undo()
    weighed(qtbot, window)
    assert window.weighing is not None


def test_a_figure_may_carry_its_plus_minus(window: MainWindow) -> None:
    window.show_station("kit")
    form = window.kit.lens_forms.main
    typed(form, "image_circle_mm", "66 ± 3")
    assert (lens(window).image_circle_mm, lens(window).plus_minus["image_circle_mm"]) == (66.0, 3.0)
    assert form.fields["image_circle_mm"].text() == "66 ± 3"
    typed(form, "closest_m", "21 cm +- 2 cm")
    assert lens(window).plus_minus["closest_m"] == pytest.approx(0.02)
    typed(form, "image_circle_mm", "66")
    assert "image_circle_mm" not in lens(window).plus_minus
    before = lens(window)
    typed(form, "image_circle_mm", "66 ± wide")
    assert lens(window) == before
