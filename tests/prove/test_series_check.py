"""A frame focused elsewhere, also of two, with marks told as they came out; small knocks, where they are sure."""

from __future__ import annotations

from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from tests.prove.checks.test_odd_places import with_ball
from tests.prove.join.spheres import painted_sphere, seen, turn
from tests.prove.merge.test_lights import out_of_focus
from tests.prove.parting.test_unplanned_grid import save
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.check import check
from verispect.prove.checks.pointing import unsure_px
from verispect.prove.report import FrameReport, Report
from verispect.prove.series_check import SeriesCheck
from verispect.rehearse.camera import Options
from verispect.rehearse.faults import parse_fault
from verispect.rig.rehearsed_run import Writing, rehearse_to

# Blurs of about two pixels are told in frames of this size.
PIXELS = (1200, 800)


@pytest.fixture(scope="module")
def pair() -> Candidate:
    """Two frames at 50 mm, f/5.6, that hold six marks from 2 to 5.6 m."""
    lens = a_lens(50.0, f_numbers=[5.6, 5.6], tilt_deg=0, shift_mm=0)
    places = [
        (-0.3, 1.5, 2.0),
        (0.25, 1.62, 2.25),
        (-0.25, 1.75, 2.6),
        (0.5, 1.3, 3.2),
        (0.1, 1.85, 4.2),
        (-0.9, 1.4, 5.6),
    ]
    found = worked("series", build_scene(make_plan(places, framing=50.0, lenses=[lens], print_mm=(260, 173))))
    assert found.frame_count == 2
    return found


def off(report: Report, run: dict[tuple[int, str], float]) -> list[float]:
    """How far the marks that were told are off what the simulated camera says of its frames."""
    told = [mark for mark in report.marks if mark.softness is not None]
    return [abs(mark.softness - run[(mark.frame, mark.name)]) for mark in told]


def checked(candidate: Candidate, to: Path, *faults: str) -> tuple[Report, list[float]]:
    """Rehearse with faults and check; the softness of marks is held against that of the frames as they happened."""
    asked = [parse_fault(fault, frames=candidate.frame_count) for fault in faults]
    run = rehearse_to(candidate, Options(pixels=PIXELS), Writing(to), faults=asked)
    truth = {
        (number, mark["name"]): mark["softness"] for number, frame in enumerate(run.frames) for mark in frame.marks
    }
    report = check([to], candidate=candidate)
    return report, off(report, truth)


def missed(report: Report) -> dict[int, float]:
    return {k: fault.size for k, frame in enumerate(report.frames) for fault in frame.faults}


def test_two_good_frames_accuse_nobody(pair: Candidate, tmp_path: Path) -> None:
    report, apart = checked(pair, tmp_path / "set")
    assert missed(report) == {}
    assert len(apart) >= 5
    assert max(apart) < 0.2


@pytest.mark.parametrize(("frame", "size"), [(0, -1.5), (1, 1.2)])
def test_of_two_frames_the_one_that_missed_its_focus_is_named(
    pair: Candidate, tmp_path: Path, frame: int, size: float
) -> None:
    report, apart = checked(pair, tmp_path / "set", f"autofocus-miss@{frame}:{size}")
    assert missed(report) == {frame: pytest.approx(abs(size), abs=0.15)}
    [fault] = report.frames[frame].faults
    assert ("farther" if size > 0.0 else "nearer") in fault.says
    assert len(apart) >= 3
    assert max(apart) < 0.3


def test_two_frames_that_came_to_be_focused_alike_are_both_to_be_taken_again(pair: Candidate, tmp_path: Path) -> None:
    """The first where the second is: they differ in nothing that would tell whose place it is."""
    report, apart = checked(pair, tmp_path / "set", "autofocus-miss@0:1.5")
    assert missed(report) == {k: pytest.approx(1.5, abs=0.15) for k in (0, 1)}
    assert all("this frame or the other" in frame.faults[0].says for frame in report.frames)
    assert len(report.redo) == 1
    assert apart == []


def test_where_a_frame_missed_its_focus_marks_are_told_as_they_came_out(series: Candidate, tmp_path: Path) -> None:
    """A mark that the frame was to hold is soft in all frames; held against the plan it would look sharp."""
    report, apart = checked(series, tmp_path / "set", "autofocus-miss@2:2")
    assert set(missed(report)) == {2}
    assert len(apart) >= 4
    assert max(apart) < 0.3
    assert any(mark.softness > (mark.planned or 0.0) + 0.4 for mark in report.marks if mark.softness is not None)


def test_a_focus_off_by_less_than_a_fault_accuses_nobody_but_marks_are_told_by_it(
    pair: Candidate, tmp_path: Path
) -> None:
    report, apart = checked(pair, tmp_path / "set", "autofocus-miss@1:0.5")
    assert missed(report) == {}
    assert len(apart) >= 4
    assert max(apart) < 0.2


@pytest.mark.parametrize(
    ("scatter_px", "astray_px", "told"),
    [(0.1, 0.0, {2}), (float("inf"), 0.1, {2}), (1.4, 0.0, set()), (0.1, 0.3, set())],
)
def test_a_small_knock_is_told_where_parts_of_frames_agree_how_far_they_lie(
    scatter_px: float, astray_px: float, told: set[int]
) -> None:
    """The third of five frames lies half a pixel aside; as its parts have it, or as none tells, or as few do."""
    reports = [FrameReport(f"{k}.tif") for k in range(5)]
    evidence = SimpleNamespace(
        frames=[SimpleNamespace(path=Path(f"{k}.tif")) for k in range(5)], reads=[], matched=[None] * 5,
        pixels=PIXELS, candidate=None,
    )  # fmt: skip
    offsets = np.zeros((5, 3))
    offsets[2] = (0.4, 0.3, 0.0)
    unsure = np.array([0.0, 0.0, *[unsure_px(scatter_px, 1)] * 2, 0.0])
    SeriesCheck(evidence, reports)._place(
        list(range(5)), offsets, np.zeros(5), unsure, lambda _n: astray_px, unsteady=False
    )
    assert {k for k, report in enumerate(reports) if report.faults} == told
    # Looked at four times smaller a scatter of 1.4 pixels is not much.
    assert unsure_px(1.4, 4) == 0.0


@pytest.mark.parametrize(("place", "size_px"), [((9.0, 12.0), 15.0), (None, 24.0)])
def test_a_small_thing_that_moved_before_what_stays_is_told_with_how_far(
    tmp_path: Path, place: tuple[float, float] | None, size_px: float
) -> None:
    """Six frames of one view, out of focus by discs of known size; in one the ball stands elsewhere, or not at all.

    Blocks that are told to move show the wall behind it. Where it is gone its width is told.
    """
    view = painted_sphere()
    for k, disc in enumerate((6.0, 4.0, 2.0, 0.0, 2.0, 4.0)):
        light = seen(view, turn(0.0, 0.0))
        at = (240.0, 160.0) if k != 2 else None if place is None else (240.0 + place[0], 160.0 + place[1])
        light = light if at is None else with_ball(light, *at)
        light = out_of_focus(np.asarray(light, np.float64), disc)
        noisy = np.clip(light + np.random.default_rng(k).normal(0.0, 0.003, light.shape), 0.0, 1.0)
        save(tmp_path / f"frame-{k + 1}.tif", noisy)
    report = check([tmp_path])
    (fault,) = report.frames[2].faults
    assert fault.name == "moved-subject"
    assert fault.size == pytest.approx(size_px, rel=0.3)
    assert [frame.faults for k, frame in enumerate(report.frames) if k != 2] == [[]] * 5
