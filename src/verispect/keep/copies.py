"""Copies of the book: put aside whole, and brought back without losing what is there."""

from __future__ import annotations

import os
import sqlite3
import tempfile
from pathlib import Path

from verispect.errors import FileError
from verispect.keep.book import Book, usual_place

_BESIDE = ("-wal", "-shm")


def back_up(book: Book, target: Path, *, force: bool = False) -> None:
    """Write the book to another file, whole or not at all.

    Raises
    ------
    FileError
        Where something is there and `force` is not given, or it cannot be written.
    """
    if target.resolve() == book.path.resolve():
        raise FileError("{path}: this is the book itself; name another file", path=target)
    if target.exists() and not force:
        raise FileError("{path}: is there already; --force writes over it", path=target)
    try:
        handle, name = tempfile.mkstemp(dir=target.parent, prefix=".book-", suffix=".part")
        os.close(handle)
    except OSError as error:
        raise FileError("{path}: cannot be written: {why}", path=target, why=error.strerror or error) from error
    beside = Path(name)
    try:
        book.copy_to(beside)
        beside.replace(target)
    except OSError as error:
        raise FileError("{path}: cannot be written: {why}", path=target, why=error.strerror or error) from error
    finally:
        beside.unlink(missing_ok=True)


def bring_back(source: Path, place: Path | None = None) -> Path | None:
    """Put a copy in the book's place; where the book that was there lies now, None where there was none.

    Nobody may have the book open meanwhile: who has goes on writing into the one put aside.

    Raises
    ------
    FileError
        For what is no book, is of a newer version, or cannot be put there; the book is then as it was.
    """
    place = place or usual_place()
    if not source.is_file():
        raise FileError("{path}: there is no such file", path=source)
    if place.exists() and source.resolve() == place.resolve():
        raise FileError("{path}: this is the book itself", path=source)
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=place.parent, prefix=".book-", suffix=".part")
        os.close(handle)
        fresh = Path(name)
    except OSError as error:
        raise FileError("{path}: cannot be written: {why}", path=place, why=error.strerror or error) from error
    try:
        _copied(source, fresh)
        # Opened once, so that what is no book is told before anything is moved.
        tried = Book(fresh)
        tried.entries(most=1)
        tried.close()
        aside = _aside(place)
        fresh.replace(place)
    except FileError as error:
        text = str(error).replace(str(fresh), str(source))
        raise FileError("{text}", text=text) from error
    except OSError as error:
        raise FileError("{path}: cannot be put there: {why}", path=place, why=error.strerror or error) from error
    finally:
        for path in (fresh, *(Path(f"{fresh}{end}") for end in _BESIDE)):
            path.unlink(missing_ok=True)
    return aside


def _copied(source: Path, fresh: Path) -> None:
    """All that a book holds, with what still lies in the files beside it."""
    try:
        old = sqlite3.connect(f"{source.resolve().as_uri()}?mode=ro", uri=True)
        new = sqlite3.connect(fresh)
        try:
            old.backup(new)
        finally:
            old.close()
            new.close()
    except sqlite3.OperationalError as error:
        raise FileError("{path}: cannot be read or copied: {why}", path=source, why=error) from error
    except sqlite3.DatabaseError as error:
        raise FileError("{path}: this is no book, or it is damaged", path=source) from error


def _aside(place: Path) -> Path | None:
    """Copy the book that is there, everything in one file; where the copy lies."""
    if not place.exists():
        return None
    number = 1
    while (aside := place.with_name(f"{place.stem}-before-{number}{place.suffix}")).exists():
        number += 1
    try:
        now = Book(place)
        now.copy_to(aside)
        now.close()
    except FileError:
        # A damaged one is kept as it is.
        place.replace(aside)
    # The book itself stays until the other is put over it: a kill in between leaves one or the other.
    for end in _BESIDE:
        Path(f"{place}{end}").unlink(missing_ok=True)
    return aside
