"""`verispect light`: Sun, Moon and daylight over the time of a plan."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from dataclasses import asdict
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from verispect.commands.invocation import DONE, parser, read_plan_of, tell, whole
from verispect.errors import FileError

if TYPE_CHECKING:
    from verispect.plan.document import Plan


def run(given: Sequence[str]) -> int:
    """Reckon and print."""
    options_of = parser("light", "Sun, Moon and daylight at the plan's place and time.")
    options_of.add_argument("file", type=Path, help="a .verispect plan with a site")
    options_of.add_argument("--every", type=whole("--every", 1, 1440), default=5, metavar="MINUTES")
    options_of.add_argument("--refraction", action="store_true", help="altitudes with the air's usual refraction")
    options_of.add_argument("--near", metavar="MARK", help="search: when Sun or Moon stand near this mark")
    options_of.add_argument("--body", choices=("sun", "moon"), default="sun", help="for --near and --stand-for")
    options_of.add_argument("--within", type=_degrees, default=1.0, metavar="DEG", help="for --near (1)")
    options_of.add_argument(
        "--days", type=whole("--days", 1, 3650), default=366, metavar="N", help="for --near (366)"
    )
    options_of.add_argument("--stand-for", metavar="MARK", help="where to stand to see Sun or Moon behind it at --at")
    options_of.add_argument("--at", type=_moment, metavar="TIME", help="such as 2027-03-14T17:20Z")
    options = options_of.parse_args(given)
    plan = read_plan_of(options.file)
    if options.near is not None:
        return _search(options, plan)
    if options.stand_for is not None:
        return _stand(options, plan)
    from verispect.shoot.day_of_light import day_dict, day_lines, day_of_light
    from verispect.shoot.light import light_rows, light_table
    from verispect.shoot.light_events import light_events

    rows = light_rows(plan.site, every_min=options.every, refraction=options.refraction, where=str(options.file))
    assert plan.site is not None
    day = day_of_light(plan, where=str(options.file))
    events = light_events(plan.site, datetime.fromisoformat(rows[0].utc), datetime.fromisoformat(rows[-1].utc))
    told = {
        "format": "verispect-light", "version": 1, "rows": [asdict(row) for row in rows],
        "events": [asdict(event) for event in events], **day_dict(day),
    }  # fmt: skip
    turns = "".join(f"\n{event.utc}  {event.name}" for event in events)
    rest = "\n".join(["", *day_lines(day)])
    tell(told, light_table(rows) + (f"\n{turns}" if turns else "") + f"\n{rest}", as_json=options.json)
    return DONE


def _search(options: argparse.Namespace, plan: Plan) -> int:
    from verispect.shoot.light_events import SUN_CAUTION, direction_of, meetings

    direction = direction_of(plan, options.near, where=str(options.file))
    assert plan.site is not None
    begin = plan.site.from_ or datetime.now(UTC)
    body = options.body.title()
    found = meetings(plan.site, direction, body=body, within_deg=options.within, begin=begin,
                     end=begin + timedelta(days=options.days))  # fmt: skip
    cautions = [SUN_CAUTION] if body == "Sun" else []
    told = {
        "format": "verispect-light-near", "version": 1, "mark": options.near, "body": options.body,
        "azimuth_deg": direction[0], "altitude_deg": direction[1], "within_deg": options.within,
        "rows": [asdict(row) for row in found], "cautions": cautions,
    }  # fmt: skip
    lines = [f"{options.near} is seen at azimuth {direction[0]:.2f}°, {direction[1]:.2f}° high"]
    lines += [
        f"{row.utc}  {row.apart_deg:.2f}° apart, {row.altitude_deg:.2f}° high, for {row.minutes_within:.0f} min"
        for row in found
    ] or [f"The {body} comes within {options.within:g}° of it on none of {options.days} days"]
    tell(told, "\n".join(lines + cautions), as_json=options.json)
    return DONE


def _stand(options: argparse.Namespace, plan: Plan) -> int:
    from verispect.shoot.light_events import SUN_CAUTION, stand_for

    at = options.at or (plan.site.from_ if plan.site is not None else None)
    if at is None:
        raise FileError("--stand-for needs a time: --at, such as 2027-03-14T17:20Z")
    body = options.body.title()
    place = stand_for(plan, options.stand_for, body=body, at=at, where=str(options.file))
    cautions = [SUN_CAUTION] if body == "Sun" else []
    told = {
        "format": "verispect-light-stand", "version": 1, "mark": options.stand_for, "body": options.body,
        "utc": at.isoformat(), "stand_m": None if place is None else list(place), "cautions": cautions,
    }  # fmt: skip
    line = (
        f"From no place on level ground: the {body} is down, or {options.stand_for} no higher than the camera"
        if place is None
        else f"Stand at x {place[0]:.2f} m, z {place[1]:.2f} m of the plan"
    )
    tell(told, "\n".join([line, *cautions]), as_json=options.json)
    return DONE


def _degrees(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"--within takes degrees, not {text!r}") from None
    if not 0.01 <= value <= 45.0:
        raise argparse.ArgumentTypeError(f"--within must lie between 0.01 and 45 degrees, not {text}")
    return value


def _moment(text: str) -> datetime:
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"--at takes a time such as 2027-03-14T17:20Z, not {text!r}") from None
    return found if found.tzinfo is not None else found.replace(tzinfo=UTC)
