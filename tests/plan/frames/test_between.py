"""What lies between two frames of one place, against the oracle's own rays: lenses that focus internally."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from scipy.optimize import minimize_scalar

from tests.conftest import a_lens, make_plan
from tests.outside.oracle import rim_on_sensor
from verispect.files.weighing_json import weighing_to_dict
from verispect.optics.conjugates import object_for_image_distance_mm
from verispect.plan.advise.weigh import Weighing
from verispect.plan.frames.between import blur_between, closeness_per_mm, focused_from
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene

# One grows shorter as it focuses near, as most do; the other longer.
SHRINKS = a_lens(100.0, f_numbers=[2.8, 5.6], closest_m=0.32, tilt_deg=0, pupil_magnification=0.7,
                 focusing="internal", closest_magnification=0.9)  # fmt: skip
GROWS = a_lens(40.0, f_numbers=[2.8, 5.6], closest_m=0.3, tilt_deg=0, pupil_magnification=0.6,
               focusing="internal", closest_magnification=0.6)  # fmt: skip


def taken(lens: dict, near_m: float, far_m: float) -> Candidate:
    places = [(0.0, 1.5, near_m), (0.01, 1.5, far_m)]
    plan = make_plan(places, framing=lens["focal_mm"][0], lenses=[lens], circle_mm=0.04, rule="disc")
    found = worked("series", build_scene(plan))
    assert found.fits
    assert found.frame_count > 3
    return found


class Traced:
    """Blur widths by the oracle, of what stands so far ahead of the pupil."""

    def __init__(self, candidate: Candidate) -> None:
        self.plan = candidate.scene.plan.model_dump(mode="json", by_alias=True)
        weighing = weighing_to_dict(Weighing(candidate.scene, (candidate,), "series", ()))
        self.told = weighing["methods"][0]["exposures"]
        self.first = candidate.exposures[0].pose

    def width(self, index: int, ahead_m: float, image_mm: float | None = None) -> float:
        at = self.first.pupil_m + ahead_m * self.first.forward
        mark = dict(zip(("x_m", "y_m", "z_m"), at.tolist(), strict=True))
        exposure = self.told[index] | ({} if image_mm is None else {"image_distance_mm": image_mm})
        return float(np.ptp(rim_on_sensor(self.plan, exposure, mark, 64)[0][:, 0]))


@pytest.mark.parametrize("lens", [SHRINKS, GROWS], ids=["shrinks", "grows"])
def test_one_frame_tells_how_another_would_be_focused_there(lens: dict) -> None:
    candidate = taken(lens, 0.3, 0.5)
    here, other = candidate.exposures[1], candidate.exposures[-1]
    assert here.state.focal_mm != other.state.focal_mm
    traced, last = Traced(candidate), candidate.frame_count - 1
    away = object_for_image_distance_mm(image_mm=here.state.image_distance_mm, focal_mm=here.state.focal_mm)
    sharp_m = (away - here.state.pupil_ahead_mm) / 1000.0
    focused, ratio = focused_from(here, other)
    assert traced.width(1, sharp_m) == pytest.approx(0.0, abs=1e-6)
    assert traced.width(last, sharp_m, focused) == pytest.approx(0.0, abs=1e-6)
    # A little nearer: by the ratio more out of focus in the one than in the other.
    nearer = sharp_m - 1e-4
    found = [
        minimize_scalar(lambda image, at=index: traced.width(at, nearer, image), bounds=(v - 0.2, v + 0.2),
                        method="bounded", options={"xatol": 1e-6}).x - v
        for index, v in ((1, here.state.image_distance_mm), (last, focused))
    ]  # fmt: skip
    assert found[0] / found[1] == pytest.approx(ratio, rel=0.02)
    assert closeness_per_mm(here) == pytest.approx(1.0 / away)


@pytest.mark.parametrize("lens", [SHRINKS, GROWS], ids=["shrinks", "grows"])
def test_nothing_between_two_frames_is_softer_than_told_or_allowed(lens: dict) -> None:
    """Dense sampling; a lens that grows longer near had left 1.3 allowed blurs."""
    candidate = taken(lens, 0.3, 0.5)
    traced = Traced(candidate)
    for index, (first, second) in enumerate(pairwise(candidate.exposures)):
        ends = [
            (1.0 / closeness_per_mm(one) - one.state.pupil_ahead_mm) / 1000.0 for one in (first, second)
        ]  # fmt: skip
        worst = max(
            min(traced.width(index, at), traced.width(index + 1, at)) for at in np.linspace(*ends, 101).tolist()
        )
        assert blur_between(first, second)[0] == pytest.approx(worst, rel=0.02)
        assert worst <= 1.001 * first.allowed_blur_mm


def test_refocusing_by_what_was_in_focus_takes_the_focal_length_along() -> None:
    candidate = taken(SHRINKS, 0.33, 0.5)
    here, other = candidate.exposures[1], candidate.exposures[-1]
    again = here.focused(focused_from(other, here)[0])
    # The pupil stays where it is, the principal point of another focal length does not: to a tenth of a millimetre.
    assert 1.0 / closeness_per_mm(again) == pytest.approx(
        1.0 / closeness_per_mm(other) + 1000.0 * (other.position_m - here.position_m) @ here.pose.forward, abs=1e-6
    )
    assert again.state.focal_mm == pytest.approx(other.state.focal_mm, rel=0.02)
    infinity = here.focused(here.state.focal_mm)
    assert infinity.state.focal_mm == pytest.approx(100.0)
    assert infinity.state.image_distance_mm == pytest.approx(100.0)
    # Beyond it as far beyond, and a lens of one focal length moves alone.
    assert here.focused(0.99 * here.state.focal_mm).state.image_distance_mm < 100.0
    plain = replace(here, lens=replace(here.lens, closest_focal_mm=here.lens.focal_mm))
    assert plain.focused(120.0).state == replace(here.state, image_distance_mm=120.0)


def test_what_no_focus_reaches_is_no_number() -> None:
    candidate = taken(SHRINKS, 0.33, 0.5)
    here = candidate.exposures[0]
    behind = replace(here, pose=replace(here.pose, pupil_m=here.pose.pupil_m - 2.0 * here.pose.forward))
    assert math.isnan(focused_from(behind, here)[0])
