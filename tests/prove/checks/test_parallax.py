"""How far off its pupil a head turned: by pinholes that really stand elsewhere, over a ground."""

from __future__ import annotations

from itertools import pairwise

import cv2
import numpy as np
import pytest

from tests.conftest import make_plan
from tests.prove.join.test_canvas import view
from verispect.plan.scene.scene import Scene, build_scene
from verispect.prove.checks.moved import shifts_between
from verispect.prove.checks.parallax import Shifts, Slide, depths_of, slide_of, slide_words
from verispect.prove.expected import View
from verispect.subject.surface import Surface

WIDE, HIGH = 300, 200


@pytest.fixture(scope="module")
def scene() -> Scene:
    plan = make_plan([(0.2, 1.2, 2.0), (-1.5, 1.6, 4.0)], framing=24.0)
    ground = Surface(name="Ground", x_m=0.0, y_m=0.0, z_m=1.0, width_m=60.0, length_m=40.0)
    return build_scene(plan.model_copy(update={"surfaces": (ground,)}))


def turned(scene: Scene, ahead_mm: float, rng: np.random.Generator, noise_px: float = 0.02) -> list[Shifts]:
    """Neighbours of a row that looks down: what pinholes ahead of the axis see of the ground, block by block."""
    eye = scene.pose.pupil_m
    views = [view(bearing, -14.0, 400.0) for bearing in (-30, -15, 0, 15, 30)]

    def seen(one: View, places: np.ndarray) -> np.ndarray:
        own = (places - eye - 0.001 * ahead_mm * one.rotation[2]) @ one.rotation.T @ one.to_pixels.T
        return own[:, :2] / own[:, 2:]

    found = []
    for first, second in pairwise(views):
        at = np.column_stack([rng.uniform(0, WIDE, 400), rng.uniform(0, HIGH, 400), np.ones(400)])
        rays = at @ np.linalg.inv(first.to_pixels).T @ first.rotation
        down = rays[:, 1] < -0.05
        places = eye + rays[down] * (eye[1] / -rays[down, 1])[:, None]
        own, other = seen(first, places), np.column_stack([seen(second, places), np.ones(down.sum())])
        laid = other @ second.onto(first).T
        laid = laid[:, :2] / laid[:, 2:]
        kept = (own[:, 0] > 0) & (own[:, 0] < WIDE) & (other[:, 0] > 0) & (other[:, 0] < WIDE)
        # A turn found a little wrong moves all of it.
        shifts = laid - own + rng.normal(0.0, 0.3, 2) + rng.normal(0.0, noise_px, own.shape)
        found.append(Shifts(first, second, own[kept], shifts[kept]))
    return found


@pytest.mark.parametrize("ahead_mm", [-30.0, -8.0, 0.0, 15.0, 60.0])
def test_it_is_told_with_its_sign(scene: Scene, ahead_mm: float) -> None:
    rng = np.random.default_rng(int(ahead_mm) + 100)
    found = slide_of(turned(scene, ahead_mm, rng), scene)
    assert found is not None
    assert found.ahead_mm == pytest.approx(ahead_mm, abs=max(1.5, 0.05 * abs(ahead_mm)))
    assert abs(found.ahead_mm - ahead_mm) < found.plus_minus_mm
    assert found.matters == (abs(ahead_mm) > 25.0), "a tenth of a pixel each mm"


def test_things_the_plan_does_not_have_do_not_mislead_it(scene: Scene) -> None:
    rng = np.random.default_rng(3)
    pairs = turned(scene, 20.0, rng)
    for pair in pairs:
        odd = rng.uniform(size=len(pair.shifts)) < 0.25
        pair.shifts[odd] += rng.normal(3.0, 2.0, (odd.sum(), 2))
    found = slide_of(pairs, scene)
    assert found is not None
    assert found.ahead_mm == pytest.approx(20.0, abs=2.5)


def test_without_known_depths_nothing_is_told(scene: Scene) -> None:
    bare = build_scene(scene.plan.model_copy(update={"surfaces": ()}))
    assert slide_of(turned(scene, 20.0, np.random.default_rng(1)), bare) is None
    assert slide_of([], scene) is None


def test_what_lies_along_a_ray_is_the_nearest_the_plan_has(scene: Scene) -> None:
    eye = scene.pose.pupil_m
    to_mark = scene.world_m[0] - eye
    away = np.linalg.norm(to_mark)
    rays = np.array([to_mark / away, [0.0, -1.0, 0.0], [0.0, -0.6, 0.8], [0.0, 1.0, 0.0]])
    told = depths_of(scene, rays)
    assert told[0] == pytest.approx(away)
    # Straight down the ground does not reach; ahead it is met at its height over the ray's fall.
    assert np.isnan(told[1])
    assert told[2] == pytest.approx(eye[1] / 0.6)
    assert np.isnan(told[3])


@pytest.mark.parametrize("shift", [0.2, 0.7, 2.5])
def test_shifts_are_exact_to_a_few_hundredths(shift: float) -> None:
    """Against a picture moved by OpenCV; the peak of a phase correlation had told small ones two thirds too large."""
    grain = np.random.default_rng(2).normal(size=(240, 320)).astype(np.float32)
    picture = 0.5 + 0.1 * cv2.GaussianBlur(grain, (0, 0), 1.6) * 4.0
    moved = cv2.warpAffine(picture, np.float32([[1, 0, shift], [0, 1, -0.5 * shift]]), (320, 240),
                           flags=cv2.INTER_LANCZOS4)  # fmt: skip
    moved += np.random.default_rng(4).normal(0.0, 0.002, moved.shape).astype(np.float32)
    found = shifts_between(picture, moved, np.ones(picture.shape, bool))
    assert len(found) > 20
    assert np.median(found[:, 2]) == pytest.approx(shift, abs=0.05)
    assert np.median(found[:, 3]) == pytest.approx(-0.5 * shift, abs=0.05)


def test_words_say_which_way_to_move() -> None:
    assert slide_words(None) == slide_words(Slide(1.0, 2.0, 5.0)) == []
    assert "12 ± 2 mm ahead of the axis; move the camera back" in str(slide_words(Slide(12.2, 2.0, 3.1))[0])
    assert "behind the axis; move the camera forward" in str(slide_words(Slide(-12.2, 2.0, 3.1))[0])
