"""Rail series and grids of series: every frame traced independently, counts against closed forms."""

from __future__ import annotations

import itertools
import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import a_lens, make_plan
from tests.outside.oracle import blur_axes, rim_on_sensor
from verispect.files.weighing_json import weighing_to_dict
from verispect.optics.lens_state import LensState
from verispect.plan.advise.weigh import Weighing
from verispect.plan.document import Plan
from verispect.plan.explain.frame_table import frame_rows
from verispect.plan.explain.work_order import steps
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.rail_series import depth_at
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene

CLOSE = [(0.0, 1.5, 0.30), (0.01, 1.505, 0.315), (-0.01, 1.49, 0.335)]


def with_rail(plan: Plan, travel_mm: float = 60.0) -> Plan:
    data = plan.model_dump(mode="json", by_alias=True)
    data["kit"]["rail"] = {"travel_mm": travel_mm}
    return Plan.model_validate(data)


def close_plan(travel_mm: float = 60.0, *, lens: dict[str, Any] | None = None, **wish: Any) -> Plan:
    made = a_lens(100.0, **({"closest_m": 0.3} | (lens or {})))
    return with_rail(make_plan(CLOSE, framing=100.0, lenses=[made], **wish), travel_mm)


def rail(plan: Plan) -> Candidate:
    return worked("rail-series", build_scene(plan))


def told(candidate: Candidate) -> tuple[dict[str, Any], list[dict[str, Any]]]:
    """Plan and exposures as they are printed."""
    weighing = Weighing(candidate.scene, (candidate,), candidate.key, ())
    plan = candidate.scene.plan.model_dump(mode="json", by_alias=True)
    return plan, weighing_to_dict(weighing)["methods"][0]["exposures"]


def is_sharp(plan: dict[str, Any], exposure: dict[str, Any], place: tuple[float, float, float]) -> bool:
    """Whether a world point stays within what an exposure allows, by independent rays."""
    mark = dict(zip(("x_m", "y_m", "z_m"), place, strict=True))
    return blur_axes(rim_on_sensor(plan, exposure, mark)[0])[0] <= exposure["allowed_blur_mm"] * 1.001


@pytest.mark.parametrize("rule", ["wave", "root-sum", "disc"])
@pytest.mark.parametrize("pupil", [0.7, 1.0, 1.6])
def test_rail_leaves_no_gap_when_traced(rule, pupil) -> None:
    candidate = rail(close_plan(rule=rule, lens={"pupil_magnification": pupil}))
    assert candidate.holds
    plan, exposures = told(candidate)
    share = len(exposures) / 0.035
    for z in np.linspace(0.30, 0.335, 57):
        # The frames focused thereabouts first: the rail goes from far to near.
        likely = sorted(range(len(exposures)), key=lambda k: abs(k - (z - 0.30) * share))
        assert any(is_sharp(plan, exposures[k], (0.0, 1.5, float(z))) for k in likely)


def test_rail_count_is_the_least_of_all_stops() -> None:
    """Closed form: depth over the depth of field, rounded up, at every stop the lens has (disc rule)."""
    candidate = rail(close_plan(rule="disc"))
    state = candidate.exposures[0].state
    counts = []
    for stop in candidate.lens.stops():
        kappa = candidate.criterion.disc_mm * stop / 100.0
        v = state.image_distance_mm
        near, far = (100.0 * d / (d - 100.0) for d in (v / (1.0 - kappa), v / (1.0 + kappa)))
        counts.append(math.ceil(35.0 / (far - near)))
    assert candidate.frame_count == min(counts)


def test_rail_steps_are_even_and_forward_and_focus_stays() -> None:
    candidate = rail(close_plan())
    rows = frame_rows(candidate)
    moves = np.diff([row.rail_mm for row in rows])
    assert rows[0].rail_mm == 0.0
    assert moves == pytest.approx(moves[0])
    assert moves[0] > 0.0
    assert len({row.extension_mm for row in rows}) == 1
    assert any(f"{moves[0]:.3g} mm between frames" in str(note) for note in candidate.notes)
    assert any("rail" in str(step) for step in steps(candidate))


@given(stop=st.floats(2.8, 22), times=st.floats(1.3, 20), pupil=st.floats(0.5, 2.0), blur=st.floats(0.002, 0.03))
def test_depth_at_any_magnification_is_where_the_blur_reaches_its_limit(stop, times, pupil, blur) -> None:
    """By the plain disc of an untilted lens: p D |v − v_i| / |v_i − f(1 − p)|."""
    v = 60.0 * times / (times - 1.0)
    front, back = depth_at(LensState(60.0, stop, v, pupil_magnification=pupil), blur)
    exit_mm = 60.0 * (1.0 - pupil)
    for object_mm in (front, back):
        if math.isfinite(object_mm) and object_mm > 60.0:
            sharp = 60.0 * object_mm / (object_mm - 60.0)
            assert pupil * 60.0 / stop * abs(v - sharp) / (sharp - exit_mm) == pytest.approx(blur, rel=1e-6)


@pytest.mark.parametrize(
    ("plan", "said"),
    [
        (make_plan(CLOSE, framing=100.0, lenses=[a_lens(100.0)]), "no focusing rail"),
        (close_plan(travel_mm=5.0), "The rail travels 5 mm; this depth needs"),
        (
            with_rail(
                make_plan([(0, 1.5, 0.3), (0, 1.5, 1.5)], framing=100.0, lenses=[a_lens(100.0, closest_m=0.3)]),
                9000.0,
            ),
            "of the nearest thing",
        ),
        (close_plan(lens={"closest_m": 0.9}), "does not focus at 0.32 m"),
    ],
)
def test_what_a_rail_cannot_do_is_said(plan, said) -> None:
    candidate = rail(plan)
    assert not candidate.fits
    assert said in str(candidate.why_not[0])


DEEP = [
    (-0.9, 0.9, 1.5),
    (0.6, 1.4, 1.9),
    (12.5, -0.5, 40.0),
    (-3.0, 2.0, 9.0),
    (9.0, 6.0, 30.0),
    (0.0, 1.2, 45.0),
    (1.0, 0.9, 2.6),
]


def grid_of_series(places=DEEP, **wish) -> Candidate:
    plan = make_plan(places, framing=24.0, lenses=[a_lens(70.0, f_numbers=[4, 16])], **wish)
    return worked("turned-grid-series", build_scene(plan))


def test_grid_of_series_holds_where_one_focus_a_frame_does_not() -> None:
    # One behind the other, so that neighbours cannot share them out.
    behind = [(0.316 * z, 1.5 - 0.053 * z, z) for z in (1.9, 3.5, 7.0, 15.0, 40.0)]
    candidate = grid_of_series([*DEEP, *behind], print_mm=(2400, 1600), viewing_mm=500)
    plain = worked("turned-grid", candidate.scene)
    assert not plain.holds
    assert candidate.holds
    assert candidate.frame_count > sum(candidate.grid_cells)


def test_grid_of_series_shows_every_must_sharp_when_traced() -> None:
    candidate = grid_of_series(print_mm=(2400, 1600), viewing_mm=500)
    plan, exposures = told(candidate)
    for k, place in enumerate(DEEP):
        frame = int(candidate.rendering.exposure[k])
        assert candidate.rendering.inside[k]
        assert is_sharp(plan, exposures[frame], place)


def test_grid_of_series_takes_the_stop_and_the_sharing_with_the_fewest_frames() -> None:
    """Exhaustive: every way to share out the marks of the overlaps, each frame by its closed form.

    ln(y_near/y_far)/ln((1 + κ)/(1 − κ)), summed, at every stop.
    """
    candidate = grid_of_series(rule="disc", print_mm=(2400, 1600), viewing_mm=500)
    poses = list({tuple(np.round(e.pose.forward, 9)): e.pose for e in candidate.exposures}.values())
    half = np.array([18.0, 12.0]) / max(e.state.image_distance_mm for e in candidate.exposures)
    choices = []
    for place in candidate.scene.world_m:
        seen = [pose.to_camera_mm(place) for pose in poses]
        off = [float(np.max(np.abs(at[:2]) / half / at[2])) if at[2] > 0 else math.inf for at in seen]
        own = int(np.argmin(off))
        # What lies in the middle part of a frame, where no neighbour reaches at the asked overlap, stays its own.
        shared = off[own] >= 1.0 - 2.0 * 0.3
        choices.append([(k, float(at[2])) for k, at in enumerate(seen) if k == own or (shared and off[k] <= 1.0)])
    assert max(len(choice) for choice in choices) > 1
    least = math.inf
    for taken in itertools.product(*choices):
        spans: dict[int, list[float]] = {}
        for frame, depth in taken:
            spans.setdefault(frame, []).append(70.0 * depth / (depth - 70.0))
        logs = [math.log(max(ys) / min(ys)) for ys in spans.values()]
        for stop in candidate.lens.stops():
            kappa = candidate.criterion.disc_mm * stop / 70.0
            ratio = math.log((1.0 + kappa) / (1.0 - kappa))
            least = min(least, len(poses) + sum(max(1, math.ceil(log / ratio - 1e-9)) - 1 for log in logs))
    assert candidate.frame_count == least


def test_a_grid_whose_cells_hold_in_one_frame_is_no_larger_as_a_grid_of_series() -> None:
    far = [(-9.0, 3.0, 40.0), (8.0, 4.0, 45.0), (0.0, 0.5, 42.0)]
    candidate = grid_of_series(far)
    assert candidate.frame_count == sum(candidate.grid_cells)
    assert candidate.time_on_site_s == pytest.approx(worked("turned-grid", candidate.scene).time_on_site_s, rel=0.2)
