"""`verispect log`: the logbook of jobs."""

from __future__ import annotations

import argparse
import json
import math
from collections.abc import Sequence
from dataclasses import asdict
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any

from verispect.commands.invocation import (
    DONE,
    Act,
    book_options,
    read_plan_of,
    tell,
    whole,
    with_book,
    worked_method,
)
from verispect.errors import FileError, VerispectError

# Side of the small picture of a job.
_PICTURE_PX = 480

if TYPE_CHECKING:
    from verispect.keep.book import Book
    from verispect.kit.lens import Lens


def run(given: Sequence[str]) -> int:
    """What is done with the book, by its name."""
    options = _options().parse_args(given)
    return _restore(options) if options.what == "restore" else with_book(options, _ACTS)


def _options() -> argparse.ArgumentParser:
    options_of, act = book_options("log", "The logbook of jobs.", (*_ACTS, "restore"))

    def command(name: str, help_text: str, *, writes: bool = False) -> argparse.ArgumentParser:
        made = act(name, help_text)
        if writes:
            made.add_argument("--force", action="store_true", help="write over what is there")
        return made

    listing = command("list", "the jobs, the newest first")
    listing.add_argument("--find", default="", metavar="WORDS")
    listing.add_argument("--near", type=_place, metavar="LAT,LON", help="the nearest first, with their distances")
    showing = command("show", "one job", writes=True)
    showing.add_argument("uuid")
    showing.add_argument("--html", type=Path, metavar="F", help="write the job as one page")
    adding = command("add", "put a plan into the book")
    adding.add_argument("plan", type=Path)
    adding.add_argument("--run", type=Path, metavar="F")
    adding.add_argument("--check", type=Path, metavar="F", help="what verispect check --json printed")
    adding.add_argument("--note", default="", metavar="T")
    adding.add_argument("--tag", action="append", default=[], metavar="T", help="a word of your own")
    adding.add_argument("--picture", type=Path, metavar="F", help="a picture of it; it is kept small")
    telling = command("note", "change the note or the tags of a job")
    telling.add_argument("uuid")
    telling.add_argument("--note", metavar="T")
    telling.add_argument("--tag", action="append", metavar="T", help="the tags from now on; an empty one: none")
    comparing = command("compare", "two jobs side by side")
    comparing.add_argument("first")
    comparing.add_argument("second")
    again = command("again", "a job as a plan for another day, and what has changed in the light", writes=True)
    again.add_argument("uuid")
    again.add_argument("--on", type=_day, metavar="YYYY-MM-DD", help="today, where none is named")
    again.add_argument("--out", type=Path, metavar="F", help="write the plan")
    command("export", "the jobs as JSON, or as CSV by the name's ending", writes=True).add_argument("file", type=Path)
    command("import", "add the jobs of an export").add_argument("file", type=Path)
    command("backup", "the whole book, jobs and shelf, as a file", writes=True).add_argument("file", type=Path)
    command("restore", "put a backup in the book's place; the book that was there is kept beside it").add_argument(
        "file", type=Path
    )
    command("learn", "what the jobs teach of distances, focus, times and promises")
    wondering = command("what-if", "what one more lens would have made of the jobs")
    wondering.add_argument(
        "lens", help="as printed on it, such as '24 mm f/3.5 tilt shift', or its name on the shelf"
    )
    wondering.add_argument(
        "--most", type=whole("--most", 1, 10_000), metavar="N", help="so many of the newest jobs (40)"
    )
    return options_of


def _place(text: str) -> tuple[float, float]:
    parts = text.split(",")
    try:
        latitude, longitude = (float(part) for part in parts)
    except ValueError:
        raise argparse.ArgumentTypeError(f"--near takes LAT,LON in degrees, not {text!r}") from None
    if not (abs(latitude) <= 90.0 and abs(longitude) <= 180.0):
        raise argparse.ArgumentTypeError(f"--near: within 90 and 180 degrees, not {text!r}")
    return latitude, longitude


def _day(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"--on takes a day such as 2027-03-14, not {text!r}") from None


def _list(book: Book, options: argparse.Namespace) -> None:
    from verispect.keep.entry import away_km, entries_table, entry_dict

    found = book.entries(options.find)
    if options.near is None:
        _tell({"entries": [entry_dict(entry) for entry in found]}, entries_table(found), options)
        return
    known = list(zip(away_km([entry.place for entry in found], *options.near), found, strict=True))
    known.sort(key=lambda pair: math.inf if pair[0] is None else pair[0])
    rows = [entry_dict(entry) | {"away_km": far} for far, entry in known]
    _tell({"entries": rows}, entries_table([entry for _, entry in known], [far for far, _ in known]), options)


def _show(book: Book, options: argparse.Namespace) -> None:
    from verispect.files.atomic import write_atomically
    from verispect.files.picture_out import not_over
    from verispect.keep.entry import entry_dict

    entry = book.entry(options.uuid)
    if options.html is not None:
        from verispect.shoot.report_html import entry_html

        not_over(options.html, force=options.force)
        page = entry_html(entry.plan, entry.check, head=entry.lines(), picture=entry.picture, note=entry.note)
        write_atomically(options.html, page.encode("utf-8"))
    _tell({"entries": [entry_dict(entry)]}, json.dumps(entry_dict(entry), ensure_ascii=False, indent=1), options)


def _add(book: Book, options: argparse.Namespace) -> None:
    from verispect.files.run_file import read_run
    from verispect.keep.entry import entry_of, read_export

    plan = read_plan_of(options.plan).model_dump(mode="json", by_alias=True)
    shot = None if options.run is None else read_run(options.run).model_dump(mode="json")
    checked = None if options.check is None else read_export(options.check)
    if checked is not None and checked.get("format") != "verispect-check":
        raise FileError("{path}: this is no report of a check", path=options.check)
    picture = None
    if options.picture is not None:
        from verispect.prove.desk import small_jpeg

        picture = small_jpeg(options.picture, most=_PICTURE_PX)
    entry = entry_of(plan, run=shot, check=checked, note=options.note, tags=options.tag, picture=picture,
                     **_of_method(options.plan, plan, shot))  # fmt: skip
    book.add(entry)
    _tell({"entries": [{"uuid": entry.uuid}]}, f"{entry.uuid} added to {book.path}", options)


def _note(book: Book, options: argparse.Namespace) -> None:
    from verispect.keep.entry import entry_dict, tidy_tags

    if options.note is None and options.tag is None:
        raise FileError("give --note or --tag: what is to be changed?")
    uuid = book.entry(options.uuid).uuid
    book.retell(uuid, note=options.note, tags=None if options.tag is None else tidy_tags(options.tag))
    now = book.entry(uuid)
    _tell({"entries": [entry_dict(now)]}, "\n".join([now.title, *now.lines(), now.note]), options)


def _compare(book: Book, options: argparse.Namespace) -> None:
    from verispect.keep.two_jobs import rows_table, side_by_side

    rows = side_by_side(book.entry(options.first), book.entry(options.second))
    tell({"format": "verispect-two-jobs", "version": 1, "rows": [asdict(row) for row in rows]}, rows_table(rows),
         as_json=options.json)  # fmt: skip


def _again(book: Book, options: argparse.Namespace) -> None:
    from pydantic import ValidationError

    from verispect.files.picture_out import not_over
    from verispect.files.plan_file import write_plan
    from verispect.plan.document import Plan
    from verispect.shoot.light_again import again_sentences, light_again, moved_to

    entry, day = book.entry(options.uuid), options.on or date.today()
    try:
        plan = Plan.model_validate(entry.plan or {})
    except ValidationError as error:
        raise FileError("{uuid}: the plan of this entry is damaged", uuid=entry.uuid) from error
    found = light_again(plan, day)
    if options.out is not None:
        not_over(options.out, force=options.force)
        write_plan(moved_to(plan, day), options.out)
    told = {
        "format": "verispect-log-again", "version": 1, "then": found.then.isoformat(),
        "again": found.again.isoformat(),
        "sun_then": list(found.sun_then), "sun_again": list(found.sun_again), "stops": found.stops,
        "most_like": None if found.most_like is None else found.most_like.isoformat(), "off_deg": found.off_deg,
    }  # fmt: skip
    tell(told, "\n".join(str(line) for line in again_sentences(found)), as_json=options.json)


def _what_if(book: Book, options: argparse.Namespace) -> None:
    from verispect.plan.advise.kit_gain import MOST_JOBS, gain_sentences, gains

    lens = _lens_of(book, options.lens)
    found = gains(book.plans(most=options.most or MOST_JOBS), lens)
    told = ".\n".join(str(sentence) for sentence in gain_sentences(found, lens.name))
    tell({"format": "verispect-what-if", "version": 1, "lens": lens.name, "jobs": [asdict(gain) for gain in found]},
         told, as_json=options.json)  # fmt: skip


def _learn(book: Book, options: argparse.Namespace) -> None:
    from verispect.keep.lessons import lessons, lessons_dict, lessons_text

    learned = lessons(book.proved())
    tell(lessons_dict(learned), lessons_text(learned), as_json=options.json)


def _export(book: Book, options: argparse.Namespace) -> None:
    from verispect.files.atomic import write_atomically
    from verispect.files.picture_out import not_over
    from verispect.keep.entry import entries_csv

    not_over(options.file, force=options.force)
    if options.file.suffix.lower() == ".csv":
        found = book.entries()
        count, text = len(found), entries_csv(found)
    else:
        content = book.exported()
        count, text = len(content["entries"]), json.dumps(content, ensure_ascii=False, indent=1)
    write_atomically(options.file, text.encode("utf-8"))
    _tell({"count": count}, f"{count} entries written to {options.file}", options)


def _import(book: Book, options: argparse.Namespace) -> None:
    from verispect.keep.entry import read_export

    added = book.bring_in(read_export(options.file), name=str(options.file))
    _tell({"added": added}, f"{added} entries added to {book.path}", options)


def _backup(book: Book, options: argparse.Namespace) -> None:
    from verispect.keep.copies import back_up

    back_up(book, options.file, force=options.force)
    count = len(book.entries())
    _tell({"count": count}, f"{count} entries and the shelf written to {options.file}", options)


def _restore(options: argparse.Namespace) -> int:
    from verispect.keep.copies import bring_back

    aside = bring_back(options.file, options.book)
    kept = "" if aside is None else f"; the book that was there is now {aside}"
    _tell({"kept": None if aside is None else str(aside)}, f"{options.file} is the book now{kept}", options)
    return DONE


_ACTS: dict[str, Act] = {
    "list": _list, "show": _show, "add": _add, "note": _note, "compare": _compare, "again": _again,
    "export": _export, "import": _import, "backup": _backup, "learn": _learn, "what-if": _what_if,
}  # fmt: skip


def _tell(told: dict[str, Any], table: str, options: argparse.Namespace) -> None:
    from verispect.keep.entry import FORMAT, VERSION

    tell({"format": FORMAT, "version": VERSION} | told, table, as_json=options.json)


def _lens_of(book: Book, words: str) -> Lens:
    """A lens on the shelf, else one as it is printed."""
    from pydantic import ValidationError

    from verispect.kit.lens import Lens
    from verispect.kit.printed_lens import lens_from_print

    for item in book.shelf("lens"):
        if item.name == words:
            try:
                return Lens.model_validate(item.content)
            except ValidationError as error:
                raise FileError("{name} on the shelf is damaged; put it there anew", name=words) from error
    return lens_from_print(words)


def _of_method(path: Path, plan: dict[str, Any], shot: dict[str, Any] | None) -> dict[str, Any]:
    """What was planned of the method that was taken: its times, its lens, how surely it was to hold.

    Nothing of a method that does not fit the plan (any more): the job is kept all the same.
    """
    key = (shot or {}).get("method") or (plan.get("choice") or {}).get("method")
    if key is None:
        return {}
    from verispect.plan.assess.confidence import confidence
    from verispect.shoot.run import seconds_taken

    try:
        candidate = worked_method(path, read_plan_of(path), key)
    except VerispectError:
        return {"taken_s": seconds_taken((shot or {}).get("frames") or [])}
    sure = confidence(candidate)
    return {
        "planned_s": candidate.run_s,
        "taken_s": seconds_taken((shot or {}).get("frames") or []),
        "promised": None if sure is None else sure.holds,
        "lens": "" if candidate.lens is None else candidate.lens.name,
    }
