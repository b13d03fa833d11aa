"""`verispect weigh`: every method of a plan, one advised."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

from verispect.commands.invocation import DONE, parser
from verispect.errors import FileError, GeometryError, PlanError


def run(given: Sequence[str]) -> int:
    """Weigh and print."""
    options_of = parser("weigh", "Weigh every method for a plan and print what comes of it.")
    options_of.add_argument("file", type=Path, help="a .verispect plan")
    options_of.add_argument("--no-follow-up", action="store_true", help="the methods alone, without ways out")
    options = options_of.parse_args(given)
    from verispect.files.plan_file import read_plan
    from verispect.files.weighing_json import weighing_to_dict, weighing_to_table
    from verispect.plan.advise.side_by_side import using_processors
    from verispect.plan.advise.weigh import weigh

    plan = read_plan(options.file)
    try:
        with using_processors():
            weighing = weigh(plan)
    except PlanError as error:
        raise PlanError(f"{options.file}: {error.key}", error.found, error.right) from error
    except GeometryError as error:
        raise FileError("{file}: {error}", file=options.file, error=error) from error
    if options.json:
        beyond = None
        if not options.no_follow_up:
            from verispect.plan.advise.follow_up import further

            with using_processors():
                beyond = further(weighing)
        print(json.dumps(weighing_to_dict(weighing, beyond), ensure_ascii=False, allow_nan=False))
    else:
        print(weighing_to_table(weighing))
    return DONE
