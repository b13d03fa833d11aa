"""Files as the user meets them: nothing written over unasked, recovered work kept until it is safe."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QFileDialog, QMessageBox

from tests.files.test_recovery import ended_process
from verispect.errors import FileError
from verispect.files.plan_file import read_plan, write_plan
from verispect.files.recovery import RecoveryStore
from verispect.plan.document import Plan
from verispect.ui.window.main_window import MainWindow


def answered(monkeypatch, kind: str, button: str) -> list[str]:
    """Answer a question so, and keep what was asked."""
    asked: list[str] = []

    def reply(_window, _title, text, *_buttons):
        asked.append(text)
        return getattr(QMessageBox.StandardButton, button)

    monkeypatch.setattr(QMessageBox, kind, reply)
    return asked


@pytest.mark.parametrize("button", ["Cancel", "Save"])
def test_a_file_changed_meanwhile_is_written_over_only_if_asked_for(
    window: MainWindow, tmp_path, monkeypatch, button
) -> None:
    path = tmp_path / "p.verispect"
    write_plan(Plan(title="mine"), path)
    window.open_path(path)
    write_plan(Plan(title="another window's"), path)
    window.subject.add_mark()
    asked = answered(monkeypatch, "warning", button)
    assert window.desk.save() is (button == "Save")
    assert len(asked) == 1
    assert read_plan(path).title == ("mine" if button == "Save" else "another window's")
    if button == "Save":
        window.subject.add_mark()
        assert window.desk.save()
        assert len(asked) == 1


@pytest.mark.parametrize("button", ["No", "Yes"])
def test_the_ending_that_is_added_may_name_a_file_that_is_there(
    window: MainWindow, tmp_path, monkeypatch, button
) -> None:
    path = tmp_path / "plan.verispect"
    write_plan(Plan(title="there"), path)
    window.subject.add_mark()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "plan"), ""))
    asked = answered(monkeypatch, "question", button)
    assert window.desk.save_as() is (button == "Yes")
    assert len(asked) == 1
    assert (read_plan(path).title == "there") is (button == "No")


def lost_work(tmp_path: Path, window: MainWindow, origin: Path) -> Path:
    """A copy left by a process that is gone, of work on a file."""
    folder = tmp_path / "recovery"
    RecoveryStore(folder).keep(Plan(title="hours of work"), origin)
    [copy] = folder.iterdir()
    content = json.loads(copy.read_text()) | {"pid": ended_process(), "born": None}
    copy.write_text(json.dumps(content))
    return copy


def brought_back(window: MainWindow) -> None:
    window.desk.offer_recovery()
    next(button for button in window.message._buttons if "Bring it back" in button.text()).click()


def test_recovered_work_undone_and_saved_is_still_the_work(window: MainWindow, tmp_path) -> None:
    origin = tmp_path / "p.verispect"
    write_plan(Plan(title="before"), origin)
    lost_work(tmp_path, window, origin)
    brought_back(window)
    assert window.isWindowModified()
    window.document.undo_stack.undo()
    assert window.desk.save()
    assert read_plan(origin).title == "hours of work"


def test_on_a_full_disk_the_only_copy_stays(window: MainWindow, tmp_path, monkeypatch) -> None:
    copy = lost_work(tmp_path, window, tmp_path / "p.verispect")

    def full(*_arguments):
        raise FileError("no space left")

    monkeypatch.setattr(RecoveryStore, "keep", full)
    brought_back(window)
    assert window.document.plan.title == "hours of work"
    assert copy.exists()
    assert "no space left" in window.message.text
