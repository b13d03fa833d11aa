"""How a camera behaves in time: its self-timer, how many pictures it holds while it writes, its card, its flash."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, fields, replace
from typing import NamedTuple

from verispect.kit.equipment import Times
from verispect.rig.device_program import RigError

# What of the light is the flash's: without it the frame is so many stops darker.
_FLASH_STOPS = 3.0
_MOST = 1.0e5


@dataclass(frozen=True)
class Manner:
    """Figures of a camera and its flash.

    Attributes
    ----------
    timer : float
        Self-timer, seconds.
    write : float
        Seconds to write one picture.
    buffer : float
        So many pictures it holds that are not written yet.
    card : float
        So many pictures go on the card; infinite for one that is never full.
    recycle : float
        Seconds until the flash is full; 0 for none.
    """

    timer: float = 0.0
    write: float = 0.0
    buffer: float = 20.0
    card: float = math.inf
    recycle: float = 0.0


class Shot(NamedTuple):
    """One trigger: when the shutter opened and the picture was on the card (None: it was full), seconds; the stops
    by which the flash was short.
    """

    begun_s: float
    written_s: float | None
    short_stops: float


def manner_of(times: Times) -> Manner:
    """As the plan reckons with it."""
    return Manner(timer=times.timer_s, write=times.write_s, recycle=times.flash_recycle_s)


def with_figures(manner: Manner, given: Sequence[str]) -> Manner:
    """A manner with figures like `write=2.5` in place of its own.

    Raises
    ------
    RigError
        With what would be right.

    Examples
    --------
    >>> with_figures(Manner(), ["card=8", "write=2.5"])
    Manner(timer=0.0, write=2.5, buffer=20.0, card=8.0, recycle=0.0)
    """
    names = [one.name for one in fields(Manner)]
    for text in given:
        name, _, figure = text.partition("=")
        least = 1.0 if name in ("buffer", "card") else 0.0
        try:
            value = float(figure)
        except ValueError:
            value = math.nan
        if name not in names or not least <= value <= _MOST:
            raise RigError("camera figure {text!r}: write NAME=FIGURE, such as write=2.5, with a name of {names}",
                           text=text, names=", ".join(names))  # fmt: skip
        manner = replace(manner, **{name: value})
    return manner


@dataclass
class CameraClock:
    """What comes of triggers, one after the other; all times in seconds of one clock."""

    manner: Manner
    _free_s: float = -math.inf
    _written: list[float] = field(default_factory=list)
    _flashed_s: float = -math.inf

    def trigger(self, at_s: float, shutter_s: float, *, timed: bool = True) -> Shot:
        """What one trigger gives; not `timed` for the further frames of a bracket, which the timer does not delay."""
        manner = self.manner
        begun = max(at_s + (manner.timer if timed else 0.0), self._free_s)
        waiting = sorted(end for end in self._written if end > begun)
        if len(waiting) >= manner.buffer:
            # It waits until there is room for one more.
            begun = waiting[len(waiting) - int(manner.buffer)]
        short = 0.0
        if manner.recycle > 0.0:
            charged = min((begun - self._flashed_s) / manner.recycle, 1.0)
            without = 2.0**-_FLASH_STOPS
            short = -math.log2(without + (1.0 - without) * charged) + 0.0
            self._flashed_s = begun
        self._free_s = begun + shutter_s
        if len(self._written) >= manner.card:
            return Shot(begun, None, short)
        written = max(self._free_s, self._written[-1] if self._written else -math.inf) + manner.write
        self._written.append(written)
        return Shot(begun, written, short)
