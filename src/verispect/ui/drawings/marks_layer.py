"""Marks on a drawing: shape says the need, fill and number say the softness."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QFontMetricsF, QPainter, QPen, QPixmap, QPolygonF, QStaticText

from verispect.optics.types import Floats
from verispect.subject.mark import Need
from verispect.ui.controls.theme import THEMES, Theme, colour, pixel_font
from verispect.ui.drawings.view import View

_SIZE = 6.0
_MOST_LABELS = 60
# Above so many marks only the softest few are named, and halos are left out.
_MANY = 60
_LABELS_OF_MANY = 8
_SPRITE_PX = 20
# A mark with its halo and the square of the selected one stays within this.
_REACH_PX = 24.0
_FEW_MOVED = 12
_NEEDS = ("must", "should", "may", "soft")


@dataclass(frozen=True)
class DrawnMarks:
    """The marks of one drawing.

    Attributes
    ----------
    names, needs : sequence of str
    places : ndarray, shape (M, 2)
        In the drawing's units.
    softness : ndarray, shape (M,)
        NaN where unknown.
    selected : int
        -1 for none.
    beyond : dict of int to str
        What is said of marks that lie outside the drawing and are shown at its edge.
    """

    names: tuple[str, ...]
    needs: tuple[str, ...]
    places: Floats
    softness: Floats
    selected: int = -1
    beyond: dict[int, str] = field(default_factory=dict)


class _Label(NamedTuple):
    """Words at the foot (x, y) of their first letter, filling an area (left, top, width, height)."""

    foot: tuple[float, float]
    area: tuple[float, float, float, float]
    text: str

    def meets(self, other: tuple[float, float, float, float]) -> bool:
        left, top, width, height = self.area
        return (
            left < other[0] + other[2]
            and other[0] < left + width
            and top < other[1] + other[3]
            and other[1] < top + height
        )


class MarksLayer:
    """Marks and labels laid out in pixels, ready to be painted."""

    def __init__(self) -> None:
        self._marks: DrawnMarks | None = None
        self._theme = THEMES["light"]
        self._px: Floats = np.zeros((0, 2))
        self._labels: list[_Label] = []
        # All signs on nothing, and where they are out of date: None for everywhere.
        self._signs: QPixmap | None = None
        self._stale: list[QRectF] | None = None

    def show(self, marks: DrawnMarks | None, view: View, theme: Theme) -> list[QRectF] | None:
        """Lay these marks out in place of the ones before.

        Returns
        -------
        list of QRectF or None
            Where anything looks other than before, in pixels; None for everywhere.
        """
        before, before_px, before_labels, before_theme = self._marks, self._px, self._labels, self._theme
        self._marks, self._theme, self._labels = marks, theme, []
        self._px = np.zeros((0, 2)) if marks is None else view.to_px(marks.places)
        if marks is not None and len(marks.names):
            self._place_labels(marks, view)
        stale, self._stale = self._stale, None
        if before is None or marks is None or theme is not before_theme or before.needs != marks.needs:
            return None
        moved = np.any(before_px != self._px, axis=1)
        if len(moved) > _MANY:
            moved |= (before.softness <= 1.0) != (marks.softness <= 1.0)
        else:
            moved |= ~np.isclose(before.softness, marks.softness, rtol=1e-3, equal_nan=True)
        if before.selected != marks.selected:
            moved[[k for k in (before.selected, marks.selected) if 0 <= k < len(moved)]] = True
        if np.count_nonzero(moved) > _FEW_MOVED:
            return None
        places = [*before_px[moved].tolist(), *self._px[moved].tolist()]
        labels = set(before_labels) ^ set(self._labels)
        reach = _REACH_PX
        around = [QRectF(x - reach, y - reach, 2 * reach, 2 * reach) for x, y in places]
        self._stale = None if stale is None else stale + around
        return around + [QRectF(*label.area).adjusted(-2, -2, 2, 2) for label in labels]

    def nearest(self, x: float, y: float, reach_px: float) -> int:
        """The mark nearest a pixel, among those within reach and not beyond the edge; -1 for none."""
        if self._marks is None or not len(self._px):
            return -1
        apart = np.abs(self._px - (x, y)).sum(axis=1)
        apart[list(self._marks.beyond)] = np.inf
        best = int(np.argmin(apart))
        return best if apart[best] < reach_px else -1

    def place_px(self, index: int) -> tuple[float, float]:
        """Where a mark is in pixels."""
        return float(self._px[index, 0]), float(self._px[index, 1])

    def paint(self, painter: QPainter, size: QSize, *, within: QRectF | None = None, as_lines: bool = False) -> None:
        """Paint what was laid out for a canvas of a size, as far as it lies `within`.

        `as_lines` is for paper, where small pictures would be coarse.
        """
        marks = self._marks
        if marks is None or not len(self._px):
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if len(self._px) <= _MANY:
            self._paint_halos(painter, marks.softness)
        sharp = (marks.softness <= 1.0).tolist()
        if as_lines:
            for (x, y), need, is_sharp in zip(self._px.tolist(), marks.needs, sharp, strict=True):
                _paint_shape(painter, x, y, need, is_sharp, self._theme)
        else:
            self._paint_sprites(painter, size, marks.needs, sharp)
        if 0 <= marks.selected < len(self._px):
            x, y = self.place_px(marks.selected)
            painter.setPen(QPen(colour(self._theme.hand), 2.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(x - 10, y - 10, 20, 20))
        self._paint_labels(painter, within, as_lines)

    def _paint_halos(self, painter: QPainter, softness: Floats) -> None:
        """Rings that grow with the softness, so that it is seen without reading."""
        painter.setPen(QPen(colour(self._theme.ink, 150), 1.0, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for k in map(int, np.flatnonzero((softness > 1.0) & np.isfinite(softness))):
            radius = _SIZE + 3.0 * min(float(softness[k]), 5.0)
            painter.drawEllipse(QPointF(*self._px[k]), radius, radius)

    def _paint_sprites(self, painter: QPainter, size: QSize, needs: tuple[str, ...], sharp: list[bool]) -> None:
        """The signs, from a picture of them all in which only what has changed is put anew."""
        device = painter.device()
        ratio = device.devicePixelRatioF() if device is not None else 1.0
        if self._signs is None or self._signs.size() != size * ratio:
            self._signs, self._stale = QPixmap(size * ratio), None
            self._signs.setDevicePixelRatio(ratio)
            # Without this Qt gives a picture that cannot be seen through.
            self._signs.fill(Qt.GlobalColor.transparent)
        if self._stale is None or self._stale:
            on_signs = QPainter(self._signs)
            for area in [QRectF(0, 0, size.width(), size.height())] if self._stale is None else self._stale:
                self._paint_signs_in(on_signs, area, needs, sharp, ratio)
            on_signs.end()
            self._stale = []
        painter.drawPixmap(0, 0, self._signs)

    def _paint_signs_in(
        self, painter: QPainter, area: QRectF, needs: tuple[str, ...], sharp: list[bool], ratio: float
    ) -> None:
        area = QRectF(area.toAlignedRect())
        painter.setClipRect(area)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Source)
        painter.fillRect(area, Qt.GlobalColor.transparent)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)
        name = self._theme.name
        sprites = {
            (need, is_sharp): _sprite(need, is_sharp, name, ratio) for need in _NEEDS for is_sharp in (False, True)
        }
        corners = np.rint(self._px - 0.5 * _SPRITE_PX).astype(int)
        near, far = (area.left() - _SPRITE_PX, area.top() - _SPRITE_PX), (area.right(), area.bottom())
        places = corners.tolist()
        for k in np.flatnonzero(np.all((corners >= near) & (corners <= far), axis=1)).tolist():
            x, y = places[k]
            painter.drawPixmap(x, y, sprites[needs[k], sharp[k]])

    def _paint_labels(self, painter: QPainter, within: QRectF | None, as_lines: bool) -> None:
        painter.setFont(pixel_font(9.0))
        painter.setPen(colour(self._theme.ink))
        # A veil behind the words keeps them legible over lines and hatching.
        veil = colour(self._theme.field, 175)
        for label in self._labels:
            area = QRectF(*label.area)
            if within is not None and not area.intersects(within):
                continue
            painter.fillRect(area, veil)
            if as_lines:
                painter.drawText(QPointF(*label.foot), label.text)
            else:
                painter.drawStaticText(area.topLeft(), _static_text(label.text))

    def _place_labels(self, marks: DrawnMarks, view: View) -> None:
        """Find places for labels that cover neither one another nor, where there are few, a mark."""
        x, y = self._px[:, 0], self._px[:, 1]
        few = len(x) <= _MANY
        places = self._px.tolist()
        # The selected one first, then the softest; unknown counts as sharp.
        rank = np.where(np.isnan(marks.softness), 0.0, marks.softness)
        if 0 <= marks.selected < len(x):
            rank[marks.selected] = np.inf
        for k in np.argsort(-rank, kind="stable")[: _MOST_LABELS if few else _LABELS_OF_MANY].tolist():
            text = _label(marks.names[k], marks.beyond.get(k, ""), float(marks.softness[k]))
            width, height = _text_size(text)
            across, down = places[k]
            for dx, dy in ((9, 4), (9, -9), (9, 17), (-9 - width, 4), (-width / 2, -11), (-width / 2, 21)):
                area = (across + dx, down + dy - height * 0.8, width, height)
                if area[0] < view.area[0] or area[0] + width > view.area[1]:
                    continue
                if any(other.meets(area) for other in self._labels):
                    continue
                if few and _covers(area, x, y):
                    continue
                self._labels.append(_Label((across + dx, down + dy), area, text))
                break


def _covers(area: tuple[float, float, float, float], x: Floats, y: Floats) -> bool:
    """Whether an area comes within 5 px of any mark."""
    beside = (x > area[0] - 5) & (x < area[0] + area[2] + 5)
    return bool((beside & (y > area[1] - 5) & (y < area[1] + area[3] + 5)).any())


def _label(name: str, beyond: str, softness: float) -> str:
    tail = f" {beyond}" if beyond else ""
    if np.isnan(softness) or softness <= 1.0:
        return name + tail
    return f"{name}{tail}  {softness:.1f}×" if np.isfinite(softness) else f"{name}{tail}  ∞"


@lru_cache(maxsize=2000)
def _text_size(text: str) -> tuple[float, float]:
    metrics = QFontMetricsF(pixel_font(9.0))
    return metrics.horizontalAdvance(text), metrics.height()


@lru_cache(maxsize=500)
def _static_text(text: str) -> QStaticText:
    made = QStaticText(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.prepare(font=pixel_font(9.0))
    return made


@lru_cache(maxsize=64)
def _sprite(need: str, is_sharp: bool, theme: str, ratio: float) -> QPixmap:
    """A mark's sign as a small picture: hundreds are painted in the time of a few outlines."""
    made = QPixmap(round(_SPRITE_PX * ratio), round(_SPRITE_PX * ratio))
    made.setDevicePixelRatio(ratio)
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    _paint_shape(painter, 0.5 * _SPRITE_PX, 0.5 * _SPRITE_PX, need, is_sharp, THEMES[theme])
    painter.end()
    return made


def _paint_shape(painter: QPainter, x: float, y: float, need: str, is_sharp: bool, theme: Theme) -> None:
    outline = QPen(colour(theme.sharp if is_sharp else theme.ink), 1.6)
    if need in (Need.MAY, Need.SOFT):
        outline.setStyle(Qt.PenStyle.DotLine)
    painter.setPen(outline)
    painter.setBrush(QBrush(colour(theme.sharp if is_sharp else theme.field)))
    painter.drawPolygon(_SHAPES[need].translated(x, y))


def _shape(corners: list[tuple[float, float]], size: float) -> QPolygonF:
    return QPolygonF([QPointF(size * x, size * y) for x, y in corners])


_ROUND = [(math.cos(t * math.pi / 4), math.sin(t * math.pi / 4)) for t in range(8)]
# A must stands on its point, a should lies flat, the others are round-ish.
_SHAPES = {
    "must": _shape([(-1, -0.9), (1, -0.9), (0, 1.1)], _SIZE),
    "should": _shape([(-1, -0.8), (1, -0.8), (1, 0.8), (-1, 0.8)], _SIZE - 1.5),
    "may": _shape(_ROUND, _SIZE - 1.5),
    "soft": _shape(_ROUND, _SIZE - 1.5),
}
