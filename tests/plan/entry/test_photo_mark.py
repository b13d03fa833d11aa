"""Clicks on a photograph as marks in a plan, by hand-worked geometry; and the field of softness beside the marks."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import make_plan
from verispect.errors import GeometryError, PlanError
from verispect.plan.entry.photo_mark import levelled, mark_seen, scaled_by
from verispect.plan.frames.softness_field import softness_at
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.subject.photograph import HAND_PX, Level, Photograph
from verispect.subject.surface import Surface


def plan_with(photo: Photograph | None = None, **camera):
    plan = make_plan([(0.0, 0.0, 4.0), (0.5, 1.4, 9.0)], camera=camera)
    wall = Surface(name="Wall", kind="wall", z_m=8.0, slope_deg=90.0, plus_minus_m=0.1)
    return plan.model_copy(update={"photograph": photo or Photograph(), "surfaces": (wall,)})


def unit(x: float, y: float, z: float) -> np.ndarray:
    found = np.array([x, y, z])
    return found / np.linalg.norm(found)


def test_a_click_on_the_ground_with_every_share_of_its_doubt() -> None:
    """1.5 m up, 0.3 down for 1 ahead: 5 m away. Doubt by differences: the angle's, and the height's in proportion."""
    plan = plan_with(Photograph(pitch_plus_minus_deg=0.5), height_plus_minus_m=0.05)
    mark = mark_seen(plan, unit(0, -0.3, 1), name="Gully", stands="ground")
    assert (mark.x_m, mark.y_m, mark.z_m) == (0.0, 0.0, 5.0)
    angle = math.hypot(HAND_PX / plan.photograph.focal_px, math.radians(0.5))
    down = math.atan(0.3)
    by_angle = (1.5 / math.sin(down - angle) - 1.5 / math.sin(down + angle)) / 2.0
    by_height = math.hypot(5.0, 1.5) * 0.05 / 1.5
    assert mark.plus_minus_m == pytest.approx(math.hypot(by_angle, by_height), rel=0.02)


def test_a_click_on_a_wall_at_a_distance_and_above_a_foot() -> None:
    plan = plan_with()
    on_wall = mark_seen(plan, unit(0.25, 0.1, 1), name="Sign", stands="surface", index=0)
    assert (on_wall.x_m, on_wall.y_m, on_wall.z_m) == pytest.approx((2.0, 2.3, 8.0))
    assert on_wall.plus_minus_m >= 0.1
    far = mark_seen(plan, unit(0, 0, 1), name="Post", stands="distance", distance_m=12.0)
    assert (far.z_m, far.plus_minus_m) == (12.0, 0.0)
    top = mark_seen(plan, unit(0, 0.25, 1), name="Top", stands="above", index=0)
    assert (top.x_m, top.y_m, top.z_m) == pytest.approx((0.0, 2.5, 4.0))


def test_what_does_not_fix_a_distance_is_told() -> None:
    plan = plan_with()
    for how, words in (
        ({"stands": "surface", "index": 4}, "add a surface first"),
        ({"stands": "above", "index": 9}, "catch the foot first"),
    ):
        with pytest.raises(PlanError, match=words):
            mark_seen(plan, unit(0, -0.1, 1), name="x", **how)
    with pytest.raises(GeometryError, match="does not meet"):
        mark_seen(plan, unit(0, 0.2, 1), name="x", stands="ground")


@given(away=st.floats(3, 40), height=st.floats(0.6, 5))
def test_a_known_length_is_as_sure_as_hands_that_draw_it_again(away, height) -> None:
    """Seeded hands: both ends off by two pixels 19 times in 20."""
    plan = plan_with()
    ends = [math.atan2(-height, away), math.atan2(2.0 - height, away)]
    foot, top = (unit(0, math.tan(a), 1) for a in ends)
    found = scaled_by(plan, foot, top, length_m=2.0)
    assert (found.away_m, found.height_m) == pytest.approx((away, height), rel=1e-6)
    rng = np.random.default_rng(1)
    hand = HAND_PX / plan.photograph.focal_px
    slopes = np.tan(np.array(ends) + 0.5 * hand * rng.standard_normal((4000, 2)))
    drawn = 2.0 / (slopes[:, 1] - slopes[:, 0])
    assert found.away_plus_minus_m == pytest.approx(2.0 * drawn.std(), rel=0.1)
    assert found.height_plus_minus_m == pytest.approx(2.0 * (-drawn * slopes[:, 0]).std(), rel=0.1)


def test_levelling_takes_the_camera_along_or_not() -> None:
    level = Level(math.radians(3.0), math.radians(-1.0), math.radians(0.2), math.radians(0.1))
    both = levelled(plan_with(), level, with_camera=True)
    assert (both.photograph.pitch_deg, both.camera.pitch_deg, both.camera.roll_deg) == (3.0, 3.0, -1.0)
    assert both.camera.pitch_plus_minus_deg == 0.2
    alone = levelled(plan_with(), level, with_camera=False)
    assert (alone.photograph.roll_deg, alone.camera.pitch_deg) == (-1.0, 0.0)
    with pytest.raises(GeometryError, match="seen above the camera"):
        scaled_by(plan_with(), unit(0, 0.1, 1), unit(0, 0.3, 1), length_m=1.0)


@pytest.mark.parametrize("key", ["one-frame", "tilt", "series", "turned-grid"])
def test_the_field_is_what_the_marks_are(key) -> None:
    candidate = worked(key, build_scene(make_plan([(0.0, 1.2, 2.0), (0.4, 1.9, 5.0), (-0.8, 1.0, 14.0)])))
    if not candidate.fits:
        return
    scene = candidate.scene
    found = softness_at(scene.world_m, candidate.exposures, candidate.criterion, scene.plan.sensor_mm)
    assert found == pytest.approx(candidate.rendering.softness, rel=1e-9)
    behind = softness_at(np.array([[0.0, 1.5, -3.0]]), candidate.exposures, candidate.criterion, scene.plan.sensor_mm)
    assert np.isnan(behind).all()
