"""Marks as CSV: any order of columns, the unit in the header, every complaint with its row."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass

from pydantic import ValidationError

from verispect.errors import FileError
from verispect.sentence import Sentence
from verispect.subject.marks import Mark

# More than any plan holds.
MOST_BYTES = 50_000_000
_METRES = {"m": 1.0, "cm": 0.01, "mm": 0.001, "km": 1000.0, "ft": 0.3048, "in": 0.0254}
_SPEEDS = {"mm/s": 1.0, "cm/s": 10.0, "m/s": 1000.0}
_KEYS = {
    "name": "name", "mark": "name",
    "x": "x_m", "across": "x_m", "side": "x_m", "right": "x_m",
    "y": "y_m", "up": "y_m", "height": "y_m",
    "z": "z_m", "away": "z_m", "distance": "z_m", "depth": "z_m",
    "need": "need", "weight": "weight",
    "speed": "speed_mm_s", "±": "plus_minus_m", "plus minus": "plus_minus_m",
    "detail": "detail_mm", "aside ±": "plus_minus_side_m", "speed ±": "speed_plus_minus_mm_s",
    "soft at least": "soft_times",
}  # fmt: skip
_NEEDED = ("x_m", "y_m", "z_m")


@dataclass(frozen=True)
class TableRead:
    """What a table gave: the marks of its good rows, and a sentence for each bad one."""

    marks: tuple[Mark, ...]
    complaints: tuple[Sentence, ...]


@dataclass(frozen=True)
class _Column:
    key: str
    factor: float
    title: str


def marks_from_csv(text: str, *, name: str) -> TableRead:
    """Read marks; the header tells each column's meaning and unit, such as `away [ft]`.

    Raises
    ------
    FileError
        If the header lacks a column that a mark needs, or a unit is not known.
    """
    if len(text) > MOST_BYTES:
        raise FileError(
            "{name}: {size} letters; a table of marks holds at most {MOST_BYTES}",
            name=name,
            size=len(text),
            MOST_BYTES=MOST_BYTES,
        )
    first, _, _ = text.lstrip("\ufeff").partition("\n")
    separator = max(",;\t", key=first.count)
    rows = csv.reader(io.StringIO(text.lstrip("\ufeff")), delimiter=separator)
    try:
        header = next(rows)
        columns = [_column(title, name) for title in header]
        missing = [key for key in _NEEDED if key not in {column.key for column in columns if column}]
        if missing:
            have = ", ".join(title.strip() for title in header if title.strip()) or "nothing"
            raise FileError(
                "{name}: the header has {have}; it needs across, up and away, each with its unit, such as 'away [m]'",
                name=name,
                have=have,
            )
        return _read_rows(rows, columns)
    except StopIteration:
        raise FileError(
            "{name}: the table is empty; its first row must be a header such as 'name,across [m]'", name=name
        ) from None
    except csv.Error as error:
        raise FileError("{name}: this is no CSV table: {error}", name=name, error=error) from None


def _column(title: str, name: str) -> _Column | None:
    """What a header cell means; None for a column that is not ours."""
    found = re.match(r"^\s*([^\[\(]*?)\s*(?:[\[\(]\s*(.*?)\s*[\]\)])?\s*$", title)
    if found is None:
        return None
    word, unit = found[1].lower(), (found[2] or "").lower()
    key = _KEYS.get(word) or (word if word in set(_KEYS.values()) else None)
    if key is None:
        return None
    if not unit:
        return _Column(key, 1.0, title.strip())
    units = _SPEEDS if key.endswith("_mm_s") else _METRES if key.endswith(("_m", "_mm")) else {}
    if unit not in units:
        allowed = ", ".join(units) or "none"
        raise FileError(
            "{name}: column {column!r} has the unit {unit!r}; {allowed} would be right",
            name=name,
            column=title.strip(),
            unit=unit,
            allowed=allowed,
        )
    return _Column(key, units[unit] / (0.001 if key == "detail_mm" else 1.0), title.strip())


def _read_rows(rows: object, columns: list[_Column | None]) -> TableRead:
    marks: list[Mark] = []
    complaints: list[Sentence] = []
    for number, cells in enumerate(rows, start=2):  # type: ignore[arg-type, var-annotated]
        if not any(cell.strip() for cell in cells):
            continue
        values: dict[str, object] = {"name": f"Mark {number - 1}"}
        trouble: Sentence | None = None
        for column, cell in zip(columns, cells, strict=False):
            if column is None or not cell.strip():
                continue
            if column.key in ("name", "need"):
                values[column.key] = cell.strip()
                continue
            try:
                values[column.key] = float(cell.strip().replace(",", ".").replace("−", "-")) * column.factor
            except ValueError:
                trouble = Sentence(
                    "row {number}, {column}: {cell!r} is no number",
                    {"number": number, "column": column.title, "cell": cell.strip()},
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
    return TableRead(tuple(marks), tuple(complaints))


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
    writer.writerow([*titles.split(","), "soft at least"])
    for mark in marks:
        detail = "" if mark.detail_mm is None else f"{mark.detail_mm:.12g}"
        numbers = [f"{v:.12g}" for v in (mark.x_m, mark.y_m, mark.z_m, mark.plus_minus_m)]
        unsure = [f"{v:.12g}" for v in (mark.plus_minus_side_m, mark.speed_plus_minus_mm_s, mark.soft_times)]
        plain = [mark.need, f"{mark.weight:.12g}", f"{mark.speed_mm_s:.12g}", detail]
        writer.writerow([mark.name, *numbers, *plain, *unsure])
    return out.getvalue()
