"""Two jobs side by side: what was planned otherwise, and how each came out."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from verispect.keep.entry import Entry, rows_of

# What stands in a plan for the window alone, or for this file alone.
_OWN = ("format", "version", "uuid", "photo", "run", "runs", "proofs")
_MOST_FIGURES = 200


@dataclass(frozen=True)
class Row:
    """One thing of both jobs; empty where one has none."""

    group: str
    what: str
    first: str
    second: str


def side_by_side(first: Entry, second: Entry) -> list[Row]:
    """Everything of two jobs that differs, and how every mark came out in both."""
    return [*_heads(first, second), *_outcomes(first, second), *_figures(first, second)]


def _heads(first: Entry, second: Entry) -> Iterator[Row]:
    pairs = (
        ("title", first.title, second.title),
        ("when", first.created, second.created),
        ("place", first.place, second.place),
        ("method", first.method, second.method),
        ("lens", first.lens, second.lens),
        ("kit", first.kit, second.kit),
        ("verdict", first.verdict, second.verdict),
        ("minutes planned", _minutes(first.planned_s), _minutes(second.planned_s)),
        ("minutes taken", _minutes(first.taken_s), _minutes(second.taken_s)),
        ("promised to hold, of 100", _hundredths(first.promised), _hundredths(second.promised)),
        ("frames to shoot again", _redo(first), _redo(second)),
        ("tags", first.tags, second.tags),
        ("note", first.note, second.note),
    )
    yield from (Row("job", what, one, other) for what, one, other in pairs if one != other)


def _minutes(seconds: float | None) -> str:
    return "" if seconds is None else f"{seconds / 60.0:.1f}"


def _hundredths(share: float | None) -> str:
    return "" if share is None else f"{100.0 * share:.0f}"


def _redo(entry: Entry) -> str:
    found = (entry.check or {}).get("redo")
    return str(len(found)) if isinstance(found, list) else ""


def _outcomes(first: Entry, second: Entry) -> Iterator[Row]:
    """Every mark by its name, in the order of the first job."""
    told = [{str(mark.get("name", "")): _outcome(mark) for mark in rows_of(entry.check, "marks")}
            for entry in (first, second)]  # fmt: skip
    for name in dict.fromkeys([*told[0], *told[1]]):
        yield Row("came out", name, told[0].get(name, ""), told[1].get(name, ""))


def _outcome(mark: dict[str, Any]) -> str:
    words = str(mark.get("verdict", "")).replace("-", " ")
    softness, sure = mark.get("softness"), mark.get("plus_minus")
    if isinstance(softness, int | float):
        words += f" {softness:.2f}" + (f" ± {sure:.2f}" if isinstance(sure, int | float) else "")
    return words


def _figures(first: Entry, second: Entry) -> list[Row]:
    """Figures of both plans that differ, each by its path; so many at the most."""
    one, other = dict(_flat(first.plan or {})), dict(_flat(second.plan or {}))
    differing = [path for path in dict.fromkeys([*one, *other]) if one.get(path) != other.get(path)]
    rows = [Row("planned", path, one.get(path, ""), other.get(path, "")) for path in differing[:_MOST_FIGURES]]
    if len(differing) > _MOST_FIGURES:
        rows.append(Row("planned", f"and {len(differing) - _MOST_FIGURES} figures more", "", ""))
    return rows


def _flat(content: Any, path: str = "") -> Iterator[tuple[str, str]]:
    """Leaves of a plan by their path; what lies in a list by its name where it has one."""
    if isinstance(content, dict):
        for key, value in content.items():
            if path or key not in _OWN:
                yield from _flat(value, f"{path} · {key}" if path else str(key))
    elif isinstance(content, list) and any(isinstance(part, dict | list) for part in content):
        for number, value in enumerate(content):
            name = value.get("name") if isinstance(value, dict) else None
            yield from _flat(value, f"{path} · {name or number + 1}")
    elif content is not None:
        yield path, str(content) if not isinstance(content, float) else f"{content:g}"


def rows_table(rows: list[Row]) -> str:
    """For a terminal."""
    lines, group = [], ""
    for row in rows:
        if row.group != group:
            group = row.group
            lines.append(f"{group}:")
        lines.append(f"  {row.what:<44}{row.first:<28}{row.second}")
    return "\n".join(lines) if lines else "both are the same"
