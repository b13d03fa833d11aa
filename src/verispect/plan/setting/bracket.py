"""A focus series as a body's own bracketing takes it: first focus, step number, count, direction, their ±."""

from __future__ import annotations

import math
from dataclasses import dataclass

from verispect.plan.document import Order
from verispect.plan.methods.candidate import Candidate, Steps
from verispect.plan.methods.refine.own_bracket import (
    by_focus_alone,
    circle_mm,
    even_spacing_mm,
    fitting_steps,
    focus_span_mm,
    steps_with,
    unit_of,
)
from verispect.sentence import Sentence

# Without a measurement: what a unit of the number may be, in depths of focus. Wide on purpose (common practice
# tells of bodies that part the depth into five, and of others whose finest step passes half of it).
_GUESSED = (0.05, 0.6)


@dataclass(frozen=True)
class Bracket:
    """Settings of a bracket of focus.

    Attributes
    ----------
    first_focus_m : float
        From the sensor mark; infinite at infinity.
    step_number, count, plus_minus_count : int or None
        None where one unit of the number was never measured.
    direction : str
        "away" or "towards".
    merge_limit : int or None
    crop_share : float
        Of the picture's width lost to what not every frame shows.
    says : tuple of Sentence
    """

    first_focus_m: float
    step_number: int | None
    count: int | None
    plus_minus_count: int | None
    direction: str
    merge_limit: int | None
    crop_share: float
    says: tuple[Sentence, ...]


def bracket_of(candidate: Candidate, order: Order) -> Bracket | None:
    """The bracket of a series by focus from one place, or of each place where the body takes a grid of them.

    None for other methods and for a series of one frame.
    """
    if not by_focus_alone(candidate) or (candidate.method.is_grid and not candidate.is_bracketed):
        return None
    sequence = candidate.in_order(order)
    first = candidate.exposures[sequence[0]]
    steps, unsure, said = _steps(candidate)
    taken = steps.count if steps is not None else candidate.frame_count
    limit = candidate.scene.plan.kit.body.merge_limit
    if limit is not None and taken > limit:
        said.append(
            Sentence(
                "{count} frames are more than the {limit} that the body merges: merge them afterwards, or in parts "
                "that share a frame",
                {"count": taken, "limit": limit},
            )
        )
    if order is Order.CENTRE_FIRST:
        said.append(
            Sentence(
                "begin focused in the middle, at {focus:.2f} m: the body goes away from there and then from there "
                "towards you, so set as many frames as cover the longer side twice",
                {"focus": first.focus_m},
            )
        )
    if candidate.is_bracketed and candidate.method.is_grid:
        said.append(
            Sentence(
                "every cell begins at {focus:.2f} m and takes the same: see that the body goes back there after each",
                {"focus": first.focus_m},
            )
        )
    return Bracket(
        first_focus_m=first.focus_m,
        step_number=None if steps is None else steps.number,
        count=None if steps is None else steps.count,
        plus_minus_count=unsure,
        direction="towards" if order is Order.FAR_NEAR else "away",
        merge_limit=limit,
        crop_share=1.0 - candidate.kept,
        says=tuple(said),
    )


def _steps(candidate: Candidate) -> tuple[Steps | None, int | None, list[Sentence]]:
    """Step number and count, ± of the count, and what to say of them."""
    unit = unit_of(candidate)
    near, far = focus_span_mm(candidate)
    exposure = candidate.exposures[0]
    depth = 2.0 * exposure.state.f_number * circle_mm(candidate)
    if unit is None:
        least, most = (math.ceil((near - far) / (_GUESSED[end] * depth) - 1e-9) + 1 for end in (1, 0))
        guess = Sentence(
            "what one step number moves the focus by was never measured with this lens: with number 1 it may "
            "take from {least} to {most} frames; one test run tells (verispect step-test)",
            {"least": least, "most": most},
        )
        return None, None, [guess]
    steps = candidate.bracket or fitting_steps(candidate, unit)
    # A count typed may be more than is surely enough.
    unsure = max(steps.most_count - steps.count, 0)
    moved = {"share": unit.mm / depth, "um": 1000.0 * unit.mm, "stop": exposure.state.f_number}
    if candidate.is_bracketed:
        return steps, unsure, [
            Sentence(
                "one unit of the number moves the focus by {share:.2f} of the depth of focus, {um:.1f} µm at "
                "f/{stop:.1f}; the frames lie {spacing:.1f} µm apart",
                {**moved, "spacing": 1000.0 * steps.number * unit.mm},
            )
        ]  # fmt: skip
    spacing = even_spacing_mm(candidate)
    said = [
        Sentence(
            "one unit of the number moves the focus by {share:.2f} of the depth of focus, {um:.1f} µm at "
            "f/{stop:.1f}; between frames there may be {spacing:.1f} µm",
            {**moved, "spacing": 1000.0 * spacing},
        )
    ]
    if spacing < unit.mm * (1.0 - 1e-9):
        said.append(
            Sentence("even the finest step goes farther than the frames may lie apart: stop down, or focus by hand")
        )
    wrong = steps.number + 1
    said.append(
        Sentence(
            "with number {wrong} by mistake {count} frames would cover it, {times:.1f} times as far apart",
            {"wrong": wrong, "count": steps_with(candidate, unit, wrong).count,
             "times": wrong * unit.mm / spacing},
        )
    )  # fmt: skip
    return steps, unsure, said
