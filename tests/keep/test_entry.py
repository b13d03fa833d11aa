"""One job as JSON, as a line of a table and of a spreadsheet."""

from __future__ import annotations

import csv
import io

import pytest
from geographiclib.geodesic import Geodesic
from hypothesis import assume, given
from hypothesis import strategies as st

from verispect.keep.entry import away_km, entries_csv, entries_table, entry_dict, entry_from, entry_of, tidy_tags


@given(st.lists(st.text(st.characters(blacklist_categories=("Cs",)), max_size=20), max_size=6))
def test_tags_are_each_once_and_stay_so(words: list[str]) -> None:
    kept = tidy_tags(words)
    assert tidy_tags(kept) == kept
    parts = kept.split(", ") if kept else []
    assert len(set(parts)) == len(parts)
    wanted = {part.strip() for word in words for part in word.split(",")} - {""}
    assert set(tidy_tags(words).split(", ")) - {""} == wanted


def test_tags_go_through_json_and_back() -> None:
    entry = entry_of({"title": "Weir"}, tags=["night", "client A"])
    told = entry_dict(entry)
    assert told["tags"] == ["night", "client A"]
    assert entry_from(told, "x") == entry
    # From a book of before, and from one that was written by hand.
    assert entry_from({"uuid": "a"}, "x").tags == ""
    assert entry_from({"uuid": "a", "tags": 5}, "x").tags == ""


def test_a_spreadsheet_gets_text_and_no_formula() -> None:
    entry = entry_of({"title": "=1+1", "site": {"latitude_deg": -33.5, "longitude_deg": 18.25}}, note='a "b", c\nd',
                     planned_s=90.5)  # fmt: skip
    rows = list(csv.DictReader(io.StringIO(entries_csv([entry]))))
    assert len(rows) == 1
    assert rows[0]["title"] == "'=1+1"
    assert rows[0]["note"] == 'a "b", c\nd'
    assert float(rows[0]["planned_s"]) == 90.5
    assert rows[0]["taken_s"] == ""
    # A place in the south begins with a sign, and is text as well.
    assert rows[0]["place"].lstrip("'") == "-33.5000, 18.2500"


def test_distances_are_those_over_the_ground() -> None:
    # One degree of the meridian at the equator is 110.574 km on WGS 84 (Karney 2013; from memory).
    assert away_km(["1.0, 20.0"], 0.0, 20.0) == pytest.approx([110.574], abs=0.02)
    assert away_km(["0.0, 179.9"], 0.0, -179.9) == pytest.approx([22.264], abs=0.001)
    assert away_km(["", "a, b", "1,2,3"], 0.0, 0.0) == [None, None, None]
    assert away_km(["0.0, 0.0"], 0.0, 0.0) == [0.0]
    table = entries_table([entry_of({"title": "Weir"}, tags="dawn")], [12.345])
    assert "12.3" in table
    assert "[dawn]" in table


@given(st.floats(-80, 80), st.floats(-180, 180), st.floats(-80, 80), st.floats(-170, 170))
def test_distances_agree_with_the_geodesic(latitude: float, longitude: float, other: float, turn: float) -> None:
    """Against geographiclib's geodesic (Karney 2013), nearly antipodes left out."""
    there = ((longitude + turn + 180.0) % 360.0) - 180.0
    [found] = away_km([f"{other}, {there}"], latitude, longitude)
    geodesic = Geodesic.WGS84.Inverse(latitude, longitude, other, there)["s12"] / 1000.0
    assume(geodesic < 17_000.0)
    assert found == pytest.approx(geodesic, rel=1e-4, abs=1e-3)
