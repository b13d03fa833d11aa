"""Frames put together by hand: moves of names, what is read from a report, and checks that hold to it."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.prove.parting.scenes import focused
from verispect.cli import main
from verispect.errors import FileError
from verispect.files.picture_out import write_picture
from verispect.prove.check import check
from verispect.prove.intake import coded_of, described
from verispect.prove.parting.by_hand import ByHand, files_of_set, put_together, read_sets

NAMES = ("a", "b", "c", "d", "e")
TWO = ByHand((("a", "b"), ("c", "d", "e")))


def test_frames_go_to_another_set_to_one_of_their_own_or_to_none() -> None:
    assert TWO.moved(["b"], 1).sets == (("a",), ("c", "d", "e", "b"))
    assert TWO.moved(["b", "d"], None).sets == (("a",), ("c", "e"), ("b", "d"))
    assert TWO.moved(["c", "a"], 1).sets == (("b",), ("c", "d", "e", "a"))
    assert TWO.moved(["c"], 1) == TWO
    aside = TWO.put_aside(["a", "b"])
    assert (aside.sets, aside.aside) == ((("c", "d", "e"),), {"a", "b"})
    assert aside.moved(["a"], 0) == ByHand((("c", "d", "e", "a"),), frozenset("b"))


@given(st.lists(st.tuples(st.sets(st.sampled_from(NAMES), min_size=1), st.integers(-2, 3)), max_size=8))
def test_whatever_is_moved_each_frame_is_in_one_set_or_in_none(moves: list[tuple[set[str], int]]) -> None:
    now = TWO
    for names, to in moves:
        now = now.put_aside(names) if to == -2 else now.moved(names, to if 0 <= to < len(now.sets) else None)
        assert sorted([*(name for own in now.sets for name in own), *now.aside]) == list(NAMES)
        assert all(now.sets)


def test_what_is_named_nowhere_is_left_to_be_parted() -> None:
    sets, rest = put_together(["c", "new", "a", "b"], ByHand((("b", "c", "gone"),), frozenset("a")))
    assert [(group.frames, group.by_hand) for group in sets] == [((0, 3), True)]
    assert rest == [1]
    assert put_together(["a", "b"], ByHand()) == ([], [0, 1])


@pytest.mark.parametrize(
    ("names", "together", "says"),
    [
        (["a", "a", "b"], ByHand((("a", "b"),)), "a: 2 frames of this name"),
        (["a", "b"], ByHand((("a", "b"), ("b",))), "b: in 2 sets"),
        (["x"], TWO, "none of the frames"),
    ],
)
def test_what_is_open_is_asked_about(names: list[str], together: ByHand, says: str) -> None:
    with pytest.raises(FileError, match=says):
        put_together(names, together)


@pytest.mark.parametrize(
    ("content", "says"),
    [
        ("[1]", "holds no object"),
        ('{"sets": [', "no JSON, or it is cut"),
        ('{"sets": []}', "no sets in it"),
        ('{"sets": [{"frames": ["a", 3]}]}', r"sets\.0: must hold"),
        ("[" * 100_000, "no JSON, or it is cut"),
        ('{"sets": ' + "9" * 5000 + "}", "no JSON, or it is cut"),
    ],
)
def test_a_file_that_holds_no_sets_is_refused_in_a_sentence(tmp_path: Path, content: str, says: str) -> None:
    path = tmp_path / "sets.json"
    path.write_text(content)
    with pytest.raises(FileError, match=says):
        read_sets(path)


@pytest.fixture(scope="module")
def two_series(tmp_path_factory) -> Path:
    """Three frames each of two subjects; the program parts them so by itself."""
    folder = tmp_path_factory.mktemp("frames")
    for k, (seed, place) in enumerate((seed, place) for seed in (1, 2) for place in (0.0, 3.0, 6.0)):
        light = np.repeat(focused(seed, place)[..., None], 3, axis=2)
        write_picture(folder / f"f-{k}.tif", coded_of(light))
    return folder


def test_a_check_holds_to_what_was_put_together(two_series: Path) -> None:
    found = check([two_series]).together
    assert [len(own) for own in found.sets] == [3, 3]
    other = found.put_aside(["f-0.tif"]).moved(["f-5.tif"], None)
    report = check([two_series], together=other)
    assert report.together == other
    assert [group.why for group in report.sets] == [("put together by hand",)] * 3
    assert [report.frames[k].set for k in range(1, 6)] == [0, 0, 1, 1, 2]
    # What fits in both ways is checked as the other set's: a stranger among them.
    mixed = check([two_series], together=found.moved(["f-3.tif"], 0))
    assert mixed.frames[3].faults
    assert not check([two_series]).frames[3].faults


def test_the_report_put_right_is_what_the_commands_take(two_series: Path, tmp_path: Path, capsys) -> None:
    main(["check", str(two_series), "--json", "--quiet"])
    told = json.loads(capsys.readouterr().out)
    told["sets"][1]["frames"].remove("f-5.tif")
    right = tmp_path / "right.json"
    right.write_text(json.dumps(told))
    main(["check", str(two_series), "--sets", str(right), "--json", "--quiet"])
    assert [own["frames"] for own in json.loads(capsys.readouterr().out)["sets"]] == [
        ["f-0.tif", "f-1.tif", "f-2.tif"], ["f-3.tif", "f-4.tif"],
    ]  # fmt: skip
    into = tmp_path / "sorted"
    assert main(["sort", str(two_series), "--into", str(into), "--sets", str(right), "--quiet"]) == 0
    assert [path.name for path in sorted((into / "set-02").glob("*.tif"))] == ["f-3.tif", "f-4.tif"]
    capsys.readouterr()
    out = tmp_path / "merged.tif"
    given = ["merge", str(two_series), "--out", str(out), "--sets", str(right), "--set", "2", "--json", "--quiet"]
    assert main(given) in (0, 1)
    assert [frame["file"] for frame in json.loads(capsys.readouterr().out)["frames"]] == ["f-3.tif", "f-4.tif"]
    assert described(out).pixels == (360, 240)


@pytest.mark.parametrize(("more", "says"), [
    (["--set", "2"], "give both"),
    (["--sets", "SETS", "--set", "3"], "there are 2 sets"),
    (["--sets", "SETS", "--set", "2"], "b.tif not among the frames"),
])  # fmt: skip
def test_a_set_that_there_is_not_is_said(
    two_series: Path, tmp_path: Path, capsys, more: list[str], says: str
) -> None:
    sets = tmp_path / "sets.json"
    sets.write_text('{"sets": [{"frames": ["f-0.tif", "f-1.tif"]}, {"frames": ["b.tif"]}]}')
    given = ["join", str(two_series), "--out", str(tmp_path / "o.tif"), "--quiet"]
    assert main(given + [str(sets) if one == "SETS" else one for one in more]) == 2
    assert says in capsys.readouterr().err


def test_the_files_of_a_set_are_given_in_the_order_of_the_folder() -> None:
    paths = [Path(f"x/{name}") for name in "edcba"]
    assert [path.name for path in files_of_set(paths, TWO, 2)] == ["e", "d", "c"]
