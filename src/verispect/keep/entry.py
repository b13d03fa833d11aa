"""One job of the logbook: what it holds, as JSON, as words that can be searched, as a line of a table."""

from __future__ import annotations

import math
import uuid as uuids
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from verispect.errors import FileError
from verispect.files.json_file import read_object


@dataclass(frozen=True)
class Entry:
    """One job as it is read and written; lists leave plan, run and check out.

    Attributes
    ----------
    planned_s, taken_s : float or None
        From the first exposure to the end of the last.
    promised : float or None
        With what probability it was to hold, where figures carried a ±.
    lens : str
        The lens it was taken with.
    tags : str
        Words of one's own, commas between.
    """

    uuid: str
    created: str
    title: str = ""
    method: str = ""
    verdict: str = ""
    place: str = ""
    kit: str = ""
    note: str = ""
    planned_s: float | None = None
    taken_s: float | None = None
    promised: float | None = None
    lens: str = ""
    tags: str = ""
    plan: dict[str, Any] | None = None
    run: dict[str, Any] | None = None
    check: dict[str, Any] | None = None
    picture: bytes | None = field(default=None, repr=False)

    def lines(self) -> list[str]:
        """What it was, where and with what, a line each."""
        times = [f"planned {self.planned_s / 60.0:.1f} min" if self.planned_s else "",
                 f"taken {self.taken_s / 60.0:.1f} min" if self.taken_s else ""]  # fmt: skip
        promised = "" if self.promised is None else f"to hold in {100.0 * self.promised:.0f} of 100 tries"
        lines = [" · ".join(part for part in (self.created.replace("T", " ").rstrip("Z"), self.place) if part),
                 " · ".join(part for part in (self.method, self.lens, self.kit) if part),
                 " · ".join(part for part in (*times, promised) if part),
                 ", ".join(tag for tag in self.tags.split(", ") if tag)]  # fmt: skip
        return [line for line in lines if line]


FORMAT, VERSION = "verispect-log", 1


def now() -> str:
    """The moment, as entries are dated."""
    return datetime.now(UTC).isoformat(timespec="seconds").replace("+00:00", "Z")


def rows_of(content: Mapping[str, Any] | None, key: str) -> list[dict[str, Any]]:
    """The objects of a list in content that may be from anywhere."""
    found = (content or {}).get(key)
    return [row for row in found if isinstance(row, dict)] if isinstance(found, list) else []


def words_of(entry: Entry) -> str:
    """All of it that is words, in lower case, for the search."""
    parts = [entry.tags, entry.title, entry.method, entry.verdict, entry.place, entry.kit, entry.note, entry.created]
    parts += [str(mark.get("name", "")) for mark in rows_of(entry.plan, "marks")]
    return " ".join(parts).lower()


def tidy_tags(words: str | Iterable[str]) -> str:
    """Words of one's own as they are kept: each once, commas between.

    Examples
    --------
    >>> tidy_tags(" night,client ,, night")
    'night, client'
    """
    parts = words.split(",") if isinstance(words, str) else [part for word in words for part in str(word).split(",")]
    return ", ".join(dict.fromkeys(part.strip() for part in parts if part.strip()))


def away_km(places: Sequence[str], latitude_deg: float, longitude_deg: float) -> list[float | None]:
    """How far places of jobs are over the ground; None for what tells none.

    Lambert's formula for long lines on WGS 84 (from memory), ten metres off over thousands of kilometres; all at
    once, since a book may hold ten thousand.
    """
    import numpy as np

    at = np.full((len(places), 2), np.nan)
    for number, place in enumerate(places):
        parts = place.split(",")
        if len(parts) == 2:
            try:
                at[number] = float(parts[0]), float(parts[1])
            except ValueError:
                continue
    semi_axis_km, flattening = 6378.137, 1.0 / 298.257223563
    here = np.arctan((1.0 - flattening) * np.tan(np.radians(latitude_deg)))
    with np.errstate(invalid="ignore", divide="ignore"):
        there = np.arctan((1.0 - flattening) * np.tan(np.radians(at[:, 0])))
        turn = np.radians(at[:, 1] - longitude_deg)
        half = np.sin(0.5 * (there - here)) ** 2 + np.cos(there) * np.cos(here) * np.sin(0.5 * turn) ** 2
        angle = 2.0 * np.arcsin(np.sqrt(np.clip(half, 0.0, 1.0)))
        p, q = 0.5 * (here + there), 0.5 * (there - here)
        x = (angle - np.sin(angle)) * (np.sin(p) * np.cos(q) / np.cos(0.5 * angle)) ** 2
        y = (angle + np.sin(angle)) * (np.cos(p) * np.sin(q) / np.sin(0.5 * angle)) ** 2
        found = semi_axis_km * (angle - 0.5 * flattening * (x + np.where(angle > 1e-9, y, 0.0)))
    return [None if not np.isfinite(far) else float(far) for far in found]


def entry_dict(entry: Entry) -> dict[str, Any]:
    """An entry as JSON; a picture as hexadecimal."""
    found: dict[str, Any] = {**entry.__dict__, "tags": entry.tags.split(", ") if entry.tags else []}
    found["picture"] = entry.picture.hex() if entry.picture else None
    return found


def entry_from(content: Any, name: str) -> Entry:
    """An entry of JSON that may be from anywhere.

    Raises
    ------
    FileError
        Without a uuid, or with a damaged picture.
    """
    if not isinstance(content, dict) or not isinstance(content.get("uuid"), str):
        raise FileError("{name}: an entry without uuid; export it again", name=name)
    known = {key: content.get(key) for key in Entry.__dataclass_fields__ if key in content}
    for key in ("created", "title", "method", "verdict", "place", "kit", "note", "lens"):
        known[key] = str(known.get(key) or "")
    tags = known.get("tags") or ()
    known["tags"] = tidy_tags(tags if isinstance(tags, str | list) else ())
    for key in ("planned_s", "taken_s", "promised"):
        value = known.get(key)
        known[key] = float(value) if isinstance(value, int | float) and math.isfinite(value) else None
    for key in ("plan", "run", "check"):
        known[key] = known[key] if isinstance(known.get(key), dict) else None
    picture = known.get("picture")
    try:
        known["picture"] = bytes.fromhex(picture) if isinstance(picture, str) else None
    except ValueError as error:
        raise FileError(
            "{name}: a picture that is damaged in entry {uuid}", name=name, uuid=content["uuid"]
        ) from error
    return Entry(**known)  # type: ignore[arg-type]


def entry_of(
    plan: dict[str, Any],
    *,
    run: dict[str, Any] | None = None,
    check: dict[str, Any] | None = None,
    note: str = "",
    tags: str | Iterable[str] = "",
    planned_s: float | None = None,
    taken_s: float | None = None,
    promised: float | None = None,
    lens: str = "",
    picture: bytes | None = None,
) -> Entry:
    """An entry of a job: what can be searched for is taken out of the plan, the run and the check."""
    site, kit = plan.get("site") or {}, plan.get("kit") or {}
    names = [
        str((kit.get("body") or {}).get("name") or ""),
        *(str(lens.get("name")) for lens in kit.get("lenses") or []),
    ]
    chosen = (run or {}).get("method") or (plan.get("choice") or {}).get("method") or ""
    where = f"{site['latitude_deg']:.4f}, {site['longitude_deg']:.4f}" if "latitude_deg" in site else ""
    return Entry(
        uuid=str(uuids.uuid4()), created=now(), title=str(plan.get("title") or ""), method=str(chosen),
        verdict=_verdict(plan, run, check), place=where, kit=", ".join(name for name in names if name), note=note,
        planned_s=planned_s, taken_s=taken_s, promised=promised, lens=lens, tags=tidy_tags(tags),
        plan=plan, run=run, check=check, picture=picture,
    )  # fmt: skip


def must_verdicts(plan: Mapping[str, Any] | None, check: Mapping[str, Any] | None) -> list[str]:
    """What the check says of every mark that is a must in the plan."""
    needs = {str(mark.get("name")): mark.get("need", "must") for mark in rows_of(plan, "marks")}
    return [
        str(mark.get("verdict"))
        for mark in rows_of(check, "marks")
        if needs.get(str(mark.get("name")), "must") == "must"
    ]


def _verdict(plan: Mapping[str, Any], run: dict[str, Any] | None, check: dict[str, Any] | None) -> str:
    """The job in a word. "good" is only what was measured so: a must nobody could judge leaves it "not told"."""
    if check is None:
        return "planned" if run is None else "shot"
    if check.get("redo"):
        return "redo"
    musts = must_verdicts(plan, check)
    areas = [row.get("verdict") for row in rows_of(check, "surfaces") if row.get("need") == "must"]
    if "soft" in (*musts, *areas) or any(frame.get("verdict") != "good" for frame in rows_of(check, "frames")):
        return "doubtful"
    return "not told" if "cannot-say" in musts else "good"


def entries_table(entries: Sequence[Entry], away: Sequence[float | None] | None = None) -> str:
    """Jobs for a terminal, with how far each is where that is asked for (km)."""
    kilometres = [""] * len(entries) if away is None else ["" if far is None else f"{far:.1f}" for far in away]
    wide = 0 if away is None else 10
    lines = [f"{'entry':<10}{'when':<22}{'verdict':<9}{'method':<20}{'' if away is None else 'km':<{wide}}title"]
    for entry, far in zip(entries, kilometres, strict=True):
        tags = f"  [{entry.tags}]" if entry.tags else ""
        lines.append(
            f"{entry.uuid[:8]:<10}{entry.created:<22}{entry.verdict:<9}{entry.method:<20}{far:<{wide}}{entry.title}{tags}"
        )
    return "\n".join(lines)


_COLUMNS = (
    "uuid", "created", "title", "method", "verdict", "place", "kit", "lens", "planned_s", "taken_s", "promised",
    "tags", "note",
)  # fmt: skip


def entries_csv(entries: Sequence[Entry]) -> str:
    """Jobs as a table for spreadsheets, a line each, without plans, checks and pictures."""
    import csv
    import io

    from verispect.files.csv_text import as_text

    stream = io.StringIO()
    writer = csv.writer(stream)
    writer.writerow(_COLUMNS)
    for entry in entries:
        cells = (getattr(entry, name) for name in _COLUMNS)
        writer.writerow(["" if cell is None else as_text(cell) if isinstance(cell, str) else cell for cell in cells])
    return stream.getvalue()


def read_export(path: Path) -> dict[str, Any]:
    """An export's JSON.

    Raises
    ------
    FileError
        For what cannot be read or is no JSON.
    """
    return read_object(path, right="an export of a logbook")
