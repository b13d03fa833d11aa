"""`verispect retouch`: parts of a merged picture taken from one of its frames."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path

from verispect.commands.invocation import DONE, parser, tell


def _dab(text: str) -> tuple[str, float, float, float]:
    name, at, place = text.rpartition("@")
    try:
        row, column, radius = (float(part) for part in place.split(","))
    except ValueError:
        at = ""
    if not at or not name:
        raise argparse.ArgumentTypeError(
            f"write FRAME@ROW,COLUMN,RADIUS in pixels, such as frame-003.tif@420,610,80, not {text!r}"
        )
    return name, row, column, radius


def run(given: Sequence[str]) -> int:
    """Paint and write."""
    options_of = parser("retouch", "Take parts of a merged picture from one of its frames.", pictures=True)
    options_of.add_argument("picture", type=Path, metavar="MERGED")
    options_of.add_argument("--report", type=Path, required=True, metavar="F.json", help="that merging wrote")
    options_of.add_argument("--frames", type=Path, metavar="FOLDER", help="where the frames lie; beside the picture")
    options_of.add_argument("--take", type=_dab, action="append", required=True, metavar="FRAME@ROW,COLUMN,RADIUS",
                            help="a disc of the picture from a frame, by its file or its number from 0")  # fmt: skip
    options_of.add_argument("--out", type=Path, required=True, metavar="F.tif")
    options_of.add_argument("--force", action="store_true", help="write over what is there")
    options = options_of.parse_args(given)
    from verispect.errors import FileError
    from verispect.files.atomic import ready_for
    from verispect.files.json_file import read_object
    from verispect.files.picture_out import not_over, suits, write_picture
    from verispect.prove.intake import described, read_coded
    from verispect.prove.merge.retouch import MOST_RADIUS_PX, Retouch, Stroke, sources_of
    from verispect.prove.merge.written import profile_of, shot_of

    not_over(options.out, force=options.force)
    suits(options.out)
    ready_for(options.out)
    report = read_object(options.report, right="the report that merging wrote")
    sources = sources_of(report, options.frames or options.picture.parent, name=str(options.report))
    names = [source.path.name for source in sources]
    work = Retouch(read_coded(described(options.picture)), sources)
    for name, row, column, radius in options.take:
        if name.isdigit() and int(name) < len(names):
            number = int(name)
        elif name in names:
            number = names.index(name)
        else:
            raise FileError("{name}: none of the merge's frames; it has {names}", name=name, names=", ".join(names))
        if not 0.0 < radius <= MOST_RADIUS_PX:
            raise FileError("a radius of {radius:g} px; above 0 and up to {most:g} would be right", radius=radius,
                            most=MOST_RADIUS_PX)  # fmt: skip
        if work.paint(Stroke(number, ((row, column),), radius)) is None:
            raise FileError(
                "nothing changes at row {row:g}, column {column:g}: it lies beside the picture or the frame, or is "
                "of this frame already", row=row, column=column,
            )  # fmt: skip
    first = sources[0].frame
    write_picture(
        options.out, work.pixels, shot=shot_of(first), icc=profile_of(first), orientation=first.orientation,
        force=options.force,
    )  # fmt: skip
    tell(
        {"format": "verispect-retouch", "version": 1, "out": str(options.out), "taken": work.strokes},
        f"{work.strokes} parts retouched; written to {options.out}", as_json=options.json,
    )  # fmt: skip
    return DONE
