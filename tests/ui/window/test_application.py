"""The window where there is no home to keep anything in."""

from __future__ import annotations

import threading
from pathlib import Path

import pytest

from verispect.ui.window.application import make_window
from verispect.ui.workflows.plan_files import demo_plan


@pytest.mark.parametrize("variable", ["XDG_CONFIG_HOME", "XDG_STATE_HOME"])
def test_without_a_home_the_window_opens_and_says_so(qtbot, monkeypatch, tmp_path: Path, variable) -> None:
    blocked = tmp_path / "a-file"
    blocked.write_text("")
    for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"):
        monkeypatch.setenv(name, str(tmp_path / name))
    monkeypatch.setenv(variable, str(blocked))
    before = threading.active_count()
    window = make_window(book_path=tmp_path / "book.sqlite")
    window.document.open(demo_plan(), None)
    window.subject.add_mark()
    if variable == "XDG_STATE_HOME":
        assert not window.desk.autosave()
    qtbot.waitUntil(lambda: "cannot be kept" in window.message.text or "could be kept" in window.message.text)
    window.document.undo_stack.setClean()
    assert window.close()
    window.weigher.close()
    window.deleteLater()
    qtbot.waitUntil(lambda: threading.active_count() <= before)
