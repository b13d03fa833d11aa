"""A book of ten thousand jobs: opened, searched and shown (asked: 0.3 s to open, 0.1 s to search)."""

from __future__ import annotations

import random
from dataclasses import replace
from pathlib import Path

import pytest
from sqlalchemy.orm import Session

from verispect.files.plan_file import read_plan
from verispect.keep.book import Book
from verispect.keep.entry import entry_of, words_of
from verispect.keep.tables import EntryRow

DEMO = Path(__file__).parents[1] / "src" / "verispect" / "ui" / "demo" / "demo.verispect"
JOBS = 10_000


@pytest.fixture(scope="module")
def full(tmp_path_factory) -> Path:
    path = tmp_path_factory.mktemp("book") / "book.sqlite"
    book, plan = Book(path), read_plan(DEMO).model_dump(mode="json", by_alias=True)
    random.seed(1)
    with Session(book._engine) as session, session.begin():
        for k in range(JOBS):
            place = f"{random.uniform(-60, 60):.4f}, {random.uniform(-180, 180):.4f}"
            when = f"2026-{k % 12 + 1:02d}-{k % 28 + 1:02d}T00:00:{k % 60:02d}Z"
            entry = replace(entry_of(plan, note=f"job {k} mist", check={"redo": []}), created=when, place=place)
            session.add(EntryRow(**{**entry.__dict__, "words": words_of(entry)}))
    book.close()
    return path


def test_opened_and_listed(benchmark, full: Path) -> None:
    def opened() -> int:
        book = Book(full)
        count = len(book.entries())
        book.close()
        return count

    assert benchmark(opened) == JOBS


def test_searched(benchmark, full: Path) -> None:
    book = Book(full)
    assert len(benchmark(lambda: book.entries("mist 777"))) > 5
    book.close()


def test_shown_in_the_window(benchmark, full: Path, qtbot) -> None:
    from verispect.keep.entry import away_km
    from verispect.ui.panels.stations.jobs import MOST_SHOWN, JobsPage

    page = JobsPage()
    qtbot.addWidget(page)
    page.resize(500, 700)
    page.show()
    book = Book(full)
    entries = book.entries()
    book.close()
    away = away_km([entry.place for entry in entries], 46.0, 8.0)
    benchmark(lambda: page.show_entries(entries, away))
    assert page.entries.rowCount() == MOST_SHOWN
