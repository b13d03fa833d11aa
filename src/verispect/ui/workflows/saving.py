"""Asking where to save: nothing that is there is written over unasked, not by an ending that is added either."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QCoreApplication
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget


def ask_save(window: QWidget, title: str, start: Path | str, pattern: str, suffix: str) -> Path | None:
    """A place to write to, with its ending; None where the user thought better of it."""
    name, _ = QFileDialog.getSaveFileName(window, title, str(start), pattern)
    if not name:
        return None
    path = Path(name)
    if path.suffix:
        return path
    # The dialog asked about the name without the ending that is added here.
    path = path.with_name(path.name + suffix)
    if not path.exists():
        return path
    words = QCoreApplication.translate("Saving", "There is a file {0} already. Write over it?")
    answer = QMessageBox.question(
        window,
        title,
        words.format(path.name),
        QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.No,
        QMessageBox.StandardButton.No,
    )
    return path if answer == QMessageBox.StandardButton.Yes else None


def file_name(title: str) -> str:
    """A title as a file may be called."""
    kept = "".join(letter if letter.isalnum() else "-" for letter in title.lower()).strip("-")
    while "--" in kept:
        kept = kept.replace("--", "-")
    return kept[:60] or "plan"
