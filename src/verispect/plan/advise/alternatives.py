"""Other ways to one frame than the methods: a wider lens or a step back, cropped; letting marks go."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np

from verispect.kit.focal_choice import single_frame_focal_mm
from verispect.kit.lens import Lens
from verispect.kit.mounted_lens import focal_range
from verispect.optics.exposure_time import shutter_words
from verispect.optics.f_stops import marked
from verispect.optics.types import Floats, Indices
from verispect.plan.document import Plan
from verispect.plan.frames.exposure import Exposure
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.lens_search import nearer_than_focal, shifts_too_far
from verispect.plan.methods.one_frame import attempt_one_frame
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import Scene, build_scene
from verispect.plan.solve.focus_ladder import holding_intervals
from verispect.plan.solve.problem import Problem, problem_for
from verispect.plan.solve.softness_polish import best_frame
from verispect.sentence import Sentence
from verispect.subject.mark import Mark, Need
from verispect.subject.surface import Surface

_STEPS = 7
# Methods tried in turn for what stands still.
_STILL_BY = ("one-frame", "tilt", "series", "turned-grid")
# Steps back that are tried, as shares of the nearest distance.
STEPS_BACK = tuple(0.05 * 1.5**k for k in range(14))


@dataclass(frozen=True)
class WayOut:
    """Another way than the methods.

    Attributes
    ----------
    key : "wider", "move", "let go" or "own frame"
    told : Sentence
    final_pixels : (int, int)
        Of what is left; as the wanted picture for letting go.
    let_go : tuple of str
        Names of what one frame cannot hold.
    back_m : float
        How far the camera steps back.
    focal_mm : float
    exposure : Exposure or None
        Of letting go: the one frame; of a frame of its own: that frame.
    """

    key: str
    told: Sentence
    final_pixels: tuple[int, int]
    let_go: tuple[str, ...] = ()
    back_m: float = 0.0
    focal_mm: float = 0.0
    exposure: Exposure | None = None


def wider(scene: Scene, one: Candidate) -> WayOut | None:
    """The longest focal length below the framing with which one frame holds, cropped to the picture."""
    best: Candidate | None = None
    for lens in scene.plan.kit.lenses:
        shortest, longest = focal_range(lens)
        high = min(longest, scene.plan.whole_focal_mm)
        if shortest >= high:
            # A lens wider than the framing is tried as it is, cropped, by the method itself.
            continue

        held = partial(_held_in_one, scene, lens)
        found = held(shortest)
        if found is None:
            continue
        low = shortest
        for _ in range(_STEPS):
            middle = 0.5 * (low + high)
            tried = held(middle)
            if tried is None:
                high = middle
            else:
                low, found = middle, tried
        if best is None or found.focal_mm > best.focal_mm:
            best = found
    if best is None or best.lens is None:
        return None
    width, height = best.final_pixels
    return WayOut(
        "wider",
        Sentence(
            "A wider frame, cropped: {lens} at {focal:.1f} mm and f/{stop} holds everything in one frame, with "
            "{width} × {height} pixels left of {whole}",
            {
                "lens": best.lens.name,
                "focal": best.focal_mm,
                "stop": marked(best.exposures[0].state.f_number),
                "width": width,
                "height": height,
                "whole": one.final_pixels[0],
            },
        ),
        best.final_pixels,
        focal_mm=best.focal_mm,
    )


def _held_in_one(scene: Scene, lens: Lens, focal_mm: float) -> Candidate | None:
    """One frame of a lens at a focal length, if it holds."""
    problem = problem_for(scene, lens, focal_mm)
    if nearer_than_focal(problem) or shifts_too_far(problem):
        return None
    found = attempt_one_frame(problem)
    return found if found.holds else None


def stepped_back(plan: Plan, back_m: float) -> Plan:
    """The plan from farther back along the level view, cropped so that the nearest must stays as large."""
    scene = build_scene(plan)
    nearest = float(scene.points_mm[scene.deciding][:, 2].min()) / 1000.0
    forward = scene.pose.forward
    level = np.array([forward[0], 0.0, forward[2]])
    step = back_m * level / np.linalg.norm(level)
    # The camera stays at the origin: everything else moves away from it.
    marks = tuple(mark.model_copy(update=_by(mark, step)) for mark in plan.marks)
    surfaces = tuple(surface.model_copy(update=_by(surface, step)) for surface in plan.surfaces)
    times = (nearest + back_m * float(np.linalg.norm(level))) / nearest
    near = plan.camera.framing_at_m
    framed = {"framing_mm": plan.framing_mm * times} if near is None else {"framing_at_m": near * times}
    camera = plan.camera.model_copy(
        update={
            **framed,
            "rise_mm": plan.camera.rise_mm * times,
            "cross_mm": plan.camera.cross_mm * times,
        }
    )
    return plan.model_copy(update={"marks": marks, "surfaces": surfaces, "camera": camera})


def _by(thing: Mark | Surface, step: Floats) -> dict[str, float]:
    return {"x_m": thing.x_m + float(step[0]), "z_m": thing.z_m + float(step[2])}


def moved_back(scene: Scene, one: Candidate) -> WayOut | None:
    """The least step back with which one frame of the same lens holds, cropped to the same picture."""
    plan = scene.plan
    if plan.scans or one.lens is None:
        # A scan is not carried along: it is measured from where one stands.
        return None
    kit = plan.kit.model_copy(update={"lenses": (one.lens.lens,)})
    plan = plan.model_copy(update={"kit": kit})
    focal = one.focal_mm
    nearest = float(scene.points_mm[scene.deciding][:, 2].min()) / 1000.0

    def held(back: float) -> Candidate | None:
        return _held_in_one(build_scene(stepped_back(plan, back)), plan.kit.lenses[0], focal)

    # Farther is not always better: the crop costs detail. The first step that holds, then as little of it as does.
    found, low, high = None, 0.0, 0.0
    for share in STEPS_BACK:
        low, high = high, share * nearest
        found = held(high)
        if found is not None:
            break
    if found is None:
        return None
    for _ in range(2 * _STEPS):
        middle = 0.5 * (low + high)
        tried = held(middle)
        if tried is None:
            low = middle
        else:
            high, found = middle, tried
    width, height = found.final_pixels
    return WayOut(
        "move",
        Sentence(
            "Stepping back {back:.2f} m and cropping: {lens} at f/{stop} holds everything in one frame, with "
            "{width} × {height} pixels left of {whole}; far things grow beside near ones",
            {
                "back": high,
                "lens": one.lens.name,
                "stop": marked(found.exposures[0].state.f_number),
                "width": width,
                "height": height,
                "whole": one.final_pixels[0],
            },
        ),
        found.final_pixels,
        back_m=high,
        focal_mm=focal,
    )


def letting_go(scene: Scene, one: Candidate) -> WayOut | None:
    """The heaviest set of musts that one straight frame can hold: the most intervals that one focus stabs."""
    groups, own = np.unique(scene.group[scene.deciding], return_inverse=True)
    weights = np.array([scene.weights[scene.deciding][own == g].max() for g in range(len(groups))])
    most, best_problem, best_held = 0.0, None, np.zeros(0, bool)
    for lens in scene.plan.kit.lenses:
        focal = single_frame_focal_mm(lens, scene.plan.whole_focal_mm)
        if focal is None:
            continue
        problem = problem_for(scene, lens, focal)
        if nearer_than_focal(problem) or shifts_too_far(problem):
            continue
        low, high = holding_intervals(problem)
        for row in range(len(low)):
            # An area is held where all its points are.
            begin = np.array([low[row, own == g].max() for g in range(len(groups))])
            end = np.array([high[row, own == g].min() for g in range(len(groups))])
            for place in end[begin <= end]:
                held = (begin <= place) & (place <= end)
                if float(weights[held].sum()) > most + 1e-9:
                    most, best_problem, best_held = float(weights[held].sum()), problem, held
    if best_problem is None:
        return None
    exposure = _best_of_these(best_problem, best_problem.chosen[best_held[own]])
    names = _group_names(scene, groups)
    gone = tuple(name for name, kept in zip(names, best_held, strict=True) if not kept)
    return WayOut(
        "let go",
        Sentence(
            "One frame holds {kept} of {all}: {lens} at f/{stop} focused at {focus:.2f} m lets go of {gone}",
            {
                "kept": int(best_held.sum()),
                "all": len(groups),
                "lens": exposure.lens.name,
                "stop": marked(exposure.state.f_number),
                "focus": exposure.focus_m,
                "gone": ", ".join(gone),
            },
        ),
        one.final_pixels,
        let_go=gone,
        focal_mm=best_problem.focal_mm,
        exposure=exposure,
    )


def own_frame(scene: Scene, one: Candidate) -> WayOut | None:
    """What moves in a frame of its own, at its own time and ISO, to be blended over the still rest."""
    plan = scene.plan
    movers = {mark.name for mark in plan.marks if mark.need == Need.MUST and mark.speed_mm_s > 0.0}
    musts = {name for name, said in zip(scene.names, scene.needs, strict=True) if said == Need.MUST}
    if not movers or musts <= movers:
        return None

    def of_these(moving: bool) -> Plan:
        marks = tuple(
            mark if mark.need != Need.MUST or (mark.name in movers) == moving
            else mark.model_copy(update={"need": Need.MAY})
            for mark in plan.marks
        )  # fmt: skip
        return plan.model_copy(update={"marks": marks, "surfaces": () if moving else plan.surfaces,
                                       "scans": () if moving else plan.scans})  # fmt: skip

    still = next((found for key in _STILL_BY if (found := worked(key, build_scene(of_these(False)))).holds), None)
    if still is None:
        return None
    alone, noisy = worked("one-frame", build_scene(of_these(True))), Sentence("")
    if not alone.holds and plan.wish.noise_ratio is not None:
        wish = plan.wish.model_copy(update={"noise_ratio": None})
        alone = worked("one-frame", build_scene(of_these(True).model_copy(update={"wish": wish})))
        noisy = Sentence(", noisier than is wished")
    if not alone.holds:
        return None
    rest, own = still.exposures[0], alone.exposures[0]
    return WayOut(
        "own frame",
        Sentence(
            "{movers} in a frame of its own, blended over the rest: f/{stop}, {time}, ISO {iso:.0f}{noisy}, focused "
            "at {focus:.2f} m; the rest by {method} at f/{still}, {still_time}, ISO {still_iso:.0f}",
            {
                "movers": ", ".join(sorted(movers)),
                "stop": marked(own.state.f_number),
                "time": shutter_words(own.shutter_s),
                "iso": alone.scene.plan.kit.body.iso,
                "noisy": noisy,
                "focus": own.focus_m,
                "method": Sentence(still.method.name),
                "still": marked(rest.state.f_number),
                "still_time": shutter_words(rest.shutter_s),
                "still_iso": still.scene.plan.kit.body.iso,
            },
        ),
        one.final_pixels,
        let_go=tuple(sorted(movers)),
        focal_mm=alone.focal_mm,
        exposure=own,
    )


def _best_of_these(problem: Problem, held: Indices) -> Exposure:
    """The best straight frame for some of the marks."""
    part = problem.looking(problem.pose, held)
    return part.exposure(best_frame(part))


def _group_names(scene: Scene, groups: np.ndarray[tuple[int], np.dtype[np.int64]]) -> list[str]:
    first = [int(np.flatnonzero(scene.group == group)[0]) for group in groups]
    return [scene.names[k] for k in first]
