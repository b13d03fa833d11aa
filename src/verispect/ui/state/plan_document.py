"""The open plan: read by views, changed through the undo stack alone."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from verispect.plan.document import ManualSetting, Plan, empty_plan
from verispect.subject.mark import Mark
from verispect.subject.surface import Surface


class _ChangePlan(QUndoCommand):
    def __init__(self, document: PlanDocument, before: Plan, after: Plan, text: str) -> None:
        super().__init__(text)
        self._document = document
        self._before, self._after = before, after

    def redo(self) -> None:
        self._document._show(self._after)

    def undo(self) -> None:
        self._document._show(self._before)


class PlanDocument(QObject):
    """A plan with its file and its undo stack.

    Signals
    -------
    previewed
        A gesture shows a change that is not made yet.
    changed
        The plan was changed, by a command, an undo or by opening another.
    replaced
        Another plan was opened.
    """

    previewed = pyqtSignal()
    changed = pyqtSignal()
    replaced = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._plan = empty_plan()
        self._shown = self._plan
        self.path: Path | None = None
        self.read_only = False
        self.undo_stack = QUndoStack(self)

    @property
    def plan(self) -> Plan:
        """The plan as it stands, without a gesture that is under way."""
        return self._plan

    @property
    def shown(self) -> Plan:
        """The plan as it is to be drawn, with a gesture under way."""
        return self._shown

    def open(self, plan: Plan, path: Path | None, *, read_only: bool = False) -> None:
        """Put another plan in place of this one and forget the undo history."""
        self.undo_stack.clear()
        self._plan = self._shown = plan
        self.path, self.read_only = path, read_only
        self.replaced.emit()
        self.changed.emit()

    def change(self, plan: Plan, text: str) -> None:
        """Make a change that can be undone; a change that changes nothing is dropped."""
        if plan == self._plan:
            if self._shown is not self._plan:
                self._show(self._plan)
            return
        self.undo_stack.push(_ChangePlan(self, self._plan, plan, text))

    def preview(self, plan: Plan) -> None:
        """Show a change while a gesture goes on."""
        self._shown = plan
        self.previewed.emit()

    def _show(self, plan: Plan) -> None:
        self._plan = self._shown = plan
        self.changed.emit()

    def update(self, text: str, **parts: Any) -> None:
        """Change top-level parts of the plan."""
        self.change(self._plan.model_copy(update=parts), text)


def with_mark(plan: Plan, index: int, **values: Any) -> Plan:
    """The plan with some values of one mark changed; validated anew."""
    marks = list(plan.marks)
    marks[index] = Mark.model_validate(marks[index].model_dump() | values)
    return plan.model_copy(update={"marks": tuple(marks)})


def with_surface(plan: Plan, index: int, **values: Any) -> Plan:
    """The plan with some values of one surface changed; validated anew."""
    surfaces = list(plan.surfaces)
    surfaces[index] = Surface.model_validate(surfaces[index].model_dump() | values)
    return plan.model_copy(update={"surfaces": tuple(surfaces)})


def without_marks(plan: Plan, indices: Iterable[int]) -> Plan:
    """The plan without some marks."""
    gone = set(indices)
    kept = tuple(mark for k, mark in enumerate(plan.marks) if k not in gone)
    return plan.model_copy(update={"marks": kept})


def with_choice(plan: Plan, *, method: str | None, manual: ManualSetting | None = None) -> Plan:
    """The plan with another method taken."""
    choice = plan.choice.model_copy(update={"method": method, "manual": manual})
    return plan.model_copy(update={"choice": choice})
