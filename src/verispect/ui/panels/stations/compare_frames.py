"""Up to six pictures side by side at one scale, moved together, each with how sharp it is in the middle."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, QSizeF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from verispect.plan.document import Wish
from verispect.prove.trials.compare import SIZE, Compared, patch_sharpness

_INCH_MM = 25.4
SCALES = (0.25, 0.5, 1.0, 2.0, 4.0)
_PLAIN = 0.004
_COLUMNS, _STILL_MS = 3, 150


@dataclass
class Picture:
    """One that is compared: its name, and its pixels (rows, columns, 3), 8 bits."""

    name: str
    pixels: NDArray[np.uint8]

    def __post_init__(self) -> None:
        rows, columns = self.pixels.shape[:2]
        self.image = QImage(self.pixels.tobytes(), columns, rows, 3 * columns, QImage.Format.Format_RGB888).copy()


class _Pane(QWidget):
    """One picture about the common middle, drawn at the common scale."""

    moved = pyqtSignal(QPointF)
    scaled = pyqtSignal(int)

    def __init__(self, picture: Picture) -> None:
        super().__init__()
        self.picture = picture
        self.middle, self.scale = QPointF(), 1.0
        self._smaller: QImage | None = None
        self._at = QPoint()
        self._last: QPointF | None = None
        self.setMinimumSize(180, 140)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.setAccessibleName(picture.name)

    def look(self, middle: QPointF, scale: float) -> None:
        """Where, and how large."""
        self.middle, self.scale = middle, scale
        self._prepare()

    def _prepare(self) -> None:
        """What is drawn smaller is averaged: with pixels left out it would look sharper than it is."""
        self._smaller = None
        part = self._source().toAlignedRect().intersected(self.picture.image.rect())
        if self.scale < 1.0 and not part.isEmpty():
            size = (QSizeF(part.size()) * self.scale).toSize().expandedTo(QSize(1, 1))
            self._smaller = self.picture.image.copy(part).scaled(
                size, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
            self._at = ((QPointF(part.topLeft()) - self._source().topLeft()) * self.scale).toPoint()
        self.update()

    def _source(self) -> QRectF:
        wide, high = self.width() / self.scale, self.height() / self.scale
        return QRectF(self.middle.x() - wide / 2, self.middle.y() - high / 2, wide, high)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._prepare()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._last = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._last is not None:
            self.moved.emit((self._last - event.position()) / self.scale)
            self._last = event.position()

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._last = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.scaled.emit(1 if event.angleDelta().y() > 0 else -1)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        if self._smaller is not None:
            painter.drawImage(self._at, self._smaller)
        else:
            painter.drawImage(QRectF(self.rect()), self.picture.image, self._source())
        # What is measured.
        side = SIZE * self.scale
        box = QRectF((self.width() - side) / 2, (self.height() - side) / 2, side, side)
        for width, colour in ((3.0, Qt.GlobalColor.black), (1.0, Qt.GlobalColor.white)):
            painter.setPen(QPen(colour, width))
            painter.drawRect(box)


class CompareFrames(QDialog):
    """The pictures, and what is measured about their common middle.

    Signals
    -------
    verdict_wanted
        Over the whole frames.
    ways_wanted
        Of frames that were each focused another way: which served best.
    """

    verdict_wanted = pyqtSignal()
    ways_wanted = pyqtSignal()

    def __init__(self, parent: QWidget, pictures: Sequence[Picture], wish: Wish | None = None) -> None:
        super().__init__(parent)
        self._wish, self._as_printed = wish, False
        self.setWindowTitle(self.tr("Side by side"))
        self.resize(1180, 720)
        rows, columns = pictures[0].pixels.shape[:2]
        self._middle, self._scale = QPointF(columns / 2, rows / 2), SCALES.index(1.0)
        self._blinking: int | None = None
        self.words = QLabel(
            self.tr(
                "Drag to move all, wheel or + and − for the scale, Space to see one after the other in the same "
                "place. The square is what is measured."
            )
        )
        self.words.setWordWrap(True)
        self.panes = [_Pane(picture) for picture in pictures]
        self.captions = [QLabel(picture.name) for picture in pictures]
        self._grid = QGridLayout()
        for number, (pane, caption) in enumerate(zip(self.panes, self.captions, strict=True)):
            caption.setTextFormat(Qt.TextFormat.PlainText)
            caption.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            row, column = divmod(number, _COLUMNS)
            self._grid.addWidget(pane, 2 * row, column)
            self._grid.addWidget(caption, 2 * row + 1, column)
            self._grid.setRowStretch(2 * row, 1)
            pane.moved.connect(self._move)
            pane.scaled.connect(self._rescale)
        self.scale_label = QLabel()
        self.print_button = QPushButton(self.tr("As on the &print"))
        self.print_button.setToolTip(
            self.tr("As large as on the plan's print, were each its whole picture; by the size the screen tells")
        )
        self.print_button.setVisible(wish is not None)
        self.print_button.clicked.connect(self.show_as_printed)
        self.verdict_button = QPushButton(self.tr("&Verdict over the whole frame"))
        self.verdict_button.clicked.connect(self.verdict_wanted)
        self.ways_button = QPushButton(self.tr("Which &focus served best"))
        self.ways_button.setToolTip(
            self.tr("Of frames each focused another way, from the nearest focus on, as Weigh lists them for a trial")
        )
        self.ways_button.setVisible(len(pictures) > 2)
        self.ways_button.clicked.connect(self.ways_wanted)
        self.verdict = QLabel()
        self.verdict.setWordWrap(True)
        self.verdict.setTextFormat(Qt.TextFormat.PlainText)
        close = QPushButton(self.tr("&Close"))
        close.clicked.connect(self.accept)
        row_of = QHBoxLayout()
        row_of.addWidget(self.scale_label)
        row_of.addStretch(1)
        row_of.addWidget(self.print_button)
        row_of.addWidget(self.ways_button)
        row_of.addWidget(self.verdict_button)
        row_of.addWidget(close)
        layout = QVBoxLayout(self)
        layout.addWidget(self.words)
        layout.addLayout(self._grid, 1)
        layout.addWidget(self.verdict)
        layout.addLayout(row_of)
        for button in (self.print_button, self.ways_button, self.verdict_button, close):
            button.setAutoDefault(False)
        # Measured when the hand rests, not while it drags.
        self._still = QTimer(self)
        self._still.setSingleShot(True)
        self._still.setInterval(_STILL_MS)
        self._still.timeout.connect(self.measure)
        self._look()

    def _look(self) -> None:
        for pane in self.panes:
            pane.look(self._middle, self.scale)
        told = self.tr("{0:.0f} %").format(100.0 * self.scale)
        if self._as_printed and self._wish is not None:
            told = self.tr("{0}: as on the print of {1:.0f} mm; look from {2:.0f} mm").format(
                told, max(self._wish.print_mm), self._wish.viewing_mm
            )
        self.scale_label.setText(told)
        self._still.start()

    @property
    def scale(self) -> float:
        """Pixels of the screen to one of the pictures."""
        screen = self.screen()
        if not self._as_printed or self._wish is None or screen is None:
            return SCALES[self._scale]
        per_mm = float(screen.physicalDotsPerInch() or screen.logicalDotsPerInch()) / _INCH_MM
        long_px = float(max(self.panes[0].picture.pixels.shape[:2]))
        return per_mm * max(self._wish.print_mm) / long_px

    def show_as_printed(self) -> None:
        """As large as the print is."""
        self._as_printed = True
        self._look()

    def _move(self, by: QPointF) -> None:
        rows, columns = self.panes[0].picture.pixels.shape[:2]
        where = self._middle + by
        self._middle = QPointF(min(max(where.x(), 0.0), columns), min(max(where.y(), 0.0), rows))
        self._look()

    def _rescale(self, steps: int) -> None:
        if self._as_printed:
            # On from the step next to the print's.
            nearest = min(SCALES, key=lambda scale: abs(math.log(scale / self.scale)))
            self._scale, self._as_printed = SCALES.index(nearest), False
        self._scale = min(max(self._scale + steps, 0), len(SCALES) - 1)
        self._look()

    def look_at(self, column: float, row: float) -> None:
        """Bring a place of the pictures into the middle."""
        self._move(QPointF(column, row) - self._middle)

    def blink(self) -> None:
        """Show the next picture alone in the first one's place; after the last all again."""
        following = 0 if self._blinking is None else self._blinking + 1
        self._blinking = following if following < len(self.panes) else None
        for number, (pane, caption) in enumerate(zip(self.panes, self.captions, strict=True)):
            shown = self._blinking is None or number == self._blinking
            pane.setVisible(shown)
            caption.setVisible(shown)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        arrows = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        if event.key() == Qt.Key.Key_Space:
            self.blink()
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._rescale(1)
        elif event.key() == Qt.Key.Key_Minus:
            self._rescale(-1)
        elif event.key() in arrows:
            right, down = arrows[Qt.Key(event.key())]
            self._move(QPointF(60.0 * right, 60.0 * down) / self.scale)
        else:
            super().keyPressEvent(event)

    def measure(self) -> None:
        """How sharp each is within the square, and which is sharpest, in words."""
        values = [patch_sharpness(pane.picture.pixels, round(self._middle.y()), round(self._middle.x()))
                  for pane in self.panes]  # fmt: skip
        told = [value for value in values if value is not None]
        best = max(told, default=0.0)
        for pane, caption, value in zip(self.panes, self.captions, values, strict=True):
            if value is None:
                words = self.tr("at the edge")
            elif best <= _PLAIN:
                words = self.tr("too plain to tell")
            elif value == best:
                words = self.tr("sharpest here")
            else:
                words = self.tr("{0:.0f} % of the sharpest here").format(100.0 * value / best)
            caption.setText(f"{pane.picture.name} · {words}")

    def show_verdict(self, found: Sequence[Compared]) -> None:
        """Which is sharpest in most places, and which is least soft where it is softest."""
        usable = [patch for patch in found if patch.best is not None]
        if not usable:
            self.verdict.setText(self.tr("Too plain everywhere to tell."))
            return
        names = [pane.picture.name for pane in self.panes]
        wins = [sum(patch.best == k for patch in usable) for k in range(len(names))]
        shares = [
            min(patch.frames[k].sharpness / patch.frames[patch.best or 0].sharpness for patch in usable)
            for k in range(len(names))
        ]
        most, even = int(np.argmax(wins)), int(np.argmax(shares))
        words = self.tr(
            "Looked at in {0} places: {1} is sharpest in {2} of them; the one that nowhere falls far behind is "
            "{3}, with {4:.0f} % of the sharpest in its worst place."
        ).format(len(usable), names[most], wins[most], names[even], 100.0 * shares[even])
        self.verdict.setText(words + self._held_words(found, names))

    def _held_words(self, found: Sequence[Compared], names: list[str]) -> str:
        """In how many of the places told in the plan's units each is as sharp as that asks."""
        told = [patch for patch in found if any(look.softness is not None for look in patch.frames)]
        if not told:
            return ""
        held = [
            sum(soft is not None and soft <= 1.0 for patch in told for soft in [patch.frames[k].softness])
            for k in range(len(names))
        ]
        each = "; ".join(f"{name} {count}" for name, count in zip(names, held, strict=True))
        return self.tr(" As sharp as the plan asks, of {0} places that can be told: {1}.").format(len(told), each)
