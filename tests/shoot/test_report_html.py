"""The page for a client: what was planned and proved stands in it, text stays text, figures are the check's."""

from __future__ import annotations

from typing import Any

import pytest

from tests.conftest import DEMO
from tests.shoot.test_sheet_html import EVIL, read
from verispect.files.plan_file import read_plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.shoot.report_html import entry_html, report_html, verdict_of

CHECK: dict[str, Any] = {
    "frames": [
        {"file": "a.tif", "verdict": "good", "faults": []},
        {"file": None, "verdict": "redo", "faults": [{"says": "missing"}]},
    ],
    "marks": [
        {"name": "Gate", "softness": 0.5, "plus_minus": 0.25, "planned_softness": 0.8, "verdict": "sharp",
         "distance_m": 4.321, "distance_plus_minus_m": 0.05},
        {"name": "Wall", "softness": None, "plus_minus": None, "planned_softness": None, "verdict": "cannot-say"},
        {"name": "Sky", "softness": 9.0, "plus_minus": 0.5, "planned_softness": 3.0, "verdict": "soft"},
    ],
    "redo": ["frame 2 again"], "advice": ["dust cannot be told"],
}  # fmt: skip


def test_a_mark_s_scale_shows_what_was_measured_and_planned() -> None:
    """120 pixels for softness 0 to 2: 0.25 lies at 15, 0.75 at 45, the plan's 0.8 at 48; beyond stays at the end."""
    page = read(report_html(CHECK))
    lines = [attrs for tag, attrs in page.tags if tag == "line" and attrs.get("class") == "bar"]
    assert [(line["x1"], line["x2"]) for line in lines] == [("15.0", "45.0"), ("120.0", "122.0")]
    ticks = [attrs["x1"] for tag, attrs in page.tags if tag == "line" and attrs.get("stroke-width") == "2"]
    assert ticks == ["48.0", "120.0"]
    for text in ("4.32 ± 0.05 m", "0.50 ± 0.25", "(missing)", "frame 2 again", "dust cannot be told"):
        assert text in page.text


@pytest.mark.parametrize(
    ("needs", "words"),
    [
        ({"Sky": "soft", "Wall": "may"}, "Everything that must be sharp is sharp in the frames. Something is to be"),
        ({"Sky": "soft"}, "1 of 2 things that must be sharp are sharp in the frames; of 1 it cannot be told"),
        ({}, "Of 3 things that must be sharp 1 came out soft, 1 sharp; of 1 it cannot be told."),
        ({"Gate": "may", "Sky": "may"}, "Of 1 things that must be sharp it cannot be told"),
        ({"Gate": "may", "Sky": "may", "Wall": "may"}, "2 frames were checked"),
    ],
)
def test_the_verdict_counts_musts_alone(needs: dict[str, str], words: str) -> None:
    assert words in verdict_of(CHECK, needs)
    assert "nothing has been checked" in verdict_of({}, needs)


def test_surfaces_stand_below_the_marks_and_count_by_their_own_need() -> None:
    floor = {"name": "Floor", "need": "must", "told": 40, "soft": 9, "softness": 1.5, "plus_minus": 0.2,
             "planned_softness": 0.7, "verdict": "soft"}  # fmt: skip
    told = CHECK | {"surfaces": [floor, floor | {"name": "Back", "need": "may"}]}
    assert "Of 2 things that must be sharp 1 came out soft" in verdict_of(told, {"Sky": "soft", "Gate": "may"})
    page = read(report_html(told))
    assert page.text.index("Floor") > page.text.index("Sky")
    assert "1.50 ± 0.20" in page.text


def test_it_is_one_file_and_what_users_wrote_stays_text() -> None:
    plan = read_plan(DEMO)
    first = plan.marks[0].model_copy(update={"name": EVIL})
    plan = plan.model_copy(update={"title": EVIL, "marks": (first, *plan.marks[1:])})
    candidate = worked("series", build_scene(plan))
    check = CHECK | {"marks": [{"name": EVIL, "verdict": EVIL, "softness": "x"}], "redo": [EVIL]}
    page = read(report_html(check, candidate=candidate, pictures=[(EVIL, b"\xff\xd8")], notes=[EVIL]))
    assert {tag for tag, _ in page.tags} >= {"table", "img", "svg"}
    assert not any(tag in ("script", "b", "link", "iframe") for tag, _ in page.tags)
    for _, attrs in page.tags:
        assert not any(key.startswith("on") for key in attrs)
        assert not (attrs.get("src") or "data:").startswith("http")
    assert page.text.count("alert(1)") >= 5
    assert candidate.method.name in page.text


def test_a_job_whose_plan_is_damaged_still_has_its_page() -> None:
    page = read(entry_html({"marks": "none"}, CHECK, head=["2027-01-01"], note="mist"))
    assert "Untitled plan" in page.text
    assert "mist" in page.text
    assert "2027-01-01" in page.text
    assert "Yard" in read(entry_html({"title": "Yard"}, None, picture=b"\xff")).text
