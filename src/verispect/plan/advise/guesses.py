"""Which figure of a lens that is only a guess decides: the method is worked out anew with each a little worse."""

from __future__ import annotations

from collections.abc import Callable

from verispect.kit.lens import Lens
from verispect.plan.advise.remedies import holds_with
from verispect.plan.methods.candidate import Candidate
from verispect.sentence import Sentence

# How much worse each may well be than what such lenses usually are (from memory); figures with a ± of their own are
# weighed by how surely a method holds.
_WORSE: dict[str, tuple[str, str, Callable[[float], float]]] = {
    "image_circle_mm": ("the image circle", "{v:.0f} mm", lambda v: 0.9 * v),
    "tilt_deg": ("how far it tilts", "{v:.1f}°", lambda v: max(v - 2.0, 0.5)),
    "shift_mm": ("how far it shifts", "{v:.0f} mm", lambda v: 0.75 * v),
    "closest_m": ("the closest focus", "{v:.2f} m", lambda v: 1.4 * v),
    "closest_magnification": ("the enlargement at closest focus", "{v:.2f}", lambda v: 0.7 * v),
}


_DECIDES = (
    "Measure {figure} of {lens}: it decides. {guess} is a guess, and with {worse} {method} would no longer hold"
)


def deciding_guesses(candidate: Candidate, look: Callable[[], None]) -> list[Sentence]:
    """For every guess about the lens that the method hangs on, what to measure."""
    if candidate.lens is None or not candidate.holds:
        return []
    lens, plan = candidate.lens.lens, candidate.scene.plan
    found = []
    for key, (name, unit, worse) in _WORSE.items():
        value = getattr(lens, key)
        if key not in lens.typical or not value:
            continue
        look()
        lenses = tuple(_with(own, key, worse(value)) if own.name == lens.name else own for own in plan.kit.lenses)
        changed = plan.model_copy(update={"kit": plan.kit.model_copy(update={"lenses": lenses})})
        if not holds_with(changed, candidate.key):
            values = {
                "figure": Sentence(name), "lens": lens.name, "guess": unit.format(v=value),
                "worse": unit.format(v=worse(value)), "method": Sentence(candidate.method.name),
            }  # fmt: skip
            found.append(Sentence(_DECIDES, values))
    return found


def _with(lens: Lens, key: str, value: float) -> Lens:
    return lens.model_copy(update={key: value})
