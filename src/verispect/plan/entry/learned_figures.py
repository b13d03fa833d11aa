"""What the logbook taught, taken into a plan where its user asks for it."""

from __future__ import annotations

import math

from verispect.kit.equipment import Times
from verispect.plan.document import Plan

# Two figures tell how sure something is; more would pretend.
_DIGITS = 2
# What is done with the hands on site; merging and joining are the computer's.
_BY_HAND = (
    "set_up_s", "tilt_set_up_s", "head_set_up_s", "settle_s", "write_s", "refocus_s", "shift_s", "turn_s",
    "rail_set_up_s", "rail_s",
)  # fmt: skip


def _two_digits(value: float) -> float:
    if value <= 0.0:
        return 0.0
    return round(value, _DIGITS - 1 - math.floor(math.log10(value)))


def with_distance_share(plan: Plan, share: float) -> Plan:
    """Every mark that carries no ± of its own gets this share of its distance from the entrance pupil.

    Examples
    --------
    >>> from verispect.subject.mark import Mark
    >>> plan = Plan(marks=(Mark(name="Gate", x_m=0, y_m=1.5, z_m=20),))
    >>> with_distance_share(plan, 0.03).marks[0].plus_minus_m
    0.6
    """
    eye = (0.0, plan.camera.height_m, 0.0)
    marks = tuple(
        mark
        if mark.plus_minus_m > 0.0
        else mark.model_copy(
            update={"plus_minus_m": _two_digits(share * math.dist(eye, (mark.x_m, mark.y_m, mark.z_m)))}
        )
        for mark in plan.marks
    )
    return plan.model_copy(update={"marks": marks})


def with_focus(plan: Plan, lens: str, plus_minus_mm: float) -> Plan:
    """The lens of this name gets this ± of its focus."""
    lenses = tuple(
        other.model_copy(update={"focus_plus_minus_mm": _two_digits(plus_minus_mm)}) if other.name == lens else other
        for other in plan.kit.lenses
    )
    return plan.model_copy(update={"kit": plan.kit.model_copy(update={"lenses": lenses})})


def with_time_factor(plan: Plan, factor: float) -> Plan:
    """Everything that is done by hand takes so many times as long."""
    times = plan.kit.times
    longer = {key: _two_digits(factor * getattr(times, key)) for key in _BY_HAND}
    changed = Times.model_validate(times.model_dump() | longer)
    return plan.model_copy(update={"kit": plan.kit.model_copy(update={"times": changed})})
