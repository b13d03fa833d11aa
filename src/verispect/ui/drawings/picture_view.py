"""Two pictures side by side, panned together, whole or at 100 %."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QAction,
    QContextMenuEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from verispect.ui.controls.theme import LIGHT, Theme, colour, font
from verispect.ui.drawings.picture_marks import SeenMark, nearest, paint_marks
from verispect.ui.drawings.strokes import hatched, pen

if TYPE_CHECKING:
    from verispect.prove.softness.block_map import BlockMap

_KEY_STEP = 60.0
_SHAKES_PX = 3.0


class PictureNet(NamedTuple):
    """Softness over a picture: places (0 to 1 across, down) with softness and whether surely soft; a cell's size."""

    places: list[tuple[float, float, float, bool]]
    cell: tuple[float, float]


def net_of(blocks: BlockMap | None) -> PictureNet | None:
    """Softness all over a series' pictures."""
    if blocks is None or not blocks.told:
        return None
    wide, high = blocks.pixels
    cell = (1.0 / len(blocks.columns), 1.0 / len(blocks.rows))
    places = [
        (
            (float(blocks.columns[column]) + 0.5) / wide,
            (float(blocks.rows[row]) + 0.5) / high,
            float(blocks.softness[row, column]),
            bool(soft),
        )
        for (row, column), soft in np.ndenumerate(blocks.soft)
        if np.isfinite(blocks.softness[row, column])
    ]
    return PictureNet(places, cell)


def image_of(pixels: NDArray[np.uint8]) -> QImage:
    """Pixels (rows, columns, 3) of 8 bits as a picture of the window."""
    rows, columns = pixels.shape[:2]
    return QImage(pixels.tobytes(), columns, rows, 3 * columns, QImage.Format.Format_RGB888).copy()


class PictureCanvas(QWidget):
    """One picture.

    Signals
    -------
    moved(x, y)
        Which place of it, 0 to 1, stands in the middle.
    pointed(name, x, y)
        Where a mark was put.
    left()
        The mark that was asked for is not pointed at.
    """

    left = pyqtSignal()
    moved = pyqtSignal(float, float)
    pointed = pyqtSignal(str, float, float)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(200, 150)
        self._image: QImage | None = None
        self._theme: Theme = LIGHT
        self._middle = QPointF(0.5, 0.5)
        self.whole = True
        self._held: QPointF | None = None
        self.net: PictureNet | None = None
        # What would be kept of it (left, top, right, bottom), 0 to 1.
        self.cut: tuple[float, float, float, float] | None = None
        self.marks: list[SeenMark] = []
        # Which of them the hand moves, or is to be pointed at by the next click.
        self._taken, self.asked = "", ""
        self._pressed, self._drags = QPointF(), False
        self.mark_actions: Sequence[QAction] = ()

    def show_image(self, image: QImage | None) -> None:
        """Take on a picture; the place and size of the view stay."""
        self._image = image
        self.update()

    @property
    def image(self) -> QImage | None:
        """The picture."""
        return self._image

    def apply_theme(self, theme: Theme) -> None:
        """Take on a theme's colours."""
        self._theme = theme
        self.update()

    def set_whole(self, whole: bool) -> None:
        """The whole picture, or a picture's pixel on a screen's."""
        self.whole = whole
        self._rest()
        self.update()

    def look_at(self, x: float, y: float) -> None:
        """Bring a place of the picture, 0 to 1, to the middle."""
        self._middle = QPointF(min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0))
        self.update()

    def _area(self) -> QRectF:
        """Where the picture lies in the widget."""
        assert self._image is not None
        wide, high = float(self._image.width()), float(self._image.height())
        if self.whole:
            share = min(self.width() / wide, self.height() / high)
            return QRectF(
                (self.width() - wide * share) / 2, (self.height() - high * share) / 2, wide * share, high * share
            )
        return QRectF(
            self.width() / 2 - self._middle.x() * wide, self.height() / 2 - self._middle.y() * high, wide, high
        )

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour(self._theme.ground))
        if self._image is None:
            return
        area = self._area()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.whole)
        painter.drawImage(area, self._image)
        if self.net is not None:
            self._paint_net(painter, area, self.net)
        if self.cut is not None:
            self._paint_cut(painter, area, self.cut)
        paint_marks(painter, area, self.marks, self._theme, self)

    def _paint_cut(self, painter: QPainter, area: QRectF, cut: tuple[float, float, float, float]) -> None:
        """What falls away is veiled, and a line stands about the rest."""
        left, top, right, bottom = cut
        kept = QRectF(
            area.left() + left * area.width(), area.top() + top * area.height(), (right - left) * area.width(),
            (bottom - top) * area.height(),
        )  # fmt: skip
        around = QPainterPath()
        around.addRect(area)
        inside = QPainterPath()
        inside.addRect(kept)
        painter.fillPath(around.subtracted(inside), colour(self._theme.ground, 150))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(pen(self._theme.field, 3.0))
        painter.drawRect(kept)
        painter.setPen(pen(self._theme.hand, 1.4))
        painter.drawRect(kept)

    def _paint_net(self, painter: QPainter, area: QRectF, net: PictureNet) -> None:
        """A ring where it is sharp, a hatched square with its softness where not, nothing where it is not told."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(8.5))
        wide, high = area.width() * net.cell[0], area.height() * net.cell[1]
        for x, y, softness, soft in net.places:
            at = QPointF(area.left() + x * area.width(), area.top() + y * area.height())
            if soft:
                box = QRectF(at.x() - 0.45 * wide, at.y() - 0.45 * high, 0.9 * wide, 0.9 * high)
                painter.setPen(pen(self._theme.hand, 1.4))
                painter.setBrush(hatched(self._theme.hand, 30, 150))
                painter.drawRect(box)
                painter.fillRect(QRectF(at.x() - 13.0, at.y() - 8.0, 26.0, 16.0), colour(self._theme.field, 220))
                painter.setPen(pen(self._theme.ink))
                painter.drawText(QRectF(at.x() - 20.0, at.y() - 10.0, 40.0, 20.0), Qt.AlignmentFlag.AlignCenter,
                                 f"{softness:.1f}")  # fmt: skip
            else:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(pen(self._theme.field, 3.2))
                painter.drawEllipse(at, 3.0, 3.0)
                painter.setPen(pen(self._theme.sharp, 1.6))
                painter.drawEllipse(at, 3.0, 3.0)

    def ask_for(self, name: str) -> None:
        """The next click says where a mark is; none: no longer."""
        self.asked = name
        self._rest()

    def _rest(self) -> None:
        """The cursor when nothing is held."""
        shape = Qt.CursorShape.ArrowCursor if self.whole else Qt.CursorShape.OpenHandCursor
        self.setCursor(Qt.CursorShape.CrossCursor if self.asked else shape)

    def _put(self, name: str, place: QPointF) -> SeenMark:
        """Draw a mark at a place of the widget, within the picture."""
        area = self._area()
        x, y = (place.x() - area.left()) / area.width(), (place.y() - area.top()) / area.height()
        put = SeenMark(name, min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0), is_pointed=True)
        self.marks = [*(mark for mark in self.marks if mark.name != name), put]
        self.update()
        return put

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._image is None or event.button() != Qt.MouseButton.LeftButton:
            return
        under = nearest(self.marks, self._area(), event.position())
        self._taken = self.asked or ("" if under is None else under.name)
        self._pressed, self._drags = event.position(), False
        if self._taken:
            self.setCursor(Qt.CursorShape.CrossCursor)
        elif not self.whole:
            self._held = event.position()
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._image is None:
            return
        if self._taken:
            # A hand that clicks shakes a little.
            self._drags = self._drags or (event.position() - self._pressed).manhattanLength() > _SHAKES_PX
            if self._drags:
                self._put(self._taken, event.position())
            return
        if self._held is None:
            return
        step = event.position() - self._held
        self._held = event.position()
        self._shift(-step.x(), -step.y())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        taken, self._taken, self._held = self._taken, "", None
        if event is not None and taken and self._image is not None and (self._drags or self.asked):
            put = self._put(taken, event.position())
            self.asked = ""
            self.pointed.emit(taken, put.x, put.y)
        self._rest()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None and self.marks and self.mark_actions:
            menu = QMenu(self)
            menu.addActions(self.mark_actions)
            menu.popup(event.globalPos())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and not self.whole:
            self._shift(-event.angleDelta().x() * 0.5, -event.angleDelta().y() * 0.5)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)
        }  # fmt: skip
        if event is not None and event.key() == Qt.Key.Key_Escape and self.asked:
            self.ask_for("")
            self.left.emit()
            return
        step = None if event is None else steps.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        self._shift(step[0] * _KEY_STEP, step[1] * _KEY_STEP)

    def _shift(self, dx: float, dy: float) -> None:
        if self._image is None:
            return
        self.look_at(self._middle.x() + dx / self._image.width(), self._middle.y() + dy / self._image.height())
        self.moved.emit(self._middle.x(), self._middle.y())


class PicturePair(QWidget):
    """A picture, and another beside it; both panned together.

    Signals
    -------
    pointed(title, name, row, column)
        In which picture a mark was put where, whole at pixel centres.
    """

    pointed = pyqtSignal(str, str, float, float)

    def __init__(self) -> None:
        super().__init__()
        self.first, self.second = PictureCanvas(self.tr("Picture")), PictureCanvas(self.tr("Picture beside it"))
        self.titles = (QLabel(), QLabel())
        self.full_button = QPushButton(self.tr("100 %"))
        self.full_button.setCheckable(True)
        self.full_button.toggled.connect(self.set_full)
        row = QHBoxLayout()
        sides = []
        for canvas, title in zip((self.first, self.second), self.titles, strict=True):
            side = QWidget()
            inside = QVBoxLayout(side)
            inside.setContentsMargins(0, 0, 0, 0)
            inside.addWidget(title)
            inside.addWidget(canvas, 1)
            row.addWidget(side, 1)
            sides.append(side)
        self._sides = sides
        sides[1].hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 6, 8, 6)
        layout.addLayout(row, 1)
        below = QHBoxLayout()
        self.words = QLabel()
        self.words.setProperty("quiet", True)
        self.words.setWordWrap(True)
        below.addWidget(self.words, 1)
        self.net_button = QPushButton(self.tr("Where s&harp"))
        self.net_button.setToolTip(
            self.tr(
                "Rings where some frame is sharp, hatched with its softness where none is, bare where none can tell"
            )
        )
        self.net_button.setCheckable(True)
        self.net_button.toggled.connect(lambda _on: self._lay_net())
        self.net_button.hide()
        self._net: PictureNet | None = None
        self._cut: tuple[str, tuple[float, float, float, float] | None] = ("", None)
        self.marks_button = QPushButton(self.tr("&Marks"))
        self.marks_button.setToolTip(
            self.tr(
                "Where the marks are looked for. No camera looks quite as planned: drag one or two onto what they "
                "are, and all are looked for anew"
            )
        )
        self.marks_button.setCheckable(True)
        self.marks_button.setChecked(True)
        self.marks_button.toggled.connect(lambda _on: self._lay_marks())
        self.marks_button.hide()
        self._marks: tuple[list[SeenMark], list[SeenMark]] = ([], [])
        self._said = ""
        below.addWidget(self.marks_button)
        below.addWidget(self.net_button)
        below.addWidget(self.full_button)
        layout.addLayout(below)
        for number, canvas in enumerate((self.first, self.second)):
            canvas.pointed.connect(lambda name, x, y, of=number: self._on_pointed(of, name, x, y))
            canvas.left.connect(lambda: self.words.setText(self._said))
        self.first.moved.connect(self.second.look_at)
        self.second.moved.connect(self.first.look_at)

    def show_pair(self, first: tuple[str, QImage] | None, second: tuple[str, QImage] | None, words: str = "") -> None:
        """Show one picture, or two, each with its title."""
        for canvas, title, given in zip((self.first, self.second), self.titles, (first, second), strict=True):
            canvas.show_image(None if given is None else given[1])
            title.setTextFormat(Qt.TextFormat.PlainText)
            title.setText("" if given is None else given[0])
        self._sides[1].setVisible(second is not None)
        self._lay_cut()
        self._said = words
        self.words.setText(words)
        self.full_button.setEnabled(first is not None)

    def show_net(self, net: PictureNet | None) -> None:
        """Softness all over the picture, shown when asked for; None takes it away."""
        self._net = net
        self.net_button.setVisible(net is not None)
        self._lay_net()

    def show_cut(self, title: str, cut: tuple[float, float, float, float] | None) -> None:
        """What would be kept of the picture of that title, drawn over it wherever it is shown; None for nothing."""
        self._cut = (title, cut)
        self._lay_cut()

    def _lay_cut(self) -> None:
        title, cut = self._cut
        for canvas, shown in zip((self.first, self.second), self.titles, strict=True):
            canvas.cut = cut if shown.text() == title else None
            canvas.update()

    def show_marks(self, first: list[SeenMark], second: list[SeenMark]) -> None:
        """Where marks are looked for in the two pictures, shown when asked for."""
        self._marks = (first, second)
        self.marks_button.setVisible(bool(first or second))
        self._lay_marks()

    def _lay_marks(self) -> None:
        for canvas, marks in zip((self.first, self.second), self._marks, strict=True):
            canvas.marks = list(marks) if self.marks_button.isChecked() else []
            canvas.update()

    def offer_on_marks(self, actions: Sequence[QAction]) -> None:
        """What may be done with marks that were pointed at."""
        self.first.mark_actions = self.second.mark_actions = actions

    def ask_for(self, name: str) -> None:
        """The next click in the picture says where a mark is."""
        if self.marks_button.isVisible():
            self.marks_button.setChecked(True)
            canvas = self.first if self._marks[0] else self.second
            canvas.ask_for(name)
            self.words.setText(self.tr("Click where {0} is; Esc leaves it where it was.").format(name))
            canvas.setFocus()

    def _on_pointed(self, number: int, name: str, x: float, y: float) -> None:
        image = (self.first, self.second)[number].image
        if image is not None:
            title = self.titles[number].text()
            self.pointed.emit(title, name, y * image.height() - 0.5, x * image.width() - 0.5)

    def _lay_net(self) -> None:
        for canvas in (self.first, self.second):
            canvas.net = self._net if self.net_button.isChecked() else None
            canvas.update()

    def set_full(self, full: bool) -> None:
        """At 100 %, or whole."""
        for canvas in (self.first, self.second):
            canvas.set_whole(not full)

    def apply_theme(self, theme: Theme) -> None:
        """Take on a theme's colours."""
        for canvas in (self.first, self.second):
            canvas.apply_theme(theme)
