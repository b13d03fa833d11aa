"""Frames checked against one another and against the plan: what is wrong, how sharp it came out, what to do."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled, FileError
from verispect.files.run_file import Run
from verispect.optics.blur import image_centres_mm
from verispect.optics.conjugates import object_for_image_distance_mm
from verispect.optics.lens_state import from_principal_point
from verispect.optics.types import Floats
from verispect.plan.frames.rendering import Rendering
from verispect.plan.methods.candidate import Candidate
from verispect.prove.align.motion import Motion, at_middle, motion_between
from verispect.prove.checks.exposure import off_the_rest, ratios_stops
from verispect.prove.checks.pointing import looked, words
from verispect.prove.checks.shake import blur_length_px, directed_loss, sector_powers
from verispect.prove.expected import View, light_stops, turned_as_happened, view_of
from verispect.prove.intake import Frame, described, frames_in, in_order, linear_of, read_coded
from verispect.prove.matching import match
from verispect.prove.report import Fault, FrameReport, Report
from verispect.prove.sets import FrameSet, SetKind, is_dark, likeness, split
from verispect.prove.softness.mark_softness import ABOUT, MarkSoftness, measure
from verispect.prove.verdict import advice, gaps_between, metres, missing_frames, redo

Grey = NDArray[np.float32]
Progress = Callable[[float, str], None]
# From these on something is a fault: pixels, stops, nepers, share, allowed blurs.
KNOCK_PX, EXPOSURE_STOPS, SHAKE_NEPERS, CLIPPED, MISSED = 0.3, 0.08, 0.1, 0.02, 0.6
WHITE_STOPS, MOVED = 0.1, 0.12
_WORKING_PIXELS = 1_700_000
_BLOCK_HALF = 60
_SMALL_SIDE = 180
# A measured scale is sure to about so much.
_SCALE_NOISE = 3e-5


@dataclass(frozen=True)
class _Read:
    """What is kept of a frame after its pixels are gone."""

    grey: Grey
    colour: Grey
    sectors: Floats
    median: float
    clipped: float
    divide: int
    blocks: dict[int, Grey]


def check(
    places: Sequence[Path],
    *,
    candidate: Candidate | None = None,
    run: Run | None = None,
    progress: Progress | None = None,
    is_cancelled: Callable[[], bool] | None = None,
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

    Raises
    ------
    FileError
        For what cannot be read.
    """
    frames = in_order([described(path) for path in frames_in(places)])
    sizes = {frame.pixels for frame in frames}
    if len(sizes) > 1:
        raise FileError(
            "frames of different sizes: {sizes}; check those of one camera and setting together",
            sizes=", ".join(f"{wide} × {high}" for wide, high in sorted(sizes)),
        )
    work = _Check(frames, candidate, run, progress or (lambda _share, _text: None), is_cancelled or (lambda: False))
    return work.report()


class _Check:
    def __init__(
        self,
        frames: list[Frame],
        candidate: Candidate | None,
        run: Run | None,
        progress: Progress,
        is_cancelled: Callable[[], bool],
    ) -> None:
        self.frames, self.candidate, self.run = frames, candidate, run
        self.progress, self.is_cancelled = progress, is_cancelled
        self.pixels = frames[0].pixels
        exposures = () if candidate is None else candidate.exposures
        self.exposures = list(exposures)
        self.matched: list[int | None] = [None] * len(frames)
        self.reads: list[_Read] = []
        self.pitch_mm = self._pitch()
        self.turned = {} if run is None else turned_as_happened(run, self.exposures)

    def _pitch(self) -> float:
        if self.candidate is not None:
            return self.candidate.scene.plan.sensor_mm[0] / self.pixels[0]
        return self.frames[0].pixel_mm or 36.0 / max(self.pixels)

    # Reading ---------------------------------------------------------------------------------------

    def report(self) -> Report:
        """Read everything once, then compare."""
        levels = self._levels()
        dark = is_dark(levels)
        bright = [frame for frame, black in zip(self.frames, dark, strict=True) if not black]
        planned = len(self.exposures) if self.candidate is not None else None
        within = planned is not None and len(bright) < planned <= len(self.frames)
        counted = self.frames if within else bright
        if self.candidate is not None:
            found = iter(match(counted, self.exposures, self.run))
            self.matched = [next(found) if within or not black else None for black in dark]
        for k, frame in enumerate(self.frames):
            if self.is_cancelled():
                raise Cancelled
            self.progress(0.6 * k / len(self.frames), f"reading {frame.path.name}")
            self.reads.append(self._read(frame, self.matched[k]))
        thumbs = [cv2.resize(read.colour.mean(axis=2), (48, 32), interpolation=cv2.INTER_AREA) for read in self.reads]
        sets = split(self.frames, dark, [np.asarray(t, np.float32) for t in thumbs], planned)
        reports = [FrameReport(file=frame.path.name) for frame in self.frames]
        kinds = []
        for number, group in enumerate(sets):
            kinds.append(self._kind(group))
            for place, k in enumerate(group.frames):
                reports[k].set, reports[k].place = number, place
            self._compare(group, kinds[-1], reports, dark)
        for k, report in enumerate(reports):
            self._alone(k, report, dark[k], any(k in group.frames for group in sets))
        marks = self._marks(reports)
        missing = missing_frames(self.candidate, self.matched)
        gaps = gaps_between(self.candidate, self.matched, reports)
        every = reports + missing
        self.progress(1.0, "checked")
        return Report(
            sets, [frame.path.name for frame in self.frames], kinds, every, marks, gaps,
            redo(every, marks, gaps), advice(every, marks, planned=self.candidate is not None),
        )  # fmt: skip

    def _levels(self) -> list[float]:
        """Median luminance of every frame from a small look."""
        found = []
        for frame in self.frames:
            if self.is_cancelled():
                raise Cancelled
            coded = read_coded(frame)
            step = max(1, min(coded.shape[:2]) // 200)
            found.append(float(np.median(linear_of(np.ascontiguousarray(coded[::step, ::step])))))
        return found

    def _read(self, frame: Frame, exposure: int | None) -> _Read:
        coded = read_coded(frame)
        rows, columns = coded.shape[:2]
        divide = 1
        while rows * columns / divide**2 > _WORKING_PIXELS:
            divide *= 2
        light = linear_of(coded)
        grey = np.asarray(light @ np.array([0.2126, 0.7152, 0.0722], np.float32), np.float32)
        blocks = self._blocks(grey, exposure)
        size = (columns // divide, rows // divide)
        small = grey if divide == 1 else cv2.resize(grey[: size[1] * divide, : size[0] * divide], size,
                                                    interpolation=cv2.INTER_AREA)  # fmt: skip
        tiny = max(1, min(rows, columns) // _SMALL_SIDE)
        colour = cv2.resize(light, (columns // tiny, rows // tiny), interpolation=cv2.INTER_AREA)
        half = grey if rows * columns < 6_000_000 else cv2.resize(grey, (columns // 2, rows // 2),
                                                                  interpolation=cv2.INTER_AREA)  # fmt: skip
        clipped = float(np.mean(coded.max(axis=2) >= 65400))
        sectors = sector_powers(np.asarray(half, np.float32))
        level = float(np.median(colour))
        return _Read(
            np.asarray(small, np.float32), np.asarray(colour, np.float32), sectors, level, clipped, divide, blocks
        )

    def _blocks(self, grey: Grey, exposure: int | None) -> dict[int, Grey]:
        """Blocks about the marks that this frame is to show sharpest, or nearly."""
        if self.candidate is None or exposure is None:
            return {}
        rendering = self.candidate.rendering
        assert rendering is not None
        scene, found = self.candidate.scene, {}
        count = scene.mark_count
        columns, rows = self._pixels_of(exposure, scene.world_m[:count])
        for k in range(count):
            near = abs(int(rendering.exposure[k]) - exposure) <= ABOUT
            if not near or not np.isfinite(columns[k] + rows[k]):
                continue
            column, row = round(float(columns[k])), round(float(rows[k]))
            half = _BLOCK_HALF
            if half <= row < grey.shape[0] - half and half <= column < grey.shape[1] - half:
                found[k] = grey[row - half : row + half + 1, column - half : column + half + 1].copy()
        return found

    def _pixels_of(self, exposure: int, world_m: Floats) -> tuple[Floats, Floats]:
        """Columns and rows (M,) at which marks lie in a frame, with what is known to have happened."""
        planned = self.exposures[exposure]
        if exposure in self.turned:
            basis = self.turned[exposure]
            pose = replace(planned.pose, right=basis[0], up=basis[1], forward=basis[2])
            planned = replace(planned, pose=pose)
        points = from_principal_point(planned.pose.to_camera_mm(world_m), planned.state)
        centres = image_centres_mm(points, planned.state)
        x0, y0 = planned.sensor_centre_mm
        wide, high = self.pixels
        columns = (x0 - centres[:, 0]) / self.pitch_mm + 0.5 * (wide - 1)
        rows = (centres[:, 1] - y0) / self.pitch_mm + 0.5 * (high - 1)
        return np.where(points[:, 2] > 0, columns, np.nan), np.where(points[:, 2] > 0, rows, np.nan)

    # Comparing -------------------------------------------------------------------------------------

    def _kind(self, group: FrameSet) -> SetKind:
        if len(group.frames) == 1:
            return SetKind.SINGLE
        if self.candidate is not None:
            return SetKind.GRID if self.candidate.method.is_grid else SetKind.SERIES
        tiny = [np.asarray(cv2.resize(self.reads[k].colour.mean(axis=2), (48, 32)), np.float32) for k in group.frames]
        alike = [likeness(a, b) for a, b in itertools.pairwise(tiny)]
        return SetKind.SERIES if float(np.median(alike)) > 0.6 else SetKind.UNKNOWN

    def _view(self, k: int) -> View | None:
        index = self.matched[k]
        if index is None:
            return None
        return view_of(self.exposures[index], self.pixels, self.pitch_mm, self.turned.get(index))

    def _focal_px(self, k: int) -> float:
        view = self._view(k)
        if view is not None:
            return view.scale_px
        focal = self.frames[k].focal_mm
        return focal / self.pitch_mm if focal else 1.2 * max(self.pixels)

    def _motion(self, k: int, before: int, *, planned: Floats) -> Motion:
        """Motion in whole pixels between two frames, worked out at the working size."""
        read, other = self.reads[k], self.reads[before]
        shift = (read.divide - 1) / 2.0
        up = np.array([[read.divide, 0, shift], [0, read.divide, shift], [0, 0, 1.0]])
        small = np.linalg.inv(up) @ planned @ up
        middle = ((read.grey.shape[1] - 1) / 2.0, (read.grey.shape[0] - 1) / 2.0)
        found = motion_between(
            read.grey, other.grey, planned=small, focal_px=self._focal_px(k) / read.divide, centre_px=middle
        )
        whole = up @ found.matrix @ np.linalg.inv(up)
        return Motion(whole / whole[2, 2], found.correlation, found.residual_px * read.divide)

    def _compare(self, group: FrameSet, kind: SetKind, reports: list[FrameReport], dark: Sequence[bool]) -> None:
        used = [k for k in group.frames if not dark[k]]
        if kind is SetKind.GRID:
            cells: dict[tuple[float, ...], list[int]] = {}
            for k in used:
                cells.setdefault(self._pointing(k), []).append(k)
            for cell in cells.values():
                self._series(cell, reports)
            self._grid([cell[0] for cell in cells.values()], reports)
        elif kind is SetKind.SERIES:
            self._series(used, reports)

    def _pointing(self, k: int) -> tuple[float, ...]:
        """What frames of one cell share: where the camera looks and where the sensor is."""
        index = self.matched[k]
        if index is None:
            return (float(k),)
        exposure = self.exposures[index]
        return (*np.round(exposure.pose.forward, 9).tolist(), *np.round(exposure.sensor_centre_mm, 6).tolist())

    def _grid(self, used: list[int], reports: list[FrameReport]) -> None:
        """Frames that look apart, by what neighbours show in common."""
        views = [self._view(k) for k in used]
        known = [view for view in views if view is not None]
        if len(known) < len(used) or len(used) < 3:
            return
        found = looked(
            known, [self.reads[k].grey for k in used], [self.reads[k].colour for k in used], self.pixels,
            is_cancelled=self.is_cancelled, progress=lambda share: self.progress(0.6 + 0.3 * share, "comparing"),
        )  # fmt: skip
        if self.is_cancelled():
            raise Cancelled
        told = np.array([light_stops(self.exposures[index]) for k in used if (index := self.matched[k]) is not None])
        off = off_the_rest(found.stops.tolist(), [np.zeros(len(used)), told - told[0]])
        for number, k in enumerate(used):
            if not found.joined[number]:
                continue
            report = reports[k]
            report.shift_px = (float(found.shifts[number, 0]), float(found.shifts[number, 1]))
            report.turn_deg, report.exposure_stops = float(found.turns_deg[number]), float(off[number])
            if found.odd()[number]:
                report.faults.append(
                    Fault("knock", round(math.hypot(*report.shift_px), 3),
                          f"it looks elsewhere: {words(report.shift_px)}, turned {report.turn_deg:+.3f}°",
                          "take this frame again; joining sets it right as far as its overlaps reach")
                )  # fmt: skip
            if abs(off[number]) > 2.0 * EXPOSURE_STOPS:
                lighter = "brighter" if off[number] > 0 else "darker"
                says = f"{abs(off[number]):.2f} stops {lighter} than its neighbours"
                report.faults.append(
                    Fault("exposure", float(off[number]), says,
                          "take it again with the others' exposure; joining evens out what is not clipped")
                )  # fmt: skip

    def _series(self, used: list[int], reports: list[FrameReport]) -> None:
        """Frames of one view, each laid over the one before it."""
        if len(used) < 2:
            return
        middle = ((self.pixels[0] - 1) / 2.0, (self.pixels[1] - 1) / 2.0)
        offsets, scales, lights = [np.zeros(3)], [0.0], [(0.0, 0.0, 0.0)]
        trusted = [True]
        chain, chain_plan = np.eye(3), np.eye(3)
        expected_scales = [0.0]
        for number, (before, k) in enumerate(itertools.pairwise(used)):
            if self.is_cancelled():
                raise Cancelled
            self.progress(0.6 + 0.3 * number / len(used), f"comparing {self.frames[k].path.name}")
            here, there = self._view(k), self._view(before)
            planned = here.onto(there) if here is not None and there is not None else np.eye(3)
            motion = self._motion(k, before, planned=planned)
            chain, chain_plan = chain @ motion.matrix, chain_plan @ planned
            down, right, turn, grown = at_middle(chain @ np.linalg.inv(chain_plan), middle)
            offsets.append(np.array([-down, -right, -turn]))
            scales.append(scales[-1] + math.log(at_middle(motion.matrix, middle)[3]))
            expected_scales.append(expected_scales[-1] + math.log(at_middle(planned, middle)[3]))
            trusted.append(motion.trusted)
            reports[k].scale = float(grown)
            lights.append(self._light(k, before, motion, lights[-1]))
        self._focus(used, np.array(scales), np.array(expected_scales), trusted, reports)
        self._place(used, np.array(offsets), trusted, reports)
        self._brightness(used, lights, reports)
        self._shaken(used, reports)
        self._moved(used, reports)
        self._doubles(used, reports)

    def _light(
        self, k: int, before: int, motion: Motion, last: tuple[float, float, float]
    ) -> tuple[float, float, float]:
        """Brightness and colour against the set's first frame, chained."""
        a, b = self.reads[before].colour, self.reads[k].colour
        factor = self.pixels[0] / a.shape[1]
        shift = (factor - 1) / 2.0
        up = np.array([[factor, 0, shift], [0, factor, shift], [0, 0, 1.0]])
        matrix = np.linalg.inv(up) @ motion.matrix @ up
        size = (a.shape[1], a.shape[0])
        moved = cv2.warpPerspective(b, matrix, size, flags=cv2.INTER_LINEAR)
        there = cv2.warpPerspective(np.ones(b.shape[:2], np.float32), matrix, size) > 0.999
        light, red, blue = ratios_stops(a, np.asarray(moved, np.float32), there)
        return last[0] + light, last[1] + red, last[2] + blue

    def _place(self, used: list[int], offsets: Floats, trusted: Sequence[bool], reports: list[FrameReport]) -> None:
        """Where each frame's content lies against the place that most of them agree on."""
        usual = np.array([_lower_median(offsets[:, c]) for c in range(3)])
        off = offsets - usual
        corner = 0.5 * math.hypot(*self.pixels)
        for number, k in enumerate(used):
            down, right, turn = (float(part) for part in off[number])
            report = reports[k]
            report.shift_px, report.turn_deg = (down, right), turn
            size = max(math.hypot(down, right), abs(math.radians(turn)) * corner)
            beside = [
                float(np.hypot(*(offsets[number] - offsets[other])[:2]))
                + abs(math.radians(float((offsets[number] - offsets[other])[2]))) * corner
                for other in (number - 1, number + 1)
                if 0 <= other < len(used)
            ]
            if not trusted[number]:
                report.faults.append(
                    Fault("knock", size, "too little in common with the frame before it to be laid over it",
                          "look at it; take it again if it shows something else")
                )  # fmt: skip
            elif min(size, max(beside)) > KNOCK_PX * self._care(number, used, reports):
                report.faults.append(
                    Fault("knock", round(math.hypot(down, right), 3),
                          f"the camera moved: {abs(down):.1f} px {'down' if down > 0 else 'up'}, {abs(right):.1f} px "
                          f"{'right' if right > 0 else 'left'}, turned {turn:+.3f}°",
                          "take this frame again; where all after it are moved too, take them again or realign")
                )  # fmt: skip

    def _brightness(
        self, used: list[int], lights: list[tuple[float, float, float]], reports: list[FrameReport]
    ) -> None:
        hypotheses = [np.zeros(len(used))]
        planned = [self.matched[k] for k in used]
        if all(index is not None for index in planned):
            states = [self.exposures[index].state for index in planned if index is not None]
            lost = np.array([-2.0 * math.log2(s.working_f_number / s.f_number) for s in states])
            hypotheses.append(lost - lost[0])
            told = np.array([light_stops(self.exposures[index]) for index in planned if index is not None])
            hypotheses.append(told - told[0])
        tells = [(self.frames[k].shutter_s, self.frames[k].f_number, self.frames[k].iso or 100.0) for k in used]
        if all(shutter and stop for shutter, stop, _ in tells):
            logs = np.array([math.log2(t * iso / n**2) for t, n, iso in tells if t and n])
            hypotheses += [base + logs - logs[0] for base in list(hypotheses)[:2]]
        values = np.array(lights)
        off = off_the_rest(values[:, 0].tolist(), hypotheses)
        for number, k in enumerate(used):
            report = reports[k]
            report.exposure_stops = float(off[number])
            red, blue = (float(values[number, c] - _lower_median(values[:, c])) for c in (1, 2))
            report.white_balance_stops = (red, blue)
            if abs(off[number]) > EXPOSURE_STOPS:
                lighter = "brighter" if off[number] > 0 else "darker"
                report.faults.append(
                    Fault("exposure", float(off[number]), f"{abs(off[number]):.2f} stops {lighter} than the others",
                          "take it again with the others' exposure, or even it out before merging")
                )  # fmt: skip
            elif max(abs(red), abs(blue)) > WHITE_STOPS:
                report.faults.append(
                    Fault("wrong-setting", max(abs(red), abs(blue)),
                          f"another white balance: red {red:+.2f}, blue {blue:+.2f} stops",
                          "develop all frames with one white balance")
                )  # fmt: skip

    def _focus(
        self,
        used: list[int],
        scales: Floats,
        planned: Floats,
        trusted: Sequence[bool],
        reports: list[FrameReport],
    ) -> None:
        """Focus off the plan, told by how large the frame draws against the others (its breathing)."""
        indices = [self.matched[k] for k in used]
        if (
            self.candidate is None
            or len(used) < 4
            or any(index is None for index in indices)
            or np.ptp(planned) < 1e-4
        ):
            return
        slopes = [
            (scales[j] - scales[i]) / (planned[j] - planned[i])
            for i in range(len(used))
            for j in range(i + 1, len(used))
            if abs(planned[j] - planned[i]) > 0.1 * np.ptp(planned)
        ]
        slope = float(np.median(slopes))
        if not 0.3 < slope < 3.0:
            return
        rest = scales - slope * planned
        rest = rest - np.median(rest)
        for number, k in enumerate(used):
            index = indices[number]
            assert index is not None
            exposure = self.exposures[index]
            if not trusted[number] or abs(rest[number]) < 6.0 * _SCALE_NOISE or not exposure.allowed_blur_mm > 0.0:
                continue
            state = exposure.state
            # A frame that is focused nearer draws larger; laid over the first it must shrink more.
            moved = (
                -rest[number] / slope * (state.image_distance_mm - state.focal_mm * (1 - state.pupil_magnification))
            )
            blurs = abs(moved) / state.working_f_number / exposure.allowed_blur_mm
            if blurs < MISSED:
                continue
            where = object_for_image_distance_mm(
                image_mm=state.image_distance_mm + moved, focal_mm=state.focal_mm
            ) / 1000.0  # fmt: skip
            reports[k].faults.append(
                Fault("missed-focus", float(blurs),
                      f"focused {'nearer' if moved > 0 else 'farther'} than planned, by {blurs:.1f} allowed blurs"
                      + (f" (about {where:.2f} m)" if math.isfinite(where) else ""),
                      f"take it again at {metres(exposure.focus_m)}, with manual focus")
            )  # fmt: skip

    def _care(self, number: int, used: list[int], reports: list[FrameReport]) -> float:
        """How much more it takes to accuse a frame: twice as much beside one whose focus or light is off."""
        beside = [used[other] for other in (number - 1, number + 1) if 0 <= other < len(used)]
        missed = any(fault.name in ("missed-focus", "exposure") for k in beside for fault in reports[k].faults)
        return 2.0 if missed else 1.0

    def _shaken(self, used: list[int], reports: list[FrameReport]) -> None:
        for number, k in enumerate(used):
            # At an end two on the same side, so that one that is itself shaken accuses nobody.
            near = sorted((other for other in range(len(used)) if other != number), key=lambda o: abs(o - number))
            beside = [used[other] for other in near[:2]]
            neighbours = [self.reads[other].sectors for other in beside]
            swing, direction = directed_loss(self.reads[k].sectors, neighbours)
            if swing < SHAKE_NEPERS * self._care(number, used, reports):
                continue
            length = blur_length_px(swing)
            reports[k].motion_length, reports[k].motion_direction = length, direction
            upright = 60.0 <= direction <= 120.0
            cause = "gear that sags, or the shutter" if upright else "wind, a touch at the release, or a stabiliser"
            reports[k].faults.append(
                Fault("motion", length, f"blurred by about {length:.1f} px along {direction:.0f}°: {cause}",
                      "wait until nothing shakes, trigger by cable or timer, and take it again")
            )  # fmt: skip

    def _moved(self, used: list[int], reports: list[FrameReport]) -> None:
        """Places where a frame differs from both its neighbours, far coarser than defocus makes it."""
        if len(used) < 3:
            return
        eased = []
        for k in used:
            small = cv2.resize(self.reads[k].colour.mean(axis=2), None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
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
            known = any(fault.name in ("knock", "exposure", "motion", "missed-focus") for fault in reports[k].faults)
            if known or peak < max(MOVED, 4.0 * usual) or number in (0, len(used) - 1):
                continue
            step = self.pixels[0] / eased[0].shape[1]
            row, column = (round((float(part) + 3.5) * step) for part in place)
            reports[k].faults.append(
                Fault("moved-subject", peak, f"something moved near row {row}, column {column}",
                      "take that part from another frame when merging, or take it again in a calm moment")
            )  # fmt: skip

    def _doubles(self, used: list[int], reports: list[FrameReport]) -> None:
        for before, k in itertools.pairwise(used):
            apart = float(np.mean(np.abs(self.reads[k].grey - self.reads[before].grey)))
            if apart < 1e-6:
                reports[k].duplicate_of = self.frames[before].path.name
                reports[k].faults.append(
                    Fault("duplicate", 0.0, f"the same picture as {self.frames[before].path.name}", "leave one out")
                )

    # One by one ------------------------------------------------------------------------------------

    def _alone(self, k: int, report: FrameReport, dark: bool, in_set: bool) -> None:
        read, index = self.reads[k], self.matched[k]
        report.planned_exposure, report.clipped_share, report.dark = index, read.clipped, dark
        if dark and in_set:
            report.faults.append(
                Fault("dark", float(math.log2(max(read.median, 2.0**-16))), "black: no light, or the flash missed",
                      "take it again")
            )  # fmt: skip
        if read.clipped > CLIPPED:
            report.faults.append(
                Fault("clipped", read.clipped, f"{100 * read.clipped:.0f} % of it is clipped",
                      "give less light if the highlights matter")
            )  # fmt: skip
        if index is not None and not dark:
            self._settings(self.frames[k], index, report)

    def _settings(self, frame: Frame, index: int, report: FrameReport) -> None:
        exposure = self.exposures[index]
        said = []
        if frame.f_number and abs(2 * math.log2(frame.f_number / exposure.state.f_number)) > 0.25:
            said.append(f"f/{frame.f_number:g}, planned f/{exposure.state.f_number:.3g}")
        if frame.focal_mm and abs(frame.focal_mm / exposure.state.focal_mm - 1.0) > 0.03:
            said.append(f"{frame.focal_mm:g} mm, planned {exposure.state.focal_mm:.4g} mm")
        assert self.candidate is not None
        iso = self.candidate.scene.plan.kit.body.iso
        if frame.iso and abs(math.log2(frame.iso / iso)) > 0.25:
            said.append(f"ISO {frame.iso:g}, planned {iso:g}")
        if said:
            report.faults.append(
                Fault("wrong-setting", float(len(said)), "; ".join(said), "set what was planned and take it again")
            )

    def _marks(self, reports: list[FrameReport]) -> list[MarkSoftness]:
        if self.candidate is None:
            return []
        rendering: Rendering | None = self.candidate.rendering
        assert rendering is not None
        usable = {
            index: k
            for k, index in enumerate(self.matched)
            if index is not None and not any(f.name in ("dark", "motion") for f in reports[k].faults)
        }
        found = []
        for mark in range(self.candidate.scene.mark_count):
            blocks = {
                index: self.reads[k].blocks[mark] for index, k in usable.items() if mark in self.reads[k].blocks
            }
            found.append(measure(self.candidate, rendering, mark, blocks, self.pitch_mm))
        return found


def _lower_median(values: Floats) -> float:
    """The median; of an even number the lower of the middle two, so that one of two frames is the standard."""
    ordered = np.sort(np.asarray(values, float))
    if len(ordered) == 2:
        return float(values[0])
    return float(ordered[(len(ordered) - 1) // 2])
