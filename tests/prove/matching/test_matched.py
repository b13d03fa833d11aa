"""Folders in which more lies than one set: rehearsed frames under new names, without a word of what they are."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import tifffile

from verispect.plan.methods.candidate import Candidate
from verispect.prove.check import check
from verispect.prove.report import Report

# One process makes the frames once.
pytestmark = pytest.mark.xdist_group("frames")


def laid(source: Path, to: Path, order: list[int | None]) -> Path:
    """Frames in an order, each with noise of its own; None is a black one."""
    files = sorted(source.glob("*.tif"))
    rng = np.random.default_rng(6)
    to.mkdir()
    for number, k in enumerate(order):
        pixels = tifffile.imread(files[0 if k is None else k]).astype(float) * (0.001 if k is None else 1.0)
        noisy = np.clip(pixels * (1.0 + rng.normal(0.0, 0.003, pixels.shape)) + 0.5, 0, 65535)
        tifffile.imwrite(to / f"p{number + 1:03d}.tif", noisy.astype(np.uint16), photometric="rgb")
    return to


def told(report: Report) -> list[tuple[str, int]]:
    return [(str(kind), len(group.frames)) for group, kind in zip(report.sets, report.kinds, strict=True)]


def faults(report: Report) -> list[tuple[str | None, str]]:
    return [(frame.file, fault.name) for frame in report.frames for fault in frame.faults]


def test_two_series_of_one_view_are_two_sets_each_held_against_the_plan(
    rehearsed, series: Candidate, tmp_path: Path
) -> None:
    """The second far to near, as one turns back: nothing parts them but where they are sharp."""
    there = list(range(series.frame_count))
    planned = check([laid(rehearsed(), tmp_path / "set", [*there, *there[::-1]])], candidate=series)
    assert (told(planned), faults(planned)) == ([("series", 8)] * 2, [])
    assert planned.sets[1].why == ("the focus goes again to where it has been",)
    assert [frame.planned_exposure for frame in planned.frames] == [*there, *there[::-1]]


def test_a_trial_before_a_series_and_a_frame_taken_again_count_as_what_they_show(
    rehearsed, series: Candidate, tmp_path: Path
) -> None:
    there = list(range(series.frame_count))
    report = check([laid(rehearsed(), tmp_path / "set", [4, *there, 2])], candidate=series)
    assert told(report) == [("single", 1), ("series", 9)]
    assert faults(report) == []
    assert [frame.planned_exposure for frame in report.frames] == [4, *there, 2]


@pytest.mark.parametrize(
    ("order", "found"),
    [
        ([None, 1, 2, 3, 5, 6, 7], [("p001.tif", "dark"), (None, "missing")]),
        ([0, 1, 2, 4, 5, 6, None], [(None, "missing"), ("p007.tif", "dark")]),
        # The first is there: what is black before it is none of them.
        ([None, 0, 1, 2, 4, 5, 7], [(None, "missing")] * 2),
    ],
)
def test_a_black_frame_where_the_first_or_the_last_is_missing_is_that_one(
    rehearsed, series: Candidate, tmp_path: Path, order: list[int | None], found: list[tuple[str | None, str]]
) -> None:
    report = check([laid(rehearsed(), tmp_path / "set", order)], candidate=series)
    assert sorted(faults(report), key=str) == sorted(found, key=str)
    assert [frame.planned_exposure for frame in report.frames if frame.file and not frame.dark] == [
        k for k in order if k is not None
    ]


def test_a_black_frame_within_a_series_is_a_fault_and_one_between_two_is_none(rehearsed, tmp_path: Path) -> None:
    report = check([laid(rehearsed(), tmp_path / "set", [0, 1, 2, None, 4, 5, 6, 7, None, 0, 1, 2, 3])])
    assert told(report) == [("series", 8), ("series", 4)]
    assert faults(report) == [("p004.tif", "dark")]
    assert report.sets[1].separator == 8


def test_without_a_plan_a_frame_focused_out_of_its_turn_is_told(rehearsed, tmp_path: Path) -> None:
    report = check([laid(rehearsed(), tmp_path / "set", [0, 1, 2, 6, 4, 5, 6, 7])])
    assert faults(report) == [("p004.tif", "missed-focus")]
    [fault] = report.frames[3].faults
    assert fault.size == pytest.approx(3.0, abs=1.2)
    assert "further on" in fault.says
