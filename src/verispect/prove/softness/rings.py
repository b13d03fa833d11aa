"""What a block shows of detail, ring by ring of frequency, and what of it reaches a ring from others.

A block is cut out by a Hann window, which mixes each frequency with those some four steps of the transform beside it.
Detail falls off steeply, most where it is blurred: what then lies in a ring came in good part from coarser detail
that is blurred less. Taken for the ring's own, places out of focus looked a twentieth less so; so a model of what
should be seen is mixed alike.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.softness.half_power import half_powers

Grey = NDArray[np.float32]
_RINGS = 14
_BAND = (0.06, 0.34)
# Where the allowed blur is about a pixel or less: finer rings than this hold what the pixels have folded back, and
# put blocks that are sharp just beyond a series' end a third of a pixel off (path-traced frames).
_FINEST = 0.28
_LEAST_SIGNAL = 3.0
# How the power of detail falls with frequency, before any blur (of photographs about so; from memory).
_FALL = 2.0
# Steps of the transform that the window's mixing is followed to either side, samples a step, bins a step of the
# result, and how many frequencies it is worked out for.
_REACH, _SAMPLES, _BINS, _RADII = 6, 4, 4, 400
# A bin from which less than this share of a ring comes is left out.
_NONE = 1e-4


@dataclass(frozen=True)
class Seen:
    """What a frame shows of blocks: powers (blocks, rings) less noise, where they bear signal, all their detail."""

    powers: Floats
    signal: NDArray[np.bool_]
    detail: Floats

    def at(self, places: NDArray[np.bool_]) -> Seen:
        """These blocks in their order among others, (all,), that show nothing: of which the frame has no part."""
        rings = self.powers.shape[1]
        powers, signal = np.full((len(places), rings), 1e-15), np.zeros((len(places), rings), bool)
        detail = np.zeros(len(places))
        powers[places], signal[places], detail[places] = self.powers, self.signal, self.detail
        return Seen(powers, signal, detail)


class RingNet:
    """The rings of frequency that blocks of one size are looked at in.

    Attributes
    ----------
    frequencies : ndarray, shape (rings,)
        Middles, cycles per pixel.
    counted : ndarray of bool, shape (rings,)
        Which hold enough samples.
    fine : ndarray, shape (bins,)
        Frequencies, cycles per pixel, from which the rings' detail comes.
    mixing : ndarray, shape (rings, bins)
        How much of each ring comes from there, before any blur; 1 in all.
    """

    def __init__(self, side: int, allowed_px: float) -> None:
        self._window = np.asarray(np.hanning(side)[:, None] * np.hanning(side)[None], np.float32)
        fy, fx = np.meshgrid(np.fft.fftfreq(side), np.fft.rfftfreq(side), indexing="ij")
        radius = np.hypot(fx, fy)
        low, high = _BAND[0] / allowed_px, min(_BAND[1] / allowed_px, _FINEST)
        low = min(max(low, 2.5 / side), _FINEST / 3.0)
        if high < 1.4 * low:
            high = min(1.4 * low, 0.45)
        edges = np.geomspace(low, high, _RINGS + 1)
        self.frequencies: Floats = np.sqrt(edges[1:] * edges[:-1])
        rings = np.array([((radius >= a) & (radius < b)).ravel() for a, b in itertools.pairwise(edges)], float)
        count = rings.sum(axis=1)
        self.counted: NDArray[np.bool_] = count >= 3
        mean = rings / np.maximum(count, 1.0)[:, None]
        self._mean = mean.astype(np.float32)
        self._outer = (radius > 0.46).ravel()
        self.fine, self.mixing = _mixed(side, _by_radius(side, mean, radius.ravel()))

    def seen(self, patches: Grey) -> Seen:
        """Of blocks (blocks, side, side) of linear light; a flat one shows nothing."""
        # In single precision, which is far finer than the noise of any frame.
        patches = np.asarray(patches, np.float32)
        flat = half_powers((patches - patches.mean(axis=(1, 2), keepdims=True)) * self._window)
        flat = flat.reshape(len(patches), -1)
        noise = np.median(flat[:, self._outer], axis=1).astype(float)[:, None] / np.log(2.0)
        means = (flat @ self._mean.T).astype(float)
        powers = np.maximum(means - noise, 1e-3 * means + 1e-15)
        signal = means > _LEAST_SIGNAL * noise
        return Seen(powers, signal, np.sum(np.where(signal, powers, 0.0) * self.frequencies**2, axis=1))


def _mixed(side: int, rings: Floats) -> tuple[Floats, Floats]:
    """Bins of frequency (bins,) and what of each ring comes from them, of rings made of radii (rings, radii)."""
    centres, leaks = _leaks(side)
    mixing = rings @ leaks
    # Of a ring without samples there is nothing.
    whole = np.maximum(mixing.sum(axis=1, keepdims=True), 1e-30)
    used = (mixing > _NONE * whole).any(axis=0)
    return centres[used], mixing[:, used] / np.maximum(mixing[:, used].sum(axis=1, keepdims=True), 1e-30)


def _by_radius(side: int, rings: Floats, radius: Floats) -> Floats:
    """Rings made of samples (rings, N), by the nearest of the frequencies that mixing was worked out for."""
    index = np.rint(radius / _radii(side)[1]).astype(int).clip(0, _RADII - 1)
    return np.array([np.bincount(index, ring, _RADII) for ring in rings])


def _radii(side: int) -> Floats:
    """The frequencies that mixing is worked out for: from nothing to beyond the corner of what pixels hold."""
    return np.linspace(0.0, np.sqrt(0.5) + _REACH / side, _RADII)


@cache
def _leaks(side: int) -> tuple[Floats, Floats]:
    """Bins of frequency (bins,), and of detail about each of the radii what is seen there by bins, (radii, bins).

    The window's transform, squared, about a frequency; detail is alike in all directions and coarser than half a step
    there is none, since the block's mean is taken off.
    """
    steps = np.arange(-_REACH * _SAMPLES, _REACH * _SAMPLES + 1) / _SAMPLES
    at = np.arange(side) - 0.5 * (side - 1)
    along = (np.hanning(side) * np.cos(2.0 * np.pi * steps[:, None] * at / side)).sum(axis=1) ** 2
    kernel = along[:, None] * along
    edges = np.arange(0.0, _radii(side)[-1] + 2.0 * _REACH / side, 1.0 / (_BINS * side))
    found = np.zeros((_RADII, len(edges) - 1))
    for number, about in enumerate(_radii(side)):
        radius = np.hypot(about + steps / side, steps[:, None] / side)
        content = np.where(radius > 0.5 / side, np.maximum(radius, 0.5 / side) ** -_FALL, 0.0)
        found[number] = np.histogram(radius, edges, weights=kernel * content)[0]
    return 0.5 * (edges[1:] + edges[:-1]), found
