"""How soft any place of a planned series came out in each of its frames, whatever is seen there.

A mark is stood where the place is seen, as far away as the frames show it sharp, and told as the plan's marks are.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

import numpy as np

from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.rendering import render
from verispect.plan.methods.candidate import Candidate
from verispect.plan.scene.scene import Scene, unchecked_scene
from verispect.prove.check import check
from verispect.prove.expected import View, view_of
from verispect.prove.softness.mark_softness import in_each, measure
from verispect.prove.softness.rings import Grey
from verispect.subject.mark import Mark

# Where a place is looked for before its distance is known, m; and how often it is told anew from the distance found.
_SOMEWHERE_M, _ROUNDS = 10.0, 3
# Found as far away as before, of its distance.
_SETTLED = 0.01


class Told(NamedTuple):
    """Softness and its ±."""

    softness: float
    plus_minus: float


class SeriesFrames:
    """Frames that are a method's of a plan, as they were checked: where each shows what another does.

    Parameters
    ----------
    paths : sequence of Path
        Those that are compared; the first has the places asked.
    pixels : (int, int)
        Width and height of each.
    """

    def __init__(
        self,
        paths: Sequence[Path],
        pixels: tuple[int, int],
        candidate: Candidate,
        progress: Callable[[float, str], None],
        is_cancelled: Callable[[], bool],
    ) -> None:
        report = check(paths, candidate=candidate, progress=progress, is_cancelled=is_cancelled)
        named = {one.file: one for one in report.checked}
        exposures = list(candidate.exposures)
        self.pixels, self.pitch_mm = pixels, candidate.scene.plan.sensor_mm[0] / pixels[0]
        # The exposure of each, by its place among the paths, and where its content came to lie.
        self.exposure: dict[int, int] = {}
        self._moved: dict[int, Floats] = {}
        alike_named = len({path.name for path in paths}) < len(paths)
        for k, path in enumerate(paths):
            one = named.get(path.name)
            if one is None or one.planned_exposure is None or alike_named or not one.without("dark", "motion"):
                continue
            self.exposure[k], self._moved[k] = one.planned_exposure, one.moved(pixels)
            exposures[one.planned_exposure] = one.as_found or exposures[one.planned_exposure]
        self._candidate = replace(candidate, exposures=tuple(exposures))

    @property
    def tells(self) -> bool:
        """Whether any place can be told of: the first frame and enough others are the plan's, seen from one place."""
        method = self._candidate.method
        return 0 in self.exposure and len(self.exposure) > 1 and not method.is_grid and not method.on_rail

    def _view(self, k: int) -> tuple[View, Exposure]:
        exposure = self._candidate.exposures[self.exposure[k]]
        return view_of(exposure, self.pixels, self.pitch_mm), exposure

    def places_of(self, row: float, column: float) -> dict[int, tuple[float, float]]:
        """Row and column at which each frame shows what the first has there."""
        ray = self._ray(row, column)
        found = {}
        for k in self.exposure:
            view, _ = self._view(k)
            seen = self._moved[k] @ view.to_pixels @ (view.rotation @ ray)
            found[k] = (float(seen[1] / seen[2]), float(seen[0] / seen[2]))
        return found

    def _ray(self, row: float, column: float) -> Floats:
        view, _ = self._view(0)
        seen = np.linalg.inv(self._moved[0] @ view.to_pixels) @ np.array([column, row, 1.0])
        ray: Floats = view.rotation.T @ (seen / np.linalg.norm(seen))
        return ray

    def softness(self, row: float, column: float, blocks: Mapping[int, Grey]) -> dict[int, Told]:
        """Of each frame that tells it.

        Parameters
        ----------
        blocks : mapping of int to ndarray
            By the frames' places among the paths: squares of linear light about the places of `places_of`.
        """
        by_exposure = {self.exposure[k]: block for k, block in blocks.items()}
        _, exposure = self._view(0)
        criterion = self._candidate.criterion
        assert criterion is not None
        pupil, ray, away = exposure.pose.pupil_m, self._ray(row, column), _SOMEWHERE_M
        for _ in range(_ROUNDS):
            scene = _with_one_mark(self._candidate.scene, pupil + away * ray)
            rendering = render(scene, self._candidate.exposures, criterion)
            held = replace(self._candidate, scene=scene, rendering=rendering)
            told = measure(held, rendering, 0, by_exposure, self.pitch_mm)
            if told.ranged is None:
                return {}
            before, away = away, told.ranged.distance_m
            if abs(away / before - 1.0) < _SETTLED:
                break
        assert told.ranged is not None
        unsure_mm = told.ranged.off_plus_minus_mm
        middle = in_each(held, 0, told)
        ends = [in_each(held, 0, told, off_mm=way * unsure_mm) for way in (-1.0, 1.0)]
        found = {}
        for k, index in self.exposure.items():
            unsure = max(abs(end[index] - middle[index]) for end in ends)
            if math.isfinite(middle[index] + unsure):
                found[k] = Told(middle[index], max(unsure, told.plus_minus or 0.0))
        return found


def _with_one_mark(scene: Scene, place_m: Floats) -> Scene:
    """The camera of a plan before one mark, and nothing else."""
    x, y, z = (float(part) for part in place_m)
    mark = Mark(name="", x_m=x, y_m=y, z_m=z)
    return unchecked_scene(scene.plan.model_copy(update={"marks": (mark,), "surfaces": (), "scans": ()}))
