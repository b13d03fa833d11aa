"""Backups: whole, never over anything unasked, and brought back with what was there kept beside it."""

from __future__ import annotations

import os
import sqlite3
from pathlib import Path

import pytest

from verispect.errors import FileError
from verispect.keep.book import Book
from verispect.keep.copies import back_up, bring_back
from verispect.keep.entry import entry_of


def titled(path: Path, *titles: str) -> Book:
    book = Book(path)
    for title in titles:
        book.add(entry_of({"title": title}))
    return book


def titles(path: Path) -> set[str]:
    book = Book(path)
    try:
        return {entry.title for entry in book.entries()}
    finally:
        book.close()


def test_a_backup_is_the_book_in_one_file_while_the_book_is_open(tmp_path: Path) -> None:
    book = titled(tmp_path / "book.sqlite", "weir", "gate")
    book.keep("lens", "Narrow", {"a": 1})
    back_up(book, tmp_path / "copy.sqlite")
    book.add(entry_of({"title": "later"}))
    assert titles(tmp_path / "copy.sqlite") == {"weir", "gate"}
    copy = Book(tmp_path / "copy.sqlite")
    assert [item.name for item in copy.shelf()] == ["Narrow"]
    copy.close()
    with pytest.raises(FileError, match="--force"):
        back_up(book, tmp_path / "copy.sqlite")
    back_up(book, tmp_path / "copy.sqlite", force=True)
    assert titles(tmp_path / "copy.sqlite") == {"weir", "gate", "later"}
    with pytest.raises(FileError, match="the book itself"):
        back_up(book, tmp_path / "book.sqlite", force=True)
    book.close()
    assert not [path for path in tmp_path.iterdir() if path.name.startswith(".book")]


def test_a_place_that_cannot_be_written_is_told(tmp_path: Path) -> None:
    book = titled(tmp_path / "book.sqlite", "weir")
    with pytest.raises(FileError, match="cannot be written"):
        back_up(book, tmp_path / "none" / "copy.sqlite")
    book.close()


def test_bringing_back_keeps_the_book_that_was_there(tmp_path: Path) -> None:
    book = titled(tmp_path / "book.sqlite", "weir")
    back_up(book, tmp_path / "copy.sqlite")
    book.add(entry_of({"title": "later"}))
    book.close()
    aside = bring_back(tmp_path / "copy.sqlite", tmp_path / "book.sqlite")
    assert titles(tmp_path / "book.sqlite") == {"weir"}
    assert aside is not None
    assert titles(aside) == {"weir", "later"}
    again = bring_back(tmp_path / "copy.sqlite", tmp_path / "book.sqlite")
    assert again not in (None, aside)
    assert titles(aside) == {"weir", "later"}
    # Where there is no book yet, nothing is put aside.
    assert bring_back(tmp_path / "copy.sqlite", tmp_path / "new" / "book.sqlite") is None
    assert titles(tmp_path / "new" / "book.sqlite") == {"weir"}


def test_what_is_no_book_leaves_the_book_as_it_was(tmp_path: Path) -> None:
    titled(tmp_path / "book.sqlite", "weir").close()
    (tmp_path / "text.sqlite").write_text("no book " * 500)
    with pytest.raises(FileError, match=r"text\.sqlite"):
        bring_back(tmp_path / "text.sqlite", tmp_path / "book.sqlite")
    titled(tmp_path / "newer.sqlite").close()
    with sqlite3.connect(tmp_path / "newer.sqlite") as newer:
        newer.execute("update alembic_version set version_num = '9999'")
    with pytest.raises(FileError, match="newer"):
        bring_back(tmp_path / "newer.sqlite", tmp_path / "book.sqlite")
    with pytest.raises(FileError, match="no such file"):
        bring_back(tmp_path / "gone.sqlite", tmp_path / "book.sqlite")
    assert titles(tmp_path / "book.sqlite") == {"weir"}
    assert not [path for path in tmp_path.iterdir() if path.name.startswith((".book", "book-before"))]


def test_a_damaged_book_is_put_aside_as_it_is(tmp_path: Path) -> None:
    titled(tmp_path / "copy.sqlite", "weir").close()
    (tmp_path / "book.sqlite").write_bytes(os.urandom(5000))
    damaged = (tmp_path / "book.sqlite").read_bytes()
    aside = bring_back(tmp_path / "copy.sqlite", tmp_path / "book.sqlite")
    assert titles(tmp_path / "book.sqlite") == {"weir"}
    assert aside is not None
    assert aside.read_bytes() == damaged
