"""In which order frames are told, and which of them a mark is of."""

from __future__ import annotations

import pytest

from verispect.prove.report import FrameReport, Report, report_dict
from verispect.prove.softness.mark_softness import MarkSoftness


def told(*frames: FrameReport, mark: int = 0) -> dict:
    softness = MarkSoftness("m", mark, 0.5, 0.1, 0.4, "by its edge")
    return report_dict(Report([], [], [], list(frames), [softness], [], [], [], []))


def frame(name: str | None, exposure: int | None, of_set: int = 0, **more) -> FrameReport:
    return FrameReport(file=name, planned_exposure=exposure, set=of_set, **more)


@pytest.mark.parametrize(
    ("frames", "expected"),
    [
        ([("a", 0), ("b", 2), ("c", 3), (None, 1)], ["a", None, "b", "c"]),
        ([("a", 1), ("b", 2), (None, 0), (None, 3)], [None, "a", "b", None]),
        # Taken from far to near.
        ([("a", 3), ("b", 1), ("c", 0), (None, 2)], ["a", None, "b", "c"]),
        ([("a", 2), ("b", 1), (None, 3), (None, 0)], [None, "a", "b", None]),
        # A separator before them, and what nobody planned.
        ([("s", None), ("a", 0), ("b", 2), (None, 1)], ["s", "a", None, "b"]),
        ([("s", None), (None, 0)], ["s", None]),
    ],
)
def test_a_missing_frame_is_told_in_its_place(frames, expected) -> None:
    found = told(*(frame(*one) for one in frames))
    assert [one["file"] for one in found["frames"]] == expected


def test_of_two_sets_each_has_its_own_gap() -> None:
    found = told(frame("a", 0), frame("b", 1), frame("c", 0, 1), frame("d", 2, 1), frame(None, 2), frame(None, 1, 1))
    assert [one["file"] for one in found["frames"]] == ["a", "b", None, "c", None, "d"]


def test_a_mark_is_of_the_frame_that_was_taken() -> None:
    frames = [frame("s", None), frame("a", 0), frame("b", 2), frame("b again", 2, duplicate_of="b"), frame(None, 1)]
    for exposure, number in ((0, 1), (1, 2), (2, 3)):
        (mark,) = told(*frames, mark=exposure)["marks"]
        assert (mark["exposure"], mark["frame"]) == (exposure, number)
    # With no frame of it there is none to name but the planned one.
    (mark,) = told(frame("a", 0), mark=5)["marks"]
    assert mark["frame"] == 5
