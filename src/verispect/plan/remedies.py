"""What would make the nearest method hold, where none does: tried, not guessed."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from verispect.errors import PlanError
from verispect.plan.advice import METHOD_NAMES
from verispect.plan.candidate import Candidate
from verispect.plan.document import Plan, Wish
from verispect.plan.methods import worked
from verispect.plan.scene import build_scene
from verispect.sentence import Sentence

# A wish is eased up to so many times, found to within this share.
_MOST = 8.0
_WITHIN = 0.01


def remedies(nearest: Candidate, is_cancelled: Callable[[], bool] | None = None) -> tuple[Sentence, ...]:
    """Sentences that each name one change with which this method would hold."""
    found = []
    for attempt in (_without_the_worst, _seen_from_farther):
        if is_cancelled is not None and is_cancelled():
            break
        sentence = attempt(nearest)
        if sentence is not None:
            found.append(sentence)
    return tuple(found)


def holds_with(plan: Plan, key: str) -> bool:
    """Whether a method of this plan holds; not where the plan is impossible."""
    try:
        return worked(key, build_scene(plan)).holds
    except PlanError:
        return False


def _without_the_worst(nearest: Candidate) -> Sentence | None:
    """Let go of the one must that is softest."""
    scene, rendering = nearest.scene, nearest.rendering
    musts = np.flatnonzero(scene.musts)
    if rendering is None or len(musts) < 2:
        return None
    softness = np.nan_to_num(rendering.softness[musts], posinf=1e9 - rendering.contrast[musts].min())
    rank = np.where(softness >= 1e8, 1e9 - rendering.contrast[musts], softness)
    worst = int(musts[int(np.argmax(rank))])
    plan = scene.plan
    mark = plan.marks[worst].model_copy(update={"need": "may"})
    marks = tuple(mark if k == worst else other for k, other in enumerate(plan.marks))
    if not holds_with(plan.model_copy(update={"marks": marks}), nearest.key):
        return None
    return Sentence(
        "If {mark} may be soft, {method} holds",
        {"mark": scene.names[worst], "method": Sentence(METHOD_NAMES[nearest.key])},
    )


def eased(wish: Wish, times: float) -> Wish:
    """The wish with detail so many times coarser: seen from farther, or fewer lines or more pixels a line."""
    if wish.detail_from != "print":
        return wish.model_copy(update={"pixels_per_line_pair": wish.pixels_per_line_pair * times})
    if wish.line_pairs_per_mm is not None:
        return wish.model_copy(update={"line_pairs_per_mm": wish.line_pairs_per_mm / times})
    return wish.model_copy(update={"viewing_mm": wish.viewing_mm * times})


def _seen_from_farther(nearest: Candidate) -> Sentence | None:
    """The least easing of the wish with which the method holds."""
    plan = nearest.scene.plan

    def holds(times: float) -> bool:
        return holds_with(plan.model_copy(update={"wish": eased(plan.wish, times)}), nearest.key)

    if not holds(_MOST):
        return None
    low, high = 1.0, _MOST
    while high / low > 1.0 + _WITHIN:
        middle = float(np.sqrt(low * high))
        low, high = (low, middle) if holds(middle) else (middle, high)
    wish = eased(plan.wish, high)
    method = Sentence(METHOD_NAMES[nearest.key])
    if wish.detail_from != "print":
        return Sentence(
            "With a line pair over {pixels:.1f} pixels, {method} holds",
            {"pixels": wish.pixels_per_line_pair, "method": method},
        )
    if wish.line_pairs_per_mm is not None:
        return Sentence(
            "With {lines:.2g} line pairs per mm on the print, {method} holds",
            {"lines": wish.line_pairs_per_mm, "method": method},
        )
    return Sentence(
        "Seen from {far:.0f} mm, or printed {share:.0f} % as large, {method} holds",
        {"far": wish.viewing_mm, "share": 100.0 / high, "method": method},
    )
