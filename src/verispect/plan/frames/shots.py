"""Shots: how often each frame of a plan is taken, alike or in steps of exposure, and in which order."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from verispect.plan.frames.exposure import Exposure


@dataclass(frozen=True)
class Shot:
    """One press of the shutter.

    Attributes
    ----------
    exposure : int
        The planned exposure it is of, from 0.
    number : int
        Which of that exposure's shots, from 0; the first is as planned.
    stops : float
        How much longer than planned it is exposed.
    """

    exposure: int
    number: int = 0
    stops: float = 0.0

    def of(self, exposures: Sequence[Exposure]) -> Exposure:
        """Its exposure with its own time."""
        planned = exposures[self.exposure]
        return replace(planned, shutter_s=planned.shutter_s * 2.0**self.stops) if self.stops else planned


def shots_of(sequence: Sequence[int], steps: Sequence[float], *, several: Collection[int]) -> list[Shot]:
    """All shots of exposures in their order, those of one exposure after one another.

    Parameters
    ----------
    several : collection of int
        Exposures that are taken as often as there are steps; others once.
    """
    return [
        Shot(k, number, stops) for k in sequence for number, stops in enumerate(steps if k in several else steps[:1])
    ]
