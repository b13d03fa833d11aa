"""A method worked out for one scene: its exposures, what the marks look like, whether it fits and holds."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from verispect.kit.optic import Optic
from verispect.optics.sharpness import Criterion
from verispect.optics.types import Floats, Indices
from verispect.plan.evaluate import Rendering, render
from verispect.plan.exposure import Exposure
from verispect.plan.problem import Problem
from verispect.plan.scene import Scene
from verispect.sentence import Sentence

# In the order in which near-equal methods are preferred: the simplest first.
METHOD_KEYS = (
    "one-frame", "tilt", "series", "tilt-series", "rail-series", "shift-grid", "turned-grid", "turned-grid-series",
)  # fmt: skip
METHOD_NAMES = {
    "one-frame": "One frame",
    "tilt": "Tilt",
    "series": "Focus series",
    "tilt-series": "Tilted series",
    "rail-series": "Rail series",
    "shift-grid": "Shifted grid",
    "turned-grid": "Turned grid",
    "turned-grid-series": "Grid of series",
}
# Methods that turn the camera, and all that join frames side by side.
TURNED = ("turned-grid", "turned-grid-series")
GRIDS = ("shift-grid", *TURNED)


@dataclass(frozen=True)
class Confidence:
    """How surely a method holds where figures carry a ± (plan/uncertainty.py).

    Attributes
    ----------
    holds : float
        Share of draws in which every must is sharp enough.
    each : ndarray, shape (K,)
        The same for each deciding mark alone.
    softness_95 : ndarray, shape (K,)
        Softness of each deciding mark that 95 of 100 draws stay below.
    points : ndarray of int, shape (K,)
        Which points of the scene were drawn: the deciding marks, and of areas their softest points.
    """

    holds: float
    each: Floats
    softness_95: Floats
    points: Indices


@dataclass(frozen=True)
class Candidate:
    """One method with one lens.

    Attributes
    ----------
    key : str
        One of METHOD_KEYS.
    why_not : tuple of Sentence
        Why the kit cannot do it; empty where it fits.
    notes : tuple of Sentence
        What to know before doing it.
    exposures : tuple of Exposure
    criterion, rendering : or None where the method does not fit
    confidence : Confidence or None
        None where nothing carries a ±.
    others : tuple of Candidate
        Other ways to do the same method that hold too, the better first; kept until the surest is chosen.
    """

    key: str
    scene: Scene
    why_not: tuple[Sentence, ...] = ()
    notes: tuple[Sentence, ...] = ()
    lens: Optic | None = None
    focal_mm: float = 0.0
    exposures: tuple[Exposure, ...] = ()
    criterion: Criterion | None = None
    rendering: Rendering | None = None
    grid_cells: tuple[int, ...] = field(default=())
    confidence: Confidence | None = None
    others: tuple[Candidate, ...] = ()

    @property
    def fits(self) -> bool:
        """Whether the kit can do it."""
        return not self.why_not

    @property
    def frame_count(self) -> int:
        """Number of exposures."""
        return len(self.exposures)

    @property
    def worst_softness(self) -> float:
        """Softness of the worst must (or should, where there are no musts); infinite where none will do."""
        if self.rendering is None:
            return float("inf")
        return float(np.max(self.rendering.softness[self.scene.deciding]))

    @property
    def worst_contrast(self) -> float:
        """Contrast of the worst must."""
        if self.rendering is None:
            return 0.0
        return float(np.min(self.rendering.contrast[self.scene.deciding]))

    @property
    def holds(self) -> bool:
        """Whether it fits and every must is sharp enough."""
        return self.fits and self.worst_softness <= 1.0

    @property
    def is_sure(self) -> bool:
        """Whether it holds with the asked probability, as far as that is known."""
        return self.confidence is None or self.confidence.holds >= self.scene.plan.wish.least_probability

    @property
    def final_pixels(self) -> tuple[int, int]:
        """Pixels of the wanted picture: the sensor's at the framing, more with a longer lens."""
        if not self.focal_mm:
            return (0, 0)
        plan = self.scene.plan
        ratio = self.focal_mm / plan.camera.framing_mm / plan.kit.body.pixel_mm
        width, height = plan.picture_mm
        return round(width * ratio), round(height * ratio)

    @property
    def outside(self) -> list[int]:
        """Indices of musts that lie outside the wanted picture or on none of the frames."""
        lost = self.scene.outside_picture.copy()
        if self.rendering is not None:
            lost |= ~self.rendering.inside
        return [int(k) for k in np.flatnonzero(lost & self.scene.musts)]

    @property
    def loses(self) -> bool:
        """Whether something to be sharp lies in the picture and on none of the frames."""
        if self.rendering is None:
            return False
        return bool(np.any(~self.rendering.inside & self.scene.deciding & ~self.scene.outside_picture))

    @property
    def outside_names(self) -> tuple[str, ...]:
        """Names of what must be sharp and lies outside."""
        return tuple(self.scene.names[k] for k in self.outside if k < self.scene.mark_count) + self.scene.lost_areas

    @property
    def soft_shares(self) -> Floats:
        """Softness of what is wanted soft over what it should at least be, shape (K,); 1 and more is soft enough."""
        scene = self.scene
        if self.rendering is None or not scene.wanted_soft.any():
            return np.zeros(0)
        found: Floats = self.rendering.softness[scene.wanted_soft] / scene.soft_times[scene.wanted_soft]
        return found

    @property
    def soft_enough(self) -> bool:
        """Whether everything that is wanted soft is."""
        return bool(np.all(self.soft_shares >= 1.0))

    @property
    def run_s(self) -> float:
        """From the beginning of the first exposure to the end of the last, in which things can move."""
        times = self.scene.plan.kit.times
        between = (times.settle_s + times.write_s) * max(0, self.frame_count - 1)
        return sum(exposure.shutter_s for exposure in self.exposures) + between + self._changes_s()

    @property
    def time_on_site_s(self) -> float:
        """Set-up and frames, from the kit's times; an estimate."""
        times = self.scene.plan.kit.times
        set_up = times.set_up_s
        if self.key in ("tilt", "tilt-series"):
            set_up += times.tilt_set_up_s
        if self.key in GRIDS:
            set_up += times.head_set_up_s
        if self.key == "rail-series":
            set_up += times.rail_set_up_s
        frames = sum(times.settle_s + exposure.shutter_s + times.write_s for exposure in self.exposures)
        return set_up + frames + self._changes_s()

    def _changes_s(self) -> float:
        """What is moved between the frames, in seconds."""
        times, changes = self.scene.plan.kit.times, max(0, self.frame_count - 1)
        if self.key == "turned-grid-series":
            turns = sum(self.grid_cells) - 1
            return turns * times.turn_s + (changes - turns) * times.refocus_s
        each = {"shift-grid": times.shift_s, "turned-grid": times.turn_s, "rail-series": times.rail_s}
        return changes * each.get(self.key, times.refocus_s)


def worked_out(
    key: str,
    problem: Problem,
    exposures: list[Exposure],
    *,
    notes: tuple[Sentence, ...] = (),
    grid_cells: tuple[int, ...] = (),
) -> Candidate:
    """A candidate from its exposures, with every mark looked at."""
    return Candidate(
        key=key,
        scene=problem.scene,
        notes=notes,
        lens=problem.lens,
        focal_mm=problem.ring_focal_mm or problem.focal_mm,
        exposures=tuple(exposures),
        criterion=problem.criterion,
        rendering=render(problem.scene, exposures, problem.criterion),
        grid_cells=grid_cells,
    )


def unfit(key: str, scene: Scene, *reasons: Sentence) -> Candidate:
    """A method that the kit cannot do."""
    return Candidate(key=key, scene=scene, why_not=reasons)
