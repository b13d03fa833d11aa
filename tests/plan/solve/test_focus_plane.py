"""The best plane against searches of the exact blur that know nothing of linear programmes."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import differential_evolution

from tests.conftest import a_lens, make_plan
from verispect.optics.blur import blur_axes_mm
from verispect.optics.lens_state import from_principal_point
from verispect.plan.scene.scene import build_scene
from verispect.plan.solve.focus_plane import best_focus, best_plane, focus_for
from verispect.plan.solve.minimax import least_worst, polish
from verispect.plan.solve.problem import Problem, problem_for


def problem(places, focal: float = 24.0, **lens) -> Problem:
    plan = make_plan(places, framing=focal, lenses=[a_lens(focal, **lens)])
    return problem_for(build_scene(plan), plan.kit.lenses[0], focal)


def scattered(seed: int, count: int) -> list[tuple[float, float, float]]:
    rng = np.random.default_rng(seed)
    z = np.exp(rng.uniform(math.log(1.5), math.log(40.0), count))
    return [(float(x * d), float(1.5 + y * d), float(d)) for x, y, d in zip(
        rng.uniform(-0.5, 0.5, count), rng.uniform(-0.3, 0.3, count), z, strict=True)]  # fmt: skip


def worst(p: Problem, state) -> float:
    return float(np.max(p.weights * blur_axes_mm(p.points_from_lens_mm(state), state)[0]))


CASES = [
    (1, 5, 24, 8.5, 1.0),
    (2, 7, 45, 4.0, 1.5),
    (3, 6, 90, 15.0, 0.6),
    (4, 9, 24, 8.5, 2.0),
    (5, 4, 90, 8.5, 1.0),
]


@pytest.mark.parametrize(("seed", "count", "focal", "limit", "p"), CASES)
def test_advised_tilt_is_the_exhaustive_optimum(seed, count, focal, limit, p) -> None:
    # The oracle is SciPy's differential evolution on the exact blur; the target is 0.5 %.
    task = problem(scattered(seed, count), float(focal), tilt_deg=limit, pupil_magnification=p, image_circle_mm=900)
    found = best_plane(task, f_number=8.0, weights=task.weights, limit_rad=math.radians(limit))
    sine = math.sin(math.radians(limit))

    def cost(q: np.ndarray) -> float:
        ax, ay, axial = q
        az = math.sqrt(1.0 - ax * ax - ay * ay)
        state = task.state(f_number=8.0, image_distance_mm=axial * az, axis=(ax, ay, az))
        return float(np.max(blur_axes_mm(from_principal_point(task.points_mm, state), state)[0]))

    span = [(-sine, sine), (-sine, sine), (0.95 * focal, min(1.3 * focal, task.longest_image_mm))]
    outside = differential_evolution(cost, span, seed=1, tol=1e-9, maxiter=400, popsize=15, polish=False)
    assert worst(task, found) <= outside.fun * 1.005 + 1e-6


def test_three_marks_are_all_sharp_when_tilt_reaches() -> None:
    task = problem([(-1.0, 0.0, 3.0), (2.0, 0.0, 6.0), (0.5, 0.1, 14.0)])
    found = best_plane(task, f_number=4.0, weights=task.weights, limit_rad=math.radians(8.5))
    assert worst(task, found) < 1e-7


def test_floor_below_the_lens_asks_for_forward_tilt_by_the_hinge_rule() -> None:
    # Marks on the ground 1.5 m below: sin α = f / J with J = 1.5 m, so 0.917° for 24 mm.
    task = problem([(-1.0, 0.0, 2.0), (1.0, 0.0, 4.0), (0.0, 0.0, 30.0), (2.0, 0.0, 9.0)])
    found = best_plane(task, f_number=8.0, weights=task.weights, limit_rad=math.radians(8.5))
    assert found.axis[1] < 0.0
    assert math.degrees(math.asin(-found.axis[1])) == pytest.approx(math.degrees(math.asin(24 / 1500)), abs=1e-3)
    assert worst(task, found) < 1e-6


def test_tilt_stays_within_its_limit_and_the_rotating_mount_within_its_circle() -> None:
    places = [(-0.3, 0.9, 0.6), (0.5, 1.2, 1.0), (0.9, 1.9, 2.5), (-0.4, 1.4, 1.4)]
    for mount in ("free", "rotating"):
        task = problem(places, 45.0, tilt_deg=2.0, tilt_mount=mount)
        state = best_plane(task, f_number=8.0, weights=task.weights, limit_rad=math.radians(2.0))
        ax, ay, _ = state.axis
        sine = math.sin(math.radians(2.0)) * (1.0 + 1e-9)
        assert max(abs(ax), abs(ay)) <= sine
        if mount == "rotating":
            assert math.hypot(ax, ay) <= sine


def test_weight_draws_the_plane_nearer() -> None:
    places = [(0.0, 1.5, 3.0), (0.0, 1.5, 9.0)]
    task = problem(places)
    even = focus_for(task, f_number=8.0, weights=np.array([1.0, 1.0]))
    near = focus_for(task, f_number=8.0, weights=np.array([4.0, 1.0]))
    assert near.image_distance_mm > even.image_distance_mm


def test_two_marks_on_the_axis_share_the_blur_equally() -> None:
    # Harmonic mean: with p = 1 the best focus for u1 and u2 lies at v in the middle of theirs, weighed by 1/v.
    task = problem([(0.0, 1.5, 2.0), (0.0, 1.5, 8.0)])
    state = focus_for(task, f_number=8.0, weights=task.weights)
    long, _ = blur_axes_mm(task.points_from_lens_mm(state), state)
    assert long[0] == pytest.approx(long[1], rel=1e-9)


def test_focus_stops_at_closest_focus() -> None:
    task = problem([(0.0, 1.5, 0.2), (0.0, 1.5, 0.3)], closest_m=1.0)
    state = focus_for(task, f_number=8.0, weights=task.weights)
    assert state.image_distance_mm == pytest.approx(task.longest_image_mm)


@given(st.lists(st.tuples(st.floats(24, 30), st.floats(0.1, 5.0)), min_size=1, max_size=12))
def test_best_focus_is_the_minimum_of_a_convex_worst(marks) -> None:
    at, rates = np.array(marks).T
    v = best_focus(at, rates)
    dense = np.linspace(at.min(), at.max(), 4001)
    searched = np.min(np.max(rates[:, None] * np.abs(dense - at[:, None]), axis=0))
    assert np.max(rates * np.abs(v - at)) <= searched + 1e-9


@given(st.integers(0, 10_000))
def test_linear_programme_beats_random_points(seed: int) -> None:
    rng = np.random.default_rng(seed)
    matrix, offsets = rng.normal(size=(100, 3)), rng.normal(size=100)
    bound = np.ones(3)
    x, reached = least_worst(matrix, offsets, lower=-bound, upper=bound)
    assert reached == pytest.approx(np.max(np.abs(matrix @ x + offsets)), rel=1e-9)
    guesses = rng.uniform(-1, 1, (2000, 3))
    assert reached <= np.max(np.abs(guesses @ matrix.T + offsets), axis=1).min() + 1e-9


def test_polish_never_makes_it_worse() -> None:
    def curved(x: np.ndarray) -> np.ndarray:
        return np.array([x[0] ** 2 + x[1] - 1.0, np.sin(3.0 * x[0]) - x[1], x[0] * x[1]])

    start = np.array([0.3, 0.1])
    before = np.max(np.abs(curved(start)))
    x, after = polish(
        curved, start, lower=np.full(2, -2.0), upper=np.full(2, 2.0), steps=np.array([0.2, 0.2]), rounds=20
    )
    assert after <= before
    assert after == pytest.approx(np.max(np.abs(curved(x))))
    grid = np.stack(np.meshgrid(*[np.linspace(x[k] - 0.2, x[k] + 0.2, 81) for k in range(2)]), axis=-1).reshape(-1, 2)
    assert after <= min(np.max(np.abs(curved(g))) for g in grid) + 2e-3
