"""Side by side: two methods, mark by mark, as bars against what is allowed."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QPainter, QPaintEvent, QPen, QShowEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from verispect.plan.assess.finest_detail import finest_detail_mm, pixels_per_mm
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import METHOD_KEYS, method_of
from verispect.sentence import Sentence
from verispect.ui.controls.theme import THEMES, Theme, colour, font
from verispect.ui.controls.translate import say
from verispect.ui.panels.stations.loupe import Loupe

if TYPE_CHECKING:
    from verispect.plan.advise.weigh import Weighing

_ROW_PX, _FULL = 46, 2.0
_NAMES_PX, _FIGURES_PX = 116, 156


class Bars(QWidget):
    """The bars of two candidates; laid out beforehand, painted from that."""

    def __init__(self) -> None:
        super().__init__()
        self._theme: Theme = THEMES["light"]
        self._names: list[str] = []
        self._values: list[list[tuple[float, str]]] = []
        self.setAccessibleName(self.tr("Softness of every mark"))

    def apply_theme(self, theme: Theme) -> None:
        """Take on a theme's colours."""
        self._theme = theme
        self.update()

    def show_two(self, candidates: list[Candidate | None]) -> None:
        """Lay out the bars of one or two methods; None or what does not fit leaves its place empty."""
        known = [candidate for candidate in candidates if candidate is not None]
        scene = known[0].scene if known else None
        self._names, self._values = [], []
        if scene is not None:
            count = scene.mark_count
            areas = [area.name for area in scene.areas]
            self._names = [*scene.names[:count], *areas]
            columns = [self._of(candidate) for candidate in candidates]
            self._values = [list(pair) for pair in zip(*columns, strict=True)]
        told = [
            f"{name}: " + " / ".join(words or "–" for _, words in pair)
            for name, pair in zip(self._names, self._values, strict=True)
        ]
        self.setAccessibleDescription("; ".join(told))
        self.setMinimumHeight(_ROW_PX * len(self._names) + 8)
        self.update()

    def _of(self, candidate: Candidate | None) -> list[tuple[float, str]]:
        """Softness of each mark and area, with words about it."""
        if candidate is None or candidate.rendering is None:
            return [(np.nan, "")] * len(self._names)
        scene, softness = candidate.scene, candidate.rendering.softness
        finest, pixels = finest_detail_mm(candidate), pixels_per_mm(candidate)
        found = []
        for k in range(scene.mark_count):
            value = float(softness[k])
            shown = f"{value:.2f}" if np.isfinite(value) else "∞"
            detail = self.tr("{0} · {1:.2g} mm · {2:.2g} px/mm").format(shown, float(finest[k]), float(pixels[k]))
            found.append((value, detail))
        for index in range(len(scene.areas)):
            mine = softness[scene.group == scene.mark_count + index]
            worst = float(mine.max()) if mine.size else np.nan
            share = 100.0 * float(np.mean(mine <= 1.0)) if mine.size else 0.0
            found.append((worst, self.tr("{0:.2f} · {1:.0f} % sharp").format(worst, share) if mine.size else ""))
        return found

    def sizeHint(self) -> QSize:
        return QSize(440, _ROW_PX * max(len(self._names), 1) + 8)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        wide = max(self.width() - _NAMES_PX - _FIGURES_PX - 16, 40)
        for row, (name, pair) in enumerate(zip(self._names, self._values, strict=True)):
            top = 4 + row * _ROW_PX
            painter.setPen(colour(theme.ink))
            painter.setFont(font(10.0))
            fitted = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, _NAMES_PX - 8)
            painter.drawText(QRectF(2, top, _NAMES_PX - 6, _ROW_PX), Qt.AlignmentFlag.AlignVCenter, fitted)
            for k, (value, words) in enumerate(pair):
                self._paint_bar(painter, QRectF(_NAMES_PX, top + 5 + 18 * k, wide, 13), value, second=k == 1)
                painter.setPen(colour(theme.ink))
                painter.setFont(font(8.5))
                area = QRectF(_NAMES_PX + wide + 8, top + 3 + 18 * k, _FIGURES_PX, 17)
                painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, words)

    def _paint_bar(self, painter: QPainter, bar: QRectF, value: float, *, second: bool) -> None:
        """From 0 to 2 with a line at 1; full where sharp enough, hatched where not; the second is thinner."""
        theme = self._theme
        if second:
            bar = bar.adjusted(0, 3, 0, -3)
        painter.setPen(QPen(colour(theme.line), 1.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(bar)
        if np.isnan(value):
            return
        filled = QRectF(bar.left(), bar.top(), bar.width() * min(value / _FULL, 1.0), bar.height())
        sharp = value <= 1.0
        painter.fillRect(
            filled, colour(theme.sharp) if sharp else QBrush(colour(theme.ink), Qt.BrushStyle.BDiagPattern)
        )
        middle = bar.left() + bar.width() / _FULL
        painter.setPen(QPen(colour(theme.ink), 1.4))
        painter.drawLine(int(middle), int(bar.top() - 2), int(middle), int(bar.bottom() + 2))


class BesidePage(QWidget):
    """Two boxes to choose the methods, and their bars."""

    def __init__(self) -> None:
        super().__init__()
        self._weighing: Weighing | None = None
        self.boxes = [QComboBox(), QComboBox()]
        for box, words in zip(self.boxes, (self.tr("First method"), self.tr("Second method")), strict=True):
            box.setAccessibleName(words)
            for key in METHOD_KEYS:
                box.addItem(say(Sentence(method_of(key).name)), key)
        self.boxes[1].setCurrentIndex(1)
        self.bars = Bars()
        self.figures = QLabel()
        for box in self.boxes:
            box.currentIndexChanged.connect(lambda _index: self._show())
        self.figures.setWordWrap(True)
        scroll = QScrollArea()
        scroll.setWidget(self.bars)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        note = QLabel(
            self.tr("Upper bar the first, lower the second; the line is what is just acceptable. Then the softness, "
                    "the finest detail and the final pixels to a mm on the mark itself.")
        )  # fmt: skip
        note.setWordWrap(True)
        note.setProperty("quiet", True)
        row = QHBoxLayout()
        for box in self.boxes:
            row.addWidget(box, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.addLayout(row)
        layout.addWidget(self.figures)
        layout.addWidget(scroll, 1)
        layout.addWidget(note)
        self.loupe = Loupe()
        layout.addWidget(self.loupe)

    def apply_theme(self, theme: Theme) -> None:
        """Take on a theme's colours."""
        self.bars.apply_theme(theme)

    def pair(self) -> list[Candidate]:
        """The two methods in front; none where nothing is weighed."""
        if self._weighing is None:
            return []
        return [self._weighing.by_key(str(box.currentData())) for box in self.boxes]

    def show_weighing(self, weighing: Weighing | None) -> None:
        """Take on results."""
        self._weighing = weighing
        if self.isVisible():
            self._show()

    def showEvent(self, _event: QShowEvent | None) -> None:
        self._show()

    def _show(self) -> None:
        from verispect.plan.explain.comparison import COLUMNS, comparison, written

        if self._weighing is None:
            self.bars.show_two([])
            self.loupe.show_marks([])
            self.figures.setText("")
            return
        keys = [str(box.currentData()) for box in self.boxes]
        pair = [self._weighing.by_key(key) for key in keys]
        self.bars.show_two(list(pair))
        self.loupe.show_marks(pair)
        rows = {row.key: row for row in comparison(self._weighing)}
        first, second = (rows[key] for key in keys)
        differ = []
        for column in COLUMNS:
            one, two = written(column, first), written(column, second)
            if one != two:
                differ.append(f"{say(column.title)} {one or '–'} / {two or '–'} {column.unit}".rstrip())
        states = f"{say(first.state)} / {say(second.state)}"
        self.figures.setText(" · ".join([states, *differ]))
