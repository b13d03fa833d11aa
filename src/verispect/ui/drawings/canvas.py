"""The sheet a drawing is on: axes, pan, zoom, the hand; painted from what was laid out beforehand.

Three layers, each painted anew only when it changes: paper with axes, strokes, marks.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap, QRegion, QWheelEvent
from PyQt6.QtWidgets import QWidget

from verispect.optics.types import Floats
from verispect.ui.controls.theme import LIGHT, Theme, colour, pixel_font
from verispect.ui.drawings.marks_layer import DrawnMarks, MarksLayer
from verispect.ui.drawings.strokes import Stroke, paint_strokes, pen
from verispect.ui.drawings.view import Box, View, squared, ticks

_LEFT_PX, _BOTTOM_PX, _RIGHT_PX, _TOP_PX = 50.0, 36.0, 8.0, 6.0
_TICK_APART_PX = 44.0
_DRAG_PX = 4.0
_LEAST_SPAN, _MOST_SPAN = 1e-6, 1e9


class Canvas(QWidget):
    """A paintable view of a drawing.

    Signals
    -------
    range_changed
        The view was panned, zoomed or resized.
    held(object, x_px, y_px, finished)
        What `thing_at` gave for the place where a drag began is being moved.
    clicked(object)
        What `thing_at` gave for the place of a click.
    key_pressed(QKeyEvent)
    pointed(across, up)
        The point tool was used at a place of the drawing.
    lined(across0, up0, across1, up1)
        The line tool was drawn between two places.
    """

    range_changed = pyqtSignal()
    held = pyqtSignal(object, float, float, bool)
    clicked = pyqtSignal(object)
    key_pressed = pyqtSignal(QKeyEvent)
    pointed = pyqtSignal(float, float)
    lined = pyqtSignal(float, float, float, float)

    def __init__(self, *, square: bool = True) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setMinimumSize(160, 120)
        self.thing_at: Callable[[float, float], object | None] = lambda _x, _y: None
        self.names = ("", "")
        self._square = square
        self._wanted: Box = (-1.0, 1.0, -1.0, 1.0)
        self._theme = LIGHT
        self._strokes: list[Stroke] = []
        self._top_strokes: list[Stroke] = []
        self._words: list[tuple[float, float, str]] = []
        self._underlay: QImage | None = None
        # Painted on the paper, below everything: the photograph.
        self.backdrop: Callable[[QPainter, View], None] | None = None
        # "" for the hand; "point" or "line" for what `pointed` and `lined` tell.
        self.tool = ""
        self._rubber: tuple[tuple[float, float], tuple[float, float]] | None = None
        self._rubber_words = ""
        # Where the tool stands when it is led by keys, in pixels.
        self._cross: QPointF | None = None
        self.marks = MarksLayer()
        self._paper: QPixmap | None = None
        self._drawn: QPixmap | None = None
        self._painted_once = False
        self._pressed: QPointF | None = None
        self._last: QPointF | None = None
        self._moving = False
        self._in_hand: object | None = None
        self.view = self._make_view()

    # What is shown ---------------------------------------------------------------------------------

    def set_theme(self, theme: Theme) -> None:
        """Take on a theme's colours."""
        self._theme, self._paper, self._drawn = theme, None, None
        self.update()

    def set_strokes(self, strokes: list[Stroke], top: list[Stroke], words: list[tuple[float, float, str]]) -> None:
        """Lines and areas below the marks, grips above them, and words at places of the drawing."""
        self._strokes, self._top_strokes, self._words = strokes, top, words
        self._drawn, self._painted_once = None, False
        self.update()

    def set_underlay(self, image: QImage | None) -> None:
        """A picture of the drawing's area, below the lines."""
        if image is None and self._underlay is None:
            return
        self._underlay, self._drawn, self._painted_once = image, None, False
        self.update()

    def set_tool(self, tool: str) -> None:
        """Take up a tool, or put it down."""
        self.tool, self._rubber, self._rubber_words, self._cross = tool, None, "", None
        if tool:
            self.setCursor(Qt.CursorShape.CrossCursor)
        else:
            self.unsetCursor()
        self.update()

    def say_at_line(self, words: str) -> None:
        """Words beside the line that the line tool has drawn."""
        self._rubber_words = words
        self.update()

    def new_paper(self) -> None:
        """The backdrop has changed."""
        self._paper = self._drawn = None
        self.update()

    def set_marks(self, marks: DrawnMarks | None) -> None:
        """The marks, laid out for the present view."""
        changed = self.marks.show(marks, self.view, self._theme)
        if changed is None:
            self.update()
            return
        region = QRegion()
        for area in changed:
            region += area.toAlignedRect()
        self.update(region)

    def set_range(self, box: Box, *, padding: float = 0.0) -> None:
        """Show this box, and more one way where the drawing is square."""
        left, right, bottom, top = box
        if not (_LEAST_SPAN < right - left < _MOST_SPAN and _LEAST_SPAN < top - bottom < _MOST_SPAN):
            return
        across, up = padding * (right - left), padding * (top - bottom)
        self._wanted = (left - across, right + across, bottom - up, top + up)
        self._new_view()

    def _make_view(self) -> View:
        wide, high = float(self.width()), float(self.height())
        area = (_LEFT_PX, max(wide - _RIGHT_PX, _LEFT_PX + 1), _TOP_PX, max(high - _BOTTOM_PX, _TOP_PX + 1))
        return View(squared(self._wanted, area) if self._square else self._wanted, area)

    def _new_view(self) -> None:
        self.view = self._make_view()
        self._paper = self._drawn = None
        self.range_changed.emit()
        self.update()

    def resizeEvent(self, _event: object) -> None:
        self._new_view()

    # Painting --------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        self._paint_under_marks(painter)
        self._clip(painter)
        self.marks.paint(painter, self.size(), within=QRectF(event.rect()))
        paint_strokes(painter, self._top_strokes, self.view)
        self._paint_rubber(painter)
        painter.setClipping(False)
        if self.hasFocus():
            painter.setPen(pen(self._theme.hand, 2.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def paint_on_paper(self, painter: QPainter) -> None:
        """Everything as lines and letters, in this widget's pixels."""
        self._paint_paper(painter)
        self._clip(painter)
        self._paint_strokes(painter)
        self.marks.paint(painter, self.size(), as_lines=True)
        paint_strokes(painter, self._top_strokes, self.view)
        painter.setClipping(False)

    def _paint_rubber(self, painter: QPainter) -> None:
        """The line that is being drawn, or was drawn last, with what is said of it; where keys have led the tool."""
        if self.tool and self._cross is not None:
            painter.setPen(pen(self._theme.hand, 1.5))
            x, y = self._cross.x(), self._cross.y()
            painter.drawLine(QPointF(x - 10, y), QPointF(x + 10, y))
            painter.drawLine(QPointF(x, y - 10), QPointF(x, y + 10))
        if self._rubber is None:
            return
        ends = [QPointF(*self.view.to_px(_place(*end)).tolist()) for end in self._rubber]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(pen(self._theme.hand, 2.0))
        painter.drawLine(*ends)
        for end in ends:
            painter.drawEllipse(end, 3.5, 3.5)
        if self._rubber_words:
            painter.setFont(pixel_font(10.0))
            metrics = painter.fontMetrics()
            middle = 0.5 * (ends[0] + ends[1])
            width = metrics.horizontalAdvance(self._rubber_words)
            left = min(max(middle.x() + 8, self.view.area[0]), max(self.view.area[1] - width - 6, 0))
            painter.fillRect(QRectF(left - 3, middle.y() - 20, width + 6, 18), colour(self._theme.field, 225))
            painter.setPen(colour(self._theme.ink))
            painter.drawText(QPointF(left, middle.y() - 6), self._rubber_words)

    def _paint_under_marks(self, painter: QPainter) -> None:
        """Paper and strokes. Strokes that have stayed for one painting are kept as a picture for the next."""
        if self._paper is None:
            self._paper = self._blank()
            on_paper = QPainter(self._paper)
            self._paint_paper(on_paper)
            on_paper.end()
        if self._drawn is None and self._painted_once:
            self._drawn = QPixmap(self._paper)
            on_drawn = QPainter(self._drawn)
            self._clip(on_drawn)
            self._paint_strokes(on_drawn)
            on_drawn.end()
        painter.drawPixmap(0, 0, self._drawn or self._paper)
        if self._drawn is None:
            painter.save()
            self._clip(painter)
            self._paint_strokes(painter)
            painter.restore()
            self._painted_once = True

    def _blank(self) -> QPixmap:
        ratio = self.devicePixelRatioF()
        made = QPixmap(self.size() * ratio)
        made.setDevicePixelRatio(ratio)
        return made

    def _clip(self, painter: QPainter) -> None:
        left, right, top, bottom = self.view.area
        painter.setClipRect(QRectF(left, top, right - left, bottom - top))

    def _paint_strokes(self, painter: QPainter) -> None:
        if self._underlay is not None:
            left, right, top, bottom = self.view.area
            painter.drawImage(QRectF(left, top, right - left, bottom - top), self._underlay)
        paint_strokes(painter, self._strokes, self.view)
        painter.setFont(pixel_font(9.0))
        painter.setPen(colour(self._theme.sharp))
        metrics = painter.fontMetrics()
        for across, up, text in self._words:
            x, y = self.view.to_px(_place(across, up)).tolist()
            behind = QRectF(
                x - 6.0, y + 4.0 - metrics.ascent(), metrics.horizontalAdvance(text) + 4.0, metrics.height()
            )
            painter.fillRect(behind, colour(self._theme.field, 175))
            painter.drawText(QPointF(x - 4.0, y + 4.0), text)

    def _paint_paper(self, painter: QPainter) -> None:
        theme, view = self._theme, self.view
        left, right, top, bottom = view.area
        painter.fillRect(self.rect(), colour(theme.field))
        if self.backdrop is not None:
            painter.save()
            self._clip(painter)
            self.backdrop(painter, view)
            painter.restore()
        painter.setFont(pixel_font(8.5))
        faint, grid = colour(theme.faint), pen(theme.faint, alpha=34)
        metrics = painter.fontMetrics()
        for value, text in ticks(view.box[0], view.box[1], most=max(int((right - left) / _TICK_APART_PX), 4)):
            x = view.to_px(_place(value, 0.0))[0]
            painter.setPen(grid)
            painter.drawLine(QPointF(x, top), QPointF(x, bottom))
            painter.setPen(faint)
            painter.drawText(QPointF(x - 0.5 * metrics.horizontalAdvance(text), bottom + 14), text)
        for value, text in ticks(view.box[2], view.box[3], most=max(int((bottom - top) / _TICK_APART_PX), 4)):
            y = view.to_px(_place(0.0, value))[1]
            painter.setPen(grid)
            painter.drawLine(QPointF(left, y), QPointF(right, y))
            painter.setPen(faint)
            painter.drawText(QPointF(left - 5 - metrics.horizontalAdvance(text), y + 4), text)
        painter.setPen(pen(theme.line))
        painter.drawLine(QPointF(left, bottom), QPointF(right, bottom))
        painter.drawLine(QPointF(left, top), QPointF(left, bottom))
        painter.setPen(faint)
        painter.setFont(pixel_font(9.0))
        middle = Qt.AlignmentFlag.AlignCenter
        painter.drawText(QRectF(left, bottom + 18, right - left, 16), middle, self.names[0])
        painter.save()
        painter.translate(0.0, 0.5 * (top + bottom))
        painter.rotate(-90.0)
        painter.drawText(QRectF(-0.5 * (bottom - top), 1, bottom - top, 16), middle, self.names[1])
        painter.restore()

    # The hand --------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.tool and event.button() == Qt.MouseButton.LeftButton:
            here = self.view.from_px(event.position().x(), event.position().y())
            self._rubber, self._rubber_words = (here, here) if self.tool == "line" else None, ""
            self._pressed, self._in_hand = event.position(), None
            self.update()
            return
        if event.button() in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
            self._pressed = self._last = event.position()
            left = event.button() == Qt.MouseButton.LeftButton
            self._in_hand = self.thing_at(event.position().x(), event.position().y()) if left else None
            self._moving = False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        place = event.position()
        if self.tool and self._last is None:
            if self._pressed is not None and self._rubber is not None:
                self._rubber = (self._rubber[0], self.view.from_px(place.x(), place.y()))
                self.update()
            return
        if self._pressed is None or self._last is None:
            over = self.thing_at(place.x(), place.y()) is not None
            self.setCursor(Qt.CursorShape.SizeAllCursor) if over else self.unsetCursor()
            return
        if not self._moving and (place - self._pressed).manhattanLength() < _DRAG_PX:
            return
        self._moving = True
        if self._in_hand is not None:
            self.held.emit(self._in_hand, place.x(), place.y(), False)
        else:
            step = place - self._last
            self._wanted = self.view.moved(step.x(), step.y())
            self._new_view()
        self._last = place

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.tool and self._last is None:
            self._use_tool(event.position())
            return
        place, thing, moving = event.position(), self._in_hand, self._moving
        self._pressed = self._last = self._in_hand = None
        self._moving = False
        if thing is None:
            return
        if moving:
            self.held.emit(thing, place.x(), place.y(), True)
        else:
            self.clicked.emit(thing)

    def _use_tool(self, place: QPointF) -> None:
        here, pressed = self.view.from_px(place.x(), place.y()), self._pressed
        self._pressed = None
        if pressed is None:
            return
        if self.tool == "point":
            self.pointed.emit(*here)
        elif self._rubber is not None and (place - pressed).manhattanLength() >= _DRAG_PX:
            self._rubber = (self._rubber[0], here)
            self.lined.emit(*self._rubber[0], *here)
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        place = event.position()
        self.zoom(0.999 ** event.angleDelta().y(), self.view.from_px(place.x(), place.y()))
        event.accept()

    def zoom(self, times: float, about: tuple[float, float] | None = None) -> None:
        """Show `times` as much."""
        self.set_range(self.view.zoomed(times, about))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not (self.tool and self._lead_tool(event)):
            self.key_pressed.emit(event)

    def _lead_tool(self, event: QKeyEvent) -> bool:
        """A tool led by keys: arrows move it, Shift ten times as far, Return uses it; a line takes two."""
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        here = self._cross or QPointF(0.5 * (self.view.area[0] + self.view.area[1]),
                                      0.5 * (self.view.area[2] + self.view.area[3]))  # fmt: skip
        step = next((step for key, step in steps.items() if event.key() == key), None)
        if step is not None:
            times = 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self._cross = here + QPointF(*step) * times
            if self._pressed is not None and self._rubber is not None:
                self._rubber = (self._rubber[0], self.view.from_px(self._cross.x(), self._cross.y()))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._cross = here
            place = self.view.from_px(here.x(), here.y())
            if self.tool == "line" and self._pressed is None:
                self._pressed, self._rubber, self._rubber_words = here, (place, place), ""
            else:
                self._pressed = self._pressed or here
                self._use_tool(here)
        else:
            return False
        self.update()
        return True


def _place(across: float, up: float) -> Floats:
    return np.array([across, up])
