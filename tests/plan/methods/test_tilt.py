"""The best tilt that an image circle and the marks of a scale leave, against every tilt there is."""

from __future__ import annotations

import math
from itertools import product

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.plan.methods.lens_search import corner_reserve_mm
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.solve.focus_plane import focus_for
from verispect.plan.solve.stop_choice import best_stop, judged


def narrow(seed: int, **lens_values):
    """A handful of marks before a lens whose circle hardly passes the sensor's corners (43.3 mm)."""
    rng = np.random.default_rng(seed)
    focal = float(rng.choice([24.0, 35.0, 50.0]))
    depth = np.exp(rng.uniform(math.log(0.025 * focal), math.log(0.4 * focal), 5))
    across = rng.uniform(-0.4, 0.4, 5) * depth * 32.0 / focal
    up = np.maximum(0.0, 1.5 + rng.uniform(-0.4, 0.4, 5) * depth * 24.0 / focal)
    up = np.clip(up, 1.5 - 0.45 * depth * 24.0 / focal, None)
    lens = a_lens(focal, image_circle_mm=float(rng.uniform(45.0, 50.0)),
                  pupil_magnification=(1.0, 0.7, 1.4)[seed % 3]) | lens_values  # fmt: skip
    places = [(float(x), float(y), float(z)) for x, y, z in zip(across, up, depth, strict=True)]
    return make_plan(places, framing=focal, lenses=[lens], contrast_floor=0.15, print_mm=(300, 200),
                     rule=("wave", "root-sum", "disc")[seed % 3])  # fmt: skip


def judged_at(problem, ax: float, ay: float) -> float:
    """How good the best lit frame with this axis is; infinite where a corner goes dark."""
    if max(abs(ax), abs(ay)) > math.sin(math.radians(problem.lens.tilt_deg)) + 1e-12:
        return math.inf
    axis = (ax, ay, math.sqrt(1.0 - ax * ax - ay * ay))
    state = focus_for(problem, f_number=problem.middle_stop, axis=axis, weights=problem.weights)
    if corner_reserve_mm(problem, state) < -1e-9:
        return math.inf
    return judged(problem, state.at(best_stop(problem, state)))


def best_of_all(problem) -> float:
    """Every tilt and swing on a coarse net, and then on finer ones about the best of it."""
    reach = math.sin(math.radians(problem.lens.tilt_deg))
    net = [(judged_at(problem, ax, ay), ax, ay) for ax, ay in product(np.linspace(-reach, reach, 15), repeat=2)]
    best = min(net)
    for start in sorted(net)[:3]:
        step, found = reach / 7.0, start
        for _ in range(7):
            step *= 0.5
            about = [(found[1] + i * step, found[2] + j * step) for i, j in product((-2, -1, 0, 1, 2), repeat=2)]
            found = min(found, *((judged_at(problem, ax, ay), ax, ay) for ax, ay in about))
        best = min(best, found)
    return best[0]


@pytest.mark.parametrize("seed", range(3))
def test_tilt_within_a_narrow_circle_is_the_best_there_is(seed) -> None:
    found = worked("tilt", build_scene(narrow(seed)))
    state = found.exposures[0].state
    assert corner_reserve_mm(found.problem, state) >= -1e-5
    reached, best = judged(found.problem, state), best_of_all(found.problem)
    assert reached <= best + 0.005 * abs(best)


@pytest.mark.parametrize("seed", range(2))
def test_on_a_scale_of_half_degrees_the_best_lit_marks_are_taken(seed) -> None:
    found = worked("tilt", build_scene(narrow(seed, tilt_scale_deg=0.5)))
    problem, state = found.problem, found.exposures[0].state
    assert corner_reserve_mm(problem, state) >= -1e-5
    degrees = np.arange(-8.5, 8.6, 0.5)
    # The swing rides on the tilt: its own axis leans with it.
    marks = [(math.sin(math.radians(s)), -math.sin(math.radians(t)) * math.cos(math.radians(s)))
             for t, s in product(degrees, repeat=2)]  # fmt: skip
    best = min(judged_at(problem, ax, ay) for ax, ay in marks)
    assert judged(problem, state) <= best + 0.02 * abs(best)


def test_a_lens_that_focuses_internally_keeps_its_corners_lit() -> None:
    plan = narrow(1, focusing="internal", closest_m=0.3, closest_magnification=0.3)
    found = worked("tilt", build_scene(plan))
    assert corner_reserve_mm(found.problem, found.exposures[0].state) >= -1e-4


def test_a_circle_that_nobody_told_does_not_hold_back_a_lens_built_to_tilt_and_is_said_to_be_taken() -> None:
    """A floor from 2.4 to 9 m under a lens 1.5 m up: the hinge rule asks for asin(f/J), here 0.92°."""
    floor = [(0.0, 0.0, 2.4), (0.8, 0.0, 3.5), (-0.6, 0.0, 9.0)]
    told, silent = (
        worked("tilt", build_scene(make_plan(floor, lenses=[a_lens(24.0, image_circle_mm=circle)])))
        for circle in (67.0, None)
    )
    assert silent.exposures[0].tilt_deg == pytest.approx(told.exposures[0].tilt_deg, abs=0.02)
    assert silent.exposures[0].tilt_deg == pytest.approx(math.degrees(math.asin(0.024 / 1.5)), abs=0.05)
    assert any("is not known and taken to be" in str(note) for note in silent.notes)
    assert not any("is not known" in str(note) for note in told.notes)
