"""Distances from where a mark is sharp, against the lens's conjugates and bisection along the line of sight."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import brentq

from tests.conftest import a_lens, make_plan
from verispect.optics.lens_state import focus_image_distance_mm, from_principal_point
from verispect.plan.frames.exposure import Exposure
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.softness.ranging import ranged


def exposure_of(method: str, **lens: float) -> Exposure:
    plan = make_plan([(-0.5, 0.4, 2.0), (0.4, 0.9, 3.5), (0.0, 1.6, 6.0)], lenses=[a_lens(**lens)])
    return worked(method, build_scene(plan)).exposures[0]


PLAIN, TILTED = exposure_of("one-frame", pupil_magnification=1.7), exposure_of("tilt", pupil_magnification=0.6)


def sharp_at(exposure: Exposure, place_m: np.ndarray) -> float:
    point = from_principal_point(exposure.pose.to_camera_mm(place_m), exposure.state)
    return float(focus_image_distance_mm(point, focal_mm=exposure.state.focal_mm, axis=exposure.state.axis))


@given(share=st.floats(0.6, 1.8), x=st.floats(-1, 1), y=st.floats(0.3, 2.5), z=st.floats(1.5, 12), tilt=st.booleans())
def test_a_mark_that_lies_elsewhere_on_its_line_of_sight_is_found_there(share, x, y, z, tilt) -> None:
    exposure = TILTED if tilt else PLAIN
    planned = np.array([x, y, z])
    really = exposure.pose.pupil_m + share * (planned - exposure.pose.pupil_m)
    found = ranged(exposure, planned, sharp_at(exposure, really), 1e-6)
    assert found is not None
    np.testing.assert_allclose(found.place_m, really, rtol=1e-6, atol=1e-6)
    assert found.distance_m == pytest.approx(share * found.planned_m, rel=1e-6)
    assert found.off_mm == pytest.approx(sharp_at(exposure, really) - sharp_at(exposure, planned), abs=1e-9)


def test_the_plus_minus_is_that_of_the_image_distance_carried_outside() -> None:
    planned = np.array([0.2, 1.4, 5.0])
    v, unsure = sharp_at(PLAIN, planned), 0.004
    found = ranged(PLAIN, planned, v, unsure)
    assert found is not None

    def off(share: float, wanted: float) -> float:
        return sharp_at(PLAIN, PLAIN.pose.pupil_m + share * (planned - PLAIN.pose.pupil_m)) - wanted

    ends = [brentq(off, 0.3, 30.0, args=(v + sign * unsure,)) for sign in (1, -1)]
    assert found.plus_minus_m == pytest.approx(0.5 * abs(ends[0] - ends[1]) * found.planned_m, rel=1e-6)


def test_what_may_lie_at_infinity_has_no_distance() -> None:
    assert ranged(PLAIN, np.array([0.0, 1.5, 400.0]), PLAIN.state.focal_mm + 0.001, 0.01) is None
