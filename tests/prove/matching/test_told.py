"""Frames matched to planned exposures: by number, by what they tell, by the account of the run."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from hypothesis import assume, given
from hypothesis import strategies as st

from verispect.files.run_file import Run, RunFrame
from verispect.plan.frames.shots import Shot, shots_of
from verispect.plan.methods.candidate import Candidate
from verispect.prove.intake import Frame
from verispect.prove.matching.told import match


def exposures_of(given_frames: list[Frame], candidate: Candidate, run: Run | None = None) -> list[int | None]:
    found = match(given_frames, candidate.exposures, candidate.shots, run)
    return [None if shot is None else shot.exposure for shot in found]


def frames(candidate: Candidate, which: list[int], *, told: bool, start: int = 1) -> list[Frame]:
    return [
        Frame(
            Path(f"frame-{k + start:03d}.tif"), (9, 9),
            subject_m=min(candidate.exposures[k].focus_m, 1e6) if told else None,
        )
        for k in which
    ]  # fmt: skip


@given(st.data())
def test_any_frames_left_out_are_told_by_their_distances(series: Candidate, data: st.DataObject) -> None:
    count = series.frame_count
    which = sorted(data.draw(st.sets(st.integers(0, count - 1), min_size=2)))
    assert exposures_of(frames(series, which, told=True), series) == which


@given(st.data())
def test_any_frames_left_out_are_told_by_their_numbers(series: Candidate, data: st.DataObject) -> None:
    count = series.frame_count
    which = sorted(data.draw(st.sets(st.integers(0, count - 1), min_size=1)) | {0})
    assert exposures_of(frames(series, which, told=False), series) == which


def test_distances_that_go_the_other_way_are_those_of_a_series_taken_the_other_way(series: Candidate) -> None:
    order = list(range(series.frame_count))[::-1]
    assert exposures_of(frames(series, order, told=True), series) == order
    # What is a little off is none: three tenths of the way to the next frame.
    ahead = frames(series, order[::-1], told=True)
    off = [replace(frame, subject_m=0.9 * (frame.subject_m or 0.0)) for frame in ahead]
    assert exposures_of(off, series) == order[::-1]


def test_the_account_of_the_run_goes_first(series: Candidate) -> None:
    given_frames = frames(series, [0, 1, 2], told=False)
    run = Run(frames=[RunFrame(file=frame.path.name, exposure=2 - k) for k, frame in enumerate(given_frames)])
    assert exposures_of(given_frames, series, run) == [2, 1, 0]


def test_more_frames_than_planned_have_no_exposure(series: Candidate) -> None:
    count = series.frame_count
    extra = frames(series, list(range(count)), told=False)
    more = [*extra, replace(extra[-1], path=Path("later.tif"))]
    found = exposures_of(more, series)
    assert found[:count] == list(range(count))
    assert found[count] is None


@given(st.data())
def test_shots_of_one_exposure_are_told_apart(series: Candidate, data: st.DataObject) -> None:
    shots = shots_of(range(series.frame_count), (0.0, -2.0, 2.0), several=range(series.frame_count))
    which = sorted(data.draw(st.sets(st.integers(0, len(shots) - 1), min_size=2)) | {0})
    # As many as there are exposures are taken for one of each.
    assume(len(which) != series.frame_count)
    numbered = [Frame(Path(f"frame-{k + 1:03d}.tif"), (9, 9)) for k in which]
    assert match(numbered, series.exposures, shots, None) == [shots[k] for k in which]
    run = Run(frames=[RunFrame(file=frame.path.name, exposure=shots[k].exposure, shot=shots[k].number)
                      for frame, k in zip(numbered, which, strict=True)])  # fmt: skip
    assert match(numbered[::-1], series.exposures, shots, run) == [shots[k] for k in which[::-1]]
    assert shots[1] == Shot(0, 1, -2.0)


def test_frames_taken_once_where_several_were_asked_for_are_each_their_own(series: Candidate) -> None:
    shots = shots_of(range(series.frame_count), (0.0,) * 3, several=range(series.frame_count))
    once = [Frame(Path(f"frame-{k + 1:03d}.tif"), (9, 9)) for k in range(series.frame_count)]
    assert match(once, series.exposures, shots, None) == [Shot(k) for k in range(series.frame_count)]
