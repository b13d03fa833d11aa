"""`verispect join`: one picture of a grid."""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from verispect.commands.check import of_set, offer_set, planned
from verispect.commands.invocation import DONE, FAILED, STOPPED, parser, progress
from verispect.errors import FileError

if TYPE_CHECKING:
    from verispect.files.run_file import Run
    from verispect.plan.methods.candidate import Candidate


def run(given: Sequence[str]) -> int:
    """Join and write; 1 where a frame has nothing to join on."""
    options_of = parser("join", "Join a grid into one picture.", pictures=True)
    options_of.add_argument("frames", type=Path, nargs="+", metavar="FOLDER|FRAME")
    options_of.add_argument("--out", type=Path, required=True, metavar="F.tif|F.zarr")
    options_of.add_argument("--plan", type=Path, metavar="PLAN", help="a plan, or a run.json; else the frames tell")
    options_of.add_argument("--method", metavar="KEY")
    options_of.add_argument("--projection", choices=("flat", "cylinder", "sphere"))
    options_of.add_argument("--report", type=Path, metavar="F.json")
    options_of.add_argument("--scheduler", metavar="ADDRESS", help="of a Dask cluster that sees the same files")
    options_of.add_argument("--crop", action="store_true", help="write the largest rectangle that frames cover")
    options_of.add_argument("--force", action="store_true", help="write over what is there")
    offer_set(options_of)
    options = options_of.parse_args(given)
    from verispect.errors import Cancelled
    from verispect.files.atomic import ready_for, write_atomically
    from verispect.files.picture_out import not_over
    from verispect.prove.checks.parallax import slide_words
    from verispect.prove.join.written import bend_words, join_to, told_ghosts
    from verispect.prove.merge.shots import shots_together
    from verispect.prove.merge.written import developed_words
    from verispect.prove.resources.threads import allow

    allow(options.jobs, options.memory_mb)

    if options.report is not None:
        not_over(options.report, force=options.force)
        ready_for(options.report)
    if options.plan is None and options.method is not None:
        raise FileError("--method needs --plan: in which plan is it worked out?")
    frames = of_set(options.frames, options.sets, options.set)
    candidate, happened = planned(options.plan, options.method)
    say = progress(options.quiet)
    try:
        with shots_together(
            frames, candidate, happened, options.out, memory_mb=options.memory_mb, progress=say
        ) as together:
            joined = join_to(
                options.out,
                together.places,
                as_given=together.as_given,
                jobs=options.jobs,
                memory_mb=options.memory_mb,
                scheduler=options.scheduler,
                force=options.force,
                crop=options.crop,
                projection=options.projection,
                progress=say,
                **_asked(candidate, happened, together.exposures),
            )
        joined.tell_missing(together.missing)
        together.name_shots(joined, *joined.pairs, *joined.ghosts)
    except Cancelled:
        return STOPPED
    report = joined.report() | {"cropped": options.crop and not joined.on_disk}
    if options.crop and joined.on_disk:
        print(f"{options.out}: made on the disk and written whole; its crop is in the report", file=sys.stderr)
    if options.report is not None:
        write_atomically(options.report, json.dumps(report, allow_nan=False, indent=1).encode("utf-8"))
    if options.json:
        print(json.dumps(report, allow_nan=False))
    else:
        wide, high = joined.canvas.size
        print(f"{len(joined.frames)} frames joined into {options.out}, {wide} × {high}, in {joined.seconds:.1f} s")
        for said in (bend_words(joined), *told_ghosts(joined)):
            if said is not None:
                print(said)
        for line in (*developed_words(joined.developed), *slide_words(joined.slide)):
            print(line)
        for doubt in joined.doubtful:
            print(f"doubtful: {doubt['says']}")
    return FAILED if joined.doubtful else DONE


def _asked(candidate: Candidate | None, happened: Run | None, there: Sequence[int] | None) -> dict[str, Any]:
    """What is known of where the frames lie: the plan's angles and what happened, or nothing.

    `there` are the exposures that they are of where some are missing.
    """
    if candidate is None:
        return {"exposures": None, "sensor_mm": None}
    from verispect.prove.expected import turned_as_happened
    from verispect.prove.join.written import those_there

    if not candidate.method.is_grid:
        raise FileError("{method} is no grid; merge its frames instead", method=candidate.method.name)
    return {
        **those_there(
            candidate.exposures, turned_as_happened(happened, candidate.exposures) if happened else None, there
        ),
        "sensor_mm": candidate.scene.plan.sensor_mm,
        "basis": candidate.scene.pose.matrix,
        "scene": candidate.scene if candidate.method.turns else None,
    }
