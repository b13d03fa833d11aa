"""The strip below: all methods at a glance, always current."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QHBoxLayout, QLabel, QSizePolicy, QWidget

from verispect.optics.f_stops import marked
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import METHOD_KEYS, method_of
from verispect.sentence import Sentence
from verispect.ui.controls.theme import Theme, colour, font
from verispect.ui.controls.translate import counted_frames, say

if TYPE_CHECKING:
    from verispect.plan.advise.weigh import Weighing

_FULL_BAR = 2.0


class MethodCell(QAbstractButton):
    """One method: its name, its burden, and a bar of its softest must against what is allowed."""

    def __init__(self, key: str) -> None:
        super().__init__()
        self.key = key
        self.setCheckable(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._theme: Theme | None = None
        self._name = say(Sentence(method_of(key).name))
        self._lines = ("", "")
        self._share = float("nan")
        self.advised = self.stale = self._holds = False
        self.setAccessibleName(self._name)

    def sizeHint(self) -> QSize:
        return QSize(150, 92)

    def minimumSizeHint(self) -> QSize:
        return QSize(120, 92)

    def apply_theme(self, theme: Theme) -> None:
        self._theme = theme
        self.update()

    def show_candidate(self, candidate: Candidate | None, *, advised: bool) -> None:
        """Take on a result."""
        self.advised = advised and candidate is not None
        self._share, self._holds = float("nan"), False
        self._lines = ("", "")
        if candidate is not None and not candidate.fits:
            self._lines = (self.tr("does not fit"), say(candidate.why_not[0]))
        elif candidate is not None:
            self._share, self._holds = candidate.worst_softness, candidate.holds
            self._lines = (_burden(candidate), _outcome(self, candidate))
        spoken = ", ".join(part for part in (self._name, *self._lines) if part)
        self.setAccessibleName(spoken + (self.tr(", advised") if self.advised else ""))
        self.setToolTip("\n".join(part for part in self._lines if part))
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        if self._theme is None:
            return
        theme = self._theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5)
        painter.setBrush(colour(theme.field if self.isChecked() else theme.panel))
        edge = theme.hand if self.hasFocus() else theme.ink if self.isChecked() else theme.line
        painter.setPen(QPen(colour(edge), 2.0 if self.isChecked() or self.hasFocus() else 1.0))
        painter.drawRect(area)
        painter.setPen(colour(theme.faint if self.stale else theme.ink))
        painter.setFont(font(11.0, 600))
        painter.drawText(area.adjusted(8, 4, -4, 0), Qt.AlignmentFlag.AlignTop, self._name)
        if self.advised:
            painter.setFont(font(9.0, 600))
            painter.setPen(colour(theme.sharp))
            painter.drawText(area.adjusted(8, 71, -4, 0), Qt.AlignmentFlag.AlignTop, self.tr("advised"))
        painter.setPen(colour(theme.faint if self.stale else theme.ink))
        painter.setFont(font(9.5))
        painter.drawText(area.adjusted(8, 23, -4, 0), Qt.AlignmentFlag.AlignTop, self._lines[0])
        self._paint_bar(painter, QRectF(area.left() + 8, area.top() + 44, area.width() - 16, 8), theme)
        painter.setPen(colour(theme.faint if self.stale else theme.ink))
        painter.setFont(font(9.0))
        if self._holds or not np.isnan(self._share):
            painter.drawText(area.adjusted(8, 55, -4, 0), Qt.AlignmentFlag.AlignTop, self._lines[1])
            return
        # Why it does not fit takes as many lines as there are.
        wrapped = Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
        painter.drawText(area.adjusted(8, 40, -4, -2), wrapped, self._lines[1])

    def _paint_bar(self, painter: QPainter, bar: QRectF, theme: Theme) -> None:
        """Softness from 0 to 2 with a tick at 1, where it is just acceptable."""
        if np.isnan(self._share):
            return
        painter.setPen(QPen(colour(theme.line), 1.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(bar)
        share = min(self._share / _FULL_BAR, 1.0)
        filled = QRectF(bar.left(), bar.top(), bar.width() * share, bar.height())
        painter.setPen(Qt.PenStyle.NoPen)
        if self._holds:
            painter.fillRect(filled, colour(theme.sharp))
        else:
            painter.fillRect(filled, QBrush(colour(theme.ink), Qt.BrushStyle.BDiagPattern))
        middle = bar.left() + bar.width() / _FULL_BAR
        painter.setPen(QPen(colour(theme.ink), 1.6))
        painter.drawLine(int(middle), int(bar.top() - 3), int(middle), int(bar.bottom() + 3))


def _burden(candidate: Candidate) -> str:
    minutes = candidate.time_on_site_s / 60.0
    shown = f"{minutes:.0f}" if minutes >= 10 else f"{minutes:.1f}"
    return f"{counted_frames(candidate.frame_count, candidate.shot_count)} · {shown} min"


def _outcome(widget: QWidget, candidate: Candidate) -> str:
    worst = candidate.worst_softness
    stop = f"f/{marked(candidate.exposures[0].state.f_number)}"
    if candidate.holds:
        return widget.tr("{0} · holds, {1:.2f}").format(stop, worst)
    if candidate.lost_marks:
        return widget.tr("{0} · {1} on no frame").format(stop, candidate.lost_marks[0])
    if candidate.is_sharp:
        count = len(candidate.beside)
        words = widget.tr("{0} · {1} must outside") if count == 1 else widget.tr("{0} · {1} musts outside")
        return words.format(stop, count)
    if not np.isfinite(worst):
        return widget.tr("{0} · detail too fine").format(stop)
    return widget.tr("{0} · {1:.2f}× too soft").format(stop, worst)


class Strip(QWidget):
    """All methods side by side; `chosen` says which was clicked."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(6, 4, 6, 4)
        layout.setSpacing(5)
        self.cells = {key: MethodCell(key) for key in METHOD_KEYS}
        for key, cell in self.cells.items():
            layout.addWidget(cell)
            cell.clicked.connect(lambda _checked, key=key: self.chosen.emit(key))
        self.missing = QLabel()
        self.missing.setWordWrap(True)
        self.missing.setTextFormat(Qt.TextFormat.PlainText)
        self.missing.setMinimumHeight(92)
        self.missing.setContentsMargins(12, 0, 12, 0)
        self.missing.hide()
        layout.addWidget(self.missing, 1)

    def apply_theme(self, theme: Theme) -> None:
        for cell in self.cells.values():
            cell.apply_theme(theme)

    def show_weighing(self, weighing: Weighing | None, shown_key: str | None, complaint: str = "") -> None:
        """Take on results; `shown_key` is drawn on the board. Where nothing can be weighed, say why."""
        self.missing.setText(self.tr("No method can be weighed yet. {0}").format(complaint))
        self.missing.setVisible(bool(complaint))
        for cell in self.cells.values():
            cell.setVisible(not complaint)
        for key, cell in self.cells.items():
            candidate = weighing.by_key(key) if weighing is not None else None
            cell.show_candidate(candidate, advised=weighing is not None and weighing.advised == key)
            cell.setChecked(key == shown_key)

    def set_stale(self, stale: bool) -> None:
        """Grey the figures while newer ones are being worked out."""
        for cell in self.cells.values():
            if cell.stale != stale:
                cell.stale = stale
                cell.update()
