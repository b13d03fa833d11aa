"""The mapping between a drawing's units and the pixels it is shown in, and round numbers along its axes."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from verispect.optics.types import Floats

Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class View:
    """A box of the drawing shown in a box of pixels; both scales are the same for drawings that are square.

    Attributes
    ----------
    box : (left, right, bottom, top)
        In the drawing's units.
    area : (left, right, top, bottom)
        In pixels, downwards.
    """

    box: Box
    area: Box

    @property
    def unit_per_px(self) -> tuple[float, float]:
        """Drawing units to a pixel, across and up."""
        return (
            (self.box[1] - self.box[0]) / max(self.area[1] - self.area[0], 1.0),
            (self.box[3] - self.box[2]) / max(self.area[3] - self.area[2], 1.0),
        )

    def to_px(self, places: Floats) -> Floats:
        """Drawing places (..., 2) in pixels."""
        across, up = self.unit_per_px
        found: Floats = np.empty(np.shape(places))
        found[..., 0] = self.area[0] + (places[..., 0] - self.box[0]) / across
        found[..., 1] = self.area[3] - (places[..., 1] - self.box[2]) / up
        return found

    def from_px(self, x: float, y: float) -> tuple[float, float]:
        """A pixel as a drawing place."""
        across, up = self.unit_per_px
        return self.box[0] + (x - self.area[0]) * across, self.box[2] + (self.area[3] - y) * up

    def holds_px(self, x: float, y: float) -> bool:
        """Whether a pixel lies in the drawing, not on its axes."""
        return self.area[0] <= x <= self.area[1] and self.area[2] <= y <= self.area[3]

    def moved(self, dx_px: float, dy_px: float) -> Box:
        """The box after the paper is moved by so many pixels."""
        across, up = dx_px * self.unit_per_px[0], dy_px * self.unit_per_px[1]
        left, right, bottom, top = self.box
        return left - across, right - across, bottom + up, top + up

    def zoomed(self, times: float, about: tuple[float, float] | None = None) -> Box:
        """The box `times` as large, a place of the drawing staying where it is."""
        left, right, bottom, top = self.box
        x, y = about if about is not None else (0.5 * (left + right), 0.5 * (bottom + top))
        return x + (left - x) * times, x + (right - x) * times, y + (bottom - y) * times, y + (top - y) * times


def squared(box: Box, area: Box) -> Box:
    """The box widened or heightened about its middle until both scales are the same."""
    left, right, bottom, top = box
    wide, high = max(area[1] - area[0], 1.0), max(area[3] - area[2], 1.0)
    unit = max((right - left) / wide, (top - bottom) / high)
    x, y = 0.5 * (left + right), 0.5 * (bottom + top)
    return x - 0.5 * unit * wide, x + 0.5 * unit * wide, y - 0.5 * unit * high, y + 0.5 * unit * high


def ticks(first: float, last: float, *, most: int) -> list[tuple[float, str]]:
    """Round values from `first` to `last`, some `most` of them at the most, with how they are written.

    Examples
    --------
    >>> ticks(0.0, 1.0, most=6)
    [(0.0, '0'), (0.2, '0.2'), (0.4, '0.4'), (0.6, '0.6'), (0.8, '0.8'), (1.0, '1')]
    """
    span = last - first
    if not (math.isfinite(span) and span > 0.0):
        return []
    rough = span / most
    power = 10.0 ** math.floor(math.log10(rough))
    step = next(times * power for times in (1.0, 2.0, 5.0, 10.0) if times * power >= rough * (1.0 - 1e-9))
    begin, end = math.ceil(first / step - 1e-9), math.floor(last / step + 1e-9)
    return [(round(k * step, 12), f"{round(k * step, 12):.10g}") for k in range(begin, end + 1)]
