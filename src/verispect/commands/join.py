"""`verispect join`: one picture of a grid."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

from verispect.commands.check import planned
from verispect.commands.invocation import DONE, FAILED, STOPPED, parser, progress
from verispect.errors import FileError


def run(given: Sequence[str]) -> int:
    """Join and write; 1 where a frame has nothing to join on."""
    options_of = parser("join", "Join a grid into one picture.", pictures=True)
    options_of.add_argument("frames", type=Path, nargs="+", metavar="FOLDER|FRAME")
    options_of.add_argument("--out", type=Path, required=True, metavar="F.tif")
    options_of.add_argument("--plan", type=Path, metavar="PLAN", help="a plan, or a run.json")
    options_of.add_argument("--method", metavar="KEY")
    options_of.add_argument("--projection", choices=("flat", "cylinder", "sphere"))
    options_of.add_argument("--report", type=Path, metavar="F.json")
    options_of.add_argument("--scheduler", metavar="ADDRESS")
    options_of.add_argument("--force", action="store_true", help="write over what is there")
    options = options_of.parse_args(given)
    if options.scheduler:
        raise FileError("--scheduler: joining over several machines is not built yet; leave it out")
    if options.out.suffix.lower() == ".zarr":
        raise FileError("{out}: Zarr is not built yet; write a .tif", out=options.out)
    if options.plan is None:
        raise FileError("join needs --plan: where frames lie is taken from the plan's angles")
    from verispect.errors import Cancelled
    from verispect.files.atomic import write_atomically
    from verispect.files.picture_out import not_over, write_picture
    from verispect.prove.expected import turned_as_happened
    from verispect.prove.join.grid import join
    from verispect.prove.merge.series import merge
    from verispect.prove.merge.written import profile_of, shot_of

    for path in (options.out, options.report):
        if path is not None:
            not_over(path, force=options.force)
    candidate, happened = planned(options.plan, options.method)
    assert candidate is not None
    if not candidate.method.is_grid:
        raise FileError("{method} is no grid; merge its frames instead", method=candidate.method.name)
    sensor = candidate.scene.plan.sensor_mm[0]
    try:
        joined = join(
            options.frames,
            exposures=candidate.exposures,
            sensor_wide_mm=sensor,
            basis=candidate.scene.pose.matrix,
            rotations=None if happened is None else turned_as_happened(happened, candidate.exposures),
            projection=options.projection,
            progress=progress(options.quiet),
            merge_cell=lambda paths, exposures: merge(paths, exposures=exposures, sensor_wide_mm=sensor).pixels,
        )
    except Cancelled:
        return STOPPED
    first = joined.first
    assert first is not None
    write_picture(options.out, joined.pixels, shot=shot_of(first), icc=profile_of(first), force=options.force)
    report = joined.report()
    if options.report is not None:
        write_atomically(options.report, json.dumps(report, allow_nan=False, indent=1).encode("utf-8"))
    if options.json:
        print(json.dumps(report, allow_nan=False))
    else:
        wide, high = joined.canvas.size
        print(f"{len(joined.frames)} frames joined into {options.out}, {wide} × {high}, in {joined.seconds:.1f} s")
        for doubt in joined.doubtful:
            print(f"doubtful: {doubt['says']}")
    return FAILED if joined.doubtful else DONE
