"""Frames that nothing planned: which of them lie side by side, found from what they have in common."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np

from verispect.errors import FileError
from verispect.prove.evidence import Evidence
from verispect.prove.expected import View
from verispect.prove.join.found.alike import may_lie_aside
from verispect.prove.join.found.features import features_of
from verispect.prove.join.found.placing import Placed, found_places
from verispect.prove.join.pointing import overlap_share
from verispect.prove.parting.sets import ELSE, FrameSet
from verispect.prove.parting.views import Grey, runs_of

# More are not looked at: every pair would have to be.
_MOST = 60
# A grid has so many places; of the frames that may lie in it so many must, of every part that was parted from the
# others by what it shows too.
LEAST_PLACES, _LEAST_SHARE = 3, 0.6
# Clouds have at most some 60 points to go by at the working size, brick and leaves 400 and more.
_MUCH = 200
# Frames that share so much look the same way.
SAME_PLACE = 0.85
_WHY = "each shows a part of what its neighbours show"

Cells = list[list[int]]


def grids_among(
    evidence: Evidence, sets: Sequence[FrameSet], thumbs: Sequence[Grey], left_out: Collection[int]
) -> tuple[list[FrameSet], dict[FrameSet, Cells]]:
    """The sets with those that prove to be parts of one grid put together, and the frames of each grid by places.

    Where each place looks is kept in the evidence.

    Parameters
    ----------
    thumbs : sequence of ndarray
        A tiny picture of every frame.
    left_out : collection of int
        Frames that show nothing, or nothing of their own.
    """
    given = _Given(evidence, thumbs, left_out)
    chains: list[list[FrameSet]] = []
    for group in sets:
        if group.beside and chains:
            chains[-1].append(group)
        else:
            chains.append([group])
    found: list[tuple[FrameSet, Cells | None]] = []
    for chain in chains:
        found += _grids_of(given, chain)
    found = _without_faults(given, found)
    if evidence.candidate is None:
        found = [one for group, cells in found for one in ([(group, cells)] if cells else _each_alone(given, group))]
    return [group for group, _ in found], {group: cells for group, cells in found if cells is not None}


def placed_by_content(evidence: Evidence, some: Sequence[int], *, as_told: bool = True) -> Placed | None:
    """How some frames lie beside one another; None where they have nothing in common. Kept for the next check.

    Parameters
    ----------
    as_told : bool
        Whether the focal length is near the one that the frames' metadata tell; else by what they show alone.
    """

    def say(share: float, text: str) -> None:
        evidence.progress(0.6 + 0.1 * share, text)

    def found() -> Placed | None:
        frames = [evidence.frames[k] for k in some]
        frames = frames if as_told else [replace(frame, focal_mm=None) for frame in frames]
        pictures = [evidence.eight_bits(k) for k in some]
        try:
            return found_places(frames, None, say, evidence.is_cancelled, pictures)
        except FileError:
            return None

    return evidence.known_of("placed" if as_told else "placed anew", some, found)


@dataclass(frozen=True)
class _Given:
    """What there is to go by."""

    evidence: Evidence
    thumbs: Sequence[Grey]
    left_out: Collection[int]

    def placed(self, some: Sequence[int]) -> Placed | None:
        """How some frames lie beside one another; None where they have nothing in common."""
        return placed_by_content(self.evidence, some)

    def show_much(self, parts: Sequence[FrameSet]) -> bool:
        """Whether any frame of some sets would have something in common with what lies beside it."""
        return any(len(features_of(self.evidence.eight_bits(k))[0]) > _MUCH for part in parts for k in part.frames)


def _each_alone(given: _Given, group: FrameSet) -> list[tuple[FrameSet, Cells | None]]:
    """A set of which no frame shows anything that another one shows as so many single frames, else as it is.

    Two may still be of one place, so far apart in focus that nothing is sharp in both.
    """
    views = _views(group, given)
    is_mixed = len(views) < len(group.frames) or not LEAST_PLACES <= len(views) <= _MOST
    if group.by_hand or group.set_apart or is_mixed or given.placed(sorted(group.frames)) is not None:
        return [(group, None)]
    first = replace(group, frames=group.frames[:1])
    return [(first, None), *((FrameSet((k,), None, (ELSE,)), None) for k in group.frames[1:])]


def _without_faults(
    given: _Given, sets: Sequence[tuple[FrameSet, Cells | None]]
) -> list[tuple[FrameSet, Cells | None]]:
    """Sets with those put together that one frame parts which came out black where a grid has a place for it."""
    found: list[tuple[FrameSet, Cells | None]] = []
    for group, cells in sets:
        black = group.separator
        before = found[-1] if found else None
        if before is not None and black is not None and before[0].frames[-1] + 1 == black == group.frames[0] - 1:
            halves = (before, (group, cells))
            if all(_in_a_grid(*half, given.thumbs) for half in halves):
                parts = [half[0] for half in halves]
                placed = _placed(given, parts)
                if placed is not None and _goes_on(given.evidence, parts, placed):
                    whole = _placed_in(given.evidence, parts, placed)
                    whole = replace(whole, frames=(*parts[0].frames, black, *parts[1].frames))
                    found[-1] = whole, [cell for cell, _ in placed]
                    continue
        found.append((group, cells))
    return found


def _in_a_grid(group: FrameSet, cells: Cells | None, thumbs: Sequence[Grey]) -> bool:
    """Whether a set may be a part of a grid: it is one, or no two frames after one another show the same."""
    alone = len(runs_of([thumbs[k] for k in group.frames])) == len(group.frames)
    return not group.by_hand and (cells is not None or alone)


def _goes_on(evidence: Evidence, parts: Sequence[FrameSet], placed: Sequence[tuple[list[int], View]]) -> bool:
    """Whether all frames of two parts lie side by side, and none of the second where one of the first lies."""
    there = {k for cell, _ in placed for k in cell}
    sides = [[(cell, looks) for cell, looks in placed if set(cell) & set(part.frames)] for part in parts]
    both = any(set(cell) & set(parts[0].frames) and set(cell) & set(parts[1].frames) for cell, _ in placed)
    anew = any(
        overlap_share(first, second, evidence.pixels) > SAME_PLACE for _, first in sides[0] for _, second in sides[1]
    )
    return not both and not anew and all(there.issuperset(part.frames) for part in parts)


def _grids_of(given: _Given, parts: Sequence[FrameSet]) -> list[tuple[FrameSet, Cells | None]]:
    """Parts that lie beside one another as one set, with its places; parts that do not as they were."""
    placed = _placed(given, parts)
    if placed is None:
        if len(parts) == 1:
            return [(parts[0], None)]
        return [found for part in parts for found in _grids_of(given, [part])]
    cells = [cell for cell, _ in placed]
    if parts[0].by_hand:
        return [(_placed_in(given.evidence, parts, placed), cells)]
    there = {k for cell in cells for k in cell}
    # Another grid before or after it is one of its own, and so is a series; a few frames of sky are not.
    before, after = (
        _on_their_own(given, _grids_of(given, some) if some else [])
        for some in (_those(parts, lambda k: k < min(there)), _those(parts, lambda k: k > max(there)))
    )
    alone = {k for group, _ in (*before, *after) for k in group.frames}
    own = _those(parts, lambda k: k not in alone)
    within = _those(own, lambda k: min(there) <= k <= max(there))
    beside = _those(own, lambda k: not min(there) <= k <= max(there))
    if all(_lies_in(part, there, given) for part in own):
        within, beside = own, []
    elif not all(_lies_in(part, there, given) for part in within) or not given.show_much(beside):
        # What shows a lot and lies not beside it is something else; a few frames of sky tell nothing.
        within, beside = [], own
    grid = [(_placed_in(given.evidence, within, placed), cells)] if within else []
    return sorted([*before, *grid, *((part, None) for part in beside), *after], key=lambda one: one[0].frames[0])


def _lies_in(part: FrameSet, there: Collection[int], given: _Given) -> bool:
    """Whether most frames of a part lie in a grid, or all but one."""
    told = [k in there for k in part.frames if k not in given.left_out]
    return not told or (any(told) and (float(np.mean(told)) >= _LEAST_SHARE or sum(told) + 1 == len(told)))


def _on_their_own(given: _Given, outside: list[tuple[FrameSet, Cells | None]]) -> list[tuple[FrameSet, Cells | None]]:
    """Of the sets before or after a grid those that are none of it: all where one is a grid, else series.

    A row of sky goes with what lies below it.
    """
    if any(cells is not None and given.show_much([group]) for group, cells in outside):
        return outside
    return [(group, None) for group, _ in outside if _is_series(group, given)]


def _is_series(group: FrameSet, given: _Given) -> bool:
    """Whether frames are of one view, which shows something."""
    views = _views(group, given)
    if len(views) != 1 or len(views[0]) < 2:
        return False
    view = views[0]
    return given.placed(sorted({view[0], view[len(view) // 2], view[-1]})) is not None


def _placed_in(evidence: Evidence, parts: Sequence[FrameSet], placed: Sequence[tuple[list[int], View]]) -> FrameSet:
    """Parts as one set, and in the evidence where each of its frames looks."""
    for cell, looks in placed:
        evidence.found |= dict.fromkeys(cell, looks)
    return replace(
        parts[0],
        frames=tuple(k for part in parts for k in part.frames),
        why=tuple(dict.fromkeys((*parts[0].why, _WHY))),
    )


def _those(parts: Sequence[FrameSet], wanted: Callable[[int], bool]) -> list[FrameSet]:
    """The parts with such frames alone; what went before a part goes before its first frame."""
    found = []
    for part in parts:
        some = tuple(k for k in part.frames if wanted(k))
        if some and some[0] == part.frames[0]:
            found.append(replace(part, frames=some))
        elif some:
            found.append(replace(part, frames=some, separator=None, why=(ELSE,)))
    return found


def _placed(given: _Given, parts: Sequence[FrameSet]) -> list[tuple[list[int], View]] | None:
    """The frames of a grid by places, and where each looks; None where they are none."""
    views = [view for part in parts if (view := _views(part, given))]
    # A few frames of each view tell where it lies.
    some = sorted({view[k] for each in views for view in each for k in (0, len(view) // 2, -1)})
    several = sum(map(len, views)) >= LEAST_PLACES or any(
        _may_be_apart(view, given) for each in views for view in each
    )
    if not several or not LEAST_PLACES <= len(some) <= _MOST:
        return None
    placed = given.placed(some)
    if placed is None or len(placed.cells) < LEAST_PLACES:
        return None
    lies = {some[number]: looks for cell, looks in zip(placed.cells, placed.views, strict=True) for number in cell}
    alike = [view for each in views for view in each if _lie_apart(view, lies, given.evidence.pixels)]
    more = sorted({*some, *(k for view in alike for k in view)})
    if len(more) > len(some):
        if len(more) > _MOST or (placed := given.placed(more)) is None:
            return None
        some = more
    of_view = {k: [k] if view in alike else view for each in views for view in each for k in view}
    found: list[tuple[list[int], View]] = []
    known: set[int] = set()
    for cell, looks in zip(placed.cells, placed.views, strict=True):
        new = sorted({k for number in cell for k in of_view[some[number]]} - known)
        if new:
            found.append((new, looks))
            known |= set(new)
    return found if len(found) >= LEAST_PLACES else None


def _may_be_apart(view: Sequence[int], given: _Given) -> bool:
    """Whether frames that look alike lie aside by their looks: window after window of a house is the same."""
    some = [given.evidence.eight_bits(k) for k in sorted({view[0], view[len(view) // 2], view[-1]})]
    return any(may_lie_aside(first, second) for first, second in itertools.pairwise(some))


def _lie_apart(view: Sequence[int], lies: dict[int, View], pixels: tuple[int, int]) -> bool:
    """Whether frames that look alike were found at several places."""
    found = [lies[k] for k in view if k in lies]
    return any(overlap_share(first, second, pixels) < SAME_PLACE for first, second in itertools.pairwise(found))


def _views(part: FrameSet, given: _Given) -> list[list[int]]:
    """The frames of a part by what they show, one view after the other."""
    used = [k for k in part.frames if k not in given.left_out]
    return [[used[k] for k in run] for run in runs_of([given.thumbs[k] for k in used]) if run]
