"""The job done in the window with mouse and keyboard, offscreen."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QLineEdit, QMessageBox

from tests.conftest import ROOT
from tests.ui.conftest import drag, drag_handle, handle, weighed
from verispect.files.plan_file import read_plan
from verispect.plan.methods.method import METHOD_KEYS
from verispect.ui.window.main_window import MainWindow


def type_into(field: QLineEdit, text: str) -> None:
    field.setFocus()
    field.selectAll()
    QTest.keyClick(field, Qt.Key.Key_Delete)
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def mark(window: MainWindow, index: int):
    return window.document.plan.marks[index]


# Drawings ----------------------------------------------------------------------------------------------


def test_dragging_a_mark_in_the_elevation_moves_it_along_and_up(qtbot, window: MainWindow) -> None:
    board, before = window.board.elevation, mark(window, 5)
    which = handle(board, "mark", 5)
    size = board.canvas.view.unit_per_px
    drag_handle(qtbot, board, which, (-40, 20))
    after = mark(window, 5)
    assert after.z_m == pytest.approx(before.z_m - 40 * size[0], abs=0.02 + 2 * size[0])
    assert after.y_m == pytest.approx(before.y_m - 20 * size[1], abs=0.02 + 2 * size[1])
    assert after.x_m == before.x_m
    assert window.document.undo_stack.count() == 1
    assert window.document.undo_stack.undoText() == "move of Tower clockface"
    window.document.undo_stack.undo()
    assert mark(window, 5) == before
    window.document.undo_stack.redo()
    assert mark(window, 5) == after


def test_a_drag_previews_and_only_its_end_is_a_change(qtbot, window: MainWindow) -> None:
    board, before = window.board.ground, mark(window, 3)
    drag_handle(qtbot, board, handle(board, "mark", 3), (30, 0), drop=False)
    assert window.document.plan.marks[3] == before
    assert window.document.shown.marks[3].x_m > before.x_m
    assert window.document.undo_stack.count() == 0
    place = board.window_place(*[handle(board, "mark", 3).across, handle(board, "mark", 3).up])
    QTest.mouseRelease(board.canvas, Qt.MouseButton.LeftButton, pos=place.toPoint())
    assert window.document.undo_stack.count() == 1
    assert mark(window, 3).x_m > before.x_m
    assert mark(window, 3).y_m == before.y_m


def test_dragging_a_mark_in_the_frame_keeps_its_depth(qtbot, window: MainWindow) -> None:
    board, before = window.board.frame, mark(window, 4)
    drag_handle(qtbot, board, handle(board, "mark", 4), (25, -15))
    after = mark(window, 4)
    assert after.z_m == pytest.approx(before.z_m, abs=2e-3)
    assert after.x_m > before.x_m
    assert after.y_m > before.y_m


def test_dragging_the_focus_turns_the_plane_about_the_hinge(qtbot, window: MainWindow) -> None:
    board = window.board.elevation
    start = window.shown.exposure
    drag_handle(qtbot, board, handle(board, "focus"), (60, 0))
    assert window.shown.by_hand
    moved = window.shown.exposure
    assert moved.tilt_deg == pytest.approx(start.tilt_deg, abs=1e-6)
    assert moved.state.image_distance_mm < start.state.image_distance_mm
    assert window.set.best_button.isVisibleTo(window.set)
    window.document.undo_stack.undo()
    assert not window.shown.by_hand


def test_dragging_the_plane_changes_the_tilt_and_keeps_the_crossing(qtbot, window: MainWindow) -> None:
    from verispect.optics.lens_state import plane_of_sharp_focus

    board = window.board.elevation
    start = window.shown.exposure
    drag_handle(qtbot, board, handle(board, "plane"), (0, 60))
    moved = window.shown.exposure
    assert moved.tilt_deg > start.tilt_deg + 0.05
    assert plane_of_sharp_focus(moved.state)[2] == pytest.approx(plane_of_sharp_focus(start.state)[2], rel=1e-6)
    window.set.best_wanted.emit()
    assert not window.shown.by_hand


def test_dragging_the_plane_in_the_ground_drawing_changes_the_swing(qtbot, window: MainWindow) -> None:
    board = window.board.ground
    start = window.shown.exposure
    drag_handle(qtbot, board, handle(board, "plane"), (0, -50))
    moved = window.shown.exposure
    assert abs(moved.swing_deg - start.swing_deg) > 0.02
    assert moved.tilt_deg == pytest.approx(start.tilt_deg, abs=1e-6)


def test_tilt_by_hand_stops_at_the_limit_of_the_lens(qtbot, window: MainWindow) -> None:
    board = window.board.elevation
    window.board.elevation.canvas.set_range((-2.0, 12.0, -3.0, 4.0))
    drag_handle(qtbot, board, handle(board, "plane"), (-100, 300), steps=8)
    assert abs(window.shown.exposure.tilt_deg) <= 8.5 + 1e-9


def test_dragging_the_paper_pans_and_the_wheel_zooms(qtbot, window: MainWindow) -> None:
    board = window.board.elevation
    before = board.visible()
    drag(qtbot, board, QPointF(200, 40), (50, 0))
    panned = board.visible()
    assert panned[0] < before[0]
    assert window.document.undo_stack.count() == 0
    QTest.keyClick(board.canvas, Qt.Key.Key_Plus)
    zoomed = board.visible()
    assert zoomed[1] - zoomed[0] < panned[1] - panned[0]
    window.board.fit()
    assert board.visible()[1] == pytest.approx(before[1], rel=0.05)


def test_arrows_nudge_the_selected_mark_as_one_change_each(qtbot, window: MainWindow) -> None:
    window.select_mark(0)
    before = mark(window, 0)
    QTest.keyClick(window.board.elevation.canvas, Qt.Key.Key_Right)
    near = mark(window, 0).z_m - before.z_m
    QTest.keyClick(window.board.elevation.canvas, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    far = mark(window, 0).z_m - before.z_m - near
    assert near > 0.0
    assert far == pytest.approx(5.0 * near, rel=0.1)
    assert window.document.undo_stack.count() == 2


def test_clicking_a_mark_selects_it_everywhere(qtbot, window: MainWindow) -> None:
    board = window.board.frame
    which = handle(board, "mark", 4)
    QTest.mouseClick(board.canvas, Qt.MouseButton.LeftButton,
                     pos=board.window_place(which.across, which.up).toPoint())  # fmt: skip
    # A single click is told from a double one by waiting for the second.
    qtbot.waitUntil(lambda: window.subject.table.currentIndex().row() == 4, timeout=2000)
    assert all(board.selected == 4 for board in window.board.boards)


def test_ground_hatching_agrees_with_the_softness_of_points_in_it(window: MainWindow) -> None:
    from verispect.optics.blur import blur_axes_mm
    from verispect.plan.frames.focus_traces import focus_traces

    exposure = window.shown.exposure
    section = window.board.ground.section(window.shown)
    [polygon] = focus_traces(exposure, section).sharp_region((-8, 8, 1, 25))
    middle = polygon.mean(axis=0)
    edge = polygon[0] + 0.5 * (polygon[1] - polygon[0])
    for place, sharp in ((middle, True), (middle + 0.97 * (edge - middle), True)):
        world = section.lift(place)
        seen = (world - exposure.position_m) @ exposure.pose.matrix.T * 1000.0
        blur = float(blur_axes_mm(seen, exposure.state)[0])
        assert (blur <= exposure.allowed_blur_mm * 1.02) == sharp


# The strip, the way, the panels ------------------------------------------------------------------------


def test_every_method_is_in_the_strip_and_the_advised_one_is_shown(window: MainWindow) -> None:
    assert list(window.strip.cells) == list(METHOD_KEYS)
    assert window.strip.cells["tilt"].advised
    assert window.strip.cells["tilt"].isChecked()
    assert window.shown.candidate.key == "tilt"


@pytest.mark.parametrize("key", METHOD_KEYS)
def test_taking_a_method_shows_its_frames_and_can_be_undone(qtbot, window: MainWindow, key: str) -> None:
    QTest.mouseClick(window.strip.cells[key], Qt.MouseButton.LeftButton)
    weighed(qtbot, window)
    assert window.document.plan.choice.method == key
    assert window.shown.candidate.key == key
    window.show_station("set")
    assert window.set.table.rowCount() == window.shown.candidate.frame_count
    if not window.shown.candidate.fits:
        said = "no focusing rail" if key == "rail-series" else "shows the whole picture in one frame"
        assert said in window.set.heading.text()
        assert not window.set.sheet_button.isEnabled()
    window.document.undo_stack.undo()
    assert window.document.plan.choice.method is None


def test_the_strip_tells_of_a_must_beside_the_picture(qtbot, window: MainWindow) -> None:
    camera = window.document.plan.camera.model_copy(update={"bearing_deg": 14.0})
    window.document.update("camera", camera=camera)
    weighed(qtbot, window)
    assert window.strip.cells["tilt"].toolTip().endswith("1 must outside")
    assert window.strip.cells["tilt"].advised


def test_strip_follows_a_change_at_once(qtbot, window: MainWindow) -> None:
    before = window.weighing.by_key("one-frame").worst_softness
    window.show_station("subject")
    index = window.subject.model.index(0, 3)
    assert window.subject.model.setData(index, "1.9 m")
    weighed(qtbot, window)
    assert window.weighing.by_key("one-frame").worst_softness > before


def test_undo_and_redo_have_their_keys(window: MainWindow) -> None:
    window.subject.add_mark()
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(window.document.plan.marks) == 7
    both = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    QTest.keyClick(window, Qt.Key.Key_Z, both)
    assert len(window.document.plan.marks) == 8


def test_way_goes_to_every_station_and_says_how_it_stands(qtbot, window: MainWindow) -> None:
    for number, key in enumerate(window.panels, start=1):
        QTest.keyClick(window, getattr(Qt.Key, f"Key_{number}"), Qt.KeyboardModifier.ControlModifier)
        assert window.station() == key
    said = [window.way.buttons[key].accessibleName() for key in ("shoot", "prove", "keep")]
    assert said == ["Shoot: no run yet", "Prove: nothing checked", "Keep: logbook, shelf"]


@pytest.mark.parametrize(
    ("column", "typed", "key", "expected"),
    [
        (1, "12 ft 6 in", "x_m", 3.81),
        (2, "380cm", "y_m", 3.8),
        (3, "7,25", "z_m", 7.25),
        (0, "Kerb", "name", "Kerb"),
        (5, "should", "need", "should"),
        (4, "7 cm", "plus_minus_m", 0.07),
        (6, "2.5", "weight", 2.5),
        (7, "15", "speed_mm_s", 15.0),
    ],
)
def test_table_takes_what_is_typed(window: MainWindow, column: int, typed: str, key: str, expected) -> None:
    assert window.subject.model.setData(window.subject.model.index(1, column), typed)
    assert getattr(mark(window, 1), key) == (pytest.approx(expected) if isinstance(expected, float) else expected)
    assert window.document.undo_stack.count() == 1


@pytest.mark.parametrize(
    ("column", "typed", "said"),
    [(1, "far", "is no length"), (6, "-1", "greater than 0"), (6, "x", "is no number"), (5, "perhaps", "'must'"),
     (3, "1e9", "out of range"), (7, "nan", "no number")],
)  # fmt: skip
def test_table_refuses_with_a_sentence_and_keeps_the_plan(window: MainWindow, column, typed, said) -> None:
    before = window.document.plan
    assert not window.subject.model.setData(window.subject.model.index(1, column), typed)
    assert said in window.subject.marks.complaint.text()
    assert window.document.plan is before


def test_marks_are_added_and_removed(qtbot, window: MainWindow) -> None:
    QTest.mouseClick(window.subject.marks.add_button, Qt.MouseButton.LeftButton)
    assert len(window.document.plan.marks) == 8
    assert window.subject.table.currentIndex().row() == 7
    QTest.mouseClick(window.subject.marks.remove_button, Qt.MouseButton.LeftButton)
    assert len(window.document.plan.marks) == 7


def test_camera_form_takes_feet_and_refuses_nonsense(qtbot, window: MainWindow) -> None:
    window.subject.show_page("camera")
    field = window.subject.camera_form.fields["height_m"]
    type_into(field, "5 ft 3 in")
    assert window.document.plan.camera.height_m == pytest.approx(1.6002)
    type_into(field, "-2 m")
    assert window.document.plan.camera.height_m == pytest.approx(1.6002)
    complaint = window.subject.camera_form._complaints["height_m"]
    assert "greater than or equal to 0" in complaint.text()
    assert complaint.isVisibleTo(window.subject.camera)


def test_visiting_a_rounded_field_does_not_change_the_plan(qtbot, window: MainWindow) -> None:
    camera = window.document.plan.camera.model_copy(update={"height_m": 1.6049})
    window.document.update("x", camera=camera)
    field = window.subject.camera_form.fields["height_m"]
    assert field.text() == "1.60 m"
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert window.document.plan.camera.height_m == 1.6049


def test_kit_form_changes_the_lens_in_hand(qtbot, window: MainWindow) -> None:
    window.show_station("kit")
    window.kit.lens_box.setCurrentIndex(1)
    window.kit.lens_box.activated.emit(1)
    type_into(window.kit.lens_forms.main.fields["f_numbers"], "3.5-32")
    lens = window.document.plan.kit.lenses[1]
    assert lens.f_numbers == (3.5, 32)
    type_into(window.kit.lens_forms.main.fields["image_circle_mm"], "")
    assert window.document.plan.kit.lenses[1].image_circle_mm is None
    type_into(window.kit.lens_forms.main.fields["focal_mm"], "90")
    assert window.document.plan.kit.lenses[1].focal_mm == (90, 90)
    type_into(window.kit.lens_forms.main.fields["f_numbers"], "22 4")
    assert window.document.plan.kit.lenses[1].f_numbers == (3.5, 32)
    assert "widest" in window.kit.lens_forms.main._complaints["f_numbers"].text()


def test_lenses_are_added_and_removed_and_the_head_unchecked(qtbot, window: MainWindow) -> None:
    window.kit.add_lens()
    assert len(window.document.plan.kit.lenses) == 4
    for _ in range(4):
        window.kit.remove_lens()
    weighed(qtbot, window)
    assert window.session.complaint.startswith("kit.lenses")
    assert not window.kit.remove_button.isEnabled()
    window.document.undo_stack.setIndex(0)
    weighed(qtbot, window)
    assert window.session.complaint == ""
    window.kit.head_box.click()
    weighed(qtbot, window)
    assert not window.weighing.by_key("turned-grid").fits


def test_wish_form_changes_the_rule_and_the_reasons_follow(qtbot, window: MainWindow) -> None:
    window.show_station("weigh")
    box = window.weigh.wish_form.fields["rule"]
    box.setCurrentIndex(box.findData("disc"))
    box.activated.emit(box.currentIndex())
    weighed(qtbot, window)
    assert window.document.plan.wish.rule == "disc"
    assert window.weighing.by_key("tilt").criterion.rule == "disc"
    assert "Advised" in window.weigh.text.toPlainText()


def test_set_shows_every_frame_and_picks_its_plane(qtbot, window: MainWindow) -> None:
    window.take_method("series")
    weighed(qtbot, window)
    window.show_station("set")
    table = window.set.table
    assert table.rowCount() == 2
    table.setCurrentCell(1, 0)
    qtbot.waitUntil(lambda: window.shown.frame == 1)
    assert window.shown.exposure is window.shown.candidate.exposures[1]
    assert "Number of frames" in window.set.why.toPlainText()


def test_a_mark_behind_the_lens_is_said_and_can_be_undone(qtbot, window: MainWindow) -> None:
    assert window.subject.model.setData(window.subject.model.index(0, 3), "-3 m")
    window.show_station("weigh")
    weighed(qtbot, window)
    assert "behind the lens" in window.weigh.text.toPlainText()
    assert "cannot weigh" in window.way.buttons["weigh"].accessibleName()
    window.document.undo_stack.undo()
    weighed(qtbot, window)
    assert window.weighing is not None


def test_an_empty_plan_says_what_to_do_first(qtbot, window: MainWindow) -> None:
    window.desk.new()
    weighed(qtbot, window)
    assert window.subject.marks.empty.isVisibleTo(window.subject)
    assert window.document.plan.kit.lenses  # the kit stays
    window.show_station("set")
    assert "at least one mark" in window.set.heading.text()


def test_feet_and_dusk_are_remembered(qtbot, window: MainWindow) -> None:
    window.set_system("imperial")
    assert window.subject.model.data(window.subject.model.index(0, 3), Qt.ItemDataRole.DisplayRole) == "8 ft 6.5 in"
    window.apply_theme("dusk")
    assert window.preferences.system == "imperial"
    assert window.preferences.theme == "dusk"


# Files -------------------------------------------------------------------------------------------------


def answer(monkeypatch, path: Path) -> None:
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))


def test_save_open_and_recent(qtbot, window: MainWindow, tmp_path: Path, monkeypatch) -> None:
    path = tmp_path / "job.verispect"
    answer(monkeypatch, path)
    window.subject.add_mark()
    assert window.isWindowModified()
    assert window.desk.save()
    assert not window.isWindowModified()
    assert len(read_plan(path).marks) == 8
    assert window.preferences.recent == [path]
    window.desk.new()
    window.desk.choose_and_open()
    assert len(window.document.plan.marks) == 8
    assert window.windowTitle().startswith("job.verispect")


def test_opening_a_broken_file_keeps_the_plan_and_says_why(window: MainWindow, tmp_path: Path) -> None:
    path = tmp_path / "broken.verispect"
    path.write_text("{")
    before = window.document.plan
    window.open_path(path)
    assert window.document.plan is before
    assert "one whole JSON object" in window.message.text


def test_a_newer_file_opens_to_look_at_and_is_not_saved_over(qtbot, window, tmp_path, monkeypatch) -> None:
    path = tmp_path / "newer.verispect"
    content = json.loads((ROOT / "examples" / "deep-landscape.verispect").read_text())
    path.write_text(json.dumps(content | {"version": 9}))
    before = path.read_text()
    window.open_path(path)
    assert window.document.read_only
    assert "newer one is needed" in window.message.text
    answer(monkeypatch, tmp_path / "copy.verispect")
    assert window.desk.save()
    assert path.read_text() == before
    assert (tmp_path / "copy.verispect").exists()


def test_a_save_that_fails_is_said_and_the_work_stays_unsaved(window: MainWindow, tmp_path: Path) -> None:
    window.subject.add_mark()
    window.document.path = tmp_path / "gone" / "plan.verispect"
    assert not window.desk.save()
    assert "could not be written" in window.message.text
    assert window.isWindowModified()


@pytest.mark.parametrize(("button", "closes"), [("Cancel", False), ("Discard", True)])
def test_unsaved_work_is_guarded(window: MainWindow, monkeypatch, button: str, closes: bool) -> None:
    window.subject.add_mark()
    monkeypatch.setattr(QMessageBox, "warning", lambda *_: getattr(QMessageBox.StandardButton, button))
    assert window.desk.may_leave() is closes


def test_unsaved_work_is_kept_and_brought_back_after_a_crash(qtbot, window: MainWindow, tmp_path: Path) -> None:
    window.subject.add_mark()
    window.desk.autosave()
    [copy] = list((tmp_path / "recovery").iterdir())
    content = json.loads(copy.read_text())
    # The same copy, from a process that is gone.
    from tests.files.test_recovery import ended_process

    lost = copy.with_name("1-lost.recovery.json")
    lost.write_text(json.dumps(content | {"pid": ended_process()}))
    window.document.undo_stack.setClean()
    window.desk.new()
    window.desk.offer_recovery()
    assert "was not saved when the program broke off" in window.message.text
    window.message._buttons[0].click()
    assert len(window.document.plan.marks) == 8
    assert window.isWindowModified()
    assert not lost.exists()


def test_sheet_and_table_are_written(qtbot, window: MainWindow, tmp_path: Path, monkeypatch) -> None:
    from PyQt6.QtPdf import QPdfDocument

    answer(monkeypatch, tmp_path / "sheet")
    window.take_method("series")
    weighed(qtbot, window)
    window.desk.save_sheet()
    document = QPdfDocument(None)
    assert document.load(str(tmp_path / "sheet.pdf")) == QPdfDocument.Error.None_
    text = "".join(document.getAllText(page).text() for page in range(document.pageCount()))
    for words in ("Dye works", "Focus series", "f/7.1", "3.39 m", "Order of work", "In the hand", "Cautions", "Sun"):
        assert words in text
    page = document.render(0, document.pagePointSize(0).toSize() * 2)
    pixels = np.frombuffer(page.constBits().asstring(page.sizeInBytes()), np.uint8).reshape(page.height(), -1, 4)
    drawing = pixels[int(0.12 * page.height()) : int(0.45 * page.height())]
    assert (drawing[..., :3].min(axis=2) < 160).mean() > 0.005
    document.close()
    window.desk.save_table()
    assert (tmp_path / "sheet.csv").read_text(encoding="utf-8").startswith("frame,lens,")
    assert "Written" in window.message.text


def test_a_sheet_of_every_method_and_paper(qtbot, window: MainWindow, tmp_path: Path) -> None:
    from verispect.ui.paper.sheet import write_sheet
    from verispect.ui.state.session import look_again

    for candidate in window.weighing.candidates:
        if candidate.fits:
            shown = look_again(window.weighing.scene, candidate, 0, by_hand=False)
            for paper in ("A4", "Letter"):
                path = tmp_path / f"{candidate.key}-{paper}.pdf"
                write_sheet(shown, path, system="imperial", paper=paper)
                assert path.read_bytes().startswith(b"%PDF")


def test_every_action_has_a_key_or_stands_in_a_menu_and_fields_are_named(window: MainWindow) -> None:
    keys = [
        action.shortcut().toString()
        for action in window.actions() + window.findChildren(type(window.menuBar().actions()[0]))
    ]
    used = [key for key in keys if key]
    assert len(used) == len(set(used)), "two actions share a key"
    for field in window.findChildren(QLineEdit):
        if field.isVisibleTo(window):
            assert field.accessibleName()
    for cell in window.strip.cells.values():
        assert cell.accessibleName()
        assert cell.minimumSizeHint().height() >= 32


@pytest.mark.parametrize("theme", ["light", "dusk"])
def test_drawings_stand_on_the_paper_of_their_theme(window: MainWindow, theme: str) -> None:
    window.apply_theme(theme)
    for board in window.board.boards:
        picture = board.canvas.grab().toImage()
        left, right, top, bottom = board.canvas.view.area
        seen = {
            picture.pixelColor(int(x), int(y)).name()
            for x in np.linspace(left + 2, right - 2, 40)
            for y in np.linspace(top + 2, bottom - 2, 30)
        }
        assert window.theme.field.lower() in seen
        assert "#000000" not in seen


def test_the_sheet_of_a_rail_series_tells_where_the_camera_stands(qtbot, window: MainWindow, tmp_path: Path) -> None:
    from PyQt6.QtPdf import QPdfDocument

    from tests.plan.methods.test_rail_series import close_plan
    from verispect.plan.explain.frame_table import frame_rows
    from verispect.ui.paper.sheet import write_sheet

    window.document.open(close_plan(), None)
    weighed(qtbot, window)
    window.take_method("rail-series")
    weighed(qtbot, window)
    path = tmp_path / "rail.pdf"
    write_sheet(window.shown, path, system="metric", paper="A4")
    document = QPdfDocument(None)
    assert document.load(str(path)) == QPdfDocument.Error.None_
    text = "".join(document.getAllText(page).text() for page in range(document.pageCount()))
    document.close()
    second = f"{frame_rows(window.shown.candidate)[1].rail_mm:.3f} mm"
    assert "Rail" in text
    assert second in text
    window.show_station("set")
    assert window.set.table.item(1, 1).text() == second
    window.document.undo_stack.clear()


@pytest.mark.parametrize("theme", ["light", "dusk"])
def test_every_page_can_be_read_in_both_themes(window: MainWindow, theme: str) -> None:
    """The darkest against the lightest of every tab bar, as painted: contrast of 4.5 or more (WCAG 2.1, 1.4.3)."""
    window.apply_theme(theme)
    for key, tabs in (("subject", window.subject), ("weigh", window.weigh)):
        window.show_station(key)
        bar = tabs.tabBar()
        image = bar.grab().toImage()
        area = bar.tabRect(1).adjusted(4, 4, -4, -4)
        lights = []
        for x in range(area.left(), area.right()):
            for y in range(area.top(), area.bottom()):
                channels = [c / 255 for c in image.pixelColor(x, y).getRgb()[:3]]
                linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in channels]
                lights.append(0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2])
        assert (max(lights) + 0.05) / (min(lights) + 0.05) >= 4.5
