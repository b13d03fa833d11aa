"""Marks on a drawing: shape says the need, fill and number say the softness."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QFontMetricsF, QPainter, QPainterPath, QPen, QTransform

from verispect.optics.types import Floats
from verispect.ui.theme import Theme, colour, pixel_font

_SIZE = 6.0
_MOST_LABELS = 60
# Above so many marks only the softest few are named, and all are drawn plain, without halos.
_MANY = 60
_LABELS_OF_MANY = 8


class DrawnMark(NamedTuple):
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
        self._batches: list[tuple[QPainterPath, QPen, QBrush]] = []
        self._labels: list[tuple[QPointF, QRectF, str]] = []
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
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, len(self._marks) <= _MANY)
        for path, pen, brush in self._batches:
            painter.setPen(pen)
            painter.setBrush(brush)
            painter.drawPath(path)
        painter.setFont(pixel_font(9.0))
        painter.setPen(colour(self._theme.ink))
        # A veil behind the words keeps them legible over lines and hatching.
        veil = colour(self._theme.field, 175)
        for place, area, text in self._labels:
            painter.fillRect(area, veil)
            painter.drawText(place, text)
        painter.restore()

    def _lay_out(self, transform: QTransform) -> None:
        """Gather the marks by their look, and find places for labels that do not cover one another."""
        across = np.array([mark.across for mark in self._marks])
        up = np.array([mark.up for mark in self._marks])
        x = transform.m11() * across + transform.m21() * up + transform.dx()
        y = transform.m12() * across + transform.m22() * up + transform.dy()
        softness = np.array([mark.softness for mark in self._marks])
        self._batches = self._gathered(x, y, softness)
        self._labels = []
        metrics = QFontMetricsF(pixel_font(9.0))
        box = self.getViewBox()
        edge = transform.mapRect(QRectF(box.viewRect())) if box is not None else None
        few = len(x) <= _MANY
        chosen = np.array([mark.selected for mark in self._marks], dtype=bool)
        # The selected one first, then the softest; unknown counts as sharp.
        order = np.lexsort((-np.nan_to_num(softness, nan=0.0, posinf=1e9), ~chosen))
        order = order[: _MOST_LABELS if few else _LABELS_OF_MANY]
        height = metrics.height()
        for k in order:
            place, text = QPointF(x[k], y[k]), _label(self._marks[k])
            width = metrics.horizontalAdvance(text)
            for dx, dy in ((9, 4), (9, -9), (9, 17), (-9 - width, 4), (-width / 2, -11), (-width / 2, 21)):
                area = QRectF(place.x() + dx, place.y() + dy - height * 0.8, width, height)
                if edge is not None and (area.left() < edge.left() or area.right() > edge.right()):
                    continue
                if any(area.intersects(other) for _, other, _ in self._labels):
                    continue
                if few and _covers(area, x, y):
                    continue
                self._labels.append((QPointF(place.x() + dx, place.y() + dy), area, text))
                break

    def _gathered(self, x: Floats, y: Floats, softness: Floats) -> list[tuple[QPainterPath, QPen, QBrush]]:
        """One path for each look: hundreds of marks are then painted in a few strokes."""
        needs = np.array([mark.need for mark in self._marks], dtype=str)
        sharp = softness <= 1.0
        batches = []
        for need in np.unique(needs):
            for is_sharp in (False, True):
                these = (needs == need) & (sharp == is_sharp)
                if these.any():
                    path = _stamped(_SHAPES.get(str(need), _SHAPES["may"]), x[these], y[these])
                    batches.append((path, *self._look(("shape", str(need), is_sharp), len(x))))
        if len(x) <= _MANY:
            # Halos that grow with the softness, so that it is seen without reading.
            halos = QPainterPath()
            for k in map(int, np.flatnonzero(~sharp & np.isfinite(softness))):
                radius = _SIZE + 3.0 * min(float(softness[k]), 5.0)
                halos.addEllipse(QPointF(x[k], y[k]), radius, radius)
            batches.append((halos, *self._look(("halo",), len(x))))
        picked = QPainterPath()
        for k, mark in enumerate(self._marks):
            if mark.selected:
                picked.addRect(QRectF(x[k] - 10, y[k] - 10, 20, 20))
        batches.append((picked, *self._look(("selected",), len(x))))
        return batches

    def _look(self, key: tuple[object, ...], count: int) -> tuple[QPen, QBrush]:
        theme = self._theme
        if key[0] == "selected":
            return QPen(colour(theme.hand), 2.0), QBrush()
        if key[0] == "halo":
            return QPen(colour(theme.ink, 150), 1.0, Qt.PenStyle.DashLine), QBrush()
        _, need, sharp = key
        # Dashes, wide lines and smooth edges take long to paint; among many marks a plain line will do.
        pen = QPen(colour(theme.sharp if sharp else theme.ink), 1.6 if count <= _MANY else 0.0)
        if need in ("may", "soft") and count <= _MANY:
            pen.setStyle(Qt.PenStyle.DotLine)
        return pen, QBrush(colour(theme.sharp if sharp else theme.field))


def _covers(area: QRectF, x: Floats, y: Floats) -> bool:
    """Whether an area comes within 5 px of any mark."""
    beside = (x > area.left() - 5) & (x < area.right() + 5)
    return bool((beside & (y > area.top() - 5) & (y < area.bottom() + 5)).any())


def _label(mark: DrawnMark) -> str:
    tail = f" {mark.beyond}" if mark.beyond else ""
    if np.isnan(mark.softness) or mark.softness <= 1.0:
        return mark.name + tail
    return f"{mark.name}{tail}  {mark.softness:.1f}×" if np.isfinite(mark.softness) else f"{mark.name}{tail}  ∞"


def _stamped(shape: Floats, x: Floats, y: Floats) -> QPainterPath:
    """A shape (K, 2) repeated at every place, as one path."""
    corners = np.stack([x, y], axis=1)[:, None, :] + shape
    joined = np.ones(corners.shape[:2], dtype=np.int32)
    joined[:, -1] = 0
    flat = corners.reshape(-1, 2)
    return pg.arrayToQPath(flat[:, 0], flat[:, 1], connect=joined.ravel())


def _polygon(corners: list[tuple[float, float]], size: float) -> Floats:
    return size * np.array([*corners, corners[0]])


# A must stands on its point, a should lies flat, the others are round-ish.
_SHAPES = {
    "must": _polygon([(-1, -0.9), (1, -0.9), (0, 1.1)], _SIZE),
    "should": _polygon([(-1, -0.8), (1, -0.8), (1, 0.8), (-1, 0.8)], _SIZE - 1.5),
    "may": _polygon([(math.cos(t * math.pi / 4), math.sin(t * math.pi / 4)) for t in range(8)], _SIZE - 1.5),
}
