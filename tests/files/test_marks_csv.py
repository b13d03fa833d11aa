"""Marks as CSV and GPX: any order and unit, row by row errors, broken files, round trips."""

from __future__ import annotations

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import make_plan
from verispect.errors import FileError, PlanError
from verispect.files.gpx import marks_from_gpx, marks_to_gpx
from verispect.files.marks_csv import marks_from_csv, marks_to_csv
from verispect.plan.document import Plan, Site
from verispect.subject.mark import Mark


def test_any_order_and_unit() -> None:
    text = "Away [ft];Notes;NAME;up [cm];across [mm];need;speed [m/s]\n10;x;Kerb;30;-400;should;0,5\n"
    found = marks_from_csv(text, name="t.csv")
    [mark] = found.marks
    assert not found.complaints
    assert (mark.name, mark.need) == ("Kerb", "should")
    assert (mark.x_m, mark.y_m, mark.z_m) == pytest.approx((-0.4, 0.3, 3.048))
    assert mark.speed_mm_s == 500.0


def test_speeds_in_kilometres_an_hour() -> None:
    """36 km/h are 10 m/s; 18 km/h, said in the cell, 5 m/s."""
    found = marks_from_csv(
        "name,x [m],y [m],z [m],speed [km/h]\na,0,0,5,36\nb,0,0,5,18 km/h\nc,0,0,5,2 m/s\n", name="t.csv"
    )
    assert [mark.speed_mm_s for mark in found.marks] == pytest.approx([10_000.0, 5000.0, 2000.0])


def test_a_table_of_a_spreadsheet_with_a_mark_of_byte_order_and_blank_rows() -> None:
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerows([["name", "x [m]", "y [m]", "z [m]"], ["a, b", 1, 2, 3], ["", "", "", ""], ["c", 4, 5, 6]])
    found = marks_from_csv("\ufeff" + out.getvalue(), name="t.csv")
    assert [mark.name for mark in found.marks] == ["a, b", "c"]


def test_bad_rows_are_told_one_by_one_and_good_ones_taken() -> None:
    rows = ["name,x [m],y [m],z [m],need", "ok,0,0,2,must", "bad,far,0,2,must", "empty,1,,2,must"]
    text = "\n".join([*rows, "need,1,1,1,perhaps", "big,1,1,1e9,may", ""])
    found = marks_from_csv(text, name="t.csv")
    assert [mark.name for mark in found.marks] == ["ok"]
    assert len(found.complaints) == 4
    told = [str(complaint) for complaint in found.complaints]
    assert told[0] == "row 3, x [m]: 'far' is no length; write it like 3.8 m, 380 cm or 12 ft 6 in"
    assert "row 4: y [m] is empty" in told[1]
    assert "row 5, need: found 'perhaps'" in told[2]
    assert "row 6, z [m]: '1e9' is out of range" in told[3]


def test_decimal_commas_that_part_columns_and_points_beside_them_are_asked() -> None:
    """A row with more cells than headings, and 2.500 where other numbers have a decimal comma."""
    found = marks_from_csv("name,x [m],y [m],z [m]\nDoor,1,5,0,2,3,0\nPost,1,0,2\n", name="t.csv")
    assert [mark.name for mark in found.marks] == ["Post"]
    assert "row 2: 7 cells under 4 headings" in str(found.complaints[0])
    found = marks_from_csv("name;x [m];y [m];z [m]\nDoor;1,5;0;2.500\nPost;1,5;0;2,500\n", name="t.csv")
    assert [(mark.name, mark.z_m) for mark in found.marks] == [("Post", 2.5)]
    assert "write 2500 or 2.5000" in str(found.complaints[0])


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "the table is empty"),
        ("name,x [m],y [m]\n", "needs across, up and away"),
        ("x [furlong],y [m],z [m]\n", "unit 'furlong'; km, mi, m, yd, ft, in, cm, mm, um would be right"),
        ('name,x [m],y [m],z [m]\n"' + "a" * 200_000, "no CSV table"),
    ],
)
def test_what_is_no_table_is_refused_in_one_sentence(text, said) -> None:
    with pytest.raises(FileError, match=said) as caught:
        marks_from_csv(text, name="t.csv")
    assert "\n" not in str(caught.value)


MARKS = st.builds(
    Mark,
    name=st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs", "Zs")), min_size=1, max_size=20),
    x_m=st.floats(-1000, 1000), y_m=st.floats(-100, 100), z_m=st.floats(0.1, 1000),
    need=st.sampled_from(["must", "should", "may", "soft"]), weight=st.floats(0.1, 10),
    speed_mm_s=st.floats(0, 100), plus_minus_m=st.floats(0, 10), reading_ev100=st.none() | st.floats(-12, 27),
)  # fmt: skip


@given(st.lists(MARKS, max_size=6))
def test_csv_is_a_round_trip(marks) -> None:
    found = marks_from_csv(marks_to_csv(tuple(marks)), name="t.csv")
    assert not found.complaints
    assert [(m.name, m.need) for m in found.marks] == [(m.name, m.need) for m in marks]
    for back, before in zip(found.marks, marks, strict=True):
        assert (back.x_m, back.z_m, back.weight) == pytest.approx((before.x_m, before.z_m, before.weight), rel=1e-10)


def sited() -> Plan:
    plan = make_plan([(1.0, 2.0, 30.0), (-400.0, 60.0, 900.0)])
    site = Site(latitude_deg=46.0, longitude_deg=7.5, elevation_m=600.0, away_azimuth_deg=120.0)
    return plan.model_copy(update={"site": site})


def test_gpx_is_a_round_trip() -> None:
    found = marks_from_gpx(marks_to_gpx(sited()), sited(), name="t.gpx")
    for back, before in zip(found.marks, sited().marks, strict=True):
        assert (back.x_m, back.y_m, back.z_m) == pytest.approx((before.x_m, before.y_m, before.z_m), abs=0.01)
        assert back.name == before.name


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (b"", "no whole GPX"),
        (b"<gpx><wpt lat='1' lon='2'>", "no whole GPX"),
        (b"<kml/>", "begins with <gpx>"),
        (b"<!DOCTYPE a [<!ENTITY b 'c'>]><gpx/>", "no document type"),
    ],
)
def test_broken_gpx_is_refused_in_one_sentence(content, said) -> None:
    with pytest.raises(FileError, match=said):
        marks_from_gpx(content, sited(), name="t.gpx")


def test_a_bad_waypoint_is_told_and_a_plan_without_a_site_too() -> None:
    content = b"<gpx><wpt lat='95' lon='7'/><wpt lat='46.001' lon='7.5'><name>Oak</name></wpt></gpx>"
    found = marks_from_gpx(content, sited(), name="t.gpx")
    assert [mark.name for mark in found.marks] == ["Oak"]
    assert found.marks[0].y_m == pytest.approx(0.0, abs=0.01)
    assert "waypoint 1, latitude_deg: found '95'" in str(found.complaints[0])
    bare = make_plan([(0, 1, 2)])
    with pytest.raises(PlanError, match="where the camera stands"):
        marks_from_gpx(content, bare, name="t.gpx")
    with pytest.raises(FileError, match="has no site"):
        marks_to_gpx(bare)
