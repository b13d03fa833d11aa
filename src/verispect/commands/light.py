"""`verispect light`: Sun, Moon and daylight over the time of a plan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path

from verispect.commands.invocation import DONE, parser, read_plan_of, tell, whole


def run(given: Sequence[str]) -> int:
    """Reckon and print."""
    options_of = parser("light", "Sun, Moon and daylight at the plan's place and time.")
    options_of.add_argument("file", type=Path, help="a .verispect plan with a site")
    options_of.add_argument("--every", type=whole("--every", 1, 1440), default=5, metavar="MINUTES")
    options_of.add_argument("--refraction", action="store_true", help="altitudes with the air's usual refraction")
    options = options_of.parse_args(given)
    from verispect.shoot.light import light_rows, light_table

    plan = read_plan_of(options.file)
    rows = light_rows(plan.site, every_min=options.every, refraction=options.refraction, where=str(options.file))
    told = {"format": "verispect-light", "version": 1, "rows": [asdict(row) for row in rows]}
    tell(told, light_table(rows), as_json=options.json)
    return DONE
