"""Which guess decides: by weighing with the figure by hand."""

from __future__ import annotations

from tests.conftest import make_plan
from verispect.plan.advise.guesses import deciding_guesses
from verispect.plan.advise.remedies import holds_with
from verispect.plan.document import Plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene


def plan_of(circle: float, typical: list[str]) -> Plan:
    lens = {
        "name": "24 tilt", "focal_mm": [24, 24], "f_numbers": [3.5, 22], "closest_m": 0.25, "tilt_deg": 8.5,
        "image_circle_mm": circle, "typical": typical,
    }  # fmt: skip
    return make_plan([(-0.4, 0.9, 1.6), (0.5, 0.9, 3.0), (0.0, 1.0, 12.0)], lenses=[lens], print_mm=(900, 600))


def told_of(plan: Plan) -> list[str]:
    return [str(said) for asked in deciding_guesses(worked("tilt", build_scene(plan))) if (said := asked())]


def test_a_guess_that_decides_is_named_and_one_that_does_not_is_not() -> None:
    tightest = next(c for c in (44.0, 45.0, 46.0, 48.0, 50.0, 55.0, 60.0) if holds_with(plan_of(c, []), "tilt"))
    assert not holds_with(plan_of(0.9 * tightest, []), "tilt")
    both = ["image_circle_mm", "closest_m"]
    told = told_of(plan_of(tightest, both))
    assert len(told) == 1
    assert "image circle" in told[0]
    assert f"{0.9 * tightest:.0f} mm" in told[0]
    assert told_of(plan_of(tightest, ["closest_m"])) == []
    assert told_of(plan_of(100.0, both)) == []


def test_a_typed_figure_that_is_unsure_is_named_with_its_own_plus_minus() -> None:
    tightest = next(c for c in (44.0, 45.0, 46.0, 48.0, 50.0, 55.0, 60.0) if holds_with(plan_of(c, []), "tilt"))
    plan = plan_of(tightest, [])
    for sure, count in ((0.2 * tightest, 1), (0.0, 0)):
        lens = plan.kit.lenses[0].model_copy(update={"plus_minus": {"image_circle_mm": sure}})
        unsure = plan.model_copy(update={"kit": plan.kit.model_copy(update={"lenses": (lens,)})})
        told = told_of(unsure)
        assert len(told) == count
        assert all("more closely" in line and f"{0.8 * tightest:.0f} mm" in line for line in told)
