"""What counts of a logbook: last checks, musts alone, marks that were the marks; books of the form before open."""

from __future__ import annotations

import math
import sqlite3
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from verispect.keep.book import Book
from verispect.keep.entry import Entry, entry_of
from verispect.keep.lessons import held_of, lessons, lessons_dict, lessons_text, proved_of
from verispect.shoot.report_html import entry_html

MARKS = [{"name": "Gate"}, {"name": "Wall"}, {"name": "Bench", "need": "should"}]


def a_mark(name: str, verdict: str = "sharp", away: float = 10.0, planned: float = 10.0) -> dict[str, Any]:
    """At 50 mm and ten metres a share of distance is 0.25 mm of image distance."""
    per_share = 0.25
    return {
        "name": name, "verdict": verdict, "distance_m": away, "distance_plus_minus_m": 0.4 * away / 10.0,
        "planned_distance_m": planned, "focus_off_mm": -per_share * math.log(away / planned),
        "focus_off_plus_minus_mm": 0.04 * per_share,
    }  # fmt: skip


def a_check(*marks: dict[str, Any]) -> dict[str, Any]:
    return {"format": "verispect-check", "marks": list(marks), "redo": []}


def test_a_job_held_where_every_must_is_sharp() -> None:
    def held(*verdicts: str) -> bool | None:
        told = [a_mark(mark["name"], verdict) for mark, verdict in zip(MARKS, verdicts, strict=True)]
        return held_of(entry_of({"marks": MARKS}, check=a_check(*told)))

    assert held("sharp", "sharp", "soft") is True
    assert held("sharp", "soft", "sharp") is False
    assert held("sharp", "cannot-say", "sharp") is None
    assert held("soft", "cannot-say", "sharp") is False
    assert held_of(entry_of({"marks": MARKS}, check=a_check())) is None


def test_what_was_something_else_or_damaged_is_left_out() -> None:
    assert proved_of(a_check(a_mark("Gate", away=25.0))) is None
    broken = a_mark("Wall") | {"distance_m": "far"}
    found = proved_of({"marks": [a_mark("Gate", away=10.5), broken, None, {"name": "x"}]})
    assert found is not None
    np.testing.assert_allclose(found.per_share_mm, [0.25])
    np.testing.assert_allclose(found.off_mm, [-0.25 * math.log(1.05)])
    np.testing.assert_allclose(found.unsure_mm, [0.005])


def test_the_last_check_of_a_job_counts_and_times_are_gathered() -> None:
    plan = {"title": "Yard", "marks": MARKS}
    bad, good = (
        replace(entry_of(plan, check=a_check(*(a_mark(m["name"], v) for m in MARKS)), run={"method": "series"},
                         promised=0.9, lens="50"), created=day)
        for v, day in (("soft", "2027-01-01T00:00:00Z"), ("sharp", "2027-01-02T00:00:00Z"))
    )  # fmt: skip
    timed = entry_of(plan, run={"method": "series"}, planned_s=100.0, taken_s=200.0)
    found = lessons([good, timed, bad])
    assert [(p.kept, p.jobs) for p in found.promises] == [(1, 1)]
    assert [(r.method, r.kept, r.jobs) for r in found.methods] == [("series", 1, 1)]
    assert found.time.jobs == 1
    assert found.time.value == pytest.approx(math.sqrt(2.0))
    assert list(found.focus_mm) == ["50"]
    assert "few" in lessons_text(found)
    assert lessons_dict(found)["promises"][0]["kept"] == 1


def test_a_book_of_the_form_before_opens_and_learns(tmp_path: Path) -> None:
    path = tmp_path / "old.sqlite"
    Book(path).close()
    with sqlite3.connect(path) as old:
        old.execute("alter table entries drop column promised")
        old.execute("alter table entries drop column lens")
        old.execute("alter table entries drop column tags")
        old.execute("update alembic_version set version_num = '0001'")
        old.execute(
            "insert into entries (uuid, created, title, method, verdict, place, kit, note, words, planned_s, "
            "taken_s) "
            "values ('a1', '2026-01-01T00:00:00Z', 'Old yard', 'series', 'shot', '', '', '', 'old yard', 60, 90)"
        )
    book = Book(path)
    assert book.entries("yard")[0].lens == ""
    assert [entry.title for entry in book.proved()] == ["Old yard"]
    assert lessons(book.proved()).time.jobs == 1
    book.close()


def test_only_checked_or_timed_jobs_are_read(tmp_path: Path) -> None:
    book = Book(tmp_path / "b.sqlite")
    for entry in (entry_of({"title": "planned"}), entry_of({"title": "checked"}, check=a_check(a_mark("Gate"))),
                  entry_of({"title": "timed"}, run={}, planned_s=5.0, taken_s=6.0)):  # fmt: skip
        book.add(entry)
    assert {entry.title for entry in book.proved()} == {"checked", "timed"}
    # An import keeps figures, and drops what are none.
    content = book.exported()
    content["entries"][0] |= {"uuid": "brought", "planned_s": "soon", "promised": float("inf"), "check": [1]}
    assert book.bring_in(content, name="x") == 1
    brought: Entry = book.entry("brought")
    assert (brought.planned_s, brought.promised, brought.check) == (None, None, None)
    book.close()


@pytest.mark.parametrize("rows", [5, "x", None, [3, None, "y"], [{"name": ["l"], "verdict": {}}], {"a": 1}])
def test_entries_from_anywhere_teach_nothing_and_break_nothing(tmp_path: Path, rows: Any) -> None:
    book = Book(tmp_path / "b.sqlite")
    check = {"marks": rows, "frames": rows, "redo": rows, "advice": rows}
    beyond = a_mark("Gate") | {"distance_plus_minus_m": 1e-300, "planned_distance_m": 1e300, "focus_off_mm": 1e300}
    entries = [
        {"uuid": "a", "plan": {"marks": rows, "title": rows}, "check": check, "run": rows},
        {"uuid": "b", "plan": {"marks": MARKS}, "check": {"marks": [beyond]}, "planned_s": rows, "lens": rows},
    ]
    assert book.bring_in({"format": "verispect-log", "version": 1, "entries": entries}, name="x") == 2
    found = lessons(book.proved())
    assert found.distance_share.jobs == 0
    assert "nan" not in lessons_text(found)
    for entry in book.proved():
        assert "<h1>" in entry_html(entry.plan, entry.check, head=entry.lines())
    assert len(book.plans(most=5)) == 2
    book.close()
