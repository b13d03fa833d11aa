"""Which planned exposure each frame is of where only what it shows tells: taken in another order, or some missing."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Collection, Sequence

import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled, FileError
from verispect.files.run_file import Run
from verispect.optics.types import Floats
from verispect.plan.frames.between import blur_per_defocus
from verispect.plan.methods.candidate import Candidate
from verispect.prove.align.motion import at_level, at_middle, enlarged, motion_between
from verispect.prove.checks.dust import is_plain
from verispect.prove.evidence import Evidence, small_of
from verispect.prove.expected import View
from verispect.prove.intake import Frame, coded_of, read_coded
from verispect.prove.join.found.features import features_of
from verispect.prove.join.found.placing import found_places
from verispect.prove.join.pointing import overlap_share
from verispect.prove.matching.told import match
from verispect.prove.softness.mark_softness import measure

Grey = NDArray[np.float32]
Places = tuple[int, ...]
# So many ways to leave frames out are tried; where there are more, the first and last of them alone.
_MOST_WAYS = 60
# Of more frames than this every one would have to be held against every other: their order is believed.
_MOST_FRAMES = 60
# Frames of a grid are held against one another where they share so much, and lie right within so much of a width.
_LEAST_SHARED, _NEAR = 0.12, 0.02
# Frames of a grid by which it is told whether all are as planned.
_SOME = 5
# So few frames of a grid tell nothing of those that are missing.
_LEAST_THERE = 3
# Where so many of those that follow one another lie right, nothing else is asked.
_FITS = 0.6
# Of clouds small pictures have at most some 30 points, of most else 70 and more.
_FEW_POINTS = 40
# Frames of which so many more are there than planned may begin anywhere; of more, at the start or the end.
_MOST_BEGINS = 40
# Scales that disagree by no more than this share of a step from frame to frame are as planned.
_OF_A_STEP = 0.35
# Lenses that draw alike at every focus tell nothing so.
_LEAST_BREATHING = 1e-3
# Marks agree with the plan within about so many allowed blurs; frames of a series lie about two apart.
_OFF = 0.7


def places_by_content(
    evidence: Evidence,
    used: Sequence[int],
    guess: Sequence[int],
    smalls: Sequence[Grey],
    *,
    dark: Collection[int] = (),
    repeats: Sequence[int] = (),
) -> Places:
    """Which exposure each frame is of; the guess where nothing tells better.

    Parameters
    ----------
    used : sequence of int
        Frames in the order in which they were taken, no more than were planned.
    guess : sequence of int
        The exposures they are taken for.
    smalls : sequence of ndarray
        A small picture of each in linear light.
    dark : collection of int
        Frames that came out black: of fewer than were planned the others tell where these belong.
    repeats : sequence of int
        Frames between them that show what one of them does: they took a number, and no place.
    """
    candidate = evidence.candidate
    if candidate is None or not 2 <= len(used) <= _MOST_FRAMES:
        return tuple(guess)
    planned = len(evidence.exposures)
    numbers = [
        None if (number := evidence.frames[k].number) is None else number - sum(other < k for other in repeats)
        for k in used
    ]
    ways = [tuple(guess), *(_ways(numbers, planned) if len(used) < planned else [])]
    ways += [tuple(reversed(places)) for places in ways]
    telling = [n for n, k in enumerate(used) if len(used) == planned or k not in dark]
    if len(telling) < 2:
        return tuple(guess)
    whole: dict[Places, Places] = {}
    for places in ways:
        whole.setdefault(tuple(places[n] for n in telling), places)
    judge = _Judge(evidence, [used[n] for n in telling], [smalls[n] for n in telling])
    told = (_in_grid if candidate.method.is_grid else _in_series)(judge, list(whole))
    # An order found by the frames alone is none of the ways; of black ones it says nothing.
    return whole.get(told, told if len(told) == len(used) else tuple(guess))


def in_planned_order(
    frames: Sequence[Frame], candidate: Candidate, is_cancelled: Callable[[], bool]
) -> list[Frame] | None:
    """The frames in the order of the plan's exposures where they were taken in another; None where they were not.

    A few of them tell whether all are as planned; only where they are not is every one looked at.
    """
    count = len(frames)
    alike = len({frame.pixels for frame in frames}) == 1 and 2 <= count <= _MOST_FRAMES
    if count != candidate.frame_count or not alike or tell_enough(frames, candidate):
        return None
    evidence = Evidence(list(frames), candidate, None, lambda _share, _text: None, is_cancelled)
    begin = max(0, (count - _SOME) // 2)
    some = (
        list(range(count))[begin : begin + _SOME] if candidate.method.is_grid else sorted({0, count // 2, count - 1})
    )
    if _Judge(evidence, some, [small_of(read_coded(frames[k])) for k in some]).allows(some):
        return None
    smalls = [small_of(read_coded(frame)) for frame in frames]
    places = places_by_content(evidence, range(count), range(count), smalls)
    if places == tuple(range(count)):
        return None
    return [frames[places.index(place)] for place in range(count)]


def exposures_there(
    frames: Sequence[Frame], candidate: Candidate, run: Run | None, is_cancelled: Callable[[], bool]
) -> list[int] | None:
    """Which exposures of a grid frames are of that are fewer than planned; None where most are missing.

    By what a run tells, else by where they lie over one another; None too where that does not tell.
    """
    count, planned = len(frames), candidate.frame_count
    alike = len({frame.pixels for frame in frames}) == 1
    if not candidate.method.is_grid or not alike or not max(_LEAST_THERE, planned / 2.0) <= count < planned:
        return None
    told = [shot.exposure for shot in match(frames, candidate.exposures, candidate.shots, run) if shot is not None]
    if run is not None and len(told) == count:
        return told
    evidence = Evidence(list(frames), candidate, None, lambda _share, _text: None, is_cancelled)
    smalls = [small_of(read_coded(frame)) for frame in frames]
    guess = told if len(told) == count else list(range(count))
    places = places_by_content(evidence, range(count), guess, smalls)
    return list(places) if _Judge(evidence, range(count), smalls).fitting(places) >= _FITS else None


def planned_among(evidence: Evidence, used: Sequence[int], smalls: Sequence[Grey]) -> int | None:
    """Where among too many frames those begin that lie as a grid has them; None if none do.

    A row later most lie so too: where most do it is.
    """
    planned, last = len(evidence.exposures), len(used) - len(evidence.exposures)
    best: tuple[int, int] | None = None
    # Those at the start or the end come first.
    for begin in (0, *range(last, 0, -1)) if last <= _MOST_BEGINS else (0, last):
        part = slice(begin, begin + planned)
        told = _Judge(evidence, used[part], smalls[part]).told_but_for_clouds(range(planned))
        if told and np.mean(told) >= _FITS and (best is None or sum(told) > best[0]):
            best = sum(told), begin
    return None if best is None else best[1]


def tell_enough(frames: Sequence[Frame], candidate: Candidate) -> bool:
    """Whether frames tell by their focus which exposures they are; those of a grid share theirs."""
    return not candidate.method.is_grid and len({frame.subject_m for frame in frames} - {None}) > 1


def _ways(numbers: Sequence[int | None], planned: int) -> list[Places]:
    """What the frames may be of: what is left out of their numbering is missing, else anything may be."""
    count = len(numbers)
    known = [number for number in numbers if number is not None]
    if len(known) == count and all(b > a for a, b in itertools.pairwise(known)) and known[-1] - known[0] >= count:
        after = [number - known[0] for number in known]
        return [tuple(place + begin for place in after) for begin in range(planned - after[-1])]
    if math.comb(planned, count) <= _MOST_WAYS:
        return list(itertools.combinations(range(planned), count))
    return [tuple(range(begin, begin + count)) for begin in range(planned - count + 1)][:_MOST_WAYS]


class _Judge:
    """The frames, and where the plan has their exposures look."""

    def __init__(self, evidence: Evidence, used: Sequence[int], smalls: Sequence[Grey]) -> None:
        self.evidence, self.used, self.smalls = evidence, used, smalls
        self.divide = round(evidence.pixels[0] / smalls[0].shape[1])
        self.views = [evidence.planned_view(index) for index in range(len(evidence.exposures))]
        # How large each exposure draws, as a logarithm, and how near scales must come to be as planned.
        self.drawn: Floats = np.log([view.scale_px for view in self.views])
        self.near = _OF_A_STEP * float(np.median(np.diff(np.sort(self.drawn))))
        self._fits: dict[tuple[int, int, int, int], bool | None] = {}
        self._points: dict[int, int] = {}

    def laid(self, first: int, second: int, planned: Floats, view: View) -> Floats | None:
        """What lays one frame over another, whole pixels, from where it is thought to lie."""
        if self.evidence.is_cancelled():
            raise Cancelled
        high, wide = self.smalls[first].shape
        motion = motion_between(
            self.smalls[second], self.smalls[first], planned=at_level(planned, self.divide),
            focal_px=view.scale_px / self.divide, centre_px=((wide - 1) / 2.0, (high - 1) / 2.0),
        )  # fmt: skip
        up = enlarged(self.divide)
        found: Floats = up @ motion.matrix @ np.linalg.inv(up)
        return found if motion.trusted else None

    def fits(self, first: int, second: int, a: int, b: int) -> bool | None:
        """Whether two frames lie as two exposures of a grid should; None where those share too little."""
        key = (first, second, a, b)
        if key not in self._fits:
            self._fits[key] = self._fit(*key)
        return self._fits[key]

    def _fit(self, first: int, second: int, a: int, b: int) -> bool | None:
        pixels = self.evidence.pixels
        if overlap_share(self.views[a], self.views[b], pixels) < _LEAST_SHARED:
            return None
        planned = self.views[b].onto(self.views[a])
        found = self.laid(first, second, planned, self.views[a])
        if found is None:
            # A plain sky lies anywhere.
            return None if is_plain(self.smalls[first]) or is_plain(self.smalls[second]) else False
        middle = np.array([(pixels[0] - 1) / 2.0, (pixels[1] - 1) / 2.0, 1.0])
        here, there = found @ middle, planned @ middle
        return bool(np.linalg.norm(here[:2] / here[2] - there[:2] / there[2]) < _NEAR * pixels[0])

    def _may_be_clouds(self, number: int) -> bool:
        """Whether a frame has hardly a point to go by."""
        if number not in self._points:
            points, _ = features_of(np.asarray(coded_of(self.smalls[number]) >> 8, np.uint8))
            self._points[number] = len(points)
        return self._points[number] <= _FEW_POINTS

    def scales(self) -> Floats | None:
        """By how much each frame is drawn larger than the first, as a logarithm; None where that does not tell."""
        if np.ptp(self.drawn) < _LEAST_BREATHING:
            return None
        middle = ((self.evidence.pixels[0] - 1) / 2.0, (self.evidence.pixels[1] - 1) / 2.0)
        steps = [0.0]
        for first, second in itertools.pairwise(range(len(self.used))):
            found = self.laid(first, second, np.eye(3), self.views[0])
            if found is None:
                return None
            steps.append(-math.log(at_middle(found, middle)[3]))
        return np.cumsum(steps)

    def allows(self, places: Sequence[int]) -> bool:
        """Whether the frames may be of these exposures, or do not tell."""
        candidate = self.evidence.candidate
        assert candidate is not None
        if candidate.method.is_grid:
            return self.fitting(places, unknown=1.0) >= _FITS
        scales = self.scales()
        return scales is None or _middling(scales, self.drawn, places) < self.near

    def fitting(self, places: Sequence[int], *, unknown: float = 0.0) -> float:
        """How many of the frames of a grid that follow one another lie as planned, as a share of those that tell."""
        pairs = itertools.pairwise(enumerate(places))
        told = [fit for (i, a), (j, b) in pairs if (fit := self.fits(i, j, a, b)) is not None]
        return float(np.mean(told)) if told else unknown

    def told_but_for_clouds(self, places: Sequence[int]) -> list[bool]:
        """Whether frames that follow one another lie as planned; clouds that lie elsewhere tell nothing."""
        found = []
        for (i, a), (j, b) in itertools.pairwise(enumerate(places)):
            fit = self.fits(i, j, a, b)
            if fit or (fit is False and not self._may_be_clouds(i) and not self._may_be_clouds(j)):
                found.append(bool(fit))
        return found

    def marks_agree(self, ways: Sequence[Places]) -> list[float]:
        """Of each way, how many marks are sharp where the plan has them; a step of focus off counts for nothing."""
        evidence, candidate = self.evidence, self.evidence.candidate
        assert candidate is not None
        rendering = candidate.rendering
        assert rendering is not None
        asked = [sorted({places[number] for places in ways}) for number in range(len(self.used))]
        blocks = dict(enumerate(evidence.blocks_if_of(self.used, asked)))
        totals = []
        for places in ways:
            of = {place: blocks[number][place] for number, place in enumerate(places)}
            total = 0.0
            for mark in range(candidate.scene.mark_count):
                seen = {place: of[place][mark] for place in sorted(of) if mark in of[place]}
                told = measure(candidate, rendering, mark, seen, evidence.pitch_mm)
                if told.ranged is not None:
                    exposure = candidate.exposures[told.frame]
                    off = told.ranged.off_mm * blur_per_defocus(exposure) / exposure.allowed_blur_mm
                    total += math.exp(-((off / _OFF) ** 2))
            totals.append(total)
        return totals


def _off(scales: Floats, drawn: Floats, places: Sequence[int]) -> Floats:
    """By how much each frame is drawn larger than if they were of these exposures, but for what all share."""
    rest: Floats = scales - drawn[list(places)]
    return rest - float(np.median(rest))


def _middling(scales: Floats, drawn: Floats, places: Sequence[int]) -> float:
    """Of most of them: one odd frame is a fault, not another order."""
    return float(np.median(np.abs(_off(scales, drawn, places))))


def _in_series(judge: _Judge, ways: list[Places]) -> Places:
    """By the frames' scales; between those ways that these allow, by where the marks are sharp."""
    guess, scales, drawn = ways[0], judge.scales(), judge.drawn
    if scales is None:
        return guess
    is_whole = len(guess) == len(drawn)
    if is_whole:
        if _middling(scales, drawn, guess) < judge.near:
            return guess
        # In any order: each frame as its size has it.
        order = np.empty(len(guess), int)
        order[np.argsort(scales)] = np.argsort(drawn)
        ways = list(dict.fromkeys([*ways, tuple(order.tolist())]))
        # A lens may breathe otherwise than planned: the guess stands unless the marks tell of another.
        tried = [guess, *(places for places in ways if _middling(scales, drawn, places) < judge.near)]
    else:
        spread = [float(np.ptp(_off(scales, drawn, places))) for places in ways]
        tried = [places for places, one in zip(ways, spread, strict=True) if one < min(spread) + judge.near]
    if len(tried) == 1:
        return tried[0]
    agree = judge.marks_agree(tried)
    if max(agree) > 0.0:
        return tried[int(np.argmax(agree))]
    return guess if guess in tried else tried[0]


def _in_grid(judge: _Judge, ways: list[Places]) -> Places:
    """By how many of the frames that should overlap lie where they should against one another."""

    def share(places: Places) -> float:
        pairs = itertools.combinations(enumerate(places), 2)
        told = [fit for (i, a), (j, b) in pairs if (fit := judge.fits(i, j, a, b)) is not None]
        return float(np.mean(told)) if told else 0.0

    guess = ways[0]
    if len(guess) == len(judge.views) and judge.allows(guess):
        return guess
    scores = [share(places) for places in ways]
    if max(scores) >= _FITS:
        return ways[int(np.argmax(scores))]
    anyhow = _in_any_order(judge)
    if anyhow is not None and share(anyhow) > max(max(scores), 0.5 * _FITS):
        return anyhow
    return ways[int(np.argmax(scores))] if max(scores) > scores[0] else guess


def _in_any_order(judge: _Judge) -> Places | None:
    """Frames of a turned grid placed by what they share, and each given to the exposure that looks there."""
    evidence = judge.evidence
    frames = [evidence.frames[k] for k in judge.used]
    try:
        placed = found_places(frames, None, lambda _share, _text: None, evidence.is_cancelled)
    except FileError:
        return None
    from scipy.optimize import linear_sum_assignment  # slow to import, and rarely needed

    cells = placed.cells
    if sum(map(len, cells)) < len(judge.used):
        return None
    looks = np.array([view.rotation[2] for view in judge.views])
    best: tuple[float, Places] | None = None
    for anchor in range(len(looks)):
        # As if the first place that was found were this exposure's.
        turn = placed.views[0].rotation.T @ judge.views[anchor].rotation
        seen = np.array([view.rotation[2] @ turn for view in placed.views])
        there = [(number, k) for number, cell in enumerate(cells) for k in cell]
        apart = np.linalg.norm(seen[[number for number, _ in there]][:, None] - looks[None], axis=2)
        # Those of one place stay in their order.
        cost = apart + 1e-6 * (np.arange(len(looks))[None] - np.array([k for _, k in there])[:, None]) ** 2
        rows, columns = linear_sum_assignment(cost)
        places = [0] * len(there)
        for row, column in zip(rows.tolist(), columns.tolist(), strict=True):
            places[there[row][1]] = column
        total = float(cost[rows, columns].mean())
        if best is None or total < best[0]:
            best = (total, tuple(places))
    return None if best is None else best[1]
