"""The plan's time as a calendar entry (RFC 5545)."""

from __future__ import annotations

import hashlib
from datetime import UTC, datetime, timedelta

from verispect.errors import PlanError
from verispect.plan.methods.candidate import Candidate
from verispect.shoot.sheet_html import counted

_WIDEST = 73


def calendar_entry(candidate: Candidate, *, where: str = "plan", now: datetime | None = None) -> str:
    """An `.ics` of the window of time; the run's own length where no end is given.

    Raises
    ------
    PlanError
        If the plan has no time.
    """
    plan = candidate.scene.plan
    site = plan.site
    if site is None or site.from_ is None:
        raise PlanError(f"{where}: site.from", "nothing", "give the time of the first frame")
    begin = _utc(site.from_)
    end = _utc(site.to) if site.to is not None else begin + timedelta(seconds=candidate.time_on_site_s)
    title = plan.title or "Untitled plan"
    uid = hashlib.sha256(f"{title}{begin}{candidate.key}".encode()).hexdigest()[:24]
    lines = [
        "BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Verispect//EN", "BEGIN:VEVENT", f"UID:{uid}@verispect",
        f"DTSTAMP:{_stamp(now or datetime.now(UTC))}", f"DTSTART:{_stamp(begin)}", f"DTEND:{_stamp(end)}",
        f"SUMMARY:{_escaped(title)}",
        f"DESCRIPTION:{_escaped(f'{candidate.method.name}, {counted(candidate)}')}",
        f"GEO:{site.latitude_deg:.6f};{site.longitude_deg:.6f}", "END:VEVENT", "END:VCALENDAR",
    ]  # fmt: skip
    return "".join(part + "\r\n" for line in lines for part in _folded(line))


def _utc(when: datetime) -> datetime:
    return when.astimezone(UTC) if when.tzinfo is not None else when.replace(tzinfo=UTC)


def _stamp(when: datetime) -> str:
    return when.strftime("%Y%m%dT%H%M%SZ")


def _escaped(text: str) -> str:
    for mark in ("\\", ";", ","):
        text = text.replace(mark, "\\" + mark)
    return text.replace("\r", "").replace("\n", "\\n")


def _folded(line: str) -> list[str]:
    """Lines of at most 75 octets; what follows begins with a space."""
    content, found = line.encode("utf-8"), []
    while len(content) > _WIDEST:
        cut = _WIDEST
        while content[cut] & 0xC0 == 0x80:
            cut -= 1
        found.append(content[:cut].decode())
        content = b" " + content[cut:]
    return [*found, content.decode()]
