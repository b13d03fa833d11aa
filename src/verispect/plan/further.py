"""What comes after the advice: other ways out, and what would change it. Worked out when the weighing is told.

Everything named here was tried on the exact model; nothing is extrapolated.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import numpy as np

from verispect.kit.lens import Lens
from verispect.kit.optic import focal_range
from verispect.optics.stops import marked
from verispect.optics.types import Floats, Indices
from verispect.plan.advice import METHOD_NAMES
from verispect.plan.candidate import METHOD_KEYS, Candidate
from verispect.plan.document import Plan
from verispect.plan.exposure import Exposure
from verispect.plan.focus_series import holding_intervals
from verispect.plan.framing import single_frame_focal_mm
from verispect.plan.methods.lens_choice import nearer_than_focal, shifts_too_far
from verispect.plan.methods.one_frame import attempt_one_frame
from verispect.plan.plane import focus_for
from verispect.plan.problem import Problem, problem_for
from verispect.plan.remedies import eased, holds_with
from verispect.plan.scene import Scene, build_scene
from verispect.plan.stopping import best_stop, moving_weights
from verispect.plan.weigh import Cancelled, Weighing, weigh
from verispect.sentence import Sentence
from verispect.subject.marks import Mark
from verispect.subject.surfaces import Surface

_STEPS = 7
# Steps back that are tried, as shares of the nearest distance.
_BACK = tuple(0.05 * 1.5**k for k in range(14))
_MOST_TIMES = 16.0
_MOST_TILT_DEG = 40.0
_ANY_CIRCLE_MM = 2000.0
# How many of the simpler methods are asked what they would need.
_SIMPLER = 3


@dataclass(frozen=True)
class WayOut:
    """Another way than the methods.

    Attributes
    ----------
    key : "wider", "move" or "let go"
    told : Sentence
    final_pixels : (int, int)
        Of what is left; as the wanted picture for letting go.
    let_go : tuple of str
        Names of what one frame cannot hold.
    back_m : float
        How far the camera steps back.
    focal_mm : float
    exposure : Exposure or None
        Of letting go: the one frame.
    """

    key: str
    told: Sentence
    final_pixels: tuple[int, int]
    let_go: tuple[str, ...] = ()
    back_m: float = 0.0
    focal_mm: float = 0.0
    exposure: Exposure | None = None


@dataclass(frozen=True)
class Further:
    """Ways out where one frame does not hold, and what would change the advice."""

    ways: tuple[WayOut, ...]
    changes: tuple[Sentence, ...]


def further(weighing: Weighing, *, is_cancelled: Callable[[], bool] | None = None) -> Further:
    """Work out both.

    Raises
    ------
    Cancelled
        If `is_cancelled` said so between two steps.
    """
    scene = weighing.scene
    one = weighing.by_key("one-frame")
    ways: list[WayOut] = []
    changes: list[Sentence] = []

    def look() -> None:
        if is_cancelled is not None and is_cancelled():
            raise Cancelled

    if one.fits and not one.holds:
        for attempt in (_wider, _moved_back, _letting_go):
            look()
            found = attempt(scene, one)
            if found is not None:
                ways.append(found)
    changes.extend(_other_views(weighing, is_cancelled))
    if weighing.advised is not None:
        advised = weighing.by_key(weighing.advised)
        if advised.holds:
            changes.extend(_thresholds(weighing, advised, look))
        else:
            changes.extend(_openings(weighing, look))
    return Further(tuple(ways), tuple(changes))


def _other_views(weighing: Weighing, is_cancelled: Callable[[], bool] | None) -> list[Sentence]:
    """The advice by the other rules of sharpness, and with the other attitude to small stops."""
    plan = weighing.scene.plan
    views: list[tuple[Sentence, Plan]] = [
        (Sentence("the rule {rule}", {"rule": Sentence(rule)}), plan.model_copy(
            update={"wish": plan.wish.model_copy(update={"rule": rule})}))
        for rule in ("wave", "root-sum", "disc") if rule != plan.wish.rule
    ]  # fmt: skip
    refused = plan.kit.refuse_smallest
    other = plan.kit.model_copy(update={"refuse_smallest": 0 if refused else 3})
    words = "every stop allowed" if refused else "the three smallest stops refused"
    views.append((Sentence(words), plan.model_copy(update={"kit": other})))
    same, said = [], []
    for view, changed in views:
        found = weigh(changed, is_cancelled=is_cancelled, with_remedies=False)
        if found.advised == weighing.advised:
            same.append(view)
        elif found.advised is not None:
            held = found.by_key(found.advised).holds
            template = "By {view} {method} would be advised"
            if not held:
                template = "By {view} nothing holds; {method} is nearest"
            said.append(Sentence(template, {"view": view, "method": Sentence(METHOD_NAMES[found.advised])}))
    if same:
        listed = [part for view in same for part in (view, Sentence(", "))][:-1]
        said.append(Sentence("The advice stays the same by: {views}", {"views": tuple(listed)}))
    return said


def _wider(scene: Scene, one: Candidate) -> WayOut | None:
    """The longest focal length below the framing with which one frame holds, cropped to the picture."""
    best: Candidate | None = None
    for lens in scene.plan.kit.lenses:
        shortest, longest = focal_range(lens)
        high = min(longest, scene.plan.camera.framing_mm)
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
    camera = plan.camera.model_copy(
        update={
            "framing_mm": plan.camera.framing_mm * times,
            "rise_mm": plan.camera.rise_mm * times,
            "cross_mm": plan.camera.cross_mm * times,
        }
    )
    return plan.model_copy(update={"marks": marks, "surfaces": surfaces, "camera": camera})


def _by(thing: Mark | Surface, step: Floats) -> dict[str, float]:
    return {"x_m": thing.x_m + float(step[0]), "z_m": thing.z_m + float(step[2])}


def _moved_back(scene: Scene, one: Candidate) -> WayOut | None:
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
    for share in _BACK:
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


def _letting_go(scene: Scene, one: Candidate) -> WayOut | None:
    """The heaviest set of musts that one straight frame can hold: the most intervals that one focus stabs."""
    groups, own = np.unique(scene.group[scene.deciding], return_inverse=True)
    weights = np.array([scene.weights[scene.deciding][own == g].max() for g in range(len(groups))])
    most, best_problem, best_held = 0.0, None, np.zeros(0, bool)
    for lens in scene.plan.kit.lenses:
        focal = single_frame_focal_mm(lens, scene.plan.camera.framing_mm)
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


def _best_of_these(problem: Problem, held: Indices) -> Exposure:
    """The best straight frame for some of the marks."""
    part = problem.looking(problem.pose, held)
    state = focus_for(part, f_number=part.middle_stop, weights=part.weights)
    state = state.at(best_stop(part, state))
    if not part.is_plain:
        state = focus_for(part, f_number=state.f_number, weights=moving_weights(part, state))
        state = state.at(best_stop(part, state))
    return part.exposure(state)


def _group_names(scene: Scene, groups: np.ndarray[tuple[int], np.dtype[np.int64]]) -> list[str]:
    first = [int(np.flatnonzero(scene.group == group)[0]) for group in groups]
    return [scene.names[k] for k in first]


def _least(holds: Callable[[float], bool], most: float = _MOST_TIMES) -> float | None:
    """The least factor above 1, up to a limit and to about 1 %, for which something holds."""
    if most <= 1.0 or not holds(most):
        return None
    low, high = 1.0, most
    while high / low > 1.01:
        middle = math.sqrt(low * high)
        low, high = (low, middle) if holds(middle) else (middle, high)
    return high


def _thresholds(weighing: Weighing, advised: Candidate, look: Callable[[], None]) -> list[Sentence]:
    """At which wish a simpler method would do, at which the advised one would fail; and the same for movement."""
    plan = weighing.scene.plan
    said = []
    order = METHOD_KEYS.index(advised.key)
    simpler = [c for c in weighing.candidates[:order] if c.fits and not c.holds][:_SIMPLER]
    for other in simpler:
        look()
        times = _least(partial(_holds_eased, plan, other.key))
        if times is not None:
            said.append(
                Sentence(
                    "Printed {share:.0f} % as large, or seen from {times:.2f} times as far, {method} would do",
                    {"share": 100.0 / times, "times": times, "method": Sentence(METHOD_NAMES[other.key])},
                )
            )
    look()
    method = Sentence(METHOD_NAMES[advised.key])
    fails = _least(lambda t: not _holds_eased(plan, advised.key, 1.0 / t))
    if fails is not None:
        said.append(
            Sentence(
                "Printed more than {share:.0f} % as large, or seen from as much nearer, {method} no longer holds",
                {"share": 100.0 * fails / 1.01, "method": method},
            )
        )
    if np.any(weighing.scene.speeds_mm_s[weighing.scene.deciding]):
        look()
        faster = _least(lambda t: not holds_with(_faster(plan, t), advised.key))
        if faster is not None:
            said.append(
                Sentence(
                    "Once things move {times:.2f} times as fast, or {stops:.1f} stops of light are lost, {method} no "
                    "longer holds",
                    {"times": faster, "stops": math.log2(faster), "method": method},
                )
            )
    return said


def _openings(weighing: Weighing, look: Callable[[], None]) -> list[Sentence]:
    """Where nothing holds: the least more of the kit or of distance with which a method would."""
    plan = weighing.scene.plan
    said = []
    look()
    if weighing.by_key("tilt").fits:
        now = max(lens.tilt_deg for lens in plan.kit.lenses) + plan.kit.body.back_tilt_deg
        times = _least(lambda t: holds_with(_with_lenses(plan, tilt=t), "tilt"), _MOST_TILT_DEG / now)
        if times is not None:
            said.append(
                Sentence(
                    "{needed:.1f}° of tilt, not {now:.1f}°, with an image circle to match: Tilt would hold",
                    {"needed": now * times, "now": now},
                )
            )
    look()
    times = _least(lambda t: holds_with(_with_lenses(plan, stop=t), "one-frame"), 8.0)
    if times is not None:
        said.append(
            Sentence("Stops {stops:.1f} smaller than the lenses have: One frame would hold",
                     {"stops": 2.0 * math.log2(times)})
        )  # fmt: skip
    look()
    nearest = weighing.advised
    if nearest is not None and not plan.scans:
        for share in _BACK:
            back = share * float(weighing.scene.points_mm[weighing.scene.deciding][:, 2].min()) / 1000.0
            if holds_with(stepped_back(plan, back), nearest):
                said.append(
                    Sentence(
                        "From {back:.2f} m farther back, cropped to the same, {method} would hold",
                        {"back": back, "method": Sentence(METHOD_NAMES[nearest])},
                    )
                )
                break
    return said


def _with_lenses(plan: Plan, *, tilt: float = 1.0, stop: float = 1.0) -> Plan:
    """The kit with lenses that tilt so many times as far within any circle, or stop down so many times as small."""
    lenses = []
    for lens in plan.kit.lenses:
        update: dict[str, object] = {"f_numbers": (lens.f_numbers[0], lens.f_numbers[1] * stop)}
        if tilt > 1.0:
            rows = (row.model_copy(update={"tilt_deg": None, "image_circle_mm": None}) for row in lens.by_focal)
            update |= {"tilt_deg": lens.tilt_deg * tilt, "image_circle_mm": _ANY_CIRCLE_MM, "by_focal": tuple(rows)}
        lenses.append(lens.model_copy(update=update))
    body = plan.kit.body.model_copy(update={"back_tilt_deg": plan.kit.body.back_tilt_deg * tilt})
    return plan.model_copy(update={"kit": plan.kit.model_copy(update={"lenses": tuple(lenses), "body": body})})


def _holds_eased(plan: Plan, key: str, times: float) -> bool:
    return holds_with(plan.model_copy(update={"wish": eased(plan.wish, times)}), key)


def _faster(plan: Plan, times: float) -> Plan:
    marks = tuple(mark.model_copy(update={"speed_mm_s": mark.speed_mm_s * times}) for mark in plan.marks)
    return plan.model_copy(update={"marks": marks})
