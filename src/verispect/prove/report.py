"""What comes of a check: faults in a photographer's words, softness of every mark, what to do now."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from verispect.errors import FileError
from verispect.optics.types import Floats
from verispect.plan.entry.found_distance import FoundPlace
from verispect.plan.frames.exposure import Exposure
from verispect.prove.checks.coverage import Coverage
from verispect.prove.checks.dust import Speck
from verispect.prove.checks.parallax import Slide, slide_dict
from verispect.prove.looked import Looked
from verispect.prove.parting.by_hand import ByHand
from verispect.prove.parting.sets import FrameSet, SetKind
from verispect.prove.softness.block_map import BlockMap, map_dict
from verispect.prove.softness.mark_softness import MarkSoftness
from verispect.prove.softness.on_surfaces import SurfaceSoftness
from verispect.sentence import Sentence
from verispect.subject.mark import Mark

# Faults for which a frame is to be taken again.
REDO = ("knock", "dark", "exposure", "motion", "missed-focus", "missing", "unreadable")
# Pushed by less than such a part of how far it was shaken a frame was not pushed.
_OF_SHAKE = 0.2


@dataclass
class Fault:
    """Something wrong with a frame, in words a photographer uses, with what to do about it.

    `at` is the place (row, column) in its picture where it is a part of it alone.
    """

    name: str
    size: float
    says: str
    remedy: str
    at: tuple[float, float] | None = None


@dataclass
class FrameReport:
    """One frame; `file` is None where it is missing."""

    file: str | None
    set: int = 0
    place: int = 0
    planned_exposure: int | None = None
    shot: int = 0
    shift_px: tuple[float, float] = (0.0, 0.0)
    turn_deg: float = 0.0
    scale: float = 1.0
    exposure_stops: float = 0.0
    white_balance_stops: tuple[float, float] = (0.0, 0.0)
    motion_length: float = 0.0
    motion_direction: float = 0.0
    clipped_share: float = 0.0
    dark: bool = False
    duplicate_of: str | None = None
    # It shows something else than the others, or nothing that is sharp.
    is_stranger: bool = False
    # It shows what they do, but far out of focus.
    is_far_out: bool = False
    # Where it was measured, (3, 3), if not where it was planned.
    lies: Floats | None = None
    # How it was really taken, where its focus or its place is known to be off.
    as_found: Exposure | None = None
    # It could not be checked with the others.
    is_left_aside: bool = False
    faults: list[Fault] = field(default_factory=list)

    def without(self, *names: str) -> bool:
        """Whether it belongs to the others and has none of these faults."""
        return not self.is_stranger and not any(fault.name in names for fault in self.faults)

    def moved(self, pixels: tuple[int, int]) -> Floats:
        """Where its content came to lie: takes (column, row, 1) as planned to there, (3, 3).

        To whole pixels, as blocks are cut out: so it stays the same as more frames arrive.
        """
        across, down = 0.5 * (pixels[0] - 1), 0.5 * (pixels[1] - 1)
        turn = math.radians(round(self.turn_deg, 2))
        c, s = math.cos(turn), math.sin(turn)
        about = np.array([[c, -s, across - c * across + s * down], [s, c, down - s * across - c * down], [0, 0, 1]])
        found: Floats = (
            np.array([[1, 0, round(self.shift_px[1])], [0, 1, round(self.shift_px[0])], [0, 0, 1]]) @ about
        )
        return found

    @property
    def verdict(self) -> str:
        """ "good", "doubtful" or "redo"."""
        if any(fault.name in REDO for fault in self.faults):
            return "redo"
        return "doubtful" if self.faults else "good"


def motion_fault(report: FrameReport, length_px: float, direction_deg: float) -> None:
    """Say that a frame is blurred by motion, and what from."""
    report.motion_length, report.motion_direction = length_px, direction_deg
    upright = 60.0 <= direction_deg <= 120.0
    cause = "gear that sags, or the shutter" if upright else "wind, a touch at the release, or a stabiliser"
    report.faults.append(
        Fault("motion", length_px, f"blurred by about {length_px:.1f} px along {direction_deg:.0f}°: {cause}",
              "wait until nothing shakes, trigger by cable or timer, and take it again")
    )  # fmt: skip


def far_motion_fault(report: FrameReport, length_px: float, direction_deg: float) -> None:
    """Say that a frame was shaken so far that nothing laid over it lies well.

    What seems to have moved by a part of that has not, nor was the camera pushed.
    """
    report.faults = [
        fault for fault in report.faults
        if fault.name not in ("motion", "moved-subject", "missed-focus")
        and not (fault.name == "knock" and fault.size < _OF_SHAKE * length_px)
    ]  # fmt: skip
    report.as_found = None
    motion_fault(report, length_px, direction_deg)


def stands_aside_fault(at: tuple[float, float], shift_px: float, remedy: str) -> Fault:
    """What is said of a thing that a frame shows elsewhere than those about it, at a place (row, column)."""
    says = f"something near row {at[0]:.0f}, column {at[1]:.0f} stands some {shift_px:.0f} px aside"
    return Fault("moved-subject", shift_px, says, remedy, at)


def gust_fault(at: tuple[float, float], length_px: float, direction_deg: float, remedy: str) -> Fault:
    """What is said of a thing that moved while the shutter was open, at a place (row, column)."""
    says = (
        f"something near row {at[0]:.0f}, column {at[1]:.0f} moved by some {length_px:.0f} px along "
        f"{direction_deg:.0f}° while the shutter was open"
    )
    return Fault("moved-subject", round(length_px, 2), says, f"{remedy}, or with a shorter time", at)


@dataclass
class Report:
    """What came of a check."""

    sets: list[FrameSet]
    paths: list[str]
    kinds: list[SetKind]
    frames: list[FrameReport]
    marks: list[MarkSoftness]
    gaps: list[dict[str, Any]]
    dust: list[tuple[Speck, int]]
    redo: list[str]
    advice: list[str]
    blocks: BlockMap | None = None
    # Files that were not checked with the others, each with the sentence that says why.
    left_aside: list[tuple[Path, FileError]] = field(default_factory=list)
    # By marks that were pointed at: how the camera looked.
    looked: Looked | None = None
    surfaces: list[SurfaceSoftness] = field(default_factory=list)
    coverage: Coverage | None = None
    slide: Slide | None = None
    # The frames were held against one another alone, though a plan was given.
    without_plan: bool = False

    @property
    def passed(self) -> bool:
        """Whether nothing is to be done again and every mark that can be told is sharp."""
        return not self.redo and all(mark.verdict != "soft" for mark in self.marks)

    @property
    def checked(self) -> list[FrameReport]:
        """What was found of the files that were checked, in their order."""
        return [frame for frame in self.frames if frame.file is not None and not frame.is_left_aside]

    @property
    def listed(self) -> list[FrameReport]:
        """All frames as they are told: in their order, each that is missing where its set would have it."""
        found = [frame for frame in self.frames if frame.file is not None]
        for lost in (frame for frame in self.frames if frame.file is None):
            found.insert(_place_of(lost, found), lost)
        return found

    @property
    def together(self) -> ByHand:
        """Which frames belong together, to be moved by hand."""
        sets = tuple(tuple(self.paths[k] for k in group.frames) for group in self.sets)
        listed = {name for own in sets for name in own}
        return ByHand(sets, frozenset(name for name in self.paths if name not in listed))

    @property
    def parts(self) -> list[tuple[Sentence | None, list[FrameReport]]]:
        """The frames set by set, each with what it is and why, and at last those in none; one part has no words."""
        found: list[tuple[Sentence | None, list[FrameReport]]] = []
        listed: set[int] = set()
        for number, (group, kind) in enumerate(zip(self.sets, self.kinds, strict=True)):
            own = {self.paths[k] for k in group.frames}
            some = [
                frame
                for frame in self.listed
                if frame.set == number and (frame.file in own or frame.file is None or frame.duplicate_of)
            ]
            values = {
                "number": number + 1,
                "kind": str(kind),
                "count": len(group.frames),
                "why": "; ".join(group.why),
            }
            found.append((Sentence("Set {number}, {kind} of {count}: {why}", values), some))
            listed |= {id(frame) for frame in some}
        rest = [frame for frame in self.listed if id(frame) not in listed]
        found += [(Sentence("In no set", {}), rest)] if rest else []
        return found if len(found) > 1 else [(None, self.listed)]


def _place_of(lost: FrameReport, among: Sequence[FrameReport]) -> int:
    """Where in a list a missing frame belongs: between those of its set that come before and after it."""
    there = [(place, frame.planned_exposure) for place, frame in enumerate(among) if frame.set == lost.set]
    known = [(place, exposure) for place, exposure in there if exposure is not None]
    if lost.planned_exposure is None or not known:
        return len(among)
    falls = known[-1][1] < known[0][1]
    after = [place for place, exposure in known if exposure != lost.planned_exposure
             and (exposure > lost.planned_exposure) != falls]  # fmt: skip
    return after[0] if after else known[-1][0] + 1


def _number_in(frames: Sequence[FrameReport], exposure: int) -> int:
    """Which of the frames was taken as an exposure of the plan; the exposure's own number where none was."""
    own = [k for k, frame in enumerate(frames) if frame.planned_exposure == exposure and frame.duplicate_of is None]
    return min(own, key=lambda k: (frames[k].file is None, k), default=exposure)


def found_places(report: Report, marks: Sequence[Mark]) -> list[FoundPlace]:
    """Where the marks of the plan that was checked against were found; those that were told alone."""
    return [
        FoundPlace(mark.name, (mark.x_m, mark.y_m, mark.z_m), told.ranged.place_m, told.ranged.plus_minus_m)
        for mark, told in zip(marks, report.marks, strict=False)
        if told.ranged is not None
    ]


def report_dict(report: Report) -> dict[str, Any]:
    """The report as the contract's JSON."""
    frames = report.listed
    return {
        "format": "verispect-check",
        "version": 1,
        "sets": [
            {
                "kind": kind,
                "frames": [report.paths[k] for k in group.frames],
                "separator_before": None if group.separator is None else report.paths[group.separator],
                "why_together": list(group.why),
            }
            for group, kind in zip(report.sets, report.kinds, strict=True)
        ],
        "frames": [
            {
                "file": frame.file,
                "set": frame.set,
                "place": frame.place,
                "planned_exposure": frame.planned_exposure,
                "shot": frame.shot,
                "verdict": frame.verdict,
                "shift_px": [round(part, 4) for part in frame.shift_px],
                "turn_deg": round(frame.turn_deg, 5),
                "scale": frame.scale,
                "exposure_stops": round(frame.exposure_stops, 4),
                "white_balance_stops": [round(part, 4) for part in frame.white_balance_stops],
                "motion_px": {"length": frame.motion_length, "direction_deg": frame.motion_direction},
                "clipped_share": frame.clipped_share,
                "dark": frame.dark,
                "duplicate_of": frame.duplicate_of,
                "faults": [
                    {
                        "name": f.name,
                        "size": f.size,
                        "says": f.says,
                        "remedy": f.remedy,
                        "at": None if f.at is None else list(f.at),
                    }
                    for f in frame.faults
                ],
            }
            for frame in frames
        ],
        "marks": [
            {
                "name": mark.name,
                "frame": _number_in(frames, mark.frame),
                "exposure": mark.frame,
                "softness": _told(mark.softness),
                "plus_minus": _told(mark.plus_minus),
                "planned_softness": mark.planned,
                "verdict": mark.verdict,
                "how": mark.how,
                "pixel": None if mark.pixel is None else [round(part, 1) for part in mark.pixel],
                **_ranged(mark),
            }
            for mark in report.marks
        ],
        "surfaces": [
            {
                "name": one.name,
                "need": one.need,
                "told": one.told,
                "soft": one.soft,
                "softness": _told(one.softness),
                "plus_minus": _told(one.plus_minus),
                "planned_softness": one.planned,
                "pixel": None if one.pixel is None else [round(part, 1) for part in one.pixel],
                "away_m": one.away_m,
                "verdict": one.verdict,
            }
            for one in report.surfaces
        ],
        "coverage": None
        if report.coverage is None
        else {
            "share": round(report.coverage.share, 5),
            "holes": [
                {"share": round(hole.share, 5), "at": [round(part, 3) for part in hole.at], "exposure": hole.exposure}
                for hole in report.coverage.holes
            ],
        },
        "slide": None if report.slide is None else slide_dict(report.slide),
        "blocks": None if report.blocks is None else map_dict(report.blocks),
        "looked": None if report.looked is None else _looked(report.looked),
        "gaps": report.gaps,
        "dust": [
            {"pixel": list(speck.pixel), "radius_px": speck.radius_px, "frames": count}
            for speck, count in report.dust
        ],
        "redo": report.redo,
        "advice": report.advice,
    }


def _looked(found: Looked) -> dict[str, Any]:
    return {
        "by": list(found.by),
        "shared": found.shared,
        "right_deg": round(found.right_deg, 4),
        "up_deg": round(found.up_deg, 4),
        "clockwise_deg": round(found.clockwise_deg, 4),
        "stood_mm": [round(1000.0 * float(part), 1) for part in found.stood_m],
        "left_over_px": round(found.left_over_px, 2),
    }


def _ranged(mark: MarkSoftness) -> dict[str, float | None]:
    found = mark.ranged
    return {
        "distance_m": None if found is None else found.distance_m,
        "distance_plus_minus_m": None if found is None else found.plus_minus_m,
        "planned_distance_m": None if found is None else found.planned_m,
        "focus_off_mm": None if found is None else found.off_mm,
        "focus_off_plus_minus_mm": None if found is None else found.off_plus_minus_mm,
    }


def _told(value: float | None) -> float | None:
    return value if value is not None and math.isfinite(value) else None


def _line(frame: FrameReport) -> str:
    shift = f"{frame.shift_px[0]:+.2f}, {frame.shift_px[1]:+.2f}"
    faults = "; ".join(f"{fault.name}: {fault.says}" for fault in frame.faults)
    return (
        f"{frame.file or '(missing)':<24}{frame.verdict:<10}{shift:>16}{frame.turn_deg:>+9.3f}"
        f"{frame.exposure_stops:>+8.2f}  {faults}"
    )


def surface_words(one: SurfaceSoftness) -> Sentence:
    """What of a surface was told, and where it is softest."""
    if one.softness is None or one.pixel is None:
        return Sentence("nothing of it can be told")
    row, column = one.pixel
    return Sentence(
        "{soft} of {told} places soft; the softest {softness:.2f} ± {unsure:.2f}, planned {planned}, about row "
        "{row:.0f}, column {column:.0f}, {away:.3g} m away",
        {"soft": one.soft, "told": one.told, "softness": one.softness, "unsure": one.plus_minus or 0.0,
         "planned": "none" if one.planned is None else f"{one.planned:.2f}",
         "row": row, "column": column, "away": one.away_m or 0.0},
    )  # fmt: skip


def report_table(report: Report) -> str:
    """The report for a terminal."""
    lines = [f"{'frame':<24}{'verdict':<10}{'shift px':>16}{'turn':>9}{'stops':>8}  faults"]
    for words, frames in report.parts:
        lines += [] if words is None else [str(words)]
        lines += [_line(frame) for frame in frames]
    for mark in report.marks:
        told = "cannot say" if mark.softness is None else f"{mark.softness:.2f} ± {mark.plus_minus or 0:.2f}"
        planned = "none" if mark.planned is None else f"{mark.planned:.2f}"
        away, found = "", mark.ranged
        if found is not None:
            away = f"; {found.distance_m:.3g} ± {found.plus_minus_m:.2g} m away, planned {found.planned_m:.3g}"
        lines.append(f"{mark.name:<24}{mark.verdict:<12}{told}, planned {planned} ({mark.how}){away}")
    lines += [f"{one.name:<24}{one.verdict:<12}{surface_words(one)}" for one in report.surfaces]
    for speck, _ in report.dust:
        lines.append(f"dust at row {speck.pixel[0]}, column {speck.pixel[1]}, radius {speck.radius_px:.0f} px")
    lines += [""] + (["Do now:"] + [f"  {line}" for line in report.redo] if report.redo else ["Nothing to do again"])
    lines += [f"({line})" for line in report.advice]
    return "\n".join(lines)
