"""`verispect rehearse`: the frames that a simulated camera would take of a plan."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from verispect.commands.invocation import DONE, parser, progress, read_plan_of, size, tell, whole, worked_method
from verispect.errors import FileError


def run(given: Sequence[str]) -> int:
    """Take the frames and write them with run.json."""
    options_of = parser("rehearse", "Write the frames that a simulated camera would take.", pictures=True)
    options_of.add_argument("file", type=Path, help="a .verispect plan")
    options_of.add_argument("--method", metavar="KEY", help="the advised one by default")
    options_of.add_argument("--out", type=Path, required=True, metavar="DIR")
    options_of.add_argument("--pixels", type=size, metavar="WxH", help="the body's by default")
    options_of.add_argument("--cards", action="store_true", help="a slanted edge at every mark")
    options_of.add_argument("--fault", action="append", default=[], metavar="NAME@FRAME[:SIZE]")
    options_of.add_argument("--seed", type=whole("--seed", 0, 2**31), default=1, metavar="N")
    options_of.add_argument("--linear", action="store_true", help="TIFF without the tone curve")
    options_of.add_argument("--jpeg", action="store_true", help="JPEG in place of 16-bit TIFF")
    options_of.add_argument("--force", action="store_true", help="write over what is there")
    options = options_of.parse_args(given)
    if options.linear and options.jpeg:
        raise FileError("--linear and --jpeg do not go together; linear light needs 16 bits")
    from verispect.rehearse.camera import Options
    from verispect.rehearse.faults import parse_fault
    from verispect.rig.rehearsed_run import Writing, rehearse_to

    plan = read_plan_of(options.file)
    candidate = worked_method(options.file, plan, options.method)
    faults = [parse_fault(text, frames=candidate.frame_count) for text in options.fault]
    written = rehearse_to(
        candidate,
        Options(pixels=options.pixels, cards=options.cards, seed=options.seed),
        Writing(options.out, suffix=".jpg" if options.jpeg else ".tif", linear=options.linear, force=options.force),
        faults=faults,
        plan_file=options.file,
        progress=progress(options.quiet),
    )
    there = sum(frame.file is not None for frame in written.frames)
    table = f"{there} frames of {candidate.method.name} written to {options.out}, with run.json"
    tell(written.model_dump(mode="json"), table, as_json=options.json)
    return DONE
