"""The book: one SQLite file with the jobs done and the shelf of kit, brought to the present form when opened."""

from __future__ import annotations

import json
import math
import uuid as uuids
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import JSON, and_, create_engine, delete, event, or_, select
from sqlalchemy.engine import Engine
from sqlalchemy.exc import DatabaseError, OperationalError, SQLAlchemyError
from sqlalchemy.orm import Session, defer, load_only

from verispect.errors import FileError
from verispect.keep.tables import EntryRow, ShelfRow

FORMAT, VERSION = "verispect-log", 1
KINDS = ("body", "lens", "head", "rail", "kit")
_WAIT_MS = 4000


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
                 " · ".join(part for part in (*times, promised) if part)]  # fmt: skip
        return [line for line in lines if line]


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
            session.add(EntryRow(**{**entry.__dict__, "words": _words(entry)}))
        return True

    def entries(self, find: str = "", *, most: int = 10_000) -> list[Entry]:
        """Jobs, the newest first, without plan, run and picture; those that hold every word of `find`."""
        wanted = select(EntryRow).options(load_only(*(getattr(EntryRow, name) for name in _LISTED)))
        for word in find.lower().split():
            wanted = wanted.where(EntryRow.words.contains(word, autoescape=True))
        with self._told(), Session(self._engine) as session:
            rows = session.scalars(wanted.order_by(EntryRow.created.desc()).limit(most)).all()
            return [Entry(**{name: getattr(row, name) for name in _LISTED}) for row in rows]

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
        return sum(self.add(_of_dict(part, name)) for part in content["entries"])

    # Shelf -----------------------------------------------------------------------------------------

    def keep(self, kind: str, name: str, content: dict[str, Any]) -> Item:
        """Put a piece of kit on the shelf, in place of one of the same kind and name."""
        with self._told(), Session(self._engine) as session, session.begin():
            row = session.scalars(select(ShelfRow).where(ShelfRow.kind == kind, ShelfRow.name == name)).first()
            if row is None:
                row = ShelfRow(uuid=str(uuids.uuid4()), kind=kind, name=name, changed=_now(), content=content)
                session.add(row)
            else:
                row.content, row.changed = content, _now()
            return Item(row.uuid, kind, name, content)

    def shelf(self, kind: str | None = None) -> list[Item]:
        """What lies on the shelf, by kind and name."""
        wanted = select(ShelfRow).order_by(ShelfRow.kind, ShelfRow.name)
        if kind is not None:
            wanted = wanted.where(ShelfRow.kind == kind)
        with self._told(), Session(self._engine) as session:
            return [Item(row.uuid, row.kind, row.name, dict(row.content)) for row in session.scalars(wanted)]

    def put_away(self, uuid: str) -> None:
        """Take a piece off the shelf."""
        with self._told(), Session(self._engine) as session, session.begin():
            session.execute(delete(ShelfRow).where(ShelfRow.uuid == uuid))


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
    "lens",
)  # fmt: skip


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds").replace("+00:00", "Z")


def rows_of(content: Mapping[str, Any] | None, key: str) -> list[dict[str, Any]]:
    """The objects of a list in content that may be from anywhere."""
    found = (content or {}).get(key)
    return [row for row in found if isinstance(row, dict)] if isinstance(found, list) else []


def _words(entry: Entry) -> str:
    parts = [entry.title, entry.method, entry.verdict, entry.place, entry.kit, entry.note, entry.created]
    parts += [str(mark.get("name", "")) for mark in rows_of(entry.plan, "marks")]
    return " ".join(parts).lower()


def _of_row(row: EntryRow) -> Entry:
    names = (*_LISTED, "plan", "run", "check", "picture")
    return Entry(**{name: getattr(row, name) for name in names})


def entry_dict(entry: Entry) -> dict[str, Any]:
    """An entry as JSON; a picture as hexadecimal."""
    found = dict(entry.__dict__)
    found["picture"] = entry.picture.hex() if entry.picture else None
    return found


def _of_dict(content: Any, name: str) -> Entry:
    if not isinstance(content, dict) or not isinstance(content.get("uuid"), str):
        raise FileError("{name}: an entry without uuid; export it again", name=name)
    known = {key: content.get(key) for key in Entry.__dataclass_fields__ if key in content}
    for key in ("created", "title", "method", "verdict", "place", "kit", "note", "lens"):
        known[key] = str(known.get(key) or "")
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
    verdict = ""
    if check is not None:
        verdict = "redo" if check.get("redo") else "good"
    elif run is not None:
        verdict = "shot"
    else:
        verdict = "planned"
    return Entry(
        uuid=str(uuids.uuid4()), created=_now(), title=str(plan.get("title") or ""), method=str(chosen),
        verdict=verdict, place=where, kit=", ".join(name for name in names if name), note=note, planned_s=planned_s,
        taken_s=taken_s, promised=promised, lens=lens, plan=plan, run=run, check=check, picture=picture,
    )  # fmt: skip


def entries_table(entries: Sequence[Entry]) -> str:
    """Jobs for a terminal."""
    lines = [f"{'entry':<10}{'when':<22}{'verdict':<9}{'method':<20}title"]
    lines += [f"{e.uuid[:8]:<10}{e.created:<22}{e.verdict:<9}{e.method:<20}{e.title}" for e in entries]
    return "\n".join(lines)


def read_export(path: Path) -> dict[str, Any]:
    """An export's JSON.

    Raises
    ------
    FileError
        For what cannot be read or is no JSON.
    """
    try:
        content = json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise FileError("{path}: cannot be read: {why}", path=path, why=error.strerror or error) from error
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise FileError("{path}: this is no JSON, or it is cut", path=path) from error
    if not isinstance(content, dict):
        raise FileError("{path}: this is no export of a logbook", path=path)
    return content
