"""Marks put where frames have shown them to be: a series as a rangefinder, no tape."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from verispect.plan.document import Plan
from verispect.subject.mark import Mark


@dataclass(frozen=True)
class FoundPlace:
    """Where a mark was found along its line of sight, in world metres, with its ±."""

    name: str
    planned_m: tuple[float, float, float]
    found_m: tuple[float, float, float]
    plus_minus_m: float


@dataclass(frozen=True)
class Proposed:
    """A place that frames show sharp and tell the distance of, from the camera: world metres, ±."""

    place_m: tuple[float, float, float]
    distance_m: float
    plus_minus_m: float


def with_proposed(plan: Plan, places: Sequence[Proposed], name: str = "Place") -> tuple[Plan, int]:
    """The plan with a must at each place, and how many were put there: none where a mark lies within its ±.

    Examples
    --------
    >>> place = Proposed((0.0, 1.5, 4.0), 4.0, 0.1)
    >>> plan, count = with_proposed(Plan(marks=(Mark(name="Place 1", x_m=0, y_m=1.5, z_m=9),)), [place, place])
    >>> [(mark.name, mark.z_m, mark.plus_minus_m) for mark in plan.marks], count
    ([('Place 1', 9.0, 0.0), ('Place 2', 4.0, 0.1)], 1)
    """
    marks, count = list(plan.marks), 0
    taken = {mark.name for mark in marks} | {area.name for area in plan.surfaces}
    numbers = (f"{name} {number}" for number in itertools.count(1))
    for place in places:
        at = np.array(place.place_m)
        if any(np.linalg.norm(at - (mark.x_m, mark.y_m, mark.z_m)) <= place.plus_minus_m for mark in marks):
            continue
        own = next(one for one in numbers if one not in taken)
        x, y, z = place.place_m
        marks.append(Mark(name=own, x_m=x, y_m=y, z_m=z, plus_minus_m=place.plus_minus_m))
        count += 1
    return plan.model_copy(update={"marks": tuple(marks)}), count


def with_distances(plan: Plan, found: Sequence[FoundPlace]) -> tuple[Plan, int]:
    """The plan with its marks where they were found, and how many were moved.

    A distance that carries a ± is weighed with what was found, each by 1/±²; one that carries none gives way. Marks
    that were moved or renamed since stay.

    Examples
    --------
    >>> plan = Plan(marks=(Mark(name="Wall", x_m=0, y_m=0, z_m=10),))
    >>> plan, count = with_distances(plan, [FoundPlace("Wall", (0, 0, 10), (0, 0, 9), 0.5)])
    >>> plan.marks[0].z_m, plan.marks[0].plus_minus_m, count
    (9.0, 0.5, 1)
    """
    known = {(place.name, place.planned_m): place for place in found}
    moved, count = [], 0
    for mark in plan.marks:
        place = known.get((mark.name, (mark.x_m, mark.y_m, mark.z_m)))
        if place is not None:
            mark = _weighed(mark, place)
            count += 1
        moved.append(mark)
    return plan.model_copy(update={"marks": tuple(moved)}), count


def _weighed(mark: Mark, place: FoundPlace) -> Mark:
    own, its = mark.plus_minus_m, place.plus_minus_m
    share = 1.0 if own == 0.0 else own**2 / (own**2 + its**2)
    at = (1.0 - share) * np.array(place.planned_m) + share * np.array(place.found_m)
    unsure = its if own == 0.0 else own * its / float(np.hypot(own, its))
    x, y, z = (float(part) for part in at)
    return mark.model_copy(update={"x_m": x, "y_m": y, "z_m": z, "plus_minus_m": unsure})
