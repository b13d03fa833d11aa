"""Which frames of a series were shaken, how far and along which direction.

Posts and wires that come into focus swing as what was shaken does: they are not looked at where enough else tells.
What the other pairs of neighbours have in common is taken off first.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from verispect.optics.types import Floats
from verispect.prove.shake.even_motion import Shaken, even_motion
from verispect.prove.shake.swing import STEEP, WAVES, Swing, least_between, left_beside_streaks, swing_beside_streaks
from verispect.prove.shake.tile_powers import MIDDLES, Grey, TilePowers, above, tile_powers

# Swings within a series are never more alike than this; among fewer than three other pairs they are known worse.
_LEAST_SPREAD, _ALONE, _FEW, _FOR_FEW = 0.06, 0.15, 3, 1.5
# So many spreads accuse a frame with neighbours on both sides, and the first or last. On path-traced series good
# frames came to none and 1.7, frames shaken by 3.2 to 5.6 pixels to 3.1 and more, of 2.8 and 2.9 to 1.6.
_SURE, _SURE_AT_END, _LEAST_SWING = 2.6, 4.5, 0.2
# The least swing is that of a motion of 1.7 pixels: of the first or last one that its tiles have at this is none.
_LEAST_AT_END_PX = 1.0
# Along its own direction what is usual is no better known than to such a share: no two steps bring alike many posts.
_STEADY = 0.5
# A shake takes as much against either neighbour, and along the same way: two that tell of less alike than this share,
# or of ways farther apart (cosine of twice the angle), are but one witness.
_ALIKE, _ALONG = 0.5, 0.7
# Of two that one pair accuses, the one that was shaken leaves so much less unexplained (0.70 measured).
_BETTER = 0.9
# So much of a swing is left where streaks are not looked at. Of eighteen traced shaken frames 0.93 and more was left,
# of a good one with a fence before a wall 0.18, of five painted so 0.5 to 0.72.
_LEFT = 0.8
# Across the place of an accused frame it takes so many times as much.
_ACROSS = 1.5
# One of two neighbours was shaken where it lost at least so much of the swing between them in all directions too,
# more than is usual by so many times how far that varies.
_EVENLY, _TIMES_VARIES = 0.5, 3.0
# Share of the light that a JPEG may have thrown away; at quality 90 with less of it shakes were lost.
_GRAIN = 0.03
# Of all tiles of a series so few hold nothing but noise; it is known to such a margin, and rings coarser than this,
# cycles a pixel, are never free of detail.
_EMPTIEST, _MARGIN, _COARSE = 0.05, 1.2, 0.13
# So much stronger than in the finest frequencies noise may be: of a colour filter array (measured 4 to 15; more than
# 4 hid shakes where noise is white and no tile is empty), and of JPEG as cameras make it (10 to 17).
_COLOURED, _COMPRESSED = 4.0, 25.0


class Powers(NamedTuple):
    """What is kept of a frame: its tiles, below what power in each nothing can be told, how coloured noise may be."""

    tiles: TilePowers
    least: Floats
    most_coloured: float


def powers_in(picture: Grey, *, compressed: bool = False) -> Powers:
    """What is kept of a frame.

    `compressed` is for pictures from which faint detail was thrown away: what is left of it is no measure.
    """
    tiles = tile_powers(picture)
    if compressed:
        return Powers(tiles, _GRAIN**2 * tiles.light, _COMPRESSED)
    return Powers(tiles, np.zeros(len(tiles.light)), _COLOURED)


def above_noise(frames: Sequence[Powers]) -> list[Floats]:
    """Log powers (tiles, rings, directions) of the frames of a series, NaN where there is nothing to see.

    Noise is read off the finest frequencies. A colour filter array leaves it several times stronger in the middling
    ones, and sharpening and compression more so; taken for detail, which no shake takes from, it hid shakes. In a
    series most of what frames show is out of focus: what the emptiest tiles of all hold of each ring, against
    the finest, is noise.
    """
    tiles = [one.tiles for one in frames]
    with np.errstate(divide="ignore", invalid="ignore"):
        shares = np.concatenate([one.power.mean(axis=2) / one.noise[:, None] for one in tiles])
    shares = shares[np.isfinite(shares).all(axis=1)]
    coloured = np.ones(len(MIDDLES))
    if len(shares):
        emptiest = np.quantile(shares, _EMPTIEST, axis=0)
        # Coarse rings are never empty; noise is no stronger there than in the others.
        coloured = _MARGIN * np.clip(emptiest, 1.0, max(float(emptiest[MIDDLES > _COARSE].max()), 1.0))
    return [
        above(one, np.maximum(np.minimum(coloured, most) * one.noise[:, None], least[:, None])[..., None])
        for one, least, most in frames
    ]


def shaken_in(
    powers: Sequence[Floats], care: Callable[[int], float] = lambda _number: 1.0, *, compressed: bool = False
) -> dict[int, Shaken]:
    """The shaken among the frames of a series, in the order of their focus.

    Parameters
    ----------
    powers : sequence of ndarray, shape (tiles, rings, directions)
        As `above_noise` gives them.
    care : callable
        How many times as much it takes to accuse a frame.
    compressed : bool
        What was thrown away may look like a motion: nobody can say then which frame of a single pair was shaken.

    Notes
    -----
    Of two frames nobody can say which was shaken: none is.
    """
    found: dict[int, Shaken] = {}
    rest = list(range(len(powers)))
    # Of these one was shaken, and nobody can say which.
    moot: set[int] = set()
    swings: dict[tuple[int, int], Swing | None] = {}
    while len(rest) > 2:
        for pair in itertools.pairwise(rest):
            if pair not in swings:
                swings[pair] = swing_beside_streaks(powers[pair[0]], powers[pair[1]])
        accused = [_accused(n, rest, swings) for n in range(len(rest))]
        surely = [n for n in range(len(rest)) if rest[n] not in moot and accused[n].over >= care(rest[n])]
        if not surely:
            break
        # Beside a shaken frame another looks shaken the other way, the first or last most of all.
        surely = [n for n in surely if not any(abs(m - n) == 1 and _rather(m, n, rest, swings) for m in surely)]
        number = max(surely, key=lambda n: (accused[n].standing, accused[n].over / care(rest[n])))
        alike = [n for n in surely if accused[n].standing == accused[number].standing
                 and math.isclose(accused[n].over, accused[number].over)]  # fmt: skip
        # One pair alone accuses both its frames: then it is the one whose loss a motion explains better.
        fits = {n: _fitted(powers, rest, n, accused[n].usual) for n in alike}
        number = min(alike, key=lambda n: fits[n][0])
        if any(compressed or fits[number][0] > _BETTER * fits[n][0] for n in alike if n != number):
            moot.update(rest[n] for n in alike)
            continue
        # Without compression it takes no second witness, but none that speaks for it.
        if number in (0, len(rest) - 1) and not _seen_past(number, rest, powers, swings, if_untold=not compressed):
            moot.add(rest[number])
            continue
        is_end, motion = number in (0, len(rest) - 1), fits[number][1]
        if _of_streaks_alone(powers, rest, number) or (is_end and motion.length_px < _LEAST_AT_END_PX):
            moot.add(rest[number])
            continue
        found[rest[number]] = motion
        del rest[number]
    return found


def _of_streaks_alone(powers: Sequence[Floats], rest: Sequence[int], n: int) -> bool:
    """Whether posts and wires alone lost against the frames beside it, and not what else is seen there."""
    beside = [k for k in (n - 1, n + 1) if 0 <= k < len(rest)]
    left = [left_beside_streaks(powers[rest[n]], powers[rest[k]]) for k in beside]
    told = [share for share in left if share is not None]
    return bool(told) and float(np.mean(told)) < _LEFT


def _seen_past(
    n: int,
    rest: Sequence[int],
    powers: Sequence[Floats],
    swings: dict[tuple[int, int], Swing | None],
    *,
    if_untold: bool,
) -> bool:
    """Whether the first or last frame lost as much against the frame past its neighbour: else that one was shaken.

    `if_untold` is what is taken for told where the two show too little in common.
    """
    pairs = list(itertools.pairwise(rest))
    near = swings[pairs[0 if n == 0 else -1]]
    past = (
        swing_beside_streaks(powers[rest[0]], powers[rest[2]])
        if n == 0
        else swing_beside_streaks(powers[rest[-3]], powers[rest[-1]])
    )
    if near is None or past is None:
        return if_untold
    size = float(np.hypot(*near.parts))
    return float(near.parts @ past.parts) >= _ALIKE * size * size


@dataclass(frozen=True)
class _Accusation:
    """How surely a frame lost along a direction.

    Attributes
    ----------
    over : float
        1 where it is enough.
    standing : int
        2 where both neighbours tell of the same, 1 for another frame within the series, 0 for its first and last.
    usual : ndarray, shape (2,)
        What swing is usual there.
    """

    over: float
    standing: int
    usual: Floats


def _accused(n: int, rest: Sequence[int], swings: dict[tuple[int, int], Swing | None]) -> _Accusation:
    """What its neighbours say of a frame."""
    pairs = list(itertools.pairwise(rest))
    # Over a gap that an accused frame left the swing is another.
    others = [
        swing.parts
        for k, (a, b) in enumerate(pairs)
        if k not in (n - 1, n) and b == a + 1 and (swing := swings[a, b]) is not None
    ]
    usual, spread = _usual(others)
    losses, scales, gaps = [], [], []
    for k in (n - 1, n):
        if not 0 <= k < len(pairs) or (swing := swings[pairs[k]]) is None:
            continue
        gaps.append(pairs[k][1] > pairs[k][0] + 1)
        away = swing.parts - usual
        losses.append(away if k == n - 1 else -away)
        scales.append(np.hypot(spread, swing.unsure))
    if len(losses) == 2:
        # Across the place of an accused frame less is known of what is usual.
        scales = [(_ACROSS if gap else 1.0) * scale for scale, gap in zip(scales, gaps, strict=True)]
    at_end = len(losses) == 1
    is_last = n in (0, len(rest) - 1)
    if not losses or (at_end and (not others or (gaps[0] and not is_last))):
        # Nothing tells what is usual there.
        return _Accusation(0.0, 0, usual)
    scale = np.exp(np.mean(np.log(scales), axis=0))
    least = least_between(losses[0] / scale, losses[-1] / scale)
    sure = _SURE if not at_end else _SURE_AT_END * (_ACROSS if gaps[0] else 1.0)
    over = float(np.hypot(*least)) / sure
    one, other = losses[0], losses[-1]
    sizes = sorted((float(np.hypot(*one)), float(np.hypot(*other))))
    agree = sizes[0] >= _ALIKE * sizes[1] and float(one @ other) >= _ALONG * sizes[0] * sizes[1]
    standing = 0 if is_last else 2 if agree and not at_end else 1
    return _Accusation(over if np.hypot(*(least * scale)) >= _LEAST_SWING else 0.0, standing, usual)


def _rather(m: int, n: int, rest: Sequence[int], swings: dict[tuple[int, int], Swing | None]) -> bool:
    """Whether of two neighbours it was the first that was shaken, by what was lost between them in all directions."""
    swing = swings[rest[min(m, n)], rest[max(m, n)]]
    if swing is None:
        return False
    others = np.array([
        one.even for (a, b), one in swings.items() if one and b == a + 1 and not {a, b} & {rest[m], rest[n]}
    ])  # fmt: skip
    usual = float(np.median(others)) if len(others) else 0.0
    varies = float(np.median(np.abs(others - usual))) if len(others) > 1 else abs(usual) + _ALONE
    lost = usual - swing.even if m < n else swing.even - usual
    return lost > _EVENLY * swing.size + _TIMES_VARIES * varies


def _usual(swings: list[Floats]) -> tuple[Floats, Floats]:
    """What the swings of other pairs have in common, and how far they lie about it."""
    if not swings:
        return np.zeros(2), np.full(2, _ALONE)
    usual = np.median(swings, axis=0)
    spread = np.abs(usual) if len(swings) == 1 else 1.4826 * np.median(np.abs(np.array(swings) - usual), axis=0)
    few = 1.0 if len(swings) >= _FEW else _FOR_FEW
    return usual, np.hypot(few * np.hypot(spread, _LEAST_SPREAD), _STEADY * usual)


def _fitted(powers: Sequence[Floats], rest: Sequence[int], n: int, usual: Floats) -> tuple[float, Shaken]:
    """The motion that explains best what a frame lost against those beside it; first what it leaves unexplained."""
    beside = [k for k in (n - 1, n + 1) if 0 <= k < len(rest)]
    losses = [powers[rest[n]] - powers[rest[k]] for k in beside]
    if len(beside) == 1:
        # With a neighbour on either side the usual swing cancels by itself.
        losses[0] = losses[0] + (1.0 if beside[0] < n else -1.0) * STEEP[:, None] * (usual @ WAVES)
    return even_motion(losses)
