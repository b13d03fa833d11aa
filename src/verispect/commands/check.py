"""`verispect check`: frames checked against one another and against the plan."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from verispect.commands.invocation import (
    BAD_INPUT,
    DONE,
    FAILED,
    parser,
    progress,
    read_plan_of,
    tell,
    whole,
    worked_method,
)
from verispect.errors import FileError

if TYPE_CHECKING:
    from verispect.files.run_file import Run
    from verispect.plan.methods.candidate import Candidate
    from verispect.prove.parting.by_hand import ByHand
    from verispect.prove.report import Report


def run(given: Sequence[str]) -> int:
    """Check and print; 1 where something is to be done again."""
    options_of = parser("check", "Check frames: knocks, exposure, focus, softness, what to redo.", pictures=True)
    options_of.add_argument("frames", type=Path, nargs="+", metavar="FOLDER|FRAME")
    options_of.add_argument("--plan", type=Path, metavar="PLAN", help="a .verispect plan, or a run.json")
    options_of.add_argument("--method", metavar="KEY")
    options_of.add_argument(
        "--distances-out", type=Path, metavar="F", help="write the plan with its marks where the frames show them"
    )
    options_of.add_argument("--propose", type=whole("--propose", 1, 100), default=0, metavar="N",
                            help="with --distances-out: and up to N more marks, far apart in depth")  # fmt: skip
    options_of.add_argument("--html", type=Path, metavar="F", help="one page of what was planned, shot and proved")
    options_of.add_argument(
        "--picture", type=Path, action="append", default=[], metavar="F", help="a merged picture for the page"
    )
    options_of.add_argument(
        "--seen", action="append", default=[], metavar="MARK=ROW,COLUMN[@FRAME]",
        help="where a mark is seen in a frame (the first one), as no camera looks quite as planned; may be repeated",
    )  # fmt: skip
    options_of.add_argument(
        "--photograph", type=Path, metavar="F",
        help="the picture of the plan's photograph, which tells where marks are; one beside it is taken unasked",
    )  # fmt: skip
    options_of.add_argument(
        "--as-planned",
        action="store_true",
        help="look for marks where the plan has them, whatever its photograph shows",
    )
    options_of.add_argument("--force", action="store_true", help="write over what is there")
    offer_sets(options_of)
    options = options_of.parse_args(given)
    from verispect.files.atomic import ready_for
    from verispect.files.picture_out import not_over
    from verispect.prove.check import check
    from verispect.prove.looked import pointed_at
    from verispect.prove.report import report_dict, report_table
    from verispect.prove.resources.threads import allow

    allow(options.jobs, options.memory_mb)

    if options.propose and options.distances_out is None:
        raise FileError("--propose: marks are proposed for a plan; say with --distances-out where that goes")
    if options.distances_out is not None:
        if options.plan is None:
            raise FileError("--distances-out: distances belong to the marks of a plan; give it with --plan")
        not_over(options.distances_out, force=options.force)
        ready_for(options.distances_out)
    if options.html is not None:
        not_over(options.html, force=options.force)
        ready_for(options.html)
    elif options.picture:
        raise FileError("--picture: a picture is for the page; say where that goes with --html")
    for picture in options.picture:
        if not picture.is_file():
            raise FileError("{path}: there is no such picture; name one that was merged or joined", path=picture)
    candidate, happened = planned(options.plan, options.method)
    photograph = None if options.as_planned else _photograph(options.photograph, options.plan, candidate, happened)
    together = given_sets(options.sets)
    report = check(
        options.frames,
        candidate=candidate,
        run=happened,
        together=together,
        pointed=[pointed_at(text) for text in options.seen],
        photograph=photograph,
        progress=progress(options.quiet),
    )
    candidate = None if report.without_plan else candidate
    if options.distances_out is not None:
        if candidate is None:
            raise FileError("--distances-out: these frames tell nothing of the plan's marks; a check without "
                            "--distances-out says why")  # fmt: skip
        _write_distances(options.distances_out, report, candidate, options.propose)
    if options.html is not None:
        _write_page(options.html, report_dict(report), candidate, options.picture)
    tell(report_dict(report), report_table(report), as_json=options.json)
    return tell_left_aside(report) or (DONE if report.passed else FAILED)


def tell_left_aside(report: Report) -> int:
    """Say on stderr which file could not be taken in with the others; the exit code of that, 0 where all could."""
    if not report.left_aside:
        return DONE
    more = len(report.left_aside) - 1
    tail = f" (and {more} more left aside)" if more else ""
    print(f"verispect: {report.left_aside[0][1]}{tail}", file=sys.stderr)
    return BAD_INPUT


def offer_sets(options_of: argparse.ArgumentParser) -> None:
    """Which frames belong together, where a person says so."""
    options_of.add_argument(
        "--sets",
        type=Path,
        metavar="F.json",
        help="which frames belong together: what check --json printed, put right",
    )


def given_sets(path: Path | None) -> ByHand | None:
    """What `--sets` names."""
    if path is None:
        return None
    from verispect.prove.parting.by_hand import read_sets

    return read_sets(path)


def offer_set(options_of: argparse.ArgumentParser) -> None:
    """One set alone of several."""
    offer_sets(options_of)
    options_of.add_argument("--set", type=whole("--set", 1, 5000), metavar="N", help="of these sets, counted from 1")


def of_set(places: Sequence[Path], sets: Path | None, number: int | None) -> list[Path]:
    """The frames that are meant: all, or those of the set that is named."""
    if sets is None and number is None:
        return list(places)
    if sets is None or number is None:
        raise FileError("--set N is one of the sets in --sets F.json, which check --json prints; give both")
    from verispect.prove.parting.by_hand import files_of_set, read_sets
    from verispect.prove.taken_in.folders import frames_in

    return files_of_set(frames_in(places), read_sets(sets), number)


def _write_page(path: Path, told: dict[str, Any], candidate: Candidate | None, pictures: Sequence[Path]) -> None:
    from verispect.files.atomic import write_atomically
    from verispect.prove.desk import small_jpeg
    from verispect.shoot.report_html import report_html

    drawings: list[str] = []
    if candidate is not None:
        from verispect.ui.paper.without_window import drawings_svg

        drawings = drawings_svg(candidate)
    shown = [(picture.name, small_jpeg(picture)) for picture in pictures]
    page = report_html(told, candidate=candidate, pictures=shown, drawings=drawings)
    write_atomically(path, page.encode("utf-8"))


def _write_distances(path: Path, report: Report, candidate: Candidate, most: int) -> None:
    from verispect.files.plan_file import write_plan
    from verispect.plan.entry.found_distance import with_distances, with_proposed
    from verispect.prove.report import found_places
    from verispect.prove.softness.proposed import proposed_places

    plan, _ = with_distances(candidate.scene.plan, found_places(report, candidate.scene.plan.marks))
    if most and (report.blocks is None or candidate.method.on_rail):
        raise FileError("--propose: no focus series of three frames or more from one place was found to tell depths")
    if report.blocks is not None:
        plan, _ = with_proposed(plan, proposed_places(report.blocks, candidate, most, report.looked))
    write_plan(plan, path)


def _photograph(
    told: Path | None, plan_path: Path | None, candidate: Candidate | None, happened: Run | None
) -> Path | None:
    """The picture of the plan's photograph: the one that is named, or the one that lies beside the plan."""
    from verispect.files.photo_file import lies_beside

    photo = None if candidate is None else candidate.scene.plan.photograph
    if told is not None and not told.is_file():
        raise FileError("{path}: there is no such picture", path=told)
    if told is not None and photo is None:
        raise FileError("--photograph: the plan has none; open it in Subject, and catch marks on it")
    if told is not None or photo is None or not photo.file or plan_path is None:
        return told
    if happened is not None and happened.plan is not None:
        plan_path = plan_path.parent / happened.plan
    path = plan_path.parent / photo.file
    return path if lies_beside(plan_path.parent, photo.file) and path.is_file() else None


def planned(path: Path | None, key: str | None) -> tuple[Candidate | None, Run | None]:
    """The method that was planned, and the run where one is given in the plan's place."""
    if path is None:
        return None, None
    if path.suffix.lower() == ".json":
        from verispect.files.run_file import read_run

        run = read_run(path)
        if run.plan is None:
            raise FileError("{path}: this run names no plan; give the plan itself", path=path)
        plan_path = path.parent / run.plan
        return worked_method(plan_path, read_plan_of(plan_path), key or run.method), run
    return worked_method(path, read_plan_of(path), key), None
