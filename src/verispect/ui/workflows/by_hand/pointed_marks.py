"""Marks pointed at in the pictures of a check, each step taken back and brought again as anything else.

Where nobody pointed, the plan's photograph tells where they are, unless that is not wished.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QAction, QImage, QUndoStack

from verispect.plan.methods.candidate import Candidate
from verispect.prove.looked import Pointed
from verispect.prove.parting.kept_by_hand import Places
from verispect.prove.parting.sets import SetKind
from verispect.prove.report import Report
from verispect.ui.drawings.picture_marks import SeenMark
from verispect.ui.drawings.picture_view import PicturePair
from verispect.ui.workflows.by_hand.said import Said


class PointedMarks(QObject):
    """Where a person says that marks are; nothing as long as nothing was said.

    Signals
    -------
    changed()
        The frames are to be checked again.
    """

    changed = pyqtSignal()

    def __init__(self, parent: QObject, pair: PicturePair, at_hand: Callable[[], Path | None]) -> None:
        """`at_hand` gives the picture of the plan's photograph, where it may be opened."""
        super().__init__(parent)
        self.places: Places = {}
        self._at_hand = at_hand
        self._stack = QUndoStack(self)
        undo, redo = self._stack.createUndoAction(self), self._stack.createRedoAction(self)
        assert undo is not None
        assert redo is not None
        self._planned = QAction(self.tr("&Forget what was pointed at"), self)
        self._planned.triggered.connect(lambda: self._push({}, self.tr("forgetting what was pointed at")))
        self._by_photograph = QAction(self.tr("Found by the plan's p&hotograph"), self)
        self._by_photograph.setCheckable(True)
        self._by_photograph.setChecked(True)
        self._by_photograph.toggled.connect(lambda _on: self.changed.emit())
        pair.offer_on_marks([undo, redo, self._planned, self._by_photograph])
        pair.pointed.connect(self._point)
        self._planned.setEnabled(False)

    @property
    def pointed(self) -> tuple[Pointed, ...]:
        """What was pointed at."""
        return tuple(self.places.values())

    @property
    def photograph(self) -> Path | None:
        """The picture by which a check may find marks where nobody pointed at any."""
        picture = self._at_hand()
        self._by_photograph.setEnabled(picture is not None)
        return picture if self._by_photograph.isChecked() and not self.places else None

    def of(self, candidate: Candidate | None) -> tuple[Pointed, ...]:
        """The same for a check, of marks that the plan still has."""
        return () if candidate is None else tuple(one for one in self.pointed if one.name in candidate.scene.names)

    def begin(self, places: Places | None = None) -> None:
        """Other frames are looked at, of which this was said before."""
        self._stack.clear()
        self.places = places or {}
        self._planned.setEnabled(bool(self.places))

    def forget_unless_in(self, folder: Path) -> None:
        """Other frames may lie in the same place."""
        if any(one.file is not None and not (folder / one.file).exists() for one in self.places.values()):
            self.begin()

    def seen_in(self, report: Report | None, shown: tuple[str, QImage] | None) -> list[SeenMark]:
        """The marks to be drawn on a frame, by its file's name and its picture."""
        if report is None or shown is None:
            return []
        frame = next((one for one in report.checked if one.file == shown[0]), None)
        if frame is None or frame.planned_exposure is None:
            return []
        wide, high = shown[1].width(), shown[1].height()
        is_series = report.kinds[frame.set] is SetKind.SERIES
        found = []
        for mark in report.marks:
            if mark.pixel is None or not (is_series or mark.frame == frame.planned_exposure):
                continue
            column, row = mark.pixel[1], mark.pixel[0]
            if frame.lies is not None:
                column, row, _ = (float(part) for part in frame.lies @ (column, row, 1.0))
            found.append(SeenMark(mark.name, (column + 0.5) / wide, (row + 0.5) / high, mark.name in self.places))
        return found

    def _point(self, file: str, name: str, row: float, column: float) -> None:
        places = self.places | {name: Pointed(name, row, column, file)}
        self._push(places, self.tr("pointing at {0}").format(name))

    def _push(self, places: Places, words: str) -> None:
        self._stack.push(Said(self._take, self.places, places, words))

    def _take(self, places: Places) -> None:
        self.places = places
        self._planned.setEnabled(bool(places))
        self.changed.emit()
