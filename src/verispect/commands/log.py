"""`verispect log`: the logbook of jobs."""

from __future__ import annotations

import argparse
import json
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

from verispect.commands.invocation import DONE, parser, read_plan_of, tell, whole, worked_method
from verispect.errors import FileError, VerispectError

if TYPE_CHECKING:
    from verispect.keep.book import Book
    from verispect.kit.lens import Lens


def run(given: Sequence[str]) -> int:
    """List, show, add, export, import or learn."""
    options_of = parser("log", "The logbook of jobs.")
    names = "list|show|add|export|import|learn|what-if"
    what = options_of.add_subparsers(dest="what", required=True, metavar=names)
    common = argparse.ArgumentParser(add_help=False)
    common.add_argument("--book", type=Path, metavar="F", help="another book")
    common.add_argument("--json", action="store_true", default=argparse.SUPPRESS)
    common.add_argument("--quiet", action="store_true", default=argparse.SUPPRESS)
    listing = what.add_parser("list", parents=[common])
    listing.add_argument("--find", default="", metavar="WORDS")
    showing = what.add_parser("show", parents=[common])
    showing.add_argument("uuid")
    showing.add_argument("--html", type=Path, metavar="F", help="write the job as one page")
    showing.add_argument("--force", action="store_true", help="write over what is there")
    adding = what.add_parser("add", parents=[common])
    adding.add_argument("plan", type=Path)
    adding.add_argument("--run", type=Path, metavar="F")
    adding.add_argument("--check", type=Path, metavar="F", help="what verispect check --json printed")
    adding.add_argument("--note", default="", metavar="T")
    out = what.add_parser("export", parents=[common])
    out.add_argument("file", type=Path)
    out.add_argument("--force", action="store_true", help="write over what is there")
    what.add_parser("import", parents=[common]).add_argument("file", type=Path)
    what.add_parser("learn", parents=[common], help="what the jobs teach of distances, focus, times and promises")
    wondering = what.add_parser("what-if", parents=[common], help="what one more lens would have made of the jobs")
    wondering.add_argument(
        "lens", help="as printed on it, such as '24 mm f/3.5 tilt shift', or its name on the shelf"
    )
    wondering.add_argument(
        "--most", type=whole("--most", 1, 10_000), metavar="N", help="so many of the newest jobs (40)"
    )
    options = options_of.parse_args(given)
    from verispect.files.atomic import write_atomically
    from verispect.files.picture_out import not_over
    from verispect.files.run_file import read_run
    from verispect.keep.book import FORMAT, VERSION, Book, entries_table, entry_dict, entry_of, read_export

    book = Book(options.book)
    head = {"format": FORMAT, "version": VERSION}
    if options.what == "list":
        found = book.entries(options.find)
        tell(head | {"entries": [entry_dict(e) for e in found]}, entries_table(found), as_json=options.json)
    elif options.what == "show":
        entry = book.entry(options.uuid)
        told = json.dumps(entry_dict(entry), ensure_ascii=False, indent=1)
        if options.html is not None:
            from verispect.shoot.report_html import entry_html

            not_over(options.html, force=options.force)
            page = entry_html(entry.plan, entry.check, head=entry.lines(), picture=entry.picture, note=entry.note)
            write_atomically(options.html, page.encode("utf-8"))
        tell(head | {"entries": [entry_dict(entry)]}, told, as_json=options.json)
    elif options.what == "add":
        plan = read_plan_of(options.plan).model_dump(mode="json", by_alias=True)
        shot = None if options.run is None else read_run(options.run).model_dump(mode="json")
        checked = None if options.check is None else read_export(options.check)
        if checked is not None and checked.get("format") != "verispect-check":
            raise FileError("{path}: this is no report of a check", path=options.check)
        entry = entry_of(plan, run=shot, check=checked, note=options.note, **_of_method(options.plan, plan, shot))
        book.add(entry)
        tell(head | {"entries": [{"uuid": entry.uuid}]}, f"{entry.uuid} added to {book.path}", as_json=options.json)
    elif options.what == "what-if":
        from verispect.plan.advise.kit_gain import MOST_JOBS, gain_sentences, gains

        lens = _lens_of(book, options.lens)
        found_gains = gains(book.plans(most=options.most or MOST_JOBS), lens)
        told = ".\n".join(str(sentence) for sentence in gain_sentences(found_gains, lens.name))
        tell({"format": "verispect-what-if", "version": 1, "lens": lens.name,
              "jobs": [asdict(gain) for gain in found_gains]}, told, as_json=options.json)  # fmt: skip
    elif options.what == "learn":
        from verispect.keep.lessons import lessons, lessons_dict, lessons_text

        learned = lessons(book.proved())
        tell(lessons_dict(learned), lessons_text(learned), as_json=options.json)
    elif options.what == "export":
        not_over(options.file, force=options.force)
        content = book.exported()
        write_atomically(options.file, json.dumps(content, ensure_ascii=False, indent=1).encode("utf-8"))
        count = len(content["entries"])
        tell(head | {"count": count}, f"{count} entries written to {options.file}", as_json=options.json)
    else:
        added = book.bring_in(read_export(options.file), name=str(options.file))
        tell(head | {"added": added}, f"{added} entries added to {book.path}", as_json=options.json)
    book.close()
    return DONE


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
