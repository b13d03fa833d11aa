"""Shots of one frame held against the first of them: whether the camera stood still, and how they were exposed."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from verispect.plan.frames.shots import Shot
from verispect.prove.align.motion import at_middle
from verispect.prove.checks.exposure import ratios_stops
from verispect.prove.evidence import Evidence
from verispect.prove.report import Fault, FrameReport
from verispect.prove.series_check import EXPOSURE_STOPS, KNOCK_PX

# A camera's own steps of time are rounded; what is further off than this was not set.
_STEP_STOPS = 0.25


@dataclass(frozen=True)
class Repeat:
    """A picture that is a further shot of another one's frame; both as places among all pictures."""

    lead: int
    lead_shot: Shot
    shot: Shot


def leads_of(part: Sequence[int], told: Sequence[Shot | None], dark: Sequence[bool]) -> dict[int, int]:
    """For each exposure the picture that stands for it: the first of its shots that is not black, else the first."""
    found: dict[int, int] = {}
    for k, shot in sorted(zip(part, told, strict=True), key=lambda pair: (dark[pair[0]], pair[0])):
        if shot is not None:
            found.setdefault(shot.exposure, k)
    return found


def compare_shots(
    evidence: Evidence, repeats: dict[int, Repeat], reports: list[FrameReport], dark: Sequence[bool]
) -> None:
    """Say what is wrong with further shots. What walks through differs between them, and is no fault."""
    middle = ((evidence.pixels[0] - 1) / 2.0, (evidence.pixels[1] - 1) / 2.0)
    for k, repeat in repeats.items():
        report, lead = reports[k], reports[repeat.lead]
        if dark[k] or dark[repeat.lead]:
            continue
        _exposed(evidence, k, repeat, report)
        motion = evidence.motion(k, repeat.lead, planned=np.eye(3))
        if not motion.trusted:
            # Steps of exposure may leave nothing that both render.
            if not repeat.shot.stops and not repeat.lead_shot.stops:
                report.faults.append(
                    Fault("knock", 0.0, f"too little in common with {lead.file}, of the same frame",
                          "look at it; take it again if it shows something else")
                )  # fmt: skip
            continue
        down, right, turn, report.scale = at_middle(motion.matrix, middle)
        report.shift_px, report.turn_deg = (-down, -right), -turn
        corner = 0.5 * math.hypot(*evidence.pixels)
        size = max(math.hypot(down, right), abs(math.radians(turn)) * corner)
        if size > KNOCK_PX:
            report.faults.append(
                Fault("knock", round(math.hypot(down, right), 3),
                      f"the camera moved by {size:.1f} px between {lead.file} and this, two shots of one frame",
                      "take both again, or let them be laid over one another")
            )  # fmt: skip


def _exposed(evidence: Evidence, k: int, repeat: Repeat, report: FrameReport) -> None:
    """Alike shots have the same light; steps of exposure are told by the times that the files tell."""
    asked = repeat.shot.stops - repeat.lead_shot.stops
    if asked:
        here, there = evidence.frames[k].shutter_s, evidence.frames[repeat.lead].shutter_s
        if here and there and abs(off := math.log2(here / there) - asked) > _STEP_STOPS:
            report.faults.append(
                Fault("wrong-setting", abs(off), f"{off + asked:+.1f} stops against its frame's first shot, planned "
                      f"{asked:+.1f}", "set the steps of exposure that were planned and take it again")
            )  # fmt: skip
        return
    a, b = evidence.reads[repeat.lead].colour, evidence.reads[k].colour
    light, red, blue = ratios_stops(a, b, np.ones(a.shape[:2], bool))
    report.exposure_stops, report.white_balance_stops = light, (red, blue)
    if abs(light) > EXPOSURE_STOPS:
        lighter = "brighter" if light > 0 else "darker"
        report.faults.append(
            Fault("exposure", light, f"{abs(light):.2f} stops {lighter} than the first shot of its frame",
                  "take it again, or even it out before the shots are put together")
        )  # fmt: skip
