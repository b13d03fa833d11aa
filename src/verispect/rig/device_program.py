"""What a motorised rail or head is to do for a method: places, waits and triggers, and the same as plain G-code."""

from __future__ import annotations

import math
from dataclasses import dataclass

from verispect.errors import VerispectError
from verispect.plan.explain.frame_table import frame_rows
from verispect.plan.frames.shots import Shot
from verispect.plan.methods.candidate import Candidate

# How fast the axes go: mm and degrees a minute; slow enough for heavy gear (from memory, to be set lower at need).
RAIL_FEED, HEAD_FEED = 120.0, 360.0
# How long the trigger output stays on, seconds.
TRIGGER_S = 0.2


class RigError(VerispectError):
    """What a rig cannot do, or what went wrong with it."""


@dataclass(frozen=True)
class Stop:
    """One press of the shutter: where each axis stands, what to wait before and after, what the lens is set to.

    Attributes
    ----------
    shots : tuple of Shot
        One; or all that the body takes by itself, bracketing the focus.
    """

    shots: tuple[Shot, ...]
    places: tuple[float, ...]
    settle_s: float
    after_s: float
    focus_m: float


@dataclass(frozen=True)
class Program:
    """The stops in their order.

    Attributes
    ----------
    axes : tuple of str
        X in millimetres, positive towards the subject; or A and B in degrees, positive right and up, from where the
        camera looks straight as planned.
    slack : float
        Every place is come to from below, this far: so backlash does not tell.
    feed : float
        Units a minute.
    """

    title: str
    method: str
    axes: tuple[str, ...]
    stops: tuple[Stop, ...]
    feed: float
    slack: float

    @property
    def refocuses(self) -> bool:
        """Whether somebody has to set the lens between stops."""
        return any(not _same(a.focus_m, b.focus_m) for a, b in zip(self.stops, self.stops[1:], strict=False))

    @property
    def brackets(self) -> bool:
        """Whether the camera is to change its time between shots."""
        return any(shot.stops for stop in self.stops for shot in stop.shots)

    @property
    def focuses_itself(self) -> bool:
        """Whether the body takes several frames at one press."""
        return any(len(stop.shots) > 1 for stop in self.stops)

    def at(self, shot: Shot) -> Stop:
        """The stop of a shot."""
        return next(stop for stop in self.stops if shot in stop.shots)

    @property
    def travel(self) -> tuple[tuple[float, float], ...]:
        """From where to where each axis goes."""
        columns = zip(*(stop.places for stop in self.stops), strict=True)
        return tuple((min(column), max(column)) for column in columns)


def device_program(candidate: Candidate) -> Program:
    """The program of a method that moves a rail or turns a head.

    Raises
    ------
    RigError
        For a method that moves neither.
    """
    plan, method = candidate.scene.plan, candidate.method
    if not (method.on_rail or method.turns):
        raise RigError(
            "{method} moves neither a rail nor a head; a device program is for a rail series or a turned grid",
            method=method.name,
        )
    if not candidate.exposures:
        raise RigError("{method} has no frames here, so there is nothing to move to", method=method.name)
    times, rows = plan.kit.times, frame_rows(candidate)
    stops = []
    for shots in candidate.presses:
        first = shots[0].exposure
        row, exposure = rows[first], candidate.exposures[first]
        if method.on_rail:
            places: tuple[float, ...] = (round(row.rail_mm, 4),)
        else:
            bearing = (row.bearing_deg - _straight_deg(candidate) + 180.0) % 360.0 - 180.0
            places = (round(bearing, 4), round(row.pitch_deg, 4))
        open_s = sum(shot.of(candidate.exposures).shutter_s for shot in shots)
        after = open_s + times.timer_s + len(shots) * times.after_s
        stops.append(Stop(shots, places, max(times.settle_s, 0.0), after, exposure.focus_m))
    rail, head = plan.kit.rail, plan.kit.head
    slack = (rail.slack_mm if rail else 0.0) if method.on_rail else (head.slack_deg if head else 0.0)
    axes = ("X",) if method.on_rail else ("A", "B")
    return Program(
        plan.title or "plan", method.name, axes, tuple(stops), RAIL_FEED if method.on_rail else HEAD_FEED, slack
    )


def moves_to(program: Program, place: tuple[float, ...], before: tuple[float, ...] | None) -> list[str]:
    """Lines that bring the axes to a place, always from below where there is slack."""
    lines = []
    back = before is None or any(now < last - 1e-9 for now, last in zip(place, before, strict=True))
    if program.slack > 0.0 and back:
        lines.append(_move(program, tuple(value - program.slack for value in place)))
    return [*lines, _move(program, place)]


def gcode(program: Program) -> str:
    """The whole as G-code: absolute, in millimetres and degrees, waits in seconds, trigger on the coolant output."""
    unit = "millimetres, positive towards the subject" if program.axes == ("X",) else (
        "degrees: A right, B up, from where the camera looks straight as planned"
    )  # fmt: skip
    count = sum(len(stop.shots) for stop in program.stops)
    lines = [
        f"; {_plain(program.title)}: {_plain(program.method)}, {count} frames",
        f"; axes {' and '.join(program.axes)} in {unit}",
        "; G4 waits seconds; M8 switches the trigger output on, M9 off",
        "; before you start: the axis is free, nobody and nothing in its way, cables loose, gear secured overhead",
    ]
    for axis, (low, high) in zip(program.axes, program.travel, strict=True):
        lines.append(f"; {axis} goes from {low:.4f} to {high:.4f}; set your limits beyond that")
    if program.slack > 0.0:
        lines.append(f"; each place is come to from {program.slack:g} below, so that slack does not tell")
    if program.brackets:
        steps = dict.fromkeys(shot.stops for stop in program.stops for shot in stop.shots)
        times = ", ".join(f"{stops:+g}" for stops in steps)
        lines.append(f"; set the camera to bracket its time by {times} stops, one shot for each trigger")
    if program.focuses_itself:
        each = len(program.stops[0].shots)
        lines.append(
            f"; set the body to bracket its focus by itself: {each} frames for each trigger, back to the first"
        )
    start = " ".join(f"{axis}{value:.4f}" for axis, value in zip(program.axes, program.stops[0].places, strict=True))
    on_rail = program.axes == ("X",)
    by_hand = (
        "put the camera at its first place" if on_rail else "turn the head straight ahead as planned, and level it"
    )
    zero = start if on_rail else " ".join(f"{axis}0" for axis in program.axes)
    lines += ["G21", "G90", f"; {by_hand}, then start: that place is called {zero}", "M0", f"G92 {zero}"]
    before: tuple[float, ...] | None = None
    focus = math.nan
    number = 1
    for stop in program.stops:
        last = number + len(stop.shots) - 1
        lines.append(f"; frame {number}" if last == number else f"; frames {number} to {last}")
        lines += moves_to(program, stop.places, before)
        if not _same(stop.focus_m, focus) and (program.refocuses or number == 1):
            where = "infinity" if math.isinf(stop.focus_m) else f"{stop.focus_m:.3f} m"
            lines += [f"; set the focus to {where}", "M0"]
        lines += [f"G4 P{stop.settle_s:.3f}", "M8", f"G4 P{TRIGGER_S:.3f}", "M9", f"G4 P{stop.after_s:.3f}"]
        before, focus, number = stop.places, stop.focus_m, last + 1
    lines += ["; back to the first place", _move(program, program.stops[0].places), "M2"]
    return "\n".join(lines) + "\n"


def _move(program: Program, place: tuple[float, ...]) -> str:
    words = " ".join(f"{axis}{value + 0.0:.4f}" for axis, value in zip(program.axes, place, strict=True))
    return f"G1 {words} F{program.feed:g}"


def _straight_deg(candidate: Candidate) -> float:
    return float(candidate.scene.plan.camera.bearing_deg)


def _same(first: float, second: float) -> bool:
    return first == second or abs(first - second) <= 1e-6 * max(abs(first), 1.0)


def _plain(text: str) -> str:
    """Text for a comment: in one line of ASCII, so that nothing of it can be taken as a command."""
    kept = "".join(c if c.isascii() and (c.isalnum() or c in " .,:-_/+") else " " for c in text)
    return " ".join(kept.split())[:60]
