"""The frames of a check, set by set: chosen, and moved from one set to another by dragging or by a menu."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QAction,
    QContextMenuEvent,
    QCursor,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QIcon,
    QKeyEvent,
    QKeySequence,
    QPixmap,
)
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QMenu, QTableWidget, QTableWidgetItem, QToolTip, QWidget

from verispect.prove.parting.by_hand import ByHand
from verispect.prove.report import FrameReport, Report
from verispect.ui.controls.translate import say
from verispect.ui.drawings.picture_view import image_of

# A word and a sign, so that nothing hangs on colour.
SIGNS = {"good": "●", "doubtful": "◐", "redo": "○", "sharp": "●", "soft": "○", "cannot-say": "–"}
_ICON = (60, 40)
# Height of a row that heads a set.
_HEAD = 28
_NAME, _SET = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
# The place of a row that is of no set.
_NONE = -1


class FramesBySet(QTableWidget):
    """A row a frame; where they are several sets each under a row of its own, which says why it is one.

    Signals
    -------
    picked(str), beside_picked(str)
        A frame to be shown, by itself or beside the other.
    moved(list of str, int or None)
        Frames that belong to a set, counted from 0; None for one of their own.
    put_aside(list of str)
        Frames that belong to no set.
    """

    picked = pyqtSignal(str)
    beside_picked = pyqtSignal(str)
    moved = pyqtSignal(list, object)
    put_aside = pyqtSignal(list)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(0, 3, parent)
        dress(self, self.tr("Frames"), [self.tr("Frame"), self.tr("Verdict"), self.tr("What is wrong")])
        self.setIconSize(QSize(*_ICON))
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setToolTip(
            self.tr("A double click shows a frame beside the one chosen before; frames are dragged to another set")
        )
        self.setDragEnabled(True)
        self.setAcceptDrops(True)
        self.setDropIndicatorShown(False)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
        # Rows are laid out anew by what becomes of the move; nothing is taken out of them here.
        self.setDefaultDropAction(Qt.DropAction.CopyAction)
        self.itemSelectionChanged.connect(self._on_choice)
        self.itemDoubleClicked.connect(self._on_beside)
        self._icons: dict[str, QIcon] = {}
        self._count = 0
        # What takes moves back, brings them again and gives all of them up; of whoever keeps them.
        self.undo_actions: Sequence[QAction] = ()

    def show_report(self, report: Report | None) -> None:
        """What came of a check."""
        parts = [] if report is None else report.parts
        self._begin(0 if report is None else len(report.sets))
        numbers = list(range(self._count)) + [_NONE] * (len(parts) - self._count)
        for number, (words, frames) in zip(numbers, parts, strict=True):
            if words is not None:
                self._head(say(words), number)
            for frame in frames:
                self._row(frame.file or "", number, *_told(frame), missing=self.tr("(missing)"))

    def show_names(self, names: Sequence[str]) -> None:
        """Frames that are still to be checked."""
        self._begin(0)
        for name in names:
            self._row(name, _NONE, "…", "")

    def show_together(self, together: ByHand) -> None:
        """Frames put together by hand that are still to be checked."""
        self._begin(len(together.sets))
        for number, own in enumerate(together.sets):
            self._head(self.tr("Set {0}, of {1}, to be checked").format(number + 1, len(own)), number)
            for name in own:
                self._row(name, number, "…", "")
        if together.aside:
            self._head(self.tr("In no set"), _NONE)
            for name in sorted(together.aside):
                self._row(name, _NONE, "…", "")

    def _begin(self, count: int) -> None:
        self._count = count
        self.clearSpans()
        self.setRowCount(0)

    def _head(self, words: str, number: int) -> None:
        row = self.rowCount()
        self.setRowCount(row + 1)
        fill(self, row, [words, "", ""])
        self.setSpan(row, 0, 1, self.columnCount())
        self.setRowHeight(row, _HEAD)
        self._of_set(row, number)

    def _row(self, name: str, number: int, verdict: str, said: str, *, missing: str = "") -> None:
        row = self.rowCount()
        self.setRowCount(row + 1)
        fill(self, row, [name or missing, verdict, said], key=name)
        self.setRowHeight(row, _ICON[1] + 4)
        self._of_set(row, number)
        self._put_icon(row)

    def _of_set(self, row: int, number: int) -> None:
        for column in range(self.columnCount()):
            item = self.item(row, column)
            assert item is not None
            item.setData(_SET, number)

    def take_thumbnails(self, found: Sequence[tuple[str, NDArray[np.uint8]]]) -> None:
        """Small pictures by their files' names."""
        for name, pixels in found:
            self._icons[name] = QIcon(QPixmap.fromImage(image_of(pixels)))
        for row in range(self.rowCount()):
            self._put_icon(row)

    def forget_thumbnails(self) -> None:
        """Another folder has other pictures by the same names."""
        self._icons.clear()

    def _put_icon(self, row: int) -> None:
        item, icon = self.item(row, 0), self._icons.get(self._name_of(row))
        if item is not None and icon is not None:
            item.setIcon(icon)

    def _name_of(self, row: int) -> str:
        item = self.item(row, 0)
        return "" if item is None else str(item.data(_NAME) or "")

    def _set_of(self, row: int) -> int | None:
        """The set that a row is of; None behind the last row."""
        item = self.item(row, 0)
        return None if item is None else int(item.data(_SET))

    def _is_head(self, row: int) -> bool:
        return self.columnSpan(row, 0) > 1

    def chosen_names(self) -> list[str]:
        """The files chosen in the list, from the top; a row that heads a set stands for all of it."""
        rows = {index.row() for index in self.selectedIndexes()}
        heads = {self._set_of(row) for row in rows if self._is_head(row)}
        wanted = [row for row in range(self.rowCount()) if row in rows or self._set_of(row) in heads]
        return [name for name in map(self._name_of, wanted) if name]

    def _on_choice(self) -> None:
        model = self.selectionModel()
        rows = [] if model is None else model.selectedRows()
        if len(rows) == 1 and self._name_of(rows[0].row()):
            self.picked.emit(self._name_of(rows[0].row()))

    def _on_beside(self, item: QTableWidgetItem) -> None:
        if self._name_of(item.row()):
            self.beside_picked.emit(self._name_of(item.row()))

    def fill_menu(self, menu: QMenu) -> None:
        """What may be done with the frames that are chosen."""
        menu.clear()
        names = self.chosen_names() if self._count else []
        if not names:
            says = self.tr("Choose frames in the list first") if self._count else self.tr("Check the frames first")
            nothing = menu.addAction(says)
            assert nothing is not None
            nothing.setEnabled(False)

        def offer(words: str, act: Callable[[], object]) -> None:
            action = menu.addAction(words)
            assert action is not None
            action.triggered.connect(lambda _on: act())

        for number in range(self._count if names else 0):
            offer(self._where(number), partial(self.moved.emit, names, number))
        if names:
            offer(self._where(None), partial(self.moved.emit, names, None))
            offer(self._where(_NONE), partial(self.put_aside.emit, names))
        menu.addSeparator()
        menu.addActions(self.undo_actions)

    def _where(self, number: int | None) -> str:
        """Where frames would go, in words."""
        if number is None:
            return self.tr("A set of their own")
        return self.tr("In no set") if number == _NONE else self.tr("Into set {0}").format(number + 1)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """The same by the right button or the menu key."""
        if event is not None:
            menu = QMenu(self)
            self.fill_menu(menu)
            menu.exec(event.globalPos())
            menu.deleteLater()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Rows of this list; files and folders go to the page."""
        self._may_drop(event)

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        """As when it came in; where it would go is said beside the pointer."""
        super().dragMoveEvent(event)
        self._may_drop(event)
        if event is not None and event.isAccepted():
            number = self._set_of(self.rowAt(round(event.position().y())))
            QToolTip.showText(QCursor.pos(), self._where(number), self)

    def _may_drop(self, event: QDragMoveEvent | None) -> None:
        if event is None:
            return
        if self._count and _is_of_rows(event):
            event.acceptProposedAction()
        else:
            event.ignore()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """The frames chosen go to the set of the row they are dropped on, behind the last into one of their own."""
        if event is None or not (self._count and _is_of_rows(event)):
            if event is not None:
                event.ignore()
            return
        event.acceptProposedAction()
        # The view's own end of a drag, without its taking rows.
        self.dragLeaveEvent(QDragLeaveEvent())
        QToolTip.hideText()
        names, number = self.chosen_names(), self._set_of(self.rowAt(round(event.position().y())))
        if number == _NONE:
            self.put_aside.emit(names)
        else:
            self.moved.emit(names, number)

    def event(self, event: QEvent | None) -> bool:
        """Keys that take moves back belong to this list while it is in hand, not to the plan."""
        if isinstance(event, QKeyEvent) and (action := self._undo_of(event)) is not None:
            if event.type() == QEvent.Type.ShortcutOverride:
                event.accept()
                return True
            if event.type() == QEvent.Type.KeyPress:
                action.trigger()
                return True
        return super().event(event)

    def _undo_of(self, event: QKeyEvent) -> QAction | None:
        keys = (QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo)
        both = list(zip(keys, self.undo_actions, strict=False))
        # Once there are moves a key pressed too often takes back nothing, rather than a change of the plan.
        if not any(action.isEnabled() for _, action in both):
            return None
        return next((action for key, action in both if event.matches(key)), None)


def _is_of_rows(event: QDropEvent) -> bool:
    data = event.mimeData()
    return data is not None and data.hasFormat("application/x-qabstractitemmodeldatalist") and not data.hasUrls()


def _told(frame: FrameReport) -> tuple[str, str]:
    return f"{SIGNS[frame.verdict]} {frame.verdict}", "; ".join(fault.says for fault in frame.faults)


def dress(table: QTableWidget, name: str, heads: list[str]) -> None:
    """A table to be read, a row at a time, whose last column takes what is left."""
    table.setAccessibleName(name)
    table.setColumnCount(len(heads))
    table.setHorizontalHeaderLabels(heads)
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    table.setTabKeyNavigation(False)
    upright, header = table.verticalHeader(), table.horizontalHeader()
    assert upright is not None
    assert header is not None
    upright.hide()
    upright.setDefaultSectionSize(28)
    header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    header.setSectionResizeMode(len(heads) - 1, QHeaderView.ResizeMode.Stretch)


def fill(table: QTableWidget, row: int, cells: list[str], *, key: str = "", hint: str = "") -> None:
    """One row of such a table."""
    for column, text in enumerate(cells):
        item = QTableWidgetItem(text)
        item.setToolTip(hint or text)
        item.setData(_NAME, key)
        table.setItem(row, column, item)
