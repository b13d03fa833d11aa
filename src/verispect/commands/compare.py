"""`verispect compare`: the same patches of several frames with their measured sharpness."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from verispect.commands.invocation import DONE, parser, progress, read_plan_of, tell, worked_method
from verispect.errors import VerispectError

if TYPE_CHECKING:
    from verispect.plan.document import Plan
    from verispect.plan.methods.candidate import Candidate


_EDGES_ALONE = (
    "softness is told of edges alone: no texture tells it here, or these are not all frames of a focus series of the "
    "plan (--method)"
)


def _place(text: str) -> tuple[int, int, int]:
    parts = text.split(",")
    try:
        numbers = [int(part) for part in parts]
    except ValueError:
        numbers = []
    if len(numbers) not in (2, 3) or min(numbers) < 0:
        raise argparse.ArgumentTypeError(f"write row,column or row,column,size in pixels, not {text!r}")
    from verispect.prove.trials.compare import SIZE

    size = numbers[2] if len(numbers) == 3 else SIZE
    if not 16 <= size <= 4096:
        raise argparse.ArgumentTypeError(f"a patch of 16 to 4096 pixels, not {size}")
    return numbers[0], numbers[1], size


def run(given: Sequence[str]) -> int:
    """Compare and print."""
    options_of = parser("compare", "The same patches of several frames: which is sharper.", pictures=True)
    options_of.add_argument("frames", type=Path, nargs="*", metavar="FRAME")
    options_of.add_argument("--at", type=_place, action="append", default=[], metavar="ROW,COLUMN[,SIZE]",
                            help="middle of a patch; several may be given")  # fmt: skip
    options_of.add_argument("--plan", type=Path, metavar="PLAN", help="for softness in its units")
    options_of.add_argument("--method", metavar="KEY", help="of the plan; the chosen or advised one otherwise")
    options_of.add_argument(
        "--ways",
        action="store_true",
        help="frames of one scene, each focused another way, by --plan: which way served best",
    )
    options = options_of.parse_args(given)
    if options.ways:
        return _ways(options)
    from verispect.prove.trials.compare import compare

    plan = None if options.plan is None else read_plan_of(options.plan)
    criterion = None if plan is None else plan.criterion(plan.whole_focal_mm)
    candidate = None if plan is None else _method(options.plan, plan, options.method)
    found = compare(
        options.frames, options.at, criterion=criterion, candidate=candidate, progress=progress(options.quiet)
    )
    by_texture = any(look.plus_minus is not None for patch in found for look in patch.frames)
    says = None if plan is None or by_texture else _EDGES_ALONE
    told = {
        "format": "verispect-compare",
        "version": 1,
        "says": says,
        "patches": [
            {
                "at": list(patch.at),
                "size": patch.size,
                "frames": [
                    {
                        "file": look.file,
                        "at": list(look.at or patch.at),
                        "sharpness": look.sharpness,
                        "softness": look.softness,
                        "plus_minus": look.plus_minus,
                    }
                    for look in patch.frames
                ],
                "best": patch.best,
            }
            for patch in found
        ],
    }
    lines = []
    for patch in found:
        lines.append(f"row {patch.at[0]}, column {patch.at[1]}:")
        for number, look in enumerate(patch.frames):
            soft = "" if look.softness is None else f"  softness {look.softness:.2f}"
            soft += "" if look.plus_minus is None else f" ± {look.plus_minus:.2f}"
            mark = "  sharpest" if number == patch.best else ""
            lines.append(f"  {look.sharpness:8.4f}{soft}  {look.file}{mark}")
        if patch.best is None:
            lines.append("  too plain to tell")
    lines += [] if says is None else [says]
    tell(told, "\n".join(lines), as_json=options.json)
    return DONE


def _method(path: Path, plan: Plan, key: str | None) -> Candidate | None:
    """Whose frames these may be; none where no method fits and none was asked for: edges tell without."""
    try:
        return worked_method(path, plan, key)
    except VerispectError:
        if key is not None:
            raise
        return None


def _ways(options: argparse.Namespace) -> int:
    """The trial of ways to focus; without frames what is to be taken for it."""
    from verispect.errors import FileError
    from verispect.optics.f_stops import marked
    from verispect.prove.trials.focus_ways import tried, verdict, way_words, ways_dict, ways_of
    from verispect.prove.verdict import metres

    if options.plan is None:
        raise FileError("--ways needs --plan, which says what must be sharp and how far away it is")
    ways = ways_of(read_plan_of(options.plan))
    stop = marked(ways.candidate.exposures[0].state.f_number)
    lines = [f"at f/{stop}, in this order:"]
    lines += [f"  focused at {metres(exposure.focus_m):<10} {name}"
              for exposure, name in zip(ways.candidate.exposures, ways.names, strict=True)]  # fmt: skip
    found = tried(options.frames, ways, progress=progress(options.quiet)) if options.frames else []
    lines += [f"{way.file:<24}{way_words(way)}" for way in found]
    if found:
        lines.append(str(verdict(found)))
    tell(ways_dict(ways, found), "\n".join(lines), as_json=options.json)
    return DONE
