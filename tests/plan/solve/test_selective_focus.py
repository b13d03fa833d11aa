"""What is wanted soft is thrown out as far as any focus, stop, tilt and swing does it with every must sharp."""

from __future__ import annotations

import math
from itertools import product

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.optics.blur import blur_axes_mm, pupil_cones
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.solve.selective_focus import _each
from verispect.plan.solve.stop_choice import worst_at
from verispect.subject.mark import Mark


def scene_of(seed: int, *, flat: bool = False):
    """Two or three musts, one or two marks wanted soft, before a tilting lens with a wide circle.

    `flat` puts the musts nearly at one distance.
    """
    rng = np.random.default_rng(seed)
    count, soft = int(rng.integers(2, 4)), int(rng.integers(1, 3))
    depth = np.exp(rng.uniform(math.log(1.2), math.log(6.0), count + soft))
    if flat:
        depth[:count] = depth[0] * rng.uniform(0.97, 1.03, count)
    across, up = rng.uniform(-0.3, 0.3, count + soft) * depth, rng.uniform(-0.2, 0.2, count + soft) * depth
    places = [(float(x), float(1.5 + y), float(z)) for x, y, z in zip(across, up, depth, strict=True)]
    lens = a_lens(50.0, f_numbers=[2.8, 16], tilt_deg=8.0, image_circle_mm=300)
    plan = make_plan(places, framing=50.0, lenses=[lens], print_mm=(450, 300), rule=("disc", "wave")[seed % 2])
    marks = [mark.model_dump(mode="json") for mark in plan.marks]
    for mark in marks[count:]:
        mark |= {"need": "soft", "soft_times": 1.1}
    return build_scene(plan.model_copy(update={"marks": tuple(Mark.model_validate(mark) for mark in marks)}))


def softest_of_all(problem, *, nets: int, rounds: int) -> float:
    """The greatest least softness by search over axis and stop, at both ends of the focus that holds the musts."""
    soft = problem.looking(problem.pose, np.flatnonzero(problem.scene.wanted_soft))
    reach = math.sin(math.radians(problem.lens.tilt_deg)) if nets > 1 else 0.0

    def best_at(ax: float, ay: float) -> float:
        if max(abs(ax), abs(ay)) > reach + 1e-12:
            return 0.0
        axis, best = (ax, ay, math.sqrt(1.0 - ax * ax - ay * ay)), 0.0
        for stop in problem.stops:
            state = problem.state(f_number=float(stop), image_distance_mm=50.0, axis=axis)
            cones = pupil_cones(problem.points_from_lens_mm(state), state)
            room = problem.criterion.allowed_still_mm(float(stop) * 1.02) / cones.long_rate
            low, high = float((cones.sharp_at_mm - room).max()), float((cones.sharp_at_mm + room).min())
            for v in np.linspace(low, high, 5) if low <= high else ():
                tried = problem.state(f_number=float(stop), image_distance_mm=float(v), axis=axis)
                if worst_at(problem, tried) <= 1.0 + 1e-9:
                    blur = blur_axes_mm(soft.points_from_lens_mm(tried), tried)[0]
                    best = max(best, float(blur.min()) / problem.criterion.disc_mm)
        return best

    places = np.linspace(-reach, reach, nets) if nets > 1 else [0.0]
    net = sorted(((best_at(ax, ay), ax, ay) for ax, ay in product(places, repeat=2)), reverse=True)
    best = net[0][0]
    for start in net[:2]:
        found, step = start, reach / max(nets - 1, 1)
        for _ in range(rounds):
            about = [(found[1] + i * step, found[2] + j * step) for i, j in product((-1, 0, 1), repeat=2)]
            found = max([found, *((best_at(ax, ay), ax, ay) for ax, ay in about)])
            step *= 0.5
        best = max(best, found[0])
    return best


@pytest.mark.parametrize("seed", [1, 2, 4])
def test_one_frame_throws_out_as_much_as_any_focus_and_stop(seed) -> None:
    found = worked("one-frame", scene_of(seed, flat=True))
    assert found.holds
    if not found.soft_enough:
        pytest.skip("the wish is out of reach")
    assert float(found.defocus_times.min()) >= 0.97 * softest_of_all(found.problem, nets=1, rounds=0)


@pytest.mark.parametrize("seed", [0, 8])
def test_tilt_throws_out_as_much_as_any_plane(seed) -> None:
    found = worked("tilt", scene_of(seed))
    assert found.holds
    assert found.soft_enough
    assert float(found.defocus_times.min()) >= 0.95 * softest_of_all(found.problem, nets=7, rounds=4)
    straight = worked("one-frame", scene_of(seed))
    if straight.holds and straight.soft_enough:
        # The search includes the untilted frame.
        assert float(found.defocus_times.min()) >= 0.999 * float(straight.defocus_times.min())


def test_softness_is_in_circles_of_confusion_whatever_the_stop() -> None:
    found = worked("one-frame", scene_of(1, flat=True))
    problem = found.problem
    soft = problem.looking(problem.pose, np.flatnonzero(problem.scene.wanted_soft))
    state = found.exposures[0].state
    blur = blur_axes_mm(soft.points_from_lens_mm(state), state)[0]
    assert _each(soft, state) == pytest.approx(blur / problem.criterion.disc_mm)
