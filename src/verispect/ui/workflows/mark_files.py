"""Marks from and to files: CSV and GPX."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QWidget

from verispect.errors import FileError, VerispectError
from verispect.files.atomic import write_atomically
from verispect.ui.controls.translate import say
from verispect.ui.state.notices import Notices
from verispect.ui.state.plan_document import PlanDocument
from verispect.ui.workflows.saving import ask_save

if TYPE_CHECKING:
    from verispect.files.marks_csv import TableRead

# So many complaints are told one by one.
_TOLD = 3


class MarksDesk(QObject):
    """Asks where, reads or writes, and says what came of it."""

    def __init__(self, window: QWidget, document: PlanDocument, notices: Notices) -> None:
        super().__init__(window)
        self._window, self._document, self._notices = window, document, notices

    def read(self) -> None:
        """Ask for a table of marks and add what it holds."""
        name, _ = QFileDialog.getOpenFileName(
            self._window, self.tr("Add marks from a file"), "", self.tr("Marks (*.csv *.tsv *.txt *.gpx)")
        )
        if name:
            self.read_path(Path(name))

    def read_path(self, path: Path) -> None:
        """Add the marks of a file; rows that cannot be used are told, and the others taken."""
        try:
            found = self._read(path)
        except VerispectError as error:
            self._notices.report(error)
            return
        if found.marks:
            marks = (*self._document.plan.marks, *found.marks)
            self._document.update(self.tr("marks from {0}").format(path.name), marks=marks)
        said = self.tr("{0}: {1} marks added").format(path.name, len(found.marks))
        if found.complaints:
            told = "; ".join(say(told) for told in found.complaints[:_TOLD])
            more = len(found.complaints) - _TOLD
            rest = self.tr(" and {0} more").format(more) if more > 0 else ""
            said += self.tr(", {0} rows not: {1}{2}").format(len(found.complaints), told, rest)
        if found.notes:
            said += "; " + "; ".join(say(note) for note in found.notes)
        self._notices.say(said)

    def _read(self, path: Path) -> TableRead:
        # Not needed to open the window.
        from verispect.files.gpx import marks_from_gpx
        from verispect.files.marks_csv import MOST_BYTES, marks_from_csv, text_of_table

        try:
            if path.stat().st_size > MOST_BYTES:
                raise FileError(
                    "{path}: the file is larger than {MOST_BYTES} bytes; no table of marks is",
                    path=path,
                    MOST_BYTES=MOST_BYTES,
                )
            content = path.read_bytes()
        except OSError as error:
            raise FileError("{path}: cannot be read: {v1}", path=path, v1=error.strerror or error) from error
        if path.suffix.lower() == ".gpx":
            return marks_from_gpx(content, self._document.plan, name=path.name)
        return marks_from_csv(text_of_table(content, name=path.name), name=path.name)

    def write(self, suffix: str) -> None:
        """Ask for a place and write all marks as CSV or GPX."""
        from verispect.files.gpx import marks_to_gpx
        from verispect.files.marks_csv import marks_to_csv

        try:
            plan = self._document.plan
            content = marks_to_csv(plan.marks).encode("utf-8") if suffix == ".csv" else marks_to_gpx(plan)
            path = ask_save(self._window, self.tr("Save the marks"), f"marks{suffix}", f"*{suffix}", suffix)
            if path is None:
                return
            write_atomically(path, content)
        except VerispectError as error:
            self._notices.report(error)
        else:
            self._notices.say(self.tr("Written: {0}").format(path))
