"""Which unsure figure of a lens decides: the method is worked out anew with each as much worse as its ±."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from verispect.kit.lens import Lens
from verispect.kit.printed_lens import usual_plus_minus
from verispect.plan.advise.remedies import holds_with
from verispect.plan.document import Plan
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import Method
from verispect.sentence import Sentence

# Figures that hold a method or not: in words, with their unit, and which way is worse. What has a ± by which a method
# holds more or less surely is weighed with that.
_FIGURES: dict[str, tuple[str, str, float]] = {
    "image_circle_mm": ("the image circle", "{v:.0f} mm", -1.0),
    "tilt_deg": ("how far it tilts", "{v:.1f}°", -1.0),
    "shift_mm": ("how far it shifts", "{v:.0f} mm", -1.0),
    "closest_m": ("the closest focus", "{v:.2f} m", 1.0),
    "closest_magnification": ("the enlargement at closest focus", "{v:.2f}", -1.0),
}


_DECIDES = (
    "Measure {figure} of {lens}: it decides. {guess} is a guess, and with {worse} {method} would no longer hold"
)
_UNSURE = (
    "Measure {figure} of {lens} more closely: it decides. It may be {worse}, and {method} would then no longer hold"
)


def deciding_guesses(candidate: Candidate) -> list[Callable[[], Sentence | None]]:
    """For each unsure figure of the lens the question whether the method hangs on it; if so, what to measure."""
    if candidate.lens is None or not candidate.holds:
        return []
    lens = candidate.lens.lens
    found: list[Callable[[], Sentence | None]] = []
    for key in _FIGURES:
        value: float | None = getattr(lens, key)
        sure = lens.plus_minus.get(key) or (usual_plus_minus(key, value) if key in lens.typical else 0.0)
        if value and sure:
            found.append(partial(_decides, candidate.scene.plan, candidate.method, lens, key, sure))
    return found


def _decides(plan: Plan, method: Method, lens: Lens, key: str, sure: float) -> Sentence | None:
    name, unit, way = _FIGURES[key]
    value = float(getattr(lens, key))
    worse = max(value + way * sure, 0.05 * value)
    lenses = tuple(_with(own, key, worse) if own.name == lens.name else own for own in plan.kit.lenses)
    if holds_with(plan.model_copy(update={"kit": plan.kit.model_copy(update={"lenses": lenses})}), method.key):
        return None
    values = {
        "figure": Sentence(name), "lens": lens.name, "guess": unit.format(v=value),
        "worse": unit.format(v=worse), "method": Sentence(method.name),
    }  # fmt: skip
    return Sentence(_DECIDES if key in lens.typical else _UNSURE, values)


def _with(lens: Lens, key: str, value: float) -> Lens:
    return lens.model_copy(update={key: value})
