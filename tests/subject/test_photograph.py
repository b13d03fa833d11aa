"""Single-view measuring against pictures made by an independent pinhole: SciPy's rotations and plain projection."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from verispect.errors import GeometryError
from verispect.subject.photograph import (
    Photograph,
    above,
    from_known_height,
    level_from_horizon,
    level_from_verticals,
    on_plane,
)

ANGLES = {"bearing": st.floats(-60, 60), "pitch": st.floats(-40, 40), "roll": st.floats(-25, 25)}


def pinhole(world: np.ndarray, *, height: float, bearing: float, pitch: float, roll: float, photo: Photograph):
    """Pixels (row, column) of world places by SciPy's rotations; our world is left-handed, so z is turned.

    In the right-handed frame (x right, y up, −z away) a bearing to the right is a negative turn about y, a
    pitch up a positive one about x, a roll to the right a negative one about z.
    """
    flipped = (np.asarray(world, float) - [0.0, height, 0.0]) * [1.0, 1.0, -1.0]
    turn = Rotation.from_euler("YXZ", [-bearing, pitch, -roll], degrees=True)
    seen = turn.inv().apply(flipped)
    px = photo.focal_mm * photo.pixels[0] / photo.sensor_long_mm
    column = 0.5 * (photo.pixels[0] - 1) + px * seen[..., 0] / -seen[..., 2]
    row = 0.5 * (photo.pixels[1] - 1) - px * seen[..., 1] / -seen[..., 2]
    return np.stack([row, column], axis=-1)


def taken(bearing: float, pitch: float, roll: float) -> Photograph:
    return Photograph(bearing_deg=bearing, pitch_deg=pitch, roll_deg=roll)


@given(**ANGLES, x=st.floats(-3, 3), y=st.floats(-1, 4), z=st.floats(4, 30))
def test_directions_are_those_of_an_independent_pinhole(bearing, pitch, roll, x, y, z) -> None:
    photo = taken(bearing, pitch, roll)
    # A place ahead of the camera as it is turned.
    ahead = Rotation.from_euler("YXZ", [-bearing, pitch, -roll], degrees=True).apply([x, y, -z]) * [1, 1, -1]
    world = ahead + np.array([0, 1.5, 0])
    pixel = pinhole(world, height=1.5, bearing=bearing, pitch=pitch, roll=roll, photo=photo)
    towards = ahead / np.linalg.norm(ahead)
    assert photo.directions(pixel) == pytest.approx(towards, abs=1e-9)
    assert photo.pixel_of(towards) == pytest.approx(pixel, abs=1e-6)


@given(**ANGLES)
def test_level_from_verticals_and_from_the_horizon(bearing, pitch, roll) -> None:
    turn = Rotation.from_euler("YXZ", [-bearing, pitch, -roll], degrees=True)
    feet = [turn.apply([x, y, -12.0]) * [1, 1, -1] + [0, 1.5, 0] for x, y in ((-6, -1), (5, 0.5), (1, -2))]
    photo = Photograph(bearing_deg=bearing)
    how = {"height": 1.5, "bearing": bearing, "pitch": pitch, "roll": roll, "photo": photo}
    lines = np.array([pinhole(np.array([foot, foot + np.array([0, 1.0, 0])]), **how) for foot in feet])
    level = level_from_verticals(photo, lines)
    assert math.degrees(level.pitch_rad) == pytest.approx(pitch, abs=1e-6)
    assert math.degrees(level.roll_rad) == pytest.approx(roll, abs=1e-6)
    forward = math.radians(bearing)
    far = [[1e6 * math.sin(forward + t), 1.5, 1e6 * math.cos(forward + t)] for t in (-0.3, 0.25)]
    level = level_from_horizon(photo, pinhole(np.array(far), **how))
    assert math.degrees(level.pitch_rad) == pytest.approx(pitch, abs=1e-6)
    assert math.degrees(level.roll_rad) == pytest.approx(roll, abs=1e-6)


def test_the_level_is_as_sure_as_hands_that_draw_it_again_and_again() -> None:
    """Seeded hands: line ends off by two pixels 19 times in 20, drawn 400 times."""
    photo = Photograph(bearing_deg=0.0)
    how = {"height": 1.5, "bearing": 0.0, "pitch": 8.0, "roll": 2.0, "photo": photo}
    feet = np.array([[-4.0, 0.0, 12.0], [4.0, 0.0, 14.0], [1.0, 0.5, 9.0]])
    lines = np.array([pinhole(np.array([foot, foot + np.array([0, 5.0, 0])]), **how) for foot in feet])
    told = level_from_verticals(photo, lines)
    rng = np.random.default_rng(5)
    drawn = [level_from_verticals(photo, lines + rng.normal(0.0, 1.0, lines.shape)) for _ in range(400)]
    for key in ("pitch", "roll"):
        spread = np.std([getattr(one, f"{key}_rad") for one in drawn])
        assert getattr(told, f"{key}_plus_minus_rad") == pytest.approx(2.0 * spread, rel=0.08)


def test_degenerate_lines_are_told() -> None:
    photo = Photograph()
    line = np.array([[100.0, 100.0], [900.0, 100.0]])
    with pytest.raises(GeometryError, match="two or more"):
        level_from_verticals(photo, line[None])
    with pytest.raises(GeometryError, match="on one another"):
        level_from_verticals(photo, np.array([line, line + 0.01]))
    with pytest.raises(GeometryError, match="two ends"):
        level_from_horizon(photo, line[[0, 0]])
    # Parallel on the picture is no fault: the camera is level then.
    level = level_from_verticals(photo, np.array([line, line + np.array([0, 3000.0])]))
    assert level.pitch_rad == pytest.approx(0.0, abs=1e-12)


def test_a_foot_on_the_floor_and_what_stands_above_it() -> None:
    """Seen 1.5 m up and 30° down, by hand: 1.5/tan 30° along the ground."""
    down = math.radians(30.0)
    direction = np.array([0.0, -math.sin(down), math.cos(down)])
    eye, up = np.array([0.0, 1.5, 0.0]), np.array([0.0, 1.0, 0.0])
    foot, off = on_plane(direction, eye_m=eye, point_m=np.zeros(3), normal=up, angle_plus_minus_rad=0.001)
    assert foot == pytest.approx([0.0, 0.0, 1.5 / math.tan(down)], abs=1e-12)
    # By differences: the slope distance h/sin(30° ± 0.001).
    expected = (1.5 / math.sin(down - 0.001) - 1.5 / math.sin(down + 0.001)) / 2.0
    assert off == pytest.approx(expected, rel=1e-4)
    top = above(foot, np.array([0.0, 0.0, 1.0]), eye_m=eye)
    assert top == pytest.approx([0.0, 1.5, foot[2]])
    with pytest.raises(GeometryError, match="does not meet"):
        on_plane(-direction, eye_m=eye, point_m=np.zeros(3), normal=up, angle_plus_minus_rad=0.0)
    with pytest.raises(GeometryError, match="nothing stands"):
        above(foot, np.array([0.0, 0.0, -1.0]), eye_m=eye)


@given(away=st.floats(2, 60), height=st.floats(0.5, 8), length=st.floats(0.3, 9), bearing=st.floats(-0.5, 0.5))
def test_one_known_length_fixes_the_scale(away, height, length, bearing) -> None:
    place = np.array([away * math.sin(bearing), 0.0, away * math.cos(bearing)])
    eye = np.array([0.0, height, 0.0])
    foot, top = ((p - eye) / np.linalg.norm(p - eye) for p in (place, place + np.array([0, length, 0])))
    assert from_known_height(foot, top, length_m=length) == pytest.approx((away, height), rel=1e-6)
    with pytest.raises(GeometryError):
        from_known_height(top, top, length_m=length)
