"""Pictures of the tests' own: things at many distances, blurred by a Gaussian as far as they are out of focus."""

from __future__ import annotations

import itertools

import cv2
import numpy as np

SIZE = (360, 240)
_DEPTHS = 9


def scene(seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Linear light (240, 360) and the place in depth of every pixel, 0 to 8."""
    rng = np.random.default_rng(seed)
    wide, high = SIZE
    light = np.full((high, wide), 0.3, np.float32)
    for side in (4, 8, 16, 32, 64, 128):
        coarse = rng.normal(0.0, 1.0, (side, side + side // 2)).astype(np.float32)
        light += 0.03 * cv2.resize(coarse, (wide, high), interpolation=cv2.INTER_CUBIC)
    depth = np.zeros((high, wide), int)
    for number, (row, column) in enumerate(itertools.product(range(6), range(9))):
        depth[40 * row : 40 * row + 40, 40 * column : 40 * column + 40] = rng.permutation(_DEPTHS)[number % _DEPTHS]
        light[40 * row : 40 * row + 40, 40 * column : 40 * column + 40] *= rng.uniform(0.4, 1.6)
    return np.clip(light, 0.02, 1.0), depth


def focused(seed: int, place: float, *, aside_px: int = 0, noise: int | None = None) -> np.ndarray:
    """The scene as a frame focused at a place in depth shows it, with noise of its own where it is asked."""
    light, depth = scene(seed)
    found = np.zeros_like(light)
    for one in range(_DEPTHS):
        sigma = 0.45 * abs(one - place)
        blurred = light if sigma < 0.05 else cv2.GaussianBlur(light, (0, 0), sigma)
        found = np.where(depth == one, blurred, found)
    found = np.roll(found, aside_px, axis=1)
    if noise is not None:
        found = found * (1.0 + np.random.default_rng(noise).normal(0.0, 0.005, found.shape))
    return np.asarray(found, np.float32)
