"""All that is told of a plan's day: how the light turns, the Sun on surfaces and in the picture, a polariser."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta, tzinfo

from verispect.errors import PlanError
from verispect.plan.document import Plan
from verispect.shoot.light import LightRow, light_at, utc_of
from verispect.shoot.light_events import CHANGED, SUN_CAUTION, Event, light_events
from verispect.shoot.light_on_subject import SurfaceLight, surfaces_in_the_sun
from verispect.shoot.sky_in_frame import (
    Course,
    InFrame,
    Polariser,
    bodies_in_frame,
    course_of,
    moon_pixels,
    polariser_over,
)

# Unevenness of a sky under a polariser that is seen at once, in stops (common practice).
_UNEVEN = 0.7
_SINCE_FIRST = "the light has changed by a third of a stop since the first frame"


@dataclass(frozen=True)
class DayOfLight:
    """A day at the plan's place, and the moment of its first frame.

    Attributes
    ----------
    begin, end : datetime
        The day, in the site's own time.
    now : LightRow
        At the first frame.
    events : tuple of Event
    surfaces : tuple of SurfaceLight
    in_frame : tuple of InFrame
    courses : tuple of Course
        Of Sun and Moon.
    polariser : Polariser or None
        At the first frame.
    moon : (float, float, float)
        Its width in pixels and in mm on the print, seconds in which it moves a pixel.
    """

    begin: datetime
    end: datetime
    now: LightRow
    events: tuple[Event, ...]
    surfaces: tuple[SurfaceLight, ...]
    in_frame: tuple[InFrame, ...]
    courses: tuple[Course, ...]
    polariser: Polariser | None
    moon: tuple[float, float, float]

    @property
    def cautions(self) -> list[str]:
        """Where the Sun stands in the picture at some time of the day."""
        return [SUN_CAUTION] if any(span.body == "Sun" for span in self.in_frame) else []

    def clock(self, when: datetime) -> str:
        """A moment as the site's own clock shows it."""
        zone: tzinfo | None = self.begin.tzinfo
        return (when.astimezone(zone) if zone is not None else when).strftime("%H:%M")


def day_of_light(
    plan: Plan,
    *,
    where: str = "plan",
    progress: Callable[[float], None] | None = None,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> DayOfLight:
    """Work out the day of the plan's first frame, from midnight to midnight of its own time.

    Raises
    ------
    PlanError
        If the plan has no place or no time.
    """
    site, say = plan.site, progress or (lambda _share: None)
    if site is None or site.from_ is None:
        raise PlanError(
            f"{where}: site", "no place or time", "give latitude, longitude and the time of the first frame"
        )
    begin = site.from_.replace(hour=0, minute=0, second=0, microsecond=0)
    end = begin + timedelta(days=1)
    say(0.05)
    turns = [event for event in light_events(site, begin, end) if event.name != CHANGED]
    changed = [event for event in light_events(site, site.from_, end) if event.name == CHANGED]
    events = tuple(sorted([*turns, *(Event(one.utc, _SINCE_FIRST) for one in changed)], key=lambda one: one.utc))
    say(0.3)
    courses = (course_of(site, "Sun", begin, end), course_of(site, "Moon", begin, end))
    say(0.4)
    in_frame = tuple(bodies_in_frame(plan, begin, end))
    say(0.5)
    surfaces = tuple(surfaces_in_the_sun(plan, begin, end, is_cancelled=is_cancelled))
    return DayOfLight(
        begin, end, light_at(site, utc_of(site.from_)), events, surfaces, in_frame, courses,
        polariser_over(plan, site.from_), moon_pixels(plan, site.from_),
    )  # fmt: skip


def day_dict(day: DayOfLight) -> dict[str, object]:
    """As JSON: surfaces in the Sun, what stands in the picture, a polariser, the Moon's size."""

    def spans(pairs: tuple[tuple[datetime, datetime], ...]) -> list[list[str]]:
        return [[utc_of(moment).strftime("%Y-%m-%dT%H:%M:%SZ") for moment in pair] for pair in pairs]

    pixels, on_print, seconds = day.moon
    return {
        "surfaces": [
            {"name": one.name, "lit": spans(one.lit), "raking": spans(one.raking)} for one in day.surfaces
        ],
        "in_frame": [
            {"body": one.body.lower(), "time": spans(((one.begin, one.end),))[0]} for one in day.in_frame
        ],
        "polariser": None if day.polariser is None else {
            "least_stops": day.polariser.least_stops, "most_stops": day.polariser.most_stops
        },
        "moon": {"width_px": pixels, "width_print_mm": on_print, "seconds_per_px": seconds},
        "cautions": day.cautions,
    }  # fmt: skip


def day_lines(day: DayOfLight) -> list[str]:
    """In words, in the site's own time."""

    def told(pairs: tuple[tuple[datetime, datetime], ...]) -> str:
        return ", ".join(f"{day.clock(first)} to {day.clock(last)}" for first, last in pairs)

    lines = []
    for one in day.surfaces:
        sunlit = f"in the Sun {told(one.lit)}" if one.lit else "in the shade all day"
        lines.append(f"{one.name}: {sunlit}" + (f"; raking light {told(one.raking)}" if one.raking else ""))
    lines += [
        f"The {one.body} stands in the picture {day.clock(one.begin)} to {day.clock(one.end)}" for one in day.in_frame
    ]
    pixels, on_print, seconds = day.moon
    lines.append(
        f"Sun and Moon come out {pixels:.0f} pixels wide, {on_print:.1f} mm on the print, and move a pixel in "
        f"{seconds:.2g} s"
    )
    if day.polariser is not None:
        # Where it is crossed against it, a place comes out a little brighter than the rest: not darkened.
        low, high = max(day.polariser.least_stops, 0.0), day.polariser.most_stops
        uneven = ": uneven, leave it off or expect a dark patch" if high - low > _UNEVEN else ""
        lines.append(
            f"A polariser turned for most darkens a clear sky here by {low:.1f} to {high:.1f} stops{uneven}; never "
            "across the frames of a turned grid"
        )
    return lines + day.cautions
