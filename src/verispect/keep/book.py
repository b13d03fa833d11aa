"""The book: one SQLite file with the jobs done and the shelf of kit, brought to the present form when opened."""

from __future__ import annotations

import json
import sqlite3
import uuid as uuids
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import JSON, and_, create_engine, delete, event, or_, select
from sqlalchemy.engine import Engine
from sqlalchemy.exc import DatabaseError, OperationalError, SQLAlchemyError
from sqlalchemy.orm import Session, defer

from verispect.errors import FileError
from verispect.keep.entry import FORMAT, VERSION, Entry, entry_dict, entry_from, now, tidy_tags, words_of
from verispect.keep.tables import EntryRow, ShelfRow

_WAIT_MS = 4000


@dataclass(frozen=True)
class Item:
    """One piece of kit on the shelf."""

    uuid: str
    kind: str
    name: str
    content: dict[str, Any]


def usual_place() -> Path:
    """Where the book lies by the XDG rules."""
    from platformdirs import user_data_path

    return user_data_path("verispect") / "book.sqlite"


class Book:
    """An open book.

    Raises
    ------
    FileError
        On opening or later, where the file is damaged, locked, newer, or cannot be written: what, where, what
        would be right. The file is then as it was.
    """

    def __init__(self, path: Path | None = None) -> None:
        self.path = path or usual_place()
        with self._told():
            self.path.parent.mkdir(parents=True, exist_ok=True)
            self._engine = create_engine(f"sqlite:///{self.path}", connect_args={"timeout": _WAIT_MS / 1000})
            _careful(self._engine)
            self._bring_up()

    def close(self) -> None:
        """Let go of the file."""
        self._engine.dispose()

    def _bring_up(self) -> None:
        from alembic import command
        from alembic.config import Config
        from alembic.script import ScriptDirectory
        from alembic.util.exc import CommandError

        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        head = ScriptDirectory.from_config(config).get_current_head()
        with self._engine.begin() as connection:
            known = connection.exec_driver_sql(
                "select count(*) from sqlite_master where type = 'table' and name = 'alembic_version'"
            ).scalar()
            now = connection.exec_driver_sql("select version_num from alembic_version").scalar() if known else None
            if now == head:
                return
            config.attributes["connection"] = connection
            try:
                command.upgrade(config, "head")
            except CommandError as error:
                raise FileError(
                    "{path}: this book was written by a newer Verispect; use that one, or name another with --book",
                    path=self.path,
                ) from error

    @contextmanager
    def _told(self) -> Iterator[None]:
        """Errors of the database in one sentence."""
        try:
            yield
        except OperationalError as error:
            text = str(error.orig).lower()
            if "locked" in text or "busy" in text:
                why = "another program is writing to it; try again"
            elif "readonly" in text or "unable to open" in text:
                why = "it cannot be written; choose a place you may write to with --book"
            elif "full" in text:
                why = "the disk is full; free some space, nothing was lost"
            else:
                why = f"{error.orig}; name another with --book"
            raise FileError("{path}: {why}", path=self.path, why=why) from error
        except DatabaseError as error:
            raise FileError(
                "{path}: this is no book, or it is damaged; put it aside and bring back a copy", path=self.path
            ) from error
        except SQLAlchemyError as error:
            raise FileError("{path}: {why}", path=self.path, why=str(error).splitlines()[0]) from error
        except OSError as error:
            raise FileError(
                "{path}: cannot be written: {why}; choose another place with --book", path=self.path,
                why=error.strerror or error,
            ) from error  # fmt: skip

    # Jobs ------------------------------------------------------------------------------------------

    def add(self, entry: Entry) -> bool:
        """Put a job in; False where it is there already."""
        with self._told(), Session(self._engine) as session, session.begin():
            if session.get(EntryRow, entry.uuid) is not None:
                return False
            session.add(EntryRow(**{**entry.__dict__, "words": words_of(entry)}))
        return True

    def entries(self, find: str = "", *, most: int = 10_000) -> list[Entry]:
        """Jobs, the newest first, without plan, run and picture; those that hold every word of `find`."""
        wanted = select(*(getattr(EntryRow, name) for name in _LISTED))
        for word in find.lower().split():
            wanted = wanted.where(EntryRow.words.contains(word, autoescape=True))
        with self._told(), Session(self._engine) as session:
            rows = session.execute(wanted.order_by(EntryRow.created.desc()).limit(most)).all()
            return [Entry(**dict(zip(_LISTED, row, strict=True))) for row in rows]

    def entry(self, uuid: str) -> Entry:
        """A job by its uuid, or by the beginning of it that no other shares.

        Raises
        ------
        FileError
            Where there is none, or more than one.
        """
        with self._told(), Session(self._engine) as session:
            rows = session.scalars(
                select(EntryRow).where(EntryRow.uuid.startswith(uuid, autoescape=True)).limit(2)
            ).all()
            if len(rows) != 1:
                raise FileError(
                    "{uuid!r}: {found} such entry in {path}; verispect log list shows them", uuid=uuid,
                    found="no" if not rows else "more than one", path=self.path,
                )  # fmt: skip
            return _of_row(rows[0])

    def retell(
        self, uuid: str, *, note: str | None = None, tags: str | None = None, picture: bytes | None = None
    ) -> Entry | None:
        """Change note, tags or picture; the entry as it was before, None where it is gone."""
        with self._told(), Session(self._engine) as session, session.begin():
            row = session.get(EntryRow, uuid)
            if row is None:
                return None
            before = _of_row(row)
            row.note = row.note if note is None else note
            row.tags = row.tags if tags is None else tidy_tags(tags)
            row.picture = row.picture if picture is None else picture
            row.words = words_of(_of_row(row))
        return before

    def remove(self, uuid: str) -> Entry | None:
        """Take a job out and give it back, so that it can be put in again."""
        with self._told(), Session(self._engine) as session, session.begin():
            row = session.get(EntryRow, uuid)
            if row is None:
                return None
            gone = _of_row(row)
            session.delete(row)
        return gone

    def proved(self) -> list[Entry]:
        """Jobs that were checked or timed, whole, the oldest first."""
        wanted = select(EntryRow).options(defer(EntryRow.picture), defer(EntryRow.run))
        checked = and_(EntryRow.check.is_not(None), EntryRow.check != JSON.NULL)
        wanted = wanted.where(or_(checked, EntryRow.taken_s.is_not(None)))
        with self._told(), Session(self._engine) as session:
            rows = session.scalars(wanted.order_by(EntryRow.created)).all()
            return [Entry(**{name: getattr(row, name) for name in (*_LISTED, "plan", "check")}) for row in rows]

    def plans(self, *, most: int) -> list[dict[str, Any]]:
        """Plans of the newest jobs, each once however often it was logged."""
        wanted = select(EntryRow.plan).where(EntryRow.plan.is_not(None), EntryRow.plan != JSON.NULL)
        found: dict[str, dict[str, Any]] = {}
        with self._told(), Session(self._engine) as session:
            for plan in session.scalars(wanted.order_by(EntryRow.created.desc())):
                if isinstance(plan, dict):
                    found.setdefault(json.dumps([plan.get("title"), plan.get("marks")], sort_keys=True), dict(plan))
                if len(found) >= most:
                    break
        return list(found.values())

    def exported(self) -> dict[str, Any]:
        """The whole book of jobs as JSON."""
        with self._told(), Session(self._engine) as session:
            rows = session.scalars(select(EntryRow).order_by(EntryRow.created)).all()
            return {"format": FORMAT, "version": VERSION, "entries": [entry_dict(_of_row(row)) for row in rows]}

    def bring_in(self, content: dict[str, Any], *, name: str) -> int:
        """Add what an export holds and the book does not; how many that were."""
        if content.get("format") != FORMAT or not isinstance(content.get("entries"), list):
            raise FileError('{name}: this is no export of a logbook; its "format" must be "{format}"', name=name,
                            format=FORMAT)  # fmt: skip
        if not isinstance(content.get("version"), int) or content["version"] > VERSION:
            raise FileError("{name}: written by a newer Verispect", name=name)
        return sum(self.add(entry_from(part, name)) for part in content["entries"])

    # Copies ----------------------------------------------------------------------------------------

    def copy_to(self, target: Path) -> None:
        """The whole book, jobs and shelf, as another file; what is written meanwhile is in it or not, never half."""
        with self._told():
            source = self._engine.raw_connection()
            try:
                fresh = sqlite3.connect(target)
                try:
                    source.driver_connection.backup(fresh)  # type: ignore[union-attr]
                    # A book by itself, without files beside it.
                    fresh.execute("pragma journal_mode = delete")
                finally:
                    fresh.close()
            except sqlite3.Error as error:
                raise FileError("{path}: cannot be written: {why}", path=target, why=error) from error
            finally:
                source.close()

    # Shelf -----------------------------------------------------------------------------------------

    def keep(self, kind: str, name: str, content: dict[str, Any]) -> Item:
        """Put a piece of kit on the shelf, in place of one of the same kind and name."""
        with self._told(), Session(self._engine) as session, session.begin():
            return _keep(session, kind, name, content)

    def shelf(self, kind: str | None = None) -> list[Item]:
        """What lies on the shelf, by kind and name."""
        wanted = select(ShelfRow).order_by(ShelfRow.kind, ShelfRow.name)
        if kind is not None:
            wanted = wanted.where(ShelfRow.kind == kind)
        with self._told(), Session(self._engine) as session:
            return [Item(row.uuid, row.kind, row.name, dict(row.content)) for row in session.scalars(wanted)]

    def keep_all(self, pieces: Iterable[tuple[str, str, dict[str, Any]]]) -> None:
        """Put pieces on the shelf, by kind, name and content, all or none."""
        with self._told(), Session(self._engine) as session, session.begin():
            for kind, name, content in pieces:
                _keep(session, kind, name, content)

    def put_away(self, uuid: str) -> None:
        """Take a piece off the shelf."""
        with self._told(), Session(self._engine) as session, session.begin():
            session.execute(delete(ShelfRow).where(ShelfRow.uuid == uuid))


def _keep(session: Session, kind: str, name: str, content: dict[str, Any]) -> Item:
    row = session.scalars(select(ShelfRow).where(ShelfRow.kind == kind, ShelfRow.name == name)).first()
    if row is None:
        row = ShelfRow(uuid=str(uuids.uuid4()), kind=kind, name=name, changed=now(), content=content)
        session.add(row)
    else:
        row.content, row.changed = content, now()
    return Item(row.uuid, kind, name, content)


def _careful(engine: Engine) -> None:
    """Written through at every commit, and others may read meanwhile."""

    @event.listens_for(engine, "connect")
    def on_connect(connection: Any, _record: Any) -> None:
        cursor = connection.cursor()
        cursor.execute("pragma journal_mode = wal")
        cursor.execute("pragma synchronous = full")
        cursor.execute(f"pragma busy_timeout = {_WAIT_MS}")
        cursor.close()


_LISTED = (
    "uuid", "created", "title", "method", "verdict", "place", "kit", "note", "planned_s", "taken_s", "promised",
    "lens", "tags",
)  # fmt: skip


def _of_row(row: EntryRow) -> Entry:
    names = (*_LISTED, "plan", "run", "check", "picture")
    return Entry(**{name: getattr(row, name) for name in names})
