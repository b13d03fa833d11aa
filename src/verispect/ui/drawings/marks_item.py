"""Marks on a drawing: shape says the need, fill and number say the softness."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen, QPolygonF, QTransform

from verispect.ui.theme import Theme, colour, pixel_font

_SIZE = 6.0
_MOST_LABELS = 60


@dataclass(frozen=True)
class DrawnMark:
    """One mark in a drawing; softness NaN where unknown."""

    name: str
    across: float
    up: float
    need: str
    softness: float
    selected: bool = False
    beyond: str = ""


def device_scale(painter: QPainter, box: pg.ViewBox) -> float:
    """Device dots to a screen pixel: 1 on screen, more on paper."""
    across = box.viewPixelSize()[0]
    moved = painter.worldTransform().map(QPointF(across, 0.0)) - painter.worldTransform().map(QPointF(0.0, 0.0))
    return max(float(np.hypot(moved.x(), moved.y())), 1e-3)


class MarksItem(pg.GraphicsObject):
    """Paints marks at a fixed size whatever the zoom; label places are laid out beforehand."""

    def __init__(self) -> None:
        super().__init__()
        self._marks: list[DrawnMark] = []
        self._theme: Theme | None = None
        self._laid: list[tuple[QPointF, DrawnMark, QPointF | None, QRectF, str]] = []
        self._key: object = None
        self.setZValue(20)

    def show(self, marks: list[DrawnMark], theme: Theme) -> None:
        """Put these marks in place of the ones before."""
        self._marks, self._theme, self._key = marks, theme, None
        self.prepareGeometryChange()
        self.update()

    def boundingRect(self) -> QRectF:
        box = self.getViewBox()
        return QRectF(box.viewRect()) if box is not None else QRectF()

    def viewRangeChanged(self, *_: object) -> None:
        self.prepareGeometryChange()

    def viewTransformChanged(self) -> None:
        self.prepareGeometryChange()

    def paint(self, painter: QPainter, *_: object) -> None:
        if self._theme is None:
            return
        scale = device_scale(painter, self.getViewBox())
        # In units of a screen pixel, whatever the device: on paper one is several dots.
        transform = painter.worldTransform() * QTransform.fromScale(1.0 / scale, 1.0 / scale)
        if self._key != transform:
            self._lay_out(transform)
            self._key = transform
        painter.save()
        painter.setWorldTransform(QTransform.fromScale(scale, scale))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(pixel_font(9.0))
        for place, mark, label, area, text in self._laid:
            self._paint_mark(painter, place, mark)
            if label is not None:
                # A veil behind the words keeps them legible over lines and hatching.
                painter.fillRect(area, colour(self._theme.field, 175))
                painter.setPen(colour(self._theme.ink))
                painter.drawText(label, text)
        painter.restore()

    def _lay_out(self, transform: QTransform) -> None:
        """Find a place for every label that does not cover another; the softest marks come first."""
        metrics = QFontMetricsF(pixel_font(9.0))
        taken: list[QRectF] = []
        box = self.getViewBox()
        edge = transform.mapRect(QRectF(box.viewRect())) if box is not None else None
        order = sorted(self._marks, key=lambda m: (not m.selected, -np.nan_to_num(m.softness, nan=0.0)))
        places = {id(mark): transform.map(QPointF(mark.across, mark.up)) for mark in order}
        for place in places.values():
            taken.append(QRectF(place.x() - 5, place.y() - 5, 10, 10))
        self._laid = []
        labelled = 0
        for mark in order:
            place = places[id(mark)]
            text = _label(mark)
            chosen, area = None, QRectF()
            if labelled < _MOST_LABELS:
                width, height = metrics.horizontalAdvance(text), metrics.height()
                for dx, dy in (
                    (9, 4),
                    (9, -9),
                    (9, 17),
                    (-9 - width, 4),
                    (-width / 2, -11),
                    (-width / 2, 21),
                ):
                    area = QRectF(place.x() + dx, place.y() + dy - height * 0.8, width, height)
                    inside = edge is None or (edge.left() <= area.left() and area.right() <= edge.right())
                    if inside and not any(area.intersects(other) for other in taken):
                        chosen = QPointF(place.x() + dx, place.y() + dy)
                        taken.append(area)
                        labelled += 1
                        break
            self._laid.append((place, mark, chosen, area, text))

    def _paint_mark(self, painter: QPainter, place: QPointF, mark: DrawnMark) -> None:
        theme = self._theme
        sharp = mark.softness <= 1.0
        pen = QPen(colour(theme.sharp if sharp else theme.ink), 1.6)
        if mark.need in ("may", "soft"):
            pen.setStyle(Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.setBrush(colour(theme.sharp) if sharp else colour(theme.field))
        size = _SIZE if mark.need == "must" else _SIZE - 1.5
        painter.drawPolygon(_shape(mark.need, place, size))
        if not sharp and np.isfinite(mark.softness):
            # A halo that grows with the softness, so that it is seen without reading.
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(colour(theme.ink, 150), 1.0, Qt.PenStyle.DashLine))
            radius = _SIZE + 3.0 * min(mark.softness, 5.0)
            painter.drawEllipse(place, radius, radius)
        if mark.selected:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(colour(theme.hand), 2.0))
            painter.drawRect(QRectF(place.x() - 10, place.y() - 10, 20, 20))


def _label(mark: DrawnMark) -> str:
    tail = f" {mark.beyond}" if mark.beyond else ""
    if np.isnan(mark.softness) or mark.softness <= 1.0:
        return mark.name + tail
    return f"{mark.name}{tail}  {mark.softness:.1f}×" if np.isfinite(mark.softness) else f"{mark.name}{tail}  ∞"


def _shape(need: str, place: QPointF, size: float) -> QPolygonF:
    """A must stands on its point, a should lies flat, the others are round-ish."""
    if need == "must":
        corners = [(-1, -0.9), (1, -0.9), (0, 1.1)]
    elif need == "should":
        corners = [(-1, -0.8), (1, -0.8), (1, 0.8), (-1, 0.8)]
    else:
        corners = [(np.cos(t), np.sin(t)) for t in np.linspace(0, 2 * np.pi, 9)[:-1]]
    return QPolygonF([QPointF(place.x() + size * x, place.y() + size * y) for x, y in corners])
