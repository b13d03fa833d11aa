"""Weighing: all methods worked out on the same final picture, one advised."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from verispect.errors import Cancelled
from verispect.plan.advise.advice import SURE, advise
from verispect.plan.advise.confidence_search import sure_enough, surer_stop
from verispect.plan.advise.remedies import remedies
from verispect.plan.assess.focus_schools import School, schools_of
from verispect.plan.assess.sensitivity import most_telling, unmeasured_lens_decides
from verispect.plan.document import Plan
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import METHOD_KEYS, ONE_FRAME
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import Scene, build_scene
from verispect.sentence import Sentence


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
    schools : tuple of School
        Where to focus one frame, the schools of practice beside the optimum; empty where one frame does not fit.
    """

    scene: Scene
    candidates: tuple[Candidate, ...]
    advised: str | None
    because: tuple[Sentence, ...]
    schools: tuple[School, ...] = ()

    def by_key(self, key: str) -> Candidate:
        """One method; KeyError for an unknown one."""
        for candidate in self.candidates:
            if candidate.key == key:
                return candidate
        raise KeyError(key)


def weigh(
    plan: Plan,
    *,
    progress: Callable[[float, str], None] | None = None,
    is_cancelled: Callable[[], bool] | None = None,
    advice_alone: bool = False,
) -> Weighing:
    """Work out every method of a plan; with what would make the nearest one hold, where none does.

    `advice_alone` leaves out that, what to know better, and the schools.

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
        candidates.append(sure_enough(worked(key, scene), is_cancelled))
    advised, because = advise(candidates)
    if advice_alone:
        return Weighing(scene, tuple(candidates), advised, because)
    if advised is not None and not any(candidate.holds for candidate in candidates):
        because += remedies(next(c for c in candidates if c.key == advised), is_cancelled)
    because += _what_would_tell(candidates, advised)
    return Weighing(scene, tuple(candidates), advised, because, _schools(candidates))


def _what_would_tell(candidates: list[Candidate], advised: str | None) -> tuple[Sentence, ...]:
    """Which stop would be surer and what to know better, where the advised method may fail for what is unsure."""
    for candidate in candidates:
        if candidate.key == advised:
            found = [unmeasured_lens_decides(candidate)]
            if candidate.confidence is not None and candidate.confidence.holds < SURE:
                found += [surer_stop(candidate), most_telling(candidate)]
            return tuple(sentence for sentence in found if sentence is not None)
    return ()


def _schools(candidates: list[Candidate]) -> tuple[School, ...]:
    """The schools with the lens that does best in one frame."""
    for candidate in candidates:
        if candidate.method == ONE_FRAME and candidate.problem is not None:
            return tuple(schools_of(candidate.problem))
    return ()
