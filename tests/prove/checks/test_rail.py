"""Rails that go far between two frames: most of what these show grows otherwise than what is sharp."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.kit.equipment import Rail
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.check import check
from verispect.prove.checks.rail import (
    aside_by_depth_px,
    comes_nearer,
    laid_by_other_depths,
    misplaced,
    shifted_by_depths_px,
    step_mm,
)
from verispect.prove.expected import focus_from_pupil_m
from verispect.prove.focus_check import compare_sizes
from verispect.prove.report import FrameReport
from verispect.rehearse.camera import Options
from verispect.rehearse.faults import parse_fault
from verispect.rehearse.pupil_views import Quality
from verispect.rig.rehearsed_run import Writing, rehearse_to


@pytest.fixture(scope="module")
def coarse() -> Candidate:
    """Places a quarter of a metre apart in depth, looked down at, with 3 % of the distance from frame to frame."""
    lens = a_lens(70.0, f_numbers=[4, 4], closest_m=0.3, tilt_deg=0)
    places = [(-0.02, 0.22, 0.26), (0.015, 0.16, 0.26), (-0.03, 0.2, 0.345), (0.012, 0.09, 0.35), (0.0, 0.08, 0.42)]
    plan = make_plan(places, framing=70.0, lenses=[lens], camera={"height_m": 0.3, "pitch_deg": -25.0},
                     circle_mm=0.09, rule="disc")  # fmt: skip
    kit = plan.kit.model_copy(update={"rail": Rail(travel_mm=400.0)})
    return worked("rail-series", build_scene(plan.model_copy(update={"kit": kit})))


def test_no_good_frame_of_a_coarse_rail_is_accused_and_a_knock_is_found(coarse: Candidate, tmp_path) -> None:
    steps = comes_nearer(coarse.exposures)
    assert steps[0] == 0.0
    assert steps[1:].min() > 0.02
    fault = parse_fault("knock@3:9", frames=coarse.frame_count)
    rehearse_to(coarse, Options(pixels=(900, 600), quality=Quality(0.6, 3)), Writing(tmp_path), faults=[fault])
    report = check([tmp_path], candidate=coarse)
    assert {frame.planned_exposure for frame in report.frames if frame.faults} == {3}
    assert not report.frames[3].without("knock")


def test_a_frame_taken_half_a_step_off_is_told_and_less_is_not(coarse: Candidate) -> None:
    exposure, report = coarse.exposures[2], FrameReport(file="a.tif")
    step = step_mm(coarse.exposures)
    assert step == pytest.approx(
        1000.0 * np.linalg.norm(coarse.exposures[1].pose.pupil_m - coarse.exposures[0].pose.pupil_m), rel=0.05
    )
    share = step / 1000.0 / focus_from_pupil_m(exposure)
    assert not misplaced(coarse, exposure, 0.4 * share, report, least_blurs=0.0)
    assert not misplaced(coarse, exposure, 0.6 * share, report, least_blurs=99.0)
    assert report.faults == []
    assert misplaced(coarse, exposure, -0.6 * share, report, least_blurs=0.1)
    assert "too far back" in report.faults[0].says
    assert report.as_found is not None
    behind = (report.as_found.pose.pupil_m - exposure.pose.pupil_m) @ exposure.pose.forward
    assert 1000.0 * behind == pytest.approx(-0.6 * step)


def test_what_grows_by_what_stands_before_the_focus_was_taken_from_where_it_should(coarse: Candidate) -> None:
    """Shares of a step as they were measured in a traced series of a table top that had no texture in focus."""
    count = len(coarse.exposures)
    step = -float(comes_nearer(coarse.exposures)[1:].mean())
    planned = step * np.arange(count)
    more = np.array([0.01, -0.06, -0.04, -0.03, 0.0, 0.06, 0.11, 0.06, 0.18, 0.25, 0.33, 0.17, 0.21, 0.24, 0.26])

    def told(off: np.ndarray) -> dict[int, str]:
        reports = [FrameReport(file=f"{k}.tif") for k in range(count)]
        evidence = SimpleNamespace(candidate=coarse, matched=list(range(count)), exposures=coarse.exposures)
        scatter = np.full(count - 1, 3e-4)
        compare_sizes(evidence, reports, range(count), planned + step * off, planned, scatter)
        return {k: report.faults[0].says for k, report in enumerate(reports) if report.faults}

    creeps = np.concatenate([[0.0], np.cumsum(more[: count - 1])])
    assert creeps[-1] > 1.0
    assert told(creeps) == {}
    # One that stood a whole step farther on is told among them all the same.
    odd = told(creeps + (np.arange(count) == 4))
    assert list(odd) == [4]
    assert "too near" in odd[4]
    others = laid_by_other_depths(planned + step * creeps, planned)
    assert np.flatnonzero(others).tolist() == [k + 1 for k in range(count - 1) if abs(more[k]) > 0.15]
    usual, farther = (shifted_by_depths_px(coarse.exposures, [so] * count, 500.0) for so in (False, True))
    assert farther == pytest.approx(3.0 * usual)
    # Steps so fine that nothing is shifted by them are not told apart by what is measured.
    fine = 1e-3 * np.arange(5.0)
    assert not laid_by_other_depths(fine + 3e-4 * (np.arange(5) % 2), fine).any()


def test_a_thing_nearer_or_farther_than_all_others_has_not_moved(coarse: Candidate) -> None:
    """Boards before a blank wall that does not grow stand aside by all they grow themselves: a pinhole's places."""
    exposures = coarse.exposures
    last, before = exposures[-1], exposures[-2]
    near = np.array([0.03, 0.02, focus_from_pupil_m(last)])
    there = near.copy()
    there[2] += np.linalg.norm(last.pose.pupil_m - before.pose.pupil_m)
    places = [1500.0 * point[:2] / point[2] for point in (there, near)]
    grown = float(np.hypot(*(places[1] - places[0])))
    allowed = aside_by_depth_px(exposures, len(exposures) - 1, float(np.hypot(*places[1])))
    assert grown < 1.001 * allowed < 1.1 * grown
    # The first has the way to the second.
    assert aside_by_depth_px(exposures, 0, 100.0) == pytest.approx(100.0 * comes_nearer(exposures)[1])
    assert aside_by_depth_px([], 0, 100.0) == 0.0
