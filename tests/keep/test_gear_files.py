"""Gear handed on and taken in: every figure goes round, and what is wrong is one sentence and takes nothing."""

from __future__ import annotations

import contextlib
import csv
import io
import json
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from verispect.errors import FileError
from verispect.keep.book import Item
from verispect.keep.gear_files import gear_csv, gear_json, pieces_of, read_gear, with_piece
from verispect.kit.equipment import Body, Flash, Head, Kit, Rail, Tripod
from verispect.kit.lens import Lens
from verispect.kit.printed_lens import lens_from_print
from verispect.kit.typical_kit import typical_bodies, typical_lenses


def a_kit() -> Kit:
    return Kit(
        body=typical_bodies()[0], lenses=tuple(typical_lenses()), head=Head(off_mm=3.0), rail=Rail(),
        tripod=Tripod(name="Three legs", swing_arcsec=20.0), flash=Flash(name="=flash", recycle_s=2.5),
    )  # fmt: skip


def items(kit: Kit) -> list[Item]:
    return [Item(str(k), *piece) for k, piece in enumerate(pieces_of(kit))]


@pytest.mark.parametrize("name", ["gear.json", "gear.csv"])
def test_a_shelf_goes_round(tmp_path: Path, name: str) -> None:
    path, kept = tmp_path / name, items(a_kit())
    path.write_text(gear_csv(kept) if name.endswith("csv") else gear_json(kept), encoding="utf-8")
    back = read_gear(path)
    assert [(kind, called) for kind, called, _ in back] == [(item.kind, item.name) for item in kept]
    again = Kit(lenses=())
    for number, piece in enumerate(back):
        again = with_piece(again, Item(str(number), *piece))
    assert again.lenses == a_kit().lenses
    assert (again.body, again.tripod, again.flash) == (a_kit().body, a_kit().tripod, a_kit().flash)
    # Frames wait for the flash that was taken.
    assert again.times.flash_recycle_s == 2.5


def test_a_spreadsheet_sees_text_and_numbers() -> None:
    rows = list(csv.DictReader(io.StringIO(gear_csv(items(a_kit())))))
    flash = next(row for row in rows if row["kind"] == "flash")
    assert flash["name"] == "'=flash"
    assert float(flash["recycle_s"]) == 2.5


def test_a_table_typed_by_hand_will_do(tmp_path: Path) -> None:
    path = tmp_path / "mine.csv"
    path.write_text('\ufeffkind,name,focal_mm,f_numbers,closest_m\nlens,Narrow,"[90, 90]","[2.8, 22]",0.9\n')
    [(kind, name, content)] = read_gear(path)
    assert (kind, name) == ("lens", "Narrow")
    assert Lens.model_validate(content).closest_m == 0.9


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        ("a.json", "{", "no JSON"),
        ("a.json", '{"format": "other", "pieces": []}', "no list of gear"),
        ("a.json", '{"format": "verispect-gear", "version": 9, "pieces": []}', "newer"),
        ("a.json", '{"format": "verispect-gear", "version": 1, "pieces": [{"kind": "boat"}]}', "piece 1"),
        ("a.csv", "kind,name,focal_mm\nlens,Narrow,-4\n", "Narrow"),
        ("a.csv", "what,name\nlens,Narrow\n", "columns"),
        ("a.csv", 'kind,name\nlens,"Narr', "no table"),
    ],
)
def test_what_is_wrong_is_one_sentence(tmp_path: Path, name: str, text: str, said: str) -> None:
    (tmp_path / name).write_text(text)
    with pytest.raises(FileError, match=said):
        read_gear(tmp_path / name)


@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.data())
def test_damaged_files_are_read_or_refused(tmp_path: Path, data) -> None:
    kept = [Item("1", "lens", "a", lens_from_print("90 mm f/2.8").model_dump(mode="json")),
            Item("2", "body", "b", Body(name="b").model_dump(mode="json"))]  # fmt: skip
    name = data.draw(st.sampled_from(["g.json", "g.csv"]))
    whole = (gear_csv(kept) if name.endswith("csv") else gear_json(kept)).encode()
    at = data.draw(st.integers(0, len(whole) - 1))
    broken = whole[:at] + data.draw(st.binary(max_size=6)) + whole[at + data.draw(st.integers(0, 9)) :]
    (tmp_path / name).write_bytes(broken)
    with contextlib.suppress(FileError):
        for kind, _, content in read_gear(tmp_path / name):
            json.dumps([kind, content])
