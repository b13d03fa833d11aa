"""Frames put into other sets by hand, each move taken back and brought again as anything else."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QAction, QUndoStack

from verispect.prove.parting.by_hand import ByHand
from verispect.prove.report import Report
from verispect.ui.panels.stations.frames_by_set import FramesBySet
from verispect.ui.workflows.by_hand.said import Said


class SetsByHand(QObject):
    """What a person said of which frames belong together; None as long as nothing was said.

    Signals
    -------
    changed()
        They are to be checked again.
    """

    changed = pyqtSignal()

    def __init__(self, parent: QObject, frames: FramesBySet) -> None:
        super().__init__(parent)
        self.together: ByHand | None = None
        self._frames = frames
        # As they lie in the list now, by the last check or the last move.
        self._shown = ByHand()
        # Whether they lie otherwise than they were checked.
        self.is_ahead = False
        self._stack = QUndoStack(self)
        frames.moved.connect(lambda names, to: self._move(self._shown.moved(names, to), names))
        frames.put_aside.connect(lambda names: self._move(self._shown.put_aside(names), names))
        undo, redo = self._stack.createUndoAction(self), self._stack.createRedoAction(self)
        self._found = QAction(self.tr("As they were &found"), self)
        self._found.triggered.connect(lambda: self._push(None, self.tr("sets by hand given up")))
        assert undo is not None
        assert redo is not None
        self.undo_actions = (undo, redo, self._found)
        frames.undo_actions = self.undo_actions
        self._found.setEnabled(False)

    def begin(self, together: ByHand | None = None) -> None:
        """Other frames are looked at, of which this was said before."""
        self._stack.clear()
        self.together, self.is_ahead = together, False
        self._found.setEnabled(together is not None)

    def forget_unless_in(self, folder: Path) -> None:
        """Other frames may lie in the same place: another card, or all taken anew."""
        named = () if self.together is None else (name for own in self.together.sets for name in own)
        if self.together is not None and not any((folder / name).exists() for name in named):
            self.begin()

    def on_report(self, report: Report) -> None:
        """The frames lie as a check found them."""
        self._shown, self.is_ahead = report.together, False

    def _move(self, together: ByHand, names: list[str]) -> None:
        if names and together != self._shown:
            first = names[0] if len(names) == 1 else self.tr("{0} frames").format(len(names))
            self._push(together, self.tr("moving {0}").format(first))

    def _push(self, together: ByHand | None, words: str) -> None:
        self._stack.push(Said(self._take, self.together, together, words))

    def _take(self, together: ByHand | None) -> None:
        self.together, self.is_ahead = together, True
        self._found.setEnabled(together is not None)
        if together is not None:
            self._shown = together
            self._frames.show_together(together)
        self.changed.emit()
