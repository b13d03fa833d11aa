"""Gear handed on: what lies on a shelf as JSON, or as a table with a line for each piece."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ValidationError

from verispect.errors import FileError
from verispect.files.csv_text import as_text, from_text
from verispect.keep.book import Item
from verispect.kit.equipment import Body, Flash, Head, Kit, Rail, Tripod
from verispect.kit.lens import Lens

FORMAT, VERSION = "verispect-gear", 1
MODELS: dict[str, type[BaseModel]] = {
    "body": Body, "lens": Lens, "head": Head, "rail": Rail, "tripod": Tripod, "flash": Flash, "kit": Kit,
}  # fmt: skip
_MOST_BYTES, _MOST_PIECES = 50_000_000, 10_000

Piece = tuple[str, str, dict[str, Any]]


def pieces_of(kit: Kit) -> list[Piece]:
    """Kind, name and content of every piece of a kit."""
    found: list[tuple[str, str, BaseModel]] = [
        ("body", kit.body.name or "Body", kit.body), *(("lens", lens.name, lens) for lens in kit.lenses)
    ]  # fmt: skip
    for kind, piece, name in (
        ("head", kit.head, "Head"), ("rail", kit.rail, "Rail"),
        ("tripod", kit.tripod, kit.tripod.name if kit.tripod else ""),
        ("flash", kit.flash, kit.flash.name if kit.flash else ""),
    ):  # fmt: skip
        if piece is not None:
            found.append((kind, name or kind.capitalize(), piece))
    return [(kind, name, _named(piece.model_dump(mode="json"), name)) for kind, name, piece in found]


def _named(content: dict[str, Any], name: str) -> dict[str, Any]:
    """What had no name bears the one it lies on the shelf by."""
    return content | {"name": name} if "name" in content else content


def with_piece(kit: Kit, item: Item) -> Kit:
    """A kit with a piece from the shelf, as a copy.

    Raises
    ------
    FileError
        Where what lies on the shelf is damaged.
    """
    try:
        piece = MODELS[item.kind].model_validate(item.content)
    except (ValidationError, KeyError) as error:
        raise FileError("{name} on the shelf is damaged and cannot be used", name=item.name) from error
    if isinstance(piece, Kit):
        return piece
    if isinstance(piece, Lens):
        others = tuple(other for other in kit.lenses if other.name != piece.name)
        return kit.model_copy(update={"lenses": (*others, piece)})
    if isinstance(piece, Flash):
        # Frames wait for the flash that is in the kit.
        times = kit.times.model_copy(update={"flash_recycle_s": piece.recycle_s})
        return kit.model_copy(update={"flash": piece, "times": times})
    return kit.model_copy(update={item.kind: piece})


def gear_json(items: Iterable[Item]) -> str:
    """Everything, to be read back as it was."""
    pieces = [{"kind": item.kind, "name": item.name, "content": item.content} for item in items]
    return json.dumps({"format": FORMAT, "version": VERSION, "pieces": pieces}, ensure_ascii=False, indent=1)


def gear_csv(items: Sequence[Item]) -> str:
    """A line for each piece: its kind, its name and its figures; what is a list stands as JSON in its cell."""
    keys = list(dict.fromkeys(key for item in items for key in item.content if key != "name"))
    stream = io.StringIO()
    writer = csv.writer(stream)
    writer.writerow(["kind", "name", *keys])
    for item in items:
        writer.writerow([item.kind, as_text(item.name), *(_cell(item.content.get(key)) for key in keys)])
    return stream.getvalue()


def _cell(value: Any) -> str:
    if value is None:
        return ""
    # Text as text; all else as JSON writes it, which reads back alike.
    return as_text(value) if isinstance(value, str) else json.dumps(value, ensure_ascii=False)


def read_gear(path: Path) -> list[Piece]:
    """Pieces of a file, each read through its model: as JSON, or as a table where its name ends in .csv.

    Raises
    ------
    FileError
        For what cannot be read, is none, or holds a piece that cannot be; nothing is taken of it then.
    """
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise FileError("{path}: too large for a list of gear", path=path)
        text = path.read_text(encoding="utf-8-sig")
    except OSError as error:
        raise FileError("{path}: cannot be read: {why}", path=path, why=error.strerror or error) from error
    except UnicodeDecodeError as error:
        raise FileError("{path}: this is no text in UTF-8", path=path) from error
    rows = _rows_of_table(text, path) if path.suffix.lower() == ".csv" else _rows_of_json(text, path)
    if len(rows) > _MOST_PIECES:
        raise FileError("{path}: {count} pieces; at most {most} are taken", path=path, count=len(rows),
                        most=_MOST_PIECES)  # fmt: skip
    return [_checked(row, number, path) for number, row in enumerate(rows, start=1)]


def _rows_of_json(text: str, path: Path) -> list[Any]:
    try:
        content = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise FileError("{path}: this is no JSON, or it is cut", path=path) from error
    if (
        not isinstance(content, dict)
        or content.get("format") != FORMAT
        or not isinstance(content.get("pieces"), list)
    ):
        raise FileError('{path}: this is no list of gear; its "format" must be "{format}"', path=path, format=FORMAT)
    if not isinstance(content.get("version"), int) or content["version"] > VERSION:
        raise FileError("{path}: written by a newer Verispect", path=path)
    return list(content["pieces"])


def _rows_of_table(text: str, path: Path) -> list[Any]:
    try:
        rows = list(csv.DictReader(io.StringIO(text), strict=True))
    except csv.Error as error:
        raise FileError("{path}: no table that can be read: {why}", path=path, why=error) from error
    if rows and not {"kind", "name"} <= set(rows[0]):
        raise FileError('{path}: the columns "kind" and "name" are missing; export the shelf to see how they stand',
                        path=path)  # fmt: skip
    found = []
    for row in rows:
        name = from_text(row["name"] or "")
        content = {key: _value(cell) for key, cell in row.items() if key not in ("kind", "name", None) and cell}
        model = MODELS.get(row["kind"] or "")
        named = {"name": name} if model is not None and "name" in model.model_fields else {}
        found.append({"kind": row["kind"], "name": name, "content": named | content})
    return found


def _value(cell: str) -> Any:
    """What a cell says: a number, a list or true and false as JSON writes them, else text."""
    try:
        return json.loads(cell)
    except (json.JSONDecodeError, RecursionError):
        return from_text(cell)


def _checked(row: Any, number: int, path: Path) -> Piece:
    kind, name = (row.get(key) if isinstance(row, dict) else None for key in ("kind", "name"))
    content = row.get("content") if isinstance(row, dict) else None
    if not isinstance(kind, str) or kind not in MODELS or not isinstance(name, str) or not isinstance(content, dict):
        raise FileError("{path}: piece {number}: its kind must be one of {kinds}, with a name and figures", path=path,
                        number=number, kinds=", ".join(MODELS))  # fmt: skip
    try:
        model = MODELS[kind].model_validate(content)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        where = ".".join(str(part) for part in first["loc"]) or "as a whole"
        raise FileError("{path}: piece {number} ({name}): {where}: {why}", path=path, number=number, name=name,
                        where=where, why=first["msg"]) from error  # fmt: skip
    return kind, name[:200], model.model_dump(mode="json")
