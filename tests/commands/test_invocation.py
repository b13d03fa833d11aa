"""Every command as a user calls it: one sentence for what is wrong, one JSON object for what is right."""

from __future__ import annotations

import contextlib
import json
import math
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import DEMO
from tests.prove.join.spheres import taken, turn
from verispect.cli import main
from verispect.files.picture_out import write_picture


def called(capsys: pytest.CaptureFixture[str], *given: str | Path) -> tuple[int, str, str]:
    """Exit code, stdout and stderr."""
    code: int | str | None = 0
    with contextlib.suppress(SystemExit):
        code = main([str(part) for part in given])
        said = capsys.readouterr()
        return int(code or 0), said.out, said.err
    said = capsys.readouterr()
    return 2, said.out, said.err


@pytest.fixture
def plan(tmp_path: Path) -> Path:
    """A small plan with a place and a time."""
    from tests.conftest import a_lens, make_plan
    from verispect.files.plan_file import write_plan
    from verispect.plan.document import Site

    lens = a_lens(50.0, f_numbers=[4, 4], tilt_deg=0)
    made = make_plan([(0, 1.4, 1.6), (0, 1.6, 6.0)], framing=50.0, lenses=[lens], line_pairs_per_mm=1.0)
    site = Site.model_validate(
        {"latitude_deg": 46.5, "longitude_deg": 8.2, "from": "2027-06-21T16:00Z", "to": "2027-06-21T17:00Z"}
    )
    made = made.model_copy(update={"site": site, "title": "Yard, small"})
    path = tmp_path / "plan.verispect"
    write_plan(made, path)
    return path


@pytest.fixture
def frames(capsys, plan: Path, tmp_path: Path) -> Path:
    folder = tmp_path / "frames"
    code, _, told = called(
        capsys, "rehearse", plan, "--method", "series", "--out", folder, "--pixels", "240x160", "--quiet"
    )
    assert code == 0, told
    return folder


def test_light_tells_rows(capsys, plan: Path) -> None:
    code, out, _ = called(capsys, "light", plan, "--every", "30", "--json")
    told = json.loads(out)
    assert code == 0
    assert (told["format"], len(told["rows"])) == ("verispect-light", 3)
    assert {"utc", "sun_altitude_deg", "moon_diameter_arcmin", "lux", "drift_stops_per_min"} <= set(told["rows"][0])


def test_from_the_plan_to_frames_to_a_check_to_one_picture(capsys, plan: Path, frames: Path, tmp_path: Path) -> None:
    """The whole way on the command line."""
    account = json.loads((frames / "run.json").read_text(encoding="utf-8"))
    assert account["format"] == "verispect-run"
    count = len(account["frames"])
    assert len(list(frames.glob("*.tif"))) == count
    code, out, _ = called(capsys, "check", frames, "--plan", plan, "--method", "series", "--json", "--quiet")
    told = json.loads(out)
    assert told["format"] == "verispect-check"
    assert len(told["frames"]) == count
    assert code == (1 if told["redo"] else 0)
    report = tmp_path / "r.json"
    code, out, err = called(
        capsys, "merge", frames, "--plan", plan, "--method", "series", "--out", tmp_path / "m.tif", "--report",
        report, "--json", "--quiet",
    )  # fmt: skip
    assert code in (0, 1), err
    assert json.loads(out)["format"] == "verispect-merge"
    assert json.loads(report.read_text(encoding="utf-8")) == json.loads(out)
    assert (tmp_path / "m.tif").stat().st_size > 50_000


def test_the_logbook_keeps_finds_and_hands_on(capsys, plan: Path, frames: Path, tmp_path: Path) -> None:
    book = ["--book", tmp_path / "book.sqlite"]
    code, out, _ = called(
        capsys, "log", "add", plan, "--run", frames / "run.json", "--note", "mist over the weir", *book, "--json"
    )
    assert code == 0
    uuid = json.loads(out)["entries"][0]["uuid"]
    for words, count in (("weir", 1), ("nothing such", 0)):
        code, out, _ = called(capsys, "log", "list", "--find", words, *book, "--json")
        assert len(json.loads(out)["entries"]) == count, words
    code, out, _ = called(capsys, "log", "show", uuid[:8], *book, "--json")
    [entry] = json.loads(out)["entries"]
    assert entry["run"]["method"] == "series"
    code, _, err = called(capsys, "log", "export", tmp_path / "e.json", *book)
    assert code == 0, err
    other = ["--book", tmp_path / "other.sqlite"]
    added = [json.loads(called(capsys, "log", "import", tmp_path / "e.json", *other, "--json")[1])["added"]
             for _ in range(2)]  # fmt: skip
    assert added == [1, 0]


def test_a_job_whose_method_no_longer_fits_is_kept_and_the_book_teaches(capsys, plan: Path, tmp_path: Path) -> None:
    book = ["--book", tmp_path / "book.sqlite"]
    content = json.loads(plan.read_text(encoding="utf-8"))
    for number, method in enumerate(("rail-series", "series")):
        path = tmp_path / f"{number}.verispect"
        path.write_text(json.dumps(content | {"choice": {"method": method}}), encoding="utf-8")
        code, _, err = called(capsys, "log", "add", path, *book)
        assert code == 0, err
    code, out, _ = called(capsys, "log", "list", *book, "--json")
    by_method = {entry["method"]: entry for entry in json.loads(out)["entries"]}
    assert by_method["rail-series"]["planned_s"] is None
    assert by_method["series"]["planned_s"] > 0.0
    assert by_method["series"]["lens"] == "50 tilt"
    code, out, _ = called(capsys, "log", "learn", *book, "--json")
    assert json.loads(out)["time_factor"]["jobs"] == 0
    code, out, _ = called(capsys, "log", "what-if", "24 mm f/3.5 tilt shift", *book, "--json")
    assert [job["title"] for job in json.loads(out)["jobs"]] == ["Yard, small"]
    page = tmp_path / "job.html"
    code, _, _ = called(capsys, "log", "show", by_method["series"]["uuid"], "--html", page, *book)
    assert "Yard, small" in page.read_text(encoding="utf-8")


def test_jobs_are_told_anew_held_against_one_another_and_put_aside(
    capsys, plan: Path, frames: Path, tmp_path: Path
) -> None:
    book = ["--book", tmp_path / "book.sqlite"]
    content = json.loads(plan.read_text(encoding="utf-8")) | {
        "site": {"latitude_deg": 51.0, "longitude_deg": 4.0, "from": "2027-06-21T10:00Z"}
    }
    placed = tmp_path / "placed.verispect"
    placed.write_text(json.dumps(content), encoding="utf-8")
    bare = tmp_path / "bare.verispect"
    bare.write_text(json.dumps({key: value for key, value in content.items() if key != "site"}), encoding="utf-8")
    picture = next(frames.glob("*.tif"))
    uuids = []
    for path, more in ((bare, ["--tag", "dawn"]), (placed, ["--picture", picture])):
        code, out, err = called(capsys, "log", "add", path, *more, *book, "--json")
        assert code == 0, err
        uuids.append(json.loads(out)["entries"][0]["uuid"])
    code, out, _ = called(capsys, "log", "note", uuids[0], "--tag", "dusk", "--note", "fog", *book, "--json")
    [entry] = json.loads(out)["entries"]
    assert (entry["tags"], entry["note"]) == (["dusk"], "fog")
    code, out, _ = called(capsys, "log", "list", "--near", "51,4.01", *book, "--json")
    rows = json.loads(out)["entries"]
    assert [row["uuid"] for row in rows] == [uuids[1], uuids[0]]
    assert rows[0]["away_km"] == pytest.approx(0.70, abs=0.01)
    assert rows[1]["away_km"] is None
    code, out, _ = called(capsys, "log", "compare", *uuids, *book, "--json")
    assert {"what": "tags", "group": "job", "first": "dusk", "second": ""} in json.loads(out)["rows"]
    code, out, _ = called(capsys, "log", "show", uuids[1], *book, "--json")
    assert bytes.fromhex(json.loads(out)["entries"][0]["picture"])[:3] == b"\xff\xd8\xff"
    again = tmp_path / "again.verispect"
    code, out, _ = called(capsys, "log", "again", uuids[1], "--on", "2027-12-21", "--out", again, *book, "--json")
    assert json.loads(out)["stops"] < -1.0
    assert json.loads(again.read_text())["site"]["from"].startswith("2027-12-21T10:00")
    code, _, err = called(capsys, "log", "again", uuids[0], *book)
    assert code == 2
    assert "place" in err
    table = tmp_path / "jobs.csv"
    assert called(capsys, "log", "export", table, *book)[0] == 0
    assert len(table.read_text(encoding="utf-8").splitlines()) == 3
    assert called(capsys, "log", "backup", tmp_path / "copy.sqlite", *book)[0] == 0
    other = ["--book", tmp_path / "other.sqlite"]
    assert called(capsys, "log", "restore", tmp_path / "copy.sqlite", *other)[0] == 0
    assert len(json.loads(called(capsys, "log", "list", *other, "--json")[1])["entries"]) == 2


def test_the_shelf_takes_hands_on_and_gives_back(capsys, plan: Path, tmp_path: Path) -> None:
    book = ["--book", tmp_path / "book.sqlite"]
    assert called(capsys, "shelf", "put", plan, *book)[0] == 0
    assert called(capsys, "shelf", "put", plan, "--whole", "On foot", *book)[0] == 0
    assert called(capsys, "shelf", "put", "90 mm f/2.8 macro", *book)[0] == 0
    code, out, _ = called(capsys, "shelf", "list", "--find", "lens 90", *book, "--json")
    [piece] = json.loads(out)["pieces"]
    assert piece["content"]["focal_mm"] == [90.0, 90.0]
    for name in ("gear.json", "gear.csv"):
        assert called(capsys, "shelf", "export", tmp_path / name, *book)[0] == 0
        other = ["--book", tmp_path / f"{name}.sqlite"]
        code, out, err = called(capsys, "shelf", "import", tmp_path / name, *other, "--json")
        assert code == 0, err
        lists = [called(capsys, "shelf", "list", *which, "--json")[1] for which in (book, other)]
        assert json.loads(lists[0]) == json.loads(lists[1])
    taken = tmp_path / "taken.verispect"
    code, _, err = called(capsys, "shelf", "take", "macro", "--plan", plan, "--out", taken, *book)
    assert code == 0, err
    assert "90 mm f/2.8 macro" in taken.read_text(encoding="utf-8")
    code, _, err = called(capsys, "shelf", "take", "nothing such", "--plan", plan, "--out", tmp_path / "x", *book)
    assert code == 2
    assert "shelf list" in err
    assert called(capsys, "shelf", "remove", "macro", *book)[0] == 0
    assert json.loads(called(capsys, "shelf", "list", "--find", "macro", *book, "--json")[1])["pieces"] == []


def test_a_check_writes_its_page_and_the_distances(capsys, plan: Path, frames: Path, tmp_path: Path) -> None:
    page, new = tmp_path / "page.html", tmp_path / "new.verispect"
    given = ["check", frames, "--plan", plan, "--method", "series", "--quiet", "--html", page, "--distances-out", new]
    code, _, err = called(capsys, *given)
    assert code in (0, 1), err
    assert "Planned and proved" in page.read_text(encoding="utf-8")
    assert json.loads(new.read_text(encoding="utf-8"))["title"] == "Yard, small"
    for wrong, said in (
        (given, "--force"),
        (["check", frames, "--picture", page], "--html"),
        (["check", frames, "--html", tmp_path / "o.html", "--picture", tmp_path / "gone.tif"], "no such picture"),
        (["check", frames, "--distances-out", tmp_path / "o.verispect"], "--plan"),
    ):
        code, _, err = called(capsys, *wrong)
        assert code == 2
        assert said in err


def test_the_sheet_is_written_as_asked(capsys, plan: Path, tmp_path: Path) -> None:
    made = {kind: tmp_path / f"s.{kind}" for kind in ("html", "csv", "ics")}
    options = [part for kind, path in made.items() for part in (f"--{kind}", path)]
    code, out, err = called(capsys, "sheet", plan, "--method", "series", *options, "--json")
    assert code == 0, err
    assert set(json.loads(out)["written"]) == set(made)
    assert "<html" in made["html"].read_text(encoding="utf-8")
    assert made["ics"].read_bytes().startswith(b"BEGIN:VCALENDAR\r\n")
    code, _, err = called(capsys, "sheet", plan, "--html", made["html"])
    assert code == 2
    assert "--force" in err


@pytest.mark.parametrize(
    ("given", "said"),
    [
        (["check", "{tmp}/gone"], "no such file or folder"),
        (["check", "{tmp}"], "no pictures in this folder"),
        (["merge", "{tmp}/text.tif", "--out", "{tmp}/m.tif"], "no picture that can be read"),
        (["merge", "{tmp}/one.tif", "--out", "{tmp}/m.webm"], "ending"),
        (["merge", "{tmp}/one.tif", "--out", "{tmp}/one.tif"], "--force"),
        (["join", "{tmp}/one.tif", "--out", "{tmp}/j.gif"], ".zarr"),
        (["join", "{tmp}/one.tif", "--out", "{tmp}/j.tif", "--method", "turned-grid"], "--method needs --plan"),
        (["join", "{tmp}/one.tif", "--out", "{tmp}/j.tif", "--plan", "{demo}", "--method", "series"], "no grid"),
        (["rehearse", "{demo}", "--method", "wish", "--out", "{tmp}/f"], "series"),
        (["rehearse", "{demo}", "--method", "series", "--out", "{tmp}/f", "--fault", "knock@99"], "count from 0"),
        (["sheet", "{demo}"], "say what to write"),
        (["sheet", "{demo}", "--method", "series", "--gcode", "{tmp}/g"], "moves neither"),
        (["light", "{tmp}/text.tif"], "text.tif"),
        (["light", "{demo}", "--every", "0"], "--every"),
        (["log", "show", "nothing", "--book", "{tmp}/b.sqlite"], "no such entry"),
        (["log", "list", "--book", "{tmp}/text.tif"], "no book"),
        (["log", "import", "{tmp}/text.tif", "--book", "{tmp}/b.sqlite"], "no JSON"),
    ],
    ids=lambda value: " ".join(value)[:40] if isinstance(value, list) else None,
)
def test_what_is_wrong_is_said_in_one_sentence_with_code_2(
    capsys, tmp_path: Path, given: list[str], said: str
) -> None:
    (tmp_path / "text.tif").write_text("this is no picture")
    write_picture(tmp_path / "sub.tif", np.full((64, 96, 3), 9000, np.uint16))
    (tmp_path / "one.tif").write_bytes((tmp_path / "sub.tif").read_bytes())
    (tmp_path / "sub.tif").unlink()
    folder = tmp_path
    if given == ["check", "{tmp}"]:
        folder = tmp_path / "empty"
        folder.mkdir()
    before = {path.name: path.read_bytes() for path in tmp_path.iterdir() if path.is_file()}
    code, out, err = called(capsys, *[part.format(tmp=folder, demo=DEMO) for part in given])
    assert code == 2
    assert out == ""
    assert said in err
    assert "Traceback" not in err
    assert len(err.strip().splitlines()) == 1
    for name, content in before.items():
        assert (tmp_path / name).read_bytes() == content


def test_the_face_for_python_does_what_the_commands_do(plan: Path, frames: Path) -> None:
    import verispect

    loaded = verispect.load_plan(plan)
    assert verispect.weigh(loaded).advised is not None
    assert len(verispect.light(loaded, every_min=30.0)) == 3
    report = verispect.check(frames, plan=loaded, method="series")
    merged = verispect.merge(frames, plan=loaded, method="series", proof=True)
    assert len(report.frames) == len(merged.frames)
    assert merged.pixels.shape == (160, 240, 3)


def test_a_damaged_picture_is_one_sentence_and_no_talk_of_libraries(tmp_path) -> None:
    """In a process of its own: what a library logs goes straight to the standard error there."""
    import subprocess
    import sys

    import numpy as np

    from tests.files.mutants import damaged, whole

    good = whole("frame.tif", tmp_path)
    for seed in range(4):
        bad = tmp_path / f"bad-{seed}.tif"
        bad.write_bytes(damaged(good, np.random.default_rng(seed)))
        command = [sys.executable, "-m", "verispect.cli", "check", str(bad), "--quiet"]
        ran = subprocess.run(command, capture_output=True, text=True, check=False)
        assert ran.stderr == "" if ran.returncode != 2 else ran.stderr.count("\n") == 1, ran.stderr


def test_frames_without_a_plan_are_joined_into_a_file_or_a_zarr(capsys, tmp_path: Path) -> None:
    """Three views of a painted sphere, 20° apart: each beside the next, told in the report."""
    import zarr

    frames = tmp_path / "frames"
    frames.mkdir()
    taken(frames, [turn(b, 0) for b in (-20, 0, 20)])
    for name in ("wide.tif", "wide.zarr"):
        code, out, _ = called(capsys, "join", frames, "--out", tmp_path / name, "--json", "--jobs", "1")
        assert code == 0
        report = json.loads(out)
        assert [frame["file"] for frame in report["frames"]] == [f"frame-00{k}.tif" for k in (1, 2, 3)]
        forward = [frame["rotation"][2] for frame in report["frames"]]
        assert [math.degrees(math.atan2(ahead[0], ahead[2])) for ahead in forward] == pytest.approx(
            [-20, 0, 20], abs=0.1
        )
        assert not (tmp_path / f".{name}.joining").exists()
    assert zarr.open_array(str(tmp_path / "wide.zarr"), mode="r").shape[2] == 3
