"""Motion blur within a frame, told by its neighbours' spectra: a single frame cannot tell it from its content."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats

Grey = NDArray[np.float32]
SECTORS = 12
_TILE = 128
_BAND = (0.06, 0.30)  # cycles per pixel


def sector_powers(picture: Grey) -> Floats:
    """Mean log power in each of 12 directions of frequency, over the picture's tiles; shape (12,)."""
    rows, columns = picture.shape
    window = np.hanning(_TILE)[:, None] * np.hanning(_TILE)[None]
    fy, fx = np.meshgrid(np.fft.fftfreq(_TILE), np.fft.rfftfreq(_TILE), indexing="ij")
    radius = np.hypot(fx, fy)
    angle = np.degrees(np.arctan2(fy, fx)) % 180.0
    within = (radius > _BAND[0]) & (radius < _BAND[1])
    sector = np.floor(angle / (180.0 / SECTORS)).astype(int) % SECTORS
    total = np.zeros((_TILE, _TILE // 2 + 1))
    count = 0
    for top in range(0, rows - _TILE + 1, _TILE):
        for left in range(0, columns - _TILE + 1, _TILE):
            part = picture[top : top + _TILE, left : left + _TILE]
            spectrum = np.abs(np.fft.rfft2((part - part.mean()) * window)) ** 2
            total += spectrum
            count += 1
    if count == 0:
        return np.zeros(SECTORS)
    logs = np.log(total / count + 1e-12)
    return np.array([float(logs[within & (sector == k)].mean()) for k in range(SECTORS)])


def directed_loss(own: Floats, neighbours: list[Floats]) -> tuple[float, float]:
    """How much power is lost along one direction, in nepers, and that direction of motion in degrees.

    Half the swing of a cos 2θ fitted to the difference from the neighbours; motion along a direction takes the
    frequencies along it. Degrees clockwise from the picture's horizontal, 0 to 180.
    """
    difference = own - np.mean(neighbours, axis=0)
    theta = np.radians((np.arange(SECTORS) + 0.5) * 180.0 / SECTORS)
    cosine = 2.0 * float(np.mean(difference * np.cos(2 * theta)))
    sine = 2.0 * float(np.mean(difference * np.sin(2 * theta)))
    swing = float(np.hypot(cosine, sine))
    # The loss is deepest where the fit is most negative.
    deepest = 0.5 * np.degrees(np.arctan2(-sine, -cosine)) % 180.0
    return swing, float(deepest)


def blur_length_px(swing: float) -> float:
    """Length of an even motion whose power falls so much in the band, by sinc²; an estimate."""
    lengths = np.linspace(0.0, 12.0, 241)
    frequencies = np.linspace(*_BAND, 20)
    along = np.array([float(np.mean(np.log(np.sinc(frequencies * length) ** 2 + 1e-3))) for length in lengths])
    swings = -0.5 * along * 0.8
    return float(np.interp(swing, np.maximum.accumulate(swings), lengths))


def halved(picture: Grey) -> Grey:
    """Half as large, for frames of many pixels."""
    size = (picture.shape[1] // 2, picture.shape[0] // 2)
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.float32)
