"""The movements as the hand will see them: from the side, from above, and from behind the camera."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QWidget

from verispect.plan.setting.mount import Mount
from verispect.ui.controls.theme import LIGHT, Theme, colour, font
from verispect.ui.drawings.strokes import pen

# A lean smaller than this would not be seen in a drawing: it is drawn so large, and written as it is.
_LEAST_DRAWN_DEG, _LEAST_DEG, _LEAST_MM = 7.0, 0.005, 0.05
# Pixels to a millimetre of shift, and the most that is drawn.
_PX_PER_MM, _MOST_PX = 1.6, 16.0
_HEIGHT = 112


class MovementDiagram(QWidget):
    """Shows a mount's settings; hidden where nothing is moved."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(_HEIGHT)
        self.setAccessibleName(self.tr("Movements"))
        self._theme: Theme = LIGHT
        self.mount: Mount | None = None
        self._rotating = False
        self.hide()

    def apply_theme(self, theme: Theme) -> None:
        """Take on a theme's colours."""
        self._theme = theme
        self.update()

    def show_mount(self, mount: Mount | None, *, rotating: bool = False) -> None:
        """Take on settings; None hides it."""
        self.mount, self._rotating = mount, rotating
        self.setVisible(mount is not None and bool(mount.says))
        if mount is not None:
            self.setAccessibleDescription("; ".join(str(line) for line in mount.says))
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the three views side by side."""
        mount = self.mount
        if mount is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(8.5))
        third = self.width() / 3.0
        # A tilt turned aside by a rotating mount is seen from the side of its own lean.
        turned = self._rotating and abs(mount.rotation_deg) >= 0.5
        side = self.tr("side, as turned") if turned else self.tr("from the side")
        self._view(painter, 0.0, third, side, lambda: self._bodies(painter, mount.tilt_deg, mount.back_tilt_deg, 0.0))
        swings = (0.0, 0.0) if turned else (mount.swing_deg, mount.back_swing_deg)
        self._view(painter, third, third, self.tr("from above"), lambda: self._bodies(painter, *swings, -90.0))
        self._view(painter, 2.0 * third, third, self.tr("from behind"), lambda: self._behind(painter, mount))

    def _view(self, painter: QPainter, left: float, width: float, title: str, draw: Callable[[], None]) -> None:
        painter.setPen(pen(self._theme.faint))
        painter.drawText(QRectF(left, 0.0, width, 16.0), Qt.AlignmentFlag.AlignHCenter, title)
        painter.save()
        painter.translate(left + 0.5 * width, 0.5 * _HEIGHT + 8.0)
        draw()
        painter.restore()

    def _bodies(self, painter: QPainter, lens_deg: float, back_deg: float, heading_deg: float) -> None:
        """A camera that looks right (or up, from above), its lens and back leaned."""
        painter.save()
        painter.rotate(heading_deg)
        painter.setPen(pen(self._theme.line, 1.0, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(-44.0, 0.0), QPointF(58.0, 0.0))
        # Positive leans the top forward, or faces right: both turn clockwise in these views.
        for at, half, lean, strong in ((-26.0, 24.0, back_deg, False), (8.0, 17.0, lens_deg, True)):
            painter.save()
            painter.translate(at, 0.0)
            moved = abs(lean) >= _LEAST_DEG
            painter.setPen(pen(self._theme.line, 1.0, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(0.0, -half - 6.0), QPointF(0.0, half + 6.0))
            painter.rotate(math.copysign(max(abs(lean), _LEAST_DRAWN_DEG), lean) if moved else 0.0)
            painter.setPen(pen(self._theme.hand if moved else self._theme.ink, 3.0))
            painter.drawLine(QPointF(0.0, -half), QPointF(0.0, half))
            if strong:
                painter.setPen(pen(self._theme.ink, 1.2))
                painter.setBrush(colour(self._theme.field))
                painter.drawPolygon(QPolygonF([QPointF(2, -13), QPointF(16, -15), QPointF(16, 15), QPointF(2, 13)]))
            painter.restore()
        painter.restore()
        lean = lens_deg if abs(lens_deg) >= _LEAST_DEG else back_deg
        if abs(lean) >= _LEAST_DEG:
            self._figure(
                painter, QPointF(0.0, 46.0) if heading_deg == 0.0 else QPointF(40.0, -4.0), f"{abs(lean):.2f}°"
            )

    def _behind(self, painter: QPainter, mount: Mount) -> None:
        """The sensor as it stands behind the lens, the lens's circle moved against it, its mark turned."""
        # To the left of the middle: the figures stand on the right.
        painter.translate(-18.0, 0.0)
        painter.setPen(pen(self._theme.line, 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(-27.0, -18.0, 54.0, 36.0))
        across, up = (max(-_MOST_PX, min(_MOST_PX, mm * _PX_PER_MM)) for mm in (mount.cross_mm, mount.rise_mm))
        painter.setPen(pen(self._theme.hand if math.hypot(across, up) > _LEAST_MM else self._theme.ink, 1.8))
        middle = QPointF(across, -up)
        painter.drawEllipse(middle, 30.0, 30.0)
        painter.drawLine(middle + QPointF(-4.0, 0.0), middle + QPointF(4.0, 0.0))
        painter.drawLine(middle + QPointF(0.0, -4.0), middle + QPointF(0.0, 4.0))
        if self._rotating:
            painter.save()
            painter.translate(middle)
            painter.rotate(mount.rotation_deg)
            painter.setBrush(colour(self._theme.hand))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawPolygon(QPolygonF([QPointF(0.0, -27.0), QPointF(-5.0, -36.0), QPointF(5.0, -36.0)]))
            painter.restore()
        told = [f"{abs(mount.rise_mm):.1f} mm {'↑' if mount.rise_mm > 0.0 else '↓'}"] if abs(up) > 0.0 else []
        told += [f"{abs(mount.cross_mm):.1f} mm {'→' if mount.cross_mm > 0.0 else '←'}"] if abs(across) > 0.0 else []
        told += (
            [f"{abs(mount.rotation_deg):.0f}° {'↻' if mount.rotation_deg > 0.0 else '↺'}"] if self._rotating else []
        )
        for line, text in enumerate(told):
            self._figure(painter, QPointF(72.0, -14.0 + 15.0 * line), text)

    def _figure(self, painter: QPainter, at: QPointF, text: str) -> None:
        width = QFontMetricsF(painter.font()).horizontalAdvance(text)
        painter.setPen(pen(self._theme.hand))
        painter.drawText(at - QPointF(0.5 * width, 0.0), text)
