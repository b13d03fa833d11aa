"""The book's tables: jobs done, and the shelf of kit."""

from __future__ import annotations

from sqlalchemy import JSON, Float, LargeBinary, String, Text
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """Of all tables."""


class EntryRow(Base):
    """One job: what was planned, shot and proved."""

    __tablename__ = "entries"

    uuid: Mapped[str] = mapped_column(String(36), primary_key=True)
    created: Mapped[str] = mapped_column(String(40), index=True)
    title: Mapped[str] = mapped_column(Text, default="")
    method: Mapped[str] = mapped_column(String(40), default="")
    verdict: Mapped[str] = mapped_column(String(20), default="")
    place: Mapped[str] = mapped_column(Text, default="")
    kit: Mapped[str] = mapped_column(Text, default="")
    note: Mapped[str] = mapped_column(Text, default="")
    planned_s: Mapped[float | None] = mapped_column(Float, default=None)
    taken_s: Mapped[float | None] = mapped_column(Float, default=None)
    promised: Mapped[float | None] = mapped_column(Float, default=None)
    lens: Mapped[str] = mapped_column(Text, default="")
    tags: Mapped[str] = mapped_column(Text, default="")
    plan: Mapped[dict[str, object] | None] = mapped_column(JSON, default=None)
    run: Mapped[dict[str, object] | None] = mapped_column(JSON, default=None)
    check: Mapped[dict[str, object] | None] = mapped_column(JSON, default=None)
    picture: Mapped[bytes | None] = mapped_column(LargeBinary, default=None)
    # All of the above that is words, in lower case, for the search.
    words: Mapped[str] = mapped_column(Text, default="")


class ShelfRow(Base):
    """One piece of kit that is really there."""

    __tablename__ = "shelf"

    uuid: Mapped[str] = mapped_column(String(36), primary_key=True)
    kind: Mapped[str] = mapped_column(String(20), index=True)
    name: Mapped[str] = mapped_column(Text)
    changed: Mapped[str] = mapped_column(String(40))
    content: Mapped[dict[str, object]] = mapped_column(JSON)
