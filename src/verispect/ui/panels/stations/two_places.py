"""Clicking on two things in a picture: something near, then something far."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QLabel, QVBoxLayout, QWidget

_WIDE, _HIGH = 900, 600
_ARM = 14


def _nothing() -> None:
    pass


class _Picture(QWidget):
    """The picture, with a cross where each thing is; arrow keys move the last one, for who cannot click."""

    def __init__(self, pixmap: QPixmap, names: tuple[str, str]) -> None:
        super().__init__()
        self._names = names
        self._pixmap = pixmap
        self.places: list[QPointF] = []
        self.setFixedSize(pixmap.size())
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.placed: Callable[[], None] = _nothing

    def put(self, place: QPointF) -> None:
        """The next thing, or the last one anew."""
        if len(self.places) == 2:
            self.places.pop()
        self.places.append(place)
        self.update()
        self.placed()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.put(event.position())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        if event.key() == Qt.Key.Key_Space:
            self.put(QPointF(self.width() / 2, self.height() / 2))
        elif event.key() in steps and self.places:
            right, down = steps[Qt.Key(event.key())]
            self.places[-1] += QPointF(4.0 * right, 4.0 * down)
            self.update()
        elif event.key() == Qt.Key.Key_Backspace and self.places:
            self.places.pop()
            self.update()
            self.placed()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._pixmap)
        for number, place in enumerate(self.places):
            for width, colour in ((5.0, Qt.GlobalColor.black), (2.0, Qt.GlobalColor.white)):
                painter.setPen(QPen(colour, width))
                painter.drawLine(place - QPointF(_ARM, 0), place + QPointF(_ARM, 0))
                painter.drawLine(place - QPointF(0, _ARM), place + QPointF(0, _ARM))
                painter.drawText(place + QPointF(_ARM, -_ARM), self._names[number])


class TwoPlaces(QDialog):
    """Asks for two places, each by its name; a near and a far thing where none are given."""

    def __init__(self, parent: QWidget, pixels: NDArray[np.uint8], names: tuple[str, str] | None = None) -> None:
        super().__init__(parent)
        self._names = names or (self.tr("near"), self.tr("far"))
        self.setWindowTitle(self.tr("Two places in the picture: {0}, {1}").format(*self._names))
        rows, columns = pixels.shape[:2]
        image = QImage(pixels.tobytes(), columns, rows, 3 * columns, QImage.Format.Format_RGB888)
        pixmap = QPixmap.fromImage(image).scaled(
            _WIDE, _HIGH, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        )
        self._scale = columns / pixmap.width()
        self.picture = _Picture(pixmap, self._names)
        self.picture.setAccessibleName(self.tr("The first frame"))
        self.picture.placed = self._tell
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        for widget in (self.words, self.picture, self.buttons):
            layout.addWidget(widget)
        self._tell()

    def _tell(self) -> None:
        done = len(self.picture.places)
        self.words.setText(
            (
                self.tr("Click on: {0}. (Space puts a cross, arrows move it, Backspace takes it away.)"),
                self.tr("Click on: {1}."),
                self.tr("Another click moves: {1}."),
            )[done].format(*self._names)
        )
        self.buttons.button(QDialogButtonBox.StandardButton.Ok).setEnabled(done == 2)

    def places(self) -> tuple[tuple[float, float, None], tuple[float, float, None]]:
        """Row and column of the near and of the far thing, in the picture's own pixels."""
        near, far = (
            (self._scale * (place.y() + 0.5) - 0.5, self._scale * (place.x() + 0.5) - 0.5, None)
            for place in self.picture.places
        )
        return near, far
