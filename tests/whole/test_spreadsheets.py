"""Tables as spreadsheets write them, in several tongues and encodings (written here by the csv module)."""

from __future__ import annotations

import csv
import io

import pytest

from verispect.errors import FileError
from verispect.files.marks_csv import marks_from_csv, text_of_table


def written(rows, **options) -> str:
    out = io.StringIO()
    csv.writer(out, **options).writerows(rows)
    return out.getvalue()


def places(text: str):
    found = marks_from_csv(text, name="t.csv")
    assert not found.complaints, [str(told) for told in found.complaints]
    return [(mark.name, round(mark.x_m, 9), round(mark.y_m, 9), round(mark.z_m, 9)) for mark in found.marks]


HEADERS = [
    ["name", "x [m]", "y [m]", "z [m]"],
    ["Name", "X (m)", "Y (m)", "Z (m)"],
    ["name", "x_m", "y_m", "z_m"],
    ["name", "across in metres", "up in meters", "away in m"],
    ["MARK", "side, m", "height, m", "distance, m"],
    ["name", "x m", "y m", "z m"],
]


@pytest.mark.parametrize("header", HEADERS, ids=lambda header: header[1])
def test_units_in_headers_of_many_styles(header) -> None:
    text = written([header, ["kerb", "-0.4", "0", "2.5"]])
    assert places(text) == [("kerb", -0.4, 0.0, 2.5)]
    assert marks_from_csv(text, name="t.csv").notes == ()


@pytest.mark.parametrize(
    ("header", "away"),
    [("away [mm]", 0.0025), ("z_ft", 0.762), ("z (feet)", 0.762), ("z_cm", 0.025), ("z yd", 2.286)],
)
def test_units_other_than_metres_are_reckoned(header, away) -> None:
    assert places(written([["x [m]", "y [m]", header], ["0", "0", "2.5"]]))[0][3] == pytest.approx(away)


def test_a_table_without_units_is_taken_in_metres_and_that_is_said() -> None:
    found = marks_from_csv("name,x,y,z,speed,detail\na,1,2,3,5,0.5\n", name="t.csv")
    assert len(found.marks) == 1
    assert found.marks[0].detail_mm == 0.5
    assert [str(note) for note in found.notes] == [
        "x, y, z: no unit is named, m taken",
        "speed: no unit is named, mm/s taken",
        "detail: no unit is named, mm taken",
    ]
    keys = marks_from_csv("name,x_m,y_m,z_m,speed_mm_s,detail_mm\na,1,2,3,5,0.5\n", name="t.csv")
    assert keys.marks == found.marks
    assert keys.notes == ()


def test_titles_above_units_below_the_header_and_columns_of_others() -> None:
    rows = [
        ["Survey of the forecourt", "", "", "", ""],
        [],
        ["no.", "name", "across", "up", "away"],
        ["", "", "cm", "cm", "ft"],
        ["1", "kerb", "-40", "0", "10"],
        ["2", "door", "120", "210", "40"],
        ["", "", "", "", ""],
    ]
    assert places(written(rows)) == [("kerb", -0.4, 0.0, 3.048), ("door", 1.2, 2.1, 12.192)]


@pytest.mark.parametrize(
    ("cell", "value"),
    [("2,5", 2.5), ("1\u00a0234,5", 1234.5), ("1.234,5", 1234.5), ("1 234", 1234.0), ("−3,25", -3.25),
     ("2,5 cm", 0.025), ("1’000", 1000.0), ("12 ft", 3.6576), ("1e1", 10.0), (".5", 0.5),
     ("12' 6\"", 3.81), ("-1 ft 3.5 in", -0.3937), ("5′10″", 1.778)],
)  # fmt: skip
def test_numbers_with_decimal_commas_thousands_and_units(cell, value) -> None:
    text = written([["name", "x [m]", "y [m]", "z [m]"], ["a", cell, "0", "3"]], delimiter=";")
    assert places(text)[0][1] == pytest.approx(value)


def test_with_commas_between_columns_a_comma_in_a_number_must_be_clear() -> None:
    text = written([["x [m]", "y [m]", "z [mm]"], ["0", "0", "1,234.5"], ["0", "0", "1,234"], ["0", "2,5", "9000"]])
    found = marks_from_csv(text, name="t.csv")
    assert [mark.z_m for mark in found.marks] == pytest.approx([1.2345, 9.0])
    assert found.marks[1].y_m == 2.5
    assert [str(told) for told in found.complaints] == [
        "row 3, z [mm]: '1,234' may be a thousand or a decimal comma; write 1234 or 1.2340"
    ]


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_encodings_of_spreadsheets(encoding) -> None:
    text = written([["name", "x [m]", "y [m]", "z [m]", "± [m]"], ["Tür", "1", "2", "3", "0.1"]], delimiter="\t")
    [mark] = marks_from_csv(text_of_table(text.encode(encoding), name="t.csv"), name="t.csv").marks
    assert (mark.name, mark.plus_minus_m) == ("Tür", 0.1)


def test_a_hint_of_the_separator_and_rows_counted_from_the_top() -> None:
    text = "sep=;\r\nname;x [m];y [m];z [m]\r\na;1;2;3\r\nb;1;two;3\r\n"
    found = marks_from_csv(text, name="t.csv")
    assert [mark.name for mark in found.marks] == ["a"]
    assert str(found.complaints[0]) == "row 4, y [m]: 'two' is no length; write it like 3.8 m, 380 cm or 12 ft 6 in"


def test_need_in_capitals_is_understood_and_twin_columns_are_not() -> None:
    found = marks_from_csv("x [m],y [m],z [m],Need\n0,0,3,MUST\n0,0,4,Soft\n", name="t.csv")
    assert [mark.need for mark in found.marks] == ["must", "soft"]
    with pytest.raises(FileError, match=r"'away \[m\]' and 'z \[m\]' mean the same"):
        marks_from_csv("x [m],y [m],away [m],z [m]\n0,0,3,3\n", name="t.csv")


@pytest.mark.parametrize("content", [b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR", b"PK\x03\x04\0\0\0\0", bytes(range(256))])
def test_what_is_no_text_is_refused(content) -> None:
    with pytest.raises(FileError, match="this is no text"):
        text_of_table(content, name="t.csv")
