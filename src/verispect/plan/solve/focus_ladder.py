"""Fewest focus settings for a depth: interval stabbing for marks, geometric progression for a range.

docs/derivations/series.md. With the lens's axis kept, frame v renders mark i within the allowed blur when
|v − v_i| · rate_i ≤ c(v). The allowed blur c depends, through the working f-number, a little on v itself,
and is kept as a table over v for every stop.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from verispect.optics.blur import pupil_cones
from verispect.optics.criterion import Rule
from verispect.optics.lens_state import FORWARD, LensState
from verispect.optics.types import Bools, Floats, Indices, Vector
from verispect.plan.document import Covers
from verispect.plan.solve.problem import Problem
from verispect.plan.solve.stop_cost import cheapest

# More frames than this is no plan; the count is then given as infinite.
MOST_FRAMES = 999
# Places at which the allowed blur is tabled.
_GRID = 41
# No gap within an area is left wider than this part of its depth.
_WITHIN_AREA = 64.0
# Finely, than this part of what a frame holds to one side; but no more places than so many.
_OF_HELD, _MOST_PLACES = 0.01, 3000.0
# Of what is allowed no more is kept back for what lies between two places.
_MOST_KEPT = 0.1
# Of the share of allowed blur that a series uses: to one part in sixteen thousand.
_HALVINGS = 14
# Kept off the limit, so that the table of allowed blurs (less exact in white light) cannot push a mark past it.
_SLACK, _SLACK_IN_WHITE = 1.0 - 1e-6, 1.0 - 2e-5


@dataclass(frozen=True)
class FocusLadder:
    """A focus series: one stop and its image distances, nearest focus first.

    `count` is infinite where no stop serves at all.
    """

    f_number: float
    image_distances_mm: Floats

    @property
    def count(self) -> float:
        """Number of frames."""
        return len(self.image_distances_mm) or float("inf")


@dataclass(frozen=True)
class _Depth:
    """The marks of a series at every stop."""

    sharp_at_mm: Floats  # (S, K): the same at every stop of an ideal lens
    rates: Floats  # (S, K)
    slopes: Floats  # (S,) blur per mm of defocus times distance from the exit pupil, worst mark
    exit_mm: float  # v of the exit pupil, measured along the normal
    grid_mm: Floats  # (G,)
    allowed_mm: Floats  # (S, G); 0 where nothing is acceptable
    mark_allowed: Floats  # (S, K): allowed blur of each mark over that of a still one, <= 1
    moving: Bools  # (K,)
    range_allowed: Floats  # (S,): the same for whatever lies between the marks
    longest_mm: float
    shortest_mm: float

    def rows(self, kept: Indices) -> _Depth:
        """The same for some of the stops."""
        return replace(
            self,
            sharp_at_mm=self.sharp_at_mm[kept],
            rates=self.rates[kept],
            slopes=self.slopes[kept],
            allowed_mm=self.allowed_mm[kept],
            mark_allowed=self.mark_allowed[kept],
            range_allowed=self.range_allowed[kept],
        )

    def allowed(self, v: Floats) -> Floats:
        """Allowed blur at image distances (S,) or (S, K), one row for each stop."""
        span = self.grid_mm[-1] - self.grid_mm[0]
        place = (v - self.grid_mm[0]) / span * (len(self.grid_mm) - 1)
        index = np.clip(place.astype(int), 0, len(self.grid_mm) - 2)
        rows = np.arange(len(self.allowed_mm)).reshape(-1, *([1] * (v.ndim - 1)))
        share = np.clip(place - index, 0.0, 1.0)
        low, high = self.allowed_mm[rows, index], self.allowed_mm[rows, index + 1]
        between: Floats = low * (1.0 - share) + high * share
        return between


# Of depths, shares of the allowed blur (S,) and counts (S,) beyond which no ladder is asked.
_Ladders = Callable[[_Depth, Floats, Floats], list[list[float]]]


def fewest_frames(
    problem: Problem,
    *,
    axis: Vector = FORWARD,
    covers: Covers = Covers.RANGE,
    stops: Floats | None = None,
    share: float = 1.0,
) -> FocusLadder:
    """The series that is the least burden, and among stops as good the one with the best worst mark.

    The fewest frames, but where time counts the least of it.

    Parameters
    ----------
    problem : Problem
    axis : (float, float, float)
        Kept for all frames.
    covers : "range" or "marks"
        `range` leaves no gap between the nearest and the farthest mark.
    stops : ndarray, shape (S,), optional
        Stops to choose from; the lens's own by default.
    share : float
        Of the allowed blur that may be used up, beside the scene's own share.
    """
    tried = problem.stops if stops is None else stops
    step = _range_ladder if covers == Covers.RANGE else _marks_ladder
    share *= problem.scene.blur_share
    depth, counts, near = _counted(problem, _depth(problem, axis, tried), covers, share, tried)
    tried, counts = tried[near], counts[near]
    if not np.isfinite(counts).any():
        return FocusLadder(float(tried[0]), np.zeros(0))
    rows = np.flatnonzero(cheapest(problem, counts, tried, problem.scene.plan.kit.times.refocus_s))
    kept = depth.rows(rows)
    shrunk, tightened = _tighten(kept, step, counts[rows], share)
    best = _best_row(problem, kept, tried[rows], shrunk)
    return FocusLadder(float(tried[rows[best]]), np.sort(tightened[best])[::-1])


def frames_at_stops(
    problem: Problem, *, axis: Vector = FORWARD, covers: Covers = Covers.RANGE, stops: Floats | None = None
) -> Floats:
    """How many frames a series needs at each stop (the lens's own by default), shape (S,); infinite: none serve."""
    stops = problem.stops if stops is None else stops
    _, counts, _ = _counted(problem, _depth(problem, axis, stops), covers, problem.scene.blur_share, stops)
    return counts


def _counted(
    problem: Problem, sampled: _Depth, covers: Covers, share: float, stops: Floats
) -> tuple[_Depth, Floats, Indices]:
    """The marks at those stops that may be chosen; frames at each (S,), infinite where none serve; which those are.

    Places close enough that nothing is lost between two frames of an area take time: only at stops that are about
    the least burden, and as close as the frames there ask.
    """
    step = _range_ladder if covers == Covers.RANGE else _marks_ladder

    def frames(depth: _Depth) -> Floats:
        shares, most = np.full((2, len(depth.slopes)), [[share], [MOST_FRAMES]])
        return np.array([len(ladder) or np.inf for ladder in step(depth, shares, most)])

    depth = _filled(problem, sampled)
    counts = frames(depth)
    if not problem.scene.areas or covers == Covers.RANGE or not np.isfinite(counts).any():
        return depth, counts, np.arange(len(counts))
    cheap = cheapest(problem, counts, stops, problem.scene.plan.kit.times.refocus_s)
    near = np.flatnonzero(cheap | (counts <= counts.min() + 1.0))
    depth = _filled(problem, sampled.rows(near), finely=True)
    counts[near] = frames(depth)
    return depth, counts, near


def holding_intervals(problem: Problem) -> tuple[Floats, Floats]:
    """Image distances (S, K) between which one straight frame holds each chosen mark, at every stop of the lens.

    The first is the larger of the two where no focus holds a mark.
    """
    depth = _depth(problem, FORWARD, problem.stops)
    low, high = _holding(depth, np.ones(len(problem.stops)))
    usable = (depth.allowed_mm.max(axis=1)[:, None] > 0.0) & (depth.mark_allowed > 0.0)
    reachable = (depth.sharp_at_mm <= depth.longest_mm) | (low < depth.longest_mm)
    usable &= reachable
    return np.where(usable, low, np.inf), np.where(usable, high, -np.inf)


def _depth(problem: Problem, axis: Vector, stops: Floats) -> _Depth:
    first = problem.state(f_number=float(stops[0]), image_distance_mm=problem.focal_mm, axis=axis)
    points = problem.points_from_lens_mm(first)
    cones = [pupil_cones(points, first.at(float(n))) for n in stops]
    sharp_at = np.stack([cone.sharp_at_mm for cone in cones])
    rates = np.stack([cone.long_rate for cone in cones])
    exit_mm = problem.focal_mm * (1.0 - problem.lens.pupil_magnification) * axis[2]
    longest = problem.longest_image_mm * axis[2]
    low, high = float(sharp_at.min()), float(sharp_at.max())
    margin = 0.02 * (high - low) + 0.02 * low
    grid = np.linspace(max(low - margin, 0.2 * problem.focal_mm), high + margin, _GRID)
    working = _working(first, grid, stops)
    criterion = problem.criterion
    allowed = criterion.allowed_blur_mm(working)
    # A stop that diffraction spoils at the nearest focus, where the working f-number is largest, is no use.
    spoilt = np.isnan(criterion.allowed_blur_mm(_working(first, np.array([high]), stops)))
    allowed = np.where(spoilt, 0.0, np.nan_to_num(allowed, nan=0.0))
    mark_allowed = np.ones(rates.shape)
    range_allowed = np.ones(len(stops))
    if not problem.is_plain:
        middle = middle_of(sharp_at)
        states = [problem.state(f_number=float(n), image_distance_mm=middle, axis=axis) for n in stops]
        residuals = np.stack([problem.spoilers_mm(s, points)[1] for s in states])
        smears = _smears(problem, points, np.minimum(sharp_at[0], longest), stops)
        middles = _working(first, sharp_at[0], stops)
        still = criterion.allowed_blur_mm(middles)
        with np.errstate(divide="ignore", invalid="ignore"):
            mark_allowed = np.nan_to_num(criterion.allowed_blur_mm(middles, smears, residuals) / still, nan=0.0)
            # What lies between the marks is taken to be rendered as badly by the lens as the worst of them.
            worst = np.nan_to_num(criterion.allowed_blur_mm(middles, 0.0, residuals) / still, nan=0.0)
        range_allowed = worst.min(axis=1)
    return _Depth(
        sharp_at_mm=sharp_at,
        rates=rates,
        slopes=np.max(rates * (sharp_at - exit_mm), axis=1),
        exit_mm=exit_mm,
        grid_mm=grid,
        allowed_mm=allowed * (_SLACK if criterion.wavelength_nm is not None else _SLACK_IN_WHITE),
        mark_allowed=mark_allowed,
        moving=problem.speeds_mm_s > 0.0,
        range_allowed=range_allowed,
        longest_mm=longest,
        shortest_mm=problem.shortest_image_mm * axis[2] if axis == FORWARD else problem.nearest_tilted_mm,
    )


def _filled(problem: Problem, depth: _Depth, *, finely: bool = False) -> _Depth:
    """The same with places between the samples of each area: an area is one thing, and has no gaps in its depth.

    Straight between neighbours in image distance, as many as leave no gap wider than a share of the area's depth;
    finely, nor than a share of what a frame holds to one side, so that nothing is lost between two frames.
    """
    group = problem.scene.group[problem.chosen]
    areas = sorted(set(group[group >= problem.scene.mark_count].tolist()))
    left: list[int] = []
    right: list[int] = []
    shares: list[float] = []
    kept = np.ones(len(group))
    for area in areas:
        mine = np.flatnonzero(group == area)
        order = mine[np.argsort(depth.sharp_at_mm[0, mine], kind="stable")]
        at = depth.sharp_at_mm[0, order]
        span = float(at[-1] - at[0])
        widest = span / _WITHIN_AREA
        if finely:
            held = float((depth.allowed(depth.sharp_at_mm[:, mine]) / depth.rates[:, mine]).min())
            widest = min(widest, max(held * _OF_HELD, span / _MOST_PLACES))
            # Half-way between two places a frame's end may come.
            kept[mine] = 1.0 - min(0.5 * widest / max(held, 1e-12), _MOST_KEPT)
        widest = max(widest, 1e-12)
        for k in np.flatnonzero(np.diff(at) > widest).tolist():
            between = int(np.ceil((at[k + 1] - at[k]) / widest)) - 1
            left += [int(order[k])] * between
            right += [int(order[k + 1])] * between
            shares += [(i + 1.0) / (between + 1.0) for i in range(between)]
    depth = replace(depth, mark_allowed=depth.mark_allowed * kept)
    if not left:
        return depth

    def joined(values: Floats) -> Floats:
        share = np.array(shares)
        return np.concatenate([values, values[:, left] * (1.0 - share) + values[:, right] * share], axis=1)

    return replace(
        depth,
        sharp_at_mm=joined(depth.sharp_at_mm),
        rates=joined(depth.rates),
        mark_allowed=joined(depth.mark_allowed),
        moving=np.concatenate([depth.moving, np.zeros(len(left), dtype=bool)]),
    )


def _smears(problem: Problem, points_mm: Floats, v: Floats, stops: Floats) -> Floats:
    """Paths (S, K) of moving marks during an exposure that is focused on each."""
    paths = np.zeros((len(stops), len(v)))
    for k in np.flatnonzero(problem.speeds_mm_s > 0.0).tolist():
        for row, stop in enumerate(stops.tolist()):
            state = problem.state(f_number=stop, image_distance_mm=float(v[k]))
            paths[row, k] = problem.path_mm(problem.shutter_s(state))[k] * v[k] / points_mm[k, 2]
    return paths


def _working(state: LensState, v: Floats, stops: Floats) -> Floats:
    magnification = v / state.focal_mm - 1.0
    found: Floats = stops[:, None] * (1.0 + magnification[None, :] / state.pupil_magnification)
    return found


def _range_ladder(depth: _Depth, shrink: Floats, most: Floats) -> list[list[float]]:
    """For every stop the image distances that cover the range, far to near, with blur ≤ shrink · c.

    Between frames the ratio of distances from the exit pupil is (1 + κ)/(1 − κ), κ = c/(p D · stretch). Empty where
    a stop would take more than so many.
    """
    shrink = shrink * depth.range_allowed
    usable = shrink * depth.allowed_mm.max(axis=1) > 0.0
    ladders = [_range_at(depth, row, float(shrink[row]), int(most[row])) if usable[row] else []
               for row in range(len(shrink))]  # fmt: skip
    return _with_moving(depth, shrink, ladders) if depth.moving.any() else ladders


def _range_at(depth: _Depth, row: int, shrink: float, most: int) -> list[float]:
    """The ladder of one stop, in plain numbers: a step is too little work for arrays; none of more frames than so."""
    first, last = float(depth.grid_mm[0]), float(depth.grid_mm[-1])
    pieces = len(depth.grid_mm) - 1
    tabled: list[float] = depth.allowed_mm[row].tolist()
    scale = shrink / float(depth.slopes[row])

    def kappa(v: float) -> float:
        place = (v - first) / (last - first) * pieces
        index = min(max(int(place), 0), pieces - 1)
        share = min(max(place - index, 0.0), 1.0)
        return scale * (tabled[index] * (1.0 - share) + tabled[index + 1] * share)

    end, covered = float(depth.sharp_at_mm[row].max()), float(depth.sharp_at_mm[row].min())
    ladder: list[float] = []
    while len(ladder) < most:
        v = covered
        for _ in range(2):
            v = covered + kappa(v) * (covered - depth.exit_mm)
        v = min(max(v, depth.shortest_mm), depth.longest_mm)
        held = kappa(v)
        reach = (v - held * depth.exit_mm) / (1.0 - min(held, 0.999999))
        ladder.append(v)
        stuck = reach <= covered or v >= depth.longest_mm
        if stuck or reach >= end * (1.0 - 1e-13):
            return ladder
        covered = reach
    return []


def _with_moving(depth: _Depth, shrink: Floats, ladders: list[list[float]]) -> list[list[float]]:
    """Ladders of a range with frames more for moving marks, of which less blur is allowed, where none holds them.

    A stop at which a moving mark smears too much whatever the focus gives no ladder.
    """
    low, high = _holding(depth, shrink)
    found: list[list[float]] = []
    for row, ladder in enumerate(ladders):
        if not ladder or not np.all(depth.mark_allowed[row, depth.moving] > 0.0):
            found.append([])
            continue
        places = np.array(ladder)[:, None]
        hit = np.any((places >= low[row]) & (places <= high[row]), axis=0)
        left = depth.moving & ~hit
        found.append(ladder + stab(low[row, left], high[row, left]))
    return found


def _holding(depth: _Depth, shrink: Floats) -> tuple[Floats, Floats]:
    """For every stop and mark the image distances (S, K) between which a frame holds it."""
    reach = shrink[:, None] * depth.mark_allowed / depth.rates
    low = high = depth.sharp_at_mm
    for _ in range(4):
        low = depth.sharp_at_mm - reach * depth.allowed(low)
        high = depth.sharp_at_mm + reach * depth.allowed(high)
    return np.clip(low, depth.shortest_mm, depth.longest_mm), np.clip(high, depth.shortest_mm, depth.longest_mm)


def _marks_ladder(depth: _Depth, shrink: Floats, most: Floats) -> list[list[float]]:
    """For every stop the fewest image distances that hold all marks: greedy stabbing of intervals.

    Taking each time the smallest upper end is optimal for intervals on a line.
    """
    low, high = _holding(depth, shrink)
    ladders: list[list[float]] = []
    for row in range(len(shrink)):
        usable = depth.allowed_mm[row].max() > 0.0 and bool(np.all(depth.mark_allowed[row] > 0.0))
        ladders.append(stab(low[row], high[row]) if usable else [])
    return ladders


def middle_of(values: Floats) -> float:
    """The median of finite numbers; NumPy's own loads its masked arrays for it, which takes longer than a plan."""
    in_order = np.sort(values, axis=None)
    return float(0.5 * (in_order[(in_order.size - 1) // 2] + in_order[in_order.size // 2]))


def stab(low: Floats, high: Floats) -> list[float]:
    """Fewest points that hit all intervals [low, high].

    Examples
    --------
    >>> stab(np.array([0.0, 1.0, 4.0]), np.array([2.0, 3.0, 5.0]))
    [2.0, 5.0]
    """
    order = np.argsort(high)
    low, high = low[order], high[order]
    points: list[float] = []
    left = np.ones(len(low), dtype=bool)
    while left.any():
        point = float(high[np.argmax(left)])
        points.append(point)
        left &= low > point
        if len(points) > MOST_FRAMES:
            return []
    return points


def _tighten(depth: _Depth, step: _Ladders, counts: Floats, share: float) -> tuple[Floats, list[list[float]]]:
    """With the counts (S,) kept, the least blur that still covers: bisection on the share of c that is used."""
    rows = len(depth.slopes)
    low, high = np.zeros(rows), np.full(rows, share)
    best: list[list[float]] = step(depth, high, np.full(rows, MOST_FRAMES))
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        ladders = step(depth, np.maximum(middle, 1e-9), np.minimum(counts, MOST_FRAMES))
        enough = np.array([0 < len(ladder) <= count for ladder, count in zip(ladders, counts, strict=True)])
        best = [new if ok else old for new, old, ok in zip(ladders, best, enough, strict=True)]
        low, high = np.where(enough, low, middle), np.where(enough, middle, high)
    return high, best


def _best_row(problem: Problem, depth: _Depth, stops: Floats, shrink: Floats) -> int:
    """Among stops with the same count: the one whose worst point is best, as `choose_stop` has it."""
    criterion = problem.criterion
    if criterion.rule == Rule.DISC:
        return 0
    middle = len(depth.grid_mm) // 2
    blur = shrink * depth.allowed_mm[:, middle]
    magnification = depth.grid_mm[middle] / problem.focal_mm - 1.0
    working = stops * (1.0 + magnification / problem.lens.pupil_magnification)
    if criterion.rule == Rule.WAVE:
        return int(np.argmax(criterion.contrast(blur, working)))
    return int(np.argmin(criterion.softness(blur, working)))
