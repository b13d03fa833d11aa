"""Powers of a picture's tiles by ring and direction of frequency: what defocus takes evenly, motion along one way."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.softness.half_power import half_powers

Grey = NDArray[np.float32]
SECTORS = 12
# Rings of frequency, cycles a pixel.
EDGES: Floats = np.geomspace(0.05, 0.36, 9)
MIDDLES = np.sqrt(EDGES[1:] * EDGES[:-1])
_TILE = 128
# So many are transformed at a time.
_AT_ONCE = 16
_ABOVE_NOISE = 3.0
# Tiles of pictures up to so many pixels lie half over one another.
_FEW_PIXELS = 2_500_000


def sector_powers(
    picture: Grey,
    shown: NDArray[np.bool_] | None = None,
    *,
    grain: float = 0.0,
) -> Floats:
    """Log powers of a picture's tiles by ring and direction of frequency, shape (tiles, rings, 12).

    NaN where a tile lies not wholly in what is `shown`, and where its power is little more than its noise, which is
    that of the finest frequencies, or `grain` as a share of the tile's light where that is more. Even
    defocus takes as much from every direction of a ring, whatever the content; motion does not.
    """
    tiles = tile_powers(picture, shown)
    return above(tiles.power, np.maximum(tiles.noise, grain**2 * tiles.light)[:, None, None])


class TilePowers(NamedTuple):
    """Of a picture's tiles: mean power by ring and direction of frequency, of the finest frequencies, of its light.

    Shapes (tiles, rings, 12), (tiles,), (tiles,); NaN where a tile lies not wholly in what is shown.
    """

    power: NDArray[np.float32]
    noise: Floats
    light: Floats


def above(power: NDArray[np.floating], noise: Floats) -> Floats:
    """Log powers less their noise; NaN where they are little more."""
    with np.errstate(invalid="ignore"):
        logs = np.log(np.maximum(power - noise, 1e-15))
        return np.where(power <= _ABOVE_NOISE * noise, np.nan, logs)


def tile_powers(picture: Grey, shown: NDArray[np.bool_] | None = None) -> TilePowers:
    """The powers of a picture's tiles as they are, with their noise."""
    rows, columns = picture.shape
    step = _TILE // 2 if picture.size <= _FEW_PIXELS else _TILE
    window = np.asarray(np.hanning(_TILE)[:, None] * np.hanning(_TILE)[None], np.float32)
    fy, fx = np.meshgrid(np.fft.fftfreq(_TILE), np.fft.rfftfreq(_TILE), indexing="ij")
    radius = np.hypot(fx, fy)
    sector = np.floor((np.degrees(np.arctan2(fy, fx)) % 180.0) / (180.0 / SECTORS)).astype(int) % SECTORS
    ring = np.searchsorted(EDGES, radius) - 1
    within = (ring >= 0) & (ring < len(EDGES) - 1)
    many = (len(EDGES) - 1) * SECTORS
    inside, outer = np.flatnonzero(within), np.flatnonzero(radius > 0.47)
    bins = (ring * SECTORS + sector).ravel()[inside]
    count = np.maximum(np.bincount(bins, minlength=many), 1)
    whole = float((window**2).sum())
    means = np.zeros((len(inside), many), np.float32)
    means[np.arange(len(inside)), bins] = 1.0 / count[bins]
    places = [(top, left) for top in range(0, rows - _TILE + 1, step) for left in range(0, columns - _TILE + 1, step)]
    wanted = [k for k, (top, left) in enumerate(places)
              if shown is None or shown[top : top + _TILE, left : left + _TILE].all()]  # fmt: skip
    power = np.full((len(places), many), np.nan, np.float32)
    noise, light = np.full(len(places), np.nan), np.full(len(places), np.nan)
    for first in range(0, len(wanted), _AT_ONCE):
        some = wanted[first : first + _AT_ONCE]
        parts = np.stack([picture[top : top + _TILE, left : left + _TILE] for top, left in (places[k] for k in some)])
        level = parts.mean(axis=(1, 2), keepdims=True)
        # In single precision, which is far finer than the noise of any frame.
        spectrum = half_powers((parts - level) * window).reshape(len(some), -1)
        power[some] = spectrum[:, inside] @ means
        noise[some] = spectrum[:, outer].mean(axis=1)
        light[some] = whole * level[:, 0, 0].astype(float) ** 2
    return TilePowers(power.reshape(len(places), len(EDGES) - 1, SECTORS), noise, light)
