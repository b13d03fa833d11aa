"""Which single figure, were it known surely, would make a method hold more often."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from verispect.kit.lens import FieldCurvature, FocusShift, Lens
from verispect.optics.f_stops import marked
from verispect.plan.assess.confidence import confidence
from verispect.plan.methods.candidate import Candidate
from verispect.sentence import Sentence

# So many of the softest marks are tried one by one.
_MARKS = 6
# Enough to tell nine in ten from ten in ten.
_FEW_DRAWS = 200
_AS_GOOD_AS_SURE = 0.95
# A gain in probability below this is noise of the draws, or not worth the walk.
_WORTH = 0.02

_CAMERA = {
    "height_plus_minus_m": "the height of the camera",
    "bearing_plus_minus_deg": "the bearing of the camera",
    "pitch_plus_minus_deg": "the pitch of the camera",
    "roll_plus_minus_deg": "the roll of the camera",
}
_LENS = {
    "tilt_plus_minus_deg": "the tilt",
    "focus_plus_minus_mm": "the focus",
    "focal_plus_minus_percent": "the focal length",
    "stop_plus_minus_stops": "the stop",
    "pupil_plus_minus": "the pupil magnification",
}
_BEND = {
    "field_curvature": "the field curvature of the lens",
    "focus_shift": "the focus shift of the lens",
}
_MARK = {
    "plus_minus_m": "how far away {mark} is",
    "plus_minus_side_m": "the direction of {mark}",
    "plus_minus_speed_mm_s": "how fast {mark} moves",
}


def most_telling(candidate: Candidate) -> Sentence | None:
    """What to measure or set better first, with what it would bring; None where no single figure tells."""
    now = candidate.confidence
    if now is None:
        return None
    gains = [(_holds(changed), told) for changed, told in _surer(candidate)]
    if not gains:
        return None
    best, told = max(gains, key=lambda gain: gain[0])
    if best < now.holds + _WORTH:
        return None
    return Sentence(
        "Measuring {figure} better would help most: {then:.0f} of 100 tries would be sharp, not {now:.0f}",
        {"figure": told, "then": 100.0 * best, "now": 100.0 * now.holds},
    )


def unmeasured_lens_decides(candidate: Candidate) -> Sentence | None:
    """That a method which holds by an ideal lens may fail by this one, where nobody said where it is sharpest.

    None where something else carries a ± (it is then one figure among others), or where it makes no odds.
    """
    lens, plan = candidate.lens, candidate.scene.plan
    if candidate.confidence is not None or not candidate.holds or lens is None:
        return None
    if lens.lens.field_curvature and lens.lens.focus_shift:
        return None
    found = confidence(candidate, draws=_FEW_DRAWS, even_of_the_lens_alone=True)
    if found is None or found.holds >= _AS_GOOD_AS_SURE:
        return None
    stop = candidate.exposures[0].state.f_number
    corner, axis = lens.bend_plus_minus_mm(stop, plan.kit.body.diagonal_mm)
    return Sentence(
        "Nobody has measured where {lens} is sharpest. As such lenses usually are (within ±{corner:.0f} µm in the "
        "corner and ±{axis:.0f} µm from the widest stop to f/{stop}, from memory), this would hold in {n:.0f} of 100 "
        "tries: measure it (Kit, Best focus)",
        {"lens": lens.name, "corner": 1000.0 * corner, "axis": 1000.0 * axis, "stop": marked(stop),
         "n": 100.0 * found.holds},
    )  # fmt: skip


def _holds(candidate: Candidate) -> float:
    found = confidence(candidate)
    return 1.0 if found is None else found.holds


def _surer(candidate: Candidate) -> list[tuple[Candidate, Sentence]]:
    """The candidate with one figure sure, for every figure that carries a ±."""
    scene, plan = candidate.scene, candidate.scene.plan
    found = []
    for key, words in _CAMERA.items():
        if getattr(plan.camera, key):
            camera = plan.camera.model_copy(update={key: 0.0})
            changed = replace(scene, plan=plan.model_copy(update={"camera": camera}))
            found.append((replace(candidate, scene=changed), Sentence(words)))
    if plan.light.ev100_plus_minus:
        light = plan.light.model_copy(update={"ev100_plus_minus": 0.0})
        changed = replace(scene, plan=plan.model_copy(update={"light": light}))
        found.append((replace(candidate, scene=changed), Sentence("the light")))
    return [*found, *_with_surer_lens(candidate), *_with_surer_marks(candidate)]


def _with_surer_lens(candidate: Candidate) -> list[tuple[Candidate, Sentence]]:
    found = []
    assert candidate.problem is not None
    assert candidate.lens is not None
    lens = candidate.lens.lens
    surer: list[tuple[Lens, str]] = [
        (lens.model_copy(update={key: 0.0}), words) for key, words in _LENS.items() if getattr(lens, key)
    ]
    surer += [(_with_known_bend(lens, key), words) for key, words in _BEND.items()]
    if any(row.plus_minus_um for row in lens.residual):
        rows = tuple(row.model_copy(update={"plus_minus_um": 0.0}) for row in lens.residual)
        surer.append((lens.model_copy(update={"residual": rows}), "the blur of the lens itself"))
    for known, words in surer:
        optic = replace(candidate.lens, lens=known)
        exposures = tuple(replace(exposure, lens=optic) for exposure in candidate.exposures)
        problem = replace(candidate.problem, lens=optic)
        found.append((replace(candidate, problem=problem, exposures=exposures), Sentence(words)))
    return found


def _with_known_bend(lens: Lens, key: str) -> Lens:
    """The lens with its table as it stands, or level where there is none, and no ± left."""
    stop = lens.f_numbers[0]
    level = FieldCurvature(f_number=stop, half_um=0.0, corner_um=0.0)
    plain = level if key == "field_curvature" else FocusShift(f_number=stop, um=0.0)
    rows = tuple(row.model_copy(update={"plus_minus_um": 0.0}) for row in getattr(lens, key) or (plain,))
    return lens.model_copy(update={key: rows})


def _with_surer_marks(candidate: Candidate) -> list[tuple[Candidate, Sentence]]:
    scene, now = candidate.scene, candidate.confidence
    assert now is not None
    found = []
    for k in now.points[np.argsort(now.each, kind="stable")][:_MARKS]:
        for key, words in _MARK.items():
            spread = getattr(scene, key)
            if spread[k]:
                surer = spread.copy()
                surer[scene.group == scene.group[k]] = 0.0
                told = Sentence(words, {"mark": scene.names[k]})
                found.append((replace(candidate, scene=replace(scene, **{key: surer})), told))
    return found
