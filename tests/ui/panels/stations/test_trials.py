"""Tests of the kit in the window: run beside it, told, kept as one undoable step."""

from __future__ import annotations

from pathlib import Path

from tests.prove.trials.test_settle_test import burst
from tests.ui.conftest import weighed
from verispect.ui.panels.stations.trials import LENS, SETTLE, STEP
from verispect.ui.window.main_window import MainWindow


def test_a_burst_tells_how_long_the_tripod_rings_and_is_kept(qtbot, window: MainWindow, tmp_path: Path) -> None:
    window.show_station("kit")
    page, desk = window.kit.trials, window.trial_desk
    page.what.setCurrentIndex(SETTLE)
    assert "burst" in page.steps.text()
    page.settle_form.fields["frames_per_s"].setText("12")
    page.settle_form.fields["frames_per_s"].editingFinished.emit()
    assert page.settle_values.frames_per_s == 12.0
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
