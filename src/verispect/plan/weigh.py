"""Weighing: all methods worked out on the same final picture, one advised."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from verispect.plan.advice import advise
from verispect.plan.candidate import METHOD_KEYS, Candidate
from verispect.plan.document import Plan
from verispect.plan.methods import worked
from verispect.plan.scene import Scene, build_scene
from verispect.plan.sentence import Sentence


@dataclass(frozen=True)
class Weighing:
    """All methods of a plan.

    Attributes
    ----------
    scene : Scene
    candidates : tuple of Candidate
        In the order of METHOD_KEYS.
    advised : str or None
    because : tuple of Sentence
    """

    scene: Scene
    candidates: tuple[Candidate, ...]
    advised: str | None
    because: tuple[Sentence, ...]

    def by_key(self, key: str) -> Candidate:
        """One method; KeyError for an unknown one."""
        for candidate in self.candidates:
            if candidate.key == key:
                return candidate
        raise KeyError(key)


class Cancelled(Exception):  # noqa: N818 - not an error: the user asked for it
    """The work was no longer wanted."""


def weigh(
    plan: Plan,
    *,
    progress: Callable[[float, str], None] | None = None,
    is_cancelled: Callable[[], bool] | None = None,
) -> Weighing:
    """Work out every method of a plan.

    Raises
    ------
    PlanError
        If the plan has no marks or lenses, or a mark where no lens can see it.
    Cancelled
        If `is_cancelled` said so between two methods.
    """
    scene = build_scene(plan)
    candidates = []
    for index, key in enumerate(METHOD_KEYS):
        if is_cancelled is not None and is_cancelled():
            raise Cancelled
        if progress is not None:
            progress(index / len(METHOD_KEYS), key)
        candidates.append(worked(key, scene))
    advised, because = advise(candidates)
    return Weighing(scene, tuple(candidates), advised, because)
