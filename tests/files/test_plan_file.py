"""Plans on disk: round trips, and one clear sentence for every kind of bad input."""

from __future__ import annotations

import errno
import json
import os
import stat
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import DEMO, EXAMPLES, ROOT, make_plan
from verispect.cli import main
from verispect.errors import FileError, NewerVersionError, PlanError, VerispectError
from verispect.files.atomic import write_atomically
from verispect.files.plan_file import plan_from_text, plan_to_text, read_newer_plan, read_plan, write_plan
from verispect.plan.document import Plan


def changed(tmp_path: Path, change: Any) -> Path:
    """The demo with something done to its content."""
    content = json.loads(DEMO.read_text())
    change(content)
    path = tmp_path / "changed.verispect"
    path.write_text(json.dumps(content))
    return path


@pytest.mark.parametrize("path", [*EXAMPLES, DEMO], ids=lambda path: path.stem)
def test_plans_round_trip(path: Path) -> None:
    plan = read_plan(path)
    assert plan_from_text(plan_to_text(plan)) == plan


def test_unknown_keys_survive_a_round_trip_at_every_level(tmp_path: Path) -> None:
    def add(content: dict[str, Any]) -> None:
        content["weather"] = {"wind_m_s": 3}
        content["marks"][0]["colour"] = "red"
        content["kit"]["lenses"][0]["serial"] = [1, 2]
        content["wish"]["paper"] = "matt"
        content["site"]["parking"] = True

    back = json.loads(plan_to_text(read_plan(changed(tmp_path, add))))
    assert back["weather"] == {"wind_m_s": 3}
    assert back["marks"][0]["colour"] == "red"
    assert back["kit"]["lenses"][0]["serial"] == [1, 2]
    assert back["wish"]["paper"] == "matt"
    assert back["site"]["parking"] is True


def test_the_minimum_of_the_contract_is_read() -> None:
    content = {
        "format": "verispect-plan", "version": 1, "title": "…",
        "camera": {"height_m": 1.5, "bearing_deg": 0, "pitch_deg": 0, "roll_deg": 0, "framing_mm": 24},
        "marks": [{"name": "near kerb", "x_m": -0.4, "y_m": 0.0, "z_m": 2.1, "need": "must", "weight": 1.0,
                   "speed_mm_s": 0, "detail_mm": None}],
        "site": {"latitude_deg": 47.1, "longitude_deg": 8.3, "elevation_m": 430,
                 "from": "2027-03-14T16:00:00Z", "to": "2027-03-14T18:30:00Z"},
        "kit": {"body": {"sensor_mm": [36.0, 24.0], "pixels": [8256, 5504]},
                "lenses": [{"name": "24 tilt", "focal_mm": [24, 24], "f_numbers": [3.5, 22], "closest_m": 0.21,
                            "closest_from": "sensor", "tilt_deg": 8.5, "shift_mm": 12, "image_circle_mm": 67,
                            "pupil_magnification": 1.0, "principal_separation_mm": 0}],
                "head": {"turns": True}, "rail": None},
        "wish": {"print_mm": [900, 600], "viewing_mm": 600, "line_pairs_per_mm": None, "contrast_floor": 0.2,
                 "rule": "wave", "wavelength_nm": 550, "series_covers": "range", "priority": "least frames"},
    }  # fmt: skip
    plan = plan_from_text(json.dumps(content))
    assert plan.marks[0].z_m == 2.1
    back = json.loads(plan_to_text(plan))
    assert back["site"]["from"] == "2027-03-14T16:00:00Z"
    assert back["kit"]["rail"] is None


def test_schema_in_the_docs_is_that_of_the_code_and_accepts_the_examples() -> None:
    import jsonschema

    from verispect.files.schema import plan_schema

    published = json.loads((ROOT / "docs" / "schema" / "plan-1.schema.json").read_text())
    assert published == plan_schema()
    for path in [*EXAMPLES, DEMO]:
        jsonschema.validate(json.loads(path.read_text()), published)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"format": "verispect-plan", "version": 1, "marks": [{"name": 3}]}, published)


BAD = {
    "wrong type": (lambda c: c["camera"].update(height_m="tall"), ["camera.height_m", '"tall"', "valid number"]),
    "negative size": (
        lambda c: c["kit"]["body"].update(sensor_mm=[-36, 24]),
        ["sensor_mm[0]", "-36", "greater than 0"],
    ),
    "no such need": (lambda c: c["marks"][1].update(need="perhaps"), ["marks[1].need", "Drain grate", "'must'"]),
    "missing place": (lambda c: c["marks"][0].pop("z_m"), ["marks[0].z_m", "Rinsing trough", "needed"]),
    "out of range": (lambda c: c["wish"].update(contrast_floor=1.5), ["wish.contrast_floor", "1.5", "less than 1"]),
    "stops the wrong way": (lambda c: c["kit"]["lenses"][0].update(f_numbers=[22, 3.5]), ["f_numbers", "widest"]),
    "zero focal length": (lambda c: c["kit"]["lenses"][0].update(focal_mm=[0, 0]), ["focal_mm[0]", "greater than 0"]),
    "marks no list": (lambda c: c.update(marks={"a": 1}), ["marks", "valid"]),
    "another format": (lambda c: c.update(format="other-plan"), ["format", '"other-plan"', '"verispect-plan"']),
    "version a word": (lambda c: c.update(version="one"), ["version", '"one"', "valid integer"]),
    "version zero": (lambda c: c.update(version=0), ["version", "0", "greater than or equal to 1"]),
}


@pytest.mark.parametrize(("change", "said"), BAD.values(), ids=BAD)
def test_bad_content_gets_one_sentence_with_file_key_found_and_right(
    tmp_path: Path, change: Any, said: list[str]
) -> None:
    path = changed(tmp_path, change)
    with pytest.raises(PlanError) as caught:
        read_plan(path)
    text = str(caught.value)
    assert text.startswith(str(path))
    assert "\n" not in text
    for part in said:
        assert part in text


@pytest.mark.parametrize("share", [0.0, 0.1, 0.5, 0.9, 0.999])
def test_a_cut_file_is_said_to_be_cut(tmp_path: Path, share: float) -> None:
    whole = DEMO.read_text()
    path = tmp_path / "cut.verispect"
    path.write_text(whole[: int(len(whole) * share)])
    with pytest.raises(FileError, match="one whole JSON object") as caught:
        read_plan(path)
    assert "\n" not in str(caught.value)


@pytest.mark.parametrize("number", ["NaN", "Infinity", "-Infinity", "1e999"])
def test_numbers_that_are_none_are_refused(tmp_path: Path, number: str) -> None:
    path = tmp_path / "nan.verispect"
    path.write_text(DEMO.read_text().replace('"height_m": 1.6', f'"height_m": {number}'))
    with pytest.raises(VerispectError) as caught:
        read_plan(path)
    assert str(path) in str(caught.value)


def test_other_kinds_of_file_are_refused(tmp_path: Path) -> None:
    binary = tmp_path / "picture.verispect"
    binary.write_bytes(bytes(range(256)))
    number = tmp_path / "number.verispect"
    number.write_text("3")
    deep = tmp_path / "deep.verispect"
    deep.write_text("[" * 200_000)
    for path, said in ((binary, "not text"), (number, "one JSON object"), (tmp_path, "folder"),
                       (tmp_path / "gone", "no such file"), (deep, "")):  # fmt: skip
        with pytest.raises(FileError) as caught:
            read_plan(path)
        assert said in str(caught.value)
        assert str(path) in str(caught.value)


def test_a_newer_version_is_not_read_as_if_it_were_known(tmp_path: Path) -> None:
    path = changed(tmp_path, lambda c: c.update(version=7))
    with pytest.raises(NewerVersionError, match="version: found 7"):
        read_plan(path)
    assert read_newer_plan(path).title == "Dye works, yard and drying tower"


@given(st.text(max_size=200))
def test_any_text_is_either_a_plan_or_a_clear_refusal(text: str) -> None:
    with pytest.raises(VerispectError, match=r"^any"):
        plan_from_text(text, name="any")


def test_saving_keeps_one_backup_and_the_file_mode(tmp_path: Path) -> None:
    path = tmp_path / "plan.verispect"
    write_plan(make_plan([(0, 1, 2)]), path)
    path.chmod(0o640)
    first = path.read_text()
    write_plan(make_plan([(0, 1, 3)]), path)
    assert path.with_name("plan.verispect~").read_text() == first
    assert read_plan(path).marks[0].z_m == 3
    assert stat.S_IMODE(path.stat().st_mode) == 0o640
    assert sorted(entry.name for entry in tmp_path.iterdir()) == ["plan.verispect", "plan.verispect~"]


@pytest.mark.parametrize(("number", "remedy"), [(errno.ENOSPC, "free some space"), (errno.EIO, "save elsewhere")])
def test_a_full_disk_leaves_the_old_file_whole(tmp_path: Path, monkeypatch, number: int, remedy: str) -> None:
    path = tmp_path / "plan.verispect"
    path.write_text("the old content")

    def fail(_handle: int) -> None:
        raise OSError(number, os.strerror(number))

    monkeypatch.setattr(os, "fsync", fail)
    with pytest.raises(FileError, match=remedy) as caught:
        write_atomically(path, b"new", keep_backup=True)
    assert str(path) in str(caught.value)
    assert path.read_text() == "the old content"
    assert [entry.name for entry in tmp_path.iterdir()] == ["plan.verispect"]


def test_a_file_that_may_grow_no_further_leaves_the_old_one_whole(tmp_path: Path) -> None:
    # The system itself refuses the write half-way, as a full disk does; in a process of its own for the limit's sake.
    path = tmp_path / "plan.verispect"
    path.write_text("the old content")
    code = (
        "import resource, signal, sys; from pathlib import Path; from verispect.errors import FileError;"
        "from verispect.files.atomic import write_atomically;"
        "signal.signal(signal.SIGXFSZ, signal.SIG_IGN); resource.setrlimit(resource.RLIMIT_FSIZE, (4096, 4096))\n"
        "try: write_atomically(Path(sys.argv[1]), b'x' * 100_000)\n"
        "except FileError as error: print(error)\n"
    )
    done = subprocess.run([sys.executable, "-c", code, str(path)], capture_output=True, text=True, check=True)
    assert "could not be written" in done.stdout
    assert path.read_text() == "the old content"
    assert [entry.name for entry in tmp_path.iterdir()] == ["plan.verispect"]


def test_a_folder_that_is_not_there_is_said(tmp_path: Path) -> None:
    with pytest.raises(FileError, match=r"could not be written \(no such file or directory\); save elsewhere"):
        write_plan(make_plan([(0, 1, 2)]), tmp_path / "gone" / "plan.verispect")


@pytest.mark.skipif(os.geteuid() == 0, reason="root may write everywhere")
def test_a_read_only_folder_is_said(tmp_path: Path) -> None:
    tmp_path.chmod(0o500)
    with pytest.raises(FileError, match="a folder you may write to"):
        write_plan(make_plan([(0, 1, 2)]), tmp_path / "plan.verispect")


def test_a_refused_rename_is_said_with_its_remedy(tmp_path: Path, monkeypatch) -> None:
    def refuse(*_: object) -> None:
        raise PermissionError(errno.EROFS, "Read-only file system")

    monkeypatch.setattr(Path, "replace", refuse)
    with pytest.raises(FileError, match=r"read-only file system.*a folder you may write to"):
        write_plan(make_plan([(0, 1, 2)]), tmp_path / "plan.verispect")
    assert list(tmp_path.iterdir()) == []


def test_a_lens_that_cannot_be_is_one_sentence_with_its_file(tmp_path: Path, capsys) -> None:
    plan = json.loads(DEMO.read_text(encoding="utf-8"))
    plan["kit"]["lenses"][0] |= {"front_ahead_mm": 100, "fitted": {"close_up_dioptres": 50}}
    path = tmp_path / "odd.verispect"
    path.write_text(json.dumps(plan), encoding="utf-8")
    assert main(["weigh", str(path)]) == 2
    said = capsys.readouterr().err.strip()
    assert said.startswith(f"verispect: {path}: a close-up lens of 50 dioptres")
    assert "\n" not in said


def test_a_scan_whose_points_are_damaged_is_told_with_its_name(tmp_path: Path) -> None:
    from verispect.subject.scan import packed

    content = json.loads(DEMO.read_text())
    points = packed(np.ones((4, 3)))
    content["scans"] = [{"name": "Yard", "count": 4, "points": points}]
    path = tmp_path / "p.verispect"
    path.write_text(json.dumps(content))
    assert read_plan(path).scans[0].count == 4
    for damage in ({"points": points[:-9]}, {"count": 5}, {"points": "no base64 at all"}):
        content["scans"][0] = {"name": "Yard", "count": 4, "points": points} | damage
        path.write_text(json.dumps(content))
        with pytest.raises(PlanError, match=r"scans\[0\] \(Yard\).*bring the scan in again"):
            read_plan(path)


def test_areas_photograph_and_framing_survive_a_round_trip(tmp_path: Path) -> None:
    content = json.loads(DEMO.read_text())
    content["surfaces"] = [{"name": "Floor", "kind": "floor", "z_m": 2.0, "own_key": 7}]
    content["photograph"] = {"file": "yard.jpg", "pixels": [300, 200], "focal_mm": 24}
    content["camera"] |= {"rise_mm": 3.0, "upright": True, "aspect": 1.25}
    path = tmp_path / "p.verispect"
    path.write_text(json.dumps(content))
    plan = read_plan(path)
    write_plan(plan, path)
    again = json.loads(path.read_text())
    assert again["surfaces"][0]["own_key"] == 7
    assert read_plan(path) == plan
    content["photograph"]["pixels"] = [0, 200]
    path.write_text(json.dumps(content))
    with pytest.raises(PlanError, match=r"photograph.pixels\[0\]"):
        read_plan(path)


@pytest.mark.parametrize("half", ["\\ud800", "\\udfff", "a\\uD83Dz"])
def test_half_a_letter_opens_and_saves(tmp_path, half) -> None:
    path = tmp_path / "p.verispect"
    path.write_text('{"format": "verispect-plan", "version": 1, "title": "' + half + '", "note": "\\ud83d\\ude00"}')
    plan = read_plan(path)
    write_plan(plan, path)
    again = read_plan(path)
    assert "\ufffd" in again.title
    assert again.model_extra["note"] == "\U0001f600"


def test_what_is_nested_too_deep_to_be_saved_is_not_opened(tmp_path) -> None:
    path = tmp_path / "p.verispect"
    path.write_text('{"format": "verispect-plan", "version": 1, "more": ' + "[" * 900 + "]" * 900 + "}")
    with pytest.raises(FileError, match="within one another"):
        read_plan(path)


@pytest.mark.parametrize("digits", [70, 400, 5000])
def test_numbers_of_many_digits_are_refused_in_a_line(tmp_path: Path, digits: int) -> None:
    path = tmp_path / "long.verispect"
    path.write_text(plan_to_text(Plan()).replace('"version": 1', '"version": ' + "9" * digits))
    with pytest.raises(FileError) as told:
        read_plan(path)
    assert len(str(told.value).removeprefix(str(path))) < 200


def test_a_newer_programs_plan_is_not_written_over(tmp_path) -> None:
    path = tmp_path / "p.verispect"
    path.write_text('{"format": "verispect-plan", "version": 7, "title": "later"}')
    with pytest.raises(FileError, match="newer Verispect"):
        write_plan(Plan(), path)
    assert "later" in path.read_text()
    # A number of that name deeper in a plan of our own is no version.
    own = Plan.model_validate({"made_with": {"version": 9}})
    write_plan(own, tmp_path / "q.verispect")
    write_plan(own, tmp_path / "q.verispect")
