"""How large frames are drawn: what creeps within what is known of it accuses no frame's focus, what jumps does."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace
from typing import cast

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.prove.parting.scenes import SIZE, focused
from verispect.plan.methods.candidate import Candidate
from verispect.prove.check import check
from verispect.prove.evidence import Evidence
from verispect.prove.expected import view_of
from verispect.prove.focus_check import _by_steps, in_order_after_all, moved_by_focus, out_of_its_order
from verispect.prove.parting.passes import detail_of
from verispect.prove.refocused import refocused
from verispect.prove.report import FrameReport


@given(st.lists(st.floats(-2.9e-4, 2.9e-4), min_size=2, max_size=30))
def test_a_creep_within_what_is_known_is_none(steps: list[float]) -> None:
    rest = np.cumsum([0.0, *steps])
    assert not _by_steps(rest - np.median(rest), np.full(len(steps), 1e-4)).any()


@given(st.integers(0, 8), st.floats(4e-4, 1e-2), st.sampled_from([-1.0, 1.0]))
def test_one_frame_that_jumps_is_as_far_off_as_it_jumped(odd: int, size: float, way: float) -> None:
    rest = np.zeros(9)
    rest[odd] = way * size
    np.testing.assert_allclose(_by_steps(rest, np.full(8, 1e-4)), rest, atol=1e-12)


def test_all_from_one_frame_on_may_be_off() -> None:
    rest = np.array([0.0, 0.0, 0.0, 0.0, 2e-3, 2e-3])
    np.testing.assert_allclose(_by_steps(rest, np.full(5, 1e-4)), rest, atol=1e-12)


# Places of focus close together, the third frame of five elsewhere in `MISSED`.
STEPS, MISSED = (2.0, 2.7, 3.4, 4.1, 4.8), (2.0, 2.7, 5.5, 4.1, 4.8)


def told(pictures: list[np.ndarray], pushed: float) -> list[list[str]]:
    """What is said of frames four times as large, of which the third lies so many pixels to the right."""
    reports = [FrameReport(f"{k}.tif", shift_px=(0.0, pushed if k == 2 else 0.0)) for k in range(len(pictures))]
    frames = [SimpleNamespace(path=Path(f"{k}.tif")) for k in range(len(pictures))]
    evidence = cast(Evidence, SimpleNamespace(pixels=(4 * SIZE[0], 4 * SIZE[1]), frames=frames))
    used = range(len(pictures))
    out_of_its_order(used, [detail_of(picture) for picture in pictures], reports)
    before = [fault.name for report in reports for fault in report.faults]
    in_order_after_all(evidence, used, pictures, reports)
    return [before, [fault.name for report in reports for fault in report.faults]]


@pytest.mark.parametrize("seed", [0, 2, 4])
def test_a_frame_that_was_pushed_is_not_focused_elsewhere(seed: int) -> None:
    pictures = [focused(seed, place, aside_px=4 if k == 2 else 0, noise=k) for k, place in enumerate(STEPS)]
    assert told(pictures, 16.0) == [["missed-focus"], []]


@pytest.mark.parametrize("seed", [0, 2, 4])
def test_nor_is_one_in_which_something_moved(seed: int) -> None:
    pictures = [focused(seed, place, noise=k) for k, place in enumerate(STEPS)]
    # A speckled thing of a seventeenth of the picture is there in one frame alone.
    pictures[2][60:130, 90:160] = np.random.default_rng(seed).uniform(0.02, 1.0, (70, 70))
    assert told(pictures, 0.0) == [["missed-focus"], []]


@pytest.mark.parametrize("pushed", [0.0, 16.0])
def test_one_that_missed_its_focus_is_told_pushed_or_not(pushed: float) -> None:
    pictures = [focused(1, place, aside_px=round(pushed / 4.0) * (k == 2), noise=k) for k, place in enumerate(MISSED)]
    assert told(pictures, pushed) == [["missed-focus"], ["missed-focus"]]


@pytest.mark.xdist_group("frames")
def test_a_frame_far_out_of_focus_is_told_alone_with_how_far(rehearsed, series: Candidate) -> None:
    """The simulated camera's: its disc is a fourteenth of the frame."""
    report = check([rehearsed("autofocus-miss@6:-40")], candidate=series)
    # It stands before the last frame, which is laid over nothing else.
    assert [(k, fault.name) for k, one in enumerate(report.frames) for fault in one.faults] == [(6, "missed-focus")]
    assert report.frames[6].faults[0].size == pytest.approx(40.0, rel=0.15)
    assert "focused nearer" in report.frames[6].faults[0].says


@pytest.mark.parametrize(("right_mm", "rise_mm"), [(0.0, 9.0), (-4.0, 0.0), (0.0, 0.0)])
def test_a_shifted_lens_focused_elsewhere_has_not_moved_the_camera(
    series: Candidate, right_mm: float, rise_mm: float
) -> None:
    """What the middle of the sensor shows lies where a ray through the middle of a thin lens meets the sensor."""
    exposure = replace(series.exposures[2], sensor_centre_mm=(right_mm, rise_mm))
    taken = refocused(exposure, 0.008)
    assert exposure.state.pupil_magnification == 1.0
    pixels, pitch_mm = (720, 480), 36.0 / 720.0
    evidence = SimpleNamespace(
        candidate=series, pixels=pixels, pitch_mm=pitch_mm, view=lambda k: view_of(exposure, pixels, pitch_mm)
    )
    moved = moved_by_focus(cast(Evidence, evidence), 2, FrameReport("2.tif", as_found=taken))
    farther = taken.state.image_distance_mm / exposure.state.image_distance_mm - 1.0
    # Seen from the front, up and right; of the picture, which is the other way about, down and left.
    expected = farther * np.array([rise_mm, -right_mm]) / pitch_mm
    np.testing.assert_allclose(moved[:2], expected, atol=1e-9)
    assert (np.abs(expected).max() > 0.5) == bool(right_mm or rise_mm)
