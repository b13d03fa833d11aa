"""The calendar entry by the rules of RFC 5545."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from tests.conftest import a_lens, make_plan
from verispect.errors import PlanError
from verispect.plan.document import Site
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.shoot.calendar_file import calendar_entry


def entry(title: str, **site) -> str:
    plan = make_plan([(0.0, 1.5, 3.0)], lenses=[a_lens(24.0)])
    placed = Site.model_validate({"latitude_deg": 46.5, "longitude_deg": 8.25, **site}) if site else None
    plan = plan.model_copy(update={"title": title, "site": placed})
    return calendar_entry(worked("one-frame", build_scene(plan)), now=datetime(2027, 1, 1, tzinfo=UTC))


def unfolded(text: str) -> dict[str, str]:
    lines = text.replace("\r\n ", "").split("\r\n")
    return dict(line.split(":", 1) for line in lines if line)


def test_lines_are_short_and_end_as_the_rules_have_it() -> None:
    text = entry("Ä very long title " * 12, **{"from": "2027-03-14T17:00+01:00", "to": "2027-03-14T18:30+01:00"})
    assert text.endswith("END:VCALENDAR\r\n")
    assert "\n" not in text.replace("\r\n", "")
    assert max(len(line.encode()) for line in text.split("\r\n")) <= 75
    found = unfolded(text)
    assert (found["DTSTART"], found["DTEND"]) == ("20270314T160000Z", "20270314T173000Z")
    assert found["SUMMARY"] == "Ä very long title " * 12


def test_marks_of_the_format_are_escaped() -> None:
    found = unfolded(entry("a;b,c\\d\nEND:VCALENDAR", **{"from": "2027-03-14T16:00Z"}))
    assert found["SUMMARY"] == "a\\;b\\,c\\\\d\\nEND:VCALENDAR"


def test_without_an_end_it_lasts_as_long_as_the_work() -> None:
    found = unfolded(entry("x", **{"from": "2027-03-14T16:00Z"}))
    assert found["DTSTART"] < found["DTEND"] <= "20270314T170000Z"


def test_without_a_time_it_says_so() -> None:
    with pytest.raises(PlanError, match="first frame"):
        entry("x")
