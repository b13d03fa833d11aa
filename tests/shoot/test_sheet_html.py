"""The page for a phone: everything in one file, and what users wrote stays text."""

from __future__ import annotations

from html.parser import HTMLParser

import pytest

from tests.conftest import DEMO
from verispect.files.plan_file import read_plan
from verispect.plan.explain.frame_table import frame_rows
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.shoot.sheet_html import sheet_html

EVIL = '<script>alert(1)</script><b onclick="x()">"&\''


class Reader(HTMLParser):
    """Collects tags, their attributes and the text."""

    def __init__(self) -> None:
        super().__init__()
        self.tags: list[tuple[str, dict[str, str | None]]] = []
        self.text = ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append((tag, dict(attrs)))

    def handle_data(self, data: str) -> None:
        self.text += data


def read(page: str) -> Reader:
    reader = Reader()
    reader.feed(page)
    reader.close()
    return reader


def page_of(key: str, **changes) -> str:
    plan = read_plan(DEMO).model_copy(update=changes)
    return sheet_html(worked(key, build_scene(plan)))


def test_everything_is_in_the_one_file() -> None:
    reader = read(page_of("series"))
    for tag, attributes in reader.tags:
        for name in ("src", "href", "action", "data"):
            assert not (attributes.get(name) or "").startswith(("http", "//", "file")), tag
    assert not any(tag in ("link", "img", "iframe") for tag, _ in reader.tags)


def test_every_frame_has_its_row_with_its_focus() -> None:
    candidate = worked("series", build_scene(read_plan(DEMO)))
    page = sheet_html(candidate)
    for row in frame_rows(candidate):
        assert f"{row.focus_m:.2f} m" in page or f"{row.focus_m * 1000:.0f} mm" in page or "∞" in page
    boxes = [a for tag, a in read(page).tags if tag == "input" and a.get("type") == "checkbox"]
    assert len(boxes) >= candidate.frame_count


@pytest.mark.parametrize("key", ["series", "tilt"])
def test_what_users_wrote_is_text_and_never_markup(key: str) -> None:
    plan = read_plan(DEMO)
    lenses = [lens.model_copy(update={"name": EVIL}) for lens in plan.kit.lenses]
    body = plan.kit.body.model_copy(update={"name": EVIL})
    marks = tuple(mark.model_copy(update={"name": EVIL + str(k)}) for k, mark in enumerate(plan.marks))
    kit = plan.kit.model_copy(update={"lenses": tuple(lenses), "body": body})
    plain, evil = read(page_of(key)), read(page_of(key, title=EVIL, kit=kit, marks=marks))
    assert [tag for tag, _ in evil.tags] == [tag for tag, _ in plain.tags]
    assert not any(name.startswith("on") and value == "x()" for _, a in evil.tags for name, value in a.items())
    assert EVIL in evil.text


def test_cautions_are_on_the_page() -> None:
    assert "Sun" in read(page_of("series")).text


def test_ticks_belong_to_this_plan_alone() -> None:
    """Two plans on one phone do not share their ticks."""
    assert key_of(page_of("series")) != key_of(page_of("series", title="Another"))
    assert key_of(page_of("series")) == key_of(page_of("series"))


def key_of(page: str) -> str:
    import re

    found = re.search(r"[0-9a-f]{16}", page)
    assert found is not None
    return found.group()
