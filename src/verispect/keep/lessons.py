"""The logbook read for what it teaches: which jobs count for what, and the sentences and figures that come of it."""

from __future__ import annotations

import itertools
import json
import math
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from verispect.keep.book import Book
from verispect.keep.entry import Entry, must_verdicts, rows_of
from verispect.keep.learning import Learned, Proved, kept_promises, spreads, time_factor

# Promises are told apart by these.
_BINS = (0.0, 0.5, 0.8, 0.95, 1.0)
# A mark found at less than half or more than twice its distance was not the mark.
_OTHER_THING = math.log(2.0)
FEW_JOBS = 5
# The last ones count: people and kit change, and nobody waits for more.
_MOST_JOBS = 500


@dataclass(frozen=True)
class Promise:
    """Jobs that were promised to hold about as surely."""

    promised: float
    kept: int
    jobs: int
    share: Learned


@dataclass(frozen=True)
class Record:
    """How often a method held."""

    method: str
    kept: int
    jobs: int


@dataclass(frozen=True)
class Lessons:
    """What the logbook teaches.

    Attributes
    ----------
    distance_share : Learned
        ± of a distance, as a share of it (two standard deviations).
    focus_mm : dict of str to Learned
        ± of the focus by lens, on the image's side.
    time, next_time : Learned
        Times the planned time.
    """

    distance_share: Learned
    focus_mm: dict[str, Learned]
    time: Learned
    next_time: Learned
    promises: tuple[Promise, ...]
    methods: tuple[Record, ...]


def lessons_from(path: Path | None) -> Lessons:
    """What the book at a place teaches; None takes the usual one."""
    book = Book(path)
    try:
        return lessons(book.proved())
    finally:
        book.close()


def lessons(entries: Iterable[Entry]) -> Lessons:
    """What a logbook's entries teach; of a job checked several times the last check counts."""
    last: dict[str, Entry] = {}
    ratios: list[float] = []
    for entry in sorted(entries, key=lambda entry: entry.created):
        if entry.check is not None:
            last[_job_of(entry)] = entry
        if entry.planned_s and entry.taken_s and entry.planned_s > 0.0 and entry.taken_s > 0.0:
            ratios.append(entry.taken_s / entry.planned_s)
    proved: dict[str, list[Proved]] = {}
    verdicts = []
    for entry in list(last.values())[-_MOST_JOBS:]:
        found = proved_of(entry.check or {})
        if found is not None:
            proved.setdefault(entry.lens, []).append(found)
        held = held_of(entry)
        if held is not None:
            verdicts.append((entry, held))
    distance, _ = spreads([job for jobs in proved.values() for job in jobs])
    focus = {lens: _doubled(spreads(jobs)[1]) for lens, jobs in sorted(proved.items()) if lens}
    time, next_time = time_factor(ratios)
    return Lessons(_doubled(distance), focus, time, next_time, _promises(verdicts), _records(verdicts))


def _doubled(one: Learned) -> Learned:
    """A ± is two standard deviations."""
    return Learned(2.0 * one.value, 2.0 * one.low, 2.0 * one.high, one.jobs)


def _job_of(entry: Entry) -> str:
    plan = entry.plan or {}
    return json.dumps([entry.title, entry.method, plan.get("marks"), plan.get("site")], sort_keys=True, default=str)


def _number(value: Any) -> float | None:
    return float(value) if isinstance(value, int | float) and math.isfinite(value) else None


def proved_of(check: dict[str, Any]) -> Proved | None:
    """What a check says of where its marks were sharp; None where it says so of none."""
    rows = []
    for mark in rows_of(check, "marks"):
        keys = (
            "distance_m",
            "distance_plus_minus_m",
            "planned_distance_m",
            "focus_off_mm",
            "focus_off_plus_minus_mm",
        )
        told = [_number(mark.get(key)) for key in keys]
        if any(value is None for value in told):
            continue
        away, unsure, planned, off, off_unsure = (float(value) for value in told if value is not None)
        # Figures beyond all sense are of no check of this program.
        sensible = min(away, unsure, planned, off_unsure) > 1e-9 and max(away, unsure, planned, off_unsure) < 1e9
        if sensible and abs(off) < 1e6 and abs(math.log(away / planned)) < _OTHER_THING:
            rows.append((off, 0.5 * off_unsure, off_unsure / (unsure / away)))
    if not rows:
        return None
    off_mm, unsure_mm, per_share = np.array(rows).T
    return Proved(off_mm, unsure_mm, per_share)


def held_of(entry: Entry) -> bool | None:
    """Whether every must came out sharp; None where that was not told."""
    verdicts = must_verdicts(entry.plan, entry.check)
    if "soft" in verdicts:
        return False
    return True if verdicts and all(verdict == "sharp" for verdict in verdicts) else None


def _promises(verdicts: list[tuple[Entry, bool]]) -> tuple[Promise, ...]:
    found = []
    for low, high in itertools.pairwise(_BINS):
        mine = [
            (entry.promised, held) for entry, held in verdicts
            if entry.promised is not None and low <= entry.promised and (entry.promised < high or high == _BINS[-1])
        ]  # fmt: skip
        if mine:
            promised = float(np.mean([share for share, _ in mine]))
            kept = sum(held for _, held in mine)
            found.append(Promise(promised, kept, len(mine), kept_promises(promised, kept, len(mine))))
    return tuple(found)


def _records(verdicts: list[tuple[Entry, bool]]) -> tuple[Record, ...]:
    methods = sorted({entry.method for entry, _ in verdicts if entry.method})
    by_method = {name: [held for entry, held in verdicts if entry.method == name] for name in methods}
    return tuple(Record(name, sum(held), len(held)) for name, held in by_method.items())


def lessons_dict(found: Lessons) -> dict[str, Any]:
    """As JSON."""

    def told(one: Learned) -> dict[str, Any]:
        return {"value": one.value, "low": one.low, "high": one.high, "jobs": one.jobs}

    return {
        "format": "verispect-lessons",
        "version": 1,
        "distance_plus_minus_share": told(found.distance_share),
        "focus_plus_minus_mm": {lens: told(one) for lens, one in found.focus_mm.items()},
        "time_factor": told(found.time),
        "next_time_factor": told(found.next_time),
        "promises": [
            {"promised": p.promised, "kept": p.kept, "jobs": p.jobs, "share": told(p.share)} for p in found.promises
        ],
        "methods": [{"method": r.method, "kept": r.kept, "jobs": r.jobs} for r in found.methods],
    }


def lessons_text(found: Lessons) -> str:
    """For a terminal."""

    def of(one: Learned) -> str:
        few = ", few: mostly the default" if one.jobs < FEW_JOBS else ""
        return f"from {one.jobs} jobs{few}"

    d, t = found.distance_share, found.time
    lines = [
        f"distances       ± {100 * d.value:.1f} % ({100 * d.low:.1f} to {100 * d.high:.1f}), {of(d)}",
        *(
            f"focus, {lens}  ± {one.value:.3f} mm at the sensor ({one.low:.3f} to {one.high:.3f}), {of(one)}"
            for lens, one in found.focus_mm.items()
        ),
        f"time            {t.value:.2f} times the planned ({t.low:.2f} to {t.high:.2f}), {of(t)}",
        f"the next job    {found.next_time.low:.2f} to {found.next_time.high:.2f} times",
    ]
    lines += [
        f"promised {100 * p.promised:.0f} of 100: {p.kept} of {p.jobs} held; "
        f"{100 * p.share.value:.0f} of 100 ({100 * p.share.low:.0f} to {100 * p.share.high:.0f})"
        for p in found.promises
    ]
    lines += [f"{record.method}: {record.kept} of {record.jobs} held" for record in found.methods]
    return "\n".join(lines)
