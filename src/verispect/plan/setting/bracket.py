"""A focus series as a body's own bracketing takes it: first focus, step number, count, direction, their ±."""

from __future__ import annotations

import math
from dataclasses import dataclass

from verispect.plan.document import Order
from verispect.plan.methods.candidate import Candidate
from verispect.sentence import Sentence

# A step number is set whole; with the finest a body may still go too far.
_FINEST, _COARSEST = 1, 10
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
    """The bracket of a series by focus from one place; None for other methods and for a series of one frame."""
    if (
        not candidate.method.merges
        or candidate.method.on_rail
        or candidate.method.is_grid
        or candidate.frame_count < 2
    ):
        return None
    frames = sorted(candidate.exposures, key=lambda exposure: -exposure.axial_image_distance_mm)
    nearest, farthest = frames[0], frames[-1]
    middle = frames[(len(frames) - 1) // 2]
    first = {Order.FAR_NEAR: farthest, Order.CENTRE_FIRST: middle}.get(order, nearest)
    spacing = (nearest.axial_image_distance_mm - farthest.axial_image_distance_mm) / (len(frames) - 1)
    span = nearest.axial_image_distance_mm - farthest.axial_image_distance_mm
    number, count, unsure, said = _numbers(candidate, spacing, span)
    limit = candidate.scene.plan.kit.body.merge_limit
    if limit is not None and (count or len(frames)) > limit:
        said.append(
            Sentence(
                "{count} frames are more than the {limit} that the body merges: merge them afterwards, or in parts "
                "that share a frame",
                {"count": count or len(frames), "limit": limit},
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
    return Bracket(
        first_focus_m=first.focus_m,
        step_number=number,
        count=count,
        plus_minus_count=unsure,
        direction="towards" if order is Order.FAR_NEAR else "away",
        merge_limit=limit,
        crop_share=1.0 - candidate.kept,
        says=tuple(said),
    )


def _numbers(
    candidate: Candidate, spacing_mm: float, span_mm: float
) -> tuple[int | None, int | None, int | None, list[Sentence]]:
    """Step number, count, ± of the count, and what to say of them."""
    exposure = candidate.exposures[0]
    assert candidate.criterion is not None
    known = exposure.lens.lens.focus_step
    circle = (known.circle_mm if known is not None else None) or candidate.criterion.disc_mm
    depth = 2.0 * exposure.state.f_number * circle
    if known is None:
        least, most = (math.ceil(span_mm / (_GUESSED[end] * depth) - 1e-9) + 1 for end in (1, 0))
        return (
            None,
            None,
            None,
            [
                Sentence(
                    "what one step number moves the focus by was never measured with this lens: with number 1 it may "
                    "take from {least} to {most} frames; one test run tells (verispect step-test)",
                    {"least": least, "most": most},
                )
            ],
        )
    unit = known.per_step_of_depth * depth
    number = max(_FINEST, min(_COARSEST, math.floor(spacing_mm / unit + 1e-9)))
    count = math.ceil(span_mm / (number * unit) - 1e-9) + 1
    share = known.plus_minus / known.per_step_of_depth
    most = math.ceil(span_mm / (number * unit * max(1.0 - share, 0.05)) - 1e-9) + 1
    said = [
        Sentence(
            "one unit of the number moves the focus by {share:.2f} of the depth of focus, {um:.1f} µm at "
            "f/{stop:.1f}; between frames there may be {spacing:.1f} µm",
            {
                "share": known.per_step_of_depth,
                "um": 1000.0 * unit,
                "stop": exposure.state.f_number,
                "spacing": 1000.0 * spacing_mm,
            },
        )
    ]
    if spacing_mm < unit * (1.0 - 1e-9):
        said.append(
            Sentence("even the finest step goes farther than the frames may lie apart: stop down, or focus by hand")
        )
    wrong = number + 1
    said.append(
        Sentence(
            "with number {wrong} by mistake {count} frames would cover it, {times:.1f} times as far apart",
            {
                "wrong": wrong,
                "count": math.ceil(span_mm / (wrong * unit) - 1e-9) + 1,
                "times": wrong * unit / spacing_mm,
            },
        )
    )
    return number, count, most - count, said
