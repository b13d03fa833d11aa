"""The book: kept, found again, handed on; damaged, locked, newer or read-only it says so and stays as it is."""

from __future__ import annotations

import os
import sqlite3
import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from verispect.errors import FileError
from verispect.keep import book as book_module
from verispect.keep.book import Book
from verispect.keep.entry import Entry, entries_table, entry_of, read_export

PLAN: dict[str, Any] = {
    "title": "Mill yard", "site": {"latitude_deg": 46.5, "longitude_deg": 8.25},
    "kit": {"body": {"name": "Body A"}, "lenses": [{"name": "Narrow 24"}]},
    "marks": [{"name": "Drain grate"}, {"name": "100 % wool"}], "choice": {"method": "tilt"},
}  # fmt: skip


@pytest.fixture
def book(tmp_path: Path):
    made = Book(tmp_path / "kept" / "book.sqlite")
    yield made
    made.close()


def test_a_job_is_kept_with_what_it_can_be_found_by(book: Book) -> None:
    entry = entry_of(PLAN, note="mist", check={"redo": ["frame 7"]}, run={"method": "series"})
    assert book.add(entry)
    assert not book.add(entry)
    assert book.entry(entry.uuid[:9]) == entry
    for words in ("mill", "MILL mist", "grate", "narrow", "series redo", "46.5"):
        assert [found.uuid for found in book.entries(words)] == [entry.uuid], words
    for words in ("mill snow", "mi%l", "m_ll"):
        assert book.entries(words) == []
    # A percent sign is a sign like any other.
    assert len(book.entries("100 %")) == 1
    assert (entry.verdict, entry.method, entry.kit) == ("redo", "series", "Body A, Narrow 24")


def test_lists_have_the_newest_first_and_no_heavy_parts(book: Book) -> None:
    for day in (3, 1, 2):
        book.add(replace(entry_of(PLAN, picture=b"\xff" * 100), created=f"2027-01-0{day}T00:00:00Z"))
    listed = book.entries()
    assert [entry.created[9] for entry in listed] == ["3", "2", "1"]
    assert all(entry.plan is None and entry.picture is None for entry in listed)
    assert len(entries_table(listed).splitlines()) == 4


def test_an_entry_is_taken_out_and_put_back(book: Book) -> None:
    entry = entry_of(PLAN, picture=b"abc")
    book.add(entry)
    gone = book.remove(entry.uuid)
    assert gone == entry
    assert book.remove(entry.uuid) is None
    assert book.entries() == []
    assert book.add(gone)
    assert book.entry(entry.uuid) == entry


def test_note_tags_and_picture_are_changed_and_found(book: Book) -> None:
    entry = entry_of(PLAN, note="mist", tags=["night", "client"])
    book.add(entry)
    before = book.retell(entry.uuid, note="clear", tags="dawn, dawn,")
    assert before == entry
    now = book.entry(entry.uuid)
    assert (now.note, now.tags, now.title) == ("clear", "dawn", entry.title)
    assert [found.tags for found in book.entries("dawn clear")] == ["dawn"]
    assert book.entries("mist") == []
    book.retell(entry.uuid, picture=b"abc")
    assert book.entry(entry.uuid).picture == b"abc"
    assert book.entry(entry.uuid).note == "clear"
    assert book.retell("gone", note="x") is None


def test_none_or_more_than_one_is_said(book: Book) -> None:
    with pytest.raises(FileError, match="no such entry"):
        book.entry("abc")
    for _ in range(2):
        book.add(entry_of(PLAN))
    with pytest.raises(FileError, match="more than one"):
        book.entry("")


texts = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"), max_size=12)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=20, deadline=None)
@given(st.lists(st.tuples(texts, texts, st.binary(max_size=6)), max_size=4))
def test_an_export_brought_into_another_book_is_the_same_and_twice_adds_nothing(
    tmp_path_factory, jobs: list[tuple[str, str, bytes]]
) -> None:
    folder = tmp_path_factory.mktemp("books")
    first, second = Book(folder / "a.sqlite"), Book(folder / "b.sqlite")
    for title, note, picture in jobs:
        first.add(entry_of({"title": title}, note=note, picture=picture or None))
    export = first.exported()
    assert second.bring_in(export, name="a") == len(jobs)
    assert second.bring_in(export, name="a") == 0
    by_uuid = {entry["uuid"]: entry for entry in export["entries"]}
    assert {entry["uuid"]: entry for entry in second.exported()["entries"]} == by_uuid
    first.close()
    second.close()


@pytest.mark.parametrize(
    ("content", "said"),
    [
        ({}, "no export"),
        ({"format": "verispect-log", "version": 2, "entries": []}, "newer"),
        ({"format": "verispect-log", "version": 1, "entries": [{}]}, "without uuid"),
        ({"format": "verispect-log", "version": 1, "entries": [{"uuid": "a", "picture": "zz"}]}, "damaged"),
    ],
)
def test_what_is_no_export_adds_nothing(book: Book, content: dict[str, Any], said: str) -> None:
    with pytest.raises(FileError, match=said):
        book.bring_in(content, name="x.json")
    assert book.entries() == []


def test_a_file_that_is_no_export_is_told(tmp_path: Path) -> None:
    path = tmp_path / "x.json"
    for content, said in ((b"{", "cut"), (b"[]", "holds no object; choose an export")):
        path.write_bytes(content)
        with pytest.raises(FileError, match=said):
            read_export(path)
    with pytest.raises(FileError, match="No such file"):
        read_export(tmp_path / "gone.json")


def test_kit_of_the_same_name_takes_the_place_of_the_old(book: Book) -> None:
    first = book.keep("lens", "Narrow 24", {"focal_mm": [24, 24]})
    again = book.keep("lens", "Narrow 24", {"focal_mm": [25, 25]})
    book.keep("body", "Body A", {})
    assert again.uuid == first.uuid
    assert [(item.kind, item.name) for item in book.shelf()] == [("body", "Body A"), ("lens", "Narrow 24")]
    assert book.shelf("lens")[0].content == {"focal_mm": [25, 25]}
    book.put_away(first.uuid)
    assert book.shelf("lens") == []


# What can befall the file ----------------------------------------------------------------------------


def test_a_damaged_book_is_told_and_left_alone(tmp_path: Path) -> None:
    path = tmp_path / "book.sqlite"
    path.write_bytes(b"this is no database" * 300)
    with pytest.raises(FileError, match="no book, or it is damaged"):
        Book(path)
    assert path.read_bytes() == b"this is no database" * 300


def test_a_newer_book_is_told_and_left_alone(tmp_path: Path) -> None:
    path = tmp_path / "book.sqlite"
    made = Book(path)
    made.add(entry_of(PLAN))
    made.close()
    with sqlite3.connect(path) as connection:
        connection.execute("update alembic_version set version_num = 'ffff'")
    connection.close()
    with pytest.raises(FileError, match="newer Verispect"):
        Book(path)
    with sqlite3.connect(path) as connection:
        assert connection.execute("select count(*) from entries").fetchone()[0] == 1
    connection.close()


def test_a_locked_book_is_waited_for_and_then_told(book: Book, monkeypatch) -> None:
    book.close()
    monkeypatch.setattr(book_module, "_WAIT_MS", 100)
    impatient = Book(book.path)
    holder = sqlite3.connect(book.path, isolation_level=None)
    holder.execute("begin immediate")
    try:
        with pytest.raises(FileError, match="another program is writing"):
            impatient.add(entry_of(PLAN))
    finally:
        holder.execute("rollback")
        holder.close()
    assert impatient.add(entry_of(PLAN))
    impatient.close()


@pytest.mark.skipif(os.geteuid() == 0, reason="root writes everywhere")
def test_a_read_only_folder_is_told(tmp_path: Path) -> None:
    folder = tmp_path / "locked"
    folder.mkdir()
    folder.chmod(0o500)
    with pytest.raises(FileError, match="cannot be written"):
        Book(folder / "book.sqlite")


def test_a_place_below_a_file_is_told(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("x")
    with pytest.raises(FileError, match="--book"):
        Book(tmp_path / "file" / "book.sqlite")


def test_what_was_committed_is_there_after_a_kill(tmp_path: Path) -> None:
    path = tmp_path / "book.sqlite"
    work = (
        "import os, signal, sys\nfrom pathlib import Path\nfrom verispect.keep.book import Book\n"
        "from verispect.keep.entry import entry_of\n"
        f"book = Book(Path({str(path)!r}))\n"
        "for k in range(5):\n    book.add(entry_of({'title': f'job {k}'}))\n"
        "os.kill(os.getpid(), signal.SIGKILL)\n"
    )
    assert subprocess.run([sys.executable, "-c", work], check=False).returncode == -9
    again = Book(path)
    assert {entry.title for entry in again.entries()} == {f"job {k}" for k in range(5)}
    again.close()


def test_an_entry_has_its_own_uuid_and_is_planned_until_shot() -> None:
    first, second = entry_of(PLAN), entry_of(PLAN, run={})
    assert isinstance(first, Entry)
    assert first.uuid != second.uuid
    assert (first.verdict, second.verdict) == ("planned", "shot")


@pytest.mark.parametrize(
    ("frames", "must", "may", "redo", "verdict"),
    [
        ("good", "sharp", "soft", [], "good"),
        ("good", "cannot-say", "sharp", [], "not told"),
        ("good", "soft", "sharp", [], "doubtful"),
        ("doubtful", "sharp", "sharp", [], "doubtful"),
        ("good", "sharp", "sharp", ["frame 2"], "redo"),
    ],
)
def test_a_job_is_good_only_where_every_must_was_seen_sharp(
    frames: str, must: str, may: str, redo: list[str], verdict: str
) -> None:
    plan = {"marks": [{"name": "step", "need": "must"}, {"name": "cloud", "need": "may"}]}
    marks = [{"name": "step", "verdict": must}, {"name": "cloud", "verdict": may}]
    check = {"redo": redo, "frames": [{"verdict": "good"}, {"verdict": frames}], "marks": marks}
    assert entry_of(plan, check=check).verdict == verdict
