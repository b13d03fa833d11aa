"""Which stops, times and ISOs serve, small: stops across, times up, ISOs as slanting lines, the region hatched."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from verispect.optics.exposure_time import shutter_words
from verispect.optics.f_stops import marked
from verispect.plan.setting.exposure_region import ExposureRegion, StopLimits
from verispect.ui.controls.theme import LIGHT, Theme, colour, font
from verispect.ui.drawings.strokes import hatched, pen

_LEFT, _RIGHT, _TOP, _BOTTOM = 62.0, 14.0, 12.0, 34.0
# Room above and below what must be seen, in stops; at most so many stops of time are shown.
_ROOM, _MOST = 1.0, 16.0
# Half the width of a stop's column in the hatched region, in stops.
_HALF = 1.0 / 6.0


class ExposureDiagram(QWidget):
    """Shows a region; what it says in words stands beside it."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(260, 170)
        self.setAccessibleName(self.tr("Stop, time and ISO"))
        self._theme: Theme = LIGHT
        self.region: ExposureRegion | None = None
        self._times = (0.0, 1.0)

    def apply_theme(self, theme: Theme) -> None:
        """Take on a theme's colours."""
        self._theme = theme
        self.update()

    def show_region(self, region: ExposureRegion | None) -> None:
        """Take on a region; None empties it."""
        self.region = region
        if region is not None:
            self._times = _range(region)
            self.setAccessibleDescription("; ".join(str(bound) for bound in region.bounds))
        self.update()

    def place(self, f_number: float, seconds: float) -> QPointF:
        """Where a stop and a time lie on the widget."""
        assert self.region is not None
        first, last = (math.log2(stop.f_number) * 2.0 for stop in (self.region.stops[0], self.region.stops[-1]))
        low, high = self._times
        room = max(last - first, 1.0)
        across = (2.0 * math.log2(f_number) - first + 0.5) / (room + 1.0)
        up = (math.log2(max(seconds, 1e-12)) - low) / (high - low)
        width, height = self.width() - _LEFT - _RIGHT, self.height() - _TOP - _BOTTOM
        return QPointF(_LEFT + across * width, _TOP + (1.0 - min(max(up, -0.5), 1.5)) * height)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the axes, the region, what bounds it and the setting as planned."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(8.5))
        frame = QRectF(_LEFT, _TOP, self.width() - _LEFT - _RIGHT, self.height() - _TOP - _BOTTOM)
        painter.fillRect(frame, colour(self._theme.field))
        if self.region is None:
            return
        self._axes(painter, frame)
        painter.save()
        painter.setClipRect(frame)
        self._isos(painter)
        for run in _runs(self.region):
            self._region(painter, run)
        self._smear(painter)
        self._ends(painter, frame)
        stop, seconds, _ = self.region.chosen
        painter.setPen(pen(self._theme.field, 2.0))
        painter.setBrush(colour(self._theme.hand))
        painter.drawEllipse(self.place(stop, seconds), 5.0, 5.0)
        painter.restore()
        painter.setPen(pen(self._theme.line))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(frame)

    def _axes(self, painter: QPainter, frame: QRectF) -> None:
        assert self.region is not None
        metrics = QFontMetricsF(painter.font())
        painter.setPen(pen(self._theme.faint))
        right = -math.inf
        for stop in self.region.stops:
            x = self.place(stop.f_number, 1.0).x()
            text = f"f/{marked(stop.f_number)}"
            width = metrics.horizontalAdvance(text)
            if x - 0.5 * width > right + 6.0:
                painter.drawText(QPointF(x - 0.5 * width, frame.bottom() + 15.0), text)
                painter.drawLine(QPointF(x, frame.bottom()), QPointF(x, frame.bottom() + 3.0))
                right = x + 0.5 * width
        low, high = self._times
        step = max(1, math.ceil((high - low) / max(1.0, frame.height() / 26.0)))
        for power in range(math.ceil(low), math.floor(high) + 1):
            if power % step == 0:
                at = self.place(self.region.stops[0].f_number, 2.0**power)
                text = shutter_words(2.0**power)
                painter.drawText(QPointF(_LEFT - 6.0 - metrics.horizontalAdvance(text), at.y() + 4.0), text)
                painter.setPen(pen(self._theme.line, alpha=90))
                painter.drawLine(QPointF(frame.left(), at.y()), QPointF(frame.right(), at.y()))
                painter.setPen(pen(self._theme.faint))

    def _isos(self, painter: QPainter) -> None:
        """The lowest and the highest that serve, and each doubling between them."""
        assert self.region is not None
        low, high = self.region.isos
        doublings = [low * 2.0**k for k in range(1, 30) if low * 2.0**k < high / 1.2]
        for iso in (low, *doublings, *([high] if high > 1.01 * low else [])):
            strong = iso in (low, high)
            painter.setPen(pen(self._theme.faint if strong else self._theme.line, 1.2 if strong else 0.8))
            points = [self.place(stop.f_number, stop.at_base_s * low / iso) for stop in self.region.stops]
            painter.drawPolyline(QPolygonF(points))
            seen = [at for at in points if _TOP + 20.0 < at.y() < self.height() - _BOTTOM - 20.0]
            if strong and seen:
                # The lowest is named above its beginning, the highest (or the only one) below its end.
                first = iso == low < high / 1.01
                at = seen[0] + QPointF(0.0, -9.0) if first else seen[-1] + QPointF(-24.0, 18.0)
                self._label(painter, at, f"ISO {iso:.0f}")

    def _region(self, painter: QPainter, run: list[StopLimits]) -> None:
        upper, lower = [], []
        for stop in run:
            for side in (-_HALF, _HALF):
                f_number = stop.f_number * 2.0 ** (0.5 * side)
                lower.append(self.place(f_number, stop.times_s[0] * 2.0 ** (side * 0.999)))
                # Along the lowest ISO the time follows the stop; along a smear it stays.
                along = stop.at_base_s <= stop.longest_s
                upper.append(self.place(f_number, stop.times_s[1] * (2.0 ** (side * 0.999) if along else 1.0)))
        # With one ISO alone the region is a line.
        thin = run[0].times_s[0] > 0.99 * run[0].times_s[1]
        painter.setPen(pen(self._theme.sharp, 4.0 if thin else 1.6))
        painter.setBrush(hatched(self._theme.sharp, 40, 120))
        painter.drawPolygon(QPolygonF(upper + lower[::-1]))

    def _smear(self, painter: QPainter) -> None:
        """Times beyond which something smears."""
        assert self.region is not None
        stops = [stop for stop in self.region.stops if 0.0 < stop.longest_s < math.inf]
        if len(stops) < 2:
            return
        line = QPen(colour(self._theme.ink), 1.2, Qt.PenStyle.DashLine)
        painter.setPen(line)
        points = [self.place(stop.f_number, stop.longest_s) for stop in stops]
        painter.drawPolyline(QPolygonF(points))
        top = min(points, key=lambda point: point.y())
        self._label(painter, QPointF(top.x(), top.y() - 7.0), self.tr("{0} smears").format(stops[0].worst))

    def _ends(self, painter: QPainter, frame: QRectF) -> None:
        """What ends the serving stops, beside them."""
        assert self.region is not None
        serving = self.region.serving
        if not serving:
            return
        stops = self.region.stops
        step = self.place(stops[-1].f_number, 1.0).x() - self.place(stops[-1].f_number / 2.0 ** (1.0 / 6.0), 1.0).x()
        metrics = QFontMetricsF(painter.font())
        for stop, way, soft in (
            (serving[0], -1, self.tr("out of focus")),
            (serving[-1], 1, self.tr("diffraction")),
        ):
            place = stops.index(stop) + way
            if not 0 <= place < len(stops):
                continue
            text = soft if stops[place].softness > 1.0 else self.tr("smears")
            width = metrics.horizontalAdvance(text)
            edge = self.place(stop.f_number, stop.times_s[0])
            x = edge.x() + way * (0.5 * step + 6.0) - (width if way < 0 else 0.0)
            if frame.left() + 2.0 < x < frame.right() - width - 2.0:
                high, low = (self.place(stop.f_number, time).y() for time in stop.times_s[::-1])
                self._label(painter, QPointF(x, 0.5 * (high + low) + 4.0), text)

    def _label(self, painter: QPainter, at: QPointF, text: str) -> None:
        """Words over whatever is drawn there."""
        metrics = QFontMetricsF(painter.font())
        box = metrics.boundingRect(text).translated(at).adjusted(-2.0, 0.0, 2.0, 0.0)
        painter.fillRect(box, colour(self._theme.field, 215))
        painter.setPen(pen(self._theme.ink))
        painter.drawText(at, text)


def _range(region: ExposureRegion) -> tuple[float, float]:
    """Shortest and longest time shown, as powers of two of a second."""
    serving = region.serving or region.stops
    marks = [region.chosen[1], *(stop.shortest_s for stop in serving), *(stop.at_base_s for stop in serving)]
    marks += [stop.longest_s for stop in serving if 0.0 < stop.longest_s < math.inf]
    low, high = math.log2(min(marks)) - _ROOM, math.log2(max(marks)) + _ROOM
    middle = math.log2(region.chosen[1])
    return max(low, middle - _MOST / 2), min(high, middle + _MOST / 2)


def _runs(region: ExposureRegion) -> list[list[StopLimits]]:
    """Serving stops that are neighbours, together."""
    runs: list[list[StopLimits]] = [[]]
    for stop in region.stops:
        if stop.serves:
            runs[-1].append(stop)
        elif runs[-1]:
            runs.append([])
    return [run for run in runs if run]
