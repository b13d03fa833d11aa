"""The table of marks: typed freely, checked at once, undone like everything else."""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError
from PyQt6.QtCore import QAbstractItemModel, QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHeaderView, QStyledItemDelegate, QStyleOptionViewItem, QTableView, QWidget

from verispect.quantities import QuantityError, parse_length_m, parse_number
from verispect.subject.mark import Mark
from verispect.subject.measuring import INFINITY_M
from verispect.ui.controls.lengths import format_length
from verispect.ui.controls.model_form import complaint_of
from verispect.ui.controls.translate import say_error
from verispect.ui.state.plan_document import PlanDocument, with_mark

_KEYS = ("name", "x_m", "y_m", "z_m", "plus_minus_m", "need", "weight", "speed_mm_s")
_NEEDS = ("must", "should", "may", "soft")


class MarksModel(QAbstractTableModel):
    """The marks of the open plan."""

    complained = pyqtSignal(str)

    def __init__(self, document: PlanDocument, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.system = "metric"
        self._count = 0
        self._marks: tuple[Mark, ...] = ()
        document.changed.connect(self.refresh)
        document.previewed.connect(self.refresh)

    def refresh(self) -> None:
        """Show the plan as it is now; keeps the selection while the number of marks stays."""
        marks = self._document.shown.marks
        before, self._marks = self._marks, marks
        if len(marks) != len(before):
            self.beginResetModel()
            self._count = len(marks)
            self.endResetModel()
            return
        changed = [row for row, (old, new) in enumerate(zip(before, marks, strict=True)) if old is not new]
        if not changed:
            return
        # Only the cells that differ: painting one takes longer than finding out.
        columns = [
            column
            for column, key in enumerate(_KEYS)
            if any(getattr(before[row], key) != getattr(marks[row], key) for row in changed)
        ]
        if columns:
            self.dataChanged.emit(self.index(changed[0], columns[0]), self.index(changed[-1], columns[-1]))

    def show_lengths(self, system: str) -> None:
        """Write lengths in metres or in feet and inches."""
        self.system = system
        if self._count:
            self.dataChanged.emit(self.index(0, 0), self.index(self._count - 1, len(_KEYS) - 1))

    def rowCount(self, _parent: QModelIndex | None = None) -> int:
        return self._count

    def columnCount(self, _parent: QModelIndex | None = None) -> int:
        return len(_KEYS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> Any:
        if orientation == Qt.Orientation.Vertical:
            return str(section + 1) if role == Qt.ItemDataRole.DisplayRole else None
        names = (
            self.tr("Name"),
            self.tr("Across"),
            self.tr("Up"),
            self.tr("Away"),
            self.tr("±"),
            self.tr("Need"),
            self.tr("Imp."),
            self.tr("mm/s"),
        )
        hints = (
            "",
            self.tr("To the right of the camera; negative to the left"),
            self.tr("Above the ground under the camera"),
            self.tr("Away from the camera along the ground"),
            self.tr("How surely its distance is known: almost surely within (95 %)"),
            self.tr("must, should, may be soft, or wanted soft"),
            self.tr("Importance: how much its blur counts beside the others"),
            self.tr("Movement across the view"),
        )
        if role == Qt.ItemDataRole.DisplayRole:
            return names[section]
        return hints[section] if role == Qt.ItemDataRole.ToolTipRole else None

    def data(self, index: QModelIndex, role: int = 0) -> Any:
        if role == Qt.ItemDataRole.TextAlignmentRole and _KEYS[index.column()] not in ("name", "need"):
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return None
        key = _KEYS[index.column()]
        value = getattr(self._document.shown.marks[index.row()], key)
        if key == "plus_minus_m" and not value and role == Qt.ItemDataRole.DisplayRole:
            return "–"
        if key.endswith("_m"):
            return format_length(value, self.system)
        return value if isinstance(value, str) else f"{value:g}"

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        return super().flags(index) | Qt.ItemFlag.ItemIsEditable

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role != Qt.ItemDataRole.EditRole or str(value) == self.data(index, role):
            return False
        key = _KEYS[index.column()]
        try:
            parsed = self._parsed(key, str(value))
            plan = with_mark(self._document.plan, index.row(), **{key: parsed})
        except ValidationError as error:
            self.complained.emit(complaint_of(error))
            return False
        except (QuantityError, ValueError) as error:
            self.complained.emit(say_error(error))
            return False
        self.complained.emit("")
        name = self._document.plan.marks[index.row()].name
        self._document.change(plan, self.tr("change of {0}").format(name))
        return True

    def _parsed(self, key: str, text: str) -> Any:
        if key in ("name", "need"):
            return text.strip()
        if key.endswith("_m"):
            unit = "ft" if self.system == "imperial" else "m"
            return min(parse_length_m(text, default_unit=unit, endless=key == "z_m"), INFINITY_M)
        return parse_number(text)


class _NeedDelegate(QStyledItemDelegate):
    def createEditor(self, parent: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex) -> QWidget:
        box = QComboBox(parent)
        box.addItems(_NEEDS)
        box.activated.connect(lambda: self._done(box))
        return box

    def _done(self, box: QWidget) -> None:
        self.commitData.emit(box)
        self.closeEditor.emit(box)

    def setEditorData(self, editor: QWidget | None, index: QModelIndex) -> None:
        assert isinstance(editor, QComboBox)
        editor.setCurrentText(index.data())

    def setModelData(self, editor: QWidget | None, model: QAbstractItemModel | None, index: QModelIndex) -> None:
        assert isinstance(editor, QComboBox)
        assert model is not None
        model.setData(index, editor.currentText())


class MarksTable(QTableView):
    """The view of the marks model; `selected(int)` follows the current row."""

    selected = pyqtSignal(int)

    def __init__(self, model: MarksModel) -> None:
        super().__init__()
        self.setModel(model)
        self.setAccessibleName(self.tr("Marks"))
        self.setItemDelegateForColumn(_KEYS.index("need"), _NeedDelegate(self))
        self.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.setTabKeyNavigation(False)
        self.verticalHeader().setDefaultSectionSize(28)
        self.verticalHeader().hide()
        header = self.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for column, width in enumerate((0, 64, 64, 58, 58, 50, 34, 42)):
            if width:
                self.setColumnWidth(column, width)
        self.selectionModel().currentRowChanged.connect(lambda now, _before: self.selected.emit(now.row()))

    def select_mark(self, index: int) -> None:
        """Make a mark the current one."""
        if index != self.currentIndex().row() and 0 <= index < self.model().rowCount():
            column = max(self.currentIndex().column(), 0)
            self.setCurrentIndex(self.model().index(index, column))
