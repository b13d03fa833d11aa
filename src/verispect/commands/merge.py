"""`verispect merge`: one all-sharp picture of a focus series."""

from __future__ import annotations

import argparse
import json
from collections.abc import Sequence
from pathlib import Path

from verispect.commands.check import of_set, offer_set, planned
from verispect.commands.invocation import DONE, FAILED, STOPPED, parser, progress


def _share(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"--smooth takes a number from 0 to 1, not {text!r}") from None
    if not 0.0 <= value <= 1.0:
        raise argparse.ArgumentTypeError(f"--smooth takes a number from 0 to 1, not {text!r}")
    return value


def run(given: Sequence[str]) -> int:
    """Merge and write; 1 where some frame could not be laid over its neighbours for sure."""
    options_of = parser("merge", "Merge a focus series into one all-sharp picture.", pictures=True)
    options_of.add_argument("frames", type=Path, nargs="+", metavar="FOLDER|FRAME")
    options_of.add_argument("--out", type=Path, required=True, metavar="F.tif")
    options_of.add_argument("--preview", action="store_true", help="a proof in one pass")
    options_of.add_argument("--plan", type=Path, metavar="PLAN")
    options_of.add_argument("--method", metavar="KEY")
    options_of.add_argument("--report", type=Path, metavar="F.json")
    options_of.add_argument("--smooth", type=_share, default=0.5, metavar="0..1", help="of the depth map")
    options_of.add_argument("--no-align", action="store_true")
    options_of.add_argument("--depth", action="store_true", help="write the depth map beside the picture")
    options_of.add_argument("--ply", type=Path, metavar="F.ply", help="write its depth as points in the plan's world")
    options_of.add_argument("--crop", action="store_true", help="write what every frame shows, and no more")
    options_of.add_argument("--force", action="store_true", help="write over what is there")
    offer_set(options_of)
    options = options_of.parse_args(given)
    from verispect.errors import Cancelled, FileError
    from verispect.files.atomic import ready_for, write_atomically
    from verispect.files.picture_out import bytes_of_picture, not_over, suits, write_picture
    from verispect.prove.intake import described
    from verispect.prove.merge.series import merge
    from verispect.prove.merge.shots import shots_together
    from verispect.prove.merge.written import depth_picture, done_words, profile_of, shot_of
    from verispect.prove.taken_in.folders import frames_in

    if options.ply is not None and (options.plan is None or options.preview):
        raise FileError("--ply needs --plan, whose focus distances tell the depth, and a merge in full")
    for path in (options.out, options.report, options.ply):
        if path is not None:
            not_over(path, force=options.force)
            ready_for(path)
    suits(options.out)
    frames = of_set(options.frames, options.sets, options.set)
    candidate, happened = planned(options.plan, options.method)
    ready_for(options.out, bytes_of_picture(options.out, described(frames_in(frames)[0]).pixels))
    say = progress(options.quiet)
    try:
        with shots_together(
            frames, candidate, happened, options.out, memory_mb=options.memory_mb, progress=say
        ) as together:
            merged = merge(
                together.places,
                as_given=together.as_given,
                exposures=None if candidate is None else candidate.exposures,
                sensor_mm=None if candidate is None else candidate.scene.plan.sensor_mm,
                proof=options.preview,
                align=not options.no_align,
                smooth=options.smooth,
                progress=say,
                memory_mb=options.memory_mb,
            )
            first = merged.first
            assert first is not None
            profile = profile_of(first)
            # Before anything else is asked of the frames: what was merged is not lost with it.
            top, left, bottom, right = merged.crop if options.crop else (0, 0, *merged.pixels.shape[:2])
            write_picture(
                options.out, merged.pixels[top:bottom, left:right], shot=shot_of(first),
                icc=profile, orientation=first.orientation,
                force=options.force,
            )  # fmt: skip
            if options.ply is not None and candidate is not None:
                from verispect.prove.merge.depth_points import depth_points, ply_of

                write_atomically(options.ply, ply_of(depth_points(merged, candidate)))
        together.name_shots(merged, *merged.ghosts)
    except Cancelled:
        return STOPPED
    depth_file = None
    if options.depth and merged.depth is not None:
        depth_file = options.out.with_name(f"{options.out.stem}-depth.tif")
        write_picture(depth_file, depth_picture(merged), force=options.force)
    report = merged.report(None if depth_file is None else depth_file.name) | {"cropped": options.crop}
    if options.report is not None:
        write_atomically(options.report, json.dumps(report, allow_nan=False, indent=1).encode("utf-8"))
    if options.json:
        print(json.dumps(report, allow_nan=False))
    else:
        print(f"{len(merged.frames)} frames merged into {options.out} in {merged.seconds:.1f} s")
        for done in done_words(report):
            print(done)
        for doubt in merged.doubtful:
            print(f"doubtful: {doubt['says']}")
    return FAILED if merged.doubtful else DONE
