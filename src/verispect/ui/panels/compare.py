"""Compare: every method with all its figures, sorted and pinned as one likes, and copied."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QIcon, QPixmap, QShowEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from verispect.plan.explain.comparison import COLUMNS, Row, as_csv, as_markdown, comparison, written
from verispect.plan.methods.method import method_of
from verispect.sentence import Sentence
from verispect.ui.controls.theme import THEMES, Theme
from verispect.ui.controls.translate import say
from verispect.ui.drawings.thumbnail import thumbnail

if TYPE_CHECKING:
    from verispect.plan.advise.weigh import Weighing

_THUMB = QSize(84, 40)


class ComparePage(QWidget):
    """The table. `chosen(str)` says which method was taken by a double click or Return."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[Row] = []
        self._weighing: Weighing | None = None
        self._drawn: Weighing | None = None
        self._icons: dict[str, QIcon] = {}
        self._theme: Theme = THEMES["light"]
        self._order: tuple[int, bool] | None = None
        self.pinned: set[str] = set()
        self.table = QTableWidget()
        self.table.setAccessibleName(self.tr("All methods"))
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setTabKeyNavigation(False)
        self.table.setIconSize(_THUMB)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(_THUMB.height() + 6)
        self.table.horizontalHeader().setSectionsClickable(True)
        self.table.horizontalHeader().sectionClicked.connect(self.sort_by)
        self.table.itemActivated.connect(self._on_activated)
        self.pin_button = QPushButton(self.tr("&Pin on top"))
        self.csv_button = QPushButton(self.tr("Copy as &CSV"))
        self.markdown_button = QPushButton(self.tr("Copy as &Markdown"))
        self.pin_button.clicked.connect(self.pin)
        self.csv_button.clicked.connect(lambda: self._copy(as_csv(self.rows(), say)))
        self.markdown_button.clicked.connect(lambda: self._copy(as_markdown(self.rows(), say)))
        hint = QLabel(self.tr("A click on a heading sorts by it; Return or a double click takes the method"))
        hint.setWordWrap(True)
        hint.setProperty("quiet", True)
        buttons = QHBoxLayout()
        for button in (self.pin_button, self.csv_button, self.markdown_button):
            buttons.addWidget(button, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.addWidget(self.table, 1)
        layout.addWidget(hint)
        layout.addLayout(buttons)

    def apply_theme(self, theme: Theme) -> None:
        """Thumbnails in a theme's colours."""
        self._theme, self._drawn = theme, None
        self._fill()

    def show_weighing(self, weighing: Weighing | None) -> None:
        """Take on results; drawn when the page is seen."""
        self._weighing = weighing
        if self.isVisible():
            self._fill()

    def showEvent(self, _event: QShowEvent | None) -> None:
        self._fill()

    def rows(self) -> list[Row]:
        """The rows as they are shown: pinned first, then sorted."""
        rows = list(self._rows)
        if self._order is not None:
            column, down = self._order
            rows.sort(key=lambda row: self._sort_value(row, column, down))
        return sorted(rows, key=lambda row: row.key not in self.pinned)

    def _sort_value(self, row: Row, column: int, down: bool) -> tuple[bool, float | str]:
        """What is not known comes last either way."""
        if column < 2:
            return False, self._words(row, column)
        value = row.figures.get(COLUMNS[column - 2].key, math.nan)
        return math.isnan(value), -value if down else value

    def _words(self, row: Row, column: int) -> str:
        return say(Sentence(method_of(row.key).name)) if column == 0 else say(row.state)

    def sort_by(self, column: int) -> None:
        """Sort by a column, upwards; again, downwards; a third time as the methods come."""
        before = self._order
        if before is None or before[0] != column:
            self._order = (column, False)
        else:
            self._order = None if before[1] or column < 2 else (column, True)
        self._write()

    def pin(self) -> None:
        """Keep the selected method on top, or let it go."""
        row = self.table.currentRow()
        if 0 <= row < len(self._rows):
            self.pinned ^= {self.rows()[row].key}
            self._write()

    def _fill(self) -> None:
        if self._weighing is None:
            self._rows = []
        elif self._drawn is not self._weighing:
            self._rows = comparison(self._weighing)
            self._icons = {
                row.key: QIcon(
                    QPixmap.fromImage(thumbnail(row.candidate, self._theme, _THUMB.width(), _THUMB.height()))
                )
                for row in self._rows
            }
            self._drawn = self._weighing
        self._write()

    def _write(self) -> None:
        table, rows = self.table, self.rows()
        chosen = self.table.currentRow()
        table.setColumnCount(2 + len(COLUMNS))
        table.setRowCount(len(rows))
        heads = [(self.tr("Method"), ""), (self.tr("State"), "")]
        heads += [(f"{say(column.title)}\n{column.unit}".rstrip(), say(column.hint)) for column in COLUMNS]
        for k, (title, hint) in enumerate(heads):
            if self._order is not None and self._order[0] == k:
                title = ("▾ " if self._order[1] else "▴ ") + title
            head = QTableWidgetItem(title)
            head.setToolTip(hint)
            table.setHorizontalHeaderItem(k, head)
        for r, row in enumerate(rows):
            name = self._words(row, 0) + (self.tr(" · advised") if row.advised else "")
            if row.key in self.pinned:
                name = "⚲ " + name
            first = QTableWidgetItem(self._icons.get(row.key, QIcon()), name)
            first.setToolTip(row.setting or "; ".join(say(reason) for reason in row.candidate.why_not))
            table.setItem(r, 0, first)
            table.setItem(r, 1, QTableWidgetItem(say(row.state)))
            for k, column in enumerate(COLUMNS, start=2):
                cell = QTableWidgetItem(written(column, row))
                cell.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                table.setItem(r, k, cell)
        table.resizeColumnsToContents()
        if 0 <= chosen < len(rows):
            table.selectRow(chosen)

    def _on_activated(self, item: QTableWidgetItem) -> None:
        row = self.rows()[item.row()]
        if row.candidate.fits:
            self.chosen.emit(row.key)

    def _copy(self, text: str) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(text)
