"""What the three drawings share: axes, pan and zoom, handles that a hand can take, keyboard."""

from __future__ import annotations

from typing import NamedTuple

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QPainterPath, QPen, QTransform
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from verispect.ui.drawings.marks_item import DrawnMark, MarksItem, device_scale
from verispect.ui.drawings.shown import Shown
from verispect.ui.theme import Theme, colour, font

_GRAB_PX = 13.0
_NUDGE_PX = 4.0


class Handle(NamedTuple):
    """Something that can be dragged: `kind` and `number` tell what, the place is in the drawing's units."""

    kind: str
    number: int
    across: float
    up: float


class _Box(pg.ViewBox):
    """A view box in which handles are dragged, and everything else pans."""

    def __init__(self, board: Board) -> None:
        super().__init__(enableMenu=False)
        self._board = board
        self._held: Handle | None = None

    def mouseDragEvent(self, event, axis=None):
        if event.button() != Qt.MouseButton.LeftButton:
            super().mouseDragEvent(event, axis)
            return
        if event.isStart():
            self._held = self._board.handle_at(event.buttonDownScenePos())
            if self._held is not None and self._held.kind == "mark":
                self._board.picked.emit(self._held.number)
        if self._held is None:
            super().mouseDragEvent(event, axis)
            return
        event.accept()
        place = self.mapSceneToView(event.scenePos())
        self._board.dragged.emit(self._held, place.x(), place.y(), event.isFinish())
        if event.isFinish():
            self._held = None

    def mouseClickEvent(self, event):
        handle = self._board.handle_at(event.scenePos())
        if event.button() == Qt.MouseButton.LeftButton and handle is not None and handle.kind == "mark":
            event.accept()
            self._board.picked.emit(handle.number)
        else:
            super().mouseClickEvent(event)

    def hoverEvent(self, event):
        over = None if event.isExit() else self._board.handle_at(event.scenePos())
        if over is None:
            self._board.plot.viewport().unsetCursor()
        else:
            self._board.plot.viewport().setCursor(Qt.CursorShape.SizeAllCursor)


class Board(QWidget):
    """A titled drawing.

    Signals
    -------
    dragged(Handle, across, up, finished)
    picked(int)
        A mark was clicked.
    nudged(dx, dy)
        An arrow key asks to move the selected mark, in the drawing's units.
    """

    dragged = pyqtSignal(object, float, float, bool)
    picked = pyqtSignal(int)
    nudged = pyqtSignal(float, float)

    def __init__(self, title: str, *, across: str, up: str, unit: str, square: bool = True) -> None:
        super().__init__()
        self.title = QLabel(title)
        self.title.setContentsMargins(6, 3, 6, 0)
        self._box = _Box(self)
        self.plot = pg.PlotWidget(viewBox=self._box)
        self.plot.setAccessibleName(title)
        self.plot.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.plot.hideButtons()
        self._names = {"bottom": (across, unit), "left": (up, unit)}
        if square:
            self._box.setAspectLocked(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.title)
        layout.addWidget(self.plot)
        self.marks_item = MarksItem()
        self.plot.addItem(self.marks_item, ignoreBounds=True)
        self._handles: list[Handle] = []
        self._theme: Theme | None = None
        self.shown: Shown | None = None
        # Axes seldom change; kept as pictures they cost a drag nothing. On paper they stay lines and letters.
        self.cached = True
        self.selected = -1
        self._box.sigRangeChanged.connect(lambda *_: self._range_changed())
        self._box.sigResized.connect(lambda *_: self._range_changed())
        self._drawing = False
        self.plot.keyPressEvent = self._key

    # What a kind of drawing says for itself ---------------------------------------------------------

    def draw(self, shown: Shown, theme: Theme) -> tuple[list[DrawnMark], list[Handle]]:
        """Set the lines and areas; give marks and handles."""
        raise NotImplementedError

    def extent(self, shown: Shown) -> tuple[float, float, float, float]:
        """Left, right, bottom, top of what is worth seeing."""
        raise NotImplementedError

    # Shared ----------------------------------------------------------------------------------------

    def apply_theme(self, theme: Theme) -> None:
        """Take on a theme's colours."""
        self._theme = theme
        self.plot.setBackground(theme.field)
        for side in ("bottom", "left"):
            axis = self.plot.getAxis(side)
            axis.setPen(colour(theme.line))
            axis.setTextPen(colour(theme.faint))
            axis.setStyle(tickFont=font(8.5), hideOverlappingLabels=True)
            axis.enableAutoSIPrefix(False)
            axis.setCacheMode(axis.CacheMode.DeviceCoordinateCache if self.cached else axis.CacheMode.NoCache)
            name, unit = self._names[side]
            axis.setLabel(f"{name} [{unit}]", **{"color": theme.faint, "font-size": "9pt"})
        self.plot.getAxis("left").setWidth(48)
        self.plot.showGrid(x=True, y=True, alpha=0.12)
        self.redraw()

    def show_scene(self, shown: Shown | None) -> None:
        """Draw this, keeping pan and zoom."""
        self.shown = shown
        self.redraw()

    def redraw(self) -> None:
        """Set everything anew from what is shown."""
        if self._theme is None or self._drawing:
            return
        if self.shown is None:
            self.marks_item.show([], self._theme)
            self._handles = []
            return
        self._drawing = True
        marks, self._handles = self.draw(self.shown, self._theme)
        self.marks_item.show(marks, self._theme)
        self._drawing = False

    def fit(self) -> None:
        """Zoom to what is worth seeing."""
        if self.shown is None:
            return
        left, right, bottom, top = self.extent(self.shown)
        self._box.setRange(xRange=(left, right), yRange=(bottom, top), padding=0.04)

    def handle_at(self, scene_place: QPointF) -> Handle | None:
        """The handle under the pointer; the nearest where several are."""
        best, reach = None, _GRAB_PX
        for handle in self._handles:
            place = self._box.mapViewToScene(QPointF(handle.across, handle.up))
            apart = (place - scene_place).manhattanLength()
            if apart < reach:
                best, reach = handle, apart
        return best

    def handles(self) -> list[Handle]:
        """All that can be dragged now."""
        return list(self._handles)

    def window_place(self, across: float, up: float) -> QPointF:
        """A drawing place in pixels of the plot's viewport."""
        return QPointF(self.plot.mapFromScene(self._box.mapViewToScene(QPointF(across, up))))

    def visible(self) -> tuple[float, float, float, float]:
        """Left, right, bottom, top of what is seen."""
        (left, right), (bottom, top) = self._box.viewRange()
        return left, right, bottom, top

    def _range_changed(self) -> None:
        if not self._drawing:
            self.redraw()

    def _key(self, event) -> None:
        steps = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
        }
        if event.key() in steps and self.selected >= 0:
            dx, dy = steps[event.key()]
            size = self._box.viewPixelSize()
            times = _NUDGE_PX * (5.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0)
            self.nudged.emit(dx * size[0] * times, dy * size[1] * times)
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._box.scaleBy((0.8, 0.8))
        elif event.key() == Qt.Key.Key_Minus:
            self._box.scaleBy((1.25, 1.25))
        else:
            event.ignore()


class Lines(pg.GraphicsObject):
    """Paths in the drawing's own units, painted with pens of fixed width."""

    def __init__(self, z: float = 0.0) -> None:
        super().__init__()
        self._paths: list[tuple[QPainterPath, QPen | None, object]] = []
        self.setZValue(z)

    def show(self, paths: list[tuple[QPainterPath, QPen | None, object]]) -> None:
        """Paths with a pen (or None) and a brush (or None)."""
        self._paths = paths
        self.prepareGeometryChange()
        self.update()

    def boundingRect(self):
        box = self.getViewBox()
        return box.viewRect() if box is not None else pg.QtCore.QRectF()

    def viewRangeChanged(self, *_):
        self.prepareGeometryChange()

    def paint(self, painter, *_):
        painter.setRenderHint(painter.RenderHint.Antialiasing)
        scale = device_scale(painter, self.getViewBox())
        back, valid = painter.worldTransform().inverted()
        for path, pen, brush in self._paths:
            if brush is not None:
                # Patterns are drawn in pixels, or they would be stretched with the zoom.
                brush.setTransform(QTransform.fromScale(scale, scale) * back if valid else brush.transform())
                painter.fillPath(path, brush)
            if pen is not None:
                drawn = QPen(pen)
                drawn.setWidthF(pen.widthF() * scale)
                painter.strokePath(path, drawn)


def pen(value: str, width: float = 1.0, style: Qt.PenStyle = Qt.PenStyle.SolidLine, alpha: int = 255) -> QPen:
    """A pen whose width does not change with the zoom."""
    made = QPen(colour(value, alpha), width, style)
    made.setCosmetic(True)
    return made


def polyline(points, *, closed: bool = False) -> QPainterPath:
    """A path through points (K, 2)."""
    path = QPainterPath()
    if points is None or len(points) == 0:
        return path
    path.moveTo(float(points[0][0]), float(points[0][1]))
    for x, y in points[1:]:
        path.lineTo(float(x), float(y))
    if closed:
        path.closeSubpath()
    return path
