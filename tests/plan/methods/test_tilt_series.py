"""The axis of a tilted series is looked for once for all wishes, anew for another subject, camera or kit."""

from __future__ import annotations

from tests.conftest import a_lens, make_plan
from verispect.plan.document import Plan
from verispect.plan.methods import tilt_series
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene

PLACES = [(0.0, 1.2, 2.0), (0.3, 0.4, 3.5), (-0.4, 0.1, 6.0), (0.2, 1.5, 4.0)]


def looked_for(plan: Plan, monkeypatch) -> int:
    """How often the axis is looked for to work out a plan, and what comes of it is what comes with nothing kept."""
    calls = []
    search = tilt_series.shallowest_axis
    with monkeypatch.context() as patch:
        patch.setattr(tilt_series, "shallowest_axis", lambda *given: calls.append(given) or search(*given))
        found = worked("tilt-series", build_scene(plan))
    count = len(calls)
    tilt_series._axis_within_circle.cache_clear()
    assert worked("tilt-series", build_scene(plan)).worst_softness == found.worst_softness
    return count


def test_another_wish_does_not_have_the_axis_looked_for_anew(monkeypatch) -> None:
    plan = make_plan(PLACES, lenses=[a_lens(24.0)])
    tilt_series._axis_within_circle.cache_clear()
    assert looked_for(plan, monkeypatch) > 0
    finer = plan.model_copy(update={"wish": plan.wish.model_copy(update={"viewing_mm": 300.0})})
    assert looked_for(finer, monkeypatch) == 0


def test_another_mark_camera_or_kit_has(monkeypatch) -> None:
    plan = make_plan(PLACES, lenses=[a_lens(24.0)])
    for other in (
        make_plan([*PLACES[:3], (0.2, 1.5, 4.5)], lenses=[a_lens(24.0)]),
        make_plan(PLACES, lenses=[a_lens(24.0)], camera={"pitch_deg": -5.0}),
        make_plan(PLACES, lenses=[a_lens(24.0, image_circle_mm=44.0)]),
        make_plan(PLACES, lenses=[a_lens(24.0, tilt_deg=2.0)]),
    ):
        tilt_series._axis_within_circle.cache_clear()
        worked("tilt-series", build_scene(plan))
        assert looked_for(other, monkeypatch) > 0
