"""The command line: `verispect [FILE]`, `verispect --demo`, `verispect weigh FILE [--json]`."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path

from verispect.errors import FileError, GeometryError, PlanError, VerispectError

DONE, BAD_INPUT = 0, 2


def main(arguments: Sequence[str] | None = None) -> int:
    """Run Verispect; 0 when done, 2 for bad input with one sentence on stderr."""
    given = list(sys.argv[1:] if arguments is None else arguments)
    try:
        if given[:1] == ["weigh"]:
            return _weigh(given[1:])
        return _window(given)
    except VerispectError as error:
        print(f"verispect: {error}", file=sys.stderr)
        return BAD_INPUT
    except BrokenPipeError:
        return DONE


def _weigh(given: list[str]) -> int:
    parser = argparse.ArgumentParser(
        prog="verispect weigh", description="Weigh every method for a plan and print what comes of it."
    )
    parser.add_argument("file", type=Path, help="a .verispect plan")
    parser.add_argument("--json", action="store_true", help="print the whole weighing as JSON")
    options = parser.parse_args(given)
    from verispect.files.plan_file import read_plan
    from verispect.files.weighing_json import weighing_to_dict, weighing_to_table
    from verispect.plan.advise.follow_up import further
    from verispect.plan.advise.weigh import weigh

    plan = read_plan(options.file)
    try:
        weighing = weigh(plan)
    except PlanError as error:
        raise PlanError(f"{options.file}: {error.key}", error.found, error.right) from error
    except GeometryError as error:
        raise FileError("{file}: {error}", file=options.file, error=error) from error
    if options.json:
        told = weighing_to_dict(weighing, further(weighing))
        print(json.dumps(told, ensure_ascii=False, allow_nan=False))
    else:
        print(weighing_to_table(weighing))
    return DONE


def _window(given: list[str]) -> int:
    parser = argparse.ArgumentParser(
        prog="verispect",
        description="Plan how to render something large and deep sharp throughout.",
        epilog="verispect weigh FILE [--json] weighs a plan without a window.",
    )
    parser.add_argument("file", type=Path, nargs="?", help="a .verispect plan to open")
    parser.add_argument("--demo", action="store_true", help="open the demo plan")
    options = parser.parse_args(given)
    from verispect.ui.window.application import run

    return run(options.file, demo=options.demo)


if __name__ == "__main__":
    sys.exit(main())
