"""What a person said of a check, as a step that can be taken back: one state for another."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

from PyQt6.QtGui import QUndoCommand

_T = TypeVar("_T")


class Said(QUndoCommand, Generic[_T]):
    """One thing that was said; `take` makes a state the one that holds."""

    def __init__(self, take: Callable[[_T], None], before: _T, after: _T, words: str) -> None:
        super().__init__(words)
        self._take, self._before, self._after = take, before, after

    def redo(self) -> None:
        self._take(self._after)

    def undo(self) -> None:
        self._take(self._before)
