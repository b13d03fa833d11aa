"""What moved in frames of a grid, told by what overlaps showed."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from tests.prove.join.spheres import SIZE, painted_sphere, seen
from tests.prove.parting.test_unplanned_grid import save
from tests.prove.shake.test_swing import moved_as
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.check import check
from verispect.prove.checks.moved import Between, Moved
from verispect.prove.checks.moved_in_grid import InOverlap, tell_gusts, tell_moved
from verispect.prove.checks.pointing import Looked
from verispect.prove.expected import View
from verispect.prove.join.pointing import Pair
from verispect.prove.report import Fault, FrameReport
from verispect.prove.shake.gust import Gust


def all_lie_well(count: int, *beside: tuple[int, int]) -> tuple[list[Pair], Looked]:
    """Frames that all look one way, and what was found of the pairs that were held against one another."""
    view = View(np.eye(3), 800.0, (199.5, 149.5))
    pairs = [Pair(a, b, 0.5, 0.9, np.zeros(3), 0.2) for a, b in beside]
    even, joined = np.zeros(count), np.ones(count, bool)
    return pairs, Looked(
        np.zeros((count, 2)), even, even, joined, pairs, [view] * count, dict.fromkeys(beside, 0.0), [], []
    )


def focused_alike(_: Pair) -> float:
    """Both frames are focused alike."""
    return 0.0


def in_focus(_: InOverlap) -> float:
    """Neither frame of an overlap is out of focus beside the other."""
    return 0.0


def test_what_a_third_frame_decides_clears_the_other_of_what_none_can_decide() -> None:
    """A thing moved in frame 1: frame 2 vouches for 0 about one place of it; of another no third frame tells."""
    pairs, found = all_lie_well(3, (0, 1), (0, 2), (1, 2))
    seen = [
        # What no third frame tells of comes first, and would accuse the later of the two.
        InOverlap(pairs[2], 0, 0, Between([], Moved(220.0, 300.0, 8.0))),
        InOverlap(pairs[0], 0, 0, Between([], Moved(60.0, 80.0, 8.0))),
        InOverlap(pairs[1], 0, 0, Between([(60.0, 80.0)], None)),
    ]
    reports = [FrameReport(file=f"f{k}.tif") for k in range(3)]
    tell_moved([0, 1, 2], 1, found, seen, reports, focused_alike)
    assert [[fault.name for fault in report.faults] for report in reports] == [[], ["moved-subject"], []]


def test_pairs_that_lie_badly_accuse_nobody_of_what_moved() -> None:
    """Far out of focus a thing was found 6 px aside where its pair lay 3 px off; and in a pair that hardly counts.

    One frame blurred by 9 px more than the other shows edges that far aside by itself.
    """
    pairs, found = all_lie_well(3, (0, 1), (0, 2), (1, 2))
    aside = Between([(50.0, 60.0)] * 4, Moved(100.0, 120.0, 6.0))
    poor = replace(pairs[0], correlation=0.4)
    for pair, rest, blur_px, told in (
        (pairs[0], 0.2, 0, 1),
        (pairs[0], 2.9, 0, 0),
        (poor, 0.2, 0, 0),
        (pairs[0], 0.2, 9, 0),
    ):
        reports = [FrameReport(file=f"{k}.tif") for k in range(3)]
        lie = replace(found, rests={**found.rests, (0, 1): rest})
        tell_moved([0, 1, 2], 1, lie, [InOverlap(pair, 0, 0, aside)], reports, lambda _, blur=blur_px: float(blur))
        assert sum(len(report.faults) for report in reports) == told


def test_who_stands_aside_of_two_is_the_odd_one_whatever_lies_beside_it() -> None:
    """Frames 0 and 2 agree; 1 lies aside of both, on two blocks of one thing, and a third pair agrees close by."""
    pairs, found = all_lie_well(4, (0, 1), (1, 2), (1, 3))
    seen = [
        InOverlap(pairs[0], 0, 0, Between([], Moved(60.0, 80.0, 8.0))),
        InOverlap(pairs[1], 0, 0, Between([], Moved(70.0, 140.0, 8.0))),
        InOverlap(pairs[2], 0, 0, Between([(75.0, 155.0)], None)),
    ]
    reports = [FrameReport(file=f"f{k}.tif") for k in range(4)]
    tell_moved([0, 1, 2, 3], 1, found, seen, reports, focused_alike)
    assert [[fault.name for fault in report.faults] for report in reports] == [[], ["moved-subject"], [], []]


def test_what_moved_while_a_frame_was_taken_is_told_once_by_the_overlap_that_shows_most_of_it() -> None:
    """Frame 1 looks 80 px aside of frame 0, in whose pixels their overlap lies."""
    pairs, found = all_lie_well(3, (0, 1), (0, 2), (1, 2))
    aside = np.arctan(80.0 / 800.0)
    c, s = np.cos(aside), np.sin(aside)
    turned = View(np.array([[c, 0.0, -s], [0.0, 1.0, 0.0], [s, 0.0, c]]), 800.0, (199.5, 149.5))
    found = replace(found, views=[found.views[0], turned, found.views[2]])
    nothing = Between([], None)
    seen = [
        InOverlap(pairs[0], 0, 0, nothing, (None, Gust(149.5, 279.5, 6.0, 30.0, 200))),
        InOverlap(pairs[1], 0, 0, nothing),
        InOverlap(pairs[2], 0, 0, nothing, (Gust(20.0, 20.0, 9.0, 80.0, 100), None)),
    ]
    reports = [FrameReport(file=f"f{k}.tif") for k in range(3)]
    tell_gusts([0, 1, 2], 2, found, seen, reports, in_focus)
    assert [[fault.name for fault in report.faults] for report in reports] == [[], ["moved-subject"], []]
    told = reports[1].faults[0]
    assert told.size == pytest.approx(12.0)
    assert "along 30° while the shutter was open" in told.says
    # Of the pictures looked at a pixel is two of the frame's.
    ray = turned.rotation @ np.array([(559.5 - 199.5) / 800.0, (299.5 - 149.5) / 800.0, 1.0])
    row, column = 149.5 + 800.0 * ray[1] / ray[2], 199.5 + 800.0 * ray[0] / ray[2]
    assert told.at == pytest.approx((row, column), abs=1.0)
    pushed = [FrameReport(file=f"f{k}.tif") for k in range(3)]
    pushed[1].faults.append(Fault("knock", 3.0, "", ""))
    tell_gusts([0, 1, 2], 2, found, seen, pushed, in_focus)
    assert [len(report.faults) for report in pushed] == [0, 1, 0]


@pytest.mark.parametrize(("lines", "apart", "told"), [(True, 9.0, 0), (True, 5.0, 1), (False, 9.0, 1)])
def test_posts_that_focus_draws_out_as_far_have_not_moved(lines: bool, apart: float, told: int) -> None:
    """Twelve pixels across posts, where one frame is so many pixels farther out of focus than the other."""
    pairs, found = all_lie_well(2, (0, 1))
    seen = [InOverlap(pairs[0], 0, 0, Between([], None), (None, Gust(149.5, 279.5, 12.0, 0.0, 200, lines)))]
    reports = [FrameReport(file=f"f{k}.tif") for k in range(2)]
    tell_gusts([0, 1], 1, found, seen, reports, lambda _: apart)
    assert [len(report.faults) for report in reports] == [0, told]


def test_a_check_of_a_grid_tells_what_shook_where_two_frames_overlap(tmp_path: Path) -> None:
    """Where the frame beside it shows the same painted sphere at rest."""
    lens = a_lens(35.0, f_numbers=[8, 8], tilt_deg=0)
    places = [(-4.0, 1.0, 7.0), (0.0, 3.0, 7.4), (4.0, 0.5, 7.0)]
    plan = make_plan(places, framing=20.0, lenses=[lens])
    grid = worked("turned-grid", build_scene(plan))
    focal_px = 35.0 / (plan.sensor_mm[0] / SIZE[0])
    views = [
        View(exposure.pose.matrix, focal_px, ((SIZE[0] - 1) / 2, (SIZE[1] - 1) / 2)) for exposure in grid.exposures
    ]
    middle = views[0].rotation[2] + views[1].rotation[2]
    at = views[1].to_pixels @ views[1].rotation @ middle
    round_about = np.zeros(SIZE[::-1], np.float32)
    cv2.circle(round_about, (round(at[0] / at[2]), round(at[1] / at[2])), 55, 1.0, -1)
    for k, view in enumerate(views):
        light = (0.6 * seen(painted_sphere(3), view.rotation, focal_px=focal_px) ** 2.2).astype(np.float32)
        if k == 1:
            part = round_about[..., None]
            light = part * np.dstack([moved_as(light[..., c], 16.0, 40.0) for c in range(3)]) + (1.0 - part) * light
        save(tmp_path / f"frame-{k + 1:03d}.tif", light)
    report = check([tmp_path], candidate=grid)
    assert {k for k, frame in enumerate(report.frames) if frame.faults} == {1}
    told = report.frames[1].faults[0]
    assert told.name == "moved-subject"
    assert told.size == pytest.approx(16.0, rel=0.2)
    assert told.at is not None
    assert np.hypot(told.at[0] - at[1] / at[2], told.at[1] - at[0] / at[2]) < 60.0
