"""Marks as CSV: any order of columns, units in the header, every complaint with its row.

Spreadsheets write more than the plain form: titles above the header, units in a row of their own, decimal
commas, spaces between thousands, a first line `sep=;`, other encodings.
"""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass, replace

from pydantic import ValidationError

from verispect.errors import FileError
from verispect.files.csv_text import as_text, from_text
from verispect.quantities import (
    LENGTHS_M,
    SPEEDS_MM_S,
    QuantityError,
    parse_ev100,
    parse_length_m,
    parse_number,
    unit_of,
)
from verispect.sentence import Sentence
from verispect.subject.mark import Mark

# More than any plan holds.
MOST_BYTES = 50_000_000
_KEYS = {
    "name": "name", "mark": "name",
    "x": "x_m", "across": "x_m", "side": "x_m", "right": "x_m",
    "y": "y_m", "up": "y_m", "height": "y_m",
    "z": "z_m", "away": "z_m", "distance": "z_m", "depth": "z_m",
    "need": "need", "weight": "weight",
    "speed": "speed_mm_s", "±": "plus_minus_m", "plus minus": "plus_minus_m",
    "detail": "detail_mm", "aside ±": "plus_minus_side_m", "speed ±": "speed_plus_minus_mm_s",
    "soft at least": "soft_times", "spot reading": "reading_ev100",
}  # fmt: skip
_KEY_ENDS = {"_mm_s": "mm/s", "_mm": "mm", "_m": "m"}
_NEEDED = ("x_m", "y_m", "z_m")
_WORDS = ("name", "need")
# So many rows may stand above the header.
_TITLES = 20
# Whatever stands in brackets is a unit; without them it must be one that is known.
_WITH_UNIT = (
    r"(.*?)\s*[\[\(]\s*(.*?)\s*[\]\)]", r"(.*?)\s*,\s*(\S+)", r"(.*?) in (\S+)", r"(.*?)[ _]([a-z\'\"/_]+)"
)  # fmt: skip


@dataclass(frozen=True)
class TableRead:
    """What a table gave: the marks of its good rows, a sentence for each bad one, and what was taken for granted."""

    marks: tuple[Mark, ...]
    complaints: tuple[Sentence, ...]
    notes: tuple[Sentence, ...] = ()


@dataclass(frozen=True)
class _Column:
    key: str
    unit: str
    title: str

    @property
    def units(self) -> dict[str, float]:
        """The units that may stand in it, over what its key says."""
        if self.key.endswith("_mm_s"):
            return SPEEDS_MM_S
        if self.key == "detail_mm":
            return {unit: 1000.0 * factor for unit, factor in LENGTHS_M.items()}
        return LENGTHS_M if self.key.endswith("_m") else {}


def text_of_table(content: bytes, *, name: str) -> str:
    """The letters of a table: UTF-8, UTF-16 with its mark, or the usual encoding of western desktops.

    Raises
    ------
    FileError
        For bytes that are no text.
    """
    encodings = ["utf-16"] if content[:2] in (b"\xff\xfe", b"\xfe\xff") else ["utf-8-sig", "cp1252"]
    for encoding in encodings:
        try:
            text = content.decode(encoding)
        except UnicodeDecodeError:
            continue
        if "\0" not in text:
            return text
    raise FileError("{name}: this is no text; save the table as CSV in UTF-8", name=name)


def marks_from_csv(text: str, *, name: str) -> TableRead:
    """Read marks; the header tells each column's meaning and unit, such as `away [ft]`.

    Raises
    ------
    FileError
        If no row at the top is a header with the columns that a mark needs, or a unit is not known.
    """
    if len(text) > MOST_BYTES:
        raise FileError(
            "{name}: {size} letters; a table of marks holds at most {MOST_BYTES}",
            name=name,
            size=len(text),
            MOST_BYTES=MOST_BYTES,
        )
    text = text.lstrip("\ufeff")
    hint = re.match(r"sep=(.)\r?\n", text, re.IGNORECASE)
    if hint:
        text = text[hint.end() :]
    separator = hint[1] if hint else _separator(text)
    try:
        rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=separator))
    except csv.Error as error:
        raise FileError("{name}: this is no CSV table: {error}", name=name, error=error) from None
    at, columns = _header(rows, name)
    at += 1
    if at < len(rows) and _is_row_of_units(rows[at], columns):
        columns = [
            replace(column, unit=_unit(cell)) if column and cell.strip() else column
            for column, cell in zip(columns, [*rows[at], *[""] * len(columns)], strict=False)
        ]
        at += 1
    first_line = at + 1 + (1 if hint else 0)
    return _read_rows(rows[at:], columns, first_line, _commas(rows[at:], separator))


def _separator(text: str) -> str:
    """What parts the columns: whatever the line has most of that looks most like a header."""
    lines = [line for line in text.splitlines()[:_TITLES] if line.strip()]
    return max(",;\t|", key=lambda mark: max((line.count(mark) for line in lines), default=0))


def _header(rows: list[list[str]], name: str) -> tuple[int, list[_Column | None]]:
    """The first row that has the columns a mark needs, and what they mean."""
    filled = [(k, row) for k, row in enumerate(rows) if any(cell.strip() for cell in row)][:_TITLES]
    if not filled:
        raise FileError(
            "{name}: the table is empty; its first row must be a header such as 'name,across [m]'", name=name
        )
    for at, row in filled:
        columns = [_column(title) for title in row]
        keys = [column.key for column in columns if column]
        if not set(_NEEDED) <= set(keys):
            continue
        for column in columns:
            if column is None:
                continue
            twins = [other.title for other in columns if other and other.key == column.key]
            if len(twins) > 1:
                raise FileError(
                    "{name}: the columns {columns} mean the same; rename or remove all but one",
                    name=name,
                    columns=" and ".join(repr(title) for title in twins),
                )
            if column.unit and column.unit not in column.units:
                raise FileError(
                    "{name}: column {column!r} has the unit {unit!r}; {allowed} would be right",
                    name=name,
                    column=column.title,
                    unit=column.unit,
                    allowed=", ".join(column.units) or "none",
                )
        return at, columns
    have = ", ".join(" ".join(title.split()) for title in filled[0][1] if title.strip())[:200]
    raise FileError(
        "{name}: the header has {have}; it needs across, up and away, each with its unit, such as 'away [m]'",
        name=name,
        have=have,
    )


def _column(title: str) -> _Column | None:
    """What a header cell means, `away [ft]`, `away (ft)`, `away, ft`, `away in ft`, `z_ft`; None for one not ours."""
    plain = title.strip().lower()
    whole = _key(plain)
    if whole:
        # A column named by its key bears the unit that the key ends in.
        named = next((unit for end, unit in _KEY_ENDS.items() if plain == whole and whole.endswith(end)), "")
        return _Column(whole, named, title.strip())
    for pattern in _WITH_UNIT:
        found = re.fullmatch(pattern, plain)
        key = _key(found[1].strip()) if found else None
        if found and key and (pattern == _WITH_UNIT[0] or _unit(found[2]) in (*LENGTHS_M, *SPEEDS_MM_S)):
            return _Column(key, _unit(found[2]), title.strip())
    return None


def _key(word: str) -> str | None:
    return _KEYS.get(word) or (word if word in set(_KEYS.values()) else None)


def _unit(text: str) -> str:
    word = text.strip().lower().strip("[]()").strip()
    return unit_of(word) or word


def _is_row_of_units(cells: list[str], columns: list[_Column | None]) -> bool:
    found = [
        _unit(cell) in column.units for column, cell in zip(columns, cells, strict=False) if column and cell.strip()
    ]
    return len(found) > 0 and all(found)


def _number(cell: str, column: _Column, commas: _Commas) -> float:
    """A number in the unit of the column's key; QuantityError for what is none, or may be two."""
    units = column.units
    if column.key == "reading_ev100" and re.search("[fF]", cell):
        return parse_ev100(cell)
    if not units:
        return parse_number(cell, decimal_comma=commas.of_commas(cell))
    word = re.search(r"[a-zA-Zµμ'\"′″”]+(?:[/_][a-zA-Z]+)?\s*$", cell)
    if units is SPEEDS_MM_S:
        own = unit_of(word[0]) if word else None
        digits = cell[: word.start()] if word and own else cell
        return (
            parse_number(digits, decimal_comma=commas.of_commas(digits)) * SPEEDS_MM_S[own or column.unit or "mm/s"]
        )
    unit = column.unit or ("mm" if column.key == "detail_mm" else "m")
    metres = parse_length_m(cell, default_unit=unit, decimal_comma=commas.of_commas(cell))
    return metres * 1000.0 if column.key == "detail_mm" else metres


@dataclass(frozen=True)
class _Commas:
    """What a table's commas and points mean.

    Attributes
    ----------
    part_columns : bool
        Whether commas part the columns, so that one within a cell was put there on purpose.
    decimal : bool
        Whether some number of the table has a comma that can only be decimal.
    """

    part_columns: bool
    decimal: bool

    def of_commas(self, cell: str) -> bool | None:
        """For `quantities.parse_number`: where commas are decimal a point before three digits may be either."""
        if "," in cell:
            return None if self.part_columns else True
        return self.decimal or None


def _commas(rows: list[list[str]], separator: str) -> _Commas:
    cells = (cell for row in rows for cell in row)
    decimal = any(re.match(r"\s*[+-−]?\d+,(?:\d{1,2}|\d{4,})(?!\d)", cell) for cell in cells)
    return _Commas(separator == ",", decimal)


def _read_rows(rows: list[list[str]], columns: list[_Column | None], first_line: int, commas: _Commas) -> TableRead:
    marks: list[Mark] = []
    complaints: list[Sentence] = []
    bare: set[str] = set()
    for number, cells in enumerate(rows, start=first_line):
        if not any(cell.strip() for cell in cells):
            continue
        values: dict[str, object] = {"name": f"Mark {number - first_line + 1}"}
        trouble: Sentence | None = None
        for column, cell in zip(columns, cells, strict=False):
            if column is None or not cell.strip():
                continue
            if column.key in _WORDS:
                values[column.key] = cell.strip().lower() if column.key == "need" else from_text(cell.strip())
                continue
            try:
                values[column.key] = _number(cell, column, commas)
            except QuantityError as error:
                trouble = Sentence(
                    "row {number}, {column}: {error}",
                    {"number": number, "column": column.title, "error": error.sentence},
                )
                continue
            if column.units and not column.unit and re.search(r"[\d.,]$", cell.strip()):
                bare.add(column.title)
        if len(cells) > len(columns) and any(cell.strip() for cell in cells[len(columns) :]):
            trouble = Sentence(
                "row {number}: {found} cells under {columns} headings; is a decimal comma taken for a separator? "
                "Put such numbers in quotes or write points",
                {"number": number, "found": len(cells), "columns": len(columns)},
            )
        lacking = [
            column.title for column in columns if column and column.key in _NEEDED and column.key not in values
        ]
        if not trouble and lacking:
            trouble = Sentence(
                "row {number}: {columns} is empty; a length is needed",
                {"number": number, "columns": ", ".join(lacking)},
            )
        if trouble:
            complaints.append(trouble)
            continue
        try:
            marks.append(Mark.model_validate(values))
        except ValidationError as error:
            complaints.append(complaint("row {number}, {key}: found {found!r}; {right}", number, error))
    return TableRead(tuple(marks), tuple(complaints), _taken_for_granted(columns, bare))


def _taken_for_granted(columns: list[_Column | None], bare: set[str]) -> tuple[Sentence, ...]:
    """A sentence for each unit that was read into numbers without one."""
    taken: dict[str, list[str]] = {}
    for column in columns:
        if column and column.title in bare:
            unit = "mm" if column.key == "detail_mm" else "mm/s" if column.key.endswith("_mm_s") else "m"
            taken.setdefault(unit, []).append(column.title)
    return tuple(
        Sentence("{columns}: no unit is named, {unit} taken", {"columns": ", ".join(titles), "unit": unit})
        for unit, titles in taken.items()
    )


def complaint(template: str, number: int, error: ValidationError) -> Sentence:
    """What is wrong with a mark of a table: its number there, the key, what was found, what would be right."""
    first = error.errors(include_url=False)[0]
    key = first["loc"][0] if first["loc"] else "mark"
    right = Sentence("{text}", {"text": first["msg"].lower()})
    return Sentence(template, {"number": number, "key": key, "found": first["input"], "right": right})


def marks_to_csv(marks: tuple[Mark, ...]) -> str:
    """All marks, in metres; what `marks_from_csv` reads back as it was."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    titles = "name,across [m],up [m],away [m],± [m],need,weight,speed [mm/s],detail [mm],aside ± [m],speed ± [mm/s]"
    writer.writerow([*titles.split(","), "soft at least", "spot reading"])
    for mark in marks:
        detail = "" if mark.detail_mm is None else f"{mark.detail_mm:.12g}"
        numbers = [f"{v:.12g}" for v in (mark.x_m, mark.y_m, mark.z_m, mark.plus_minus_m)]
        unsure = [f"{v:.12g}" for v in (mark.plus_minus_side_m, mark.speed_plus_minus_mm_s, mark.soft_times)]
        plain = [mark.need, f"{mark.weight:.12g}", f"{mark.speed_mm_s:.12g}", detail]
        reading = "" if mark.reading_ev100 is None else f"{mark.reading_ev100:.12g}"
        writer.writerow([as_text(mark.name), *numbers, *plain, *unsure, reading])
    return out.getvalue()
