"""Where something must be sharp nearer than the lens focuses: a step back, a tube, a close-up lens, each reckoned."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from verispect.optics.lens_state import from_principal_point
from verispect.plan.methods.candidate import Candidate
from verispect.sentence import Sentence

# Powers that close-up lenses come in, 1/m (common practice).
_POWERS = (0.5, 1.0, 2.0, 3.0, 4.0, 5.0, 10.0)


@dataclass(frozen=True)
class ClosestFocus:
    """A conflict with the closest focus and its cures.

    Attributes
    ----------
    name : str
        The nearest thing.
    nearer_m : float
        By how much it lies nearer than the lens focuses: what a step back must make good.
    tube_mm : float
        The least extension tube with which the lens, at its closest, focuses on it.
    tube_reach_m : float
        With the tube the lens focuses no farther than this.
    dioptres : float or None
        The weakest close-up lens to be had that serves; None where none is strong enough.
    """

    name: str
    nearer_m: float
    tube_mm: float
    tube_reach_m: float
    dioptres: float | None

    @property
    def says(self) -> list[Sentence]:
        """The cures in sentences."""
        said = [
            Sentence(
                "{mark} lies {cm:.0f} cm nearer than the lens focuses: it can be sharp by depth alone",
                {"mark": self.name, "cm": 100.0 * self.nearer_m},
            ),
            Sentence("step back {cm:.0f} cm and crop", {"cm": 100.0 * self.nearer_m}),
            Sentence(
                "or an extension tube of {mm:.1f} mm, with which nothing beyond {far:.2f} m can be focused",
                {"mm": self.tube_mm, "far": self.tube_reach_m},
            ),
        ]
        if self.dioptres is not None:
            said.append(
                Sentence(
                    "or a close-up lens of {power:g} dioptres, with which nothing beyond {far:.2f} m can be focused",
                    {"power": self.dioptres, "far": 1.0 / self.dioptres},
                )
            )
        return said


def closest_focus(candidate: Candidate) -> ClosestFocus | None:
    """None where the lens, straight, focuses on everything that must be sharp, and for a rail."""
    problem, optic = candidate.problem, candidate.lens
    if problem is None or optic is None or candidate.method.on_rail or not candidate.exposures:
        return None
    scene = candidate.scene
    state = candidate.exposures[0].state
    points = from_principal_point(scene.points_mm, state)
    marks = np.flatnonzero(scene.deciding)
    nearest = int(marks[np.argmin(points[marks, 2])])
    away, focal = float(points[nearest, 2]), optic.focal_mm
    longest = problem.longest_image_mm
    if longest <= focal or away <= focal:
        return None
    closest = focal * longest / (longest - focal)
    if away >= closest * (1.0 - 1e-6):
        return None
    # A lens that focuses internally is shorter there than at infinity.
    short = optic.closest_focal_mm
    tube = short * away / (away - short) - short * closest / (closest - short)
    power = 1000.0 / away - 1000.0 / closest
    return ClosestFocus(
        name=scene.names[nearest],
        nearer_m=(closest - away) / 1000.0,
        tube_mm=tube,
        tube_reach_m=focal * (optic.shortest_image_mm + tube) / (optic.shortest_image_mm + tube - focal) / 1000.0,
        dioptres=next((step for step in _POWERS if step >= power), None),
    )
