"""Tilt and series together: the axis that leaves least depth, then the fewest frames along it."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from verispect.optics.lens_state import FORWARD, from_principal_point
from verispect.optics.movements import detent_directions
from verispect.optics.types import Floats, Vector
from verispect.plan.document import Covers
from verispect.plan.methods.candidate import Candidate, unfit
from verispect.plan.methods.lens_search import corner_reserve_mm, with_every_lens
from verispect.plan.methods.ranking import better
from verispect.plan.methods.refine.back_in_place import leaning_back
from verispect.plan.methods.refine.snap_to_scales import dialled_axis
from verispect.plan.methods.series import from_ladder
from verispect.plan.methods.tilt import limit_within_circle, no_tilt
from verispect.plan.scene.scene import Scene
from verispect.plan.solve.focus_ladder import fewest_frames, frames_at_stops
from verispect.plan.solve.focus_plane import best_plane
from verispect.plan.solve.minimax import polish
from verispect.plan.solve.problem import Problem

# Of the limit on the tilt, where the image circle still darkens a corner of one frame.
_SHARES = (0.95, 0.8, 0.5)
# With marks alone a second search looks for axes along which the marks fall into few groups.
_AXES_EACH_WAY = 9


def tilt_series(scene: Scene) -> Candidate:
    """The tilted series of fewest frames, with whichever lens needs fewest."""
    return with_every_lens("tilt-series", scene, lambda problem: leaning_back(problem, _attempt))


def _attempt(problem: Problem) -> Candidate:
    if problem.lens.tilt_deg <= 0.0:
        return unfit("tilt-series", problem.scene, no_tilt(problem))
    axis, limit = _axis_within_circle(_Geometry(problem))
    covers = problem.scene.plan.wish.series_covers
    found = _towards_detents(problem, limit, covers) or _along(problem, axis, covers)
    for share in _SHARES:
        # The farthest frame stands nearest to the sensor, where the circle is smallest.
        if found.fits:
            break
        found = better(found, _along(problem, shallowest_axis(problem, share * limit), covers))
    if covers == Covers.MARKS:
        for other in _axes_by_groups(problem, limit):
            found = better(found, _along(problem, other, covers))
    return found


class _Geometry:
    """What the best axis hangs on: not on what counts as sharp, nor on how much of that a series may use up.

    A threshold is looked for by weighing one subject with one kit some twenty times over.
    """

    __slots__ = ("_parts", "problem")

    def __init__(self, problem: Problem) -> None:
        self.problem = problem
        plan = problem.scene.plan
        self._parts = (
            problem.points_mm.tobytes(), problem.weights.tobytes(), problem.focal_mm, problem.ring_focal_mm,
            problem.middle_stop, problem.lens, plan.camera, plan.kit,
        )  # fmt: skip

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Geometry) and all(
            own is its or own == its for own, its in zip(self._parts, other._parts, strict=True)
        )

    def __hash__(self) -> int:
        return hash(self._parts[:5])


@lru_cache(maxsize=32)
def _axis_within_circle(of: _Geometry) -> tuple[Vector, float]:
    """The axis that leaves least depth, and the limit on its tilt, radians, that keeps one frame's corners lit."""
    problem = of.problem
    limit = math.radians(problem.lens.tilt_deg)
    axis = shallowest_axis(problem, limit)
    state = problem.state(f_number=problem.middle_stop, image_distance_mm=problem.focal_mm * axis[2], axis=axis)
    if corner_reserve_mm(problem, state) < 0.0:
        limit = limit_within_circle(problem, limit) or 0.0
        axis = shallowest_axis(problem, limit) if limit > 0.0 else FORWARD
    return axis, limit


def _along(problem: Problem, axis: Vector, covers: Covers) -> Candidate:
    set_to = dialled_axis(problem, axis)
    return from_ladder("tilt-series", problem, fewest_frames(problem, axis=set_to, covers=covers), set_to)


def _towards_detents(problem: Problem, limit_rad: float, covers: Covers) -> Candidate | None:
    """The best of the directions that the mount holds; None for a mount that holds any."""
    step = problem.lens.lens.detents_deg
    if problem.lens.tilt_mount != "rotating" or step is None:
        return None
    found: Candidate | None = None
    for direction in detent_directions(step):
        plane = best_plane(
            problem,
            f_number=problem.middle_stop,
            weights=np.ones(len(problem.points_mm)),
            limit_rad=limit_rad,
            direction=direction,
        )
        tried = _along(problem, plane.axis, covers)
        found = tried if found is None else better(found, tried)
    return found


def shallowest_axis(problem: Problem, limit_rad: float) -> Vector:
    """The lens axis that makes the ratio of largest to smallest sharp image distance least.

    The ratio is reckoned from the exit pupil, as the steps of a series are. To first order its logarithm
    is the residual of the best plane, so that plane is the start (docs/derivations/series.md).
    """
    start = best_plane(
        problem,
        f_number=problem.middle_stop,
        weights=np.ones(len(problem.points_mm)),
        limit_rad=limit_rad,
    )
    limit = math.sin(limit_rad)
    exit_ahead = problem.focal_mm * (1.0 - problem.lens.pupil_magnification)

    def residuals(x: Floats) -> Floats:
        ax, ay = float(x[0]), float(x[1])
        az = math.sqrt(max(1.0 - ax * ax - ay * ay, 1e-6))
        state = problem.state(f_number=problem.middle_stop, image_distance_mm=problem.focal_mm, axis=(ax, ay, az))
        points = from_principal_point(problem.points_mm, state)
        depth = ax * points[:, 0] + ay * points[:, 1] + az * points[:, 2]
        sharp_at = problem.focal_mm * points[:, 2] / (depth - problem.focal_mm)
        logs: Floats = np.log(np.maximum(sharp_at - exit_ahead * az, 1e-9)) - x[2]
        return logs

    begin = np.array([start.axis[0], start.axis[1], 0.0])
    logs = residuals(begin)
    begin[2] = 0.5 * (logs.max() + logs.min())
    spread = max(float(logs.max() - logs.min()), 1e-7)
    x, _ = polish(
        residuals,
        begin,
        lower=np.array([-limit, -limit, -np.inf]),
        upper=np.array([limit, limit, np.inf]),
        steps=np.array([0.02, 0.02, spread]),
    )
    ax, ay = float(x[0]), float(x[1])
    lean = math.hypot(ax, ay)
    if problem.lens.tilt_mount == "rotating" and lean > limit > 0.0:
        ax, ay = ax * limit / lean, ay * limit / lean
    return ax, ay, math.sqrt(1.0 - ax * ax - ay * ay)


def _axes_by_groups(problem: Problem, limit_rad: float) -> list[Vector]:
    """A few axes, from an even grid over both movements, along which the marks need fewest frames."""
    sines = np.linspace(-1.0, 1.0, _AXES_EACH_WAY) * math.sin(limit_rad)
    middle = np.array([problem.middle_stop])
    counted: list[tuple[float, Vector]] = []
    for ax in sines:
        for ay in sines:
            lean = math.hypot(ax, ay)
            if problem.lens.tilt_mount == "rotating" and lean > math.sin(limit_rad) * (1.0 + 1e-9):
                continue
            axis = (float(ax), float(ay), math.sqrt(1.0 - lean * lean))
            state = problem.state(f_number=middle[0], image_distance_mm=problem.focal_mm, axis=axis)
            if corner_reserve_mm(problem, state) < 0.0:
                continue
            count = float(frames_at_stops(problem, axis=axis, covers=Covers.MARKS, stops=middle)[0])
            counted.append((count, axis))
    counted.sort(key=lambda pair: pair[0])
    return [axis for count, axis in counted[:3] if math.isfinite(count)]
