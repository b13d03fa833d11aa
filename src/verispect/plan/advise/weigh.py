"""Weighing: all methods worked out on the same final picture, one advised."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from itertools import chain

from verispect.errors import Cancelled
from verispect.plan.advise.advice import SURE, advise
from verispect.plan.advise.confidence_search import sure_enough, surer_stop
from verispect.plan.advise.remedies import remedies
from verispect.plan.advise.side_by_side import each
from verispect.plan.assess.focus_schools import School, schools_of
from verispect.plan.assess.sensitivity import most_telling, unmeasured_lens_decides
from verispect.plan.document import Plan
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import METHODS, ONE_FRAME
from verispect.plan.methods.ranking import burden, least_burden
from verispect.plan.methods.registry import solver_of, worked
from verispect.plan.scene.scene import Scene, build_scene
from verispect.plan.solve.stop_cost import TIE
from verispect.sentence import Sentence

# Methods whose work has much in common, which one process remembers; the longest first.
_PIECES = (
    tuple(method.key for method in METHODS if method.turns),
    *((method.key,) for method in sorted(METHODS, key=lambda method: not method.tilts) if not method.turns),
)


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
    progress: Callable[[float], None] | None = None,
    is_cancelled: Callable[[], bool] | None = None,
) -> Weighing:
    """Work out every method of a plan; with what would make the nearest one hold, where none does.

    Raises
    ------
    PlanError
        If the plan has no marks or lenses, or a mark where no lens can see it.
    Cancelled
        If `is_cancelled` said so between two methods.
    """
    scene = build_scene(plan)
    for method in METHODS:
        # Loaded before the work is shared out, once and not by each.
        solver_of(method)
    working = partial(_worked, scene, is_cancelled)
    parts = each(lambda keys: [working(key) for key in keys], _PIECES, same=parts_of(scene), progress=progress)
    found = dict(zip(chain(*_PIECES), chain(*parts), strict=True))
    candidates = [found[method.key] for method in METHODS]
    advised, because = advise(candidates)
    if advised is not None and not any(candidate.holds for candidate in candidates):
        because += remedies(next(c for c in candidates if c.key == advised), is_cancelled)
    because += _what_would_tell(candidates, advised)
    return Weighing(scene, tuple(candidates), advised, because, _schools(candidates))


def advised_of(plan: Plan, *, is_cancelled: Callable[[], bool] | None = None) -> Candidate | None:
    """The advised method alone; None where none fits.

    The same as of a weighing, but a method is not worked out that could not be advised however well it held.

    Raises
    ------
    PlanError, Cancelled
        As a weighing does.
    """
    scene = build_scene(plan)
    candidates: list[Candidate] = []
    least = math.inf
    for method in METHODS:
        if least <= least_burden(method, plan) * (1.0 + TIE):
            continue
        candidates.append(_worked(scene, is_cancelled, method.key))
        if candidates[-1].is_sharp and candidates[-1].is_sure and candidates[-1].soft_enough:
            least = min(least, burden(candidates[-1]))
    advised, _ = advise(candidates)
    return next((candidate for candidate in candidates if candidate.key == advised), None)


def _worked(scene: Scene, is_cancelled: Callable[[], bool] | None, key: str) -> Candidate:
    if is_cancelled is not None and is_cancelled():
        raise Cancelled
    return sure_enough(worked(key, scene), is_cancelled)


def parts_of(scene: Scene) -> list[object]:
    """What all candidates of a scene share, and is too large to be told anew with each."""
    plan = scene.plan
    return [scene, plan, *vars(scene).values(), *(getattr(plan, name) for name in type(plan).model_fields)]


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
