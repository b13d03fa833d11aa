"""Frame counts against exhaustive minima, and that nothing between near and far is left out."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as hypothesis_settings
from hypothesis import strategies as st

from tests.conftest import a_lens, make_plan
from verispect.optics.blur import blur_axes_mm, pupil_cones
from verispect.optics.lens_state import FORWARD
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.solve.focus_ladder import fewest_frames, stab
from verispect.plan.solve.problem import Problem, problem_for


def problem(depths: list[float], focal: float = 60.0, *, lens=None, marks=None, **wish) -> Problem:
    places = [(0.0, 1.5, z) for z in depths]
    plan = make_plan(places, framing=focal, lenses=[a_lens(focal, **(lens or {}))], marks=marks, **wish)
    return problem_for(build_scene(plan), plan.kit.lenses[0], focal)


def allowed(p: Problem, v: float, n: float) -> float:
    return float(p.criterion.allowed_blur_mm(p.state(f_number=n, image_distance_mm=v).working_f_number))


@given(st.lists(st.tuples(st.floats(0, 10), st.floats(0.01, 3)), min_size=1, max_size=7))
def test_stabbing_is_the_exhaustive_minimum(intervals) -> None:
    low = np.array([a for a, _ in intervals])
    high = np.array([a + w for a, w in intervals])
    points = stab(low, high)
    for a, b in zip(low, high, strict=True):
        assert any(a <= x <= b for x in points)
    # Some optimal answer uses upper ends only, so trying all sets of upper ends is exhaustive.
    fewest = next(
        size
        for size in range(1, len(low) + 1)
        if any(
            all(any(a <= x <= b for x in chosen) for a, b in zip(low, high, strict=True))
            for chosen in itertools.combinations(high, size)
        )
    )
    assert len(points) == fewest


@pytest.mark.parametrize("rule", ["disc", "root-sum", "wave"])
@pytest.mark.parametrize("pupil", [1.0, 0.6, 1.7])
def test_range_count_is_the_closed_form_at_every_stop(rule: str, pupil: float) -> None:
    task = problem([1.2, 3.0, 40.0], rule=rule, lens={"pupil_magnification": pupil})
    cone = pupil_cones(task.points_from_lens_mm(task.state(f_number=8, image_distance_mm=60)), task.state(
        f_number=8, image_distance_mm=60))  # fmt: skip
    exit_mm = 60.0 * (1.0 - pupil)
    near, far = cone.sharp_at_mm.max() - exit_mm, cone.sharp_at_mm.min() - exit_mm
    for n in task.stops[::3]:
        counts = []
        for v in (near + exit_mm, far + exit_mm):
            kappa = allowed(task, float(v), float(n)) * n / (pupil * 60.0)
            if not math.isnan(kappa):
                counts.append(math.ceil(math.log(near / far) / math.log((1 + kappa) / (1 - kappa)) - 1e-9))
        ladder = fewest_frames(task, stops=np.array([n]))
        if len(counts) < 2:
            # Diffraction spoils this stop at one end of the range at least.
            assert math.isinf(ladder.count)
        else:
            # ceil(ln(v_near/v_far)/ln ratio); c varies a little over the range, hence the two ends.
            assert min(counts) <= ladder.count <= max(counts)


def test_no_stop_gives_fewer_frames_than_the_one_chosen() -> None:
    task = problem([0.9, 2.0, 30.0], lens={"pupil_magnification": 1.3})
    chosen = fewest_frames(task)
    each = [fewest_frames(task, stops=np.array([n])).count for n in task.stops]
    assert chosen.count == min(each)


@hypothesis_settings(max_examples=25)
@given(st.floats(0.8, 3.0), st.floats(5.0, 500.0), st.sampled_from(["wave", "disc"]), st.floats(0.6, 1.8))
def test_everything_between_near_and_far_is_held(near: float, far: float, rule: str, pupil: float) -> None:
    task = problem([near, far], rule=rule, lens={"pupil_magnification": pupil})
    ladder = fewest_frames(task)
    between = np.zeros((400, 3))
    between[:, 2] = 1000.0 / np.linspace(1.0 / near, 1.0 / far, 400)
    softest = np.full(400, np.inf)
    for v in ladder.image_distances_mm:
        state = task.state(f_number=ladder.f_number, image_distance_mm=float(v))
        points = between + state.pupil_ahead_mm * np.array([0, 0, 1.0])
        long, _ = blur_axes_mm(points, state)
        softest = np.minimum(softest, long / allowed(task, float(v), ladder.f_number))
    assert softest.max() <= 1.0 + 1e-6


def test_marks_only_needs_no_more_than_the_range() -> None:
    task = problem([0.8, 0.82, 5.0, 5.2, 60.0])
    marks = fewest_frames(task, covers="marks")
    whole = fewest_frames(task, covers="range")
    assert marks.count <= 3
    assert marks.count < whole.count


@hypothesis_settings(max_examples=15)
@given(st.lists(st.floats(0.7, 60.0), min_size=2, max_size=6, unique=True))
def test_marks_count_is_the_exhaustive_minimum(depths: list[float]) -> None:
    task = problem(depths, lens={"f_numbers": [5.6, 5.6]}, rule="disc")
    ladder = fewest_frames(task, covers="marks")
    state = task.state(f_number=ladder.f_number, image_distance_mm=60.0)
    cones = pupil_cones(task.points_from_lens_mm(state), state)
    reach = task.criterion.disc_mm / cones.long_rate
    low, high = cones.sharp_at_mm - reach, cones.sharp_at_mm + reach
    places = np.sort(np.concatenate([high - 1e-9, low + 1e-9]))
    held = (low <= places[:, None]) & (places[:, None] <= high)
    fewest = next(
        k
        for k in range(1, len(depths) + 1)
        if any(held[list(rows)].any(axis=0).all() for rows in itertools.combinations(range(len(places)), k))
    )
    assert ladder.count == fewest


def test_frames_run_from_near_to_far_and_share_the_slack() -> None:
    task = problem([1.0, 20.0], rule="disc", lens={"f_numbers": [8, 8]})
    ladder = fewest_frames(task)
    v = ladder.image_distances_mm
    assert (np.diff(v) < 0.0).all()
    np.testing.assert_allclose(v[1:] / v[:-1], (v[1] / v[0]) * np.ones(len(v) - 1), rtol=1e-6)


def test_one_depth_takes_one_frame() -> None:
    assert fewest_frames(problem([2.0, 2.0])).count == 1


def test_detail_beyond_diffraction_has_no_series() -> None:
    scene = build_scene(make_plan([(0, 1.5, 2), (0, 1.5, 9)], lenses=[a_lens(24, f_numbers=[16, 22])],
                                  line_pairs_per_mm=9.0))  # fmt: skip
    candidate = worked("series", scene)
    assert not candidate.fits
    assert "even in perfect focus" in str(candidate.why_not[0])


def test_tilted_series_over_a_tilted_slab_takes_fewer_frames_than_a_straight_one() -> None:
    floor = [(x, y, z) for z in (1.2, 2.5, 6.0, 20.0) for x in (-0.4, 0.5) for y in (0.0, 0.12)]
    scene = build_scene(make_plan(floor, framing=60, lenses=[a_lens(60)], contrast_floor=0.35, print_mm=(1500, 1000)))
    straight, tilted = worked("series", scene), worked("tilt-series", scene)
    assert straight.is_sharp
    assert tilted.is_sharp
    assert tilted.frame_count < straight.frame_count


def test_tilted_series_axis_makes_the_depth_ratio_least() -> None:
    from verispect.plan.methods.tilt_series import shallowest_axis

    rng = np.random.default_rng(3)
    places = [(float(x), float(y), float(z)) for x, y, z in zip(
        rng.uniform(-1, 1, 7), rng.uniform(0, 1.2, 7), rng.uniform(1.5, 9, 7), strict=True)]  # fmt: skip
    plan = make_plan(places, framing=60, lenses=[a_lens(60, tilt_deg=6, pupil_magnification=1.4)])
    task = problem_for(build_scene(plan), plan.kit.lenses[0], 60.0)
    limit = math.radians(6.0)

    def ratio(axis) -> float:
        state = task.state(f_number=8, image_distance_mm=60, axis=axis)
        at = pupil_cones(task.points_from_lens_mm(state), state).sharp_at_mm - 60 * (1 - 1.4) * axis[2]
        return float(at.max() / at.min())

    best = ratio(shallowest_axis(task, limit))
    sines = np.linspace(-math.sin(limit), math.sin(limit), 61)
    searched = min(ratio((a, b, math.sqrt(1 - a * a - b * b))) for a in sines for b in sines)
    assert math.log(best) <= math.log(searched) * 1.0001
    assert best < ratio(FORWARD)


def test_moving_marks_take_part_with_their_own_allowance() -> None:
    still = problem([1.0, 20.0], series_covers="marks")
    moving = problem([1.0, 20.0], series_covers="marks", marks={"speed_mm_s": 15.0})
    assert fewest_frames(moving, covers="marks").count >= fewest_frames(still, covers="marks").count
