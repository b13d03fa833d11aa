"""Frames that look apart, by what neighbours show in common: where they looked, their light, their shake."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import NamedTuple

import cv2
import numpy as np

from verispect.errors import Cancelled
from verispect.optics.types import Floats
from verispect.prove.align.overlap import Overlap, overlap_of
from verispect.prove.checks.drift import drifted
from verispect.prove.checks.exposure import (
    OTHER_WHITE,
    exposure_fault,
    lower_median,
    off_the_rest,
    other_white_balance,
    set_off_the_rest,
)
from verispect.prove.checks.gross_blur import agreed, blurred_by, detail, lacks_detail
from verispect.prove.checks.moved import between
from verispect.prove.checks.moved_in_grid import MOVED_REMEDY, InOverlap, tell_gusts, tell_moved
from verispect.prove.checks.odd_places import odd_places
from verispect.prove.checks.overlap_tiles import Cut, shared_tiles
from verispect.prove.checks.parallax import Slide, shifts_of, slide_of
from verispect.prove.checks.pointing import LEAST_PX, Fit, Looked, fit_of, looked, moved_words, nearer_of
from verispect.prove.evidence import Evidence, Grey, is_compressed
from verispect.prove.expected import View, light_hypotheses, set_stops
from verispect.prove.focus_check import disc_px, missed_focus, out_of_focus
from verispect.prove.join.bend import straightened
from verispect.prove.join.pointing import Pair, drawn_apart, growths, surely_joined
from verispect.prove.report import Fault, FrameReport, far_motion_fault, motion_fault
from verispect.prove.resources.threads import in_turn, workers
from verispect.prove.series_check import EXPOSURE_STOPS, MUCH_CLIPPED
from verispect.prove.shake.even_motion import Shaken
from verispect.prove.shake.gust import gust_in, seen_of
from verispect.prove.shake.shaken import above_noise, shaken_in
from verispect.prove.shake.shaken_apart import Apart, shaken_apart
from verispect.prove.shake.swing import swing_between
from verispect.prove.shake.tile_powers import TilePowers, logs_of, sector_powers

# So many tiles of an overlap must tell of shake.
_LEAST_TILES = 6
# Share of the light that a JPEG may have thrown away. In overlaps few tiles show more than the 0.03 of series.
_GRAIN = 0.01
# Frames of a cell that tell among themselves, as a series does; and how much more it takes for its ends in JPEG.
_SERIES, _COMPRESSED_END = 3, 2.0
# Frames went together where they lie so alike, of how far they went; and a turn is told in degrees from here on.
_WENT_TOGETHER, _WORTH_DEG = 0.03, 0.5
# A thing nearer than the plan has any may stand so many times as far aside as a slide that is off sets those.
_TIMES_ASIDE = 3.0
_JOINING_SETS_RIGHT = "joining sets it right as far as its overlaps reach"
# A frame is held against so many others for what small things moved.
_OTHERS = 6
# Against so many others, and such a part of all that overlap it, a frame has less than so much of their detail where
# it is shaken or out of focus by far; shaken, or out of focus, is what is blurred by so many times what its planned
# focus makes: before posts and rows of windows a disc is as like as not a motion along them.
_WITNESSES, _MOST_OF, _LESS, _TIMES_PLANNED_MOVED, _TIMES_PLANNED = 2, 0.5, 0.4, 1.5, 2.0


class Compared(NamedTuple):
    """How frames agree once each is where it was found to look; how far off its pupil the head turned, where told.

    `nearer` is by what share all of them lie nearer to one another than planned, 0 where they do not; `drifts` are
    frames that show what drifts.
    """

    fit: Fit = Fit.WELL
    slide: Slide | None = None
    nearer: float = 0.0
    drifts: tuple[int, ...] = ()


def compare_cells(
    evidence: Evidence,
    cells: Sequence[Sequence[int]],
    reports: list[FrameReport],
    is_of_plan: Callable[[Fit], bool] = lambda _fit: True,
) -> Compared:
    """Compare the frame of every cell that shows most with its neighbours; what is wrong goes into their reports.

    The cell's other frames are looked at for shake alone. Where a frame should have looked only a plan tells, and how
    far off its pupil a head turned only one that has things near and far. What `is_of_plan` says no to, by how well
    it goes together, is not looked at further.
    """
    planned = [_lead(evidence, cell) for cell in cells if all(evidence.view(k) is not None for k in cell)]
    views = [view for k in planned if (view := evidence.view(k)) is not None]
    if len(planned) < 3:
        return Compared()
    indices = [index for k in planned if (index := evidence.matched[k]) is not None]
    is_planned = len(indices) == len(planned)
    found = looked(
        views, [evidence.reads[k].grey for k in planned], [evidence.reads[k].colour for k in planned],
        evidence.pixels, sizes_planned=is_planned,
        blurs=(lambda number, grown: disc_px(evidence, indices[number], grown)) if is_planned else None,
        is_cancelled=evidence.is_cancelled,
        progress=lambda share: evidence.progress(0.6 + 0.3 * share, "comparing"),
    )  # fmt: skip
    if evidence.is_cancelled():
        raise Cancelled
    fit = fit_of(found, math.hypot(*evidence.pixels))
    if not is_of_plan(fit):
        return Compared(fit)
    grown = growths(found.pairs, len(planned))
    # Without a plan a lens that is drawn out tells by how large it draws what light it loses.
    drawn = np.log([view.scale_px for view in views]) + grown
    expected = (
        light_hypotheses([evidence.exposures[index] for index in indices])
        if is_planned
        else [2.0 / math.log(2.0) * (drawn[0] - drawn)]
    )
    off = off_the_rest(found.lights[:, 0].tolist(), [np.zeros(len(planned)), *expected])
    missed = [
        is_planned and found.joined[number] and drawn_apart(found.pairs, grown, number)
        and (not reports[k].without("missed-focus") or missed_focus(evidence, k, float(grown[number]), reports[k]))
        for number, k in enumerate(planned)
    ]  # fmt: skip
    # What a lens focused too near loses by that is not the exposure's fault, where light follows the focus at all.
    followed = off + np.where(missed, 2.0 / math.log(2.0) * grown, 0.0)
    off = np.where(np.abs(followed) < np.abs(off), followed, off)
    asked = set_stops([evidence.exposures[index] for index in indices]) if is_planned else None
    set_off = set_off_the_rest([evidence.frames[k].set_stops for k in planned], asked)
    within = [(report.shift_px, report.turn_deg) for report in reports]
    for number, k in enumerate(planned):
        if not found.joined[number]:
            continue
        report = reports[k]
        report.exposure_stops = float(off[number])
        if is_planned:
            report.shift_px = (float(found.shifts[number, 0]), float(found.shifts[number, 1]))
            report.turn_deg = float(found.turns_deg[number])
        if abs(off[number]) > 2.0 * EXPOSURE_STOPS and report.without("exposure"):
            said = exposure_fault(
                float(off[number]), set_off[number], "its neighbours", "; joining evens out what is not clipped"
            )
            report.faults.append(said)
    _white_balance(planned, cells, found, reports)
    divide = evidence.reads[planned[0]].divide
    drifts: tuple[int, ...] = ()
    if is_planned:
        odd = found.odd(divide)
        went_on = drifted(found.shifts)
        if (odd & went_on).any():
            # Where they looked nobody knows then; a head goes where it is sent.
            odd &= ~went_on
            drifts = tuple(planned[number] for number in np.flatnonzero(went_on))
        drifts += tuple(planned[number] for number in found.held)
        for k in drifts:
            reports[k].shift_px, reports[k].turn_deg = (0.0, 0.0), 0.0
        # Of two frames of a cell nobody can say which was pushed; the cells about it can.
        accused = {
            k for number, k in enumerate(planned)
            if found.joined[number] and not reports[k].is_stranger and not reports[k].without("knock")
        }  # fmt: skip
        for k in accused:
            reports[k].faults = [fault for fault in reports[k].faults if fault.name != "knock"]
        pushed = [
            number for number, k in enumerate(planned)
            if found.joined[number] and odd[number] and not missed[number] and not reports[k].is_stranger
        ]  # fmt: skip
        _knocks(pushed, planned, found, reports)
        _went_with_lead(accused.union(planned[number] for number in pushed), cells, within, reports)
    compressed = any(is_compressed(evidence.frames[k]) for cell in cells for k in cell)
    grain = _GRAIN if compressed else 0.0
    seen, apart = [], []
    details: list[tuple[Pair, tuple[float, float]]] = []

    def shared(pair: Pair) -> Overlap | None:
        a, b = pair.a, pair.b
        return overlap_of(found.straight[a], found.straight[b], found.views[b].onto(found.views[a]), divide)

    def held_between(pair: Pair) -> tuple[tuple[float, float], InOverlap | None, Apart | None] | None:
        overlap = shared(pair)
        if overlap is None:
            return None
        both = detail(overlap.here, overlap.shown), detail(overlap.there, overlap.shown)
        if not pair.trusted or pair.drifts:
            return both, None, None
        held = between(overlap.here, overlap.there, overlap.shown)
        lost = _apart(overlap, planned[pair.a], planned[pair.b], grain)
        here, there = seen_of(overlap.here), seen_of(overlap.there)
        gusts = (
            gust_in(here, [(there, np.eye(3))], overlap.shown),
            gust_in(there, [(here, np.eye(3))], overlap.shown),
        )
        return both, InOverlap(pair, overlap.top, overlap.left, held, gusts), lost

    for pair, told in zip(found.pairs, in_turn(held_between, found.pairs, workers()), strict=True):
        if evidence.is_cancelled():
            raise Cancelled
        if told is not None:
            details.append((pair, told[0]))
            seen += [] if told[1] is None else [told[1]]
            apart.append(told[2])
    trusted = [pair for pair in found.pairs if pair.trusted]
    shown = _views_in_cells(evidence, cells, planned, found)
    beside = [frozenset((planned[pair.a], planned[pair.b])) for pair in trusted]
    alike = [pair for pair in _focused_alike(evidence, cells, beside) if pair <= shown.keys()]
    in_cells = [pair for pair in alike if pair not in beside]
    apart += _apart_in_cells(evidence, shown, in_cells, dict(zip(planned, found.straight, strict=True)), grain)
    by_size = [(apart, divide)]
    finer = evidence.reads[planned[0]].sectors_divide
    if finer < divide:
        # Small shakes show in larger pictures alone, those of frames out of focus in smaller ones.
        by_size.insert(0, (_apart_in_tiles(evidence, shown, beside + in_cells, grain), finer))
    far = _blurred_far(evidence, planned, details, shared, reports)
    # What is blurred so far tells nothing of those beside it.
    by_size = [([pair for pair in pairs if pair and not far & {pair.first, pair.second}], size)
               for pairs, size in by_size]  # fmt: skip
    _shaken(evidence, cells, by_size, compressed, reports)

    def apart_px(one: InOverlap) -> float:
        return evidence.blurred_px(planned[one.pair.a], [planned[one.pair.b]])

    tell_gusts(planned, divide, found, seen, reports, apart_px)
    nearer = nearer_of(views, found, math.hypot(*evidence.pixels)) if is_planned else 0.0
    if not nearer:
        _shown_otherwise(evidence, planned, found, missed, reports)
        tell_moved(planned, divide, found, seen, reports, lambda one: max(apart_px(one), divide * one.held.blurred))
    candidate = evidence.candidate
    if not is_planned or candidate is None or not candidate.method.turns:
        return Compared(fit, None, nearer, drifts)
    slide = slide_of(shifts_of(found.views, found.straight, trusted, divide), candidate.scene)
    if slide is not None and slide.matters:
        # What stands aside for that has not moved.
        for k in planned:
            reports[k].faults = [
                fault for fault in reports[k].faults
                if fault.name != "moved-subject" or fault.size > _TIMES_ASIDE * slide.aside_px
            ]  # fmt: skip
    return Compared(fit, slide, nearer, drifts)


def _white_balance(
    planned: Sequence[int], cells: Sequence[Sequence[int]], found: Looked, reports: list[FrameReport]
) -> None:
    """Frames of another white balance than most: what of a cell shows most stands for all of it."""
    joined = np.flatnonzero(found.joined)
    if len(joined) < 2:
        return
    usual = [lower_median(found.lights[joined, c]) for c in (1, 2)]
    for number in joined.tolist():
        lead = planned[number]
        off = found.lights[number, 1:] - usual - np.array(reports[lead].white_balance_stops)
        for k in next(cell for cell in cells if lead in cell):
            own = np.array(reports[k].white_balance_stops)
            red, blue = (off + own).tolist()
            if np.abs(own).max() > OTHER_WHITE:
                # It was told within its cell.
                reports[k].white_balance_stops = (red, blue)
            else:
                other_white_balance(reports[k], red, blue)


def _knocks(pushed: Sequence[int], planned: Sequence[int], found: Looked, reports: list[FrameReport]) -> None:
    """Frames that look elsewhere: each by itself, or those that went together from one of them on."""

    def together(a: int, b: int) -> bool:
        apart = float(np.hypot(*(found.shifts[a] - found.shifts[b])))
        return b == a + 1 and apart < max(LEAST_PX, _WENT_TOGETHER * float(np.hypot(*found.shifts[a])))

    stays: list[list[int]] = []
    for number in pushed:
        if stays and together(stays[-1][-1], number):
            stays[-1].append(number)
        else:
            stays.append([number])
    for stay in stays:
        begin, end = (reports[planned[number]].file for number in (stay[0], stay[-1]))
        for number in stay:
            report = reports[planned[number]]
            size = math.hypot(*report.shift_px)
            degrees = math.degrees(size / found.views[number].scale_px)
            moved = moved_words(report.shift_px, report.turn_deg)
            moved += f": by {degrees:.1f}°" if degrees >= _WORTH_DEG else ""
            says, remedy = f"it looks elsewhere: {moved}", "take this frame again"
            if len(stay) > 1:
                says, remedy = f"the head looks elsewhere from {begin} on: {moved}", f"take {begin} to {end} again"
            remedy += f"; {_JOINING_SETS_RIGHT}"
            report.faults.append(Fault("knock", round(size, 3), says, remedy))


def _blurred_far(
    evidence: Evidence,
    planned: Sequence[int],
    details: Sequence[tuple[Pair, tuple[float, float]]],
    shared: Callable[[Pair], Overlap | None],
    reports: list[FrameReport],
) -> set[int]:
    """Frames that show hardly any of the detail that all about them do: shaken far, or far out of focus.

    `details` are those of both frames of every pair in what they share, and `shared` is that.
    """
    far: set[int] = set()
    whole = [detail(evidence.reads[k].grey) for k in planned]
    usual = float(np.median(whole))
    for number, k in enumerate(planned):
        report = reports[k]
        if evidence.reads[k].clipped > MUCH_CLIPPED or not report.without("missed-focus", "dark"):
            continue
        beside = [
            (pair, both if pair.a == number else both[::-1]) for pair, both in details if number in (pair.a, pair.b)
        ]
        soft = [pair for pair, (own, others) in beside if own < _LESS * others]
        if len(soft) < _WITNESSES or len(soft) < _MOST_OF * len(beside):
            continue
        blurs = []
        for pair in soft:
            if evidence.is_cancelled():
                raise Cancelled
            part = shared(pair)
            assert part is not None
            here, there = part.inner
            blur = blurred_by(here, there) if pair.a == number else blurred_by(there, here)
            blurs += [] if blur is None else [blur]
        blur = agreed(blurs, _WITNESSES)
        if blur is None or len(blurs) < _MOST_OF * len(soft):
            continue
        size = evidence.reads[k].divide * blur.size_px
        as_planned = evidence.blurred_px(k, [planned[pair.a + pair.b - number] for pair in soft])
        if blur.direction_deg is not None and size > _TIMES_PLANNED_MOVED * as_planned:
            far_motion_fault(report, size, blur.direction_deg)
        elif blur.direction_deg is None and size > _TIMES_PLANNED * as_planned and (
            all(lacks_detail(*both) for _, both in beside) and lacks_detail(whole[number], usual)
        ):  # fmt: skip
            out_of_focus(evidence, k, size, report)
        else:
            continue
        far.add(k)
    return far


def _went_with_lead(
    leads: Collection[int],
    cells: Sequence[Sequence[int]],
    within: Sequence[tuple[tuple[float, float], float]],
    reports: list[FrameReport],
) -> None:
    """The other frames of cells of which one was found to look elsewhere: whether they went with it.

    Among themselves, `within` their cell, frames tell who lies aside of whom, of two not who is where it was planned.
    """
    for lead in leads:
        cell = next(cell for cell in cells if lead in cell)
        (down, right), turn = reports[lead].shift_px, reports[lead].turn_deg
        for k in cell:
            if k == lead or not reports[k].without("unsteady", "missed-focus"):
                continue
            own, leads_own = within[k][0], within[lead][0]
            shift = (down + own[0] - leads_own[0], right + own[1] - leads_own[1])
            report = reports[k]
            report.shift_px, report.turn_deg = shift, turn + within[k][1] - within[lead][1]
            report.faults = [fault for fault in report.faults if fault.name != "knock"]
            if (size := math.hypot(*shift)) > LEAST_PX:
                moved = moved_words(shift, report.turn_deg)
                report.faults.append(
                    Fault("knock", round(size, 3), f"it looks elsewhere: {moved}",
                          f"take this frame again; {_JOINING_SETS_RIGHT}")
                )  # fmt: skip


def _lead(evidence: Evidence, cell: Sequence[int]) -> int:
    """The frame of a cell that shows most fine detail; without a plan the one whose place was found."""
    if any(evidence.matched[k] is None for k in cell):
        return cell[0]

    def detail(k: int) -> float:
        return float(np.abs(cv2.Laplacian(cv2.GaussianBlur(evidence.reads[k].grey, (0, 0), 1.0), cv2.CV_32F)).mean())

    return max(cell, key=detail)


def _views_in_cells(
    evidence: Evidence, cells: Sequence[Sequence[int]], leads: Sequence[int], found: Looked
) -> dict[int, View]:
    """Where every frame of a cell looked, turned as its cell's lead was found to be."""
    place = {k: number for number, k in enumerate(leads)}
    views = {}
    for cell in cells:
        lead = next((k for k in cell if k in place), None)
        planned = None if lead is None else evidence.view(lead)
        if lead is None or planned is None:
            continue
        own = found.views[place[lead]]
        for k in cell:
            view = evidence.view(k)
            if k == lead:
                views[k] = own
            elif view is not None:
                turned = own.rotation @ planned.rotation.T @ view.rotation
                views[k] = replace(view, rotation=turned, bend=own.bend)
    return views


def _apart_in_cells(
    evidence: Evidence,
    views: Mapping[int, View],
    wanted: Sequence[frozenset[int]],
    straight: dict[int, Grey],
    grain: float,
) -> list[Apart | None]:
    """What frames of grids of series lost against those focused next to them in their cell and in its neighbours."""
    for k in frozenset().union(*wanted) - straight.keys():
        straight[k] = straightened(evidence.reads[k].grey, views[k], evidence.pixels)

    def apart(pair: frozenset[int]) -> Apart | None:
        k, other = sorted(pair)
        divide = evidence.reads[k].divide
        overlap = overlap_of(straight[k], straight[other], views[other].onto(views[k]), divide)
        return None if overlap is None else _apart(overlap, k, other, grain)

    told = []
    for one in in_turn(apart, wanted, workers()):
        if evidence.is_cancelled():
            raise Cancelled
        told.append(one)
    return told


def _apart_in_tiles(
    evidence: Evidence, views: Mapping[int, View], wanted: Sequence[frozenset[int]], grain: float
) -> list[Apart | None]:
    """What frames that share something lost against one another, by tiles of large pictures, frame after frame."""
    divide = evidence.reads[next(iter(views))].sectors_divide
    asked: dict[int, list[tuple[int, Cut]]] = {}
    for number, pair in enumerate(wanted):
        k, other = sorted(pair)
        cuts = shared_tiles(views[k], views[other], evidence.pixels, divide)
        for frame, cut in zip((k, other), cuts or (), strict=False):
            asked.setdefault(frame, []).append((number, cut))
    frames = sorted(asked)
    powers: dict[tuple[int, int], TilePowers] = {}

    def of_frame(k: int) -> list[TilePowers]:
        return evidence.tiles(k, [cut for _, cut in asked[k]], views[k])

    for k, found in zip(frames, in_turn(of_frame, frames, evidence.at_once), strict=True):
        if evidence.is_cancelled():
            raise Cancelled
        powers |= {(number, k): tiles for (number, _), tiles in zip(asked[k], found, strict=True)}
    told: list[Apart | None] = []
    for number, pair in enumerate(wanted):
        k, other = sorted(pair)
        if (number, k) in powers:
            told.append(_apart_by(k, other, *(logs_of(powers[number, one], grain=grain) for one in (k, other))))
    return told


def _apart(overlap: Overlap, first: int, second: int, grain: float) -> Apart | None:
    """What the first of two frames that overlap has more of along a direction; None where too little tells."""
    own, other = (sector_powers(part, overlap.shown, grain=grain) for part in (overlap.here, overlap.there))
    return _apart_by(first, second, own, other)


def _apart_by(first: int, second: int, own: Floats, other: Floats) -> Apart | None:
    """What the first frame has more of along a direction than the second; None where too little tells."""
    swing = swing_between(own, other, _LEAST_TILES)
    return None if swing is None else Apart(first, second, swing, (own - other).astype(np.float32))


def _focused_alike(
    evidence: Evidence, cells: Sequence[Sequence[int]], beside: Collection[frozenset[int]]
) -> list[frozenset[int]]:
    """Frames next to one another in focus within a cell, and of two cells side by side those focused most alike."""
    if all(len(cell) == 1 for cell in cells):
        return []

    distance = partial(_focused_at, evidence)

    def nearest(k: int, those: Sequence[int]) -> int:
        return min(those, key=lambda m: abs(distance(m) - distance(k)))

    found = []
    for cell in cells:
        found += [frozenset(pair) for pair in itertools.pairwise(sorted(cell, key=distance))]
    for one, other in itertools.combinations(cells, 2):
        if not any(frozenset((a, b)) in beside for a in one for b in other):
            continue
        found += [frozenset((k, nearest(k, those))) for these, those in ((one, other), (other, one)) for k in these]
    return list(dict.fromkeys(found))


def _focused_at(evidence: Evidence, k: int) -> float:
    """Image distance of a frame, mm; without a plan its place in the order it was taken."""
    index = evidence.matched[k]
    return float(k) if index is None else evidence.exposures[index].state.image_distance_mm


def _shaken(
    evidence: Evidence,
    cells: Sequence[Sequence[int]],
    by_size: Sequence[tuple[Sequence[Apart | None], int]],
    compressed: bool,
    reports: list[FrameReport],
) -> None:
    """Frames that lost detail along one direction against all that show the same places, or of a cell's series."""
    place = {k: number for number, cell in enumerate(cells) for k in cell}
    told: dict[int, tuple[Shaken, int]] = {}
    for pairs, divide in by_size:
        for k, shaken in shaken_apart([pair for pair in pairs if pair is not None], place).items():
            told.setdefault(k, (shaken, divide))
    for cell in cells:
        if len(cell) < _SERIES:
            continue
        in_order = sorted(cell, key=lambda k: _focused_at(evidence, k))
        care = [_COMPRESSED_END if compressed and k in (in_order[0], in_order[-1]) else 1.0 for k in in_order]
        powers = above_noise([evidence.reads[k].sectors for k in in_order])
        of_series = shaken_in(powers, care.__getitem__, compressed=compressed)
        for number, shaken in of_series.items():
            k = in_order[number]
            told.setdefault(k, (shaken, evidence.reads[k].sectors_divide))
    for k, (shaken, divide) in sorted(told.items()):
        # A frame that was focused elsewhere shows posts that no other does.
        if reports[k].without("knock", "motion", "missed-focus"):
            motion_fault(reports[k], shaken.length_px * divide, shaken.direction_deg)


def _shown_otherwise(
    evidence: Evidence, planned: Sequence[int], found: Looked, missed: Sequence[bool], reports: list[FrameReport]
) -> None:
    """Things that one frame shows elsewhere than two others, or alone, however small they are before what stays."""
    told = ("knock", "motion", "missed-focus")
    without = {number for number, k in enumerate(planned) if missed[number] or not reports[k].without(*told)}
    # Where focus parts two frames little of one is found in the other; where each looks the rest of the grid tells.
    among = [surely_joined(found.pairs, number) for number in range(len(planned))]
    shared = [(pair.a, pair.b, pair.overlap) for pair in found.pairs if pair.b in among[pair.a]]
    views = found.views
    for one in odd_places(
        lambda j, k: views[j].onto(views[k]), found.colours, shared, evidence.pixels,
        most_others=_OTHERS, without=without, blurs=evidence.blurs_of(planned), is_cancelled=evidence.is_cancelled,
    ):  # fmt: skip
        drawn = views[one.frame].drawn(np.array(one.column), np.array(one.row))
        column, row = (float(part) for part in drawn)
        report, beside = reports[planned[one.frame]], reports[planned[one.other]].file
        if report.without("moved-subject"):
            report.faults.append(one.fault((row, column), beside, MOVED_REMEDY))
