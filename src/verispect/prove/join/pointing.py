"""Where the frames of a grid really looked: the plan's angles corrected by what neighbours show in common.

For a pair the motion from the planned place gives a small turn; all turns together are set right by least squares
with Huber weights and a prior from the head's repeatability, which also holds frames without anything to join on.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.going_on import GoingOn, going_on
from verispect.prove.align.motion import Bands, at_middle, bands_at_hand, enlarged
from verispect.prove.align.stood import by_what_tells, motion_of_most
from verispect.prove.align.turned import turn_of, turned_picture
from verispect.prove.expected import View
from verispect.prove.resources.threads import in_turn, workers

Grey = NDArray[np.float32]
PRIOR_DEG = 0.15
# Sure to so much where a pair agrees well, pixels.
_PAIR_PX = 0.1
_LEAST_OVERLAP = 0.04
# Overlaps from this share on are all looked at; less wide ones where a frame has no more wider ones than so many.
_WIDE_OVERLAP, _FEW_NEIGHBOURS = 0.25, 4
_ROUNDS = 8
# A measured growth is sure to about so much; frames without pairs are held where they were planned.
_GROWTH_NOISE, _FREE = 3e-4, 1e-3
# Where a lone neighbour tells, its overlap's even parts may tell of 0.4 %, though all lies well.
_GROWN_ALONE = 6e-3
# Drawn larger or smaller than planned by so much, and by so many times what is usual, a frame is out of focus.
_LEAST_GROWTH, _TIMES_USUAL = 1.5e-3, 6.0
# No focus draws a frame larger by more, where anything of it is still sharp enough to be laid over another: paving
# laid over itself a few slabs on had asked for a third.
_MOST_GROWTH = 0.12
# Pairs less alike than this count for nothing; those whose places lie within this are well laid, pixels.
_LEAST_ALIKE, _WELL_PX = 0.35, 0.5
# Of pairs that weigh less nothing is told but where a frame may look: far out of focus, what they show lies a few
# pixels aside, and larger or smaller, as a whole.
_SURE = 0.1
# And so much where nothing else tells of it.
_SURE_ALONE = 0.2
# Two that agree tell it where one of them has such a weight, or lies as its blur has it: clouds and leaves agree by
# chance with less.
_SURE_OF_TWO = 0.25
# A pair that asks for more than so many priors is not believed by itself; others bear it out within so many pixels,
# or such a share of what it asks for.
_MOST_PRIORS, _ALIKE_PX, _ALIKE_SHARE = 8.0, 2.0, 0.05
# A frame looks farther from where it was planned than a head errs if of so many neighbours at the least more than one
# have it there: a pair does that leaves less than such a part of how far it is.
_ALONE_OF, _BORNE_OUT = 3, 0.5
# What any pair tells turns a frame by more, radians.
_NOT_AT_ALL = 1e-11
# A frame is told well by pairs that weigh so much by their overlaps; so many of them tell what the head errs by. The
# others are held where planned within so many times that, or this, pixels.
_WELL_TOLD, _FEWEST_TOLD, _HELD_BY, _LEAST_ERROR_PX = 0.2, 4, 1.5, 0.2
# Parts of a pair lie so near to where it has them where it shows what stands. Of the others it takes so many, and so
# far, to show what drifts.
_FIRM_PX, _FEWEST_SOFT, _LEAST_DRIFT_PX = 1.0, 3, 2.0
# A turn of so many priors is held by half.
_PUSHED = 3.0


@dataclass(frozen=True)
class Pair:
    """Two frames that overlap: what was found, in whole pixels.

    `growth` is by how much the second is drawn larger than planned against the first, as a logarithm. `held`, shape
    (3, 3), takes a turn in the first's axes to how far it shifts what both show: a small overlap hardly tells a turn
    about its own direction. `blurred` where the sharper of the two was blurred as the other's growth has it; `drifts`
    where what both show went on between them.
    """

    a: int
    b: int
    overlap: float
    correlation: float
    turn: Floats
    residual_px: float
    growth: float = 0.0
    held: Floats = field(default_factory=lambda: np.eye(3))
    blurred: bool = False
    drifts: bool = False

    @property
    def trusted(self) -> bool:
        """Whether it counts."""
        grown = self.blurred or abs(self.growth) <= _MOST_GROWTH
        return self.correlation >= _LEAST_ALIKE and grown and bool(np.all(np.isfinite(self.turn)))

    @property
    def sure(self) -> bool:
        """Whether it may accuse a frame."""
        return self.trusted and not self.drifts and self.weight >= _SURE

    @property
    def weight(self) -> float:
        """How far it is believed beside others that share as much: by how alike they are and how well they lie."""
        alike = max(self.correlation - _LEAST_ALIKE, 0.0) / (1.0 - _LEAST_ALIKE)
        lies = 1.0 / (1.0 + (self.residual_px / _WELL_PX) ** 2) if np.isfinite(self.residual_px) else 0.5
        return max(alike**2 * lies, 1e-3)


def overlap_share(first: View, second: View, pixels: tuple[int, int]) -> float:
    """Share of the second frame's pixels that fall on the first."""
    wide, high = pixels
    x, y = np.meshgrid(np.linspace(0, wide - 1, 24), np.linspace(0, high - 1, 16))
    at = np.stack([x.ravel(), y.ravel(), np.ones(x.size)])
    ray = second.rotation.T @ np.linalg.inv(second.to_pixels) @ at
    seen = first.rotation @ ray
    ahead = seen[2] > 1e-6
    place = first.to_pixels @ seen
    with np.errstate(divide="ignore", invalid="ignore"):
        column, row = place[0] / place[2], place[1] / place[2]
    inside = ahead & (column >= 0) & (column <= wide - 1) & (row >= 0) & (row <= high - 1)
    return float(inside.mean())


def neighbours(shares: Floats) -> list[tuple[int, int, float]]:
    """Which frames are compared, and by what share they overlap, from the shares of all, shape (N, N), symmetric.

    Those that overlap but little are passed by where two others lie between them, if each of the two has enough
    wider ones: they tell little more, and in a grid of wide overlaps they are half of all.
    """
    count = len(shares)
    enough = np.sort(shares, axis=1)[:, -_FEW_NEIGHBOURS] if count >= _FEW_NEIGHBOURS else np.zeros(count)
    found = []
    for i, j in zip(*np.triu_indices(count, 1), strict=True):
        share = float(shares[i, j])
        between = int(np.sum((shares[i] > share) & (shares[j] > share)))
        tells = share >= _WIDE_OVERLAP or between < 2 or share >= min(enough[i], enough[j])
        if share >= _LEAST_OVERLAP and tells:
            found.append((int(i), int(j), share))
    return found


def _overlaps(views: Sequence[View], pixels: tuple[int, int]) -> list[tuple[int, int, float]]:
    """Neighbours as they look."""
    shares = np.zeros((len(views), len(views)))
    for i in range(len(views)):
        for j in range(i + 1, len(views)):
            shares[i, j] = shares[j, i] = overlap_share(views[i], views[j], pixels)
    return neighbours(shares)


def pairs_of(
    views: Sequence[View],
    greys: Sequence[Grey],
    pixels: tuple[int, int],
    *,
    is_cancelled: Callable[[], bool],
    progress: Callable[[float], None],
) -> list[Pair]:
    """Every pair of frames that is compared, looked at from its planned place."""  # fmt: skip
    wanted = _overlaps(views, pixels)
    bands = bands_at_hand(lambda k: greys[k])

    def looked_at(wanted: tuple[int, int, float]) -> Pair:
        return laid(views, *wanted, bands, pixels)

    found = []
    for pair in in_turn(looked_at, wanted, workers()):
        found.append(pair)
        if is_cancelled():
            break
        progress(len(found) / len(wanted))
    return drifting_told(views, found)


def drifting_told(views: Sequence[View], pairs: Sequence[Pair]) -> list[Pair]:
    """Pairs of frames in the order they were taken, those that tell of what drifts marked.

    Of soft clouds no part shows where it lies, but the whole fits well, and farther on with every frame that was
    taken: any chain of such pairs agrees with any other, and only frames that show what stands know better.
    """
    firm, soft = (
        [pair for pair in pairs if pair.trusted and (pair.residual_px < _FIRM_PX) is firm] for firm in (True, False)
    )
    if len(soft) < _FEWEST_SOFT:
        return list(pairs)
    scale, prior = views[0].scale_px, math.radians(PRIOR_DEG)
    believed = _believed(firm, views, _MOST_PRIORS * prior)
    turns = _agreeing(views, believed, _Held.as_planned(len(views), prior))
    world = scale * np.stack([view.rotation.T @ turn for view, turn in zip(views, turns, strict=True)])
    asked = {(pair.a, pair.b): scale * views[pair.a].rotation.T @ pair.turn for pair in pairs}
    left = {(pair.a, pair.b): asked[pair.a, pair.b] - world[pair.a] + world[pair.b] for pair in soft}
    sky = _going_on(soft, left)
    far = np.linalg.norm(list(left.values()), axis=1)
    if not sky.is_so or np.median(far) < (_LEAST_DRIFT_PX if believed else prior * scale):
        return list(pairs)
    # Where those that show what stands go on alike it is the head that sinks.
    if believed and np.linalg.norm(_going_on(believed, asked).rate - sky.rate) < 0.5 * np.linalg.norm(sky.rate):
        return list(pairs)
    return [replace(pair, drifts=(pair.a, pair.b) in left) for pair in pairs]


def _going_on(pairs: Sequence[Pair], apart: Mapping[tuple[int, int], Floats]) -> GoingOn:
    return going_on(
        [(pair.a, pair.b) for pair in pairs], np.stack([apart[pair.a, pair.b] for pair in pairs]),
        np.array([pair.weight * max(pair.overlap, 0.05) for pair in pairs]),
    )  # fmt: skip


def laid(
    views: Sequence[View], i: int, j: int, share: float, bands: Callable[[int], Bands], pixels: tuple[int, int]
) -> Pair:
    """What lays one frame j over another i, which share so much, from where both were planned."""
    high, wide = bands(i).picture.shape
    divide = pixels[0] / wide
    up = enlarged(divide)
    down = np.linalg.inv(up)
    planned = views[j].onto(views[i])
    focal, middle = views[i].scale_px / divide, ((wide - 1) / 2.0, (high - 1) / 2.0)
    motion = motion_of_most(bands(j), bands(i), planned=down @ planned @ up, focal_px=focal, centre_px=middle)
    motion = by_what_tells(bands(j), bands(i), motion, focal, middle)
    matrix = up @ motion.matrix @ down
    turned, held = turn_of(matrix, views[j], views[i], pixels)
    between = views[i].rotation @ views[j].rotation.T
    # A frame that looks elsewhere is drawn larger on one side for that alone.
    lies = turned_picture(turned, views[j], views[i]) if np.isfinite(turned).all() else planned
    turn, growth = _vector(turned @ between.T), _growth(matrix, lies, pixels)
    return Pair(i, j, share, motion.correlation, turn, motion.residual_px * divide, growth, held)


def _growth(matrix: Floats, planned: Floats, pixels: tuple[int, int]) -> float:
    """By how much a frame must shrink beyond the plan to lie on another, as a logarithm, in the middle of both."""
    middle = np.array([(pixels[0] - 1) / 2.0, (pixels[1] - 1) / 2.0, 1.0])
    there = planned @ middle
    halfway = 0.5 * (middle[:2] + there[:2] / there[2])
    return -math.log(max(at_middle(matrix @ np.linalg.inv(planned), (halfway[0], halfway[1]))[3], 1e-6))


def growths(pairs: Sequence[Pair], count: int) -> Floats:
    """By how much each frame is drawn larger than planned (count,), as a logarithm, as all pairs have it."""
    used = [pair for pair in pairs if pair.trusted and not pair.drifts]
    if not used:
        return np.zeros(count)
    # Of two that contradict each other the better seen is believed.
    sure = np.array([pair.weight * max(pair.overlap, 0.01) for pair in used])
    weights, found = sure.copy(), np.zeros(count)
    told = np.array([pair.growth for pair in used])
    for _ in range(_ROUNDS):
        rows = np.zeros((len(used), count))
        for number, pair in enumerate(used):
            rows[number, pair.b], rows[number, pair.a] = 1.0, -1.0
        root = np.sqrt(weights)
        held = np.vstack([rows * root[:, None], _FREE * np.eye(count)])
        found = np.linalg.lstsq(held, np.concatenate([told * root, np.zeros(count)]), rcond=None)[0]
        rest = np.abs(rows @ found - told)
        weights = sure * np.minimum(1.0, _GROWTH_NOISE / np.maximum(rest, 1e-9))
    return found - np.median(found)


def drawn_apart(pairs: Sequence[Pair], grown: Floats, number: int) -> bool:
    """Whether a frame is drawn larger or smaller than the others have it, as one is whose focus was missed."""
    usual = float(np.median(np.abs(grown)))
    return abs(grown[number]) > max(_LEAST_GROWTH, _TIMES_USUAL * usual) and growth_agreed(pairs, grown, number)


def drawn_larger(pairs: Sequence[Pair], count: int) -> dict[int, float]:
    """Frames that were focused elsewhere, and by how much larger they are drawn for it, as a logarithm."""
    grown = growths(pairs, count)
    return {k: float(grown[k]) for k in range(count) if drawn_apart(pairs, grown, k)}


def as_drawn(views: Sequence[View], larger: Mapping[int, float]) -> list[View]:
    """The views of frames of which some are drawn larger, by logarithms."""
    return [replace(view, scale_px=view.scale_px * math.exp(larger.get(k, 0.0))) for k, view in enumerate(views)]


def growth_agreed(pairs: Sequence[Pair], grown: Floats, number: int) -> bool:
    """Whether two neighbours of a frame at least, or its only one, have it grown by about as much as was found.

    Of two frames that are joined to nothing else none can tell which it is; and frames that only what is unsure joins
    to the rest may all have grown by that, as one has that grew with the neighbour that knows it best. Neighbours
    that grew as it did tell nothing: a single pair may have drawn them all along.
    """
    told, beside, weights, alike = [], set(), [], False
    enough = max(0.25 * abs(grown[number]), 3.0 * _GROWTH_NOISE)
    for pair in pairs:
        if pair.sure and number in (pair.a, pair.b):
            other = pair.a + pair.b - number
            if abs(grown[other] - grown[number]) < enough:
                alike = True
                continue
            told.append(grown[pair.a] + pair.growth if pair.b == number else grown[pair.b] - pair.growth)
            beside.add(other)
            # Alone counts only what lies well all over: a single part of a pair may grow by its blur. Or what grew
            # as its blur has it.
            weights.append(pair.weight if pair.blurred or math.isfinite(pair.residual_px) else 0.0)
    if not any(pair.sure and number not in (pair.a, pair.b) and beside & {pair.a, pair.b} for pair in pairs):
        return False
    among = [grown[k] for k in surely_joined(pairs, number)]
    if abs(grown[number] - np.median(among)) < enough:
        return False
    best = max((pair for pair in pairs if pair.sure and number in (pair.a, pair.b)), key=lambda one: one.weight)
    if abs(grown[best.a] - grown[best.b]) < enough:
        return False
    near = sum(abs(one - grown[number]) < enough for one in told)
    alone = not alike and near == len(told) and max(weights) >= _SURE_ALONE
    two = near >= 2 and (best.blurred or best.weight >= _SURE_OF_TWO)
    return bool(two or (alone and abs(grown[number]) > _GROWN_ALONE))


def surely_joined(pairs: Sequence[Pair], number: int) -> set[int]:
    """A frame and all that sure pairs join it to, through others too."""
    found, fresh = set[int](), {number}
    while fresh:
        found |= fresh
        fresh = {k for pair in pairs if pair.sure and found & {pair.a, pair.b} for k in (pair.a, pair.b)} - found
    return found


def _vector(rotation: Floats) -> Floats:
    """Rotation vector of a small turn."""
    return 0.5 * np.array(
        [rotation[2, 1] - rotation[1, 2], rotation[0, 2] - rotation[2, 0], rotation[1, 0] - rotation[0, 1]]
    )


def turn_between(view: View, other: View) -> Floats:
    """The small turn, in the camera's own axes, that takes another's looking to this one's."""
    return _vector(view.rotation @ other.rotation.T)


def corrected(views: Sequence[View], pairs: Sequence[Pair], *, prior_deg: float = PRIOR_DEG) -> list[View]:
    """Views whose small turns agree best with all pairs.

    With R_i' = exp(a_i) R_i a pair tells a_i − R_ij a_j.
    """
    prior = math.radians(prior_deg)
    used = _believed(pairs, views, _MOST_PRIORS * prior)
    held = _Held.as_planned(len(views), prior)
    turns = _agreeing(views, used, held)
    for _ in range(_ROUNDS):
        # Those that one neighbour alone has elsewhere are where they were planned, as far as anybody knows.
        alone = _by_one_alone(views, used, pairs, turns, prior)
        if not alone:
            break
        used = [pair for pair in used if not alone & {pair.a, pair.b}]
        turns = _agreeing(views, used, held)
    if (firmer := _as_others_erred(views, used, turns, held)) is not held:
        turns = _agreeing(views, used, firmer)
    return [
        replace(view, rotation=cv2.Rodrigues(turn)[0] @ view.rotation)
        for view, turn in zip(views, turns, strict=True)
    ]


class _Held(NamedTuple):
    """What turns frames are held at (N, 3), in the cameras' own axes, and to about how much (N,), radians."""

    turns: Floats
    within: Floats

    @classmethod
    def as_planned(cls, count: int, prior: float) -> _Held:
        return cls(np.zeros((count, 3)), np.full(count, prior))


def _as_others_erred(views: Sequence[View], used: Sequence[Pair], turns: Floats, held: _Held) -> _Held:
    """Frames that pairs hardly tell of held as near to the plan as the head took those that they tell well."""
    told = np.zeros(len(views))
    for pair in used:
        lies = 1.0 / (1.0 + (_rest_px(pair, views, turns[pair.a], turns[pair.b]) / _WELL_PX) ** 2)
        told[[pair.a, pair.b]] += pair.weight * max(pair.overlap, 0.05) * lies
    # Of what no pair tells nobody knows but the plan.
    well, hardly = told >= _WELL_TOLD, (told > 0.0) & (told < _WELL_TOLD)
    if well.sum() < _FEWEST_TOLD or not hardly.any():
        return held
    # All of them may look elsewhere than planned at one.
    world = np.stack([view.rotation.T @ turn for view, turn in zip(views, turns, strict=True)])
    common = np.median(world[well], axis=0)
    off = float(np.median(np.linalg.norm(world[well] - common, axis=1)))
    errs = _HELD_BY * max(off, _LEAST_ERROR_PX / views[0].scale_px)
    there = np.stack([view.rotation @ common for view in views])
    return _Held(
        np.where(hardly[:, None], there, held.turns), np.where(hardly, np.minimum(held.within, errs), held.within)
    )


def kept_as_planned(planned: Sequence[View], found: Sequence[View], pairs: Sequence[Pair]) -> list[int]:
    """Frames that are where they were planned though neighbours tell of them, for these contradict one another.

    It takes two of them for that; one that asks for more than a head errs contradicts nobody but the plan. One that
    drifts contradicts all that stand.
    """
    told = Counter(k for pair in pairs if pair.trusted for k in (pair.a, pair.b) * (2 if pair.drifts else 1))
    return [
        k for k in sorted(told)
        if told[k] > 1 and np.linalg.norm(turn_between(found[k], planned[k])) < _NOT_AT_ALL
    ]  # fmt: skip


def _agreeing(views: Sequence[View], used: Sequence[Pair], held: _Held) -> Floats:
    """The small turns (N, 3), in the cameras' own axes, that agree best with pairs."""
    count = len(views)
    turns = held.turns.copy()
    if not used:
        return turns
    weights = np.ones(len(used))
    for _ in range(_ROUNDS):
        rows, right = [], []
        for weight, pair in zip(weights, used, strict=True):
            sure = _PAIR_PX / views[pair.a].scale_px / math.sqrt(max(pair.overlap, 0.05) * pair.weight)
            block = np.zeros((3, 3 * count))
            between = views[pair.a].rotation @ views[pair.b].rotation.T
            block[:, 3 * pair.a : 3 * pair.a + 3] = pair.held
            block[:, 3 * pair.b : 3 * pair.b + 3] = -pair.held @ between
            rows.append(block * math.sqrt(weight) / sure)
            right.append(pair.held @ pair.turn * math.sqrt(weight) / sure)
        # A frame that was pushed far is no error of the head, and is held the less.
        pushed = np.linalg.norm(turns - held.turns, axis=1) / (_PUSHED * held.within)
        firm = 1.0 / (held.within * np.hypot(1.0, pushed))
        rows.append(np.diag(np.repeat(firm, 3)))
        right.append((held.turns * firm[:, None]).ravel())
        turns = np.linalg.lstsq(np.vstack(rows), np.concatenate(right), rcond=None)[0].reshape(count, 3)
        for number, pair in enumerate(used):
            rest = _rest_px(pair, views, turns[pair.a], turns[pair.b])
            weights[number] = min(1.0, 0.5 / max(rest, 1e-6))
    return turns


def _by_one_alone(
    views: Sequence[View], used: Sequence[Pair], pairs: Sequence[Pair], turns: Floats, prior: float
) -> set[int]:
    """Frames that one of several neighbours has where they were found, and that lie no better by any other.

    Clouds that drift lie aside in every pair of frames by as much as passed between them: nothing but a head that was
    never sent there has them all at one.
    """
    found: dict[int, float] = {}
    for k in range(len(views)):
        moved = views[k].scale_px * float(np.linalg.norm(turns[k]))
        beside = [pair for pair in pairs if pair.trusted and k in (pair.a, pair.b)]
        believed = any(k in (pair.a, pair.b) for pair in used)
        if not believed or len(beside) < _ALONE_OF or np.linalg.norm(turns[k]) < prior:
            continue
        planned = turns.copy()
        planned[k] = 0.0
        count, bears_out, against = 0, 0.0, 0.0
        for pair in beside:
            rest, before = (_rest_px(pair, views, told[pair.a], told[pair.b]) for told in (turns, planned))
            counts = pair.weight * max(pair.overlap, 0.05)
            if rest < min(before, _BORNE_OUT * moved):
                count, bears_out = count + 1, bears_out + counts
            elif rest > moved:
                against += counts
        if count == 1 and against > bears_out:
            found[k] = moved
    # Those that lie farthest may have drawn the others along.
    farthest = max(found.values(), default=0.0)
    return {k for k, moved in found.items() if moved > 0.5 * farthest}


def _believed(pairs: Sequence[Pair], views: Sequence[View], most_rad: float) -> list[Pair]:
    """Pairs that ask for no more than a head errs by, and of those that ask for more what others bear out.

    Paving is laid over itself a few slabs on, but hardly by three pairs of three frames to the same place. In the
    world's axes a pair tells by how much two turns differ, so that three about a triangle come to nought; and where
    there is none two neighbours of a frame must tell the same of it.
    """
    near = [
        pair for pair in pairs if pair.trusted and not pair.drifts and np.linalg.norm(pair.turn) < most_rad
    ]  # fmt: skip
    far = [pair for pair in pairs if pair.sure and np.linalg.norm(pair.turn) >= most_rad]
    if not far:
        return near
    apart: dict[tuple[int, int], Floats] = {}
    for pair in (*near, *far):
        told: Floats = views[pair.a].rotation.T @ pair.turn
        apart[pair.a, pair.b], apart[pair.b, pair.a] = told, -told

    def alike(one: Floats, other: Floats) -> bool:
        off, asked = (views[0].scale_px * float(np.linalg.norm(part)) for part in (one - other, one))
        return off < max(_ALIKE_PX, _ALIKE_SHARE * asked)

    def borne_out(pair: Pair) -> bool:
        own = apart[pair.a, pair.b]
        thirds = [c for c in range(len(views)) if (pair.a, c) in apart and (pair.b, c) in apart]
        if thirds:
            agree = sum(alike(own, apart[pair.a, c] - apart[pair.b, c]) for c in thirds)
            return 2 * agree > len(thirds)
        # Of either frame: what another of its neighbours tells.
        return any(
            alike(told, apart[k, c])
            for k, told, other in ((pair.a, own, pair.b), (pair.b, -own, pair.a))
            for c in range(len(views))
            if c != other and (k, c) in apart
        )

    return near + [pair for pair in far if borne_out(pair)]


def _rest_px(pair: Pair, views: Sequence[View], turn_a: Floats, turn_b: Floats) -> float:
    """How far apart two turns leave what both frames show, pixels."""
    between = views[pair.a].rotation @ views[pair.b].rotation.T
    return float(np.linalg.norm(pair.held @ (turn_a - between @ turn_b - pair.turn))) * views[pair.a].scale_px


def disagreement_px(pair: Pair, views: Sequence[View], found: Sequence[View]) -> float:
    """How far a pair's own turn lies from the one that all pairs together gave."""
    turns = [turn_between(found[k], views[k]) for k in (pair.a, pair.b)]
    return _rest_px(pair, views, *turns)


def as_laid(pair: Pair, views: Sequence[View]) -> View:
    """How the second of a pair would look, by that pair alone; `views` as it was looked at from."""
    first, second = views[pair.a].rotation, views[pair.b].rotation
    between = cv2.Rodrigues(pair.turn)[0] @ first @ second.T
    return replace(views[pair.b], rotation=between.T @ first)


def pair_report(pair: Pair, files: Sequence[str]) -> dict[str, object]:
    """What a pair tells once all are set right: what is left between them, which turning cannot mend, is parallax."""
    return {
        "a": files[pair.a],
        "b": files[pair.b],
        "matches": round(pair.overlap * 1000),
        "residual_px": round(pair.residual_px, 4) if math.isfinite(pair.residual_px) else None,
        "parallax_px": round(pair.residual_px, 4) if math.isfinite(pair.residual_px) else None,
        "correlation": round(pair.correlation, 4),
    }
