"""Frames that are of something else than what was planned, by where they prove to look."""

from __future__ import annotations

import itertools
import math
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from verispect.optics.types import Floats
from verispect.prove.align.motion import at_middle
from verispect.prove.checks.pointing import Fit
from verispect.prove.evidence import Evidence
from verispect.prove.expected import View
from verispect.prove.intake import Frame
from verispect.prove.join.pointing import overlap_share
from verispect.prove.parting.sets import FrameSet, SetKind
from verispect.prove.parting.unplanned_grid import LEAST_PLACES, SAME_PLACE, grids_among, placed_by_content
from verispect.prove.parting.views import ALIKE, Grey, likeness
from verispect.prove.report import FrameReport

# A series that was knocked now and then has as many places as a grid, but most of its frames share one.
_PLACES_SHARE = 0.6
# Of the picture's diagonal: while none lies so far aside nobody looks for frames side by side.
PUSHED_FAR = 0.02
# Frames that lie so near one another, of a width, look the same way.
_NEAR = 0.03
# So many of those that tell must.
_MOST = 0.6
# By so much the focal length that frames ask for is another than planned. They tell it within two parts in a hundred,
# but within sixteen where all that overlaps is far out of focus.
_OTHER_FOCAL = {Fit.BADLY: 0.1, Fit.UNTOLD: 0.25}
# Where nothing else is told, fewer frames tell no lens: three of boards far out of focus had asked for three fourths.
_FEWEST_UNTOLD = 4
# Every frame would have to be held against every other.
_MOST_FRAMES = 60
_SIDE_BY_SIDE = (
    "look side by side where the plan has one view: they were checked without the plan, which must be of "
    "something else"
)
_ONE_VIEW = (
    "all look the same way where the plan has frames side by side: they were checked without the plan, which "
    "must be of something else, or the head did not turn"
)
_OTHER_LENS = (
    "fit together as a lens of about {taken:.0f} mm draws, and not as the plan's of {planned:.4g} mm: they "
    "were checked without the plan, which must be of something else, or the lens was set otherwise"
)

NotOfPlan = list[tuple[tuple[int, ...], str]]


@dataclass(frozen=True)
class Held:
    """Sets that were held against a plan, by their kinds; a tiny picture of every frame.

    `left_out` are frames that show nothing, or nothing of their own.
    """

    evidence: Evidence
    sets: Sequence[tuple[FrameSet, SetKind]]
    thumbs: Sequence[Grey]
    left_out: Collection[int]

    @property
    def is_known(self) -> bool:
        """Whether the account of a run tells what happened: they are the plan's whatever they show."""
        return self.evidence.run is not None

    def used(self, group: FrameSet) -> list[int]:
        """The frames of a set that count and have their place in the plan."""
        return [k for k in group.frames if k not in self.left_out and self.evidence.matched[k] is not None]

    def at_sight(self) -> NotOfPlan:
        """The frames that it cannot be of, each lot with why, by how they lie; before any are compared."""
        candidate = self.evidence.candidate
        if candidate is None or self.is_known:
            return []
        if not candidate.method.is_grid:
            odd = any(kind is SetKind.UNKNOWN or group.beside for group, kind in self.sets)
            return _side_by_side(self) if odd else []
        return [
            (group.frames, _ONE_VIEW) for group, _ in self.sets
            if _look_one_way(self.evidence, self.used(group), self.thumbs)
        ]  # fmt: skip

    def once_compared(self, reports: Sequence[FrameReport], fits: Mapping[FrameSet, Fit]) -> NotOfPlan:
        """As `at_sight`, by what came of holding them against it; of grids by how well their frames go together."""
        candidate = self.evidence.candidate
        if candidate is None or self.is_known:
            return []
        if candidate.method.is_grid:
            found = [(group.frames, self.other_lens(group, fits.get(group, Fit.WELL))) for group, _ in self.sets]
            return [(frames, why) for frames, why in found if why]
        far = PUSHED_FAR * math.hypot(*self.evidence.pixels)
        pushed = any(
            kind is SetKind.SERIES
            and any(reports[k].is_stranger or math.hypot(*reports[k].shift_px) > far for k in group.frames)
            for group, kind in self.sets
        )
        return _side_by_side(self) if pushed else []

    def other_lens(self, group: FrameSet, fit: Fit) -> str:
        """Why a grid was taken through another lens than the plan's, by how its frames go together; else nothing."""
        least, frames = _OTHER_FOCAL.get(fit), self.used(group)
        enough = _FEWEST_UNTOLD if fit is Fit.UNTOLD else 1
        if least is None or len(frames) < enough or self.is_known:
            return ""
        planned = self.evidence.exposures[self.evidence.matched[frames[0]] or 0].lens.focal_mm
        times = _times_planned(self.evidence, frames)
        if times is None or abs(math.log(times)) <= least:
            return ""
        return _OTHER_LENS.format(taken=times * planned, planned=planned)


def let_go_words(found: NotOfPlan, frames: Sequence[Frame], *, all_of_them: bool) -> list[str]:
    """A sentence for each lot of frames; one for all where none is left that the plan may be of."""
    if found and all_of_them:
        return [f"These frames {found[0][1]}"]
    return [f"{frames[min(own)].path.name} to {frames[max(own)].path.name} {why}" for own, why in found]


def _side_by_side(held: Held) -> NotOfPlan:
    """The frames that make a grid where the plan has none."""
    evidence = held.evidence
    _, grids = grids_among(evidence, [group for group, _ in held.sets], held.thumbs, held.left_out)
    found = []
    for grid in grids:
        frames = {*grid.frames} - {*held.left_out}
        parts = sum(set(group.frames) <= set(grid.frames) for group, _ in held.sets)
        least = LEAST_PLACES if parts >= LEAST_PLACES else max(LEAST_PLACES, _PLACES_SHARE * len(frames))
        if len(_places(evidence, sorted(frames))) >= least:
            found.append((grid.frames, _SIDE_BY_SIDE))
    return found


def _places(evidence: Evidence, frames: Sequence[int]) -> list[View]:
    """The places that frames of a grid which nothing planned look at; those that are nearly one count once."""
    found: list[View] = []
    for view in (evidence.found[k] for k in frames if k in evidence.found):
        if all(overlap_share(view, other, evidence.pixels) < SAME_PLACE for other in found):
            found.append(view)
    return found


def _look_one_way(evidence: Evidence, frames: Sequence[int], thumbs: Sequence[Grey]) -> bool:
    """Whether frames that a grid has side by side show one and the same view."""
    pairs = [(a, b) for a, b in itertools.pairwise(frames) if _planned_apart(evidence, a, b)]
    if len(pairs) < LEAST_PLACES - 1 or not _most(likeness(thumbs[a], thumbs[b]) > ALIKE for a, b in pairs):
        return False
    return _most(_lie_on_one_another(evidence, a, b) for a, b in pairs)


def _planned_apart(evidence: Evidence, a: int, b: int) -> bool:
    here, there = evidence.view(a), evidence.view(b)
    return here is not None and there is not None and overlap_share(here, there, evidence.pixels) < SAME_PLACE


def _lie_on_one_another(evidence: Evidence, a: int, b: int) -> bool:
    """Whether two frames show the same at the same places; not where they lie as planned too, for what repeats."""
    here, there = evidence.view(a), evidence.view(b)
    if here is None or there is None:
        return False
    return _lies_by(evidence, a, b, np.eye(3)) and not _lies_by(evidence, a, b, there.onto(here))


def _lies_by(evidence: Evidence, a: int, b: int, thought: Floats) -> bool:
    middle = ((evidence.pixels[0] - 1) / 2.0, (evidence.pixels[1] - 1) / 2.0)
    motion = evidence.motion(b, a, planned=thought)
    off = np.subtract(at_middle(motion.matrix, middle)[:2], at_middle(thought, middle)[:2])
    return bool(motion.trusted and np.linalg.norm(off) < _NEAR * evidence.pixels[0])


def _times_planned(evidence: Evidence, frames: Sequence[int]) -> float | None:
    """How many times the planned focal length the frames ask for where they overlap; None where they do not tell."""
    views = [view for k in frames if (view := evidence.view(k)) is not None]
    if len(frames) > _MOST_FRAMES:
        return None
    # A camera tells of a lens without contacts whatever was set on it.
    placed = placed_by_content(evidence, frames, as_told=False)
    if placed is None:
        return None
    asked = float(np.median([view.scale_px for view in placed.views]))
    return asked / float(np.median([view.scale_px for view in views]))


def _most(told: Iterable[bool]) -> bool:
    return float(np.mean(list(told))) >= _MOST
