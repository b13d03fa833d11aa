"""What the frames that are there do not hold, against the oracle's rays over each of them."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest

from tests.conftest import a_lens, make_plan
from tests.outside.oracle import blur_axes, rim_on_sensor
from verispect.files.weighing_json import weighing_to_dict
from verispect.plan.advise.weigh import Weighing
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.losses import lost_with, without_each
from verispect.prove.verdict import losses_words


@pytest.fixture(scope="module")
def series() -> Candidate:
    lens = a_lens(85.0, f_numbers=[4, 4], tilt_deg=0, closest_m=0.5)
    places = [(-0.3, 1.4, 1.6), (0.2, 1.6, 2.2), (0.1, 1.4, 3.0), (-0.3, 1.7, 4.5), (0.5, 1.4, 7.0)]
    return worked("series", build_scene(make_plan(places, framing=85.0, lenses=[lens], circle_mm=0.05, rule="disc")))


@pytest.mark.parametrize("gone", [(0,), (2, 3), (5,)])
def test_what_is_lost_is_what_rays_find_blurred_on_all_that_is_left(series: Candidate, gone: tuple[int, ...]) -> None:
    left = {index: one for index, one in enumerate(series.exposures) if index not in gone}
    plan = series.scene.plan.model_dump(mode="json", by_alias=True)
    told = weighing_to_dict(Weighing(series.scene, (series,), "series", ()))["methods"][0]["exposures"]
    expected = {}
    for mark in plan["marks"]:
        blur = min(blur_axes(rim_on_sensor(plan, told[index], mark, 180)[0])[0] for index in left)
        softness = blur / series.exposures[0].allowed_blur_mm
        if softness > 1.0:
            expected[mark["name"]] = softness
    found = lost_with(series, left)
    assert found == pytest.approx(expected, rel=0.01)
    assert list(found.values()) == sorted(found.values(), reverse=True)
    if len(gone) == 1:
        assert set(found) == set(without_each(series)[gone[0]].fails)


def test_a_frame_taken_elsewhere_counts_for_what_it_shows(series: Candidate) -> None:
    assert lost_with(series, dict(enumerate(series.exposures))) == {}
    taken = dict(enumerate(series.exposures))
    first = taken[0]
    taken[0] = first.focused(first.state.image_distance_mm - 0.6)
    assert "m0" in lost_with(series, taken)
    aside = {0: replace(first, pose=replace(first.pose, forward=-first.pose.forward))}
    assert math.isinf(max(lost_with(series, aside).values()))
    assert lost_with(series, {}) == {}


def test_in_words() -> None:
    assert losses_words({}).startswith("Without what is to be taken again nothing")
    said = losses_words({"Door": math.inf, "Step": 1.44} | {f"x{k}": 1.1 for k in range(6)})
    assert "Door (on no frame), Step (1.4 times the allowed blur)" in said
    assert "and 2 more" in said
