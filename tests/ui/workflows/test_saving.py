"""An ending that is added writes over nothing unasked."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from verispect.ui.workflows.saving import ask_save, file_name


@pytest.mark.parametrize("answer", [QMessageBox.StandardButton.Yes, QMessageBox.StandardButton.No])
def test_what_is_there_is_asked_about(qtbot, tmp_path: Path, monkeypatch, answer) -> None:
    parent = QWidget()
    qtbot.addWidget(parent)
    asked: list[str] = []

    def question(_parent, _title, text, *_buttons):
        asked.append(text)
        return answer

    monkeypatch.setattr(QMessageBox, "question", question)
    typed = {"name": str(tmp_path / "job")}
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_given: (typed["name"], ""))
    assert ask_save(parent, "Save", "job", "*.html", ".html") == tmp_path / "job.html"
    assert asked == []
    (tmp_path / "job.html").write_text("mine")
    found = ask_save(parent, "Save", "job", "*.html", ".html")
    assert "job.html" in asked[0]
    assert found == (tmp_path / "job.html" if answer == QMessageBox.StandardButton.Yes else None)
    # The dialog itself asked about a whole name.
    typed["name"] = str(tmp_path / "job.html")
    assert ask_save(parent, "Save", "job", "*.html", ".html") == tmp_path / "job.html"
    assert len(asked) == 1
    typed["name"] = ""
    assert ask_save(parent, "Save", "job", "*.html", ".html") is None


def test_titles_make_file_names() -> None:
    assert file_name("Yard / north: 2") == "yard-north-2"
    assert file_name("//") == "plan"
