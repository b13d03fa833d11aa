"""Posts before a wall, six frames of it by even discs from near to far, and what is really there.

Light is added as it falls: of the wall what the posts' blur leaves of it. No lens of the program has a part in it.
"""

from __future__ import annotations

import cv2
import numpy as np

from verispect.prove.merge.unveil import Focusing

# The posts are sharp in the first frame, the wall in the last; between them 20 pixels of blur.
FOCUSING = Focusing((52.0, 51.8, 51.6, 51.4, 51.2, 51.0), 20.0)


def even_disc(diameter: float) -> np.ndarray:
    """By hand: pixels whose centres lie within, of a picture eight times as large, made small."""
    if diameter < 0.5:
        return np.ones((1, 1), np.float32)
    side = int(np.ceil(diameter)) // 2 * 2 + 3
    fine = (np.arange(side * 8) - (side * 8 - 1) / 2) / 8
    there = (fine[:, None] ** 2 + fine[None] ** 2 <= diameter**2 / 4).astype(np.float32)
    small = cv2.resize(there, (side, side), interpolation=cv2.INTER_AREA)
    return small / small.sum()


def spread(values: np.ndarray, diameter: float) -> np.ndarray:
    return cv2.filter2D(values, -1, even_disc(diameter), borderType=cv2.BORDER_REFLECT_101)


def coded(light: np.ndarray) -> np.ndarray:
    """Half the range of 16 bits, as frames are merged."""
    light = np.clip(light, 0.0, 1.0)
    curve = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
    return np.round(curve * 32767.0).astype(np.int16)


def posts_before_a_wall(
    shape: tuple[int, int], *, seed: int, width: int = 9, apart: int = 90
) -> tuple[list[np.ndarray], np.ndarray]:
    """Frames and the truth (rows, columns, 3); posts are dark and stand upright."""
    rng = np.random.default_rng(seed)
    high, wide = shape

    def textured(level: float, by: float) -> np.ndarray:
        grain = sum(
            cv2.resize(rng.normal(0, 1, (high // s + 2, wide // s + 2, 3)).astype(np.float32), (wide, high),
                       interpolation=cv2.INTER_CUBIC) * np.float32(w)
            for s, w in ((2, 0.6), (5, 0.8), (20, 1.0))
        )  # fmt: skip
        return np.clip(level + by * grain, 0.01, 0.95).astype(np.float32)

    wall, post = textured(0.45, 0.25), textured(0.12, 0.03)
    there = np.zeros((high, wide, 1), np.float32)
    for left in range(apart // 2, wide - width, apart):
        there[:, left : left + width] = 1.0
    frames = []
    for image in FOCUSING.image_mm:
        near, far = (abs(image - at) * FOCUSING.px_per_mm for at in (FOCUSING.image_mm[0], FOCUSING.image_mm[-1]))
        share = spread(there[..., 0], near)[..., None]
        light = spread(wall, far) * (1.0 - share) + spread(post * there, near)
        noise = rng.normal(0, 0.002, light.shape).astype(np.float32)
        frames.append(coded(light + noise))
    return frames, coded(post * there + wall * (1.0 - there))
