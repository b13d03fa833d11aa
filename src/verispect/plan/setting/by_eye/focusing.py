"""A tilt found by eye: focus on one mark, tilt for another, in turn, with what the scales should then read.

In the lens's frame a mark P is sharp where a·P/f − P_z/v = 1. With the lens's lean given that is solved for the
image distance v, with v given for the lean; doing the two in turn is what is done on a ground glass.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise, permutations

import numpy as np

from verispect.kit.mounted_lens import extension_mm
from verispect.optics.conjugates import scale_distance_m
from verispect.optics.lens_state import LensState, from_principal_point, tilt_and_swing_rad
from verispect.optics.types import Floats, Vector
from verispect.plan.frames.rendering import render
from verispect.plan.methods.candidate import Candidate
from verispect.sentence import Sentence

# So many things are tried as places to look at, those the planned plane runs nearest to; of an area so many points.
_MOST_THINGS, _OF_AN_AREA = 6, 2
_MOST_ROUNDS = 12
# Steps told one by one; the rest repeat them.
_TOLD = 7
# On another plane than the planned one the musts may be so many times softer before that is said.
_NEARLY = 1.15
# Both settled: nobody sets a tilt or a focus finer than this by eye.
_TILT_RAD, _EXTENSION_MM = math.radians(0.02), 0.005
_STILL = 1e-5
# A swing or tilt below this is left to the scale.
_LEAST_LEAN = math.sin(math.radians(0.05))


@dataclass(frozen=True)
class FocusStep:
    """One thing done: "focus", "tilt" or "swing", looking at a mark, and what the scales then read.

    Tilt positive leans the top forward, swing positive faces right; the extension is along the lens's axis beyond
    its infinity mark, `ring_m` what a ring shows from the sensor mark, infinite at infinity.
    """

    act: str
    on: str
    tilt_deg: float
    swing_deg: float
    extension_mm: float
    ring_m: float


@dataclass(frozen=True)
class Procedure:
    """The steps until nothing changes any more.

    Attributes
    ----------
    steps : tuple of FocusStep
    checks : tuple of str
        The things to magnify: the one to focus on first.
    worst_softness, planned_softness : float
        Of the softest must on the plane that this ends on, and on the planned one, at the planned stop.
    left : float
        Share of what the tilt is off that each round leaves.
    forward_mm, lower_mm : float
        Of a base tilt: how far the last tilt moves the lens's middle forward and down.
    """

    steps: tuple[FocusStep, ...]
    checks: tuple[str, ...]
    worst_softness: float
    planned_softness: float
    planned: FocusStep
    left: float
    forward_mm: float
    lower_mm: float

    @property
    def says(self) -> list[Sentence]:
        """What to do, in order."""
        said = []
        for number, step in enumerate(self.steps[:_TOLD]):
            values: dict[str, object] = {
                "mark": step.on, "mm": step.extension_mm, "tilt": abs(step.tilt_deg), "swing": abs(step.swing_deg),
                "way": Sentence("forward") if step.tilt_deg >= 0.0 else Sentence("back"),
                "ring": "∞" if math.isinf(step.ring_m) else f"{step.ring_m:.2f} m",
                "side": Sentence("right") if step.swing_deg >= 0.0 else Sentence("left"),
            }  # fmt: skip
            values["begun"] = Sentence(_begun(step), dict(values))
            words = {
                "focus": "{begun}, focus on {mark}: {mm:.2f} mm beyond infinity, {ring} on the ring"
                if number == 0
                else "focus on {mark} again: {mm:.2f} mm, {ring}",
                "tilt": "tilt {way} until {mark} is sharp as well: about {tilt:.2f}°",
                "swing": "swing to the {side} until {mark} is sharp as well: about {swing:.2f}°",
            }
            said.append(Sentence(words[step.act], values))
        if len(self.steps) > _TOLD:
            end = self.steps[-1]
            said.append(
                Sentence(
                    "and so on, until nothing changes any more: tilt {tilt:+.2f}°, swing {swing:+.2f}°, {mm:.2f} mm",
                    {"tilt": end.tilt_deg, "swing": end.swing_deg, "mm": end.extension_mm},
                )
            )
        settled = (
            "each round leaves {left:.0f} % of what it was off; on this plane the softest must is at {worst:.2f}"
        )
        alone = "on this plane the softest must is at {worst:.2f}"
        values = {"left": 100.0 * self.left, "worst": self.worst_softness}
        said.append(Sentence(settled if len(self.steps) > 1 else alone, values))
        if self.worst_softness > _NEARLY * self.planned_softness:
            said.append(
                Sentence(
                    "that is near: then by the scales tilt {tilt:+.2f}°, swing {swing:+.2f}° and {mm:.2f} mm beyond "
                    "infinity, with which it is at {planned:.2f}",
                    {"tilt": self.planned.tilt_deg, "swing": self.planned.swing_deg,
                     "mm": self.planned.extension_mm, "planned": self.planned_softness},
                )
            )  # fmt: skip
        if max(abs(self.forward_mm), self.lower_mm) > 0.05:
            said.append(
                Sentence(
                    "tilted at its base the lens moves {forward:+.1f} mm forward and {lower:.1f} mm down: take that "
                    "back by focus and rise at every tilt",
                    {"forward": self.forward_mm, "lower": self.lower_mm},
                )
            )
        said.append(
            Sentence(
                "sensor, lens and subject planes meet in one line at every focus: that is no proof. Only at the last "
                "extension does the sharp plane run through {marks}",
                {"marks": ", ".join(self.checks)},
            )
        )
        return said


def _begun(step: FocusStep) -> str:
    """How the lens stands before the first focus."""
    if abs(step.swing_deg) > 1e-6 and abs(step.tilt_deg) > 1e-6:
        return "tilt {tilt:.2f}° {way} and swing {swing:.2f}° to the {side} by the scales"
    if abs(step.swing_deg) > 1e-6:
        return "swing {swing:.2f}° to the {side} by the scale"
    return "tilt {tilt:.2f}° {way} by the scale" if abs(step.tilt_deg) > 1e-6 else "the lens straight"


def procedure(candidate: Candidate) -> Procedure | None:
    """For one tilted frame whose marks allow it; None for other methods, a tilted back, or too few marks."""
    problem = candidate.problem
    if problem is None or not candidate.method.tilts or candidate.frame_count != 1:
        return None
    state = candidate.exposures[0].state
    ways = _ways(candidate, state)
    if not ways:
        return None
    points = from_principal_point(candidate.exposures[0].pose.to_camera_mm(candidate.scene.world_m), state)
    things = _things(candidate, points)
    tries = [(ways, (0.0, 0.0))]
    if len(ways) > 1:
        # Both in turn may take long to settle: the smaller of the two is set by its scale then.
        larger, smaller = sorted(ways, key=lambda way: -abs(float(np.dot(way[1], state.axis[:2]))))
        by_scale = float(np.dot(smaller[1], state.axis[:2]))
        tries.append(([larger], (by_scale * smaller[1][0], by_scale * smaller[1][1])))
    best: Procedure | None = None
    for sought, fixed in tries:
        for chosen in permutations(things, len(sought) + 1):
            names = tuple(things[k] for k in chosen)
            found = _run(candidate, state, (sought, fixed), points[list(chosen)], names)
            if found is not None and (best is None or _rank(found) < _rank(best)):
                best = found
    if best is None and len(things) > 1:
        # No turn and turn about would settle: both leans by their scales, and focus on whichever thing does best.
        whole = [_run(candidate, state, ([], state.axis[:2]), points[[k]], (name,)) for k, name in things.items()]
        best = min((found for found in whole if found is not None), key=_rank, default=None)
    return best


def _things(candidate: Candidate, points: Floats) -> dict[int, str]:
    """What lies nearest to the planned plane, with its name: marks, and places on surfaces and scans."""
    scene, rendering = candidate.scene, candidate.rendering
    assert rendering is not None
    softness = np.where(rendering.inside & ~scene.outside_picture, rendering.blur_long_mm, np.inf)
    order = [int(k) for k in np.argsort(softness, kind="stable") if np.isfinite(softness[k])]
    found: dict[int, str] = {}
    taken: dict[int, list[int]] = {}
    for k in order:
        own = taken.setdefault(int(scene.group[k]), [])
        if k >= scene.mark_count:
            # Two places of one area must lie well apart to tell anything.
            near = [j for j in own if np.linalg.norm(points[j] - points[k]) < 0.5 * points[k, 2]]
            if near or len(own) >= _OF_AN_AREA:
                continue
        own.append(k)
        away = "" if k < scene.mark_count else f", {points[k, 2] / 1000.0:.1f} m"
        found[k] = scene.names[k] + away
        if len(found) == _MOST_THINGS:
            break
    return found


def _rank(found: Procedure) -> tuple[float, float]:
    """The plane first, to a tenth of what is allowed; then how quickly it is reached."""
    return (round(found.worst_softness, 1), len(found.steps) + found.left)


def _ways(candidate: Candidate, state: LensState) -> list[tuple[str, tuple[float, float]]]:
    """The directions the lens is leaned in, as (right, up), each with the name of the act."""
    ax, ay, _ = state.axis
    lean = math.hypot(ax, ay)
    body, optic = candidate.scene.plan.kit.body, candidate.lens
    if lean < _STILL or optic is None or (body.back_tilt_deg > 0.0 and optic.lens_tilt_deg == 0.0):
        return []
    if optic.tilt_mount == "rotating":
        return [("tilt", (ax / lean, ay / lean))]
    ways: list[tuple[str, tuple[float, float]]] = []
    if abs(ay) > _LEAST_LEAN:
        ways.append(("tilt", (0.0, 1.0)))
    if abs(ax) > _LEAST_LEAN:
        ways.append(("swing", (1.0, 0.0)))
    return ways


def _run(
    candidate: Candidate,
    state: LensState,
    leaned: tuple[list[tuple[str, tuple[float, float]]], tuple[float, float]],
    points: Floats,
    names: tuple[str, ...],
) -> Procedure | None:
    """Focus on the first mark, lean for each of the others, until both stay; beside a lean set by its scale."""
    ways, fixed = leaned
    assert candidate.problem is not None
    assert candidate.lens is not None
    focal = state.focal_mm
    leans = np.zeros(len(ways))
    rows: list[FocusStep] = []
    before: list[float] = []
    limit = math.sin(math.radians(candidate.lens.tilt_deg)) * (1.0 + 1e-6)

    def axis() -> Vector:
        x, y = (
            fixed[part] + sum(lean * way[part] for lean, (_, way) in zip(leans, ways, strict=True)) for part in (0, 1)
        )
        return (x, y, math.sqrt(max(1.0 - x * x - y * y, 1e-9)))

    def note(act: str, on: str, image_mm: float) -> None:
        rows.append(_step(candidate, act, on, axis(), image_mm))

    image = _sharp_at(points[0], axis(), focal)
    if image is None:
        return None
    note("focus", names[0], image)
    for _ in range(_MOST_ROUNDS if ways else 0):
        old, old_image = leans.copy(), image
        for k, (act, way) in enumerate(ways):
            lean = _leaned(points[k + 1], axis(), way, leans[k], focal, image)
            if lean is None:
                return None
            # Where it would have to lean farther than it can, one leans it as far as it goes and focuses again.
            leans[k] = min(max(lean, -limit), limit)
            note(act, names[k + 1], image)
        again = _sharp_at(points[0], axis(), focal)
        if again is None:
            return None
        image = again
        note("focus", names[0], image)
        before.append(float(np.abs(leans - old).max()))
        if before[-1] < _TILT_RAD and abs(image - old_image) < _EXTENSION_MM:
            break
    else:
        if ways:
            return None
    ratios = [later / earlier for earlier, later in pairwise(before) if earlier > 1e-9]
    end = candidate.problem.state(f_number=state.f_number, image_distance_mm=image, axis=axis())
    exposure = candidate.problem.exposure(end)
    assert candidate.criterion is not None
    softness = render(candidate.scene, [exposure], candidate.criterion).softness[candidate.scene.deciding]
    base, tilt = candidate.lens.lens.tilt_base_mm, math.radians(rows[-1].tilt_deg)
    return Procedure(
        steps=tuple(rows),
        checks=names,
        worst_softness=float(softness.max()),
        planned_softness=candidate.worst_softness,
        planned=_step(candidate, "planned", "", state.axis, state.image_distance_mm),
        left=float(max(ratios)) if ratios else 0.0,
        forward_mm=base * math.sin(tilt),
        lower_mm=base * (1.0 - math.cos(tilt)),
    )


def _step(candidate: Candidate, act: str, on: str, axis: Vector, image_mm: float) -> FocusStep:
    """A step with what the scales show."""
    optic, state = candidate.lens, candidate.exposures[0].state
    assert optic is not None
    tilt, swing = (math.degrees(angle) for angle in tilt_and_swing_rad(axis))
    axial = image_mm / axis[2]
    ring = scale_distance_m(image_mm=axial, focal_mm=state.focal_mm, separation_mm=optic.principal_separation_mm)
    stands_out = extension_mm(optic, focal_mm=state.focal_mm, image_mm=axial)
    return FocusStep(act, on, tilt, swing, stands_out, ring)


def _sharp_at(point: Floats, axis: Vector, focal: float) -> float | None:
    """Image distance at which a mark is sharp."""
    beyond = float(point @ np.asarray(axis)) - focal
    return focal * float(point[2]) / beyond if beyond > 0.0 else None


def _leaned(
    point: Floats, axis: Vector, way: tuple[float, float], now: float, focal: float, image: float
) -> float | None:
    """The lean in one direction, the other kept, at which a mark is sharp at an image distance."""
    aside = float(point[:2] @ np.asarray(way))
    if abs(aside) < 1e-6 * float(point[2]):
        return None
    other = float(point[:2] @ np.asarray(axis[:2])) - now * aside
    still = axis[0] ** 2 + axis[1] ** 2 - now**2
    wanted, lean = focal + focal * float(point[2]) / image, now
    depth = float(point[2])
    for _ in range(20):
        square = 1.0 - lean * lean - still
        if square <= 0.0:
            return None
        ahead = math.sqrt(square)
        off, slope = other + lean * aside + ahead * depth - wanted, aside - lean / ahead * depth
        if abs(slope) < 1e-9 * depth:
            return None
        lean -= off / slope
        if abs(off) < 1e-9 * depth:
            return lean
    return None
