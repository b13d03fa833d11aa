"""How often what was promised held: promised across, held up, a whisker for what so few jobs can tell."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from verispect.keep.lessons import Promise
from verispect.ui.controls.theme import LIGHT, Theme, colour, font
from verispect.ui.drawings.strokes import pen

_LEFT, _RIGHT, _TOP, _BOTTOM = 44.0, 14.0, 12.0, 36.0
_SHARES = (0.0, 0.25, 0.5, 0.75, 1.0)


class PromiseDiagram(QWidget):
    """Shows promises kept; on the slanting line they are worth what they say."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(240, 190)
        self.setAccessibleName(self.tr("Promised and held"))
        self._theme: Theme = LIGHT
        self.promises: tuple[Promise, ...] = ()

    def apply_theme(self, theme: Theme) -> None:
        """Take on a theme's colours."""
        self._theme = theme
        self.update()

    def show_promises(self, promises: tuple[Promise, ...]) -> None:
        """Take on what was promised and what held."""
        self.promises = promises
        self.setAccessibleDescription(
            "; ".join(
                self.tr("promised {0:.0f} of 100, {1} of {2} held").format(100.0 * p.promised, p.kept, p.jobs)
                for p in promises
            )
        )
        self.update()

    def place(self, promised: float, held: float) -> QPointF:
        """Where two shares lie on the widget."""
        width, height = self.width() - _LEFT - _RIGHT, self.height() - _TOP - _BOTTOM
        return QPointF(_LEFT + promised * width, _TOP + (1.0 - held) * height)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the axes, the line of promises kept, and each group of jobs."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(8.5))
        frame = QRectF(self.place(0.0, 1.0), self.place(1.0, 0.0))
        painter.fillRect(frame, colour(self._theme.field))
        self._axes(painter, frame)
        painter.setPen(pen(self._theme.faint, 1.2))
        painter.drawLine(self.place(0.0, 0.0), self.place(1.0, 1.0))
        for promise in self.promises:
            self._group(painter, promise)
        painter.setPen(pen(self._theme.line))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(frame)

    def _axes(self, painter: QPainter, frame: QRectF) -> None:
        metrics = QFontMetricsF(painter.font())
        painter.setPen(pen(self._theme.faint))
        for share in _SHARES:
            text = f"{100.0 * share:.0f}"
            across, up = self.place(share, 0.0), self.place(0.0, share)
            painter.drawText(QPointF(across.x() - 0.5 * metrics.horizontalAdvance(text), frame.bottom() + 14.0), text)
            painter.drawText(QPointF(frame.left() - 6.0 - metrics.horizontalAdvance(text), up.y() + 4.0), text)
        words = self.tr("promised, of 100")
        painter.drawText(QPointF(frame.right() - metrics.horizontalAdvance(words), frame.bottom() + 29.0), words)
        painter.drawText(QPointF(frame.left() + 6.0, frame.top() + 14.0), self.tr("held, of 100"))

    def _group(self, painter: QPainter, promise: Promise) -> None:
        low, high = self.place(promise.promised, promise.share.low), self.place(promise.promised, promise.share.high)
        painter.setPen(pen(self._theme.ink, 1.4))
        painter.drawLine(low, high)
        for end in (low, high):
            painter.drawLine(end + QPointF(-4.0, 0.0), end + QPointF(4.0, 0.0))
        painter.setPen(pen(self._theme.field, 2.0))
        painter.setBrush(colour(self._theme.sharp))
        middle = self.place(promise.promised, promise.share.value)
        painter.drawEllipse(middle, 5.0, 5.0)
        text = f"{promise.kept}/{promise.jobs}"
        metrics = QFontMetricsF(painter.font())
        left = promise.promised > 0.5
        x = middle.x() + (-10.0 - metrics.horizontalAdvance(text) if left else 10.0)
        painter.setPen(pen(self._theme.ink))
        painter.drawText(QPointF(x, middle.y() + 4.0), text)
