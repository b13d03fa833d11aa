"""Prove in the window: folders dropped, frames that arrive, sets copied."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QImage
from PyQt6.QtWidgets import QFileDialog, QLabel, QMenu

from tests.prove.join.spheres import taken, turn
from tests.prove.parting.scenes import focused
from tests.prove.softness.test_proposed import a_series, wall
from tests.ui.conftest import weighed
from verispect.files.picture_out import write_picture
from verispect.plan.entry.found_distance import FoundPlace
from verispect.prove.intake import coded_of, described
from verispect.prove.merge.depth_points import DepthPoints, ply_of
from verispect.prove.parting.kept_by_hand import KeptByHand
from verispect.prove.report import Report
from verispect.prove.softness.proposed import proposed_places
from verispect.subject.scan import unpacked
from verispect.ui.drawings.picture_view import PictureNet, PicturePair
from verispect.ui.window.main_window import MainWindow


@pytest.fixture
def card(tmp_path: Path) -> Path:
    folder = tmp_path / "card"
    folder.mkdir()
    for k in range(3):
        rng = np.random.default_rng(k)
        write_picture(folder / f"f-{k}.tif", (rng.uniform(0.1, 0.9, (90, 120, 3)) * 65535).astype(np.uint16))
    return folder


def drop(window: MainWindow, *places: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(place)) for place in places])
    window.prove_desk._panel.dropEvent(
        QDropEvent(QPointF(20, 20), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                   Qt.KeyboardModifier.NoModifier)
    )  # fmt: skip


def checked(qtbot, window: MainWindow, count: int) -> None:
    desk = window.prove_desk
    qtbot.waitUntil(lambda: desk.report is not None and len(desk.report.paths) == count, timeout=60_000)
    qtbot.waitUntil(lambda: desk._job is None, timeout=10_000)


def at_prove(qtbot, window: MainWindow, first: Callable[[], object]) -> None:
    """The station with another plan, or another method, than the demo's."""
    window.document.undo_stack.setClean()
    first()
    weighed(qtbot, window)
    window.show_station("prove")
    qtbot.waitUntil(lambda: "prove_desk" in window.__dict__)


def test_what_is_dropped_is_checked_and_copied(qtbot, window: MainWindow, card, tmp_path, monkeypatch) -> None:
    window.show_station("prove")
    weighed(qtbot, window)
    drop(window, card / "f-0.tif", card / "f-1.tif")
    checked(qtbot, window, 2)
    drop(window, card, tmp_path)
    assert "one folder" in window.message.text
    # A cut file keeps nothing else from being checked, and is listed with what to do.
    cut = card / "f-1.tif"
    cut.write_bytes(cut.read_bytes()[:5000])
    drop(window, card / "f-0.tif", cut, card / "f-2.tif")
    qtbot.waitUntil(lambda: bool(window.prove_desk.report.left_aside), timeout=60_000)
    checked(qtbot, window, 2)
    panel = window.prove_desk._panel
    assert "1 left aside" in panel.words.text()
    listed = [panel.frames.item(row, 0).text() for row in range(panel.frames.rowCount())]
    assert [name for name in listed if name.startswith("f-")] == ["f-0.tif", "f-2.tif", "f-1.tif"]
    target = tmp_path / "sets"
    target.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_given: str(target))
    window.prove_desk._panel.sort_button.click()
    qtbot.waitUntil(lambda: len(list(target.rglob("*.xmp"))) == 2, timeout=30_000)
    qtbot.waitUntil(lambda: window.prove_desk._job is None, timeout=10_000)


def test_frames_that_arrive_are_checked_by_themselves(qtbot, window: MainWindow, card, tmp_path) -> None:
    window.show_station("prove")
    weighed(qtbot, window)
    desk, panel = window.prove_desk, window.prove_desk._panel
    drop(window, card)
    checked(qtbot, window, 3)
    panel.watch_box.setChecked(True)
    shutil.copy(card / "f-2.tif", tmp_path / "late.tif")
    (tmp_path / "late.tif").replace(card / "f-3.tif")
    checked(qtbot, window, 4)
    panel.watch_box.setChecked(False)
    assert desk._watcher.directories() == []


@pytest.mark.parametrize("planned", [False, True])
def test_frames_side_by_side_are_joined_where_no_plan_knows_them(
    qtbot, window: MainWindow, tmp_path: Path, monkeypatch, planned: bool
) -> None:
    """Three views of a painted sphere, unlike one another, become one picture.

    With a new plan without a method, and with one that has a series for something else.

    On a cylinder, by hand: 70° between the outer middles and 2 atan(240/420) of a frame, times 420 pixels a radian.
    """
    at_prove(qtbot, window, window.desk.new if not planned else lambda: window.take_method("series"))
    frames = tmp_path / "row"
    frames.mkdir()
    taken(frames, [turn(b, 0) for b in (-35, 0, 35)])
    drop(window, frames)
    checked(qtbot, window, 3)
    panel, desk = window.prove_desk._panel, window.prove_desk
    assert panel.final_button.text() == "&Join…"
    assert planned == ("look side by side where the plan has one view" in desk.report.advice[0])
    out = tmp_path / "wide.tif"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_given: (str(out), ""))
    panel.final_button.click()
    qtbot.waitUntil(lambda: desk._job is None and out.exists(), timeout=60_000)
    assert described(out).pixels[0] == pytest.approx(949, abs=9)


def test_frames_on_one_another_are_merged_though_the_plan_has_a_grid(
    qtbot, window: MainWindow, tmp_path: Path
) -> None:
    """What is known to be of something else is neither joined nor named by what was planned."""
    at_prove(qtbot, window, lambda: window.take_method("turned-grid"))
    frames = tmp_path / "series"
    frames.mkdir()
    for k in range(3):
        light = cv2.resize(np.repeat(focused(1, 2.0 * k)[..., None], 3, axis=2), (480, 320))
        write_picture(frames / f"f-{k}.tif", coded_of(light))
    drop(window, frames)
    checked(qtbot, window, 3)
    panel, desk = window.prove_desk._panel, window.prove_desk
    assert desk.report.without_plan
    assert desk.checked_against is None
    assert panel.words.text().endswith("; checked without the plan")
    assert "look the same way where the plan has frames side by side" in desk.report.advice[0]
    assert panel.final_button.text() == "Merge in &full…"


@pytest.fixture
def two_series(qtbot, window: MainWindow, tmp_path: Path) -> Path:
    """Three frames each of different things in one folder, dropped without a plan and checked."""
    at_prove(qtbot, window, window.desk.new)
    folder = tmp_path / "two"
    folder.mkdir()
    places = [0.0, 3.0, 6.0]
    for k, (seed, place) in enumerate((seed, place) for seed in (1, 2) for place in places):
        light = np.repeat(focused(seed, place)[..., None], 3, axis=2)
        write_picture(folder / f"f-{k}.tif", coded_of(light))
    drop(window, folder)
    checked(qtbot, window, 6)
    return folder


def sets_of(window: MainWindow) -> list[list[str]]:
    """The sets as the rows of the list show them."""
    table, found = window.prove_desk._panel.frames, []
    for row in range(table.rowCount()):
        if table.columnSpan(row, 0) == 3:
            found.append([])
        else:
            found[-1].append(table.item(row, 0).text()[2])
    return found


def dragged(window: MainWindow, onto: int) -> None:
    """Let what is chosen fall on a row; behind the last where there is none."""
    table = window.prove_desk._panel.frames
    index = table.model().index(onto, 0)
    table.scrollTo(index)
    middle = table.visualRect(index).center() if onto < table.rowCount() else table.viewport().rect().bottomLeft()
    data = table.model().mimeData(table.selectedIndexes())
    table.dropEvent(
        QDropEvent(QPointF(middle), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                   Qt.KeyboardModifier.NoModifier)
    )  # fmt: skip


def checked_anew(qtbot, window: MainWindow) -> None:
    qtbot.waitUntil(lambda: window.prove_desk._job is None and not window.prove_desk.sets.is_ahead, timeout=60_000)


def test_frames_are_dragged_into_other_sets_and_back(qtbot, window: MainWindow, two_series: Path) -> None:
    """By dragging, by the menu and by keys; the plan's own steps back stay untouched."""
    desk, panel = window.prove_desk, window.prove_desk._panel
    steps = window.document.undo_stack.index()
    assert sets_of(window) == [["0", "1", "2"], ["3", "4", "5"]]
    panel.frames.selectRow(7)
    dragged(window, 1)
    assert sets_of(window) == [["0", "1", "2", "5"], ["3", "4"]]
    # Before it is checked nothing is merged or copied by what no longer holds.
    panel.proof_button.click()
    assert "checked first" in window.message.text
    # One more while that is being checked: it begins anew.
    panel.frames.selectRow(1)
    panel._sets_menu.aboutToShow.emit()
    acts = {action.text(): action for action in panel._sets_menu.actions()}
    acts["A set of their own"].trigger()
    checked_anew(qtbot, window)
    assert sets_of(window) == [["0"], ["1", "2", "5"], ["3", "4"]]
    assert [group.why for group in desk.report.sets] == [("put together by hand",)] * 3
    panel.frames.setFocus()
    qtbot.keyClick(panel.frames, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    checked_anew(qtbot, window)
    assert sets_of(window) == [["0", "1", "2", "5"], ["3", "4"]]
    acts["As they were &found"].trigger()
    checked_anew(qtbot, window)
    assert sets_of(window) == [["0", "1", "2"], ["3", "4", "5"]]
    assert desk.sets.together is None
    for _ in range(4):
        qtbot.keyClick(panel.frames, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    checked_anew(qtbot, window)
    assert window.document.undo_stack.index() == steps


def test_what_was_put_together_is_known_when_the_folder_is_looked_at_again(
    qtbot, window: MainWindow, two_series: Path, tmp_path: Path
) -> None:
    """After another folder, and by another window; not of other frames under the same names."""
    desk = window.prove_desk
    desk._panel.frames.selectRow(7)
    dragged(window, 1)
    checked_anew(qtbot, window)
    elsewhere = tmp_path / "elsewhere"
    shutil.copytree(two_series, elsewhere, copy_function=shutil.copy)
    drop(window, elsewhere)
    qtbot.waitUntil(lambda: desk._job is None and desk.folder == elsewhere, timeout=60_000)
    assert [len(own) for own in sets_of(window)] == [3, 3]
    drop(window, two_series)
    qtbot.waitUntil(lambda: desk._job is None and desk.folder == two_series, timeout=60_000)
    assert [len(own) for own in sets_of(window)] == [4, 2]
    another = KeptByHand(window.preferences.folder / "by-hand")
    assert another.of(two_series)[0] == desk.sets.together
    # What was given up is given up.
    desk.sets._found.trigger()
    checked_anew(qtbot, window)
    assert another.of(two_series) == (None, {})


def test_other_frames_in_the_same_place_are_not_held_to_what_was_put_together(
    qtbot, window: MainWindow, two_series: Path
) -> None:
    panel = window.prove_desk._panel
    panel.frames.selectRow(7)
    dragged(window, 1)
    checked_anew(qtbot, window)
    assert [len(own) for own in sets_of(window)] == [4, 2]
    for path in two_series.glob("f-*.tif"):
        path.rename(two_series / f"g{path.name[1:]}")
    drop(window, two_series)
    qtbot.waitUntil(lambda: window.prove_desk.report.paths[0] == "g-0.tif", timeout=60_000)
    assert [len(own) for own in sets_of(window)] == [3, 3]
    assert window.prove_desk.sets.together is None


def test_a_heading_stands_for_its_set_and_no_set_for_what_is_none(
    qtbot, window: MainWindow, two_series: Path
) -> None:
    panel = window.prove_desk._panel
    panel.frames.selectRow(4)
    assert panel.frames.chosen_names() == ["f-3.tif", "f-4.tif", "f-5.tif"]
    dragged(window, 0)
    checked_anew(qtbot, window)
    # One set is left, which needs no row to head it.
    assert len(window.prove_desk.report.sets) == 1
    assert panel.frames.rowCount() == 6
    panel.frames.selectRow(5)
    menu = QMenu()
    panel.frames.fill_menu(menu)
    assert [action.text() for action in menu.actions()][:3] == ["Into set 1", "A set of their own", "In no set"]
    menu.actions()[2].trigger()
    checked_anew(qtbot, window)
    assert sets_of(window) == [["0", "1", "2", "3", "4"], ["5"]]
    # Other frames: nothing of it is held against them.
    other = two_series.parent / "other"
    shutil.copytree(two_series, other)
    drop(window, other)
    qtbot.waitUntil(lambda: window.prove_desk.folder == other and window.prove_desk._job is None, timeout=60_000)
    assert sets_of(window) == [["0", "1", "2"], ["3", "4", "5"]]


def test_of_several_sets_the_one_that_is_chosen_is_merged(qtbot, window: MainWindow, two_series: Path) -> None:
    """Each stands under a row that says why it is a set."""
    folder = two_series
    panel, desk = window.prove_desk._panel, window.prove_desk
    heads = [panel.frames.item(row, 0).text() for row in range(8) if panel.frames.columnSpan(row, 0) == 3]
    assert [head.split(":")[0] for head in heads] == ["Set 1, series of 3", "Set 2, series of 3"]
    assert "2 sets" in panel.words.text()
    panel.frames.clearSelection()
    panel.proof_button.click()
    assert "several sets" in window.message.text
    panel.frames.selectRow(6)
    panel.proof_button.click()
    made = folder / "merged" / "proof-2.tif"
    qtbot.waitUntil(lambda: desk._job is None and made.exists(), timeout=60_000)
    assert [frame["file"] for frame in desk._merge_report["frames"]] == ["f-3.tif", "f-4.tif", "f-5.tif"]
    assert "doubtful" not in window.message.text
    # Meanwhile one of them was spoiled: what a merge is without is said.
    middle = described(folder / "f-4.tif").pixels
    write_picture(folder / "f-4.tif", np.zeros((middle[1], middle[0], 3), np.uint16), force=True)
    panel.proof_button.click()
    qtbot.waitUntil(lambda: "doubtful" in window.message.text, timeout=60_000)
    assert "f-4.tif came out black and was left out" in window.message.text


def test_the_map_shows_where_it_is_soft_only_when_asked(qtbot) -> None:
    pair = PicturePair()
    qtbot.addWidget(pair)
    pair.resize(500, 400)
    plain = QImage(300, 200, QImage.Format.Format_RGB888)
    plain.fill(0xFF808080)
    pair.show_pair(("a", plain), None)
    assert pair.net_button.isHidden()
    pair.show_net(PictureNet([(0.25, 0.5, 0.4, False), (0.75, 0.5, 1.7, True)], (0.2, 0.2)))
    pair.show()
    qtbot.waitExposed(pair)
    before = pair.first.grab().toImage()
    pair.net_button.click()
    after = pair.first.grab().toImage()

    def changed(x: float) -> int:
        area = pair.first._area()
        middle = area.left() + x * area.width(), area.top() + 0.5 * area.height()
        places = [(round(middle[0]) + dx, round(middle[1]) + dy) for dx in range(-30, 31) for dy in range(-20, 21)]
        return sum(before.pixel(*place) != after.pixel(*place) for place in places)

    # A ring is small, a hatched square large, and elsewhere nothing is drawn.
    assert 0 < changed(0.25) < 200 < changed(0.75)
    assert changed(0.5) == 0
    pair.show_net(None)
    assert pair.net_button.isHidden()


def test_distances_found_move_marks_of_the_plan_and_can_be_undone(qtbot, window: MainWindow) -> None:
    weighed(qtbot, window)
    mark = window.document.plan.marks[0]
    place = FoundPlace(mark.name, (mark.x_m, mark.y_m, mark.z_m), (mark.x_m, mark.y_m, mark.z_m + 0.5), 0.1)
    window.show_station("prove")
    # The page fills when it is built.
    qtbot.waitUntil(lambda: "ranging_desk" in vars(window))
    window.ranging_desk.move([place])
    moved = window.document.plan.marks[0]
    assert moved.z_m > mark.z_m
    assert moved.plus_minus_m > 0.0
    assert "1 marks moved" in window.message.text
    window.document.undo_stack.undo()
    assert window.document.plan.marks[0] == mark
    weighed(qtbot, window)


def test_marks_are_proposed_by_frames_and_can_be_undone(qtbot, window: MainWindow) -> None:
    weighed(qtbot, window)
    desk, before = window.prove_desk, window.document.plan.marks
    blocks, _ = wall()
    desk.report, desk.checked_against = Report([], [], [], [], [], [], [], [], [], blocks), a_series()
    desk._panel.propose_button.click()
    more = window.document.plan.marks[len(before) :]
    assert len(more) == len(proposed_places(blocks, a_series(), 6))
    assert [mark.name for mark in more[:2]] == ["Place 1", "Place 2"]
    assert "marks put" in window.message.text
    desk._panel.propose_button.click()
    assert "no place far from the marks" in window.message.text
    window.document.undo_stack.undo()
    assert window.document.plan.marks == before
    weighed(qtbot, window)


def test_the_depth_of_a_merge_becomes_a_scan(qtbot, window: MainWindow, tmp_path: Path, monkeypatch) -> None:
    rng = np.random.default_rng(0)
    places = rng.uniform(-1.0, 1.0, (400, 3)) + np.array([0.0, 1.5, 6.0])
    ply = ply_of(DepthPoints(places, np.full((400, 3), 120, np.uint8), np.full(400, 0.1)))
    window.show_station("prove")
    target = tmp_path / "merged-depth.ply"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args: (str(target), ""))
    window.prove_desk.depth_as_scan(tmp_path / "merged.tif", ply)
    qtbot.waitUntil(lambda: len(window.document.plan.scans) == 1, timeout=60_000)
    cloud = window.document.plan.scans[0]
    assert np.abs(np.median(unpacked(cloud.points, cloud.count), axis=0) - [0.0, 1.5, 6.0]).max() < 0.2
    weighed(qtbot, window)


def test_how_to_stand_as_before_is_said(qtbot, window: MainWindow, tmp_path: Path, monkeypatch) -> None:
    from tests.prove.test_returning import a_plan, frame

    window.document.open(a_plan(), None)
    window.take_method("one-frame")
    weighed(qtbot, window)
    window.show_station("prove")
    frames = [frame(tmp_path / "then.tif"), frame(tmp_path / "now.tif", (0.0, -40.0, 0.0), (0.0, 0.0, 0.0), seed=2)]
    given = iter([(str(path), "") for path in frames])
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_args: next(given))
    window.prove_desk._panel.return_button.click()
    said = lambda: " ".join(label.text() for label in window.message.findChildren(QLabel))  # noqa: E731
    qtbot.waitUntil(lambda: "Raise it" in said(), timeout=60_000)
    assert "± " in said()
    weighed(qtbot, window)
