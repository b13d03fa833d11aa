"""`verispect shelf`: the gear that is really there."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from verispect.commands.invocation import Act, book_options, read_plan_of, tell, with_book
from verispect.errors import FileError

if TYPE_CHECKING:
    from verispect.keep.book import Book, Item


def run(given: Sequence[str]) -> int:
    """What is done with the shelf, by its name."""
    return with_book(_options().parse_args(given), _ACTS)


def _options() -> argparse.ArgumentParser:
    options_of, command = book_options("shelf", "The gear that is really there, kept once.", tuple(_ACTS))
    command("list", "what lies there").add_argument("--find", default="", metavar="WORDS")
    putting = command("put", "put a plan's kit there, or a lens as it is printed")
    putting.add_argument("what_of", metavar="PLAN|LENS", help="a plan, or a lens such as '90 mm f/2.8 macro'")
    putting.add_argument("--whole", metavar="NAME", help="a plan's kit as one, by this name")
    taking = command("take", "a copy of pieces into a plan's kit")
    taking.add_argument("names", nargs="+", metavar="NAME")
    taking.add_argument("--plan", type=Path, required=True, metavar="PLAN")
    taking.add_argument("--out", type=Path, required=True, metavar="F")
    taking.add_argument("--force", action="store_true", help="write over what is there")
    command("remove", "take pieces off the shelf").add_argument("names", nargs="+", metavar="NAME")
    exporting = command("export", "as JSON, or as CSV by the name's ending")
    exporting.add_argument("file", type=Path)
    exporting.add_argument("--force", action="store_true", help="write over what is there")
    command("import", "put what a file holds there").add_argument("file", type=Path)
    return options_of


def _list(book: Book, options: argparse.Namespace) -> None:
    items = found_by(book.shelf(), options.find)
    rows = [{"kind": item.kind, "name": item.name, "content": item.content} for item in items]
    table = "\n".join(f"{item.kind:<8}{item.name}" for item in items) or "nothing lies there"
    _tell({"pieces": rows}, table, options)


def found_by(items: Sequence[Item], words: str) -> list[Item]:
    """The pieces whose kind and name hold every word."""
    parts = words.lower().split()
    return [item for item in items if all(part in f"{item.kind} {item.name}".lower() for part in parts)]


def _put(book: Book, options: argparse.Namespace) -> None:
    from verispect.keep.gear_files import pieces_of
    from verispect.kit.printed_lens import lens_from_print

    path = Path(options.what_of)
    if path.exists() or path.suffix == ".verispect":
        kit = read_plan_of(path).kit
        pieces = [("kit", options.whole, kit.model_dump(mode="json"))] if options.whole else pieces_of(kit)
    else:
        lens = lens_from_print(options.what_of)
        pieces = [("lens", lens.name, lens.model_dump(mode="json"))]
    book.keep_all(pieces)
    names = [name for _, name, _ in pieces]
    _tell({"count": len(names)}, f"on the shelf: {', '.join(names)}", options)


def _take(book: Book, options: argparse.Namespace) -> None:
    from verispect.files.picture_out import not_over
    from verispect.files.plan_file import write_plan
    from verispect.keep.gear_files import with_piece

    plan = read_plan_of(options.plan)
    kit = plan.kit
    for name in options.names:
        kit = with_piece(kit, _named(book, name))
    not_over(options.out, force=options.force)
    write_plan(plan.model_copy(update={"kit": kit}), options.out)
    _tell({"count": len(options.names)}, f"{options.out} written", options)


def _named(book: Book, name: str) -> Item:
    items = book.shelf()
    found = [item for item in items if item.name == name] or found_by(items, name)
    if len(found) == 1:
        return found[0]
    if not found:
        raise FileError("{name!r}: nothing on the shelf is called so; verispect shelf list shows what is", name=name)
    raise FileError("{name!r}: {names} on the shelf are called so; say which", name=name,
                    names=", ".join(f"{item.kind} {item.name}" for item in found))  # fmt: skip


def _remove(book: Book, options: argparse.Namespace) -> None:
    for item in [_named(book, name) for name in options.names]:
        book.put_away(item.uuid)
    _tell({"count": len(options.names)}, f"off the shelf: {', '.join(options.names)}", options)


def _export(book: Book, options: argparse.Namespace) -> None:
    from verispect.files.atomic import write_atomically
    from verispect.files.picture_out import not_over
    from verispect.keep.gear_files import gear_csv, gear_json

    items = book.shelf()
    not_over(options.file, force=options.force)
    text = gear_csv(items) if options.file.suffix.lower() == ".csv" else gear_json(items)
    write_atomically(options.file, text.encode("utf-8"))
    _tell({"count": len(items)}, f"{len(items)} pieces written to {options.file}", options)


def _import(book: Book, options: argparse.Namespace) -> None:
    from verispect.keep.gear_files import read_gear

    pieces = read_gear(options.file)
    book.keep_all(pieces)
    _tell({"count": len(pieces)}, f"{len(pieces)} pieces are on the shelf", options)


_ACTS: dict[str, Act] = {
    "list": _list, "put": _put, "take": _take, "remove": _remove, "export": _export, "import": _import,
}  # fmt: skip


def _tell(told: dict[str, Any], table: str, options: argparse.Namespace) -> None:
    from verispect.keep.gear_files import FORMAT, VERSION

    tell({"format": FORMAT, "version": VERSION} | told, table, as_json=options.json)
