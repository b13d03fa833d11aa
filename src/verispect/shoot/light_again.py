"""The same job on another day: what has changed in the light since, and when it is most like it was."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from verispect.errors import PlanError
from verispect.plan.document import Plan, Site
from verispect.sentence import Sentence
from verispect.shoot.light import body_at, light_at

# Steps in which a day is looked through for the moment when the Sun stands as it did.
_STEP = timedelta(minutes=2)
_LOW_DEG, _LIKE_STOPS, _LIKE_DEG = -12.0, 0.1, 1.0


@dataclass(frozen=True)
class LightAgain:
    """Then and on the other day, at the same time by the clock.

    Attributes
    ----------
    then, again : datetime
    sun_then, sun_again : (float, float)
        Altitude and azimuth, degrees.
    stops : float
        By how much the clear sky's light on level ground is more, in stops.
    most_like : datetime or None
        When on that day the Sun stands nearest to where it stood; None where it never comes within a few degrees.
    off_deg : float
        How far from where it stood it is then.
    """

    then: datetime
    again: datetime
    sun_then: tuple[float, float]
    sun_again: tuple[float, float]
    stops: float
    most_like: datetime | None
    off_deg: float


def moved_to(plan: Plan, day: date) -> Plan:
    """The plan on another day, at the same times by the clock.

    Raises
    ------
    PlanError
        For a plan without a place and a time, or a year for which the sky is not known.
    """
    site = _site(plan)
    assert site.from_ is not None
    begin = site.from_.replace(year=day.year, month=day.month, day=day.day)
    end = None if site.to is None else begin + (site.to - site.from_)
    try:
        return Plan.model_validate(
            plan.model_dump(by_alias=True) | {"site": {**site.model_dump(by_alias=True), "from": begin, "to": end}}
        )
    except ValueError as error:
        raise PlanError("day", str(day), "a year for which Sun and Moon are known, such as 2027") from error


def _site(plan: Plan) -> Site:
    if plan.site is None or plan.site.from_ is None:
        raise PlanError("site", "no place or no time", "give both in Subject; then the light of two days can be told")
    return plan.site


def light_again(plan: Plan, day: date) -> LightAgain:
    """What the same hour of another day is like at the plan's place."""
    site, moved = _site(plan), _site(moved_to(plan, day))
    assert site.from_ is not None
    assert moved.from_ is not None
    then, again = site.from_, moved.from_
    stood = body_at(site, then, "Sun")[:2]
    stands = body_at(site, again, "Sun")[:2]
    stops = math.log2(light_at(site, again).lux / light_at(site, then).lux)
    midnight = again.replace(hour=0, minute=0, second=0, microsecond=0)
    moments = [midnight + k * _STEP for k in range(int(timedelta(days=1) / _STEP))]
    off = [_apart_deg(body_at(site, moment, "Sun")[:2], stood) for moment in moments]
    least = min(range(len(off)), key=off.__getitem__)
    comes = stood[0] > _LOW_DEG and off[least] < 15.0
    return LightAgain(then, again, stood, stands, stops, moments[least] if comes else None, off[least])


def _apart_deg(one: tuple[float, float], other: tuple[float, float]) -> float:
    """Between two directions given by altitude and azimuth."""
    a, b, turn = math.radians(one[0]), math.radians(other[0]), math.radians(one[1] - other[1])
    return math.degrees(
        math.acos(max(-1.0, min(1.0, math.sin(a) * math.sin(b) + math.cos(a) * math.cos(b) * math.cos(turn))))
    )


def again_sentences(found: LightAgain) -> list[Sentence]:
    """In words."""
    places = {
        "then": f"{found.then:%Y-%m-%d %H:%M}", "again": f"{found.again:%Y-%m-%d}",
        "h1": found.sun_then[0], "a1": found.sun_then[1], "h2": found.sun_again[0], "a2": found.sun_again[1],
    }  # fmt: skip
    said = [Sentence(
        "{then}: the Sun stood at {h1:.1f}°, towards {a1:.0f}°; on {again} at the same hour it stands at {h2:.1f}°, "
        "towards {a2:.0f}°", places,
    )]  # fmt: skip
    if abs(found.stops) >= _LIKE_STOPS:
        way = "a clear sky is then {stops:.1f} stops brighter" if found.stops > 0.0 else \
            "a clear sky is then {stops:.1f} stops darker"  # fmt: skip
        said.append(Sentence(way, {"stops": abs(found.stops)}))
    if found.most_like is not None and abs(found.most_like - found.again) >= _STEP:
        said.append(
            Sentence(
                "most like it was at {clock}: the Sun is then {off:.1f}° from where it stood",
                {"clock": f"{found.most_like:%H:%M}", "off": found.off_deg},
            )
        )
    elif found.most_like is None:
        said.append(Sentence("on that day the Sun never comes near where it stood"))
    return said
