"""A small table over a tuple of frozen models: one row a model, validated as it is typed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pydantic import BaseModel, ValidationError
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from verispect.errors import VerispectError
from verispect.ui.controls.model_form import Spec, complaint_of, read_value, written_value
from verispect.ui.controls.translate import say_error


class RowsForm(QWidget):
    """Rows of one kind of model.

    Signals
    -------
    edited(tuple of models, text)
        Valid new rows and what was changed, for the undo history.
    """

    edited = pyqtSignal(object, str)

    def __init__(self, name: str, kind: type[BaseModel], specs: Sequence[Spec], *, fresh: dict[str, Any]) -> None:
        super().__init__()
        self._name, self._kind, self._specs, self._fresh = name, kind, list(specs), fresh
        self._rows: tuple[BaseModel, ...] = ()
        self._filling = False
        self.table = QTableWidget(0, len(self._specs))
        self.table.setAccessibleName(name)
        self.table.setHorizontalHeaderLabels([spec.label for spec in self._specs])
        for column, spec in enumerate(self._specs):
            item = self.table.horizontalHeaderItem(column)
            if spec.hint and item is not None:
                item.setToolTip(spec.hint)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setTabKeyNavigation(False)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(28)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.setMinimumHeight(130)
        self.table.cellChanged.connect(self._commit)
        self.complaint = QLabel()
        self.complaint.setProperty("wrong", True)
        self.complaint.setWordWrap(True)
        self.complaint.hide()
        self.add_button = QPushButton(self.tr("Add a row"))
        self.remove_button = QPushButton(self.tr("Remove the row"))
        self.add_button.clicked.connect(self.add_row)
        self.remove_button.clicked.connect(self.remove_row)
        buttons = QHBoxLayout()
        buttons.addWidget(self.add_button)
        buttons.addWidget(self.remove_button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.table)
        layout.addWidget(self.complaint)
        layout.addLayout(buttons)

    def show_rows(self, rows: tuple[BaseModel, ...] | None) -> None:
        """Take on rows; None empties and disables the table."""
        self.setEnabled(rows is not None)
        self._rows = rows or ()
        self._complain("")
        self._filling = True
        self.table.setRowCount(len(self._rows))
        for line, row in enumerate(self._rows):
            for column, spec in enumerate(self._specs):
                item = QTableWidgetItem(written_value(spec, getattr(row, spec.key), "metric"))
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(line, column, item)
        self._filling = False
        self.remove_button.setEnabled(bool(self._rows))

    def add_row(self) -> None:
        """A row to start from: a copy of the last, or the plain one."""
        fresh = self._rows[-1] if self._rows else self._kind.model_validate(self._fresh)
        self.edited.emit((*self._rows, fresh), self._name)

    def remove_row(self) -> None:
        """Take away the current row, or the last."""
        current = self.table.currentRow()
        gone = current if 0 <= current < len(self._rows) else len(self._rows) - 1
        self.edited.emit(tuple(row for k, row in enumerate(self._rows) if k != gone), self._name)

    def _commit(self, line: int, column: int) -> None:
        if self._filling:
            return
        spec, item = self._specs[column], self.table.item(line, column)
        try:
            value = read_value(spec, "" if item is None else item.text(), "metric")
            row = self._kind.model_validate(self._rows[line].model_dump() | {spec.key: value})
        except ValidationError as error:
            self._complain(complaint_of(error))
        except VerispectError as error:
            self._complain(say_error(error))
        else:
            self._complain("")
            rows = tuple(row if k == line else old for k, old in enumerate(self._rows))
            self.edited.emit(rows, self._name)

    def _complain(self, text: str) -> None:
        self.complaint.setText(text)
        self.complaint.setVisible(bool(text))
