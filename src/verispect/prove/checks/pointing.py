"""Frames of a grid against the plan: where each looked, by what neighbours show in common, and how bright it is."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.expected import View
from verispect.prove.join.bend import straightened
from verispect.prove.join.drawn import laid_as_drawn
from verispect.prove.join.far_out import Blurs
from verispect.prove.join.gains import evenly_lit, gains_of, unfallen
from verispect.prove.join.pointing import (
    Pair,
    as_laid,
    corrected,
    disagreement_px,
    drawn_larger,
    growths,
    kept_as_planned,
    pairs_of,
    surely_joined,
    turn_between,
)

Grey = NDArray[np.float32]
# Below this a frame of a grid is where it was planned; beyond, where it stands out from how well the others sit.
LEAST_PX, _TIMES_USUAL, _JUMP = 0.5, 4.5, 6.0
# Where half of a grid was pushed two in five pairs lie on the same side: the third part that is least is what is
# usual. Of heads that err evenly by chance one grid of four frames in 150 has a frame beyond, of six in 500.
_USUAL = 0.33
# And it takes so many that something tells of.
_FEWEST_USUAL = 3
# Corners are unsure by so many times what a place is.
_OF_CORNERS = 2.0
# Parts of two frames that lie so far apart once laid over one another make it unsure by such a share of the rest;
# pixels they are looked at in.
_SCATTER_PX, _OF_SCATTER = 0.4, 0.7
# Drawn larger by less than this, as a logarithm, frames are not laid over one another once more.
_MATTERS = 2e-3
# Where fewer of the pairs that should overlap have something in common, they may not overlap so.
_LEAST_TRUSTED = 0.34
# Of the picture's diagonal, and of how far the parts of two frames disagree: in traced grids that a plan has right
# pairs disagree by a third of either at the most, but for what is out of focus where it overlaps. In those of another
# lens frames lie farther off besides than the last, or disagree by as much.
_DISAGREE, _TIMES_SCATTER, _OFF_PLACE = 0.001, 1.5, 0.004
# So many frames tell whether all lie farther apart than planned, so far ahead of the middle one; no more than such a
# part of how far they are off may be left by that.
_LEAST_JOINED, _LEAST_AHEAD, _LEFT_BY_SPREAD = 4, 0.2, 0.2
# What lies so much of a width from where all pairs have it went on between two frames.
_WENT_ON = 0.003


class Fit(StrEnum):
    """How frames agree with one another as the plan draws them."""

    WELL = "well"
    BADLY = "badly"
    # Too few of those that should overlap have anything in common.
    UNTOLD = "untold"


@dataclass(frozen=True)
class Looked:
    """Of every frame: content moved down, right in pixels and turned clockwise in degrees; its light; joined.

    The light (N, 3) is by how many stops it is brighter, and its red and blue besides. With the pairs looked at, the
    views as they came out, by how much each pair that counts (a, b) still disagrees, pixels, and the pictures looked
    at, and small ones in colour, as a lens that bends no lines would have drawn them. `held` are taken to look where
    they were planned, for their neighbours contradict one another.
    """

    shifts: Floats
    turns_deg: Floats
    lights: Floats
    joined: NDArray[np.bool_]
    pairs: Sequence[Pair]
    views: Sequence[View]
    rests: Mapping[tuple[int, int], float]
    straight: Sequence[Grey]
    colours: Sequence[Grey]
    held: Sequence[int] = ()

    def odd(self, divide: int = 1) -> NDArray[np.bool_]:
        """Which frames stand out, looked at in pixels of which each is `divide` of the frame's."""
        # How far its corners went by a turn about where it looked: overlaps leave that less sure.
        corners = np.radians(self.turns_deg) * 0.5 * math.hypot(*self.straight[0].shape) * divide
        # Where frames were planned, those are that nobody can tell of.
        told = np.setdiff1d(np.arange(len(corners)), self.held)
        if len(told) < _FEWEST_USUAL:
            told = np.arange(len(corners))
        places, turns = _usual(self.shifts[told]), _usual(corners[told, None])
        found: NDArray[np.bool_] = self._beyond(self.shifts, 1.0, places, divide) | self._beyond(
            corners[:, None], _OF_CORNERS, max(places, turns), divide
        )
        return found

    def _beyond(self, moves: Floats, unsure: float, usual: float, divide: int) -> NDArray[np.bool_]:
        """Which frames moved (N, n) by more than is `usual`; so many times what a place is `unsure` by."""
        size = np.linalg.norm(moves, axis=1)
        agreed = [_agreed(self._rests_of(k), own) for k, own in enumerate(size.tolist())]
        blurred = np.array([self._unsure_px(k, divide) for k in range(len(size))])
        limit = max(unsure * LEAST_PX, _TIMES_USUAL * usual) + unsure * blurred
        found: NDArray[np.bool_] = self.joined & (size > limit) & np.array(agreed)
        return found

    def _rests_of(self, k: int) -> list[float]:
        """How far the pairs of a frame disagree, pixels: of two sure ones and more these alone."""
        every = {pair: rest for pair, rest in self.rests.items() if k in pair}
        sure = [every[pair.a, pair.b] for pair in self.pairs if pair.sure and (pair.a, pair.b) in every]
        return sure if len(sure) > 1 else list(every.values())

    def _unsure_px(self, k: int, divide: int) -> float:
        """How far off the place of a frame may be that is out of focus where it overlaps, pixels."""
        scatter = [
            pair.residual_px
            for pair in self.pairs
            if pair.trusted and k in (pair.a, pair.b) and math.isfinite(pair.residual_px)
        ]
        return unsure_px(float(np.median(scatter)), divide) if scatter else 0.0


def _usual(moves: Floats) -> float:
    """By how much two of them differ: half a grid that was pushed is not what is usual, and few steps tell little."""
    first, second = np.triu_indices(len(moves), 1)
    apart = np.linalg.norm(moves[first] - moves[second], axis=1)
    return float(np.quantile(apart, _USUAL)) if len(apart) else 0.0


def unsure_px(scatter_px: float, divide: int) -> float:
    """How much farther a frame must lie to be off where its parts do not agree how far it does, pixels.

    Of two frames of which all is far out of focus parts lie up to two of the pixels apart that they are looked at in,
    `divide` of the frame's each; in ordinary ones a tenth. Infinite where no part tells.
    """
    return _OF_SCATTER * max(scatter_px - _SCATTER_PX * divide, 0.0) if math.isfinite(scatter_px) else 0.0


def looked(
    views: Sequence[View],
    greys: Sequence[Grey],
    smalls: Sequence[Grey],
    pixels: tuple[int, int],
    *,
    sizes_planned: bool = True,
    blurs: Blurs | None = None,
    is_cancelled: Callable[[], bool],
    progress: Callable[[float], None],
) -> Looked:
    """Compare every pair that overlaps.

    Parameters
    ----------
    views : sequence of View
        As planned, or as is known to have happened.
    greys, smalls : sequences of ndarray
        Brightness (rows, columns) at the working size, and small pictures (rows, columns, 3).
    sizes_planned : bool
        Whether a plan tells how large each frame is drawn; else all may be a little larger or smaller.
    blurs : callable, optional
        How far frames are out of focus that are drawn larger than planned, where a plan tells it.
    """
    furthest = 0.0

    def said(share: float) -> None:
        nonlocal furthest
        # Some grids are laid over one another once more.
        furthest = max(furthest, share)
        progress(furthest)

    def pairs_between(views: Sequence[View], greys: Sequence[Grey]) -> list[Pair]:
        return pairs_of(views, greys, pixels, is_cancelled=is_cancelled, progress=said)

    def larger_of(pairs: Sequence[Pair]) -> Mapping[int, float]:
        found = drawn_larger(pairs, len(views)) if sizes_planned else dict(enumerate(growths(pairs, len(views))))
        return found if max(map(abs, found.values()), default=0.0) > _MATTERS else {}

    bent, straight, pairs = laid_as_drawn(views, greys, pixels, pairs_between, larger_of, blurs, is_cancelled)
    found = corrected(bent, pairs)
    held = kept_as_planned(bent, found, pairs)
    # In the world, so that a turn that all share falls out; and what only unsure pairs join tells nothing of another.
    world = np.array([v.rotation.T @ turn_between(f, v) for v, f in zip(views, found, strict=True)])
    scale_px = float(np.median([view.scale_px for view in views]))
    left = set(range(len(views)))
    while left:
        together = sorted(surely_joined(pairs, min(left)))
        left -= set(together)
        ahead = np.array([views[k].rotation[2] for k in together])
        world[together] -= _first_stay(world[together], ahead, scale_px)
    own = np.array([view.rotation @ turn for view, turn in zip(views, world, strict=True)])
    scale = np.array([view.scale_px for view in views])
    # Turned by a about right, up and forward, the middle moves right by a_up and down by a_right.
    shifts = np.stack([own[:, 0] * scale, own[:, 1] * scale], axis=1)
    trusted = [pair for pair in pairs if pair.trusted]
    joined = np.array([any(k in (pair.a, pair.b) for pair in trusted) for k in range(len(views))])
    rests = {(pair.a, pair.b): disagreement_px(pair, bent, found) for pair in trusted}
    colours = [straightened(small, view, pixels) for small, view in zip(smalls, found, strict=True)]
    found = unfallen(found, colours, trusted, pixels)
    even = [evenly_lit(small, view, pixels) for small, view in zip(colours, found, strict=True)]

    def lies(pair: Pair) -> Floats:
        """Clouds went on between two frames: how light these are the same cloud tells."""
        if rests[pair.a, pair.b] < _WENT_ON * pixels[0]:
            return found[pair.b].onto(found[pair.a])
        return as_laid(pair, bent).onto(bent[pair.a])

    lights = -gains_of(found, even, trusted, pixels, lies)
    return Looked(shifts, np.degrees(-own[:, 2]), lights, joined, pairs, found, rests, straight, even, held)


def _agreed(rests: Sequence[float], size: float) -> bool:
    """Whether two neighbours at least, and most of them, are at one about where a frame looked."""
    if len(rests) < 2:
        return False
    return sorted(rests)[1] < max(0.5 * LEAST_PX, size / 6.0) and float(np.median(rests)) < size / 3.0


def _first_stay(turns: Floats, ahead: Floats, scale_px: float) -> Floats:
    """The turn of the first frames that stood alike, two at least, as they were taken; else the middle one (3,).

    A head that was pushed half-way through is out of place from there on, not before. How a frame is turned about the
    way `ahead` (N, 3) that it looks, overlaps hardly tell: only where it looks counts.
    """
    if len(turns) == 1:
        return np.array(turns[0])
    between = np.diff(turns, axis=0)
    along = ahead[:-1] + ahead[1:]
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    steps = np.linalg.norm(between - np.sum(between * along, axis=1, keepdims=True) * along, axis=1) * scale_px
    jumps = np.flatnonzero(steps > max(LEAST_PX, _JUMP * float(np.median(steps)))) + 1
    starts, ends = [0, *jumps.tolist()], [*jumps.tolist(), len(turns)]
    first, last = next(((a, b) for a, b in zip(starts, ends, strict=True) if b - a >= 2), (0, len(turns)))
    found: Floats = np.median(turns[first:last], axis=0)
    return found


def words(shift: tuple[float, float]) -> str:
    """A shift in words."""
    down, right = shift
    return (
        f"{abs(down):.1f} px {'down' if down > 0 else 'up'}, {abs(right):.1f} px {'right' if right > 0 else 'left'}"
        if math.hypot(down, right) > 0
        else "not at all"
    )


def moved_words(shift: tuple[float, float], turn_deg: float) -> str:
    """A shift and a turn in words; a turn that shows in no figure is none."""
    turned = f"{turn_deg:+.3f}"
    return words(shift) + (f", turned {turned}°" if float(turned) else "")


def fit_of(found: Looked, diagonal_px: float) -> Fit:
    """Whether pairs of frames agree about where these look, by more than what blur leaves open."""
    trusted = [pair for pair in found.pairs if pair.trusted]
    if len(trusted) < _LEAST_TRUSTED * len(found.pairs):
        return Fit.UNTOLD
    rest = float(np.median([*found.rests.values()] or [0.0]))
    scatter = float(np.median([pair.residual_px for pair in trusted] or [0.0]))
    shifts = found.shifts[found.joined]
    off = float(np.sqrt(np.mean(np.sum(shifts * shifts, axis=1)))) if len(shifts) else 0.0
    apart = rest > max(_DISAGREE * diagonal_px, _TIMES_SCATTER * scatter)
    return Fit.BADLY if apart and max(rest, off) > _OFF_PLACE * diagonal_px else Fit.WELL


def nearer_of(views: Sequence[View], found: Looked, diagonal_px: float) -> float:
    """By what share frames lie nearer to one another than planned, where that is what most of their shifts are.

    Their overlaps are drawn otherwise then, by another focus or another lens, and what stands aside has not moved.
    """
    ahead = np.array([view.rotation[2] for view in views])
    middle = views[int(np.argmax(ahead @ ahead.mean(axis=0)))]
    seen = ahead @ middle.rotation.T
    if found.joined.sum() < _LEAST_JOINED or seen[:, 2].min() < _LEAST_AHEAD:
        return 0.0
    # Content moves down and right as the plan has a frame look up and left of the middle.
    away = np.column_stack([-seen[:, 1], seen[:, 0]])[found.joined] / seen[found.joined, 2:] * middle.scale_px
    shifts = found.shifts[found.joined] - found.shifts[found.joined].mean(axis=0)
    away -= away.mean(axis=0)
    if float(np.abs(away).max()) < 1.0:
        # Of shifted grids all look the same way.
        return 0.0
    share = float(np.sum(away * shifts) / np.sum(away * away))
    left, every = (float(np.sum(part * part)) for part in (shifts - share * away, shifts))
    matters = math.sqrt(every / len(shifts)) > _OFF_PLACE * diagonal_px and left < _LEFT_BY_SPREAD * every
    return share if matters else 0.0


def spread_words(nearer: float) -> tuple[str, ...]:
    """What is said where all frames lie nearer to one another than planned, or farther apart."""
    if not nearer:
        return ()
    how = f"{abs(nearer):.1%} {'nearer to one another' if nearer > 0.0 else 'farther apart'}".replace("%", " %")
    return (
        f"The frames lie {how} than planned: the head went by other angles, or the lens draws otherwise than in the "
        "plan (its focal length, its focus), or this is the plan of something else; what moved between them was not "
        "looked for",
    )
