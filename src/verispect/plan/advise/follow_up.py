"""What comes after the advice: other ways out, and what would change it. Worked out when the weighing is told.

Everything named here was tried on the exact model; nothing is extrapolated.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from verispect.errors import Cancelled
from verispect.plan.advise.alternatives import WayOut, letting_go, moved_back, own_frame, wider
from verispect.plan.advise.guesses import deciding_guesses
from verispect.plan.advise.thresholds import openings, other_views, thresholds
from verispect.plan.advise.weigh import Weighing
from verispect.sentence import Sentence


@dataclass(frozen=True)
class Further:
    """Ways out where one frame does not hold, and what would change the advice."""

    ways: tuple[WayOut, ...]
    changes: tuple[Sentence, ...]


def further(weighing: Weighing, *, is_cancelled: Callable[[], bool] | None = None) -> Further:
    """Work out both.

    Raises
    ------
    Cancelled
        If `is_cancelled` said so between two steps.
    """
    scene = weighing.scene
    one = weighing.by_key("one-frame")
    ways: list[WayOut] = []
    changes: list[Sentence] = []

    def look() -> None:
        if is_cancelled is not None and is_cancelled():
            raise Cancelled

    if one.fits and not one.holds:
        for attempt in (wider, moved_back, letting_go, own_frame):
            look()
            found = attempt(scene, one)
            if found is not None:
                ways.append(found)
    changes.extend(other_views(weighing, is_cancelled))
    if weighing.advised is not None:
        advised = weighing.by_key(weighing.advised)
        if advised.holds:
            changes.extend(deciding_guesses(advised, look))
            changes.extend(thresholds(weighing, advised, look))
        else:
            changes.extend(openings(weighing, look))
    return Further(tuple(ways), tuple(changes))
