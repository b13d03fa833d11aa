"""A method worked out for one scene: its exposures, what the marks look like, whether it fits and holds."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property
from itertools import groupby

import numpy as np

from verispect.kit.mounted_lens import Optic
from verispect.optics.criterion import Criterion
from verispect.optics.f_stops import marked
from verispect.optics.image_circle import circle_reserve_mm, corner_points_mm
from verispect.optics.types import Floats, Indices
from verispect.plan.document import Order
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.rendering import Rendering, render, softness_on_each
from verispect.plan.frames.shots import Shot, shots_of
from verispect.plan.methods.frame_order import hung_on, ordered
from verispect.plan.methods.grid_order import Cell, along_path, place_numbers
from verispect.plan.methods.method import Method, method_of
from verispect.plan.scene.scene import Scene
from verispect.plan.solve.problem import Problem
from verispect.sentence import Sentence


@dataclass(frozen=True)
class Confidence:
    """How surely a method holds where figures carry a ± (assess/confidence.py).

    Attributes
    ----------
    holds : float
        Share of draws in which every must is sharp enough.
    each : ndarray, shape (K,)
        The same for each deciding mark alone.
    softness_95 : ndarray, shape (K,)
        Softness of each deciding mark that 95 of 100 tries stay below.
    points : ndarray of int, shape (K,)
        Which points of the scene were drawn: the deciding marks, and of areas their softest points.
    """

    holds: float
    each: Floats
    softness_95: Floats
    points: Indices


@dataclass(frozen=True)
class SearchRecord:
    """How much a search tried: lenses, focal lengths of all of them, stops of the one that has most."""

    lenses: int = 0
    focals: int = 0
    stops: int = 0


@dataclass(frozen=True)
class Steps:
    """A body's own bracket of focus: step number and count, and the count that is surely enough."""

    number: int
    count: int
    most_count: int


def record_of(tried: Iterable[Problem]) -> SearchRecord:
    """What the problems of a search come to."""
    problems = list(tried)
    return SearchRecord(
        lenses=len({problem.lens.name for problem in problems}),
        focals=len({(problem.lens.name, problem.ring_focal_mm or problem.focal_mm) for problem in problems}),
        stops=max((len(problem.stops) for problem in problems), default=0),
    )


@dataclass(frozen=True)
class Candidate:
    """One method with one lens.

    Attributes
    ----------
    method : Method
    why_not : tuple of Sentence
        Why the kit cannot do it; empty where it fits.
    notes : tuple of Sentence
        What to know before doing it.
    problem : Problem or None
        The lens before the scene that it was worked out for; None where the method does not fit.
    exposures : tuple of Exposure
    record : SearchRecord
        How much was tried to find it.
    criterion, rendering : or None where the method does not fit
    confidence : Confidence or None
        None where nothing carries a ±.
    grid_cells : tuple of int
        Of a grid how many places each row has, from the top.
    cells : tuple of (row, column)
        Of a grid the place of each exposure, from 0 at the top left.
    others : tuple of Candidate
        Other ways to do the same method that hold too, the better first; kept until the surest is chosen.
    bracket : Steps or None
        What the body's own bracket of focus is set to; None where frames are focused one by one.
    """

    method: Method
    scene: Scene
    why_not: tuple[Sentence, ...] = ()
    notes: tuple[Sentence, ...] = ()
    problem: Problem | None = None
    exposures: tuple[Exposure, ...] = ()
    criterion: Criterion | None = None
    rendering: Rendering | None = None
    grid_cells: tuple[int, ...] = field(default=())
    cells: tuple[Cell, ...] = ()
    confidence: Confidence | None = None
    others: tuple[Candidate, ...] = ()
    record: SearchRecord = SearchRecord()
    bracket: Steps | None = None

    @property
    def key(self) -> str:
        """The method's stable name."""
        return self.method.key

    @property
    def lens(self) -> Optic | None:
        """The lens at its focal length; None where the method does not fit."""
        return None if self.problem is None else self.problem.lens

    @property
    def focal_mm(self) -> float:
        """Focal length at infinity, which sets the size of the picture; 0 where the method does not fit."""
        return 0.0 if self.problem is None else self.problem.ring_focal_mm or self.problem.focal_mm

    @property
    def drawn(self) -> float:
        """How large the wanted picture is drawn, over what of the sensor it would fill; 0 where it does not fit."""
        return 0.0 if self.problem is None else self.problem.drawn

    @property
    def fits(self) -> bool:
        """Whether the kit can do it."""
        return not self.why_not

    @property
    def frame_count(self) -> int:
        """Number of exposures."""
        return len(self.exposures)

    @cached_property
    def sequence(self) -> list[int]:
        """Indices of the exposures in the order in which they are taken."""
        return self.in_order(self.scene.plan.choice.order)

    @property
    def is_bracketed(self) -> bool:
        """Whether the body goes through the focus of each place by itself, at one press of the shutter."""
        return self.bracket is not None

    def number_of(self, exposure: int) -> int:
        """Which frame an exposure is, from 1, as they are taken and as Set and the sheet count them."""
        return self.sequence.index(exposure) + 1

    def in_order(self, order: Order) -> list[int]:
        """Indices of the exposures in an order."""
        if self.criterion is None:
            return []
        if order is Order.LEAST_LOSS and self.is_bracketed:
            # A body goes one way.
            order = Order.NEAR_FAR
        return ordered(self.scene, self.exposures, self.criterion, order, on_rail=self.method.on_rail)

    @property
    def places(self) -> list[int]:
        """Which place each exposure is of, from 0; what is no grid has one, however a tilted lens moves its foot."""
        return place_numbers(self.exposures) if self.cells else [0] * self.frame_count

    @cached_property
    def shots(self) -> list[Shot]:
        """Every press of the shutter, in order."""
        choice = self.scene.plan.choice.shots
        several: list[int] = self.sequence
        if choice.needed_only and choice.count > 1 and self.criterion is not None and not self.is_bracketed:
            softness = softness_on_each(self.scene, self.exposures, self.criterion)
            several = hung_on(softness[:, self.scene.deciding])
        found = shots_of(self.sequence, choice.steps, several=several)
        if self.is_bracketed:
            # A body goes through the whole of a place once more for every further shot.
            places = self.places
            found.sort(key=lambda shot: (places[shot.exposure], shot.number))
        return found

    @property
    def presses(self) -> list[tuple[Shot, ...]]:
        """The shots of each press of the shutter, in order: one, or a bracket that the body takes by itself."""
        if not self.is_bracketed:
            return [(shot,) for shot in self.shots]
        places = self.places
        together = groupby(self.shots, key=lambda shot: (places[shot.exposure], shot.number))
        return [tuple(shots) for _, shots in together]

    @property
    def shot_count(self) -> int:
        """How many pictures are taken."""
        choice = self.scene.plan.choice.shots
        # Not to be worked out while methods are searched.
        return len(self.shots) if choice.needed_only else self.frame_count * choice.count

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
    def is_sharp(self) -> bool:
        """Whether it fits, every must is sharp enough, and each that lies in the wanted picture is on a frame."""
        return self.fits and self.worst_softness <= 1.0 and not self.lost_marks

    @property
    def holds(self) -> bool:
        """Whether it fits, and every must is sharp enough and in the picture: of what lies beside it none is held."""
        return self.is_sharp and not self.beside

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
        ratio = self.drawn / plan.kit.body.pixel_mm
        width, height = plan.whole_mm
        return round(width * ratio), round(height * ratio)

    @property
    def kept(self) -> float:
        """Share of the picture's width that every frame shows; less after a merge in the camera."""
        if self.frame_count < 2 or self.method.is_grid:
            return 1.0
        scales = [exposure.state.pupil_scale_mm for exposure in self.exposures]
        # A lens wider than the picture has room beside it.
        shown = min(min(scales) / max(scales) / min(self.drawn, 1.0), 1.0)
        merge = self.scene.plan.kit.body.merge_keeps
        return shown * (merge if merge is not None else 1.0)

    @property
    def kept_pixels(self) -> tuple[int, int]:
        """Pixels of the final picture after what every frame must show."""
        width, height = self.final_pixels
        return round(width * self.kept), round(height * self.kept)

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
    def lost_marks(self) -> tuple[str, ...]:
        """Names of marks to be sharp that lie in the wanted picture and on none of the frames."""
        if self.rendering is None:
            return ()
        count = self.scene.mark_count
        lost = (~self.rendering.inside & self.scene.deciding & ~self.scene.outside_picture)[:count]
        return tuple(self.scene.names[k] for k in np.flatnonzero(lost))

    @property
    def beside(self) -> tuple[str, ...]:
        """Names of marks to be sharp that lie beside the wanted picture, and of areas of which nothing lies in it."""
        scene = self.scene
        marks = (scene.outside_picture & scene.deciding)[: scene.mark_count]
        return tuple(scene.names[k] for k in np.flatnonzero(marks)) + scene.lost_areas

    @property
    def is_one_of_a_series(self) -> bool:
        """Whether it is a series that one frame does for."""
        return self.method.merges and self.frame_count == 1

    @property
    def loose_shoulds(self) -> tuple[str, ...]:
        """Names of what should be sharp, lies in the picture, and is not; each once."""
        if self.rendering is None:
            return ()
        soft = self.scene.shoulds_in_picture & ~((self.rendering.softness <= 1.0) & self.rendering.inside)
        return tuple(dict.fromkeys(self.scene.names[k] for k in np.flatnonzero(soft)))

    @property
    def worst_should(self) -> float:
        """Softness of the worst should in the picture; 0 where there is none."""
        if self.rendering is None or not self.scene.shoulds_in_picture.any():
            return 0.0
        return float(self.rendering.softness[self.scene.shoulds_in_picture].max())

    @property
    def outside_names(self) -> tuple[str, ...]:
        """Names of what must be sharp and lies outside the picture or on none of the frames."""
        return tuple(self.scene.names[k] for k in self.outside if k < self.scene.mark_count) + self.scene.lost_areas

    @property
    def defocus_times(self) -> Floats:
        """Blur of what is wanted soft over the circle of confusion, shape (K,); diffraction counts for nothing."""
        if self.rendering is None or self.criterion is None:
            return np.zeros(0)
        found: Floats = self.rendering.blur_long_mm[self.scene.wanted_soft] / self.criterion.disc_mm
        return found

    @property
    def soft_shares(self) -> Floats:
        """Defocus of what is wanted soft over what it should at least be, shape (K,); 1 and more is soft enough."""
        if self.rendering is None:
            return np.zeros(0)
        found: Floats = self.defocus_times / self.scene.soft_times[self.scene.wanted_soft]
        return found

    @property
    def soft_enough(self) -> bool:
        """Whether everything that is wanted soft is."""
        return bool(np.all(self.soft_shares >= 1.0))

    @property
    def run_s(self) -> float:
        """From the beginning of the first exposure to the end of the last, in which things can move."""
        times = self.scene.plan.kit.times
        around = self._around_s() - times.frame_s if self.shot_count else 0.0
        return self.open_s + around + self._changes_s()

    @property
    def time_on_site_s(self) -> float:
        """Set-up and frames, from the kit's times; an estimate."""
        times = self.scene.plan.kit.times
        return self.method.set_up_s(times) + self._around_s() + self.open_s + self._changes_s()

    def _around_s(self) -> float:
        """Around the frames beside their exposures, seconds; within a body's bracket nothing has to settle."""
        times = self.scene.plan.kit.times
        if not self.is_bracketed:
            return times.frame_s * self.shot_count
        presses = len(self.presses)
        return times.frame_s * presses + times.after_s * (self.shot_count - presses)

    @property
    def open_s(self) -> float:
        """How long the shutter is open in all, seconds."""
        if self.scene.plan.choice.shots.needed_only:
            return sum(shot.of(self.exposures).shutter_s for shot in self.shots)
        of_each: float = sum(2.0**stops for stops in self.scene.plan.choice.shots.steps)
        return of_each * sum(exposure.shutter_s for exposure in self.exposures)

    def _changes_s(self) -> float:
        """What is moved between the frames, in seconds."""
        if self.is_bracketed:
            cells = max(sum(self.grid_cells), 1)
            return self.method.change_s(self.scene.plan.kit.times, cells, cells)
        return self.method.change_s(self.scene.plan.kit.times, self.frame_count, sum(self.grid_cells))


def worked_out(
    key: str,
    problem: Problem,
    exposures: list[Exposure],
    *,
    notes: tuple[Sentence, ...] = (),
    grid_cells: tuple[int, ...] = (),
) -> Candidate:
    """A candidate from its exposures, a grid's as its path goes through them, with every mark looked at."""
    cells: list[Cell] = []
    if grid_cells:
        exposures, cells = along_path(exposures, grid_cells, problem.scene.plan.choice.grid_path)
    return Candidate(
        method=method_of(key),
        scene=problem.scene,
        notes=(*notes, *_taken_circle(problem, exposures), *_own_blur(problem, exposures)),
        problem=problem,
        exposures=tuple(exposures),
        criterion=problem.criterion,
        rendering=render(problem.scene, exposures, problem.criterion),
        grid_cells=grid_cells,
        cells=tuple(cells),
    )


def _taken_circle(problem: Problem, exposures: list[Exposure]) -> list[Sentence]:
    """That an image circle which nobody told is leant on, where it must be more than just the sensor's."""
    if problem.lens.image_circle_mm is not None or not exposures:
        return []
    diagonal = problem.scene.plan.kit.body.diagonal_mm

    def spare(exposure: Exposure) -> float:
        corners = corner_points_mm(problem.used_size_mm, exposure.sensor_centre_mm)
        return float(circle_reserve_mm(corners, exposure.state, diagonal).min())

    if min(spare(exposure) for exposure in exposures) >= 0.0:
        return []
    return [
        Sentence(
            "The image circle of {lens} is not known and taken to be {circle:.0f} mm, which covers the sensor "
            "wherever the lens itself moves; look at the corners",
            {"lens": problem.lens.name, "circle": problem.lens.circle_mm(diagonal)},
        )
    ]


def _own_blur(problem: Problem, exposures: list[Exposure]) -> list[Sentence]:
    """That the lens's own blur was reckoned with, where somebody has measured it: how much, and where it is least."""
    lens, focal = problem.lens.lens, problem.lens.focal_mm
    rows = sorted((row for row in lens.residual if row.focal_mm in (None, focal)), key=lambda row: row.f_number)
    if not rows or not exposures:
        return []
    stop = exposures[0].state.f_number
    at = np.log2([row.f_number for row in rows])
    middle, corner = (
        float(np.interp(np.log2(stop), at, [getattr(row, key) for row in rows])) for key in ("centre_um", "corner_um")
    )
    best_middle, best_corner = (min(rows, key=lambda row: getattr(row, key)) for key in ("centre_um", "corner_um"))
    return [
        Sentence(
            "What {lens} itself blurs counts: {middle:.1f} µm in the middle and {corner:.1f} µm in the corner at "
            "f/{stop}; least in the middle at f/{best_middle}, in the corner at f/{best_corner}",
            {"lens": lens.name, "middle": middle, "corner": corner, "stop": marked(stop),
             "best_middle": marked(best_middle.f_number), "best_corner": marked(best_corner.f_number)},
        )
    ]  # fmt: skip


def unfit(key: str, scene: Scene, *reasons: Sentence) -> Candidate:
    """A method that the kit cannot do."""
    return Candidate(method=method_of(key), scene=scene, why_not=reasons)
