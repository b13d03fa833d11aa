"""An edge-based frequency response written for the tests alone (after ISO 12233): used to measure rehearsed cards."""

from __future__ import annotations

import numpy as np


def contrast_of_edge(
    picture: np.ndarray, row: float, column: float, frequency: float, half: int = 30
) -> tuple[float, float]:
    """Contrast at a frequency in cycles per pixel, and how far the edge runs beside the place, in pixels."""
    r0, c0 = round(row), round(column)
    patch = picture[r0 - half : r0 + half + 1, c0 - half : c0 + half + 1].astype(float)
    y, x = np.mgrid[-half : half + 1, -half : half + 1]
    y, x = y + (r0 - row), x + (c0 - column)
    slopes, between = np.diff(patch, axis=1), 0.5 * (x[:, 1:] + x[:, :-1])
    weight = np.hanning(slopes.shape[1])[None]
    centres = (slopes * weight * between).sum(1) / (slopes * weight).sum(1)
    slope, offset = np.polyfit(y[:, 0], centres, 1)
    weight = np.exp(-(((between - (slope * y[:, 1:] + offset)) / (0.5 * half)) ** 2))
    centres = (slopes * weight * between).sum(1) / (slopes * weight).sum(1)
    slope, offset = np.polyfit(y[:, 0], centres, 1)
    across = (x - (slope * y + offset)) * np.cos(np.arctan(slope))
    over = 4
    bins = np.round(across * over).astype(int)
    places = range(-half * over + 8, half * over - 7)
    spread = np.array([patch[bins == k].mean() if (bins == k).any() else np.nan for k in places])
    known = np.flatnonzero(~np.isnan(spread))
    spread = np.interp(np.arange(len(spread)), known, spread[known])
    response = np.abs(np.fft.rfft(np.diff(spread), 8192))
    frequencies = np.fft.rfftfreq(8192) * over
    response = response / response[0] / np.maximum(np.sinc(frequencies / over) ** 2, 0.2)
    return float(np.interp(frequency, frequencies, response)), float(offset)


def ideal_edge(
    shape: tuple[int, int], angle_deg: float, sigma_px: float, *, dark: float = 0.15, light: float = 0.75
) -> np.ndarray:
    """A Gaussian edge through the middle, sampled by square pixels (their means over 8 × 8 places)."""
    from scipy.special import ndtr

    fine = 8
    rows, columns = shape
    y = (np.arange(rows * fine) + 0.5) / fine - 0.5 - (rows - 1) / 2
    x = (np.arange(columns * fine) + 0.5) / fine - 0.5 - (columns - 1) / 2
    lean = np.radians(angle_deg)
    across = x[None] * np.cos(lean) + y[:, None] * np.sin(lean)
    whole = dark + (light - dark) * ndtr(across / sigma_px)
    return whole.reshape(rows, fine, columns, fine).mean((1, 3))
