"""What is on the board now: a scene, the method shown and what it does to the marks."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from verispect.errors import VerispectError
from verispect.optics.types import Floats
from verispect.plan.candidate import Candidate
from verispect.plan.evaluate import Rendering, render
from verispect.plan.exposure import Exposure
from verispect.plan.scene import Scene
from verispect.subject.clouds import Cloud, unpacked
from verispect.ui.drawings.marks_layer import DrawnMarks
from verispect.ui.drawings.view import Box

# Marks beyond the edge are shown within it by these shares of the drawing's width and height.
_INSET = (0.03, 0.06)
# More dots than this would tell no more.
_MOST_DOTS = 150_000


@dataclass(frozen=True)
class Shown:
    """The subject of the drawings.

    Attributes
    ----------
    scene : Scene
        The plan as shown, with any gesture under way.
    candidate : Candidate or None
        The method shown, worked out for this scene or for the one just before a gesture.
    rendering : Rendering or None
        The marks of this scene in the candidate's exposures.
    frame : int
        Which exposure the plane is drawn of.
    by_hand : bool
    """

    scene: Scene
    candidate: Candidate | None
    rendering: Rendering | None
    frame: int = 0
    by_hand: bool = False

    @property
    def is_empty(self) -> bool:
        """Whether there is nothing to draw."""
        plan = self.scene.plan
        return not (plan.marks or plan.surfaces or plan.scans)

    @property
    def exposure(self) -> Exposure | None:
        """The exposure whose plane is drawn."""
        if self.candidate is None or not self.candidate.exposures:
            return None
        return self.candidate.exposures[min(self.frame, len(self.candidate.exposures) - 1)]


def look_again(scene: Scene, candidate: Candidate | None, frame: int, *, by_hand: bool) -> Shown:
    """The marks of a scene in exposures that stay as they are: quick enough for every step of a drag."""
    rendering = None
    if candidate is not None and candidate.exposures and candidate.criterion is not None:
        fresh = candidate.scene is scene and candidate.rendering is not None
        rendering = candidate.rendering if fresh else render(scene, candidate.exposures, candidate.criterion)
    return Shown(scene, candidate, rendering, frame, by_hand)


def scan_places(cloud: Cloud) -> Floats:
    """Points of a scan that a drawing shows: all, or an even choice of them; none where they are damaged."""
    try:
        places = unpacked(cloud.points, cloud.count)
    except VerispectError:
        return np.zeros((0, 3))
    return places[:: max(1, -(-len(places) // _MOST_DOTS))]


def edged_marks(
    shown: Shown, places: Floats, box: Box, selected: int, say_beyond: Callable[[int], str]
) -> DrawnMarks:
    """The marks at their places in a drawing; those outside its box at its edge, with a word about them."""
    left, right, bottom, top = box
    inset = np.array([_INSET[0] * (right - left), _INSET[1] * (top - bottom)])
    low, high = np.array([left, bottom]), np.array([right, top])
    outside = np.any((places < low) | (places > high), axis=1)
    kept = np.where(outside[:, None], np.clip(places, low + inset, high - inset), places)
    count = shown.scene.mark_count
    softness = shown.rendering.softness[:count] if shown.rendering is not None else np.full(count, np.nan)
    beyond = {int(k): say_beyond(int(k)) for k in np.flatnonzero(outside)}
    return DrawnMarks(shown.scene.names[:count], shown.scene.needs[:count], kept, softness, selected, beyond)
