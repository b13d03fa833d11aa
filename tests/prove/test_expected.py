"""Where frames lie as planned, against independent rays of the tests' own oracle."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import a_lens, make_plan
from tests.outside.oracle import rim_on_sensor
from verispect.files.weighing_json import weighing_to_dict
from verispect.plan.advise.weigh import Weighing
from verispect.plan.frames.between import focused_from
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.expected import drawn_larger, focus_from_pupil_m, light_stops, view_of

PIXELS, PITCH = (3600, 2400), 0.01


@pytest.mark.parametrize("key", ["series", "turned-grid"])
@settings(max_examples=8, deadline=None)
@given(st.floats(0.6, 1.8))
def test_the_homography_takes_a_mark_from_frame_to_frame(key: str, magnification: float) -> None:
    """Through the middle of the blur that thin-lens rays of the oracle make on each sensor."""
    lens = a_lens(50.0, f_numbers=[8, 8], tilt_deg=0, pupil_magnification=magnification)
    places = [(-0.3, 1.4, 2.0), (0.3, 1.6, 9.0), (0.8, 1.5, 5.0)]
    plan = make_plan(places, framing=35.0 if key == "turned-grid" else 50.0, lenses=[lens])
    candidate = worked(key, build_scene(plan))
    if not candidate.fits or candidate.frame_count < 2:
        return
    weighing = weighing_to_dict(Weighing(candidate.scene, (candidate,), key, ()))
    exposures = weighing["methods"][0]["exposures"]
    written = plan.model_dump(mode="json", by_alias=True)
    views = [view_of(exposure, PIXELS, PITCH) for exposure in candidate.exposures]
    for mark in written["marks"]:
        seen = []
        for exposure in exposures[:2]:
            rim, _ = rim_on_sensor(written, exposure, mark)
            x0, y0 = exposure.get("sensor_centre_mm", (0.0, 0.0))
            column = (x0 - rim[:, 0].mean()) / PITCH + 0.5 * (PIXELS[0] - 1)
            row = (rim[:, 1].mean() - y0) / PITCH + 0.5 * (PIXELS[1] - 1)
            seen.append(np.array([column, row, 1.0]))
        moved = views[0].onto(views[1]) @ seen[0]
        assert moved[:2] / moved[2] == pytest.approx(seen[1][:2], abs=0.3)


def test_onto_itself_and_back_is_nothing(small_grid) -> None:
    views = [view_of(exposure, PIXELS, PITCH) for exposure in small_grid.exposures]
    for first in views:
        assert first.onto(first) == pytest.approx(np.eye(3), abs=1e-9)
        for second in views:
            back = second.onto(first) @ first.onto(second)
            assert back / back[2, 2] == pytest.approx(np.eye(3), abs=1e-6)


def test_light_is_lost_by_extension() -> None:
    """The light follows (f-number / working f-number)²: two stops at life size (common practice)."""
    lens = a_lens(100.0, f_numbers=[8, 8], tilt_deg=0, closest_m=0.2)
    near = worked("one-frame", build_scene(make_plan([(0.0, 1.5, 0.45)], framing=100.0, lenses=[lens])))
    far = worked("one-frame", build_scene(make_plan([(0.0, 1.5, 400.0)], framing=100.0, lenses=[lens])))
    state = near.exposures[0].state
    time = np.log2(near.exposures[0].shutter_s / far.exposures[0].shutter_s)
    lost = 2 * np.log2(state.working_f_number / state.f_number)
    assert light_stops(near.exposures[0]) - light_stops(far.exposures[0]) == pytest.approx(time - lost, abs=0.02)


def test_on_a_rail_one_frame_tells_how_another_would_have_to_be_focused(rail) -> None:
    """Rays of the oracle: what one place holds sharp is drawn so much larger there, and sharp at that distance."""
    scene = rail.scene
    written = scene.plan.model_dump(mode="json", by_alias=True)
    weighing = weighing_to_dict(Weighing(scene, (rail,), "rail-series", ()))
    told = weighing["methods"][0]["exposures"]
    first, far = rail.exposures[0], rail.exposures[-1]
    at = far.pose.pupil_m + focus_from_pupil_m(far) * far.pose.forward + 0.03 * far.pose.right
    mark = {"x_m": float(at[0]), "y_m": float(at[1]), "z_m": float(at[2])}

    def seen(exposure: dict, image_mm: float) -> tuple[float, float]:
        """Width of its blur and how far out it is drawn, mm."""
        rim, _ = rim_on_sensor(written, exposure | {"image_distance_mm": image_mm}, mark)
        return float(np.ptp(rim[:, 0])), abs(float(rim[:, 0].mean()))

    focused, ratio = focused_from(far, first)
    assert seen(told[-1], far.state.image_distance_mm)[0] == pytest.approx(0.0, abs=1e-9)
    assert seen(told[0], focused)[0] == pytest.approx(0.0, abs=1e-9)
    # A little nearer: by the ratio more out of focus in the one than in the other.
    mark["z_m"] -= 0.0001
    sharp = [
        min(np.linspace(v - 0.01, v + 0.01, 4001), key=lambda image, exposure=exposure: seen(exposure, image)[0])
        for exposure, v in ((told[-1], far.state.image_distance_mm), (told[0], focused))
    ]
    assert (sharp[0] - far.state.image_distance_mm) / (sharp[1] - focused) == pytest.approx(ratio, rel=0.01)
    mark["z_m"] += 0.0001
    larger = seen(told[-1], far.state.image_distance_mm)[1] / seen(told[0], first.state.image_distance_mm)[1]
    assert larger == pytest.approx(drawn_larger(far, first, far), rel=1e-6)
    assert focused_from(first, first) == (first.state.image_distance_mm, 1.0)
    assert drawn_larger(first, first, far) == 1.0
