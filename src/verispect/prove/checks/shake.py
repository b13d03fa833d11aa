"""Motion blur within a frame, told by its neighbours' spectra: a single frame cannot tell it from its content."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from verispect.optics.types import Floats

Grey = NDArray[np.float32]
# Parts of a loss along the cosine and the sine of twice its direction, nepers.
Loss = tuple[float, float]
SECTORS = 12
_TILE = 128
_BAND = (0.06, 0.30)  # cycles per pixel
_EDGES = np.geomspace(*_BAND, 7)
_ABOVE_NOISE = 3.0
# Rings of tiles that must be above the noise in both frames, for an answer.
_LEAST_BINS = 12
# Motion takes from the coarsest ring, and from all in the middle, about as much evenly as along its direction (0.7
# and 1.2 of it at the most in traced frames), and never more than 1.6 nepers along it. What lost or gained more is
# focused elsewhere: over content that is streaks one way that looks like motion, and tells of none. Nepers, and
# shares of what was lost along one direction.
_EVEN_COARSEST, _EVEN_ALL, _MOST = (0.3, 0.5), (0.4, 1.0), 2.0
# Tiles that tell for one ring; the finest such ring must show so much of what all show.
_LEAST_IN_RING, _CONFIRMS = 6, 0.7


def sector_powers(
    picture: Grey,
    shown: NDArray[np.bool_] | None = None,
    *,
    edges: Floats = _EDGES,
    step: int = _TILE,
    grain: float = 0.0,
) -> Floats:
    """Log powers of a picture's tiles by ring and direction of frequency, shape (tiles, rings, 12).

    NaN where a tile lies not wholly in what is `shown`, and where its power is little more than its noise, which is
    that of the finest frequencies, or `grain` as a share of the tile's light where that is more. Even
    defocus takes as much from every direction of a ring, whatever the content; motion does not.
    """
    tiles = tile_powers(picture, shown, edges=edges, step=step)
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
        return np.where(power < _ABOVE_NOISE * noise, np.nan, logs)


def tile_powers(
    picture: Grey, shown: NDArray[np.bool_] | None = None, *, edges: Floats = _EDGES, step: int = _TILE
) -> TilePowers:
    """The powers of a picture's tiles as they are, with their noise."""
    rows, columns = picture.shape
    window = np.asarray(np.hanning(_TILE)[:, None] * np.hanning(_TILE)[None], np.float32)
    fy, fx = np.meshgrid(np.fft.fftfreq(_TILE), np.fft.rfftfreq(_TILE), indexing="ij")
    radius = np.hypot(fx, fy)
    sector = np.floor((np.degrees(np.arctan2(fy, fx)) % 180.0) / (180.0 / SECTORS)).astype(int) % SECTORS
    ring = np.searchsorted(edges, radius) - 1
    within = (ring >= 0) & (ring < len(edges) - 1)
    many = (len(edges) - 1) * SECTORS
    inside, outer = np.flatnonzero(within), np.flatnonzero(radius > 0.47)
    bins = (ring * SECTORS + sector).ravel()[inside]
    count = np.maximum(np.bincount(bins, minlength=many), 1)
    whole = float((window**2).sum())
    places = [(top, left) for top in range(0, rows - _TILE + 1, step) for left in range(0, columns - _TILE + 1, step)]
    power = np.full((len(places), many), np.nan, np.float32)
    noise, light = np.full(len(places), np.nan), np.full(len(places), np.nan)
    for k, (top, left) in enumerate(places):
        part = picture[top : top + _TILE, left : left + _TILE]
        if shown is not None and not shown[top : top + _TILE, left : left + _TILE].all():
            continue
        # In single precision, which is far finer than the noise of any frame.
        parts = scipy.fft.rfft2((part - part.mean()) * window).ravel()
        spectrum = parts.real**2 + parts.imag**2
        power[k] = np.bincount(bins, weights=spectrum[inside], minlength=many) / count
        noise[k], light[k] = float(np.mean(spectrum[outer])), whole * float(part.mean()) ** 2
    return TilePowers(power.reshape(len(places), len(edges) - 1, SECTORS), noise, light)


def agreed(losses: Sequence[Loss]) -> tuple[float, float]:
    """How much power a frame lost along one direction, in nepers, and that direction of motion.

    From what it lost against each neighbour. Degrees clockwise from the picture's horizontal, 0 to 180. What the
    neighbours agree on is taken: one that was itself shaken tells of a loss at right angles, and accuses nobody.
    """
    if not losses:
        return 0.0, 0.0
    cosine, sine = losses[0]
    for other in losses[1:]:
        cosine, sine = least_between((cosine, sine), other)
    deepest = 0.5 * np.degrees(np.arctan2(-sine, -cosine)) % 180.0
    return float(np.hypot(cosine, sine)), float(deepest)


def least_between(first: Loss, second: Loss) -> Loss:
    """The shortest vector on the way from one to another: short where they do not agree in direction."""
    a, b = np.array(first), np.array(second)
    way = b - a
    share = float(np.clip(-(a @ way) / max(float(way @ way), 1e-12), 0.0, 1.0))
    least = a + share * way
    return float(least[0]), float(least[1])


def loss_against(own: Floats, other: Floats) -> Loss | None:
    """Half the swing of a cos 2θ fitted to the difference of powers from one neighbour: its cosine's and sine's part.

    Ring by ring and tile by tile, of which the middle one counts, and no more than the finest detail shows too;
    None where too little can be told, and between a frame in focus and one out of it.
    """
    theta = np.radians((np.arange(SECTORS) + 0.5) * 180.0 / SECTORS)
    difference = own - other
    sound = np.isfinite(difference).all(axis=2)
    if sound.sum() < _LEAST_BINS:
        return None
    ring = np.nonzero(sound)[1]
    rows = difference[sound]
    parts = 2.0 * np.stack([np.mean(rows * wave(2 * theta), axis=1) for wave in (np.cos, np.sin)], axis=1)
    whole = np.median(parts, axis=0)
    even, swing = np.mean(rows, axis=1), float(np.hypot(*whole))
    if swing > _MOST:
        return None
    for part, (least, share) in ((even[ring == ring.min()], _EVEN_COARSEST), (even, _EVEN_ALL)):
        if abs(float(np.median(part))) > least + share * swing:
            return None
    # Motion takes more the finer the detail. Where the finest that is told does not show it, something else took
    # it from a coarser ring: the zeros of a defocused disc over content that is all streaks one way.
    told = [number for number in range(own.shape[1]) if (ring == number).sum() >= _LEAST_IN_RING]
    if told:
        finest = np.median(parts[ring == told[-1]], axis=0)
        share = float(finest @ whole) / max(float(whole @ whole), 1e-12)
        whole = whole * float(np.clip(share / _CONFIRMS, 0.0, 1.0))
    return float(whole[0]), float(whole[1])


def blur_length_px(swing: float) -> float:
    """Length of an even motion that would take as much along its direction, by sinc² over the band; an estimate."""
    lengths = np.linspace(0.0, 12.0, 241)
    frequencies = np.sqrt(_EDGES[1:] * _EDGES[:-1])
    theta = np.radians((np.arange(SECTORS) + 0.5) * 180.0 / SECTORS)
    across = lengths[:, None, None] * frequencies[None, :, None] * np.cos(theta)[None, None]
    logs = np.log(np.sinc(across) ** 2 + 0.01)
    swings = -np.median(2.0 * np.mean(logs * np.cos(2 * theta), axis=2), axis=1)
    # Sectors are wide and a path has ends: planted motions of 3 to 6 px came out 1.4 times too short.
    return 1.4 * float(np.interp(swing, np.maximum.accumulate(swings), lengths))
