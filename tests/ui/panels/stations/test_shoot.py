"""Shooting in the window: by keyboard and mouse, kept on disk at every act, taken up again."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QPushButton

from tests.ui.conftest import weighed
from verispect.files.run_file import read_run
from verispect.shoot.sheet_html import sheet_html
from verispect.ui.panels.stations.prove import ProvePanel
from verispect.ui.window.main_window import MainWindow

LEFT = Qt.MouseButton.LeftButton


def at_shoot(qtbot, window: MainWindow, folder: Path, key: str) -> MainWindow:
    """The window at Shoot, with a method on the board and its frames beside a plan of this test."""
    window.document.path = folder / "yard.verispect"
    window.take_method(key)
    weighed(qtbot, window)
    qtbot.waitUntil(lambda: window.session.shown is not None and window.session.shown.candidate.key == key)
    window.show_station("shoot")
    return window


@pytest.fixture
def shooting(qtbot, window: MainWindow, tmp_path: Path) -> MainWindow:
    """With the series."""
    return at_shoot(qtbot, window, tmp_path, "series")


def test_checks_come_before_the_run(shooting: MainWindow) -> None:
    panel = shooting.panels["shoot"]
    said = " ".join(box.accessibleName() for box in panel.findChildren(QCheckBox))
    assert "Manual focus" in said
    assert panel.begin_button.isEnabled()


def test_a_run_is_shot_with_the_keyboard_and_is_on_disk_at_every_frame(shooting: MainWindow, tmp_path: Path) -> None:
    panel, desk = shooting.panels["shoot"], shooting.shoot_desk
    QTest.mouseClick(panel.begin_button, LEFT)
    account = tmp_path / "yard-frames" / "run.json"
    assert account.exists()
    count = len(desk.state.items)
    for taken in range(count):
        assert desk.state.place == taken
        assert f"{taken + 1} of {count}" in panel.place.text() or str(taken + 1) in panel.place.text()
        QTest.keyClick(panel.done_button, Qt.Key.Key_Space)
        steps = [frame.happened["step"] for frame in read_run(account).frames]
        assert steps == ["done"] * (taken + 1) + ["todo"] * (count - taken - 1)
    assert desk.state.is_over
    assert shooting.way.buttons["shoot"].accessibleName() == f"Shoot: {count} of {count} taken"


def test_again_insert_pause_and_a_note(shooting: MainWindow, tmp_path: Path) -> None:
    panel, desk = shooting.panels["shoot"], shooting.shoot_desk
    QTest.mouseClick(panel.begin_button, LEFT)
    QTest.keyClicks(panel.note, "gust of wind")
    QTest.mouseClick(panel.done_button, LEFT)
    assert desk.state.items[0].note == "gust of wind"
    assert panel.note.text() == ""
    QTest.mouseClick(panel.again_button, LEFT)
    assert desk.state.place == 0
    QTest.mouseClick(panel.done_button, LEFT)
    assert desk.state.items[0].times_taken == 2
    before = len(desk.state.items)
    QTest.mouseClick(panel.insert_button, LEFT)
    assert len(desk.state.items) == before + 1
    assert panel.list.count() == before + 1
    QTest.mouseClick(panel.pause_button, LEFT)
    QTest.mouseClick(panel.done_button, LEFT)
    assert desk.state.place == 1
    QTest.mouseClick(panel.pause_button, LEFT)
    QTest.mouseClick(panel.done_button, LEFT)
    assert desk.state.place == 2


def test_a_run_that_was_left_is_gone_on_with(shooting: MainWindow) -> None:
    panel, desk = shooting.panels["shoot"], shooting.shoot_desk
    QTest.mouseClick(panel.begin_button, LEFT)
    QTest.mouseClick(panel.done_button, LEFT)
    kept = desk.state
    # As after the power was cut: the window knows of no run.
    desk.state = desk.candidate = None
    panel.show_running(False)
    desk.refresh()
    QTest.mouseClick(panel.begin_button, LEFT)
    assert desk.state == kept


def test_the_same_run_another_day_leaves_the_first_as_it_was(shooting: MainWindow, tmp_path: Path) -> None:
    panel, desk = shooting.panels["shoot"], shooting.shoot_desk
    for number, folder in enumerate(("yard-frames", "yard-frames_2", "yard-frames_3")):
        assert panel.begin_button.text() == ("&Begin it once more, beside the last" if number else "&Begin the run")
        QTest.mouseClick(panel.begin_button, LEFT)
        assert desk.run_file == tmp_path / folder / "run.json"
        desk.note(f"visit {number + 1}")
        while not desk.state.is_over:
            QTest.mouseClick(panel.done_button, LEFT)
        desk.end()
        shooting.show_station("shoot")
    for number, folder in enumerate(("yard-frames", "yard-frames_2", "yard-frames_3")):
        frames = read_run(tmp_path / folder / "run.json").frames
        assert frames[0].happened["note"] == f"visit {number + 1}"
        assert all(frame.happened["step"] == "done" for frame in frames)


def test_the_simulated_camera_takes_a_frame_and_prove_checks_the_folder(
    qtbot, shooting: MainWindow, tmp_path: Path, monkeypatch
) -> None:
    panel, desk = shooting.panels["shoot"], shooting.shoot_desk
    for most in ("_PX", "_MOST_PX"):
        monkeypatch.setattr(f"verispect.rig.desk_camera.{most}", 480)
    QTest.mouseClick(panel.begin_button, LEFT)
    for _ in range(len(desk.state.items)):
        QTest.mouseClick(panel.simulated_button, LEFT)
        qtbot.waitUntil(lambda: desk._job is None, timeout=60_000)
    assert desk.state.is_over
    files = [item.file for item in desk.state.items]
    assert all((tmp_path / "yard-frames" / str(file)).exists() for file in files)
    QTest.mouseClick(panel.end_button, LEFT)
    assert shooting.station() == "prove"
    qtbot.waitUntil(lambda: isinstance(shooting.panels["prove"], ProvePanel))
    proving = shooting.panels["prove"]
    qtbot.waitUntil(lambda: shooting.prove_desk.report is not None, timeout=60_000)
    assert proving.frames.rowCount() == len(files)
    assert [proving.frames.item(row, 0).text() for row in range(len(files))] == files
    QTest.mouseClick(proving.proof_button, LEFT)
    qtbot.waitUntil(lambda: shooting.prove_desk._job is None, timeout=60_000)
    assert (tmp_path / "yard-frames" / "merged" / "proof.tif").stat().st_size > 100_000
    assert [frame.file for frame in read_run(tmp_path / "yard-frames" / "run.json").frames] == files
    page = tmp_path / "page.html"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_given: (str(page), ""))
    QTest.mouseClick(proving.page_button, LEFT)
    qtbot.waitUntil(page.exists, timeout=60_000)
    text = page.read_text(encoding="utf-8")
    assert "data:image/jpeg" in text
    assert all(str(file) in text for file in files)
    # The check left an entry, and its page is written from the logbook as well.
    shooting.show_station("keep")
    keeping = shooting.panels["keep"]
    keeping.jobs.entries.selectRow(0)
    page.unlink()
    QTest.mouseClick(keeping.jobs.page_button, LEFT)
    assert str(files[0]) in page.read_text(encoding="utf-8")


def test_checks_of_ones_own_are_kept_in_the_plan_and_can_be_undone(qtbot, shooting: MainWindow) -> None:
    panel = shooting.panels["shoot"]
    first = panel.ticks[0]
    first.setChecked(True)
    QTest.keyClicks(panel.own_check, "Key of the gate <b>back</b> to the office")
    QTest.mouseClick(panel.own_button, LEFT)
    assert shooting.document.plan.own_checks == ("Key of the gate <b>back</b> to the office",)
    weighed(qtbot, shooting)
    qtbot.waitUntil(lambda: "Key of the gate" in panel.ticks[-1].accessibleName(), timeout=20_000)
    assert panel.ticks[0].isChecked(), "what was ticked stays ticked"
    page = sheet_html(shooting.session.shown.candidate)
    assert "&lt;b&gt;back" in page
    assert "<b>back" not in page
    out = next(button for button in panel.findChildren(QPushButton) if button.text() == "Remove")
    QTest.mouseClick(out, LEFT)
    assert shooting.document.plan.own_checks == ()
    shooting.document.undo_stack.undo()
    assert len(shooting.document.plan.own_checks) == 1


@pytest.fixture
def turning(qtbot, window: MainWindow, tmp_path: Path) -> MainWindow:
    """With a turned grid, its run begun."""
    at_shoot(qtbot, window, tmp_path, "turned-grid")
    QTest.mouseClick(window.panels["shoot"].begin_button, LEFT)
    return window


def test_a_rig_moves_only_once_somebody_has_looked_and_stops_by_a_key(
    qtbot, turning: MainWindow, tmp_path: Path, monkeypatch
) -> None:
    for most in ("_PX", "_MOST_PX"):
        monkeypatch.setattr(f"verispect.rig.desk_camera.{most}", 480)
    panel, desk = turning.panels["shoot"], turning.shoot_desk
    QTest.mouseClick(panel.rig_button, LEFT)
    assert not panel.drive_button.isEnabled()
    assert "axis is free" in panel._axis_text.text()
    panel.axis_free.setChecked(True)
    QTest.mouseClick(panel.drive_button, LEFT)
    assert panel.stop_button.isVisible()
    assert not panel.done_button.isVisible()
    qtbot.waitUntil(lambda: desk.state.left < 4, timeout=90_000)
    # As the key is pressed the shortcut asks the worker to stop; it answers in its own process.
    panel._stop_key.activated.emit()
    qtbot.waitUntil(lambda: desk._job is None, timeout=10_000)
    qtbot.waitUntil(lambda: "Stopped" in turning.message.text, timeout=5_000)
    assert 0 < desk.state.left < 4
    assert not panel.stop_button.isVisible()
    assert not panel.axis_free.isChecked(), "the next time somebody looks again"
    kept = [frame.file for frame in read_run(tmp_path / "yard-frames" / "run.json").frames if frame.file]
    assert len(kept) == 4 - desk.state.left


def test_a_series_on_the_ring_has_no_rig(shooting: MainWindow) -> None:
    QTest.mouseClick(shooting.panels["shoot"].begin_button, LEFT)
    assert not shooting.panels["shoot"].rig_button.isVisible()


def test_a_check_of_the_programs_can_be_hidden_and_shown_again(qtbot, shooting: MainWindow) -> None:
    panel = shooting.panels["shoot"]
    count = len(panel.ticks)
    first = panel.ticks[0].accessibleName()
    hide = next(button for button in panel.findChildren(QPushButton) if button.text() == "Hide")
    QTest.mouseClick(hide, LEFT)
    assert len(shooting.document.plan.hidden_checks) == 1
    weighed(qtbot, shooting)
    qtbot.waitUntil(lambda: len(panel.ticks) == count - 1, timeout=20_000)
    assert first not in [tick.accessibleName() for tick in panel.ticks]
    assert first not in sheet_html(shooting.session.shown.candidate)
    assert panel.show_all_button.isVisibleTo(panel)
    QTest.mouseClick(panel.show_all_button, LEFT)
    weighed(qtbot, shooting)
    qtbot.waitUntil(lambda: len(panel.ticks) == count, timeout=20_000)
    assert not panel.show_all_button.isVisibleTo(panel)


def test_a_sound_comes_only_when_it_is_wanted(shooting: MainWindow, monkeypatch) -> None:
    heard = []
    monkeypatch.setattr("verispect.ui.workflows.shooting.QTimer.singleShot", lambda wait, _beep: heard.append(wait))
    shooting.shoot_desk._cue(2)
    assert heard == []
    shooting.panels["shoot"].cues_box.setChecked(True)
    shooting.shoot_desk._cue(2)
    assert heard == [0, 400]
