"""Tests of the kit in the window: run beside it, told, kept as one undoable step."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QDialogButtonBox

from tests.prove.trials.test_pupil_test import two_frames
from tests.prove.trials.test_recycle_test import flashes
from tests.prove.trials.test_settle_test import burst
from tests.prove.trials.test_tilt_test import run_of
from tests.ui.conftest import weighed
from verispect.ui.panels.stations.trials import LENS, PUPIL, RECYCLE, SETTLE, STEP, TILT, SettleValues
from verispect.ui.panels.stations.two_places import TwoPlaces
from verispect.ui.window.main_window import MainWindow


def test_a_burst_tells_how_long_the_tripod_rings_and_is_kept(qtbot, window: MainWindow, tmp_path: Path) -> None:
    window.show_station("kit")
    page, desk = window.kit.trials, window.trial_desk
    page.what.setCurrentIndex(SETTLE)
    assert "burst" in page.steps.text()
    page.settle_form.fields["frames_per_s"].setText("12")
    page.settle_form.fields["frames_per_s"].editingFinished.emit()
    assert page.values_of(SettleValues).frames_per_s == 12.0
    desk.test(burst(tmp_path / "b", count=10))
    assert page.stop_button.isVisibleTo(page)
    qtbot.waitUntil(lambda: "Still within" in page.result.text(), timeout=60_000)
    before = window.document.plan.kit.times.settle_s
    page.take_button.click()
    weighed(qtbot, window)
    kept = window.document.plan.kit.times.settle_s
    assert kept != before
    assert f"{kept:g}" in page.result.text()
    window.document.undo_stack.undo()
    assert window.document.plan.kit.times.settle_s == before
    weighed(qtbot, window)


def test_a_flash_and_a_lean_are_measured_and_kept(qtbot, window: MainWindow, tmp_path: Path) -> None:
    window.show_station("kit")
    page, desk = window.kit.trials, window.trial_desk
    page.what.setCurrentIndex(RECYCLE)
    desk.test(flashes(tmp_path / "f", [0.5, 1.0, 1.5, 2.0], full_s=1.2))
    qtbot.waitUntil(lambda: "Full again" in page.result.text(), timeout=60_000)
    page.take_button.click()
    assert window.document.plan.kit.times.flash_recycle_s == 1.5
    page.what.setCurrentIndex(TILT)
    page.tilt_form.fields["scale_deg"].setText("2.5")
    page.tilt_form.fields["scale_deg"].editingFinished.emit()
    lens = window.kit.current_lens
    assert lens is not None
    desk.test(run_of(tmp_path / "w", 3.0))
    qtbot.waitUntil(lambda: "leans" in page.result.text(), timeout=60_000)
    page.take_button.click()
    weighed(qtbot, window)
    kept = next(own for own in window.document.plan.kit.lenses if own.name == lens.name)
    assert kept.tilt_plus_minus_deg > 0.0
    assert {"tilt_zero_deg", "tilt_plus_minus_deg"} <= set(kept.measured)


def test_two_things_are_clicked_on_and_tell_where_the_lens_turns(
    qtbot, window: MainWindow, tmp_path: Path, monkeypatch
) -> None:
    window.show_station("kit")
    page, desk = window.kit.trials, window.trial_desk
    page.what.setCurrentIndex(PUPIL)
    for name, value in (("near_m", "1.21"), ("far_m", "9.04"), ("axis_behind_front_mm", "110")):
        page.pupil_form.fields[name].setText(value)
        page.pupil_form.fields[name].editingFinished.emit()
    folder = two_frames(tmp_path / "f", ahead_mm=40.0, turned_deg=10.0)[0].parent

    def clicked(asking: TwoPlaces) -> int:
        scale = 1200 / asking.picture.width()
        ok = asking.buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert not ok.isEnabled()
        for column, row in ((824, 400), (10, 10)):
            place = QPoint(round(column / scale), round(row / scale))
            qtbot.mouseClick(asking.picture, Qt.MouseButton.LeftButton, pos=place)
        assert ok.isEnabled()
        qtbot.mouseClick(
            asking.picture, Qt.MouseButton.LeftButton, pos=QPoint(round(760 / scale), round(150 / scale))
        )
        qtbot.keyClick(asking.picture, Qt.Key.Key_Left)
        return 1

    monkeypatch.setattr(TwoPlaces, "exec", clicked)
    desk.test(folder)
    qtbot.waitUntil(lambda: "entrance pupil" in page.result.text(), timeout=60_000)
    assert "ahead of the axis" in page.result.text()
    page.take_button.click()
    lens = window.kit.current_lens
    assert lens is not None
    assert lens.pupil_behind_front_mm is not None
    weighed(qtbot, window)
    monkeypatch.setattr(TwoPlaces, "exec", lambda _asking: 0)
    desk.test(folder)
    assert page.frames_button.isVisibleTo(page)


def test_what_cannot_be_is_told_and_stopping_leaves_nothing(qtbot, window: MainWindow, tmp_path: Path) -> None:
    window.show_station("kit")
    page, desk = window.kit.trials, window.trial_desk
    page.what.setCurrentIndex(STEP)
    assert "ruler" in page.steps.text()
    (tmp_path / "empty").mkdir()
    desk.test(tmp_path / "empty")
    qtbot.waitUntil(lambda: "no pictures" in page.result.text(), timeout=60_000)
    assert not page.take_button.isVisibleTo(page)
    page.what.setCurrentIndex(LENS)
    desk.test(tmp_path / "empty")
    page.stop_button.click()
    qtbot.waitUntil(lambda: page.frames_button.isVisibleTo(page), timeout=10_000)
    assert page.result.text() == ""
