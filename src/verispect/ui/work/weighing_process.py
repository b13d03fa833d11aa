"""The process that weighs: the window keeps its interpreter, and so its pace, to itself.

One process serves all windows of the program. What is wanted and how far it is pass through shared
memory, plans and results through the pool.
"""

from __future__ import annotations

import atexit
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from verispect.errors import VerispectError
from verispect.plan.document import Plan
from verispect.sentence import Sentence
from verispect.ui.work.worker import Worker, shared

if TYPE_CHECKING:
    from concurrent.futures import Future

    from verispect.plan.advise.follow_up import Further
    from verispect.plan.advise.weigh import Weighing

Outcome = tuple["Weighing | None", Sentence | None]

# In the worker: the number last given up, and [number, share done] of the work under way.
_given_up: Any = None
_progress: Any = None
# The last few weighings, the newest last: what is undone, done again or opened anew is there at once.
_kept: list[_Kept] = []
_MOST_KEPT = 6


@dataclass
class _Kept:
    """A weighing, the number it was last asked for by, and what comes after its advice once that was found."""

    plan: Plan
    weighing: Weighing
    number: int
    further: Further | None = None


def _begin(given_up: Any, progress: Any) -> None:
    global _given_up, _progress
    _given_up, _progress = given_up, progress
    # What a weighing needs is imported before the first is asked for.
    import verispect.plan.advise.weigh  # noqa: F401


def _weigh(plan: Plan, number: int) -> Outcome:
    from verispect.errors import Cancelled
    from verispect.plan.advise.side_by_side import using_processors
    from verispect.plan.advise.weigh import weigh

    def progress(share: float) -> None:
        _progress[0], _progress[1] = float(number), share

    known = _known(plan)
    if known is not None:
        known.number = number
        return known.weighing, None
    try:
        with using_processors():
            weighing = weigh(plan, is_cancelled=lambda: _given_up.value >= number, progress=progress)
    except Cancelled:
        return None, None
    except VerispectError as error:
        return None, error.sentence
    _kept.append(_Kept(plan, weighing, number))
    del _kept[:-_MOST_KEPT]
    return weighing, None


def _known(plan: Plan) -> _Kept | None:
    """A weighing of an equal plan, now the newest; a scan's file may have changed meanwhile."""
    if plan.scans:
        return None
    for kept in reversed(_kept):
        if kept.plan == plan:
            _kept.remove(kept)
            _kept.append(kept)
            return kept
    return None


def _further(of: int, number: int) -> Further | None:
    """What comes after the advice of a weighing, unless another was done since or it is given up."""
    from verispect.errors import Cancelled
    from verispect.plan.advise.follow_up import further
    from verispect.plan.advise.side_by_side import using_processors

    if not _kept or _kept[-1].number != of:
        return None
    newest = _kept[-1]
    try:
        if newest.further is None:
            with using_processors():
                newest.further = further(newest.weighing, is_cancelled=lambda: _given_up.value >= number)
    except (Cancelled, VerispectError):
        return None
    return newest.further


class WeighingProcess:
    """Starts when first asked, and again should it have died.

    Nothing of it is made or imported before: the window is painted first.
    """

    def __init__(self) -> None:
        self._worker = Worker(_begin, self._shared)
        self._given_up: Any = None
        self._progress: Any = None
        self._number = 0

    def _shared(self) -> tuple[Any, ...]:
        if self._given_up is None:
            self._given_up, self._progress = shared("q", 0), shared("d", [0.0, 0.0])
            atexit.register(self.close)
        return self._given_up, self._progress

    def begin(self) -> None:
        """Have the process started and warm; returns at once."""
        self._worker.begin()

    def submit(self, plan: Plan) -> tuple[int, Future[Outcome]]:
        """Weigh a plan; gives the number to give it up by, and what will hold the outcome."""
        self._number += 1
        return self._number, self._worker.submit(_weigh, plan, self._number)

    def submit_further(self, of: int) -> tuple[int, Future[Further | None]]:
        """What comes after the advice of the weighing with that number."""
        self._number += 1
        return self._number, self._worker.submit(_further, of, self._number)

    def give_up(self, number: int) -> None:
        """Break off this work and all older."""
        if self._given_up is not None:
            self._given_up.value = max(self._given_up.value, number)

    def share_done(self, number: int) -> float:
        """How far this work is, 0 to 1."""
        return float(self._progress[1]) if self._progress and self._progress[0] == number else 0.0

    def replace_if_broken(self, fault: BaseException) -> None:
        """After a fault: begin anew where the process itself has died."""
        self._worker.replace_if_broken(fault)

    def close(self) -> None:
        """End the process; it begins anew when next asked."""
        self.give_up(self._number)
        self._worker.close()


PROCESS = WeighingProcess()
