"""Settings of the mechanism: numbers that turn back into the axis, and words for the direction."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import a_lens, make_plan
from verispect.kit.equipment import Body
from verispect.kit.lens import Lens
from verispect.kit.mounted_lens import optic_at
from verispect.kit.scale_settings import dial
from verispect.optics.movements import standard_matrix
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.mount import mount_of

GROUND = [(0.0, 0.0, 1.5), (0.3, 0.0, 3.0), (-0.5, 0.0, 9.0), (0.0, 0.0, 40.0)]


def optic(**values):
    return optic_at(Lens.model_validate(a_lens(50.0, tilt_deg=12.0) | values), 50.0)


@given(st.floats(-0.15, 0.15), st.floats(-0.15, 0.15))
def test_a_rotating_mount_turned_and_tilted_so_leans_the_axis_as_wanted(ax, ay) -> None:
    wanted = (ax, ay, math.sqrt(1.0 - ax * ax - ay * ay))
    found = dial(optic(tilt_mount="rotating"), Body(), wanted)
    assert -0.5 * math.pi - 1e-9 <= found.rotation_rad <= 0.5 * math.pi + 1e-9
    # Top forward by t about the horizontal, then the whole mount turned clockwise as seen from behind, where x is
    # to the right and y up: rotations written out.
    t, r = found.tilt_rad, found.rotation_rad
    plain = np.array([0.0, -math.sin(t), math.cos(t)])
    clockwise = np.array([[math.cos(r), math.sin(r), 0.0], [-math.sin(r), math.cos(r), 0.0], [0.0, 0.0, 1.0]])
    assert clockwise @ plain == pytest.approx(wanted, abs=1e-9)


@given(st.floats(-0.15, 0.15), st.floats(-0.15, 0.15))
def test_tilt_and_swing_make_the_axis(ax, ay) -> None:
    wanted = (ax, ay, math.sqrt(1.0 - ax * ax - ay * ay))
    lens = optic()
    found = dial(lens, Body(), wanted)
    matrix = standard_matrix(tilt_rad=found.tilt_rad, swing_rad=found.swing_rad, order=lens.lens.tilt_order)
    assert matrix[2] == pytest.approx(wanted, abs=1e-9)


def test_on_level_ground_the_top_leans_forward() -> None:
    # The hinge rule: 50 mm, lens 1.5 m above the ground: sin = f/J = 0.05/1.5.
    found = worked("tilt", build_scene(make_plan(GROUND, framing=50.0, lenses=[a_lens(50.0)])))
    mount = mount_of(found)
    assert mount.tilt_deg == pytest.approx(math.degrees(math.asin(0.05 / 1.5)), rel=0.02)
    assert any("the top of the lens leans 1.9" in str(line) and "ground" in str(line) for line in mount.says)


def test_a_wall_to_the_side_turns_the_mount_a_quarter() -> None:
    wall = [(-1.0, y, z) for y in (1.2, 1.8) for z in (2.0, 4.0, 15.0)]
    lens = a_lens(50.0, tilt_mount="rotating")
    mount = mount_of(
        worked("tilt", build_scene(make_plan(wall, framing=35.0, lenses=[lens | {"focal_mm": [35, 35]}])))
    )
    assert abs(mount.rotation_deg) == pytest.approx(90.0, abs=2.0)
    assert mount.swing_deg == 0.0
    assert any("only this one tilt" in str(line) for line in mount.says)


def test_a_lens_raised_is_said_to_stand_higher() -> None:
    plan = make_plan([(0.0, 5.0, 20.0)], lenses=[a_lens(24.0)], camera={"rise_mm": 6.0})
    mount = mount_of(worked("one-frame", build_scene(plan)))
    assert mount.rise_mm == pytest.approx(6.0, rel=0.01)
    assert any("stands 6.0 mm higher" in str(line) for line in mount.says)


def test_a_scale_whose_zero_is_off_is_told_what_to_read() -> None:
    """By hand: a lens that tilts by 0.4° where its scale reads 0 must read 0.4° less than the tilt."""
    lens = a_lens(24.0, tilt_scale_deg=0.5, tilt_zero_deg=0.4)
    mount = mount_of(worked("tilt", build_scene(make_plan(GROUND, lenses=[lens]))))
    told = next(str(line) for line in mount.says if "scale" in str(line))
    assert f"{mount.tilt_deg - 0.4:+.1f}°" in told
    assert "+0.40°" in told


@pytest.mark.parametrize("places", [[(0, 0, 2.0), (0, 0, 9.0)], [(0, 0, 1.5), (0, 0.2, 4.0), (0, 0, 12.0)]])
def test_marks_straight_ahead_ask_for_no_swing(places) -> None:
    """Few marks lie in many planes alike; the one that needs least of the lens is set."""
    exposure = worked("tilt", build_scene(make_plan(places))).exposures[0]
    assert abs(exposure.swing_deg) < 0.1
    assert exposure.tilt_deg > 0.3


def test_a_camera_hung_upside_down_is_told_as_one_sees_it() -> None:
    """The same ground, the same lean towards it: in words alike, on the mount's own scales of the other sign."""
    upright = mount_of(worked("tilt", build_scene(make_plan(GROUND))))
    hung = mount_of(worked("tilt", build_scene(make_plan(GROUND, camera={"roll_deg": 180.0}))))
    assert hung.tilt_deg == pytest.approx(-upright.tilt_deg, abs=0.02)
    told, other = [str(line) for line in upright.says], [str(line) for line in hung.says]
    assert "hangs upside down" in other[0]
    leans = next(line for line in told if "the top of the lens leans" in line)
    assert leans in other
    assert "towards the ground" in leans


@pytest.mark.parametrize(
    ("rise", "cross", "turn", "shift"), [(6.0, 0.0, 0.0, 6.0), (-6.0, 0.0, 0.0, -6.0), (3.0, 4.0, 53.13, 5.0),
                                         (-3.0, 4.0, -53.13, -5.0), (0.0, -5.0, -90.0, 5.0)]
)  # fmt: skip
def test_a_mount_that_is_turned_is_told_its_one_shift(rise: float, cross: float, turn: float, shift: float) -> None:
    """By hand: the top turned clockwise by R lies towards (sin R, cos R), and the shift goes along it."""
    lens = a_lens(24.0, tilt_mount="rotating", detents_deg=30.0, image_circle_mm=90.0)
    plan = make_plan([(0.0, 1.5, 5.0)], lenses=[lens], camera={"rise_mm": rise, "cross_mm": cross})
    mount = mount_of(worked("one-frame", build_scene(plan)))
    assert mount.rotation_deg == pytest.approx(turn, abs=0.01)
    assert mount.shift_mm == pytest.approx(abs(shift))
    assert (mount.rise_mm, mount.cross_mm) == pytest.approx((rise, cross))
    said = " ".join(str(line) for line in mount.says)
    assert f"shift the lens {abs(shift):.1f} mm {'towards' if shift > 0 else 'away from'} what was its top" in said
    assert ("turn the mount" in said) == (abs(turn) > 0.5)
    assert ("between two of them" in said) == (abs(turn) not in (0.0, 90.0))
    free = make_plan([(0.0, 1.5, 5.0)], lenses=[a_lens(24.0, image_circle_mm=90.0)],
                     camera={"rise_mm": rise, "cross_mm": cross})  # fmt: skip
    assert mount_of(worked("one-frame", build_scene(free))).rotation_deg == 0.0
