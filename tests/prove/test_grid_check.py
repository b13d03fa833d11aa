"""Frames of a grid against one another: two faults at once in frames of a yard with walls and paving."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace
from typing import cast

import numpy as np
import pytest
import tifffile

from tests.conftest import a_lens, make_plan
from tests.prove.checks.test_moved_in_grid import all_lie_well
from tests.prove.checks.test_odd_places import SIZE, VIEWS, frames
from tests.prove.join.spheres import FOCAL_PX, turn
from verispect.files.plan_file import read_plan
from verispect.kit.lens import Lens
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.check import check
from verispect.prove.evidence import Evidence
from verispect.prove.expected import View
from verispect.prove.grid_check import _focused_alike, _shown_otherwise, _went_with_lead
from verispect.prove.intake import coded_of, linear_of
from verispect.prove.join.pointing import Pair, growth_agreed, growths, overlap_share
from verispect.prove.report import Fault, FrameReport
from verispect.rehearse.camera import Options
from verispect.rehearse.faults import parse_fault
from verispect.rehearse.pupil_views import Quality
from verispect.rig.rehearsed_run import Writing, rehearse_to

DEMO = Path(__file__).parents[2] / "src" / "verispect" / "ui" / "demo" / "demo.verispect"
OPTIONS = Options(pixels=(720, 480), quality=Quality(0.3, 2))


@pytest.mark.xdist_group("yard")
def test_shake_and_missed_focus_are_told_from_a_knock_in_a_grid(tmp_path: Path) -> None:
    plan = read_plan(DEMO)
    lens = a_lens(35.0, f_numbers=[8, 8], tilt_deg=0)
    plan = plan.model_copy(update={"kit": plan.kit.model_copy(update={"lenses": (Lens.model_validate(lens),)})})
    grid = worked("turned-grid", build_scene(plan))
    faults = [parse_fault(text, frames=grid.frame_count) for text in ("wind@2:6", "autofocus-miss@1:6")]
    run = rehearse_to(grid, OPTIONS, Writing(tmp_path), faults=faults)
    report = check([tmp_path], candidate=grid)
    found = {
        frame.planned_exposure: [fault.name for fault in frame.faults] for frame in report.frames if frame.faults
    }
    assert found == {1: ["missed-focus"], 2: ["motion"]}
    apart = abs(report.frames[2].motion_direction - run.frames[2].happened["wind_direction_deg"]) % 180
    assert min(apart, 180 - apart) < 12.0
    assert report.frames[1].faults[0].size == pytest.approx(6.0, abs=0.6)
    # Where light does not follow the focus, another focus takes none.
    assert max(abs(frame.exposure_stops) for frame in report.frames) < 0.02
    good = [frame for frame in report.frames if not frame.faults]
    assert max(float(np.hypot(*frame.shift_px)) for frame in good) < 0.35


def test_a_head_set_to_a_wrong_angle_is_told_with_how_far_and_a_frame_gone_by_what_it_leaves_open(
    tmp_path: Path, small_grid
) -> None:
    """Three degrees from the fifth frame on: no pair had been believed, and every frame was called good."""
    faults = [parse_fault(text, frames=small_grid.frame_count) for text in ("turn@4:3",)]
    run = rehearse_to(small_grid, OPTIONS, Writing(tmp_path), faults=faults)
    (tmp_path / "run.json").unlink()
    report = check([tmp_path], candidate=small_grid)
    first = small_grid.number_of(4)
    pushed = [frame for frame in report.frames if not frame.without("knock")]
    assert {small_grid.number_of(frame.planned_exposure) for frame in pushed} == set(
        range(first, small_grid.frame_count + 1)
    )
    state = small_grid.exposures[4].state
    expected = np.radians(3.0) * state.pupil_scale_mm / (36.0 / run.pixels[0])
    for frame in pushed:
        assert frame.shift_px[1] == pytest.approx(-expected, rel=0.03)
        assert [fault.name for fault in frame.faults] == ["knock"]
        assert f"the head looks elsewhere from frame-{first:03d}.tif on" in frame.faults[0].says
        assert ": by 3.0°" in frame.faults[0].says
    assert sum("the head looks elsewhere" in line for line in report.redo) == 1
    assert report.coverage is not None
    assert report.coverage.share < 1.0


def test_paving_laid_over_itself_a_few_slabs_on_accuses_nobody() -> None:
    """Pairs as they were measured in a good grid of nine: five of them laid the same slabs over others."""
    told = [(3, 4, -4e-5), (4, 5, 1e-5), (3, 6, 0.10073), (3, 7, 0.31688), (4, 6, 0.34099), (4, 7, 3e-5),
            (4, 8, 0.31748), (5, 7, 0.25599), (5, 8, 8e-5), (6, 7, -2e-5), (7, 8, -1e-5)]  # fmt: skip
    pairs = [Pair(a, b, 0.3, 0.74 if abs(g) > 0.01 else 0.99, np.zeros(3), 0.5, g) for a, b, g in told]
    grown = growths(pairs, 9)
    blamed = [k for k in range(3, 9) if abs(grown[k]) > 0.002 and growth_agreed(pairs, grown, k)]
    assert blamed == []
    # A frame that all its neighbours have grown alike is told all the same.
    pairs = [Pair(a, b, 0.3, 0.9, np.zeros(3), 0.2, 0.02 * ((b == 4) - (a == 4)))
             for a, b in ((1, 4), (3, 4), (4, 5), (4, 7), (1, 3), (5, 7))]  # fmt: skip
    grown = growths(pairs, 9)
    assert 0.015 < grown[4] < 0.021
    assert growth_agreed(pairs, grown, 4)
    # Of two that are joined to nothing else none can tell which.
    pairs = [Pair(a, b, 0.3, 0.9, np.zeros(3), 0.2, 0.008 * (b == 3)) for a, b in ((0, 1), (1, 2), (2, 3), (4, 5))]
    pairs[-1] = replace(pairs[-1], growth=0.008)
    grown = growths(pairs, 6)
    assert [k for k in (3, 4, 5) if abs(grown[k]) > 1e-3 and growth_agreed(pairs, grown, k)] == [3]
    lone = list(pairs)
    # A lone neighbour had a good frame 0.4 % smaller.
    little = [replace(pair, growth=-0.5 * pair.growth) for pair in lone]
    assert not growth_agreed(little, growths(little, 6), 3)
    # Clouds as they were measured in a good grid: one pair alone had a row smaller.
    told = [(0, 1, 0.003, 0.75), (1, 2, 0.015, 0.86), (1, 4, 0.099, 0.90), (2, 3, 0.032, 0.89), (4, 5, 0.003, 0.74),
            (5, 6, 0.019, 0.83), (6, 7, 0.025, 0.85)]  # fmt: skip
    pairs = [Pair(a, b, 0.4, alike, np.zeros(3), np.inf, g, blurred=g > 0.05) for a, b, g, alike in told]
    grown = growths(pairs, 8)
    assert abs(grown[1] - grown[4]) > 0.09
    assert not growth_agreed(pairs, grown, 1)
    # Two that know one another well, and the rest hardly, did not grow alike.
    pairs = [Pair(a, b, 0.3, 0.9, np.zeros(3), 0.2) for a, b in ((0, 1), (1, 2), (0, 2), (3, 4))]
    pairs += [Pair(a, b, 0.3, 0.7, np.zeros(3), 0.8, 0.003) for a, b in ((1, 3), (2, 4), (0, 3))]
    grown = growths(pairs, 5)
    assert grown[3:].min() > 0.0015
    assert not any(growth_agreed(pairs, grown, k) for k in range(5))
    # A single witness of which no two parts could be held against one another accuses nobody.
    alone = [replace(pair, residual_px=math.inf) if pair.growth else pair for pair in lone]
    assert not growth_agreed(alone, growths(alone, 6), 3)


def test_frames_that_only_unsure_pairs_join_to_the_rest_did_not_grow_together() -> None:
    """Of nine frames three were out of focus for the others: what little overlapped had all three 0.8 % smaller."""
    far = {5, 7, 8}
    beside = ((0, 1), (1, 2), (0, 3), (3, 4), (1, 4), (3, 6), (4, 6), (5, 7), (5, 8), (7, 8))
    sure = [Pair(a, b, 0.3, 0.9, np.zeros(3), 0.2) for a, b in beside]
    told = [Pair(a, b, 0.3, 0.45, np.zeros(3), 1.0, -0.008 * ((b in far) - (a in far)))
            for a, b in ((1, 5), (2, 5), (4, 7), (6, 7))]  # fmt: skip
    grown = growths([*sure, *told], 9)
    assert grown[sorted(far)].max() < -0.007
    assert not any(growth_agreed([*sure, *told], grown, k) for k in far)
    # Where pairs that are sure tell of it, of one of them alone, it is told.
    clear = [replace(pair, growth=-0.008 * ((pair.b == 7) - (pair.a == 7))) for pair in sure]
    joined = [Pair(a, b, 0.3, 0.9, np.zeros(3), 0.2, -0.008 * (b == 7)) for a, b in ((1, 5), (4, 7), (6, 7))]
    grown = growths([*clear, *joined], 9)
    assert [k for k in range(9) if abs(grown[k]) > 0.002 and growth_agreed([*clear, *joined], grown, k)] == [7]


def test_light_that_focus_takes_in_a_grid_is_no_exposures_fault(tmp_path: Path) -> None:
    """Frames of one time: what is focused at a metre loses 0.25 stops against what is far, as (1 + m)² has it."""
    lens = a_lens(85.0, f_numbers=[11, 11], tilt_deg=0, closest_m=0.5)
    places = [(-0.35, 1.5, 1.0), (0.0, 1.6, 1.6), (1.2, 1.4, 3.2)]
    grid = worked("turned-grid", build_scene(make_plan(places, framing=40.0, lenses=[lens], line_pairs_per_mm=0.3)))
    run = rehearse_to(grid, Options(pixels=(480, 320), quality=Quality(0.5, 3)), Writing(tmp_path))
    states = [exposure.state for exposure in grid.exposures]
    lost = np.array([-2.0 * np.log2(state.working_f_number / state.f_number) for state in states])
    assert np.ptp(lost) > 0.15
    for frame, stops in zip(run.frames, lost, strict=True):
        path = tmp_path / frame.file
        light = linear_of(tifffile.imread(path)) * 2.0**stops
        tifffile.imwrite(path, coded_of(light), photometric="rgb")
    report = check([tmp_path], candidate=grid)
    assert [fault.name for frame in report.frames for fault in frame.faults] == []
    assert max(abs(frame.exposure_stops) for frame in report.frames) < 0.03


def test_frames_are_held_against_those_focused_most_alike() -> None:
    class Known:
        """Frames by their image distance alone, mm."""

        matched = list(range(6))
        exposures = [
            SimpleNamespace(state=SimpleNamespace(image_distance_mm=v)) for v in (50, 52, 54, 50.2, 53.8, 51)
        ]

    cells = [[0, 2, 1], [3, 4], [5]]
    beside = {frozenset((1, 4)), frozenset((3, 5))}
    found = {tuple(sorted(pair)) for pair in _focused_alike(Known(), cells, beside)}
    within = {(0, 1), (1, 2), (3, 4)}
    # Every frame of two cells side by side with the nearest of the other; the first cell and the last do not meet.
    across = {(0, 3), (1, 3), (2, 4), (3, 5), (4, 5)}
    assert found == within | across
    assert _focused_alike(Known(), [[0], [3], [5]], {frozenset((0, 3))}) == []


@pytest.mark.parametrize("lead", [0, 1])
def test_of_two_frames_of_a_cell_the_cells_about_it_tell_which_was_pushed(lead: int) -> None:
    """The first was pushed 4.6 px; among themselves the second lay aside, and the grid knows where the lead looks."""
    within = [((0.0, 0.0), 0.0), ((4.3, -1.6), 0.001)]
    reports = [FrameReport(file="f0.tif"), FrameReport(file="f1.tif")]
    if lead == 1:
        reports[1].shift_px = (0.0, 0.01)
    else:
        reports[0].shift_px = (-4.3, 1.6)
        reports[1].faults = [Fault("knock", 4.6, "", "")]
    _went_with_lead([lead], [[0, 1]], within, reports)
    assert reports[1].shift_px == pytest.approx((0.0, 0.0), abs=0.02)
    assert reports[0].shift_px == pytest.approx((-4.3, 1.6), abs=0.02)
    # The lead's own fault is told with the other leads'.
    assert [fault.name for fault in reports[0].faults] == ([] if lead == 0 else ["knock"])
    assert reports[1].faults == []


def test_a_frame_that_went_with_a_pushed_one_of_its_cell_is_told_too() -> None:
    reports = [FrameReport(file=f"f{k}.tif") for k in range(3)]
    reports[0].shift_px = (0.0, 7.0)
    _went_with_lead([0], [[0, 1], [2]], [((0.0, 0.0), 0.0)] * 3, reports)
    assert [[fault.name for fault in report.faults] for report in reports] == [[], ["knock"], []]
    assert reports[1].faults[0].size == pytest.approx(7.0)


@pytest.mark.parametrize("joined", [True, False])
def test_what_moved_is_told_between_frames_that_their_focus_parts(joined: bool) -> None:
    """Pairs that are too unlike to accuse a frame of where it looks, which the rest of the grid may have told."""
    unlike = [Pair(a, b, overlap_share(VIEWS[a], VIEWS[b], SIZE), 0.5, np.zeros(3), 0.4) for a, b in ((0, 1), (1, 2))]
    assert not any(pair.sure for pair in unlike)
    # A fourth frame, of which nothing more is seen, lies well over all of them, or over all but one.
    beside = [Pair(k, 3, 0.0, 0.9, np.zeros(3), 0.2) for k in range(3) if joined or k != 1]
    assert all(pair.sure for pair in beside)
    _, found = all_lie_well(4)
    found = replace(
        found, pairs=[*unlike, *beside], views=[*VIEWS, View(turn(60.0, 0.0), FOCAL_PX, (159.5, 119.5))],
        colours=frames([(0, 0), (22.0, 0.0), (0, 0)], (2.0, 0.0, 2.0)) + frames([None] * 3)[:1],
    )  # fmt: skip
    reports = [FrameReport(file=f"f{k}.tif") for k in range(4)]
    evidence = cast(Evidence, SimpleNamespace(pixels=SIZE, is_cancelled=lambda: False, blurs_of=lambda _frames: None))
    _shown_otherwise(evidence, [0, 1, 2, 3], found, [False] * 4, reports)
    expected = [[], ["moved-subject"], [], []] if joined else [[], [], [], []]
    assert [[fault.name for fault in report.faults] for report in reports] == expected
