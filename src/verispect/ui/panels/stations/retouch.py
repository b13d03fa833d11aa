"""A merged picture and one of its frames side by side, moved together; the brush takes from the frame."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PyQt6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QLabel, QPushButton, QSpinBox, QVBoxLayout, QWidget

from verispect.ui.drawings.picture_view import image_of

SCALES = (0.125, 0.25, 0.5, 1.0, 2.0, 4.0)
# The brush: its radius at first as a share of the picture's width, and in pixels.
_RADIUS_SHARE, _RADIUS, _MOST_RADIUS, _RADIUS_STEP = 0.03, 60, 2000, 10
_KEY_STEP_PX = 60.0
Places = tuple[tuple[float, float], ...]


class MovedThing(NamedTuple):
    """Where something stands elsewhere in one frame of the merge than in those beside it."""

    frame: int
    row: float
    column: float


class RetouchCanvas(QWidget):
    """One picture at a scale about a middle; with the left button something is drawn on it, the right moves it.

    Signals
    -------
    painted(tuple of (row, column))
        A line that was drawn, in the picture's pixels.
    moved(QPointF)
        By how many of the picture's pixels, across and down.
    scaled(int)
        A step nearer or farther.
    """

    painted = pyqtSignal(object)
    moved = pyqtSignal(QPointF)
    scaled = pyqtSignal(int)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(260, 240)
        self.setMouseTracking(True)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.image: QImage | None = None
        self.middle, self.scale, self.radius_px = QPointF(), 1.0, float(_RADIUS)
        self.drawn: list[QPointF] = []
        self._last: QPointF | None = None
        # Where the brush is, in the picture's pixels: shown on both sides.
        self.brush: QPointF | None = None

    def show_image(self, pixels: NDArray[np.uint8] | None) -> None:
        """Take on a picture (rows, columns, 3); None shows none."""
        self.image = None
        if pixels is not None:
            self.image = image_of(pixels)
        self.update()

    def put(self, top: int, left: int, pixels: NDArray[np.uint8]) -> None:
        """A part of the picture as it is now."""
        if self.image is None:
            return
        rows, columns = pixels.shape[:2]
        part = QImage(pixels.tobytes(), columns, rows, 3 * columns, QImage.Format.Format_RGB888)
        painter = QPainter(self.image)
        painter.drawImage(left, top, part)
        painter.end()
        self.update()

    def look(self, middle: QPointF, scale: float) -> None:
        """Where, and how large."""
        self.middle, self.scale = middle, scale
        self.update()

    def place(self, at: QPointF) -> QPointF:
        """A place of the widget in the picture's pixels, their centres at whole numbers."""
        from_middle = (at - QPointF(self.width() / 2, self.height() / 2)) / self.scale
        return self.middle + from_middle - QPointF(0.5, 0.5)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.image is not None:
            self.drawn = [self.place(event.position())]
        else:
            self._last = event.position()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.drawn:
            self.drawn.append(self.place(event.position()))
        elif self._last is not None:
            self.moved.emit((self._last - event.position()) / self.scale)
            self._last = event.position()
        self.brush = self.place(event.position())
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._last = None
        if event.button() == Qt.MouseButton.LeftButton and self.drawn:
            line: Places = tuple((at.y(), at.x()) for at in self.drawn)
            self.drawn = []
            self.painted.emit(line)
        self.update()

    def leaveEvent(self, _event: object) -> None:
        self.brush = None
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.scaled.emit(1 if event.angleDelta().y() > 0 else -1)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.palette().window())
        if self.image is None:
            return
        wide, high = self.width() / self.scale, self.height() / self.scale
        source = QRectF(self.middle.x() - wide / 2, self.middle.y() - high / 2, wide, high)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.scale < 1.0)
        painter.drawImage(QRectF(self.rect()), self.image, source)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for width, hue in ((3.0, Qt.GlobalColor.black), (1.2, Qt.GlobalColor.white)):
            if self.brush is not None:
                painter.setPen(QPen(hue, width))
                radius = self.radius_px * self.scale
                painter.drawEllipse(self._in_widget(self.brush), radius, radius)
            if len(self.drawn) > 1:
                painter.setPen(QPen(hue, width))
                painter.drawPolyline(QPolygonF([self._in_widget(at) for at in self.drawn]))

    def _in_widget(self, at: QPointF) -> QPointF:
        return (at + QPointF(0.5, 0.5) - self.middle) * self.scale + QPointF(self.width() / 2, self.height() / 2)


class RetouchDialog(QDialog):
    """The merged picture on the left, the chosen frame on the right.

    Signals
    -------
    painted(int, tuple of (row, column), float)
        From which frame, along which line, how wide to either side.
    source_wanted(int)
        A frame to be seen.
    undo_wanted, redo_wanted, write_wanted, left
    """

    painted = pyqtSignal(int, object, float)
    source_wanted = pyqtSignal(int)
    undo_wanted = pyqtSignal()
    redo_wanted = pyqtSignal()
    write_wanted = pyqtSignal()
    left = pyqtSignal()

    def __init__(self, parent: QWidget, names: Sequence[str], moved: Sequence[MovedThing] = ()) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("Retouch"))
        self.moved = QComboBox()
        self.moved.setAccessibleName(self.tr("Things that moved"))
        self.moved.addItem(self.tr("Things that moved…"))
        for thing in moved:
            where = self.tr("{0}, row {1:.0f}, column {2:.0f}").format(names[thing.frame], thing.row, thing.column)
            self.moved.addItem(where, thing)
        self.moved.setVisible(bool(moved))
        self.moved.activated.connect(lambda _index: self._go_to(self.moved.currentData()))
        self.resize(1180, 740)
        # Asked before it is closed.
        self.may_leave: Callable[[], bool] = lambda: True
        self._scale = 0.5
        self._middle = QPointF()
        self.merged, self.frame = RetouchCanvas(self.tr("Merged picture")), RetouchCanvas(self.tr("Frame"))
        self.frames = QComboBox()
        self.frames.setAccessibleName(self.tr("Frame to take from"))
        self.frames.addItems(list(names))
        self.frames.currentIndexChanged.connect(self.source_wanted)
        self.radius = QSpinBox()
        self.radius.setAccessibleName(self.tr("Brush"))
        self.radius.setRange(2, _MOST_RADIUS)
        self.radius.setSingleStep(_RADIUS_STEP)
        self.radius.setValue(_RADIUS)
        self.radius.setSuffix(self.tr(" px"))
        self.radius.valueChanged.connect(self._on_radius)
        self.words = QLabel(
            self.tr(
                "Draw over what is to come from the frame on the right: a click takes a thing that moved. Right "
                "button or arrow keys move, wheel or + and − scale, comma and full stop make the brush smaller and "
                "larger."
            )
        )
        self.words.setWordWrap(True)
        self.words.setProperty("quiet", True)
        self.undo_button = QPushButton(self.tr("&Undo"))
        self.redo_button = QPushButton(self.tr("&Redo"))
        self.write_button = QPushButton(self.tr("&Save the picture…"))
        self.undo_button.clicked.connect(self.undo_wanted)
        self.redo_button.clicked.connect(self.redo_wanted)
        self.write_button.clicked.connect(self.write_wanted)
        pictures = QHBoxLayout()
        for canvas in (self.merged, self.frame):
            canvas.painted.connect(self._on_painted)
            canvas.moved.connect(self._on_moved)
            canvas.scaled.connect(self._on_scaled)
            pictures.addWidget(canvas, 1)
        row = QHBoxLayout()
        row.addWidget(self.moved)
        for widget in (QLabel(self.tr("From")), self.frames, QLabel(self.tr("Brush")), self.radius):
            row.addWidget(widget)
        row.addStretch(1)
        for button in (self.undo_button, self.redo_button, self.write_button):
            button.setAutoDefault(False)
            row.addWidget(button)
        layout = QVBoxLayout(self)
        layout.addWidget(self.words)
        layout.addLayout(pictures, 1)
        layout.addLayout(row)
        self.show_counts(0, can_redo=False)

    def show_merged(self, pixels: NDArray[np.uint8]) -> None:
        """The merged picture, whole in view."""
        self.merged.show_image(pixels)
        rows, columns = pixels.shape[:2]
        self._middle = QPointF(columns / 2, rows / 2)
        self._scale = min(self.merged.width() / columns, self.merged.height() / rows)
        self.radius.setValue(round(_RADIUS_SHARE * columns))
        self._look()

    def show_frame(self, pixels: NDArray[np.uint8]) -> None:
        """The chosen frame where the merge laid it."""
        self.frame.show_image(pixels)

    def show_counts(self, strokes: int, *, can_redo: bool) -> None:
        """How much can be taken back and put on again."""
        self.strokes = strokes
        self.undo_button.setEnabled(strokes > 0)
        self.redo_button.setEnabled(can_redo)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        ways = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)
        }  # fmt: skip
        key = Qt.Key(event.key())
        if key in ways:
            across, down = ways[key]
            self._on_moved(QPointF(across, down) * _KEY_STEP_PX / self._scale)
        elif event.text() in ("+", "-", "−"):
            self._on_scaled(1 if event.text() == "+" else -1)
        elif event.text() in (",", "."):
            self.radius.setValue(round(self.radius.value() * (1.25 if event.text() == "." else 0.8)))
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier and key == Qt.Key.Key_Z:
            again = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            (self.redo_button if again else self.undo_button).click()
        else:
            super().keyPressEvent(event)

    def reject(self) -> None:
        """Closed, by Escape or the frame's own button: as far as nothing would be lost."""
        if self.may_leave():
            self.left.emit()
            super().reject()

    def _go_to(self, thing: MovedThing | None) -> None:
        """A thing that moved in one frame, from the frame beside that, ready to be taken with a click."""
        if thing is None:
            return
        self._middle, self._scale = QPointF(thing.column, thing.row), max(self._scale, 1.0)
        self.frames.setCurrentIndex(thing.frame - 1 if thing.frame else min(1, self.frames.count() - 1))
        self._look()

    def _on_painted(self, line: Places) -> None:
        self.painted.emit(self.frames.currentIndex(), line, float(self.radius.value()))

    def _on_moved(self, by: QPointF) -> None:
        self._middle += by
        self._look()

    def _on_scaled(self, step: int) -> None:
        beyond = [scale for scale in SCALES if (scale - self._scale) * step > 1e-9]
        if beyond:
            self._scale = beyond[0] if step > 0 else beyond[-1]
            self._look()

    def _on_radius(self, radius: int) -> None:
        for canvas in (self.merged, self.frame):
            canvas.radius_px = float(radius)
            canvas.update()

    def _look(self) -> None:
        for canvas in (self.merged, self.frame):
            canvas.look(self._middle, self._scale)
