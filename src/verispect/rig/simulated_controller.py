"""A controller of a rail or a head that is not there: a process behind a pseudo-terminal that obeys plain G-code.

Its axes speed up and slow down, have slack and limits, and its battery runs down; faults can be switched on. Each
trigger is written into a file with where the axes really stand, which a simulated camera watches.

One line is answered by `ok` once it is carried out, or by `error: …`, `alarm: …`. Three single characters work at
any time: `!` stops the axes, `~` lets them go on being moved, `?` tells how things stand.
"""

from __future__ import annotations

import json
import math
import os
import re
import select
import sys
import time
import tty
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path

STOP, GO_ON, ASK = b"!", b"~", b"?"
# Units a second², and how far axes may go from zero (from memory, of small motor rails and heads).
_SPEEDING, _LIMIT = 40.0, 400.0
_TICK_S = 0.005
# Battery: a share for each unit of way and each second of dwelling.
_BATTERY_WAY, _BATTERY_S, _LOW = 2e-5, 1e-5, 0.1


class RigFault(StrEnum):
    """Faults that can be switched on, each at a move counted from 1."""

    STALL = "stall"
    LOST_STEP = "lost-step"
    UNPLUGGED = "unplugged"
    LOW_BATTERY = "low-battery"


# How much of a move is lost without anybody being told.
_LOST = 0.1


@dataclass
class Axes:
    """Where the axes are told to stand, where they really stand, and the one way slack is taken up."""

    told: dict[str, float] = field(default_factory=dict)
    real: dict[str, float] = field(default_factory=dict)
    slack: float = 0.0
    way: dict[str, float] = field(default_factory=dict)

    def go(self, axis: str, to: float, *, lost: float = 0.0) -> None:
        """Move one axis: what is screwed on follows once the slack is taken up."""
        step = to - self.told.get(axis, 0.0)
        if step == 0.0:
            return
        way = math.copysign(1.0, step)
        free = self.slack if self.way.get(axis, way) != way else 0.0
        really = step * (1.0 - lost)
        self.real[axis] = self.real.get(axis, 0.0) + math.copysign(max(abs(really) - free, 0.0), step)
        self.told[axis], self.way[axis] = to, way


def seconds_for(way: float, feed_per_s: float, speeding: float = _SPEEDING) -> float:
    """How long a move takes that speeds up, goes and slows down evenly."""
    if way <= 0.0:
        return 0.0
    if way < feed_per_s**2 / speeding:
        return 2.0 * math.sqrt(way / speeding)
    return way / feed_per_s + feed_per_s / speeding


class _LineGone(Exception):  # noqa: N818 - it is no error: the other end was closed
    pass


class Controller:
    """Carries out lines; `rush` is how many times faster than life."""

    def __init__(self, line: int, triggers: Path, *, slack: float = 0.0, rush: float = 1.0,
                 faults: dict[RigFault, int] | None = None) -> None:  # fmt: skip
        self.line, self.triggers, self.rush = line, triggers, rush
        self.faults = faults or {}
        self.axes = Axes(slack=slack)
        self.battery, self.moves, self.feed = 1.0, 0, 60.0
        self.stopped = self.lost_line = False
        self._text = b""
        # Whoever started it may be killed without a word: then nobody is served any more.
        self._parent = os.getppid()

    # The line --------------------------------------------------------------------------------------

    def serve(self) -> None:
        """Until the line is closed."""
        try:
            while not self.lost_line:
                self._say(self._obey(self._next_line()))
        except _LineGone:
            return

    def _next_line(self) -> str:
        while b"\n" not in self._text:
            self._listen(1.0)
        line, self._text = self._text.split(b"\n", 1)
        return line.decode("ascii", "replace")

    def _listen(self, seconds: float) -> None:
        """Take in what has come; what may interrupt is heeded at once."""
        ready, _, _ = select.select([self.line], [], [], seconds)
        if os.getppid() != self._parent:
            raise _LineGone
        if not ready:
            return
        try:
            came = os.read(self.line, 4096)
        except OSError as error:
            raise _LineGone from error
        if not came:
            raise _LineGone
        for sign in (STOP, GO_ON, ASK):
            if sign in came:
                came = came.replace(sign, b"")
                self._interrupt(sign)
        self._text += came

    def _interrupt(self, sign: bytes) -> None:
        if sign == STOP:
            self.stopped, self._text = True, b""
        elif sign == GO_ON:
            self.stopped = False
        if sign != ASK:
            return
        places = " ".join(f"{axis}{value:.4f}" for axis, value in sorted(self.axes.told.items()))
        state = "stopped" if self.stopped else "ready"
        self._say(f"<{state} {places} battery:{100 * self.battery:.0f}>")

    def _say(self, text: str) -> None:
        try:
            os.write(self.line, text.encode("ascii", "replace") + b"\n")
        except OSError:
            self.lost_line = True

    # Lines -----------------------------------------------------------------------------------------

    def _obey(self, line: str) -> str:
        plain = line.split(";")[0].strip().upper()
        if not plain:
            return "ok"
        words = re.findall(r"([A-Z])\s*(-?\d+(?:\.\d*)?)", plain)
        strange = {letter for letter, _ in words[1:]} - set("XABFP")
        if not words or strange or re.sub(r"[A-Z]\s*-?\d+(?:\.\d*)?|\s", "", plain):
            return f"error: not understood: {line.strip()[:40]}"
        code = words[0][0] + words[0][1]
        values = {letter: float(value) for letter, value in words[1:]}
        if code in ("G21", "G90", "M0", "M2", "M9"):
            return "ok"
        if self.stopped:
            return "error: stopped; nothing moves until it is told to go on"
        if code == "G92":
            named = {axis: value for axis, value in values.items() if axis in "XAB"}
            self.axes.told |= named
            self.axes.real |= named
            return "ok"
        if code == "G28":
            return self._home()
        if code == "G4":
            return self._pass(values.get("P", 0.0))
        if code == "M8":
            return self._trigger()
        if code in ("G0", "G1"):
            return self._go(values)
        return f"error: {code} is not known here"

    def _go(self, values: dict[str, float]) -> str:
        self.feed = values.pop("F", self.feed)
        ways = {axis: to - self.axes.told.get(axis, 0.0) for axis, to in values.items() if axis in "XAB"}
        for axis, to in values.items():
            if axis in "XAB" and abs(to) > _LIMIT:
                return f"error: limit: {axis} may go to {_LIMIT:g}, not {to:g}"
        self.moves += 1
        fault = next((name for name, at in self.faults.items() if at == self.moves), None)
        if fault is RigFault.UNPLUGGED:
            os.close(self.line)
            raise _LineGone
        if fault is RigFault.LOW_BATTERY:
            self.battery = 0.5 * _LOW
        if self.battery < _LOW:
            return f"alarm: battery at {100 * self.battery:.0f} %"
        way = math.hypot(*ways.values()) if ways else 0.0
        start = dict(self.axes.told)
        whole = seconds_for(way, self.feed / 60.0)
        share_to = 0.4 if fault is RigFault.STALL else 1.0
        begun = time.monotonic()
        while (gone := (time.monotonic() - begun) * self.rush) < whole * share_to:
            self._listen(_TICK_S)
            if self.stopped:
                self._stand(start, ways, min(gone / whole, 1.0))
                return "error: stopped on the way"
        self.battery -= _BATTERY_WAY * way
        if fault is RigFault.STALL:
            self._stand(start, ways, share_to)
            return "alarm: an axis has stalled"
        for axis in ways:
            self.axes.go(axis, values[axis], lost=_LOST if fault is RigFault.LOST_STEP else 0.0)
        return "ok"

    def _stand(self, start: dict[str, float], ways: dict[str, float], share: float) -> None:
        for axis, way in ways.items():
            self.axes.go(axis, start.get(axis, 0.0) + share * way)

    def _home(self) -> str:
        """To the switches at zero: there every axis knows where it stands, whatever was lost on the way."""
        answer = self._go(dict.fromkeys(self.axes.told, 0.0))
        if answer == "ok":
            self.axes.real = dict.fromkeys(self.axes.told, 0.0)
        return answer

    def _pass(self, seconds: float) -> str:
        begun = time.monotonic()
        while (time.monotonic() - begun) * self.rush < seconds:
            self._listen(_TICK_S)
            if self.stopped:
                return "error: stopped while waiting"
        self.battery -= _BATTERY_S * seconds
        return "ok"

    def _trigger(self) -> str:
        off = {axis: self.axes.real.get(axis, 0.0) - told for axis, told in self.axes.told.items()}
        with self.triggers.open("a", encoding="utf-8") as file:
            # One clock for all processes of the machine: when the trigger came.
            file.write(json.dumps({"told": self.axes.told, "off": off, "at": time.monotonic()}) + "\n")
        return "ok"


def main(given: list[str]) -> None:
    """`… TRIGGERS SLACK RUSH [FAULT@MOVE …]`; the name of the line is printed first."""
    triggers, slack, rush = Path(given[0]), float(given[1]), float(given[2])
    faults = {RigFault(name): int(at) for name, at in (part.split("@") for part in given[3:])}
    ours, theirs = os.openpty()
    tty.setraw(ours)
    tty.setraw(theirs)
    print(os.ttyname(theirs), flush=True)
    # The other end is kept open here too: until somebody opens it there would be nothing to listen to.
    try:
        Controller(ours, triggers, slack=slack, rush=rush, faults=faults).serve()
    except KeyboardInterrupt:
        return


if __name__ == "__main__":
    main(sys.argv[1:])
