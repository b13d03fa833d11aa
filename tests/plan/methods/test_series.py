"""Frames to spare before and after a series, and one that goes on to infinity."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene

PLACES = [(0.1 * k, 1.5, z) for k, z in enumerate((1.2, 1.8, 3.0, 6.0))]


def series(*, closest_m=0.3, times=None, **wish):
    lens = a_lens(50.0, f_numbers=[5.6, 8], tilt_deg=0, closest_m=closest_m)
    plan = make_plan(PLACES, framing=50.0, lenses=[lens], **wish)
    if times:
        kit = plan.kit.model_copy(update={"times": plan.kit.times.model_copy(update=times)})
        plan = plan.model_copy(update={"kit": kit})
    return worked("series", build_scene(plan))


def distances(candidate):
    return [exposure.state.image_distance_mm for exposure in candidate.exposures]


def test_spare_frames_lie_beyond_the_ends_as_far_apart_as_the_others() -> None:
    plain, more = series(), series(spare_near=2, spare_far=1)
    assert plain.frame_count > 2
    assert more.frame_count == plain.frame_count + 3
    assert distances(more)[2:-1] == pytest.approx(distances(plain))
    steps = np.diff(distances(more))
    assert steps[:2] == pytest.approx(np.diff(distances(plain))[0], rel=1e-6)
    assert "3 of the frames are to spare" in str(more.notes[-1])
    assert more.time_on_site_s > plain.time_on_site_s


def test_none_nearer_than_the_lens_focuses_nor_beyond_infinity() -> None:
    near = series(spare_near=30, closest_m=0.9)
    assert max(distances(near)) <= near.problem.longest_image_mm + 1e-9
    far = series(spare_far=30)
    assert min(distances(far)) >= 50.0 - 1e-9
    assert far.exposures[-1].focus_m == float("inf") or far.exposures[-1].focus_m > 1e4


def test_a_series_that_ends_at_infinity_leaves_no_gap_on_the_way() -> None:
    plain, on = series(), series(last_at_infinity=True)
    assert distances(on)[-1] == pytest.approx(50.0)
    largest = max(a - b for a, b in pairwise(distances(plain)))
    assert all(a - b <= largest * (1.0 + 1e-6) for a, b in pairwise(distances(on)))
    assert on.holds


def test_one_frame_that_does_for_all_gets_no_company() -> None:
    lens = a_lens(24.0, f_numbers=[8, 8], tilt_deg=0)
    plan = make_plan([(0.0, 1.5, 8.0), (0.1, 1.5, 9.0)], lenses=[lens], spare_near=2, spare_far=2)
    assert worked("series", build_scene(plan)).frame_count == 1


def test_a_timer_and_a_flash_lengthen_every_frame() -> None:
    """By hand: the timer comes on top, a flash slower than the writing takes its place."""
    plain = series()
    lit = series(times={"timer_s": 2.0, "flash_recycle_s": 3.0})
    assert plain.scene.plan.kit.times.write_s == 0.5
    assert lit.time_on_site_s - plain.time_on_site_s == pytest.approx(plain.frame_count * (2.0 + 3.0 - 0.5))
    quick = series(times={"flash_recycle_s": 0.2})
    assert quick.time_on_site_s == pytest.approx(plain.time_on_site_s)


def test_the_own_blur_of_a_measured_lens_is_said_to_count() -> None:
    """By hand: between f/4 and f/16, two stops apart each, f/8 lies in the middle of both rows' figures."""
    rows = [
        {"f_number": 4, "centre_um": 4.0, "corner_um": 20.0},
        {"f_number": 16, "centre_um": 8.0, "corner_um": 10.0},
    ]
    lens = a_lens(50.0, f_numbers=[8, 8], residual=rows)
    plan = make_plan([(0.0, 1.5, 4.0), (0.2, 1.5, 6.0)], framing=50.0, lenses=[lens])
    said = next(str(note) for note in worked("one-frame", build_scene(plan)).notes if "itself blurs" in str(note))
    assert "6.0 µm in the middle and 15.0 µm in the corner at f/8" in said
    assert "least in the middle at f/4, in the corner at f/16" in said
    plain = make_plan([(0.0, 1.5, 4.0)], framing=50.0, lenses=[a_lens(50.0)])
    assert not any("itself blurs" in str(note) for note in worked("one-frame", build_scene(plain)).notes)
