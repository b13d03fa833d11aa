"""Powers of a picture's tiles by ring and direction of frequency: what defocus takes evenly, motion along one way."""

from __future__ import annotations

from functools import cache
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
TILE = 128
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
    return logs_of(tile_powers(picture, shown), grain=grain)


class TilePowers(NamedTuple):
    """Of a picture's tiles: mean power by ring and direction of frequency, of the finest frequencies, of its light.

    Shapes (tiles, rings, 12), (tiles,), (tiles,); NaN where a tile lies not wholly in what is shown.
    """

    power: NDArray[np.float32]
    noise: Floats
    light: Floats


def logs_of(tiles: TilePowers, *, grain: float = 0.0) -> Floats:
    """Log powers of tiles, as `sector_powers` has them."""
    return above(tiles, np.maximum(tiles.noise, grain**2 * tiles.light)[:, None, None])


def above(tiles: TilePowers, noise: Floats) -> Floats:
    """Log powers less their noise, against the tile's light; NaN where they are little more.

    So a frame of another exposure has lost nothing by that.
    """
    with np.errstate(invalid="ignore"):
        logs = np.log(np.maximum(tiles.power - noise, 1e-15)) - np.log(np.maximum(tiles.light, 1e-9))[:, None, None]
        return np.where(tiles.power <= _ABOVE_NOISE * noise, np.nan, logs)


def tile_powers(picture: Grey, shown: NDArray[np.bool_] | None = None) -> TilePowers:
    """The powers of a picture's tiles as they are, with their noise."""
    rows, columns = picture.shape
    step = TILE // 2 if picture.size <= _FEW_PIXELS else TILE
    places = [(top, left) for top in range(0, rows - TILE + 1, step) for left in range(0, columns - TILE + 1, step)]
    wanted = [k for k, (top, left) in enumerate(places)
              if shown is None or shown[top : top + TILE, left : left + TILE].all()]  # fmt: skip
    power = np.full((len(places), len(MIDDLES), SECTORS), np.nan, np.float32)
    noise, light = np.full(len(places), np.nan), np.full(len(places), np.nan)
    for first in range(0, len(wanted), _AT_ONCE):
        some = wanted[first : first + _AT_ONCE]
        parts = np.stack([picture[top : top + TILE, left : left + TILE] for top, left in (places[k] for k in some)])
        power[some], noise[some], light[some] = powers_of(parts)
    return TilePowers(power, noise, light)


def powers_of(tiles: Grey) -> TilePowers:
    """The powers of tiles (tiles, 128, 128)."""
    rule = _rule()
    level = tiles.mean(axis=(1, 2), keepdims=True)
    # In single precision, which is far finer than the noise of any frame.
    spectrum = half_powers((tiles - level) * rule.window).reshape(len(tiles), -1)
    power = (spectrum[:, rule.inside] @ rule.means).reshape(len(tiles), len(MIDDLES), SECTORS)
    noise = spectrum[:, rule.outer].mean(axis=1).astype(float)
    return TilePowers(power, noise, rule.whole * level[:, 0, 0].astype(float) ** 2)


class _Rule(NamedTuple):
    """The window of a tile and its sum; places of its plane that count, their means, and those of the noise."""

    window: Grey
    whole: float
    inside: NDArray[np.intp]
    means: Grey
    outer: NDArray[np.intp]


@cache
def _rule() -> _Rule:
    window = np.asarray(np.hanning(TILE)[:, None] * np.hanning(TILE)[None], np.float32)
    fy, fx = np.meshgrid(np.fft.fftfreq(TILE), np.fft.rfftfreq(TILE), indexing="ij")
    radius = np.hypot(fx, fy)
    sector = np.floor((np.degrees(np.arctan2(fy, fx)) % 180.0) / (180.0 / SECTORS)).astype(int) % SECTORS
    ring = np.searchsorted(EDGES, radius) - 1
    inside = np.flatnonzero((ring >= 0) & (ring < len(MIDDLES)))
    bins = (ring * SECTORS + sector).ravel()[inside]
    many = len(MIDDLES) * SECTORS
    means = np.zeros((len(inside), many), np.float32)
    means[np.arange(len(inside)), bins] = 1.0 / np.maximum(np.bincount(bins, minlength=many), 1)[bins]
    return _Rule(window, float((window**2).sum()), inside, means, np.flatnonzero(radius > 0.47))
