"""Who tilts on a view camera: the lens, the back with the camera turned, or the back alone where it stands."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import differential_evolution

from tests.conftest import a_lens, make_plan
from verispect.kit.standards import Standards
from verispect.optics.blur import blur_axes_mm
from verispect.optics.lens_state import from_principal_point
from verispect.optics.movements import standard_matrix
from verispect.plan.document import ManualSetting, Plan
from verispect.plan.entry.manual_setting import worked_by_hand
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.mount import mount_of


def view_camera(standards: Standards, places: list[tuple[float, float, float]] | None = None, **body) -> Plan:
    low = [(0.0, 0.0, 6.0), (1.0, 0.04, 9.0), (-2.0, 0.0, 15.0), (0.5, 0.1, 8.0), (2.0, -0.03, 20.0)]
    plan = make_plan(
        places or low,
        framing=150.0,
        lenses=[a_lens(150.0, tilt_deg=20, shift_mm=40, image_circle_mm=300)],
        camera={"pitch_deg": -4},
    )
    made = {"sensor_mm": (120.0, 96.0), "pixels": (12000, 9600), "back_tilt_deg": 15.0} | body
    data = plan.model_dump(by_alias=True)
    data["kit"]["body"] |= made
    data["choice"]["standards"] = standards.value
    return Plan.model_validate(data)


def tilted(standards: Standards, **body) -> Candidate:
    return worked("tilt", build_scene(view_camera(standards, **body)))


def test_lens_and_back_give_the_same_picture_by_other_settings() -> None:
    by_lens, by_back = tilted(Standards.LENS), tilted(Standards.BACK)
    lens, back = mount_of(by_lens), mount_of(by_back)
    assert (lens.back_tilt_deg, lens.back_swing_deg) == (0.0, 0.0)
    assert (back.tilt_deg, back.swing_deg) == pytest.approx((0.0, 0.0), abs=1e-9)
    assert by_back.worst_softness == pytest.approx(by_lens.worst_softness, rel=1e-3)
    # What leans the lens forward leans the back back, by as much.
    assert back.back_tilt_deg == pytest.approx(-lens.tilt_deg, abs=0.1)


@pytest.mark.parametrize("order", ["swing rides", "tilt rides"])
def test_a_back_that_leans_where_the_camera_stands_is_the_best_of_all_its_leans(order: str) -> None:
    """SciPy's differential evolution over the back's two angles and the extension, on the exact blur."""
    found = tilted(Standards.BACK_IN_PLACE, back_order=order)
    exposure, scene = found.exposures[0], found.scene
    assert np.asarray(exposure.state.axis) @ exposure.pose.matrix == pytest.approx(scene.pose.forward, abs=2e-6)
    mount = mount_of(found)
    assert (mount.tilt_deg, mount.swing_deg, mount.shift_mm) == pytest.approx((0.0, 0.0, 0.0), abs=1e-3)
    # The settings told are those of the sensor that was reckoned with.
    told = standard_matrix(
        tilt_rad=math.radians(mount.back_tilt_deg), swing_rad=math.radians(mount.back_swing_deg), order=order
    )
    assert told @ scene.pose.matrix == pytest.approx(exposure.pose.matrix, abs=1e-6)

    problem = found.problem
    assert problem is not None

    def worst(x) -> float:
        back = standard_matrix(tilt_rad=x[0], swing_rad=x[1], order=order)
        axis = tuple(back[:, 2])
        state = problem.state(f_number=exposure.state.f_number, image_distance_mm=x[2], axis=axis)
        seen = (scene.world_m - scene.pose.pupil_m) @ (back @ scene.pose.matrix).T * 1000.0
        return float(blur_axes_mm(from_principal_point(seen, state), state)[0].max())

    limit = math.radians(15.0)
    best = differential_evolution(worst, [(-limit, limit), (-limit, limit), (135.0, 170.0)], seed=1, tol=1e-8)
    assert found.rendering is not None
    assert float(found.rendering.blur_long_mm.max()) <= best.fun * 1.02


def test_what_it_does_to_upright_lines_is_told_and_is_what_pitching_the_sensor_does() -> None:
    """By hand: an upright at tangents (±x) before a sensor pitched by p leans by x tan p; both sides together."""
    found = tilted(Standards.BACK_IN_PLACE)
    note = next(line for line in mount_of(found).says if "upright lines" in str(line))
    pitch = math.asin(found.exposures[0].pose.forward[1])
    half_width, half_height = 60.0 / 150.0, 48.0 / 150.0
    by_hand = 2.0 * half_width * math.tan(pitch) * 2.0 * half_height * 150.0 / 0.01
    assert note.values["pixels"] == pytest.approx(abs(by_hand), rel=1e-6)
    assert pitch > 0.0
    assert str(note.values["end"]) == "top"
    assert not any("upright lines" in str(line) for line in mount_of(tilted(Standards.BACK)).says)


def test_scales_of_the_back_are_kept_and_a_setting_by_hand_leans_it_too() -> None:
    found = tilted(Standards.BACK_IN_PLACE, angle_scale_deg=1.0)
    mount = mount_of(found)
    assert mount.back_tilt_deg == pytest.approx(round(mount.back_tilt_deg), abs=1e-6)
    by_hand = worked_by_hand(
        found.scene, ManualSetting(lens="150 tilt", tilt_deg=6.0, image_distance_mm=160.0, f_number=16.0)
    )
    assert by_hand is not None
    exposure = by_hand.exposures[0]
    assert np.asarray(exposure.state.axis) @ exposure.pose.matrix == pytest.approx(by_hand.scene.pose.forward)
    assert mount_of(by_hand).back_tilt_deg == pytest.approx(-6.0)


def test_a_series_along_a_leaning_back_holds() -> None:
    found = worked("tilt-series", build_scene(view_camera(Standards.BACK_IN_PLACE)))
    assert found.holds
    for exposure in found.exposures:
        assert np.asarray(exposure.state.axis) @ exposure.pose.matrix == pytest.approx(
            found.scene.pose.forward, abs=2e-6
        )


def test_without_a_back_that_tilts_nothing_changes() -> None:
    one, other = (tilted(standards, back_tilt_deg=0.0) for standards in (Standards.LENS_FIRST, Standards.BACK))
    assert one.exposures[0].state == other.exposures[0].state
