"""A merge in bands of rows, each from all frames: as many as the memory allowed asks for, and mostly one."""

from __future__ import annotations

import itertools
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled
from verispect.prove.intake import Coded
from verispect.prove.merge.final import DepthMap, FinalFusion, Peaks
from verispect.prove.merge.pyramid import Level, ProofFusion
from verispect.prove.merge.unveil import Focusing, Veil

Progress = Callable[[float, str], None]
Laid = Callable[[int, int, int], tuple[Level, NDArray[np.uint8] | None]]
# Bytes a pixel of a band, by the passes, as measured; a frame as it is read, and the result; the program itself, MB.
_BYTES, _WHOLE_BYTES, _PROGRAM_MB = {1: 28.0, 2: 62.0}, 14.0, 260.0
# More of them where veils are taken off.
_VEIL_BYTES = 10.0
# Of the work so much is done when they are.
_OFF = 0.9
# Bands begin at such rows, and go on so far beyond one another: their slowest differences end there.
_STEP, _BEYOND = 64, 192
_MOST_BANDS = 40


@dataclass(frozen=True)
class InOne:
    """What comes of all bands.

    Attributes
    ----------
    pixels : ndarray, shape (rows, columns, 3)
    shares : list of float
        Each frame's part.
    depth : ndarray or None
        At half size which frame is sharpest where.
    unveiled : float
        Share of the picture of which a veil of something nearer was taken off.
    """

    pixels: Coded
    shares: list[float]
    depth: NDArray[np.float32] | None
    unveiled: float


@dataclass(frozen=True)
class Band:
    """Rows that are kept, and those worked out for it."""

    top: int
    bottom: int
    first: int
    last: int


def bands_of(pixels: tuple[int, int], passes: int, memory_mb: float, *, unveiling: bool = False) -> list[Band]:
    """As few bands as stay within the memory."""
    wide, high = pixels
    room = max(memory_mb - _PROGRAM_MB - wide * high * _WHOLE_BYTES / 1e6, 1.0) * 1e6
    for count in range(1, _MOST_BANDS + 1):
        rows = -(-high // count) + (2 * _BEYOND + _STEP if count > 1 else 0)
        if rows * wide * (_BYTES[passes] + _VEIL_BYTES * unveiling) <= room or (
            rows >= high > _STEP * count and count == _MOST_BANDS
        ):
            break
    edges = [min(high, round(high * k / count / _STEP) * _STEP) for k in range(count)] + [high]
    return [
        Band(top, bottom, max(0, top - _BEYOND), min(high, bottom + _BEYOND))
        for top, bottom in itertools.pairwise(edges)
        if bottom > top
    ]


def merged_in_bands(
    bands: list[Band],
    pixels: tuple[int, int],
    count: int,
    laid: Laid,
    passes: int,
    smooth: float,
    focusing: Focusing | None,
    say: Progress,
    stop: Callable[[], bool],
) -> InOne:
    """Merge them; veils are taken off where it is known how the frames were focused."""
    wide, high = pixels
    if len(bands) == 1:
        result, used, depth, unveiled = _fused(count, lambda k: laid(k, 0, high), passes, smooth, focusing, say, stop)
        return InOne(_coded(result), used, depth, unveiled)
    whole = np.zeros((high, wide, 3), np.uint16)
    shares, depths, unveiled = np.zeros(count), [], 0.0
    for number, band in enumerate(bands):
        tell = _of_a_band(say, number, len(bands))
        rows = partial(_rows_of, laid, band)
        result, used, depth, share = _fused(count, rows, passes, smooth, focusing, tell, stop)
        unveiled += share * (band.bottom - band.top) / high
        _put(whole, _coded(result), band, beyond=_BEYOND)
        shares += np.array(used) * (band.bottom - band.top) / high
        if depth is not None:
            above = (band.top - band.first) // 2
            end = None if band.bottom == high else above + (band.bottom - band.top) // 2
            depths.append(depth[above:end])
    return InOne(whole, [float(part) for part in shares], np.concatenate(depths) if depths else None, unveiled)


def _rows_of(laid: Laid, band: Band, k: int) -> tuple[Level, NDArray[np.uint8] | None]:
    return laid(k, band.first, band.last)


def _of_a_band(say: Progress, number: int, count: int) -> Progress:
    """Progress of one band, which begins at 0.4, as part of the whole."""
    return lambda share, text: say(
        0.4 + (share - 0.4 + 0.6 * number) / count, f"{text}, band {number + 1} of {count}"
    )


def _coded(result: Level) -> Coded:
    return np.asarray(np.clip(result, 0, 32767).astype(np.uint16) << np.uint16(1), np.uint16)


def _put(whole: Coded, part: Coded, band: Band, *, beyond: int) -> None:
    """A band in its place; where it meets the one before, one passes into the other over the rows both have."""
    above = band.top - band.first
    whole[band.top : band.last] = part[above:]
    if above:
        weight = np.linspace(0.0, 1.0, above + 2, dtype=np.float32)[1:-1, None, None]
        # The band before has left its rows beyond this one's beginning; those above it are its own.
        before = whole[band.first : band.top].astype(np.float32)
        mixed = before * (1.0 - weight) + part[:above] * weight
        whole[band.first : band.top] = np.round(mixed).astype(np.uint16)


def _fused(
    count: int,
    laid: Callable[[int], tuple[Level, NDArray[np.uint8] | None]],
    passes: int,
    smooth: float,
    focusing: Focusing | None,
    say: Progress,
    stop: Callable[[], bool],
) -> tuple[Level, list[float], NDArray[np.float32] | None, float]:
    def look() -> None:
        if stop():
            raise Cancelled

    def watched(k: int, begin: float, share: float) -> tuple[Level, NDArray[np.uint8] | None]:
        look()
        say(begin + share * k / count, f"merging frame {k + 1} of {count}")
        return laid(k)

    def taking_off(share: float) -> None:
        look()
        say(_OFF + (1.0 - _OFF) * share, "taking off the blur of near things")

    if passes == 1:
        proof = ProofFusion()
        for k in range(count):
            picture, there = watched(k, 0.4, 0.6)
            proof.add(picture, there)
        return proof.picture(), proof.shares(), None, 0.0
    with tempfile.TemporaryFile(prefix="verispect-merge-") as kept:
        depth_map, peaks = DepthMap(kept), Peaks()
        for k in range(count):
            picture, there = watched(k, 0.4, 0.3)
            depth_map.add(picture, there)
            peaks.add(picture)
        depth = depth_map.settled(smooth)
        veil = None
        if focusing is not None and focusing.serves:
            veil = Veil(depth_map.layers(look), focusing, (picture.shape[0], picture.shape[1]))
    del depth_map
    final = FinalFusion(depth, count, peaks.levels)
    for k in range(count):
        picture, there = watched(k, 0.7, 0.3 if veil is None else _OFF - 0.7)
        final.add(k, picture, there)
        if veil is not None:
            veil.add(k, picture)
    used = [float(part) for part in final.used / max(float(final.used.sum()), 1e-12)]
    result = final.picture()
    if veil is None:
        return result, used, depth, 0.0
    del final
    result, share = veil.taken_off(result, taking_off)
    return result, used, depth, share
