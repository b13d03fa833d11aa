"""What is weighed, chosen and shown, without a window: views read it, the window tells it what came in."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

from verispect.errors import VerispectError
from verispect.plan.entry.manual_setting import worked_by_hand
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.rendering import Rendering, render
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import METHOD_KEYS
from verispect.plan.scene.scene import Scene, check_before_lens, same_scene, unchecked_scene

if TYPE_CHECKING:
    from verispect.plan.advise.weigh import Weighing
    from verispect.plan.document import Plan


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


class Standing(StrEnum):
    """How a station stands."""

    DONE = "done"
    MISSING = "missing"
    STALE = "stale"


class Session:
    """The last weighing, the method on the board and the frame looked at."""

    def __init__(self) -> None:
        self.weighing: Weighing | None = None
        # The very plan that was weighed; what comes back from the weighing's process holds a copy.
        self.weighed_plan: Plan | None = None
        self.complaint = ""
        self.shown: Shown | None = None
        self.frame = 0

    def forget(self) -> None:
        """Another plan was opened."""
        self.weighing, self.weighed_plan, self.complaint, self.frame = None, None, "", 0

    def take(self, weighing: Weighing, plan: Plan) -> None:
        """A weighing came in."""
        self.weighing, self.weighed_plan, self.complaint = weighing, plan, ""

    def refuse(self, complaint: str) -> None:
        """The plan cannot be weighed."""
        self.weighing, self.weighed_plan, self.complaint = None, None, complaint

    def is_current(self, plan: Plan) -> bool:
        """Whether the weighing is of this very plan."""
        return self.weighing is not None and self.weighed_plan is plan

    def look(self, plan: Plan) -> Shown:
        """What is to be drawn of a plan: quick, for every step of a drag."""
        scene = self._scene(plan)
        candidate, by_hand = self._candidate(scene)
        self.shown = look_again(scene, candidate, self.frame, by_hand=by_hand)
        return self.shown

    def shown_key(self, plan: Plan) -> str | None:
        """The method on the board, or the one that was chosen."""
        if self.shown is not None and self.shown.candidate is not None:
            return self.shown.candidate.key
        return plan.choice.method

    def standing_of_weigh(self, plan: Plan) -> Standing:
        """How the weighing stands."""
        if self.weighing is None:
            return Standing.MISSING
        return Standing.DONE if self.is_current(plan) else Standing.STALE

    def standing_of_set(self, plan: Plan) -> Standing:
        """How the settings stand."""
        if self.shown is None or self.shown.candidate is None or not self.shown.candidate.fits:
            return Standing.MISSING
        return Standing.DONE if self.is_current(plan) else Standing.STALE

    def _scene(self, plan: Plan) -> Scene:
        """Of the last weighing where that is still true, so that nothing is done twice."""
        if self.weighing is not None and self.weighed_plan is plan:
            return self.weighing.scene
        return unchecked_scene(plan) if self.shown is None else same_scene(self.shown.scene, plan)

    def _candidate(self, scene: Scene) -> tuple[Candidate | None, bool]:
        """The method to draw, and whether it was moved by hand."""
        choice = scene.plan.choice
        if choice.manual is not None and scene.names and scene.plan.kit.lenses:
            try:
                check_before_lens(scene)
            except VerispectError:
                return None, False
            by_hand = worked_by_hand(scene, choice.manual)
            if by_hand is not None:
                return by_hand, True
        if self.weighing is None:
            return None, False
        key = choice.method if choice.method in METHOD_KEYS else self.weighing.advised
        return (self.weighing.by_key(key) if key else None), False
