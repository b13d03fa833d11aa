"""Homographies through the pupil, against rays traced by the tests' own code."""

from __future__ import annotations

import json

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from tests.outside.oracle import rim_on_sensor
from verispect.files.weighing_json import weighing_to_dict
from verispect.plan.advise.weigh import Weighing
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.rehearse.projection import Camera, jitter

PLACES = [(-0.6, 0.9, 2.2), (0.5, 1.8, 4.0), (0.2, 1.2, 9.0)]


def tilted(pupil: float) -> Candidate:
    lens = a_lens(24.0, pupil_magnification=pupil)
    camera = {"pitch_deg": -6.0, "bearing_deg": 12.0, "rise_mm": 2.0}
    return worked("tilt", build_scene(make_plan(PLACES, lenses=[lens], camera=camera)))


@pytest.mark.parametrize("pupil", [0.6, 1.0, 1.8])
def test_views_through_the_pupil_fall_where_rays_do(pupil: float) -> None:
    """The extent of the views of a point is the blur figure that independent rays draw, at the same place."""
    candidate = tilted(pupil)
    plan = candidate.scene.plan.model_dump(mode="json", by_alias=True)
    told = json.loads(json.dumps(weighing_to_dict(Weighing(candidate.scene, (candidate,), "tilt", ()))))
    exposure = told["methods"][0]["exposures"][0]
    camera = Camera(candidate.exposures[0], (3600, 2400), 0.01)
    for k, place in enumerate(PLACES):
        point = camera.to_lens_mm(np.array(place))
        basis = np.stack([np.array([1.0, 0, 0]), np.array([0, 1.0, 0]), point], axis=1)
        onto = camera.onto_pixels(basis, camera.pupil_points_mm(4000))
        seen = onto[:, :2, 2] / onto[:, 2:, 2]
        rim, _ = rim_on_sensor(plan, exposure, plan["marks"][k])
        x0, y0 = exposure["sensor_centre_mm"]
        pixels = np.stack([(x0 - rim[:, 0]) / 0.01 + 1799.5, (rim[:, 1] - y0) / 0.01 + 1199.5], axis=1)
        assert seen.mean(axis=0) == pytest.approx(pixels.mean(axis=0), abs=0.05)
        wide = np.ptp(pixels, axis=0)
        assert np.ptp(seen, axis=0) == pytest.approx(wide, rel=0.05, abs=0.02)


def test_the_picture_stands_upright() -> None:
    candidate = worked("one-frame", build_scene(make_plan([(0.0, 1.5, 5.0)], lenses=[a_lens(24.0)])))
    camera = Camera(candidate.exposures[0], (360, 240), 0.1)

    def pixel(place: tuple[float, float, float]) -> np.ndarray:
        point = camera.to_lens_mm(np.array(place))
        basis = np.stack([np.array([1.0, 0, 0]), np.array([0, 1.0, 0]), point], axis=1)
        onto = camera.onto_pixels(basis, camera.pupil_points_mm(1))[0]
        return onto[:2, 2] / onto[2, 2]

    middle, right, above = pixel((0, 1.5, 5)), pixel((1, 1.5, 5)), pixel((0, 2.5, 5))
    assert middle == pytest.approx([179.5, 119.5], abs=1e-6)
    # 24.12 mm behind the lens for 1 m of 5 m: 4.82 mm, 48.2 pixels.
    assert right == pytest.approx([179.5 + 48.2, 119.5], abs=0.1)
    assert above == pytest.approx([179.5, 119.5 - 48.2], abs=0.1)


@pytest.mark.parametrize("count", [8, 24, 64])
def test_jitter_is_even_centred_and_free_of_the_pupil(count: int) -> None:
    angle, radius = 2.4 * np.arange(count), np.sqrt((np.arange(count) + 0.5) / count)
    pupil = np.column_stack([3.0 * radius * np.cos(angle), 3.0 * radius * np.sin(angle), np.full(count, -50.0)])
    offsets = jitter(pupil, seed=3)
    assert offsets.mean(axis=0) == pytest.approx([0.0, 0.0], abs=1e-12)
    # A square's moments: 1/12 each way and nothing across, and nothing together with where in the pupil.
    assert offsets.T @ offsets / count == pytest.approx(np.eye(2) / 12.0, abs=1e-12)
    assert (pupil[:, :2] - pupil[:, :2].mean(axis=0)).T @ offsets == pytest.approx(np.zeros((2, 2)), abs=1e-9)
    assert np.abs(offsets).max() < 1.0
    assert not np.array_equal(offsets, jitter(pupil, seed=4))
