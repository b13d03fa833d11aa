"""`verispect sheet`: the field sheet on paper, as a page for a phone, as a table, as a calendar entry."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from verispect.commands.invocation import DONE, parser, read_plan_of, tell, worked_method
from verispect.errors import FileError


def run(given: Sequence[str]) -> int:
    """Write what is asked for."""
    options_of = parser("sheet", "Write the field sheet of a plan.")
    options_of.add_argument("plan", type=Path)
    options_of.add_argument("--method", metavar="KEY")
    for kind, what in (("pdf", "A4"), ("html", "one page for a phone"), ("csv", "frames"), ("ics", "calendar"),
                       ("gcode", "device program")):  # fmt: skip
        options_of.add_argument(f"--{kind}", type=Path, metavar="F", help=what)
    options_of.add_argument("--force", action="store_true", help="write over what is there")
    options = options_of.parse_args(given)
    kinds = ("pdf", "html", "csv", "ics", "gcode")
    wanted = {kind: getattr(options, kind) for kind in kinds if getattr(options, kind)}
    if not wanted:
        raise FileError("say what to write: --pdf, --html, --csv, --ics or --gcode")
    from verispect.files.atomic import write_atomically
    from verispect.files.frames_csv import frames_to_csv
    from verispect.files.picture_out import not_over
    from verispect.shoot.calendar_file import calendar_entry
    from verispect.shoot.sheet_html import sheet_html

    for path in wanted.values():
        not_over(path, force=options.force)
    candidate = worked_method(options.plan, read_plan_of(options.plan), options.method)
    if "gcode" in wanted:
        from verispect.rig.device_program import device_program, gcode

        write_atomically(wanted["gcode"], gcode(device_program(candidate)).encode("ascii"))
    if "pdf" in wanted or "html" in wanted:
        from verispect.ui.paper.without_window import drawings_svg, write_pdf
    if "pdf" in wanted:
        write_pdf(candidate, wanted["pdf"])
    if "html" in wanted:
        write_atomically(wanted["html"], sheet_html(candidate, drawings=drawings_svg(candidate)).encode("utf-8"))
    if "csv" in wanted:
        write_atomically(wanted["csv"], frames_to_csv(candidate).encode("utf-8"))
    if "ics" in wanted:
        write_atomically(wanted["ics"], calendar_entry(candidate, where=str(options.plan)).encode("utf-8"))
    told = {"format": "verispect-sheet", "version": 1, "method": candidate.key,
            "written": {kind: str(path) for kind, path in wanted.items()}}  # fmt: skip
    tell(told, "\n".join(f"{kind}: {path}" for kind, path in wanted.items()), as_json=options.json)
    return DONE
