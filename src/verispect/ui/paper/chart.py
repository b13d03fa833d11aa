"""A chart to print and photograph: slanted edges for sharpness, fine grain for texture, and a bar to measure.

Squares lean 5 degrees, so that an edge tells finer than the pixels (ISO 12233's way of edges; the drawing is our
own); their greys keep clear of white and black.
"""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QImage, QPageLayout, QPageSize, QPainter, QPdfWriter, QPen, QPolygonF

from verispect.ui.controls.theme import font_family

PAPERS = {
    "a4": QPageSize.PageSizeId.A4, "a3": QPageSize.PageSizeId.A3, "a2": QPageSize.PageSizeId.A2,
    "a1": QPageSize.PageSizeId.A1, "a0": QPageSize.PageSizeId.A0,
}  # fmt: skip
_DPI = 300
_LEAN_DEG, _CELL_MM, _SQUARE_SHARE = 5.0, 33.0, 0.62
_MARGIN_MM, _FOOT_MM, _BAR_MM = 10.0, 16.0, 100.0
# Coded greys whose light is about 0.15 and 0.75 on sRGB's curve.
_DARK, _LIGHT, _GRAIN = 108, 225, 40


def chart_pdf(paper: str = "a4") -> bytes:
    """The chart as PDF, lying on its side; its bar is 100 mm where it was printed at its own size."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setResolution(_DPI)
    writer.setTitle("Chart")
    size = QPageSize(PAPERS[paper])
    writer.setPageLayout(QPageLayout(size, QPageLayout.Orientation.Landscape, QMarginsF(0.0, 0.0, 0.0, 0.0)))
    painter = QPainter(writer)
    try:
        scale = _DPI / 25.4
        painter.scale(scale, scale)
        wide, high = writer.width() / scale, writer.height() / scale
        _squares(painter, wide, high - _FOOT_MM)
        _foot(painter, wide, high)
    finally:
        painter.end()
    return buffer.data().data()


def _squares(painter: QPainter, wide: float, high: float) -> None:
    """Cells all over, each with a leaning square, grain beside every other."""
    painter.fillRect(QRectF(_MARGIN_MM, _MARGIN_MM, wide - 2 * _MARGIN_MM, high - _MARGIN_MM), QColor(*[_LIGHT] * 3))
    across, down = int((wide - 2 * _MARGIN_MM) / _CELL_MM), int((high - _MARGIN_MM) / _CELL_MM)
    left = 0.5 * (wide - across * _CELL_MM)
    top = _MARGIN_MM + 0.5 * (high - _MARGIN_MM - down * _CELL_MM)
    grain = _grain()
    for row in range(down):
        for column in range(across):
            middle = QPointF(left + (column + 0.5) * _CELL_MM, top + (row + 0.5) * _CELL_MM)
            _square(painter, middle, _LEAN_DEG if (row + column) % 2 else -_LEAN_DEG)
            if (row + column) % 3 == 0:
                side = 0.26 * _CELL_MM
                corner = middle + QPointF(0.5 * _CELL_MM - 0.5 * side, 0.5 * _CELL_MM - 0.5 * side)
                painter.drawImage(QRectF(corner.x(), corner.y(), side, side), grain)


def _square(painter: QPainter, middle: QPointF, lean_deg: float) -> None:
    half, lean = 0.5 * _SQUARE_SHARE * _CELL_MM, math.radians(lean_deg)
    along, across = half * math.cos(lean), half * math.sin(lean)
    corners = [
        middle + QPointF(x * along - y * across, x * across + y * along)
        for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1))
    ]
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(*[_DARK] * 3))
    painter.drawPolygon(QPolygonF(corners))


def _grain() -> QImage:
    """Detail of every size, for what is told by texture."""
    rng = np.random.default_rng(7)
    pixels = np.zeros((128, 128))
    for side in (128, 64, 32, 16):
        part = rng.uniform(-1.0, 1.0, (side, side))
        pixels += np.kron(part, np.ones((128 // side, 128 // side)))
    grey = np.clip(0.5 * (_DARK + _LIGHT) + _GRAIN * pixels, 0, 255).astype(np.uint8)
    return QImage(grey.tobytes(), 128, 128, 128, QImage.Format.Format_Grayscale8).copy()


def _foot(painter: QPainter, wide: float, high: float) -> None:
    font = QFont(font_family())
    font.setPixelSize(4)
    painter.setFont(font)
    painter.setPen(QPen(QColor(0, 0, 0), 0.3))
    y = high - 0.5 * _FOOT_MM
    painter.drawLine(QPointF(_MARGIN_MM, y), QPointF(_MARGIN_MM + _BAR_MM, y))
    for x in (0.0, 0.5 * _BAR_MM, _BAR_MM):
        painter.drawLine(QPointF(_MARGIN_MM + x, y - 2.0), QPointF(_MARGIN_MM + x, y + 2.0))
    words = "The bar is 100 mm where this was printed at its own size. Fill the frame, square on, evenly lit."
    painter.drawText(QRectF(_MARGIN_MM + _BAR_MM + 6.0, y - 4.0, wide - _BAR_MM - 2 * _MARGIN_MM - 6.0, 8.0),
                     Qt.AlignmentFlag.AlignVCenter, words)  # fmt: skip
