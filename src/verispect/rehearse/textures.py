"""Procedural textures: seeded, tileable, in linear reflectance; detail at every scale and none of it borrowed."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

Texels = NDArray[np.float32]
Mip = NDArray[np.uint16]
# One step of a texture that is ready to be drawn; reflectance up to 2 can be told.
UNIT = 2.0**-15
# Side of a tile, a power of two so that its mips tile too.
SIDE = 1024
# Amplitude falls with frequency to this power, so that every octave carries nearly as much.
_SLOPE = 0.95


@lru_cache(maxsize=4)
def _noise(stretch: float) -> Texels:
    return _spectral(7, side=SIDE, stretch=stretch)


def noise(seed: int, *, stretch: float = 1.0) -> Texels:
    """Tileable noise (SIDE, SIDE) of mean 0 and deviation 1: the same field, begun elsewhere for every seed."""
    rows, columns = np.random.default_rng(seed).integers(0, SIDE, 2)
    return np.roll(_noise(stretch), (int(rows), int(columns)), (0, 1))


def _spectral(seed: int, *, side: int, stretch: float) -> Texels:
    """Tileable noise of mean 0 and standard deviation 1, shape (side, side); `stretch` lengthens it along columns."""
    rng = np.random.default_rng(seed)
    fy, fx = np.meshgrid(np.fft.fftfreq(side), np.fft.rfftfreq(side), indexing="ij")
    radius = np.hypot(fy * stretch, fx / stretch)
    radius[0, 0] = np.inf
    shape = radius.shape
    spectrum = (rng.standard_normal(shape) + 1j * rng.standard_normal(shape)) / radius**_SLOPE
    found = np.fft.irfft2(spectrum, s=(side, side))
    even: Texels = ((found - found.mean()) / found.std()).astype(np.float32)
    return even


def _toned(tone: tuple[float, float, float], grain: Texels, amount: float) -> Texels:
    """A colour modulated by grain, as four channels, the last of no use but speed."""
    level = np.clip(1.0 + amount * grain, 0.08, 2.6)
    picture = np.empty((*grain.shape, 4), np.float32)
    for channel, part in enumerate(tone):
        picture[..., channel] = np.clip(part * level, 0.01, 0.92)
    picture[..., 3] = 1.0
    return picture


@lru_cache(maxsize=32)
def paving(seed: int) -> Texels:
    """Slabs with joints and gravelly grain."""
    picture = _toned((0.30, 0.29, 0.27), noise(seed), 0.34)
    rng = np.random.default_rng(seed + 1)
    step = SIDE // 4
    for row in range(4):
        shift = (row % 2) * step // 2
        for column in range(4):
            tone = float(rng.uniform(0.75, 1.25))
            rows = slice(row * step, (row + 1) * step)
            columns = (np.arange(column * step, (column + 1) * step) + shift) % SIDE
            picture[rows, columns, :3] *= tone
            picture[rows, columns[:5], :3] *= 0.3
        picture[row * step : row * step + 5, :, :3] *= 0.3
    return picture


@lru_cache(maxsize=32)
def bricks(seed: int) -> Texels:
    """Courses of bricks with jittered tone and pale mortar."""
    grain = noise(seed)
    picture = _toned((0.34, 0.20, 0.15), grain, 0.22)
    mortar = _toned((0.52, 0.50, 0.46), grain, 0.12)
    rng = np.random.default_rng(seed + 2)
    high, wide, joint = SIDE // 16, SIDE // 8, 6
    for row in range(16):
        shift = (row % 2) * wide // 2
        for column in range(8):
            tone = rng.uniform(0.65, 1.35) * rng.uniform(0.94, 1.06, 3)
            rows = slice(row * high + joint, (row + 1) * high)
            columns = (np.arange(column * wide + joint, (column + 1) * wide) + shift) % SIDE
            mortar[rows, columns] = picture[rows, columns] * np.append(tone, 1.0).astype(np.float32)
    return mortar


@lru_cache(maxsize=32)
def planks(seed: int) -> Texels:
    """Boards side by side, their grain along the rows."""
    picture = _toned((0.36, 0.27, 0.18), noise(seed, stretch=4.0), 0.3)
    rng = np.random.default_rng(seed + 3)
    wide = SIDE // 6
    for board in range(6):
        columns = slice(board * wide, (board + 1) * wide)
        picture[:, columns, :3] *= float(rng.uniform(0.7, 1.3))
        picture[:, board * wide : board * wide + 6, :3] *= 0.25
    return picture


@lru_cache(maxsize=32)
def plaster(seed: int) -> Texels:
    """A pale rough wall."""
    return _toned((0.55, 0.52, 0.46), noise(seed), 0.22)


@lru_cache(maxsize=4)
def sky(seed: int) -> Texels:
    """A bright, nearly even backdrop with faint structure."""
    return _toned((0.55, 0.60, 0.66), noise(seed, stretch=0.5), 0.05)


@lru_cache(maxsize=64)
def placard(seed: int) -> Texels:
    """A board with rows of random capitals in four sizes."""
    rng = np.random.default_rng(seed)
    grain = noise(seed + 5)
    picture = _toned((0.62, 0.60, 0.55), grain, 0.06)
    letters = np.ones((SIDE, SIDE), np.uint8) * 255
    y = 30
    for size in (6.0, 3.0, 1.5, 0.8) * 2:
        height = int(30 * size)
        text = "".join(chr(65 + int(k)) for k in rng.integers(0, 26, 60))
        cv2.putText(letters, text, (8, y + int(22 * size)), cv2.FONT_HERSHEY_SIMPLEX, size, 0, max(1, int(2 * size)))
        y += height
    picture[..., :3] *= np.maximum(letters.astype(np.float32)[..., None] / 255.0, 0.12)
    return picture


_BY_KIND = {
    "floor": paving,
    "table": planks,
    "slope": paving,
    "wall": bricks,
    "facade": plaster,
    "box": planks,
    "ground": paving,
    "backdrop": sky,
    "placard": placard,
}
# So many of a kind differ; beyond they come again.
_DIFFERENT = 3


@lru_cache(maxsize=32)
def mips_of(kind: str, number: int) -> list[Mip]:
    """The texture of a kind of thing and its halves; made once."""
    return mips(_BY_KIND[kind](number))


def painted(kind: str, number: int, seed: int) -> list[Mip]:
    """The texture of the number-th thing of a kind, of few that differ (placards all do)."""
    most = 64 if kind == "placard" else _DIFFERENT
    return mips_of(kind, (number + seed) % most)


def mips(texels: Texels) -> list[Mip]:
    """The texture and its halves down to one texel, by exact means of 2 × 2, as whole numbers of `UNIT`.

    In 16 bits they take half the memory of floats, and a third of the time to be moved and half to be summed.
    """
    found = [texels]
    while found[-1].shape[0] > 1:
        half = (found[-1].shape[1] // 2, found[-1].shape[0] // 2)
        found.append(np.asarray(cv2.resize(found[-1], half, interpolation=cv2.INTER_AREA), np.float32))
    return [(mip * np.float32(1.0 / UNIT) + np.float32(0.5)).astype(np.uint16) for mip in found]
