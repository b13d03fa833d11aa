"""What comes after the advice: other ways out, and what would change it. Worked out when the weighing is told.

Everything named here was tried on the exact model; nothing is extrapolated.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from verispect.errors import Cancelled
from verispect.plan.advise.alternatives import WayOut, letting_go, moved_back, own_frame, wider
from verispect.plan.advise.guesses import deciding_guesses
from verispect.plan.advise.side_by_side import each
from verispect.plan.advise.thresholds import Asked, openings, thresholds, told_of_views, views_of
from verispect.plan.advise.weigh import Weighing, advised_of, parts_of
from verispect.plan.document import Plan
from verispect.plan.methods.method import ONE_FRAME
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
    one = weighing.by_key(ONE_FRAME.key)
    views = views_of(scene.plan)
    ways: list[Callable[[], object]] = []
    if one.fits and not one.is_sharp:
        ways = [partial(attempt, scene, one) for attempt in (wider, moved_back, letting_go, own_frame)]
    advices = [partial(_advice, plan, is_cancelled) for _, plan in views]
    changes = _what_changes(weighing)

    def look(asked: Callable[[], object]) -> object:
        """Answer one question, unless nobody waits any more."""
        if is_cancelled is not None and is_cancelled():
            raise Cancelled
        return asked()

    questions: list[Callable[[], object]] = [*advices, *changes, *ways]
    found = each(look, questions, same=parts_of(scene))
    answered = zip(views, found, strict=False)
    by_views = [(words, *answer) for (words, _), answer in answered if isinstance(answer, tuple)]
    said = [answer for answer in found[len(views) :] if isinstance(answer, Sentence)]
    return Further(
        tuple(answer for answer in found if isinstance(answer, WayOut)),
        (*told_of_views(weighing.advised, by_views), *said),
    )


def _advice(plan: Plan, is_cancelled: Callable[[], bool] | None) -> tuple[str | None, bool]:
    """The key of the method that would be advised, and whether it holds."""
    advised = advised_of(plan, is_cancelled=is_cancelled)
    return (None, False) if advised is None else (advised.key, advised.holds)


def _what_changes(weighing: Weighing) -> list[Asked]:
    if weighing.advised is None:
        return []
    advised = weighing.by_key(weighing.advised)
    if not advised.holds:
        # What is sharp as it is lacks a turn of the camera, and nothing of the kit.
        return [] if advised.is_sharp else openings(weighing)
    return [*deciding_guesses(advised), *thresholds(weighing, advised)]
