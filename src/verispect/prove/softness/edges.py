"""Contrast by a slanted edge: the edge-based spatial frequency response of ISO 12233, on a block of linear light."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats

Grey = NDArray[np.float32]
_OVER = 4
_LEAST_STEP = 0.04
_TURNS_DEG = (2.0, 40.0)
# Light on one side of an edge may vary by so much of the step.
_MOST_UNEVEN = 0.12
# An edge alone explains so much of the block's variance. On path-traced scenes all that explained less (0.95 at the
# most: marks painted on boards, posts, streaks) gave a blur that was another's or nobody's.
_EXPLAINS = 0.97
_SIZE = 4096


@dataclass(frozen=True)
class Edge:
    """An edge found in a block.

    Attributes
    ----------
    offset_px : float
        How far it runs beside the block's middle, along its normal.
    angle_deg : float
        From the vertical, or from the horizontal for a lying one.
    lying : bool
    frequencies, response : ndarray, shape (F,)
        Cycles per pixel across the edge, and the contrast left, the pixel's own included.
    """

    offset_px: float
    angle_deg: float
    lying: bool
    frequencies: Floats
    response: Floats

    def at(self, frequency: float) -> float:
        """Contrast at a frequency in cycles per pixel."""
        return float(np.interp(frequency, self.frequencies, self.response))

    def frequency_of(self, share: float) -> float | None:
        """The first frequency at which the contrast has sunk to a share; None where it never does below 1."""
        below = np.flatnonzero(self.response < share)
        if below.size == 0 or below[0] == 0:
            return None
        k = int(below[0])
        a, b = self.response[k - 1], self.response[k]
        return float(
            self.frequencies[k - 1] + (a - share) / (a - b) * (self.frequencies[k] - self.frequencies[k - 1])
        )


def find_edge(block: Grey) -> Edge | None:
    """The straight edge through the middle of a block (n, n); None where there is none that can be measured."""
    upright = _edge(block, lying=False)
    lying = _edge(np.ascontiguousarray(block.T), lying=True)
    found = [edge for edge in (upright, lying) if edge is not None]
    return min(found, key=lambda edge: abs(edge.angle_deg), default=None)


def _edge(block: Grey, *, lying: bool) -> Edge | None:
    side = block.shape[0]
    half = (side - 1) / 2.0
    rows = np.arange(side) - half
    between = np.arange(side - 1) - half + 0.5
    slopes = np.diff(block.astype(float), axis=1)
    step = float(block[:, -side // 5 :].mean() - block[:, : side // 5].mean())
    if abs(step) < _LEAST_STEP or abs(step) < 0.15 * float(block.max()):
        return None
    slopes *= np.sign(step)
    line = np.array([0.0, 0.0])
    for width in (0.9, 0.45, 0.3):
        middle = np.polyval(line, rows)
        weight = np.exp(-(((between[None] - middle[:, None]) / (width * half)) ** 2)) * np.maximum(slopes, 0.0)
        total = weight.sum(axis=1)
        if np.any(total < 1e-9):
            return None
        centres = (weight * between[None]).sum(axis=1) / total
        line = np.polyfit(rows, centres, 1)
    angle = float(np.degrees(np.arctan(line[0])))
    misfit = float(np.std(centres - np.polyval(line, rows)))
    if not _TURNS_DEG[0] <= abs(angle) <= _TURNS_DEG[1] or misfit > 1.5 or abs(line[1]) > 0.3 * half:
        return None
    return _response(block, line, angle, abs(step), lying=lying)


def _response(block: Grey, line: Floats, angle_deg: float, step: float, *, lying: bool) -> Edge | None:
    side = block.shape[0]
    half = (side - 1) / 2.0
    at = np.arange(side) - half
    x, y = np.meshgrid(at, at)
    across = (x - (line[0] * y + line[1])) * _cos_deg(angle_deg)
    reach = int((half - abs(line[1]) - abs(line[0]) * half) * _OVER) - 2
    if reach < 8 * _OVER // 2:
        return None
    bins = np.round(across * _OVER).astype(int)
    inside = np.abs(bins) <= reach
    count = np.bincount(bins[inside] + reach, minlength=2 * reach + 1)
    total = np.bincount(bins[inside] + reach, weights=block[inside], minlength=2 * reach + 1)
    known = count > 0
    if known.mean() < 0.9:
        return None
    spread = np.interp(np.arange(2 * reach + 1), np.flatnonzero(known), total[known] / count[known])
    seen = block[inside]
    if float(np.var(seen - spread[bins[inside] + reach])) > (1.0 - _EXPLAINS) * float(np.var(seen)):
        return None
    ends = 2 * _OVER
    far = [spread[:ends], spread[-ends:]]
    if max(float(np.ptp(end)) for end in far) > _MOST_UNEVEN * step + 0.02:
        return None
    profile = np.diff(spread)
    spectrum = np.abs(np.fft.rfft(profile, _SIZE))
    frequencies = np.fft.rfftfreq(_SIZE) * _OVER
    # Differences and bins of a quarter pixel each take a sinc.
    response = spectrum / max(spectrum[0], 1e-12) / np.maximum(np.sinc(frequencies / _OVER) ** 2, 0.2)
    kept = frequencies <= 1.0
    return Edge(
        float(line[1]) * _cos_deg(angle_deg),
        angle_deg,
        lying,
        np.asarray(frequencies[kept], float),
        np.asarray(response[kept], float),
    )


def _cos_deg(degrees: float) -> float:
    """Cosine of an angle in degrees."""
    return float(np.cos(np.radians(degrees)))
