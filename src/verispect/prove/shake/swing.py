"""What two frames of one place lost against one another along a direction: the swing that a motion leaves.

Every tile and ring of frequencies loses or gains by defocus alike in all directions; what a shake takes, it takes
along one: ln sinc²(f L cos(θ − φ)), nearly −(π f L)²/3 · cos²(θ − φ). So a swing with 2θ that grows with f² is fitted
to all tiles and rings at once.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.shake.tile_powers import MIDDLES, SECTORS

# The frequency that swings are told at, cycles a pixel; how much steeper a shake is in each ring, and the waves that
# it swings with, cosine and sine of 2θ.
_AT = 0.2
STEEP = (MIDDLES / _AT) ** 2
_TWICE = np.radians((np.arange(SECTORS) + 0.5) * 360.0 / SECTORS)
WAVES: Floats = np.stack([np.cos(_TWICE), np.sin(_TWICE)])
# Half of what a motion of one pixel takes along its direction, nepers: what its swing is.
_OF_ONE_PX = (np.pi * _AT) ** 2 / 6.0
# Near the first zero of a motion, in cycles along it, and past it swings grow no more; rings that always count.
_BEFORE_ZERO, _ALWAYS = 0.85, 3
# Directions that must be above the noise in both frames, for a ring of a tile to tell; tiles that must tell, and of
# the finest detail.
_LEAST_SECTORS, LEAST_TILES, _LEAST_FINEST = 5, 8, 6
# Rings that lost more than this whatever the direction are past the first zero of a disc, nepers.
MOST_LOST = 1.2
# Tiles whose own content swings by so much count a fourth, nepers.
_STREAKS = 0.25
# A direction that holds so much more than the middle one is a streak's, nepers.
_STREAK = 0.3
# The finest detail is that which holds such a share of what is known.
_FINEST = 0.3
# A single swing counts up to here.
_MOST_SWING = 1.5
# A tile of which so many rings tell is a place that does.
_RINGS_OF_PLACE = 3


@dataclass(frozen=True)
class Swing:
    """What one frame has more of along a direction than another.

    Attributes
    ----------
    parts, unsure : ndarray, shape (2,)
        With the cosine and sine of 2θ, nepers at a fifth of a cycle a pixel, and their ±.
    even : float
        What it has more of in all directions alike, on the same scale: a motion takes as much of that.
    places : int
        Tiles that tell in several rings.
    """

    parts: Floats
    unsure: Floats
    even: float = 0.0
    places: int = 0

    @property
    def size(self) -> float:
        """Of its parts together, nepers."""
        return float(np.hypot(*self.parts))


def swing_between(own: Floats, other: Floats, least_tiles: int = LEAST_TILES) -> Swing | None:
    """The swing between two frames as far as the finest detail shows it too; None where too little tells.

    Motion takes more the finer the detail. Where the finest that is told does not show it, something else took it:
    the zeros of a disc over streaks, or the ripples of a simulated one.

    Parameters
    ----------
    own, other : ndarray, shape (tiles, rings, directions)
        Log powers, NaN where there is nothing to see.
    least_tiles : int
        That must tell.
    """
    difference = own - other
    seen, telling = told_by(difference, MOST_LOST)
    whole = _swing_of(own, other, seen & telling[..., None], least_tiles)
    if whole is None:
        return None
    places = int((telling.sum(axis=1) >= _RINGS_OF_PLACE).sum())
    before_zero = _BEFORE_ZERO / max(motion_px(whole.size), 1e-9) >= MIDDLES
    before_zero[:_ALWAYS] = True
    if not before_zero.all():
        telling = telling & before_zero
        whole = _swing_of(own, other, seen & telling[..., None], least_tiles)
    told = telling.sum(axis=0) * STEEP**2
    if whole is None or not told.any():
        return None
    enough = np.flatnonzero(np.cumsum(told[::-1])[::-1] >= _FINEST * told.sum())
    for begin in enough[::-1]:
        finest = telling & (np.arange(len(told)) >= begin)
        fine = _swing_of(own, other, seen & finest[..., None], _LEAST_FINEST)
        if fine is not None:
            break
    else:
        return None
    unsure = np.hypot(whole.unsure, fine.unsure)
    return Swing(least_between(whole.parts, fine.parts), unsure, _even(difference, seen, telling), places)


def swing_beside_streaks(own: Floats, other: Floats) -> Swing | None:
    """The same where posts and wires are not looked at; with them where too little else tells.

    A motion takes from all directions as their cosine squared has it; posts that go out of focus before a wall that
    comes into it lose along their own alone.
    """
    return _swing_beside(own, other) or swing_between(own, other)


def left_beside_streaks(own: Floats, other: Floats) -> float | None:
    """Share of the swing between two frames that is left where posts and wires are not looked at; None if untold."""
    whole, beside = swing_between(own, other), _swing_beside(own, other)
    return None if whole is None or beside is None else float(whole.parts @ beside.parts) / max(whole.size, 1e-9) ** 2


def _swing_beside(own: Floats, other: Floats) -> Swing | None:
    content = 0.5 * (own + other)
    # Where nothing is seen there is no median.
    seen = np.isfinite(content).any(axis=2, keepdims=True)
    usual = np.nanmedian(np.where(seen, content, 0.0), axis=2, keepdims=True)
    return swing_between(np.where(content > usual + _STREAK, np.nan, own), other)


def motion_px(size: float) -> float:
    """Length of the even motion whose swing is so large."""
    return float(np.sqrt(size / _OF_ONE_PX))


def motion_deg(loss: Floats) -> float:
    """Direction of the motion that took it, degrees clockwise from the picture's horizontal, 0 to 180."""
    return float(0.5 * np.degrees(np.arctan2(-loss[1], -loss[0])) % 180.0)


def least_between(first: Floats, second: Floats) -> Floats:
    """The shortest vector on the way from one to another: short where they do not agree in direction."""
    way = second - first
    share = float(np.clip(-(first @ way) / max(float(way @ way), 1e-12), 0.0, 1.0))
    found: Floats = first + share * way
    return found


def told_by(difference: Floats, most_lost: float) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Which directions are seen in both frames (tiles, rings, directions), and in which rings they tell."""
    seen = np.isfinite(difference)
    inner = np.where(seen, difference, 0.0)
    lost = inner.sum(axis=2) / np.maximum(seen.sum(axis=2), 1)
    enough = seen.sum(axis=2) >= _LEAST_SECTORS
    # Past a zero finer detail comes back, and swings as it likes.
    past = np.logical_or.accumulate(enough & (np.abs(lost) >= most_lost), axis=1)
    return seen, enough & ~past


def _even(difference: Floats, seen: NDArray[np.bool_], telling: NDArray[np.bool_]) -> float:
    """What is more in all directions alike, on the scale of swings: ring by ring the middle tile."""
    each = np.where(seen, difference, 0.0).sum(axis=2) / np.maximum(seen.sum(axis=2), 1)
    count = telling.sum(axis=0)
    total = sum(count[ring] * STEEP[ring] * np.median(each[telling[:, ring], ring]) for ring in np.flatnonzero(count))
    return float(total / (count * STEEP**2).sum())


def _swing_of(own: Floats, other: Floats, used: NDArray[np.bool_], least_tiles: int) -> Swing | None:
    """The swing of all tiles together, each by what it tells; None where too few do."""
    weight = used.astype(float)
    clipped = np.clip(_about_mean(own - other, weight), -_MOST_SWING, _MOST_SWING)
    normal, right = _equations(clipped, weight, STEEP)
    holds = np.linalg.eigvalsh(normal)[:, 0]
    tell = holds > 1e-6
    if tell.sum() < least_tiles:
        return None
    good = holds >= np.quantile(holds[tell], 0.2)
    # What a tile shows swings by itself where it holds a post or a wire, and these come into focus and go.
    at_all, has = _equations(_about_mean(0.5 * (own + other), weight), weight, np.ones(len(MIDDLES)))
    streaks = np.hypot(*np.linalg.solve(at_all[good] + 1e-6 * np.eye(2), has[good][..., None])[..., 0].T)
    trust = (1.0 + (streaks / _STREAKS) ** 2) ** -2
    return _joined(trust[:, None, None] * normal[good], trust[:, None] * right[good])


def _equations(values: Floats, weight: Floats, steep: Floats) -> tuple[Floats, Floats]:
    """Of every tile the normal equations (tiles, 2, 2) and right sides (tiles, 2) of its swing with 2θ."""
    waves = np.stack([_about_mean(np.broadcast_to(wave, weight.shape), weight) * steep[:, None] for wave in WAVES])
    normal = np.einsum("itrs,jtrs,trs->tij", waves, waves, weight)
    return normal, np.einsum("itrs,trs,trs->ti", waves, values, weight)


def _about_mean(values: Floats, weight: Floats) -> Floats:
    """Values (tiles, rings, directions) less the mean of their ring; nought where there are none."""
    values = np.where(np.isfinite(values), values, 0.0)
    total = np.maximum(weight.sum(axis=2, keepdims=True), 1.0)
    found: Floats = values - (weight * values).sum(axis=2, keepdims=True) / total
    return found


def _joined(normal: Floats, right: Floats) -> Swing:
    """One answer of many tiles' normal equations (tiles, 2, 2) and right sides (tiles, 2), by Huber's weights."""
    each = np.linalg.solve(normal, right[..., None])[..., 0]
    found = np.median(each, axis=0)
    for _ in range(30):
        away = each - found
        size = np.sqrt(np.einsum("ti,tij,tj->t", away, normal, away))
        weight = 1.0 / np.maximum(size / (np.median(size) + 1e-9), 1.0)
        whole = np.einsum("t,tij->ij", weight, normal)
        before, found = found, np.linalg.solve(whole, np.einsum("t,tij,tj->i", weight, normal, each))
        if np.hypot(*(found - before)) < 1e-4:
            break
    pulls = weight[:, None] * np.einsum("tij,tj->ti", normal, each - found)
    back = np.linalg.inv(whole)
    return Swing(found, np.sqrt(np.diag(back @ (pulls.T @ pulls) @ back)))
