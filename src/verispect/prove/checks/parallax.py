"""How far off the axis the entrance pupil turned, by how near things stand aside of far ones between neighbours.

Turned about an axis that lies e behind it, the pupil goes round by e from frame to frame; what stands at a distance d
along r is then seen along r − e f/d, f the way the frame looks. Neighbours laid over one another by their turns alone
differ there by that. How far things are off the plan tells; three small turns a pair are left free, since the turns
that were found took as much of it as they could.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.plan.scene.scene import Scene
from verispect.prove.align.motion import at_level
from verispect.prove.checks.moved import shifts_between
from verispect.prove.expected import View
from verispect.prove.join.pointing import Pair
from verispect.prove.resources.threads import in_turn, workers
from verispect.sentence import Sentence
from verispect.subject.surface import met_at

Grey = NDArray[np.float32]
# Fewer blocks of a pair than these tell no more than its turns take, and fewer of all tell nothing.
_FEWEST_OF_PAIR, _FEWEST = 6, 20
# A mark is what lies so near to it, as a tangent; nothing is farther than this, metres.
_AT_MARK, _FAR_M = 0.012, 1.0e4
_ROUNDS = 12
# Blocks are told no better, pixels.
_LEAST_USUAL_PX = 0.03
# Of what is told so much may be off: things are not planes and points.
_SURE_TO = 0.15
# Known worse than this nothing is told; and so many pixels at the most must near things stand aside.
_MOST_UNSURE_MM, _LEAST_PX = 8.0, 0.7


@dataclass(frozen=True)
class Slide:
    """Where the entrance pupil turned.

    Attributes
    ----------
    ahead_mm, plus_minus_mm : float
        Ahead of the axis; behind it where negative.
    aside_px : float
        How far apart that sets near and far between neighbours at the most.
    """

    ahead_mm: float
    plus_minus_mm: float
    aside_px: float

    @property
    def matters(self) -> bool:
        """Whether the slide is surely off, by as much as can be seen."""
        return abs(self.ahead_mm) > self.plus_minus_mm and self.aside_px > _LEAST_PX


@dataclass(frozen=True)
class Shifts:
    """What a pair of frames shows apart: places in pixels of the first (B, 2: column, row), and shifts (B, 2)."""

    first: View
    second: View
    places: Floats
    shifts: Floats


def shifts_of(views: Sequence[View], straight: Sequence[Grey], pairs: Sequence[Pair], divide: float) -> list[Shifts]:
    """What pairs show apart, laid over one another by their turns alone.

    Parameters
    ----------
    views : sequence of View
        As the frames were found to look.
    straight : sequence of ndarray
        The frames as a lens that bends no lines draws them, so many times smaller.
    """

    def told(pair: Pair) -> Shifts:
        first, second = views[pair.a], views[pair.b]
        here, size = straight[pair.a], straight[pair.a].shape[::-1]
        onto = at_level(second.onto(first), divide)
        laid = cv2.warpPerspective(straight[pair.b], onto, size, flags=cv2.INTER_LINEAR)
        shown = cv2.warpPerspective(np.ones_like(straight[pair.b]), onto, size, flags=cv2.INTER_NEAREST) > 0
        found = shifts_between(here, np.asarray(laid, np.float32), np.asarray(shown, bool))
        return Shifts(first, second, (found[:, [1, 0]] + 0.5) * divide - 0.5, found[:, 2:] * divide)

    return list(in_turn(told, pairs, workers()))


def slide_of(pairs: Sequence[Shifts], scene: Scene) -> Slide | None:
    """Where the pupil turned; None where the plan tells too few depths, or what it shows too little."""
    told: list[tuple[Floats, Floats, Floats]] = []
    for pair in pairs:
        rays = _rays(pair.first, pair.places)
        away = depths_of(scene, rays)
        known = np.isfinite(away)
        if known.sum() >= _FEWEST_OF_PAIR:
            per_mm = _per_mm(pair.first, pair.second, rays[known], away[known])
            told.append((pair.shifts[known].ravel(), per_mm.ravel(), _turns(pair.first, rays[known])))
    if sum(len(shift) for shift, _, _ in told) < 2 * _FEWEST:
        return None
    weights, ahead, tells, usual = [np.ones(len(shift)) for shift, _, _ in told], 0.0, 0.0, 0.0
    for _ in range(_ROUNDS):
        asks = tells = 0.0
        for (shift, per_mm, turns), own in zip(told, weights, strict=True):
            root = np.sqrt(own)
            # What three small turns cannot take.
            q, _ = np.linalg.qr(turns * root[:, None])
            left, slope = (part - q @ (q.T @ part) for part in (root * shift, root * per_mm))
            asks, tells = asks + float(slope @ left), tells + float(slope @ slope)
        if tells <= 0.0:
            return None
        ahead = asks / tells
        rests = []
        for (shift, per_mm, turns), own in zip(told, weights, strict=True):
            root, rest = np.sqrt(own), shift - ahead * per_mm
            rests.append(np.abs(rest - turns @ np.linalg.lstsq(turns * root[:, None], root * rest, rcond=None)[0]))
        # Things that are not where the plan has them stand aside by anything.
        usual = max(1.5 * float(np.median(np.concatenate(rests))), _LEAST_USUAL_PX)
        weights = [1.0 / (1.0 + (rest / usual) ** 2) ** 2 for rest in rests]
    # Blocks lie half over one another, down and across: four tell about as much as one.
    unsure = 2.0 * 2.0 * usual / math.sqrt(max(tells, 1e-12))
    spans = [float(np.ptp(per_mm.reshape(-1, 2), axis=0).max()) for _, per_mm, _ in told]
    if unsure > _MOST_UNSURE_MM:
        return None
    return Slide(ahead, float(np.hypot(unsure, _SURE_TO * ahead)), abs(ahead) * max(spans))


def slide_dict(slide: Slide) -> dict[str, float]:
    """As JSON."""
    return {name: round(value, 3) for name, value in vars(slide).items()}


def slide_words(slide: Slide | None) -> list[Sentence]:
    """What is to be moved on the slide, where it matters."""
    if slide is None or not slide.matters:
        return []
    values: dict[str, object] = {"px": slide.aside_px, "mm": abs(slide.ahead_mm), "unsure": slide.plus_minus_mm}
    if slide.ahead_mm > 0.0:
        return [
            Sentence(
                "Near things stand up to {px:.1f} px aside of far ones between neighbours: the entrance pupil turned "
                "about {mm:.0f} ± {unsure:.0f} mm ahead of the axis; move the camera back on its slide by that",
                values,
            )
        ]
    return [
        Sentence(
            "Near things stand up to {px:.1f} px aside of far ones between neighbours: the entrance pupil turned "
            "about {mm:.0f} ± {unsure:.0f} mm behind the axis; move the camera forward on its slide by that",
            values,
        )
    ]


def depths_of(scene: Scene, rays: Floats) -> Floats:
    """How far away things of the plan are along unit rays (B, 3) in the world, m (B,); NaN where it tells nothing."""
    eye = scene.pose.pupil_m
    found = np.full(len(rays), np.nan)
    for k, ray in enumerate(rays):
        away = min((met_at(surface, eye, ray) for surface in scene.plan.surfaces), default=np.inf)
        found[k] = away if away < _FAR_M else np.nan
    for place in scene.world_m[: scene.mark_count]:
        seen = place - eye
        away = float(np.linalg.norm(seen))
        at = np.linalg.norm(rays - seen / away, axis=1) < _AT_MARK
        found[at] = np.fmin(found[at], away)
    return found


def _rays(view: View, places: Floats) -> Floats:
    at = np.column_stack([places, np.ones(len(places))])
    rays = at @ np.linalg.inv(view.to_pixels).T @ view.rotation
    unit: Floats = rays / np.linalg.norm(rays, axis=1, keepdims=True)
    return unit


def _pixels(view: View, directions: Floats) -> Floats:
    seen = directions @ view.rotation.T @ view.to_pixels.T
    found: Floats = seen[:, :2] / seen[:, 2:]
    return found


def _per_mm(first: View, second: View, rays: Floats, away_m: Floats) -> Floats:
    """How far the second shows what stands there apart from the first, for a pupil 1 mm ahead of the axis (B, 2)."""
    places = rays * away_m[:, None]
    one, other = (_pixels(first, places - 0.001 * view.rotation[2]) for view in (first, second))
    return other - one


def _turns(view: View, rays: Floats) -> Floats:
    """What three small turns shift, (2B, 3)."""
    step = 1e-5
    still = _pixels(view, rays)
    return np.column_stack([
        ((_pixels(view, rays + step * np.cross(axis, rays)) - still) / step).ravel() for axis in np.eye(3)
    ])  # fmt: skip
