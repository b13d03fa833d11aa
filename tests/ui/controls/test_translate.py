"""Words that are put together in the window."""

from __future__ import annotations

from verispect.ui.controls.translate import counted_frames


def test_how_often_frames_are_taken_is_told_where_it_is_more_than_once() -> None:
    assert counted_frames(1) == counted_frames(1, 1) == "1 frame"
    assert counted_frames(4, 4) == "4 frames"
    assert counted_frames(4, 12) == "4 frames × 3"
