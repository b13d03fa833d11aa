"""A series by a lens that focuses internally: its focal length changes from frame to frame."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from tests.prove.conftest import QUICK, SIZE
from verispect.files.picture_out import Shot, write_picture
from verispect.plan.frames.between import focused_from
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.check import check
from verispect.prove.intake import described, read_coded
from verispect.prove.merge.depth_points import depth_points
from verispect.prove.merge.series import merge
from verispect.prove.refocused import blurs_apart, refocused
from verispect.rehearse.camera import Options
from verispect.rehearse.faults import parse_fault
from verispect.rig.rehearsed_run import Writing, rehearse_to

pytestmark = pytest.mark.xdist_group("internal focus")


@pytest.fixture(scope="module")
def inner() -> Candidate:
    """Some eight frames about a third of life size, where the lens has lost a fifth of its focal length."""
    lens = a_lens(100.0, f_numbers=[4, 4], closest_m=0.33, tilt_deg=0, pupil_magnification=0.8,
                  focusing="internal", closest_magnification=0.6)  # fmt: skip
    places = [(-0.04, 1.47, 0.42), (0.03, 1.52, 0.44), (-0.05, 1.54, 0.47), (0.05, 1.47, 0.5), (0.0, 1.5, 0.455)]
    plan = make_plan(places, framing=100.0, lenses=[lens], line_pairs_per_mm=0.6)
    return worked("series", build_scene(plan))


@pytest.fixture(scope="module")
def missed(inner: Candidate, tmp_path_factory) -> Path:
    """The fourth frame focused two allowed blurs too far away."""
    folder = tmp_path_factory.mktemp("inner") / "set"
    faults = [parse_fault("autofocus-miss@3:2", frames=inner.frame_count)]
    rehearse_to(inner, Options(pixels=SIZE, quality=QUICK), Writing(folder), faults=faults)
    return folder


def test_marks_and_the_missed_focus_are_told_and_nothing_else(missed: Path, inner: Candidate) -> None:
    """Held against one another by image distances alone, no mark of it could be told, and every pair had a gap."""
    assert inner.exposures[0].state.focal_mm < 92.0
    report = check([missed], candidate=inner)
    faults = {frame.planned_exposure: frame.faults for frame in report.frames if frame.faults}
    assert set(faults) == {3}
    assert [fault.name for fault in faults[3]] == ["missed-focus"]
    assert faults[3][0].size == pytest.approx(2.0, abs=0.3)
    assert "farther" in faults[3][0].says
    # But where that frame should have been.
    assert [gap["between"] for gap in report.gaps] == [[2, 4]]
    assert inner.rendering is not None
    told = [mark for mark in report.marks if mark.ranged is not None]
    assert len(told) >= 3
    for mark in told:
        assert mark.ranged.distance_m == pytest.approx(mark.ranged.planned_m, rel=0.01)
        k = inner.scene.names.index(mark.name)
        if inner.rendering.exposure[k] != 3:
            assert mark.softness == pytest.approx(float(inner.rendering.softness[k]), abs=0.35)


def test_a_merge_tells_distances_of_it(missed: Path, inner: Candidate) -> None:
    files = [path for k, path in enumerate(sorted(missed.glob("*.tif"))) if k != 3]
    exposures = [exposure for k, exposure in enumerate(inner.exposures) if k != 3]
    merged = merge(files, as_given=True, exposures=exposures, sensor_mm=inner.scene.plan.sensor_mm)
    points = depth_points(merged, inner)
    assert len(points.world_m) > 50
    # Everything stands between the nearest mark and the wall behind the farthest.
    away = points.world_m[:, 2]
    assert np.mean((away > 0.41) & (away < 0.53)) > 0.8


def test_a_camera_that_writes_what_is_engraved_is_set_as_planned(
    missed: Path, inner: Candidate, tmp_path: Path
) -> None:
    for k, path in enumerate(sorted(missed.glob("*.tif"))[:3]):
        state = inner.exposures[k].state
        focal = 100.0 if k < 2 else 60.0
        shot = Shot(focal_mm=focal, f_number=state.f_number, taken=described(path).taken)
        write_picture(tmp_path / path.name, read_coded(described(path)), shot=shot)
    report = check([tmp_path], candidate=inner)
    odd = [frame.planned_exposure for frame in report.frames if not frame.without("wrong-setting")]
    assert odd == [2]


def test_what_is_drawn_larger_was_focused_elsewhere(inner: Candidate) -> None:
    first, last = inner.exposures[0], inner.exposures[-1]
    beside = inner.exposures[1]
    grown = math.log(beside.state.pupil_scale_mm / first.state.pupil_scale_mm)
    again = refocused(first, grown)
    assert focused_from(again, first)[0] == pytest.approx(focused_from(beside, first)[0], rel=3e-3)
    assert blurs_apart(first, again) == pytest.approx(blurs_apart(first, beside), rel=0.05)
    assert blurs_apart(last, last) == 0.0
