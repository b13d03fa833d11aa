"""What moved between the frames of a grid, and while one of them was taken: by what their overlaps show."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from verispect.optics.types import Floats
from verispect.prove.checks.moved import OF_BLUR, Between
from verispect.prove.checks.odd_places import aside_fault
from verispect.prove.checks.pointing import Looked
from verispect.prove.join.pointing import Pair
from verispect.prove.report import FrameReport, gust_fault
from verispect.prove.shake.gust import Gust

# Blocks that lie so near one another tell of the same place, pixels of the pictures looked at.
_NEAR_PX = 24.0
# Two blocks on one thing lie within so many times that.
_BLOCKS_NEAR = 4.0
# What moved stands so many times farther aside than its pair's own place lies from the one that all pairs gave.
_TIMES_REST = 3.0
# Lines drawn out across by less than so many times what focus makes of them may be out of focus.
_OF_LINES = 1.6
MOVED_REMEDY = "take that part from the other frame when joining, or take it again in a calm moment"


@dataclass(frozen=True)
class InOverlap:
    """What an overlap showed, at a place of its first frame's picture; what moved in the first and in the second."""

    pair: Pair
    top: int
    left: int
    held: Between
    gusts: Sequence[Gust | None] = (None, None)


def tell_moved(
    planned: list[int],
    divide: int,
    found: Looked,
    seen: Sequence[InOverlap],
    reports: list[FrameReport],
    blurred_px: Callable[[InOverlap], float],
) -> None:
    """Things that two frames show elsewhere, though all about them agrees; a third frame tells which one is odd.

    `blurred_px` tells by how much more one of a pair is blurred than the other.
    """

    def ray(one: InOverlap, row: float, column: float) -> Floats:
        return _ray(found, divide, one, row, column)

    agree = [(one.pair, np.array([ray(one, *place) for place in one.held.same]).reshape(-1, 3)) for one in seen]
    near = _NEAR_PX * divide / float(np.median([view.scale_px for view in found.views]))

    def vouched_for(one: InOverlap, way: Floats) -> set[int]:
        """Which of the two frames agree with a third about what is there."""
        return {
            number
            for other, rays in agree
            if other != one.pair and rays.size and np.linalg.norm(rays - way, axis=1).min() < near
            for number in (one.pair.a, one.pair.b)
            if number in (other.a, other.b)
        }

    told = [
        (one, one.held.aside, ray(one, one.held.aside.row, one.held.aside.column))
        for one in seen
        if one.held.aside
        and one.pair.sure
        and divide * one.held.aside.shift
        > max(
            _TIMES_REST * found.rests[one.pair.a, one.pair.b],
            OF_BLUR * blurred_px(one),
        )
    ]

    def against(one: InOverlap, way: Floats) -> set[int]:
        """Which of the two frames stands aside of a third as well, about there, where the other does not."""
        others = [
            other.pair for other, _, elsewhere in told
            if other is not one and np.linalg.norm(elsewhere - way) < _BLOCKS_NEAR * near
        ]  # fmt: skip
        often = [sum(number in (other.a, other.b) for other in others) for number in (one.pair.a, one.pair.b)]
        return {one.pair.a} if often[0] > often[1] else {one.pair.b} if often[1] > often[0] else set()

    decided = []
    for one, aside, way in told:
        odd_one, pair = against(one, way), one.pair
        vouched = {pair.a, pair.b} - odd_one if odd_one else vouched_for(one, way)
        decided.append((pair, aside, way, vouched))
    # What a third frame decides first: it may tell whose the others are.
    for pair, aside, way, vouched in sorted(decided, key=lambda each: not each[3]):
        if len(vouched) == 2:
            # Both agree with others about it: it lies between them alone.
            continue
        odd = pair.a if vouched == {pair.b} else pair.b if vouched == {pair.a} else max(pair.a, pair.b)
        report, beside = reports[planned[odd]], reports[planned[pair.a + pair.b - odd]].file
        either = [reports[planned[number]] for number in ((odd,) if vouched else (pair.a, pair.b))]
        if any(not reports[planned[number]].without("moved-subject") for number in (pair.a, pair.b)):
            continue
        # A frame out of focus shows edges elsewhere, and one that was turned everything.
        if not all(one.without("moved-subject", "knock", "motion", "missed-focus") for one in either):
            continue
        at = _drawn(found, odd, way)
        report.faults.append(aside_fault(divide * aside.shift, at, beside, MOVED_REMEDY, is_sure=bool(vouched)))


def tell_gusts(
    planned: Sequence[int],
    divide: int,
    found: Looked,
    seen: Sequence[InOverlap],
    reports: list[FrameReport],
    apart_px: Callable[[InOverlap], float],
) -> None:
    """Things that moved while a frame was taken, by the overlap that shows most of each.

    `apart_px` tells by how much more one of a pair is blurred than the other where that is in focus.
    """
    told: dict[int, tuple[InOverlap, Gust]] = {}
    for one in seen:
        for number, gust in zip((one.pair.a, one.pair.b), one.gusts, strict=True):
            if gust is None:
                continue
            # Posts that only one of both has in focus, or neither, look as if they had moved.
            if gust.across_lines and divide * gust.length_px < _OF_LINES * apart_px(one):
                continue
            if number not in told or gust.cells > told[number][1].cells:
                told[number] = (one, gust)
    for number, (one, gust) in told.items():
        report = reports[planned[number]]
        if report.without("moved-subject", "knock", "motion", "missed-focus"):
            at = _drawn(found, number, _ray(found, divide, one, gust.row, gust.column))
            report.faults.append(gust_fault(at, divide * gust.length_px, gust.direction_deg, MOVED_REMEDY))


def _ray(found: Looked, divide: int, one: InOverlap, row: float, column: float) -> Floats:
    """Where a place of an overlap lies from the camera, of length 1."""
    view = found.views[one.pair.a]
    at = ((one.left + column + 0.5) * divide - 0.5, (one.top + row + 0.5) * divide - 0.5, 1.0)
    whole: Floats = view.rotation.T @ np.linalg.solve(view.to_pixels, np.array(at))
    return whole / np.linalg.norm(whole)


def _drawn(found: Looked, number: int, way: Floats) -> tuple[float, float]:
    """The pixel (row, column) of a frame where it shows what lies that way."""
    view = found.views[number]
    place = view.to_pixels @ view.rotation @ way
    column, row = (float(part) for part in view.drawn(place[0] / place[2], place[1] / place[2]))
    return row, column
