"""When the light turns: rise, set, twilights, golden and blue hours; and when Sun or Moon stand near something.

The hours' bounds by the Sun's altitude are common practice: golden from +6° to −4°, blue from −4° to −6°.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta

from verispect.errors import PlanError
from verispect.plan.document import Plan, Site
from verispect.shoot.light import body_at, light_at, utc_of

# Altitude of the Sun's middle as its upper edge meets a level horizon, with 34' of refraction (common practice).
_HORIZON = -0.833
_BOUNDS: tuple[tuple[float, str, str], ...] = (
    (-18.0, "astronomical dawn", "astronomical dusk"),
    (-12.0, "nautical dawn", "nautical dusk"),
    (-6.0, "civil dawn, blue hour begins", "blue hour ends, civil dusk"),
    (-4.0, "blue hour ends, golden hour begins", "golden hour ends, blue hour begins"),
    (_HORIZON, "sunrise", "sunset"),
    (6.0, "golden hour ends", "golden hour begins"),
)
CHANGED = "the light has changed by a third of a stop since the beginning"
_LOOK = timedelta(minutes=10)
_STOP_SHARE = 1.0 / 3.0
# Searching: a body moves at most a quarter of a degree in a minute.
_COARSE = timedelta(minutes=16)
_DEG_PER_MIN = 0.26
_MOST_DAYS = 3700
SUN_CAUTION = (
    "Never look at the Sun through a viewfinder or a lens, and do not leave a lens pointed at it: it blinds and burns"
)


@dataclass(frozen=True)
class Event:
    """Something that happens to the light."""

    utc: str
    name: str


@dataclass(frozen=True)
class Meeting:
    """A body as near to a direction as it comes; `minutes_within` is how long it stays within what was asked."""

    utc: str
    apart_deg: float
    altitude_deg: float
    azimuth_deg: float
    minutes_within: float


def light_events(site: Site, begin: datetime, end: datetime) -> list[Event]:
    """What happens to the light between two moments, in order."""
    begin, end = utc_of(begin), utc_of(end)
    found: list[tuple[datetime, str]] = []
    for body, bounds in (("Sun", _BOUNDS), ("Moon", ((_HORIZON, "moonrise", "moonset"),))):
        moment, before = begin, body_at(site, begin, body)[0]
        while moment < end:
            later = min(moment + _LOOK, end)
            after = body_at(site, later, body)[0]
            for bound, rising, falling in bounds:
                if (before < bound) == (after < bound):
                    continue

                def over(when: datetime, body: str = body, bound: float = bound) -> bool:
                    return body_at(site, when, body)[0] >= bound

                found.append((turning_moment(over, moment, later), rising if after > before else falling))
            moment, before = later, after
    third = _third_of_a_stop(site, begin, end)
    if third is not None:
        found.append((third, CHANGED))
    return [Event(_told(when), name) for when, name in sorted(found)]


def direction_of(plan: Plan, name: str, *, where: str = "plan") -> tuple[float, float]:
    """Azimuth and altitude, degrees, at which a mark is seen from the camera.

    Raises
    ------
    PlanError
        Where no mark is called that.
    """
    if plan.site is None:
        raise PlanError(f"{where}: site", "nothing", "give latitude_deg, longitude_deg and away_azimuth_deg")
    mark = next((mark for mark in plan.marks if mark.name == name), None)
    if mark is None:
        known = ", ".join(mark.name for mark in plan.marks)
        raise PlanError(f"{where}: marks", f"none called {name!r}", f"one of {known}")
    right, up, away = mark.x_m, mark.y_m - plan.camera.height_m, mark.z_m
    azimuth = (plan.site.away_azimuth_deg + math.degrees(math.atan2(right, away))) % 360.0
    return azimuth, math.degrees(math.atan2(up, math.hypot(right, away)))


def meetings(
    site: Site,
    direction: tuple[float, float],
    *,
    body: str,
    within_deg: float,
    begin: datetime,
    end: datetime,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> list[Meeting]:
    """When a body stands within so much of a direction (azimuth, altitude), with the usual refraction.

    Raises
    ------
    PlanError
        For more than ten years.
    """
    begin, end = utc_of(begin), utc_of(end)
    if not begin < end <= begin + timedelta(days=_MOST_DAYS):
        raise PlanError(
            "light search", "a span from {a} to {b}", "let it end later, ten years at most", a=begin, b=end
        )

    def apart(when: datetime) -> float:
        altitude, azimuth, _ = body_at(site, when, body, refraction=True)
        return apart_deg((azimuth, altitude), direction)

    reach = within_deg + _DEG_PER_MIN * _COARSE.total_seconds() / 60.0
    found = []
    times, values = [begin], [apart(begin)]
    while times[-1] < end and not is_cancelled():
        # As far as it is, so long it cannot come near.
        leap = timedelta(minutes=(values[-1] - reach) / _DEG_PER_MIN)
        later = times[-1] + max(leap, _COARSE)
        value = apart(later)
        if len(values) == 2 and values[-1] <= values[-2] and values[-1] < value and values[-1] < reach:
            closest = _least(apart, times[-2], later)
            near = apart(closest)
            if near <= within_deg and closest <= end:
                altitude, azimuth, _ = body_at(site, closest, body, refraction=True)
                found.append(Meeting(_told(closest), near, altitude, azimuth, _minutes(apart, closest, within_deg)))
        times, values = [times[-1], later], [values[-1], value]
    return found


def apart_deg(first: tuple[float, float], second: tuple[float, float]) -> float:
    """The angle between two directions, each azimuth and altitude in degrees (haversine)."""
    (a, h), (b, k) = ((math.radians(x), math.radians(y)) for x, y in (first, second))
    half = math.sin(0.5 * (h - k)) ** 2 + math.cos(h) * math.cos(k) * math.sin(0.5 * (a - b)) ** 2
    return math.degrees(2.0 * math.asin(min(math.sqrt(half), 1.0)))


def stand_for(plan: Plan, name: str, *, body: str, at: datetime, where: str = "plan") -> tuple[float, float] | None:
    """Where the camera would stand at its height, (x, z) in the plan's metres, to see a body behind a mark; or None.

    None where the body is below the horizon or the mark no higher than the camera: no place on level ground does it.
    """
    direction_of(plan, name, where=where)
    assert plan.site is not None
    mark = next(mark for mark in plan.marks if mark.name == name)
    altitude, azimuth, _ = body_at(plan.site, at, body, refraction=True)
    higher = mark.y_m - plan.camera.height_m
    if altitude <= 0.0 or higher <= 0.0:
        return None
    back = higher / math.tan(math.radians(altitude))
    towards = math.radians(azimuth - plan.site.away_azimuth_deg)
    return mark.x_m - back * math.sin(towards), mark.z_m - back * math.cos(towards)


def _third_of_a_stop(site: Site, begin: datetime, end: datetime) -> datetime | None:
    first = light_at(site, begin).lux

    def changed(when: datetime) -> bool:
        return abs(math.log2(light_at(site, when).lux / first)) >= _STOP_SHARE

    moment = begin
    while moment < end:
        later = min(moment + _LOOK, end)
        if changed(later):
            return turning_moment(changed, moment, later)
        moment = later
    return None


def turning_moment(holds: Callable[[datetime], bool], first: datetime, last: datetime) -> datetime:
    """When a condition turns between two moments at which it differs, to a second."""
    at_last = holds(last)
    while last - first > timedelta(seconds=1):
        middle = first + (last - first) / 2
        if holds(middle) == at_last:
            last = middle
        else:
            first = middle
    return last


def _least(value: Callable[[datetime], float], first: datetime, last: datetime) -> datetime:
    """When a value with one dip is least, to a second (golden section)."""
    share = (math.sqrt(5.0) - 1.0) / 2.0
    while last - first > timedelta(seconds=1):
        low, high = last - share * (last - first), first + share * (last - first)
        if value(low) < value(high):
            last = high
        else:
            first = low
    return first + (last - first) / 2


def _minutes(apart: Callable[[datetime], float], closest: datetime, within_deg: float) -> float:
    sides = []
    for sign in (-1, 1):
        step = timedelta(minutes=1)
        while apart(closest + sign * step) <= within_deg and step < timedelta(hours=12):
            step *= 2
        inner = timedelta(0)
        while step - inner > timedelta(seconds=1):
            middle = inner + (step - inner) / 2
            if apart(closest + sign * middle) <= within_deg:
                inner = middle
            else:
                step = middle
        sides.append(inner)
    return (sides[0] + sides[1]).total_seconds() / 60.0


def _told(when: datetime) -> str:
    return when.strftime("%Y-%m-%dT%H:%M:%SZ")
