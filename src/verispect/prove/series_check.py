"""Frames of one view against one another: knocks, light, colour, focus, shake, what moved."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from functools import cached_property

import cv2
import numpy as np

from verispect.errors import Cancelled
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure
from verispect.prove.align.chains import longest_chain
from verispect.prove.align.motion import Motion, at_level, at_middle
from verispect.prove.align.turned import turn_of, turned_picture
from verispect.prove.checks.exposure import (
    WHITE,
    exposure_fault,
    lower_median,
    off_the_rest,
    other_white_balance,
    ratios_stops,
    set_off_the_rest,
)
from verispect.prove.checks.gross_blur import (
    Blur,
    agreed,
    blurred_by,
    detail,
    lacks_at_places,
    lacks_beside,
    sharper_anywhere,
)
from verispect.prove.checks.knocks import MOST_ASTRAY_PX, astray_px, knock_words
from verispect.prove.checks.moved import OF_BLUR, Moved, moved_in
from verispect.prove.checks.odd_places import odd_places
from verispect.prove.checks.pointing import moved_words, unsure_px
from verispect.prove.checks.rail import aside_by_depth_px, askew_px, laid_by_other_depths, shifted_by_depths_px
from verispect.prove.evidence import Evidence, is_compressed
from verispect.prove.expected import View, light_hypotheses, set_stops
from verispect.prove.focus_check import compare_sizes, missed_by_far, moved_by_focus, out_of_focus
from verispect.prove.report import Fault, FrameReport, far_motion_fault, gust_fault, motion_fault, stands_aside_fault
from verispect.prove.shake.gust import gusts_in
from verispect.prove.shake.shaken import above_noise, shaken_in

# From these on something is a fault: pixels, stops, stops of colour, log of light.
KNOCK_PX, EXPOSURE_STOPS, MOVED = 0.3, 0.08, 0.12
# Fewer frames tell no drift from a knock; without a plan it is at most so much from one frame to the next, pixels.
_FRAMES_FOR_DRIFT, _DRIFT_PX = 5, 0.1
# From so many frames on, of which no two lie so near to one another, the camera was in a hand; pixels.
_FRAMES_IN_HAND, _IN_HAND_PX = 4, 1.0
# Frames are held against two of so many beside them on either side for what small things moved.
_BESIDE = 2
_MOVED_REMEDY = "take that part from another frame when merging, or take it again in a calm moment"
# Where so much of a frame is clipped its detail is lost by that.
MUCH_CLIPPED = 0.3
# Out of focus by more allowed blurs a frame tells nothing of those beside it.
_FAR_BLURS = 8.0
# Of the picture's diagonal: what is known to look so far elsewhere shows other things at the same places.
_PUSHED = 0.01


class SeriesCheck:
    """Frames of one view, each laid over the one before it."""

    def __init__(self, evidence: Evidence, reports: list[FrameReport]) -> None:
        self.evidence, self.reports = evidence, reports
        self.frames, self.reads, self.matched = evidence.frames, evidence.reads, evidence.matched
        # Frames that were laid over others, and those that are blurred by far.
        self._lay: set[int] = set()
        self._lost: set[int] = set()
        # On a rail, those that lie over the one before by what is out of focus.
        self._on_rail = evidence.candidate is not None and evidence.candidate.method.on_rail
        self._by_depths: set[int] = set()
        self._details: dict[int, float] = {}

    def compare(self, used: list[int]) -> None:
        """Frames of one view, each laid over the one before it."""
        if len(used) < 2:
            return
        middle = ((self.evidence.pixels[0] - 1) / 2.0, (self.evidence.pixels[1] - 1) / 2.0)
        given = used
        used, motions = self._together(given)
        offsets, scales, lights, chained = [np.zeros(3)], [0.0], [(0.0, 0.0, 0.0)], [np.eye(3)]
        chain, chain_plan = np.eye(3), np.eye(3)
        expected_scales = [0.0]
        for (before, k), motion in zip(itertools.pairwise(used), motions, strict=True):
            planned = self._planned(k, before)
            chain, chain_plan = chain @ motion.matrix, chain_plan @ planned
            chained.append(chain)
            down, right, turn, grown = at_middle(chain @ np.linalg.inv(chain_plan), middle)
            offsets.append(np.array([-down, -right, -turn]))
            scales.append(scales[-1] + math.log(at_middle(self._without_turn(k, before, motion), middle)[3]))
            expected_scales.append(expected_scales[-1] + math.log(at_middle(planned, middle)[3]))
            self.reports[k].scale = float(grown)
            lights.append(self._light(k, before, motion, lights[-1]))
        unsteady = self._is_unsteady(used, np.array(offsets))
        if not unsteady:
            # A camera that went nearer draws larger too.
            scatter = np.array([_scatter_px(motion) for motion in motions]) / self._reach_px
            compare_sizes(self.evidence, self.reports, used, np.array(scales), np.array(expected_scales), scatter)
            far = self._far_out(used)
            if far and 2 * len(far) < len(given):
                self._lay.update(used)
                self._lost.update(far)
                self.compare(self._as_if_without(far, given))
                return
            offsets = [moved - moved_by_focus(self.evidence, k, self.reports[k])
                       for k, moved in zip(used, offsets, strict=True)]  # fmt: skip
        divide = self.reads[used[0]].divide
        unsure = np.array([0.0, *(unsure_px(motion.residual_px, divide) for motion in motions)])
        # From a hand every frame is odd, and there is none to go past.
        places = np.array(offsets) if unsteady else self._past_the_odd(used, np.array(offsets), middle)
        if self._on_rail:
            others = laid_by_other_depths(np.array(scales), np.array(expected_scales))
            self._by_depths = {used[number] for number in np.flatnonzero(others)}

        def astray(n: int) -> float:
            k, before = used[n], used[n - 1]
            return astray_px(self.evidence, k, before, self._planned(k, before))

        self._place(used, places, np.array(scales), unsure, astray, unsteady=unsteady)
        self._brightness(used, lights, np.array(scales))
        # In whatever order they were taken: those next to one another in focus show things alike.
        by_focus = self._by_focus(used)
        beside = [used[number] for number in by_focus]
        steps = [np.eye(3), *(np.linalg.inv(chained[a]) @ chained[b] for a, b in itertools.pairwise(by_focus))]
        self._shaken(beside)
        # How far a thing moved tells more than that something did.
        aside = self._stands_aside(beside, steps)
        self._tell_moved([one for one in aside if one[1].sure], divide)
        laid = [chained[number] for number in by_focus]
        self._moved_meanwhile(beside, laid)
        self._shown_otherwise(beside, laid)
        still_good = ("knock", "motion", "moved-subject")
        self._tell_moved([one for one in aside if self.reports[one[0]].without(*still_good)], divide)
        self._moved(beside)

    def _together(self, used: list[int]) -> tuple[list[int], list[Motion]]:
        """The frames that can be laid each over the one before it, and how; of all others that is said."""

        def motion(k: int, before: int) -> Motion:
            if self.evidence.is_cancelled():
                raise Cancelled
            share = used.index(k) / len(used)
            self.evidence.progress(0.6 + 0.3 * share, f"comparing {self.frames[k].path.name}")
            return self.evidence.motion(k, before, planned=self._planned(k, before))

        members, motions = longest_chain(used, motion)
        nearest = {k: sorted(members, key=lambda other: abs(other - k))[:_BESIDE] for k in used}
        strangers = [k for k in used if k not in members and k not in self._lay]
        for k in strangers:
            self.reports[k].is_stranger = True
            if self._shaken_far(k, nearest[k]) or self._out_of_focus_far(k, nearest[k]):
                self._lost.add(k)
        for k in strangers:
            begin, end = sorted((k, nearest[k][0]))
            if k in self._lost or any(begin < lost < end for lost in self._lost) or self.reads[k].clipped > WHITE:
                # Past a frame that is lost it may show too little of what the next one does; and white shows nothing.
                continue
            self.reports[k].faults.append(
                Fault("knock", 0.0, "too little in common with the other frames to be laid over them",
                      "look at it; take it again if it shows something else")
            )  # fmt: skip
        return members, motions

    def _far_out(self, used: Sequence[int]) -> set[int]:
        """Those blurred so far that what is laid over them is told of falsely."""
        far = set()
        for number, k in enumerate(used):
            report, beside = self.reports[k], _beside(number, used)
            if any(fault.name == "missed-focus" and fault.size > _FAR_BLURS for fault in report.faults):
                # A long motion has no size of its own, and may be taken for one.
                self._shaken_far(k, beside)
                far.add(k)
            elif self.matched[k] is None and self._out_of_focus_far(k, beside):
                far.add(k)
        return far

    def _as_if_without(self, far: set[int], given: Sequence[int]) -> list[int]:
        """The other frames, of which nothing is known yet, beside those that are blurred by far."""
        for k in given:
            report = self.reports[k]
            if k not in far and (k in self._lay or report.is_stranger):
                told = ("missed-focus",) if k in self._lay else ("missed-focus", "knock", "motion")
                report.faults = [fault for fault in report.faults if fault.name not in told]
                report.as_found = None
            report.is_stranger = k in far
        return [k for k in given if k not in far]

    def _by_focus(self, used: list[int]) -> list[int]:
        """Places among the frames in the order of the plan's focus; as they come where it is not known of all."""
        indices = [self.matched[k] for k in used]
        if any(index is None for index in indices):
            return list(range(len(used)))
        return sorted(range(len(used)), key=lambda number: (indices[number], number))

    def _without_turn(self, k: int, before: int, motion: Motion) -> Floats:
        """How a frame was laid over another but for how the camera was turned, which draws it larger on one side."""
        here, there = self.evidence.view(k), self.evidence.view(before)
        if here is None or there is None:
            middle = (0.5 * (self.evidence.pixels[0] - 1), 0.5 * (self.evidence.pixels[1] - 1))
            here = there = View(np.eye(3), self.evidence.focal_px(k), middle)
        turn, _ = turn_of(motion.matrix, here, there, self.evidence.pixels)
        if not np.isfinite(turn).all():
            return motion.matrix
        found: Floats = np.linalg.inv(turned_picture(turn, there, there)) @ motion.matrix
        return found

    def _planned(self, k: int, before: int) -> Floats:
        """How the plan lays a frame over another; the same place where nothing is planned."""
        here, there = self.evidence.view(k), self.evidence.view(before)
        return here.onto(there) if here is not None and there is not None else np.eye(3)

    def _past_the_odd(self, used: list[int], offsets: Floats, middle: tuple[float, float]) -> Floats:
        """The places (n, 3) without what one odd frame does to all after it.

        A frame that stands out, by a knock or by another focus, is laid over badly: those on its two sides are
        compared directly, and of the two ways to reach it the one that leaves it nearer is believed.
        """
        offsets = offsets.copy()
        usual = np.median(np.diff(offsets, axis=0), axis=0) if len(used) > 1 else np.zeros(3)
        alone = -1
        for number in range(1, len(used) - 1):
            step = offsets[number] - offsets[number - 1] - usual
            if alone == number - 1:
                # It comes back from one that stood alone.
                continue
            focus = any(fault.name == "missed-focus" for fault in self.reports[used[number]].faults)
            if math.hypot(step[0], step[1]) < 0.8 * KNOCK_PX and not focus:
                continue
            before, after = used[number - 1], used[number + 1]
            planned = self._planned(after, before)
            motion = self.evidence.motion(after, before, planned=planned)
            if not motion.trusted:
                continue
            down, right, turn, _ = at_middle(motion.matrix @ np.linalg.inv(planned), middle)
            onward = offsets[number + 1] - offsets[number]
            offsets[number + 1 :] += offsets[number - 1] - np.array([down, right, turn]) - offsets[number + 1]
            other = offsets[number + 1] - onward
            sides = (offsets[number - 1], offsets[number + 1])
            first, second = (min(math.dist(way[:2], side[:2]) for side in sides) for way in (offsets[number], other))
            if second < first:
                offsets[number] = other
            if math.dist(sides[0][:2], sides[1][:2]) < 0.5 * min(first, second):
                alone = number
        return offsets

    def _light(
        self, k: int, before: int, motion: Motion, last: tuple[float, float, float]
    ) -> tuple[float, float, float]:
        """Brightness and colour against the set's first frame, chained."""
        a, b = self.reads[before].colour, self.reads[k].colour
        factor = self.evidence.pixels[0] / a.shape[1]
        matrix = at_level(motion.matrix, factor)
        size = (a.shape[1], a.shape[0])
        moved = cv2.warpPerspective(b, matrix, size, flags=cv2.INTER_LINEAR)
        there = cv2.warpPerspective(np.ones(b.shape[:2], np.float32), matrix, size) > 0.999
        light, red, blue = ratios_stops(a, np.asarray(moved, np.float32), there)
        return last[0] + light, last[1] + red, last[2] + blue

    def _size_of(self, moved: Floats) -> float:
        """How far something down, right (px) and turned (degrees) lies off at the most, px."""
        return float(max(math.hypot(moved[0], moved[1]), abs(math.radians(moved[2])) * self._reach_px))

    @property
    def _reach_px(self) -> float:
        """From the middle of a frame to its corner."""
        return 0.5 * math.hypot(*self.evidence.pixels)

    def _is_unsteady(self, used: list[int], offsets: Floats) -> bool:
        """Whether the camera stood elsewhere in every frame, as in a hand: no two lie alike."""
        if len(used) < _FRAMES_IN_HAND:
            return False
        still = offsets - self._drift(used, offsets)
        return all(self._size_of(a - b) > _IN_HAND_PX for a, b in itertools.combinations(still, 2))

    def _place(
        self, used: list[int], offsets: Floats, scales: Floats, unsure: Floats, astray: Callable[[int], float],
        *, unsteady: bool,
    ) -> None:  # fmt: skip
        """Where each frame's content lies against the frames that stayed where they were, in its own pixels.

        `astray` tells of one how far few things may have led it from the one before, where that may matter.
        """
        # Of a hand's moves nothing tells what the pupil's travel makes of near things.
        offsets = offsets - (0.0 if unsteady else self._drift(used, offsets))
        size_of = self._size_of
        steps = np.diff(offsets, axis=0, prepend=offsets[:1])
        limits = self._limits(used, scales) + unsure
        for n in range(1, len(used)):
            if limits[n] < size_of(steps[n]) < limits[n] + MOST_ASTRAY_PX:
                limits[n] += astray(n)
        starts = [n for n in range(len(used)) if n == 0 or size_of(steps[n]) > limits[n]]
        stays = list(zip(starts, [*starts[1:], len(used)], strict=True))
        off = offsets - _reference(offsets, stays)
        # Only what came by jumps is a knock; a slow drift is none.
        jumped = np.zeros_like(off)
        for first, last in stays:
            jumped[first:last] = jumped[max(first - 1, 0)] + (steps[first] if first else 0.0)
        jumped -= _reference(jumped, stays)
        for number, k in enumerate(used):
            # They were chained in the first frame's pixels, which draws larger or smaller.
            own = math.exp(-float(scales[number]))
            down, right, turn = own * float(off[number, 0]), own * float(off[number, 1]), float(off[number, 2])
            report = self.reports[k]
            report.shift_px, report.turn_deg = (down, right), turn
            stay = next(part for part in stays if part[0] <= number < part[1])
            # The steps that lead to it and away from it tell where it lies; from the last none leads away.
            away = float(unsure[stay[1]]) if stay[1] < len(used) else 0.0
            limit = limits[stay[0]] + max(away - float(unsure[stay[0]]), 0.0)
            if unsteady:
                report.faults.append(
                    Fault("unsteady", round(math.hypot(down, right), 3),
                          f"{moved_words((down, right), turn)}: no two frames lie alike, as from a hand",
                          "merging lays it over the others; near things fit only from a tripod")
                )  # fmt: skip
            elif min(size_of(off[number]), size_of(jumped[number])) > limit:
                moved = moved_words((down, right), turn)
                report.faults.append(
                    Fault("knock", round(math.hypot(down, right), 3), *knock_words(moved, used, stay, self.frames))
                )

    def _drift(self, used: list[int], offsets: Floats) -> Floats:
        """What near things seem to move from frame to frame because the pupil travels with the focus (n, 3).

        As the middle one of the steps between neighbours has it, which a knock or two does not change; never more
        than the pupil's travel can make of the nearest thing, so that gear which sags is not excused.
        """
        if len(used) < _FRAMES_FOR_DRIFT:
            return np.zeros_like(offsets)
        at = np.arange(len(used), dtype=float)
        bound = _DRIFT_PX
        states = [self.evidence.exposures[index].state for k in used if (index := self.matched[k]) is not None]
        if self._nearest_mm is not None and len(states) == len(used):
            extension = np.array([state.image_distance_mm for state in states])
            if np.ptp(extension) > 0.0:
                at = extension / float(np.median(np.abs(np.diff(extension))) or np.ptp(extension))
            travel = float(np.ptp(extension)) / max(float(np.ptp(at)), 1e-9)
            bound = self._reach_px * travel / self._nearest_mm
            bound = max(bound, askew_px(self.evidence.exposures, self.evidence.pitch_mm))
        apart = np.diff(at)
        if np.any(np.abs(apart) < 1e-9):
            return np.zeros_like(offsets)
        corner = math.degrees(1.0 / self._reach_px)
        most = bound * np.array([1.0, 1.0, corner])
        slope = np.clip(np.median(np.diff(offsets, axis=0) / apart[:, None], axis=0), -most, most)
        found: Floats = (at - at[0])[:, None] * slope
        return found

    @cached_property
    def _nearest_mm(self) -> float | None:
        """How near the nearest of the plan lies."""
        candidate = self.evidence.candidate
        if candidate is None:
            return None
        away_m = candidate.scene.world_m - candidate.exposures[0].position_m
        return max(1000.0 * float(np.linalg.norm(away_m, axis=1).min()), 1.0)

    def _limits(self, used: list[int], scales: Floats) -> Floats:
        """What is a knock, in pixels (n,).

        More where the focus went farther than usual since the frame before: the pupil went with it, and near things
        seem to move.
        """
        limits = np.array([KNOCK_PX * self._care(number, used) for number in range(len(used))])
        index = self.matched[used[0]]
        if self._nearest_mm is None or index is None or len(used) < 2:
            return limits
        steps = np.abs(np.diff(scales, prepend=scales[:1]))
        more = np.maximum(steps - np.median(steps[1:]), 0.0)
        image_mm = self.evidence.exposures[index].state.image_distance_mm
        found: Floats = limits + more * image_mm / self._nearest_mm * self._reach_px
        taken, others = self._along_rail(used), [k in self._by_depths for k in used]
        return found + shifted_by_depths_px(taken, others, self._reach_px) if taken else found

    def _along_rail(self, used: list[int]) -> list[Exposure]:
        """How frames were taken on a rail; none where they were not, or where it is not known of all."""
        taken = [self.evidence.exposures[index] for k in used if (index := self.matched[k]) is not None]
        return taken if self._on_rail and len(taken) == len(used) else []

    def _brightness(self, used: list[int], lights: list[tuple[float, float, float]], scales: Floats) -> None:
        # A lens that is drawn out loses light as it draws larger: (v/v₀)² both, whatever the plan.
        hypotheses = [np.zeros(len(used)), 2.0 * scales / math.log(2.0)]
        planned = [self.matched[k] for k in used]
        asked = None
        if all(index is not None for index in planned):
            as_planned = [self.evidence.exposures[index] for index in planned if index is not None]
            hypotheses += light_hypotheses(as_planned)
            asked = set_stops(as_planned)
        tells = [self.frames[k].set_stops for k in used]
        logs = np.array([one for one in tells if one is not None])
        if len(logs) == len(used):
            hypotheses += [base + logs - logs[0] for base in hypotheses[:3]]
        values = np.array(lights)
        off = off_the_rest(values[:, 0].tolist(), hypotheses)
        set_off = set_off_the_rest(tells, asked)
        for number, k in enumerate(used):
            report = self.reports[k]
            report.exposure_stops = float(off[number])
            red, blue = (float(values[number, c] - lower_median(values[:, c])) for c in (1, 2))
            if abs(off[number]) > EXPOSURE_STOPS:
                said = exposure_fault(
                    float(off[number]), set_off[number], "the others", ", or even it out before merging"
                )
                report.faults.append(said)
            other_white_balance(report, red, blue)

    def _care(self, number: int, used: list[int]) -> float:
        """How much more it takes to accuse a frame: twice as much beside one that shows something else itself."""
        beside = [used[other] for other in (number - 1, number + 1) if 0 <= other < len(used)]
        odd = not all(self.reports[k].without("missed-focus", "exposure", "knock") for k in beside)
        moved = any(fault.name == "knock" for fault in self.reports[used[number]].faults)
        return 2.0 if odd or moved else 1.0

    def _beside_a_gap(self, number: int, used: list[int]) -> float:
        """How much more it takes beside a frame that is missing: what comes next is focused elsewhere altogether."""
        beside = [other for other in (number - 1, number + 1) if 0 <= other < len(used)]
        indices = [(self.matched[used[number]], self.matched[used[other]]) for other in beside]
        return 2.0 if any(a is not None and b is not None and abs(a - b) > 1 for a, b in indices) else 1.0

    def _compressed_end(self, number: int, used: list[int]) -> float:
        """How much more it takes for the first and last of JPEG frames: what a camera smoothed away looks like it."""
        at_end = number in (0, len(used) - 1)
        return 2.0 if at_end and is_compressed(self.frames[used[number]]) else 1.0

    def _shaken(self, used: list[int]) -> None:
        care = [
            max(self._care(number, used), self._beside_a_gap(number, used), self._compressed_end(number, used))
            for number in range(len(used))
        ]
        compressed = any(is_compressed(self.frames[k]) for k in used)
        found = shaken_in(above_noise([self.reads[k].sectors for k in used]), care.__getitem__, compressed=compressed)
        for number, shaken in sorted(found.items()):
            k = used[number]
            if not self.reports[k].without("missed-focus") or k in self._by_depths:
                # What is in focus out of its turn, or ever farther out of it, looks like it.
                continue
            motion_fault(self.reports[k], self.reads[k].sectors_divide * shaken.length_px, shaken.direction_deg)
        for number, k in enumerate(used):
            if self.reports[k].without("missed-focus"):
                self._shaken_far(k, _beside(number, used))

    def _blur_of(self, k: int, beside: Sequence[int]) -> Blur | None:
        """By what a frame is blurred that shows hardly any of the detail of both beside it."""
        if self.reads[k].clipped > MUCH_CLIPPED or len(beside) < 2:
            return None
        own, others = self.reads[k].grey, [self.reads[other].grey for other in beside]
        if not lacks_beside(self._detail(k), [self._detail(n) for n in beside]) or not lacks_at_places(own, others):
            return None
        return agreed([blur for other in others if (blur := blurred_by(own, other)) is not None], len(others))

    def _detail(self, k: int) -> float:
        """What a frame shows of fine detail, worked out once."""
        if k not in self._details:
            self._details[k] = detail(self.reads[k].grey)
        return self._details[k]

    def _shaken_far(self, k: int, beside: Sequence[int]) -> bool:
        """Whether a frame was shaken by more than tiles can tell, against those beside it; it is then said."""
        blur = self._blur_of(k, beside)
        if blur is None or blur.direction_deg is None:
            return False
        far_motion_fault(self.reports[k], self.reads[k].divide * blur.size_px, blur.direction_deg)
        return True

    def _out_of_focus_far(self, k: int, beside: Sequence[int]) -> bool:
        """Whether a frame shows what those beside it do, far out of focus; it is then said."""
        if missed_by_far(self.evidence, k, beside, self.reports[k]):
            return True
        blur = self._blur_of(k, beside)
        is_disc = blur is not None and blur.direction_deg is None
        if blur is None or not is_disc or sharper_anywhere(*(self.reads[n].grey for n in (k, *beside))):
            return False
        out_of_focus(self.evidence, k, self.reads[k].divide * blur.size_px, self.reports[k])
        return True

    def _odd_anyway(self, k: int) -> bool:
        """Whether a frame differs from the others for a reason of its own."""
        return not self.reports[k].without("knock", "exposure", "motion", "missed-focus", "moved-subject")

    def _stands_aside(self, used: list[int], steps: Sequence[Floats]) -> list[tuple[int, Moved]]:
        """Things that one frame shows elsewhere than those about it, with that frame."""
        aside = []
        divide = self.reads[used[0]].divide
        # Frames that are blurred otherwise neither move nor judge, nor may any be left out between. Their light does
        # not matter; one that was pushed judges, but nobody says what moved in it, for near things stand aside.
        odd = [not self.reports[k].without("motion", "missed-focus", "moved-subject") for k in used]
        for is_odd, run in itertools.groupby(range(len(used)), key=lambda n: odd[n]):
            numbers = [] if is_odd else list(run)
            greys = [self.reads[used[n]].grey for n in numbers]
            told = moved_in(greys, [at_level(steps[n], divide) for n in numbers])
            for place, (n, found) in enumerate(zip(numbers, told, strict=True)):
                if found is None or not self.reports[used[n]].without("knock"):
                    continue
                beside = [used[m] for m in (*numbers[max(place - 1, 0) : place], *numbers[place + 1 : place + 2])]
                away = divide * math.dist(0.5 * np.array(greys[place].shape), (found.row, found.column))
                of_depth = aside_by_depth_px(self._along_rail(used), n, away)
                if divide * found.shift > max(OF_BLUR * self.evidence.blurred_px(used[n], beside), of_depth):
                    aside.append((used[n], found))
        return aside

    def _tell_moved(self, aside: Sequence[tuple[int, Moved]], divide: int) -> None:
        for k, found in aside:
            at = (round(divide * found.row), round(divide * found.column))
            self.reports[k].faults.append(stands_aside_fault(at, divide * found.shift, _MOVED_REMEDY))

    def _moved_meanwhile(self, used: list[int], chained: Sequence[Floats]) -> None:
        """Things that moved while a frame was taken, which those beside it show sharper along one direction.

        `chained` lays each over one and the same frame.
        """
        divide = self.reads[used[0]].divide
        told = gusts_in(
            [self.reads[k].grey if self.reports[k].without("motion", "missed-focus") else None for k in used],
            [at_level(matrix, divide) for matrix in chained], self.evidence.is_cancelled,
            # A camera that went nearer draws near things otherwise.
            by_both=self._on_rail,
        )  # fmt: skip
        for number, gust in told.items():
            report = self.reports[used[number]]
            if report.without("moved-subject", "knock"):
                at = ((gust.row + 0.5) * divide - 0.5, (gust.column + 0.5) * divide - 0.5)
                report.faults.append(gust_fault(at, divide * gust.length_px, gust.direction_deg, _MOVED_REMEDY))

    def _shown_otherwise(self, used: list[int], chained: Sequence[Floats]) -> None:
        """Things that one frame shows elsewhere than two others, or alone, however small they are before what stays.

        `chained` lays each over one and the same frame.
        """
        blurred = ("motion", "missed-focus", "exposure", "moved-subject", "unsteady")
        without = {number for number, k in enumerate(used) if not self.reports[k].without(*blurred)}
        places = range(len(used))
        overlaps = [(a, b, 1.0 / (b - a)) for a, b in itertools.combinations(places, 2) if b - a <= _BESIDE]
        for one in odd_places(
            lambda a, b: np.linalg.inv(chained[b]) @ chained[a], [self.reads[k].colour for k in used], overlaps,
            self.evidence.pixels, most_others=2, without=without, blurs=self.evidence.blurs_of(used),
            is_cancelled=self.evidence.is_cancelled,
        ):  # fmt: skip
            report = self.reports[used[one.frame]]
            if one.is_sure and report.without("knock", "moved-subject"):
                report.faults.append(
                    one.fault((one.row, one.column), self.reports[used[one.other]].file, _MOVED_REMEDY)
                )

    def _moved(self, used: list[int]) -> None:
        """Places where a frame differs from both its neighbours, far coarser than defocus makes it."""
        if len(used) < 3:
            return
        eased = []
        middle = ((self.evidence.pixels[0] - 1) / 2.0, (self.evidence.pixels[1] - 1) / 2.0)
        for k in used:
            grey = self.reads[k].colour.mean(axis=2)
            small = cv2.resize(grey, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
            smooth = cv2.GaussianBlur(np.log2(np.maximum(small, 1e-4)), (0, 0), 2.0)
            eased.append(smooth - np.median(smooth))
        peaks = []
        for number in range(len(used)):
            others = [eased[other] for other in (number - 1, number + 1) if 0 <= other < len(used)]
            apart = np.minimum.reduce([np.abs(eased[number] - other) for other in others])
            inner = apart[3:-3, 3:-3]
            peaks.append((float(inner.max()), np.unravel_index(int(inner.argmax()), inner.shape)))
        usual = float(np.median([peak for peak, _ in peaks]))
        for number, k in enumerate(used):
            peak, place = peaks[number]
            if self._odd_anyway(k) or peak < max(MOVED, 4.0 * usual) or number in (0, len(used) - 1):
                continue
            # A run tells of a frame that was pushed: these small pictures are not laid over one another.
            down, right, _, _ = at_middle(self._planned(k, used[number - 1]), middle)
            if math.hypot(down, right) > _PUSHED * math.hypot(*self.evidence.pixels):
                continue
            step = self.evidence.pixels[0] / eased[0].shape[1]
            row, column = (round((float(part) + 3.5) * step) for part in place)
            self.reports[k].faults.append(
                Fault("moved-subject", peak, f"something moved near row {row}, column {column}", _MOVED_REMEDY,
                      (float(row), float(column)))
            )  # fmt: skip


def _reference(offsets: Floats, stays: Sequence[tuple[int, int]]) -> Floats:
    """Where the first frames are that stayed together, two at least; of single ones the lower median (3,)."""
    first, last = next(((a, b) for a, b in stays if b - a >= 2), (0, 0))
    if last - first >= 2:
        found: Floats = np.median(offsets[first:last], axis=0)
        return found
    return np.array([lower_median(offsets[:, c]) for c in range(offsets.shape[1])])


def _beside(number: int, used: Sequence[int]) -> list[int]:
    """The two frames about one, or next to the first or last; fewer of fewer."""
    begin = min(max(number - 1, 0), max(len(used) - 3, 0))
    return [k for k in used[begin : begin + 3] if k != used[number]]


def _scatter_px(motion: Motion) -> float:
    """How far parts of two frames lie apart once laid over one another; 0 where none tells."""
    return motion.residual_px if math.isfinite(motion.residual_px) else 0.0
