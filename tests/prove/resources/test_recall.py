"""What is kept of frames: as much as is allowed, of files as they are, and checks that come out the same with it."""

from __future__ import annotations

import json
import os
import pickle
import shutil
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.errors import FileError
from verispect.plan.methods.candidate import Candidate
from verispect.prove import evidence
from verispect.prove.check import check
from verispect.prove.intake import Frame, described
from verispect.prove.report import report_dict
from verispect.prove.resources import in_hand
from verispect.prove.resources.recall import Recall, bytes_of, file_key, fingerprint

# One process makes the frames once.
pytestmark = pytest.mark.xdist_group("frames")


@given(st.lists(st.tuples(st.integers(0, 5), st.integers(0, 40)), max_size=40))
def test_no_more_is_kept_than_allowed_and_what_is_kept_is_what_was_worked_out(asked: list[tuple[int, int]]) -> None:
    recall = Recall(most_bytes=8 * 60)
    for key, size in asked:
        found = recall.of(key, lambda size=size: np.zeros(size))
        assert found.ndim == 1
        kept = [held for _, held in recall._kept.values()]
        assert recall.bytes == sum(kept)
        assert recall.bytes <= recall.most_bytes or len(kept) == 1


def test_what_is_asked_again_is_not_worked_out_again_and_what_was_not_asked_for_longest_goes_first() -> None:
    done: list[str] = []

    def work(name: str) -> str:
        return Recall.of(recall, name, lambda: done.append(name) or name)

    recall = Recall(most_bytes=3 * bytes_of("a"))
    for name in "abcab":
        assert work(name) == name
    assert done == ["a", "b", "c"]
    work("d")
    work("a")
    assert done == ["a", "b", "c", "d"]
    work("c")
    assert done == ["a", "b", "c", "d", "c"]


def test_a_file_written_anew_is_another(tmp_path: Path) -> None:
    path = tmp_path / "f.tif"
    path.write_bytes(b"one")
    frame = Frame(path, (9, 9))
    before = file_key(frame)
    assert file_key(frame) == before
    path.write_bytes(b"two")
    os.utime(path, ns=(1, 1))
    assert file_key(frame) != before
    path.unlink()
    with pytest.raises(FileError, match=r"f\.tif: cannot be read"):
        file_key(frame)


def test_a_check_made_again_reads_what_is_new_and_comes_out_the_same(
    rehearsed, series: Candidate, tmp_path: Path, monkeypatch
) -> None:
    """Frame by frame as they arrive, then with one of them taken again, then without the plan."""
    read: list[str] = []
    coded, first = evidence.read_coded, in_hand.read_kept
    monkeypatch.setattr(evidence, "read_coded", lambda frame: read.append(frame.path.name) or coded(frame))
    monkeypatch.setattr(in_hand, "read_kept", lambda frame: read.append(frame.path.name) or first(frame))
    source = sorted(rehearsed("knock@2:6").glob("*.tif"))[:5]
    recall = Recall()

    def compared(candidate: Candidate | None) -> set[str]:
        read.clear()
        kept = check([tmp_path], candidate=candidate, recall=recall)
        needed = set(read)
        assert json.dumps(report_dict(kept)) == json.dumps(report_dict(check([tmp_path], candidate=candidate)))
        return needed

    for path in source[:4]:
        shutil.copy(path, tmp_path)
    check([tmp_path], candidate=series, recall=recall)
    for path in source[4:]:
        shutil.copy(path, tmp_path)
    assert compared(series) == {path.name for path in source[4:]}
    assert compared(series) == set()
    again = tmp_path / source[2].name
    again.unlink()
    shutil.copy(sorted(rehearsed().glob("*.tif"))[2], again)
    assert described(again).pixels == (720, 480)
    assert compared(series) == {again.name}
    # What the plan has to do with is read anew without it.
    assert compared(None) == {path.name for path in source}


def test_a_fingerprint_is_of_what_a_thing_is_and_not_of_what_it_remembers(series: Candidate) -> None:
    before = fingerprint(series.exposures)
    for exposure in series.exposures:
        # Each keeps it for the next time.
        assert exposure.position_m.shape == (3,)
    assert fingerprint(series.exposures) == before
    assert fingerprint(pickle.loads(pickle.dumps(series.exposures))) == before
    assert fingerprint(series.exposures[:-1]) != before
    first = replace(series.exposures[0], shutter_s=series.exposures[0].shutter_s * 1.01)
    assert fingerprint((first, *series.exposures[1:])) != before
    assert fingerprint([1, [2, 3]]) != fingerprint([1, 2, [3]])
