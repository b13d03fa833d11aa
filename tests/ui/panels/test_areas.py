"""Surfaces, scans, photograph and camera pages, and the drawings' tools, with mouse and keyboard."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import QPoint, QPointF, QSize, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from tests.files.scans.test_scan_file import write
from tests.ui.conftest import drag, drag_handle, handle, weighed
from tests.ui.panels.test_lens_forms import chosen, typed
from verispect.subject.photograph import Photograph
from verispect.subject.scan import unpacked
from verispect.ui.drawings.frame_view import photograph_to_drawing
from verispect.ui.window.main_window import MainWindow


@pytest.fixture
def window(qtbot, window: MainWindow) -> MainWindow:
    """The window on the demo without its surfaces, so that those the tests add are the only ones."""
    window.document.open(window.document.plan.model_copy(update={"surfaces": ()}), None)
    weighed(qtbot, window)
    qtbot.waitUntil(lambda: window.weighing is not None and bool(window.board.elevation.handles()))
    return window


def add_surface(window: MainWindow, kind: str):
    page = window.subject.areas
    window.subject.show_page("areas")
    page.kind_box.setCurrentIndex(page.kind_box.findData(kind))
    QTest.mouseClick(page.add_button, Qt.MouseButton.LeftButton)
    return page


# Surfaces ----------------------------------------------------------------------------------------------


def test_a_surface_is_added_typed_weighed_and_undone(qtbot, window: MainWindow) -> None:
    window.select_mark(1)
    page = add_surface(window, "floor")
    [floor] = window.document.plan.surfaces
    # It begins at the selected mark.
    assert (floor.kind, floor.z_m, floor.x_m) == ("floor", 3.4, 0.9)
    typed(page.form, "length_m", "9 m")
    typed(page.form, "width_m", "8 ft")
    chosen(page.form, "need", "should")
    [floor] = window.document.plan.surfaces
    assert (floor.length_m, floor.width_m, floor.need) == (9.0, pytest.approx(2.4384), "should")
    weighed(qtbot, window)
    assert [area.name for area in window.weighing.scene.areas] == ["Floor 1"]
    assert "7 marks, 1 area" in window.way.buttons["subject"]._state.words
    QTest.mouseClick(page.remove_button, Qt.MouseButton.LeftButton)
    assert window.document.plan.surfaces == ()
    window.document.undo_stack.undo()
    assert len(window.document.plan.surfaces) == 1


def test_a_surface_is_dragged_by_its_foot(qtbot, window: MainWindow) -> None:
    window.subject.table.clearSelection()
    add_surface(window, "wall")
    board = window.board.ground
    before = window.document.plan.surfaces[0]
    drag_handle(qtbot, board, handle(board, "surface", 0), (20, -30))
    after = window.document.plan.surfaces[0]
    across, up = board.canvas.view.unit_per_px
    assert after.x_m == pytest.approx(before.x_m + 20 * across, abs=2 * across)
    assert after.z_m == pytest.approx(before.z_m + 30 * up, abs=2 * up)
    assert after.y_m == before.y_m
    assert window.document.undo_stack.undoText() == f"move of {before.name}"


def test_a_surface_is_dragged_in_the_frame_at_its_distance(qtbot, window: MainWindow) -> None:
    window.subject.table.clearSelection()
    add_surface(window, "wall")
    before = window.document.plan.surfaces[0]
    frame = window.board.frame
    scale = frame.scale(window.shown)
    drag_handle(qtbot, frame, handle(frame, "surface", 0), (15, 0))
    after = window.document.plan.surfaces[0]
    moved = 15 * frame.canvas.view.unit_per_px[0] / scale * before.z_m
    assert after.x_m == pytest.approx(before.x_m + moved, rel=0.15)
    assert after.z_m == pytest.approx(before.z_m, abs=1e-3)


def test_a_surface_clicked_in_a_drawing_is_the_one_in_the_list(window: MainWindow) -> None:
    window.subject.table.clearSelection()
    add_surface(window, "wall")
    add_surface(window, "slope")
    assert window.board.frame.selected_surface == 1
    window.show_station("kit")
    board = window.board.ground
    grip = handle(board, "surface", 0)
    place = board.window_place(grip.across, grip.up).toPoint()
    QTest.mouseClick(board.canvas, Qt.MouseButton.LeftButton, pos=place)
    assert window.station() == "subject"
    assert window.subject.areas.list.currentRow() == 0
    assert {board.selected_surface for board in window.board.boards} == {0}


def test_a_surface_through_three_marks_and_a_complaint_without(window: MainWindow) -> None:
    page = window.subject.areas
    page.add_through_marks()
    assert "select three" in page.complaint.text()
    table = window.subject.table
    table.selectRow(0)
    for row in (1, 3):
        table.selectionModel().select(
            table.model().index(row, 0),
            table.selectionModel().SelectionFlag.Select | table.selectionModel().SelectionFlag.Rows,
        )
    page.add_through_marks()
    [surface] = window.document.plan.surfaces
    assert surface.name == "Through Rinsing trough, Drain grate, Rail switch"
    assert page.complaint.text() == ""


def test_more_about_a_mark(window: MainWindow) -> None:
    window.select_mark(2)
    form = window.subject.marks.more
    typed(form, "detail_mm", "2.5")
    chosen(form, "speed_mm_s", 1400.0)
    mark = window.document.plan.marks[2]
    assert (mark.detail_mm, mark.speed_mm_s, mark.name) == (2.5, 1400.0, "Handcart")
    # A speed that is none of the common ones leaves the choice blank.
    window.subject.model.setData(window.subject.model.index(2, 7), "33")
    assert form.fields["speed_mm_s"].currentIndex() == -1


# Scans -------------------------------------------------------------------------------------------------


def test_a_scan_is_looked_at_asked_about_read_and_made_to_count(qtbot, window: MainWindow, tmp_path: Path) -> None:
    rng = np.random.default_rng(0)
    ground = np.column_stack([rng.uniform(-3000, 3000, 4000), rng.uniform(2000, 9000, 4000), np.zeros(4000)])
    path = write(tmp_path / "yard.ply", ground)
    asked = []

    def answer(dialog) -> bool:
        asked.append(dialog.said.text())
        # Wider than any yard in metres: taken for millimetres.
        assert dialog.placing.unit == "mm"
        typed(dialog.form, "stand_x", "0")
        typed(dialog.form, "stand_y", "0")
        typed(dialog.form, "voxel_m", "1 cm")
        return True

    window.scan_desk.ask = answer
    window.scan_desk.read_path(path)
    qtbot.waitUntil(lambda: bool(window.document.plan.scans), timeout=30_000)
    assert "span 6.00 m in x" in asked[0]
    [cloud] = window.document.plan.scans
    places = unpacked(cloud.points, cloud.count)
    assert places[:, 2].min() == pytest.approx(2.0, abs=0.02)
    assert places[:, 2].max() == pytest.approx(9.0, abs=0.02)
    assert "points read" in window.message.text
    page = window.subject.areas
    assert page.list.currentRow() == 0
    chosen(page.scan_form, "need", "must")
    chosen(page.scan_form, "counts", "part")
    typed(page.scan_form, "away", "4 8")
    typed(page.scan_form, "across", "-2 2")
    [cloud] = window.document.plan.scans
    assert (cloud.need, cloud.region_m) == ("must", (-2, 2, -2, 10, 4, 8))
    weighed(qtbot, window)
    assert window.weighing.scene.areas[0].world_m[:, 2].min() >= 4.0
    # Drawn in all three: dots lie under the lines.
    qtbot.waitUntil(lambda: all(board.canvas._underlay is not None for board in window.board.boards))
    page.remove()
    assert window.document.plan.scans == ()


def test_a_broken_scan_and_one_that_is_given_up_change_nothing(qtbot, window: MainWindow, tmp_path: Path) -> None:
    path = tmp_path / "cut.ply"
    path.write_bytes(b"ply\nformat binary_little_endian 1.0\nelement vertex 9\nproperty float x\n")
    window.scan_desk.read_path(path)
    qtbot.waitUntil(lambda: "does not end" in window.message.text, timeout=30_000)
    whole = write(tmp_path / "whole.ply", np.random.default_rng(0).uniform(1, 5, (50, 3)))
    window.scan_desk.ask = lambda _dialog: False
    window.scan_desk.read_path(whole)
    qtbot.wait(100)
    assert window.document.plan.scans == ()
    assert window.document.undo_stack.count() == 0


# Photograph --------------------------------------------------------------------------------------------


@pytest.fixture
def photographed(qtbot, window: MainWindow, tmp_path: Path) -> MainWindow:
    """The demo with a photograph that tells how it was taken, its page in front."""
    path = tmp_path / "yard.jpg"
    exif = Image.Exif()
    exif[0x0112] = 1
    exif.get_ifd(0x8769).update({0x920A: 24.0, 0xA405: 24})
    Image.new("RGB", (1500, 1000), (120, 130, 140)).save(path, exif=exif)
    window.subject.show_page("photograph")
    window.photograph_desk.open_path(path)
    qtbot.waitUntil(lambda: window.document.plan.photograph is not None, timeout=30_000)
    weighed(qtbot, window)
    return window


def click_at(window: MainWindow, direction: np.ndarray) -> None:
    """Click in the frame drawing where a direction of the world lies."""
    QTest.mouseClick(window.board.frame.canvas, Qt.MouseButton.LeftButton, pos=place_of(window, direction))


def place_of(window: MainWindow, direction: np.ndarray) -> QPoint:
    frame = window.board.frame
    seen = direction @ window.shown.scene.pose.matrix.T
    return frame.window_place(*(seen[:2] / seen[2] * frame.scale(window.shown))).toPoint()


def test_a_photograph_lies_under_the_frame_and_tells_how_it_was_taken(photographed: MainWindow) -> None:
    window = photographed
    photo = window.document.plan.photograph
    assert (photo.pixels, photo.focal_mm) == ((1500, 1000), 24.0)
    assert photo.sensor_long_mm == pytest.approx(36.0, abs=0.01)
    frame = window.board.frame
    image = frame.canvas.grab().toImage()
    # Its grey shows, a little veiled, in a corner of the picture away from marks and lines.
    corner = frame.window_place(-450, 380).toPoint()
    colour = image.pixelColor(corner * image.devicePixelRatio())
    assert abs(colour.blue() - colour.red()) > 8
    # The photograph has the camera's own field: its corners are the picture's.
    matrix = photograph_to_drawing(photo, window.shown, frame.scale(window.shown))
    corner = np.array([-0.5, -0.5, 1.0]) @ matrix
    half = window.shown.scene.half_picture() * frame.scale(window.shown)
    assert corner[:2] / corner[2] == pytest.approx([-half[0], half[1]], rel=1e-3)


def test_clicks_on_the_photograph_are_marks_on_the_ground_at_a_distance_and_above(photographed: MainWindow) -> None:
    window, page = photographed, photographed.subject.photograph
    QTest.mouseClick(page.tools["mark"], Qt.MouseButton.LeftButton)
    assert window.board.frame.canvas.tool == "point"
    down = np.array([0.1, -1.6, 6.0])
    typed(page.seen_form, "name", "Gully")
    click_at(window, down)
    mark = window.document.plan.marks[-1]
    assert mark.name == "Gully"
    # A pixel of the drawing is some mm on the print: to 3 %.
    assert (mark.y_m, mark.z_m) == (pytest.approx(0.0, abs=1e-3), pytest.approx(6.0, rel=0.03))
    assert mark.plus_minus_m > 0.0
    chosen(page.seen_form, "stands", "above")
    click_at(window, np.array([0.1, 1.0, 6.0]))
    top = window.document.plan.marks[-1]
    assert (top.x_m, top.z_m) == (mark.x_m, mark.z_m)
    assert top.y_m == pytest.approx(2.6, abs=0.1)
    chosen(page.seen_form, "stands", "distance")
    typed(page.seen_form, "distance_m", "10 m")
    click_at(window, np.array([2.0, 1.0, 9.0]))
    far = window.document.plan.marks[-1]
    assert math.dist((far.x_m, far.y_m, far.z_m), (0, 1.6, 0)) == pytest.approx(10.0, abs=1e-2)
    # Above the horizon nothing stands on the ground.
    chosen(page.seen_form, "stands", "ground")
    count = len(window.document.plan.marks)
    click_at(window, np.array([0.0, 1.0, 6.0]))
    assert len(window.document.plan.marks) == count
    assert "does not meet" in page.complaint.text()
    QTest.keyClick(window.board.frame.canvas, Qt.Key.Key_Escape)
    assert window.board.frame.canvas.tool == ""
    assert not page.tools["mark"].isChecked()


def test_uprights_level_photograph_and_camera(qtbot, photographed: MainWindow) -> None:
    """Edges drawn as they fall when the camera looks 6° up: by an independent pinhole."""
    window, page = photographed, photographed.subject.photograph
    QTest.mouseClick(page.tools["uprights"], Qt.MouseButton.LeftButton)
    frame = window.board.frame
    tilt = math.radians(6.0)
    turned = np.array([[1, 0, 0], [0, math.cos(tilt), -math.sin(tilt)], [0, math.sin(tilt), math.cos(tilt)]])
    for side in (-4.0, 4.0):
        ends = [turned @ np.array([side, height, 9.0]) for height in (-1.2, 3.5)]
        places = [frame.window_place(*(e[:2] / e[2] * frame.scale(window.shown))) for e in ends]
        step = places[1] - places[0]
        drag(qtbot, frame, places[0], (round(step.x()), round(step.y())))
    assert "Pitch +" in page.told.text()
    QTest.mouseClick(page.level_button, Qt.MouseButton.LeftButton)
    plan = window.document.plan
    assert plan.photograph.pitch_deg == pytest.approx(6.0, abs=1.0)
    assert plan.camera.pitch_deg == plan.photograph.pitch_deg
    assert 0.0 < plan.camera.pitch_plus_minus_deg < 2.0
    window.document.undo_stack.undo()
    assert window.document.plan.camera.pitch_deg == 0.0


def test_the_horizon_and_a_known_length(qtbot, photographed: MainWindow) -> None:
    window, page = photographed, photographed.subject.photograph
    frame = window.board.frame
    QTest.mouseClick(page.tools["horizon"], Qt.MouseButton.LeftButton)
    left, right = frame.window_place(-450, 40), frame.window_place(450, 40)
    drag(qtbot, frame, left, (round(right.x() - left.x()), 0))
    page.with_camera.setChecked(False)
    page.take_level()
    # 40 mm on the print above its middle: the camera looks down by atan(40 / scale).
    expected = -math.degrees(math.atan(40.0 / frame.scale(window.shown)))
    assert window.document.plan.photograph.pitch_deg == pytest.approx(expected, abs=0.3)
    assert window.document.plan.camera.pitch_deg == 0.0
    QTest.mouseClick(page.tools["length"], Qt.MouseButton.LeftButton)
    typed(page.seen_form, "length_m", "2 m")
    # A rod of 2 m, 8 m away, seen from 1.8 m: by hand.
    foot, top = (place_of(window, np.array([0.0, y, 8.0])) for y in (-1.8, 0.2))
    drag(qtbot, frame, QPointF(foot), (0, top.y() - foot.y()))
    plan = window.document.plan
    assert plan.camera.height_m == pytest.approx(1.8, rel=0.05)
    assert plan.marks[-1].z_m == pytest.approx(8.0, rel=0.05)
    assert plan.camera.height_plus_minus_m > 0.0
    assert "It stands" in page.told.text()


def test_a_photograph_that_tells_nothing_or_is_gone(qtbot, window: MainWindow, tmp_path: Path) -> None:
    path = tmp_path / "plain.png"
    Image.new("RGB", (300, 200)).save(path)
    window.photograph_desk.open_path(path)
    qtbot.waitUntil(lambda: "does not tell its focal length" in window.message.text, timeout=30_000)
    plan = window.document.plan
    path.unlink()
    window.document.open(
        plan.model_copy(update={"photograph": plan.photograph.model_copy(update={"file": "gone.jpg"})}), None
    )
    assert "does not lie beside it" in window.message.text
    window.message._buttons[0].click()
    qtbot.waitUntil(lambda: "no such file" in window.message.text, timeout=30_000)
    assert window.document.plan.photograph.file == "gone.jpg"
    window.subject.show_page("photograph")
    QTest.mouseClick(window.subject.photograph.away_button, Qt.MouseButton.LeftButton)
    assert window.document.plan.photograph is None


def test_a_plan_opens_no_picture_from_elsewhere_unasked(qtbot, window: MainWindow, tmp_path: Path) -> None:
    """Beside the plan it opens; elsewhere it is asked for once, and known from then on."""
    elsewhere = tmp_path / "elsewhere.png"
    (tmp_path / "plans").mkdir()
    for path in (elsewhere, tmp_path / "plans" / "beside.png"):
        Image.new("RGB", (300, 200), (90, 120, 60)).save(path)
    photo = Photograph(file="beside.png", pixels=(300, 200))
    plan = window.document.plan.model_copy(update={"photograph": photo})
    home = tmp_path / "plans" / "p.verispect"
    window.document.open(plan, home)
    qtbot.waitUntil(lambda: window.photograph_desk._image is not None, timeout=30_000)
    assert "beside it" not in window.message.text
    for name in (str(elsewhere), "../elsewhere.png"):
        away = plan.model_copy(update={"photograph": photo.model_copy(update={"file": name})})
        window.document.open(away, home)
        assert "does not lie beside it" in window.message.text
        assert window.photograph_desk._of == "beside.png"
    window.message._buttons[0].click()
    qtbot.waitUntil(lambda: window.photograph_desk._of == "../elsewhere.png", timeout=30_000)


# Camera ------------------------------------------------------------------------------------------------


def test_levelling_the_camera_and_framing_a_width(window: MainWindow) -> None:
    window.subject.show_page("camera")
    page = window.subject.camera
    assert "upright lines come out upright" in page.lines.text()
    typed(page.form, "pitch_deg", "8")
    assert "raise the lens 3.4 mm" in page.lines.text()
    assert "24 tilt can" in page.lines.text()
    QTest.mouseClick(page.level_button, Qt.MouseButton.LeftButton)
    camera = window.document.plan.camera
    assert (camera.pitch_deg, camera.rise_mm) == (0.0, pytest.approx(24 * math.tan(math.radians(8)), abs=0.01))
    typed(page.wanted_form, "width_m", "12 m")
    typed(page.wanted_form, "distance_m", "10 m")
    QTest.mouseClick(page.take_button, Qt.MouseButton.LeftButton)
    assert window.document.plan.camera.framing_mm == pytest.approx(29.9)
    typed(page.form, "aspect", "2")
    chosen(page.form, "upright", True)
    assert window.document.plan.picture_mm == (24.0, 12.0)


# Drawings' tools ---------------------------------------------------------------------------------------


def action(window: MainWindow, words: str):
    found = [
        a for menu in window.menuBar().actions() for a in menu.menu().actions() if words in a.text().replace("&", "")
    ]
    return found[0]


def test_measuring_between_marks_and_between_places(qtbot, window: MainWindow) -> None:
    measure = action(window, "Measure")
    measure.trigger()
    board = window.board.ground
    first, second = (window.board.ground.canvas.marks.place_px(k) for k in (1, 3))
    drag(qtbot, board, QPointF(*first), (round(second[0] - first[0]), round(second[1] - first[1])))
    marks = window.document.plan.marks
    apart = math.dist(*((m.x_m, m.y_m, m.z_m) for m in (marks[1], marks[3])))
    assert board.canvas._rubber_words == f"Drain grate to Rail switch: {apart:.2f} m"
    free = QPointF(board.canvas.rect().center()) + QPointF(60, 60)
    drag(qtbot, board, free, (30, 40))
    across = board.canvas.view.unit_per_px[0]
    assert float(board.canvas._rubber_words.split(" ")[0]) == pytest.approx(50 * across, rel=0.05)
    assert window.document.undo_stack.count() == 0
    frame = window.board.frame
    drag(qtbot, frame, frame.window_place(-300, 300), (60, 0))
    assert "° from the camera" in frame.canvas._rubber_words
    board.canvas.setFocus()
    QTest.keyClick(board.canvas, Qt.Key.Key_Escape)
    assert not measure.isChecked()
    assert board.canvas.tool == ""


def test_tools_are_led_by_keys_alone(qtbot, photographed: MainWindow) -> None:
    window, page = photographed, photographed.subject.photograph
    QTest.mouseClick(page.tools["mark"], Qt.MouseButton.LeftButton)
    canvas = window.board.frame.canvas
    assert canvas.hasFocus()
    count = len(window.document.plan.marks)
    QTest.keyClick(canvas, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    for _ in range(6):
        QTest.keyClick(canvas, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(canvas, Qt.Key.Key_Return)
    assert len(window.document.plan.marks) == count + 1
    assert abs(window.document.plan.marks[-1].x_m) < 0.1
    canvas.grab()
    # A line takes two: measured from 20 px left to 20 px right of the middle.
    window.board.set_tool("measure")
    board = window.board.ground
    board.canvas.setFocus()
    for key, times in ((Qt.Key.Key_Left, 20), (Qt.Key.Key_Return, 1), (Qt.Key.Key_Right, 40), (Qt.Key.Key_Return, 1)):
        for _ in range(times):
            QTest.keyClick(board.canvas, key)
    told = float(board.canvas._rubber_words.split(" ")[0])
    assert told == pytest.approx(40 * board.canvas.view.unit_per_px[0], rel=0.02)
    QTest.keyClick(board.canvas, Qt.Key.Key_Escape)
    assert board.canvas.tool == ""


def test_snapping_brings_a_mark_to_the_ground_and_in_line(qtbot, window: MainWindow) -> None:
    action(window, "Snap").trigger()
    board = window.board.elevation
    which = handle(board, "mark", 3)  # 50 mm above the ground
    across, _ = board.canvas.view.unit_per_px
    # To 2 px beside another mark's distance.
    other = window.document.plan.marks[2].z_m
    drag_handle(qtbot, board, which, (round((other - which.across) / across) + 2, 0))
    mark = window.document.plan.marks[3]
    assert (mark.y_m, mark.z_m) == (0.0, other)


def test_zooming_to_the_selected_mark(window: MainWindow) -> None:
    window.select_mark(1)
    before = window.board.elevation.visible()
    action(window, "Zoom to the selected").trigger()
    after = window.board.elevation.visible()
    assert after[1] - after[0] < 0.5 * (before[1] - before[0])
    assert after[0] < 3.4 < after[1]
    window.board.fit()


def test_the_softness_field_agrees_with_the_marks(window: MainWindow) -> None:
    """Where the field is even there is a sharp mark, where it is striped or bare a soft one."""
    window.take_method("one-frame")
    action(window, "Softness everywhere").trigger()
    board = window.board.elevation
    image = board.canvas._underlay
    assert image is not None
    softness = window.shown.rendering.softness
    checked = 0
    for k, mark in enumerate(window.document.plan.marks):
        x, y = board.canvas.marks.place_px(k)
        left, _, top, _ = board.canvas.view.area
        if not 0.6 < softness[k] < 0.9 and not softness[k] > 1.2:
            continue
        if abs(mark.x_m) > 1.0:
            continue  # beside the section
        here = image.pixelColor(int(x - left), int(y - top))
        filled = here.alpha() >= 70 and here.name() == window.theme.sharp
        assert filled == (softness[k] <= 1.0), mark.name
        checked += 1
    assert checked >= 1
    action(window, "Softness everywhere").trigger()
    assert board.canvas._underlay is None


@pytest.mark.parametrize("suffix", [".svg", ".pdf", ".png"])
def test_the_drawings_are_written_for_print(window: MainWindow, tmp_path: Path, monkeypatch, suffix: str) -> None:
    path = tmp_path / f"out{suffix}"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(path), ""))
    window.desk.save_drawings()
    assert "Written" in window.message.text
    if suffix == ".svg":
        assert QSvgRenderer(str(path)).isValid()
        assert "Tower clockface" in path.read_text(encoding="utf-8")
    elif suffix == ".pdf":
        document = QPdfDocument(None)
        assert document.load(str(path)) == QPdfDocument.Error.None_
        assert "Tower clockface" in document.getAllText(0).text()
        assert not document.render(0, QSize(300, 300)).isNull()
        document.close()
    else:
        image = QImage(str(path))
        assert image.width() == 3 * window.board.width()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(tmp_path / "out.bmp"), ""))
    window.desk.save_drawings()
    assert "is written as one of" in window.message.text


def test_distortion_is_taken_out_of_what_is_shown_and_undone(qtbot, photographed: MainWindow) -> None:
    window = photographed
    desk = window.photograph_desk
    before = desk._image.copy()
    photo = window.document.plan.photograph.model_copy(update={"distortion_percent": 8.0, "axis_row_px": 100.0})
    window.document.update("distortion", photograph=photo)
    qtbot.waitUntil(lambda: desk._image != before, timeout=30_000)
    assert desk._image.size() == before.size()
    window.document.undo_stack.undo()
    qtbot.waitUntil(lambda: desk._image == before, timeout=30_000)
