"""Lines and areas of a drawing, in its own units, and how they are put on paper or screen."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPen, QPixmap, QPolygonF

from verispect.ui.controls.theme import colour
from verispect.ui.drawings.view import View

# Far beyond any screen; Qt's rasteriser takes no larger numbers.
_FARTHEST_PX = 20_000.0
_TILE_PX = 64


class Stroke(NamedTuple):
    """A line or an outline.

    `points` (K, 2) in the drawing's units; `size_px` gives instead pixels about each of them.
    """

    points: Any
    pen: QPen | None
    brush: QBrush | None = None
    closed: bool = False
    around: tuple[float, float] | None = None


def pen(value: str, width: float = 1.0, style: Qt.PenStyle = Qt.PenStyle.SolidLine, alpha: int = 255) -> QPen:
    """A pen of so many pixels."""
    return QPen(colour(value, alpha), width, style)


def paint_strokes(painter: QPainter, strokes: Iterable[Stroke], view: View) -> None:
    """Put strokes into the pixels of a view."""
    for stroke in strokes:
        if stroke.points is None or len(stroke.points) == 0:
            continue
        polygon = _polygon(stroke, view)
        painter.setPen(stroke.pen if stroke.pen is not None else Qt.PenStyle.NoPen)
        # An area without an edge has its edge from a line over it; smoothing it too would only cost time.
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, stroke.pen is not None)
        if stroke.closed:
            painter.setBrush(stroke.brush if stroke.brush is not None else Qt.BrushStyle.NoBrush)
            painter.drawPolygon(polygon)
        elif polygon.size() == 2:
            # Qt paints a wide line in half the time of a polyline of two points.
            painter.drawLine(polygon[0], polygon[1])
        else:
            painter.drawPolyline(polygon)


def _polygon(stroke: Stroke, view: View) -> QPolygonF:
    """The points in pixels; in plain numbers, which for so few are quicker than arrays."""
    points = stroke.points.tolist() if isinstance(stroke.points, np.ndarray) else stroke.points
    across, up = view.unit_per_px
    x0, y0 = view.area[0] - view.box[0] / across, view.area[3] + view.box[2] / up
    if stroke.around is None:
        placed = [(x0 + x / across, y0 - y / up) for x, y in points]
    else:
        # The points are pixels about one place of the drawing, up being up.
        x0, y0 = x0 + stroke.around[0] / across, y0 - stroke.around[1] / up
        placed = [(x0 + x, y0 - y) for x, y in points]
    return QPolygonF([QPointF(_held(x), _held(y)) for x, y in placed])


def _held(value: float) -> float:
    return min(max(float(value), -_FARTHEST_PX), _FARTHEST_PX)


@lru_cache(maxsize=16)
def hatched(value: str, tint: int, line: int) -> QBrush:
    """A tint with slanting lines, as one brush: filling once takes half as long as twice."""
    # A tile of one period, 8 px, would take three times as long to fill with.
    tile = QPixmap(_TILE_PX, _TILE_PX)
    tile.fill(Qt.GlobalColor.transparent)
    painter = QPainter(tile)
    painter.fillRect(tile.rect(), colour(value, tint))
    painter.setPen(QPen(colour(value, line), 1.0))
    for start in range(7, 2 * _TILE_PX, 8):
        painter.drawLine(start, 0, 0, start)
    painter.end()
    return QBrush(tile)
