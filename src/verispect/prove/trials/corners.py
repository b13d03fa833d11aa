"""What the corners of a test frame tell: whether the lens is centred, and its colour fringes."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.intake import Frame, linear_of, read_coded
from verispect.prove.trials.lens_test import Zone, edges_in, textured_blocks

_CORNERS = ("top left", "top right", "bottom left", "bottom right")
_SIDE = 64
# Edges and blocks of texture that a corner must have.
_LEAST_EDGES, _LEAST_BLOCKS, _LEAST_SHARE = 2, 4, 0.02
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)
# Sharpness by texture: detail between these, standard deviations in pixels.
_FINE, _COARSE = 0.7, 1.6


@dataclass(frozen=True)
class Corners:
    """One frame.

    Attributes
    ----------
    sharpness : dict
        Of each corner against the mean of all, by its name; what has too little to tell by is missing.
    softest, softer_by, plus_minus : str, float, float
        The corner that falls behind, by what share, and how surely (95 %).
    red_px, blue_px, fringe_plus_minus_px : float or None
        How much farther out than green each is drawn in the corners; None where nothing tells.
    how : str
        "edges" or "texture" for the sharpness.
    """

    sharpness: dict[str, float]
    softest: str
    softer_by: float
    plus_minus: float
    red_px: float | None
    blue_px: float | None
    fringe_plus_minus_px: float | None
    how: str


def corners_of(frame: Frame) -> Corners | None:
    """Both, of one frame; None where fewer than all four corners tell.

    A target that is itself richer in one corner tells so only by texture: edges are measured for themselves.
    """
    light = linear_of(read_coded(frame))
    grey = np.ascontiguousarray(light @ _LUMINANCE)
    quarters = _quarters(grey.shape)
    found = {name: edges_in(grey, Zone.CORNER, part) for name, part in quarters.items()}
    how = "edges"
    if not all(len(own) >= _LEAST_EDGES for own in found.values()):
        how = "texture"
        found = {name: _detail(grey, part) for name, part in quarters.items()}
        if not all(len(own) >= _LEAST_BLOCKS for own in found.values()):
            return None
    middles = {name: float(np.median(own)) for name, own in found.items()}
    mean = float(np.mean(list(middles.values())))
    softest = min(middles, key=middles.__getitem__)
    own = np.array(found[softest])
    spread = 1.4826 * float(np.median(np.abs(own - middles[softest])))
    red, blue, unsure = _fringes(light, grey)
    return Corners(
        {name: value / mean for name, value in middles.items()}, softest, 1.0 - middles[softest] / mean,
        max(1.96 * 1.253 * spread / np.sqrt(len(own)) / mean, _LEAST_SHARE), red, blue, unsure, how,
    )  # fmt: skip


def _quarters(shape: tuple[int, ...]) -> dict[str, tuple[slice, slice]]:
    rows, columns = (slice(0, shape[0] // 2), slice(shape[0] // 2, None)), (
        slice(0, shape[1] // 2), slice(shape[1] // 2, None)
    )  # fmt: skip
    parts = [(rows[0], columns[0]), (rows[0], columns[1]), (rows[1], columns[0]), (rows[1], columns[1])]
    return dict(zip(_CORNERS, parts, strict=True))


def _detail(grey: NDArray[np.float32], part: tuple[slice, slice]) -> list[float]:
    """Share of fine detail in what detail there is, of the blocks of a corner."""
    fine = cv2.GaussianBlur(grey, (0, 0), _FINE) - cv2.GaussianBlur(grey, (0, 0), _COARSE)
    whole = cv2.GaussianBlur(grey, (0, 0), _COARSE) - cv2.GaussianBlur(grey, (0, 0), 4.0 * _COARSE)
    found = []
    for i, j in textured_blocks(grey, Zone.CORNER, part, side=_SIDE):
        block = (slice(i, i + _SIDE), slice(j, j + _SIDE))
        found.append(float(fine[block].std() / max(float(whole[block].std()), 1e-9)))
    return found


def _fringes(
    light: NDArray[np.float32], grey: NDArray[np.float32]
) -> tuple[float | None, float | None, float | None]:
    """How much farther out red and blue are drawn than green, in the corners, pixels, and ±."""
    rows, columns = grey.shape
    middle = np.array([0.5 * (rows - 1), 0.5 * (columns - 1)])
    window = cv2.createHanningWindow((_SIDE, _SIDE), cv2.CV_32F)
    out: list[tuple[float, float]] = []
    whole = (slice(None), slice(None))
    for i, j in textured_blocks(grey, Zone.CORNER, whole, side=_SIDE, most=40):
        block = light[i : i + _SIDE, j : j + _SIDE]
        bands = [np.asarray(cv2.GaussianBlur(block[..., k], (0, 0), 0.8), np.float32) for k in range(3)]
        if min(float(band.std()) for band in bands) < 0.01:
            continue
        away = np.array([i, j]) + 0.5 * (_SIDE - 1) - middle
        direction = away / np.hypot(*away)
        shifts = []
        for channel in (0, 2):
            (across, down), _ = cv2.phaseCorrelate(_plain(bands[1]), _plain(bands[channel]), window)
            shifts.append(float(np.array([down, across]) @ direction))
        out.append((shifts[0], shifts[1]))
    if len(out) < _LEAST_BLOCKS:
        return None, None, None
    values = np.array(out)
    middles: Floats = np.median(values, axis=0)
    spread = 1.4826 * np.median(np.abs(values - middles), axis=0)
    return float(middles[0]), float(middles[1]), float(1.96 * 1.253 * spread.max() / np.sqrt(len(values)))


def _plain(band: NDArray[np.float32]) -> NDArray[np.float32]:
    """Of mean 0 and like strength, so that colours of the target weigh alike."""
    found: NDArray[np.float32] = ((band - band.mean()) / max(float(band.std()), 1e-6)).astype(np.float32)
    return found
