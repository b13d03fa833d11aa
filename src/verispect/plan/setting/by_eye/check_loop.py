"""The stopped-down loop at full magnification: is the near thing sharp, is the far one; what to do next.

Begun at the planned focus and stop. What the eye says narrows the focus between two ends; where they meet one whole
stop is closed, as far as the lens and diffraction let it. It ends in a few answers whatever they are.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from verispect.optics.blur import pupil_cones
from verispect.optics.conjugates import object_for_image_distance_mm
from verispect.optics.f_stops import marked
from verispect.plan.methods.candidate import Candidate
from verispect.sentence import Sentence

# A pull of the focus below this share of what one stop allows is not worth it: close the stop.
_LEAST_PULL = 0.3
# No focus is pulled more finely by hand than this, as image distance.
_FINEST_MM = 0.002


class Act(StrEnum):
    """What comes next."""

    LOOK = "look"
    NEARER = "nearer"
    FARTHER = "farther"
    STOP_DOWN = "stop-down"
    DONE = "done"
    GIVE_UP = "give-up"


@dataclass(frozen=True)
class Turn:
    """Where the loop stands.

    Attributes
    ----------
    act : Act
        What was just asked for.
    f_number, image_mm : float
        As they are set now; the image distance along the sensor's normal.
    low_mm, high_mm : float
        The focus lies between these as far as the eye has told.
    asked : int
        How many answers there were.
    """

    act: Act
    f_number: float
    image_mm: float
    low_mm: float
    high_mm: float
    asked: int = 0


@dataclass(frozen=True)
class CheckLoop:
    """The loop of one frame: which two things are looked at, and what the lens can do.

    Attributes
    ----------
    near, far : str
        What needs the longest and the shortest image distance; of a straight lens the nearest and the farthest.
    stops : tuple of float
        Whole stops from the planned one on to the smallest at which diffraction leaves anything.
    """

    candidate: Candidate
    near: str
    far: str
    near_mm: float
    far_mm: float
    stops: tuple[float, ...]

    def begin(self) -> Turn:
        """As planned."""
        state = self.candidate.exposures[0].state
        return Turn(Act.LOOK, self.stops[0], state.image_distance_mm, self.far_mm, self.near_mm)

    def answered(self, turn: Turn, *, near_sharp: bool, far_sharp: bool) -> Turn:
        """What follows from what the eye saw."""
        turn = replace(turn, asked=turn.asked + 1)
        if near_sharp and far_sharp:
            return replace(turn, act=Act.DONE)
        if not near_sharp and not far_sharp:
            return self._closed(turn)
        # The near thing wants a longer image distance than is set, the far one a shorter one.
        low, high = (turn.image_mm, turn.high_mm) if not near_sharp else (turn.low_mm, turn.image_mm)
        middle = 0.5 * (low + high)
        narrowed = replace(turn, low_mm=low, high_mm=high)
        least = max(_LEAST_PULL * self._room_mm(turn.f_number), _FINEST_MM)
        if abs(middle - turn.image_mm) < least:
            return self._closed(narrowed)
        return replace(narrowed, act=Act.NEARER if middle > turn.image_mm else Act.FARTHER, image_mm=middle)

    def _closed(self, turn: Turn) -> Turn:
        """The next whole stop, with the focus free again about where it is."""
        further = [stop for stop in self.stops if stop > turn.f_number * 1.01]
        if not further:
            return replace(turn, act=Act.GIVE_UP)
        room = self._room_mm(further[0])
        return replace(
            turn,
            act=Act.STOP_DOWN,
            f_number=further[0],
            low_mm=min(turn.low_mm, turn.image_mm - room),
            high_mm=max(turn.high_mm, turn.image_mm + room),
        )

    def _room_mm(self, f_number: float) -> float:
        """How far the focus may be off for the blur that is allowed at a stop: N times it."""
        criterion = self.candidate.criterion
        assert criterion is not None
        allowed = float(criterion.allowed_still_mm(self.candidate.exposures[0].state.at(f_number).working_f_number))
        return f_number * allowed if math.isfinite(allowed) else 0.0

    def says(self, turn: Turn) -> list[Sentence]:
        """The act, and what to look at."""
        values: dict[str, object] = {
            "near": self.near, "far": self.far, "stop": marked(turn.f_number), "focus": self.focus_words(turn),
        }  # fmt: skip
        words = {
            Act.LOOK: "focus at {focus}, stop down to f/{stop}, magnify {near} and then {far}",
            Act.NEARER: "pull the focus nearer, to {focus}, and look again at f/{stop}",
            Act.FARTHER: "pull the focus farther, to {focus}, and look again at f/{stop}",
            Act.STOP_DOWN: "close the lens to f/{stop}, the focus where it is, and look again",
            Act.DONE: "both are sharp: take the frame at {focus} and f/{stop}",
            Act.GIVE_UP: "no stop is left that sharpens both; four ways remain: farther off, wider and cropped, a "
            "series, or letting one of them go",
        }
        return [Sentence(words[turn.act], values)]

    def focus_words(self, turn: Turn) -> Sentence:
        """What the lens's scale reads from the sensor mark."""
        exposure = self.candidate.exposures[0]
        axial = turn.image_mm / exposure.state.axis[2]
        away = object_for_image_distance_mm(image_mm=axial, focal_mm=exposure.state.focal_mm)
        if not math.isfinite(away) or away > 1e7:
            return Sentence("infinity")
        return Sentence("{m:.2f} m", {"m": (away + axial + exposure.lens.principal_separation_mm) / 1000.0})


def check_loop(candidate: Candidate) -> CheckLoop | None:
    """The loop of a method of one frame; None for others and where nothing lies before another."""
    problem = candidate.problem
    if candidate.frame_count != 1 or problem is None or candidate.criterion is None:
        return None
    scene, exposure = candidate.scene, candidate.exposures[0]
    everything = problem.looking(problem.pose, np.flatnonzero(scene.deciding))
    sharp_at = pupil_cones(everything.points_from_lens_mm(exposure.state), exposure.state).sharp_at_mm
    chosen = np.flatnonzero(scene.deciding)
    first, last = int(np.argmax(sharp_at)), int(np.argmin(sharp_at))
    if first == last:
        return None
    planned = exposure.state.f_number
    stops = [planned]
    for stop in problem.stops.tolist():
        allowed = float(candidate.criterion.allowed_still_mm(exposure.state.at(stop).working_f_number))
        if stop > stops[-1] * 2.0**0.45 and math.isfinite(allowed) and allowed > 0.0:
            stops.append(stop)
    return CheckLoop(
        candidate,
        near=scene.names[int(chosen[first])],
        far=scene.names[int(chosen[last])],
        near_mm=float(sharp_at[first]),
        far_mm=float(sharp_at[last]),
        stops=tuple(stops),
    )
