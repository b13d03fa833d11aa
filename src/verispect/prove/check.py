"""Frames checked against one another and against the plan: what is wrong, how sharp it came out, what to do."""

from __future__ import annotations

import itertools
import math
from collections import Counter
from collections.abc import Callable, Collection, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from verispect.errors import Cancelled, FileError
from verispect.files.run_file import Run
from verispect.optics.types import Floats
from verispect.plan.frames.rendering import Rendering
from verispect.plan.frames.shots import Shot
from verispect.plan.methods.candidate import Candidate
from verispect.plan.setting.losses import lost_with
from verispect.prove.checks.coverage import Coverage, coverage_of
from verispect.prove.checks.drift import drift_words
from verispect.prove.checks.dust import for_the_dust, seen_on
from verispect.prove.checks.exposure import white_among
from verispect.prove.checks.gross_blur import detail, lacks_detail
from verispect.prove.checks.parallax import Slide, slide_words
from verispect.prove.checks.pointing import Fit, spread_words
from verispect.prove.evidence import Evidence, FirstLook, Grey, doubles_of
from verispect.prove.expected import view_of
from verispect.prove.focus_check import in_order_after_all, out_of_its_order
from verispect.prove.grid_check import compare_cells
from verispect.prove.intake import Frame
from verispect.prove.looked import Looked, Pointed, looked
from verispect.prove.matching.by_photograph import Laid, laid_by, seen_by_photograph
from verispect.prove.matching.matched import Matched
from verispect.prove.matching.not_of_plan import Held, NotOfPlan, let_go_words
from verispect.prove.parting.by_hand import ByHand, put_together
from verispect.prove.parting.sets import FrameSet, Looks, Planned, SetKind, is_dark, parted
from verispect.prove.parting.unplanned_grid import Cells, grids_among
from verispect.prove.parting.views import ALIKE, likeness
from verispect.prove.report import Fault, FrameReport, Report
from verispect.prove.resources.recall import Recall
from verispect.prove.series_check import SeriesCheck
from verispect.prove.shots_check import Repeat, compare_shots
from verispect.prove.softness.block_map import BlockMap
from verispect.prove.softness.mark_softness import MarkSoftness, believed, measure
from verispect.prove.softness.on_surfaces import surfaces_told
from verispect.prove.taken_in.folders import frames_in
from verispect.prove.taken_in.held import stands_as
from verispect.prove.taken_in.left_aside import of_one_size, passed_over, readable_frames, unreadable
from verispect.prove.verdict import (
    advice,
    covered_words,
    gaps_between,
    holes_to_fill,
    losses_words,
    missing_frames,
    not_compared_words,
    redo,
)

Progress = Callable[[float, str], None]
# From this share on clipping is a fault; a frame so many stops below the others may have missed its flash.
CLIPPED, FLASHLESS = 0.02, -1.2

# A frame that lies as near as this to its planned place is measured there.
_MOVED_PX = 3.0
# Less alike than this frames are none of one view, whatever is planned.
_UNLIKE = 0.4
# Of more frames one that shows something else leaves the others of one view.
_FEW = 3
_HELD_OTHERWISE = (
    "the frames are not held as the plan has the camera, one upright and the other wide: they were checked without "
    "it: say in Camera how it was held",
)
_UNLIKE_PHOTOGRAPH = (
    "The frames have too little in common with the plan's photograph: marks were looked for where the plan has them",
)


def check(
    places: Sequence[Path],
    *,
    candidate: Candidate | None = None,
    run: Run | None = None,
    together: ByHand | None = None,
    pointed: Sequence[Pointed] = (),
    photograph: Path | None = None,
    progress: Progress | None = None,
    is_cancelled: Callable[[], bool] | None = None,
    recall: Recall | None = None,
) -> Report:
    """Check frames.

    Parameters
    ----------
    places : sequence of Path
        Folders or files.
    candidate : Candidate, optional
        The method that was planned.
    run : Run, optional
        What is known to have happened; its angles then hold.
    together : ByHand, optional
        Which frames belong together, where a person says so.
    pointed : sequence of Pointed
        Where marks of the plan are seen: the camera never looks quite as planned.
    photograph : Path, optional
        The picture of the plan's photograph: where nothing was pointed at, marks are found by what frames share with
        it.
    recall : Recall, optional
        What was read of frames in checks before this one.

    Raises
    ------
    FileError
        Where nothing can be read, for sets that do not say which frames they mean, and for marks pointed at that the
        plan or the frames do not have. What else cannot be checked with the others is left aside, and the report says
        so.
    """
    sensor_mm = None if candidate is None else candidate.scene.plan.sensor_mm
    frames, broken = readable_frames(frames_in(places), sensor_mm)
    frames, others = of_one_size(frames)
    lies_otherwise = candidate is not None and not stands_as(frames[0].pixels, candidate.scene.plan.sensor_mm)
    if lies_otherwise:
        candidate, run, pointed = None, None, ()
    laid, unread = laid_by(None if pointed else photograph, candidate)
    # What is held against one another without the plan after all is not read once more.
    recall = Recall() if recall is None else recall
    apart: NotOfPlan = []
    while True:
        evidence = Evidence(
            frames, candidate, run, progress or (lambda _share, _text: None), is_cancelled or (lambda: False), recall
        )
        looks, cut = evidence.first_looks()
        given, rest = put_together([frame.path.name for frame in evidence.frames], together or ByHand())
        try:
            report = _Check(
                evidence, looks, given, rest, pointed, laid, {k for some, _ in apart for k in some}
            ).report()
        except _SomethingElseError as found:
            apart += found.frames
            rest_of_plan = len(evidence.frames) - sum(len(some) for some, _ in apart)
            if candidate is None or 2 * rest_of_plan < candidate.shot_count:
                candidate, run, laid = None, None, None
        else:
            break
    aside = [*broken, *(unreadable(path, why) for path, why in cut), *others]
    report.without_plan = lies_otherwise or bool(apart and candidate is None)
    report.advice[:0] = let_go_words(apart, evidence.frames, all_of_them=candidate is None)
    report.advice += [*unread, *(_HELD_OTHERWISE if lies_otherwise else ()), *passed_over(places)]
    report.frames += [one.report for one in aside]
    # A file that was badly copied is mended soonest.
    report.redo = redo([one.report for one in aside]) + report.redo
    report.left_aside = [(one.path, one.why) for one in aside]
    return report


class _SomethingElseError(Exception):
    """Frames that were held against the plan and cannot be of it: all is told anew without that."""

    def __init__(self, frames: NotOfPlan) -> None:
        super().__init__()
        self.frames = frames


class _Check:
    def __init__(
        self,
        evidence: Evidence,
        looks: list[FirstLook],
        given: Sequence[FrameSet],
        rest: Sequence[int],
        pointed: Sequence[Pointed],
        laid: Laid | None,
        apart: Collection[int] = (),
    ) -> None:
        self.evidence, self.looks, self.pointed, self.laid = evidence, looks, pointed, laid
        # Frames that proved to be of something else than the plan.
        self.apart = apart
        # The frame that marks were pointed at in.
        self.pointed_in: int | None = None
        # Sets that a person put together, and the frames that are to be parted by what they show.
        self.given, self.rest = given, rest
        self.thumbs: list[Grey] = []
        self.shots: dict[int, Shot] = {}
        self.repeats: dict[int, Repeat] = {}
        # Of grids that nothing planned: their frames by where they were found to look.
        self.cells: dict[FrameSet, Cells] = {}
        # Of grids, how well what their frames share goes together.
        self.fits: dict[FrameSet, Fit] = {}
        # By what share frames of a grid lie nearer to one another than planned; which show what drifts.
        self.nearer, self.drifts = 0.0, set[int]()
        self.slide: Slide | None = None

    def report(self) -> Report:
        """Read everything once, then compare."""
        evidence = self.evidence
        frames, candidate = evidence.frames, evidence.candidate
        looks = self.looks
        self.thumbs = [look.thumb for look in looks]
        dark = is_dark([look.median for look in looks])
        # Black frames are all alike, and each parts what is about it.
        alike = doubles_of([look.digest for look in looks])
        counted_on = {*self.rest, *(k for group in self.given for k in group.frames)}
        doubles = {k: first for k, first in alike.items() if not dark[k] and first in counted_on}
        shots = [] if candidate is None else candidate.shots
        planned = len(shots) if candidate is not None else None
        plain = for_the_dust([look.is_plain for look in looks], planned, unusable=set(doubles) | set(_true(dark)))
        given = self._given(doubles, plain)
        by_hand = {k for group in given for k in group.frames}
        plain = [k for k in plain if k not in by_hand]
        single = [k for k in self.rest if k not in doubles and k not in plain]
        bright = [k for k in single if not dark[k]]
        shown = Looks(frames, dark, self.thumbs, [look.detail for look in looks])
        asked = None if candidate is None else Planned(len(shots), is_grid=candidate.method.is_grid)
        matched = Matched(evidence, looks, dark)
        sets = given + (matched.as_planned(parted(shown, single, asked)) if single else [])
        # A frame within a set that came out black has its place there.
        counted = list(sets[0].frames) if planned is not None and len(sets) == 1 and not given else bright
        # More frames than were planned are sets of their own, each held against the plan; so are those put together.
        several = bool(given) or (planned is not None and len(counted) > planned)
        parts = [list(group.frames) for group in sets] if several else [counted]
        held = matched.of_the_plan([own for part in parts if (own := [k for k in part if k not in self.apart])])
        matched.match(held)
        sets, parts, held = matched.with_black_ends(sets, parts, held)
        self.shots, self.repeats = matched.shots, matched.repeats
        looked_at = self._looked()
        for frame, read in zip(frames, evidence.read_all(), strict=True):
            if evidence.is_cancelled():
                raise Cancelled
            evidence.reads.append(read)
            evidence.progress(0.6 * len(evidence.reads) / len(frames), f"reading {frame.path.name}")
        reports = [FrameReport(file=frame.path.name) for frame in frames]
        # What nothing planned may be a grid of its own.
        of_plan = [group for group in sets if any(evidence.matched[k] is not None for k in group.frames)]
        others, self.cells = grids_among(
            evidence, [group for group in sets if group not in of_plan], self.thumbs, {*_true(dark), *self.repeats}
        )
        sets = sorted([*of_plan, *others], key=lambda group: group.frames)
        sets += [FrameSet((k,), None, ("an even ground, which tells of dust",)) for k in plain]
        kinds = [SetKind.GRID if group in self.cells else self._kind(group, dark) for group in sets]
        # Who pointed at the plan's marks, or gave a photograph that shows the same, knows better what frames are of.
        held_to = None if looked_at is not None else self._held_to_plan(sets, kinds, dark)
        if held_to is not None and (found := held_to.at_sight()):
            raise _SomethingElseError(found)
        for number, (group, kind) in enumerate(zip(sets, kinds, strict=True)):
            for place, k in enumerate(group.frames):
                reports[k].set, reports[k].place = number, place
            self._compare(group, kind, reports, dark, held_to)
        if held_to is not None and (found := held_to.once_compared(reports, self.fits)):
            raise _SomethingElseError(found)
        compare_shots(evidence, self.repeats, reports, dark)
        self._let_walk_through(reports)
        for k, first in doubles.items():
            self._double(reports[k], reports[first])
        for k, report in enumerate(reports):
            self._alone(k, report, dark[k], any(k in group.frames for group in sets))
        for group in sets:
            white_among([reports[k] for k in group.frames], [evidence.reads[k].median for k in group.frames])
        self._look_where_they_lie(reports)
        marks, blocks = self._marks(reports), self._blocks(reports)
        taken = self._as_found(reports)
        surfaces = (
            [] if blocks is None or taken is None else surfaces_told(blocks, taken, evidence.exposures, looked_at)
        )
        covers = self._coverage(reports)
        missing: list[FrameReport] = []
        for part in parts:
            if part in held and matched.is_whole(part, held):
                there = [shot for k in part if (shot := self.shots.get(k)) is not None]
                missing += missing_frames(candidate, there, of_set=reports[part[0]].set if len(parts) > 1 else None)
        gaps = gaps_between(candidate, evidence.matched, reports)
        every = reports + missing
        specks = [read.specks for read in evidence.reads if read.specks is not None]
        evidence.progress(1.0, "checked")
        is_planned = candidate is not None or bool(self.apart)
        return Report(
            sets, [frame.path.name for frame in frames], kinds, every, marks, gaps, seen_on(specks),
            redo(every, marks, gaps, surfaces) + holes_to_fill(covers, candidate, missing),
            [
                *not_compared_words(kinds, [len(group.frames) for group in sets], planned=candidate is not None),
                *(() if looked_at is None else (str(looked_at.says),)),
                *self._not_placed(dark),
                *(_UNLIKE_PHOTOGRAPH if looked_at is None and self.laid is not None else ()),
                *self._lost(reports, missing),
                *covered_words(covers),
                *map(str, slide_words(self.slide)),
                *spread_words(self.nearer),
                *drift_words([frames[k].path.name for k in sorted(self.drifts)]),
                *advice(every, marks, planned=is_planned, plain=bool(specks), blocks=blocks),
            ],
            blocks, looked=looked_at, surfaces=surfaces, coverage=covers, slide=self.slide,
        )  # fmt: skip

    def _held_to_plan(self, sets: Sequence[FrameSet], kinds: Sequence[SetKind], dark: Sequence[bool]) -> Held:
        """What is held against the plan, which may not be theirs."""
        planned = [
            (group, kind)
            for group, kind in zip(sets, kinds, strict=True)
            if any(self.evidence.matched[k] is not None for k in group.frames)
        ]
        return Held(self.evidence, planned, self.thumbs, {*_true(dark), *self.repeats})

    def _given(self, doubles: Collection[int], plain: Collection[int]) -> list[FrameSet]:
        """The sets put together by hand, of frames that count once; an even ground alone tells of dust as ever."""
        some = [replace(group, frames=tuple(k for k in group.frames if k not in doubles)) for group in self.given]
        return [group for group in some if group.frames and not (len(group.frames) == 1 and group.frames[0] in plain)]

    def _let_walk_through(self, reports: list[FrameReport]) -> None:
        """What stands aside in one of three shots and more goes when they are put together."""
        often = Counter(repeat.lead for repeat in self.repeats.values())
        for lead, more in often.items():
            if more >= 2:
                reports[lead].faults = [fault for fault in reports[lead].faults if fault.name != "moved-subject"]

    def _double(self, report: FrameReport, first: FrameReport) -> None:
        """The same picture once more: it goes where the first went, and counts for nothing."""
        report.set, report.place, report.duplicate_of = first.set, first.place, first.file
        report.faults.append(Fault("duplicate", 0.0, f"the same picture as {first.file}", "leave one out"))

    def _kind(self, group: FrameSet, dark: Sequence[bool]) -> SetKind:
        if len([k for k in group.frames if k not in self.repeats]) == 1:
            return SetKind.SINGLE
        # What is black is like nothing.
        tiny = [self.thumbs[k] for k in group.frames if not dark[k]]
        alike = _alike(tiny)
        if any(self.evidence.matched[k] is not None for k in group.frames):
            assert self.evidence.candidate is not None
            if self.evidence.candidate.method.is_grid:
                return SetKind.GRID
            # Whatever is planned, what shows unlike things is no series; one that was knocked far is not all of them.
            one_view = alike > _UNLIKE or (
                len(tiny) > _FEW and any(_alike([*tiny[:k], *tiny[k + 1 :]]) > _UNLIKE for k in range(len(tiny)))
            )
            return SetKind.SERIES if one_view else SetKind.UNKNOWN
        return SetKind.SERIES if alike > ALIKE else SetKind.UNKNOWN

    def _compare(
        self, group: FrameSet, kind: SetKind, reports: list[FrameReport], dark: Sequence[bool], held_to: Held | None
    ) -> None:
        used = [k for k in group.frames if not dark[k] and k not in self.repeats]
        series = SeriesCheck(self.evidence, reports)
        if kind is SetKind.GRID:
            cells = self.cells.get(group) or self._planned_cells(used)
            for cell in cells:
                series.compare(cell)
            found = compare_cells(
                self.evidence, cells, reports, lambda fit: held_to is None or not held_to.other_lens(group, fit)
            )
            self.slide, self.fits[group] = found.slide or self.slide, found.fit
            self.nearer = found.nearer or self.nearer
            self.drifts |= set(found.drifts)
        elif kind is SetKind.SERIES:
            unplanned = not any(self.evidence.matched[k] is not None for k in used)
            if unplanned:
                out_of_its_order(used, [self.looks[k].detail for k in used], reports)
            series.compare(used)
            if unplanned:
                in_order_after_all(self.evidence, used, [self.looks[k].small for k in used], reports)

    def _not_placed(self, dark: Sequence[bool]) -> list[str]:
        """What is said of frames of grids that nothing planned and of which nothing tells where they look."""
        lost = [
            k
            for group, cells in self.cells.items()
            for k in sorted({*group.frames} - {*itertools.chain(*cells), *self.repeats, *_true(dark)})
        ]
        if not lost:
            return []
        placed = [k for cells in self.cells.values() for k in itertools.chain(*cells)]
        usual = float(np.median([detail(self.evidence.reads[k].grey) for k in placed]))
        soft = [k for k in lost if lacks_detail(detail(self.evidence.reads[k].grey), usual)]
        why = {
            "out of focus, shaken, or nothing but sky or water": soft,
            "what is shown there repeats or overlaps too little": [k for k in lost if k not in soft],
        }
        return [
            f"{', '.join(self.evidence.frames[k].path.name for k in those)} could not be placed beside the others of "
            f"the grid: {reason}, and nothing was compared with {'it' if len(those) == 1 else 'them'}"
            for reason, those in why.items() if those
        ]  # fmt: skip

    def _planned_cells(self, used: Sequence[int]) -> list[list[int]]:
        cells: dict[tuple[float, ...], list[int]] = {}
        for k in used:
            cells.setdefault(self.evidence.pointing(k), []).append(k)
        return list(cells.values())

    def _alone(self, k: int, report: FrameReport, dark: bool, in_set: bool) -> None:
        read, shot = self.evidence.reads[k], self.shots.get(k)
        index = None if shot is None else shot.exposure
        report.shot = 0 if shot is None else shot.number
        report.planned_exposure, report.clipped_share, report.dark = index, read.clipped, dark
        if dark and in_set:
            report.faults.append(
                Fault("dark", float(math.log2(max(read.median, 2.0**-16))), "black: no light, or the flash missed",
                      "take it again")
            )  # fmt: skip
        for fault in report.faults:
            if fault.name == "exposure" and fault.size < FLASHLESS:
                fault.says += "; a flash that missed leaves such a frame"
        if read.clipped > CLIPPED and not (shot is not None and shot.stops > 0.0):
            report.faults.append(
                Fault("clipped", read.clipped, f"{100 * read.clipped:.0f} % of it is clipped",
                      "give less light if the highlights matter")
            )  # fmt: skip
        if index is not None and not dark:
            self._settings(self.evidence.frames[k], index, report)

    def _settings(self, frame: Frame, index: int, report: FrameReport) -> None:
        exposure = self.evidence.exposures[index]
        said = []
        if frame.f_number and abs(2 * math.log2(frame.f_number / exposure.state.f_number)) > 0.25:
            said.append(f"f/{frame.f_number:g}, planned f/{exposure.state.f_number:.3g}")
        # Of a lens that focuses internally a camera writes what is engraved on it.
        focals = (exposure.state.focal_mm, exposure.lens.focal_mm, exposure.lens.bare_focal_mm)
        if frame.focal_mm and min(abs(frame.focal_mm / focal - 1.0) for focal in focals) > 0.03:
            said.append(f"{frame.focal_mm:g} mm, planned {exposure.lens.focal_mm:.4g} mm")
        assert self.evidence.candidate is not None
        iso = self.evidence.candidate.scene.plan.kit.body.iso
        if frame.iso and abs(math.log2(frame.iso / iso)) > 0.25:
            said.append(f"ISO {frame.iso:g}, planned {iso:g}")
        if said:
            report.faults.append(
                Fault("wrong-setting", float(len(said)), "; ".join(said), "set what was planned and take it again")
            )

    def _usable(self, reports: list[FrameReport]) -> dict[int, int]:
        """Exposures that softness may be told from, with the frame of each."""
        return {
            index: k
            for k, index in enumerate(self.evidence.matched)
            if index is not None and reports[k].without("dark", "motion")
        }

    def _as_found(self, reports: list[FrameReport]) -> Candidate | None:
        """The method with its frames as they were taken: one that missed its focus shows other things sharp."""
        candidate = self.evidence.candidate
        if candidate is None:
            return None
        exposures = list(candidate.exposures)
        for k, index in enumerate(self.evidence.matched):
            taken = reports[k].as_found
            if index is not None and taken is not None:
                exposures[index] = taken
        return replace(candidate, exposures=tuple(exposures))

    def _lost(self, reports: list[FrameReport], missing: list[FrameReport]) -> list[str]:
        """What a merge of the frames that are there loses, where one of them is not as it should be."""
        candidate, taken = self.evidence.candidate, self._as_found(reports)
        spoilt = [report for report in reports if not report.without("dark", "motion", "missed-focus")]
        known = [index for index in self.evidence.matched if index is not None]
        # Of several runs of one plan none is asked for what another has.
        if candidate is None or taken is None or not (missing or spoilt) or len(set(known)) < len(known):
            return []
        there = {index: taken.exposures[index] for index in self._usable(reports)}
        return [losses_words(lost_with(candidate, there))] if there else []

    def _coverage(self, reports: list[FrameReport]) -> Coverage | None:
        """What of the wanted picture lies on the frames of a planned grid."""
        evidence, candidate = self.evidence, self.evidence.candidate
        if candidate is None or not candidate.method.is_grid:
            return None
        planned = {
            index: view_of(exposure, evidence.pixels, evidence.pitch_mm)
            for index, exposure in enumerate(candidate.exposures)
        }
        taken = {
            index: (evidence.planned_view(index), reports[k].moved(evidence.pixels))
            for k, index in enumerate(evidence.matched)
            if index is not None and reports[k].without("dark")
        }
        return coverage_of(candidate, planned, taken, evidence.pixels) if taken else None

    def _blocks(self, reports: list[FrameReport]) -> BlockMap | None:
        """Softness all over the picture of a series."""
        net, candidate = self.evidence.net, self._as_found(reports)
        if net is None or candidate is None:
            return None
        seen = {
            index: told for index, k in self._usable(reports).items()
            if (told := self.evidence.reads[k].net) is not None
        }  # fmt: skip
        return net.map(candidate, seen, self.evidence.pitch_mm) if len(seen) >= 3 else None

    def _look_where_they_lie(self, reports: list[FrameReport]) -> None:
        """Frames that were knocked, or held in a hand, are measured where their content came to lie."""
        evidence = self.evidence
        candidate = evidence.candidate
        if candidate is None:
            return
        base = np.eye(3)
        if self.pointed_in is not None and not candidate.method.is_grid:
            # A mark that was pointed at lies there in that frame, however this one was moved.
            base = reports[self.pointed_in].moved(evidence.pixels)
        corners = np.array([[0.0, 0.0, 1.0], [*map(float, evidence.pixels), 1.0]]).T
        for k, index in enumerate(evidence.matched):
            if evidence.is_cancelled():
                raise Cancelled
            if index is None or not reports[k].without("dark"):
                continue
            moved = reports[k].moved(evidence.pixels) @ np.linalg.inv(base)
            if np.abs(moved @ corners - corners).max() > _MOVED_PX:
                reports[k].lies = moved
                evidence.look_again(k, moved)

    def _looked(self) -> Looked | None:
        """How the camera looked, by marks that were pointed at or that the photograph shows; frames are read so."""
        evidence, candidate = self.evidence, self.evidence.candidate
        if self.laid is not None:
            by_photograph = seen_by_photograph(self.laid, evidence)
            if by_photograph is not None:
                evidence.look(by_photograph.world, by_photograph.places)
            return by_photograph
        if not self.pointed:
            return None
        if candidate is None:
            raise FileError("marks are those of a plan: give it, with its method, beside what is pointed at")
        marks = dict(zip(candidate.scene.names, range(candidate.scene.mark_count), strict=False))
        there = {
            evidence.frames[k].path.name: (index, k) for k, index in enumerate(evidence.matched) if index is not None
        }
        if not there:
            raise FileError("no frame was matched with the plan: none can tell where a mark of it is")
        wide, high = evidence.pixels
        where: list[tuple[int, int]] = []
        for one in self.pointed:
            if one.name not in marks:
                raise FileError("{name}: the plan has no such mark; it has {marks}", name=one.name,
                                marks=", ".join(marks))  # fmt: skip
            if one.file is not None and one.file not in there:
                raise FileError("{name}: no frame {file} was matched with the plan; point at it in one that was",
                                name=one.name, file=one.file)  # fmt: skip
            if not (one.row < high and one.column < wide):
                raise FileError("{name}: row {row:g}, column {column:g} lies outside the picture of {high} rows and "
                                "{wide} columns", name=one.name, row=one.row, column=one.column, high=high,
                                wide=wide)  # fmt: skip
            index, k = there[one.file] if one.file else min(there.values())
            self.pointed_in = k if self.pointed_in is None else self.pointed_in
            where.append((marks[one.name], index))

        def drawn(places: Floats, world: Floats) -> Floats:
            found = []
            for place, (_, index) in zip(places, where, strict=True):
                columns, rows = evidence.pixels_of(index, place[None], world)
                found.append((float(rows[0]), float(columns[0])))
            return np.array(found)

        count, pose = candidate.scene.mark_count, evidence.exposures[where[0][1]].pose
        found = looked(
            self.pointed, [mark for mark, _ in where], candidate.scene.world_m[:count], drawn,
            evidence.turned.get(where[0][1], pose.matrix), pose.pupil_m, evidence.pixels[0],
        )  # fmt: skip
        evidence.look(found.world, found.places)
        return found

    def _pixel(self, mark: int, best: int) -> tuple[float, float] | None:
        """Where a mark is looked for: in the first frame of a series, in a grid in the one that shows it best."""
        evidence = self.evidence
        assert evidence.candidate is not None
        known = [index for index in evidence.matched if index is not None]
        if not known:
            return None
        index = best if evidence.candidate.method.is_grid else min(known)
        columns, rows = evidence.pixels_of(index, evidence.candidate.scene.world_m[[mark]])
        inside = 0.0 <= columns[0] < evidence.pixels[0] and 0.0 <= rows[0] < evidence.pixels[1]
        return (float(rows[0]), float(columns[0])) if inside else None

    def _marks(self, reports: list[FrameReport]) -> list[MarkSoftness]:
        candidate = self._as_found(reports)
        if candidate is None:
            return []
        rendering: Rendering | None = candidate.rendering
        assert rendering is not None
        usable = self._usable(reports)
        found = []
        for mark in range(candidate.scene.mark_count):
            blocks = {
                index: self.evidence.reads[k].blocks[mark]
                for index, k in usable.items()
                if mark in self.evidence.reads[k].blocks
            }
            cut_off = () if candidate.method.is_grid else usable.keys() - blocks.keys()
            told = measure(candidate, rendering, mark, blocks, self.evidence.pitch_mm, cut_off)
            pixel = self._pixel(mark, told.frame)
            if not blocks and told.frame in usable:
                where = "outside the picture" if pixel is None else "too near the picture's edge"
                told = replace(told, how=f"{where} as the camera looked")
            found.append(replace(told, pixel=pixel))
        return believed(candidate, found)


def _alike(tiny: Sequence[Grey]) -> float:
    """How like frames are to the one before, in the middle; one frame alone tells of no likeness."""
    return float(np.median([likeness(a, b) for a, b in itertools.pairwise(tiny)] or [1.0]))


def _true(flags: Sequence[bool]) -> list[int]:
    return [k for k, flag in enumerate(flags) if flag]
