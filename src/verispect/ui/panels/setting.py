"""Set: the numbers of the chosen method, frame by frame, each with its why."""

from __future__ import annotations

import html
from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from verispect.plan.candidate import METHOD_NAMES, TURNED, Candidate
from verispect.plan.frame_list import FrameRow, frame_rows, shutter_words
from verispect.sentence import Sentence
from verispect.ui.drawings.shown import Shown
from verispect.ui.lengths import format_angle, format_length, format_movement, format_travel
from verispect.ui.words import heading, say


class SetPanel(QWidget):
    """The frame list, the reasons for its numbers, and the ways out onto paper.

    Signals
    -------
    frame_picked(int), sheet_wanted, table_wanted, best_wanted
    """

    frame_picked = pyqtSignal(int)
    sheet_wanted = pyqtSignal()
    table_wanted = pyqtSignal()
    best_wanted = pyqtSignal()

    def __init__(self, system: Callable[[], str]) -> None:
        super().__init__()
        self._system = system
        self.heading = QLabel()
        self.heading.setWordWrap(True)
        self.table = QTableWidget()
        self.table.setAccessibleName(self.tr("Frames"))
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setTabKeyNavigation(False)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(28)
        self.table.currentCellChanged.connect(self._on_row)
        self.why = QTextBrowser()
        self.why.setAccessibleName(self.tr("Why these numbers"))
        self.best_button = QPushButton(self.tr("&Back to the best"))
        self.best_button.clicked.connect(self.best_wanted)
        self.sheet_button = QPushButton(self.tr("Field &sheet (PDF)…"))
        self.sheet_button.clicked.connect(self.sheet_wanted)
        self.table_button = QPushButton(self.tr("&Table (CSV)…"))
        self.table_button.clicked.connect(self.table_wanted)
        row = QHBoxLayout()
        for button in (self.sheet_button, self.table_button, self.best_button):
            row.addWidget(button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 8)
        layout.addWidget(self.heading)
        layout.addWidget(self.table, 3)
        layout.addWidget(QLabel(self.tr("Why these numbers")))
        layout.addWidget(self.why, 4)
        layout.addLayout(row)
        self._filling = False

    def _on_row(self, row: int, _column: int, _old_row: int, _old_column: int) -> None:
        if not self._filling and row >= 0:
            self.frame_picked.emit(row)

    def show_scene(self, shown: Shown | None, complaint: str) -> None:
        """Show the numbers of what is on the board."""
        candidate = shown.candidate if shown is not None else None
        usable = candidate is not None and bool(candidate.exposures)
        for button in (self.sheet_button, self.table_button):
            button.setEnabled(usable)
        self.best_button.setVisible(shown is not None and shown.by_hand)
        self._filling = True
        if not usable:
            self.table.setRowCount(0)
            self.why.clear()
            self.heading.setText(complaint or self._unfit(candidate))
        else:
            self._fill(candidate, shown)
        self._filling = False

    def _unfit(self, candidate: Candidate | None) -> str:
        if candidate is None:
            return self.tr("No method is worked out yet.")
        return " ".join(f"{say(reason)}." for reason in candidate.why_not)

    def _fill(self, candidate: Candidate, shown: Shown) -> None:
        # Not needed before the first weighing has come in, when the window has long been painted.
        from verispect.plan.why import reasons_for

        name = say(Sentence(METHOD_NAMES[candidate.key]))
        rows = frame_rows(candidate)
        first = rows[0]
        text = f"{heading(name)} · {html.escape(first.lens)} · {first.focal_mm:.4g} mm · f/{first.stop}"
        if shown.by_hand:
            text += " · " + self.tr("moved by hand: softest must at {0:.2f}").format(candidate.worst_softness)
        notes = "".join(f"<br>{html.escape(say(note))}." for note in candidate.notes)
        self.heading.setText(text + notes)
        columns = self._columns(candidate)
        self.table.setColumnCount(len(columns))
        self.table.setHorizontalHeaderLabels([title for title, _ in columns])
        self.table.setRowCount(len(rows))
        for line, row in enumerate(rows):
            for column, (_, write) in enumerate(columns):
                item = QTableWidgetItem(write(row))
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(line, column, item)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        self.table.setCurrentCell(min(shown.frame, len(rows) - 1), 0)
        self.why.setHtml(
            "".join(
                f"<p>{heading(say(reason.what))}<br>{html.escape(say(reason.working))}"
                f"<br><i>{html.escape(say(reason.source))}</i></p>"
                for reason in reasons_for(candidate, shown.frame)
            )
        )

    def _columns(self, candidate: Candidate) -> list[tuple[str, Callable[[FrameRow], str]]]:
        system = self._system()
        columns: list[tuple[str, Callable[[FrameRow], str]]] = [("#", lambda row: str(row.number))]
        if candidate.key in ("tilt", "tilt-series"):
            columns.append((self.tr("Tilt"), lambda row: format_angle(row.tilt_deg)))
            columns.append((self.tr("Swing"), lambda row: format_angle(row.swing_deg)))
        if candidate.key in TURNED:
            columns.append((self.tr("Bearing"), lambda row: format_angle(row.bearing_deg)))
            columns.append((self.tr("Pitch"), lambda row: format_angle(row.pitch_deg)))
        if candidate.key == "shift-grid":
            columns.append((self.tr("Cross"), lambda row: format_movement(row.cross_mm)))
            columns.append((self.tr("Rise"), lambda row: format_movement(row.rise_mm)))
        if candidate.key == "rail-series":
            columns.append((self.tr("Rail"), lambda row: format_travel(row.rail_mm)))
        columns.append((self.tr("Focus"), lambda row: format_length(row.focus_m, system)))
        columns.append((self.tr("Stop"), lambda row: f"f/{row.stop}"))
        columns.append((self.tr("Time"), lambda row: shutter_words(row.shutter_s)))
        return columns
