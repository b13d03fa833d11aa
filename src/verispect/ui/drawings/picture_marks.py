"""Marks of the plan over a picture: where they are looked for, and those that were pointed at."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QFontMetricsF, QPainter, QPainterPath
from PyQt6.QtWidgets import QWidget

from verispect.ui.controls.theme import Theme, colour, font
from verispect.ui.drawings.strokes import pen

_RING, _DOT, _REACH = 8.0, 2.5, 14.0


class SeenMark(NamedTuple):
    """A mark in a picture, 0 to 1 across and down; `is_pointed` where a person put it there."""

    name: str
    x: float
    y: float
    is_pointed: bool = False


def at(mark: SeenMark, area: QRectF) -> QPointF:
    """Where a mark lies in the widget, of which the picture fills an area."""
    return QPointF(area.left() + mark.x * area.width(), area.top() + mark.y * area.height())


def nearest(marks: list[SeenMark], area: QRectF, place: QPointF) -> SeenMark | None:
    """The mark under a place, or within reach of a hand."""

    def away(mark: SeenMark) -> float:
        apart = at(mark, area) - place
        return float(apart.manhattanLength())

    found = min(marks, key=away, default=None)
    return found if found is not None and away(found) < _REACH else None


def paint_marks(painter: QPainter, area: QRectF, marks: list[SeenMark], theme: Theme, widget: QWidget) -> None:
    """A ring where a mark is looked for, with a dot in it where it was pointed at; its name beside it."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setFont(font(9.5))
    for mark in marks:
        place = at(mark, area)
        if not QRectF(widget.rect()).adjusted(-200, -20, 20, 20).contains(place):
            continue
        for width, value in ((4.0, theme.field), (1.6, theme.hand)):
            painter.setPen(pen(value, width))
            painter.drawEllipse(place, _RING, _RING)
            if mark.is_pointed:
                painter.drawEllipse(place, _DOT, _DOT)
        # A name is read on any ground with a rim about its letters.
        words, wide = QPainterPath(), QFontMetricsF(painter.font()).horizontalAdvance(mark.name)
        beside = _RING + 4.0 if place.x() + _RING + 4.0 + wide < widget.width() else -_RING - 4.0 - wide
        words.addText(place + QPointF(beside, 4.0), painter.font(), mark.name)
        painter.strokePath(words, pen(theme.field, 3.0))
        painter.fillPath(words, colour(theme.hand))
