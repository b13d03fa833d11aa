"""How sharp each surface of the plan came out, by the blocks of a series that lie on it, and what was planned there.

A block lies on a surface where its line of sight meets it about as far away as what the block shows is told to be:
what stands before it, or a wall where a floor was planned, is none of it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.softness_field import softness_at
from verispect.plan.methods.candidate import Candidate
from verispect.prove.looked import Looked
from verispect.prove.softness.block_map import BlockMap
from verispect.prove.softness.ranging import ranged
from verispect.subject.mark import Need
from verispect.subject.surface import Surface, met_at

# Of its distance a surface may be off the plan, beside the ±, times so many; a block on a slant has several depths.
_OFF_SHARE, _TIMES_UNSURE = 0.04, 2.0
# Fewer blocks tell nothing of a surface, and fewer of them soft may be chance: so many, and such a share.
_FEWEST, _FEWEST_SOFT, _SHARE_SOFT = 3, 2, 0.03
_ANYWHERE_M = 10.0


@dataclass(frozen=True)
class SurfaceSoftness:
    """One surface, by the blocks that tell.

    Attributes
    ----------
    told, soft : int
        Blocks on it that tell, and those of them that are surely softer than allowed.
    softness, plus_minus, planned : float or None
        Of the softest block, and what was planned there.
    pixel : (float, float) or None
        Its row and column in the first frame.
    away_m : float or None
        How far away that is.
    """

    name: str
    need: str
    told: int
    soft: int
    softness: float | None = None
    plus_minus: float | None = None
    planned: float | None = None
    pixel: tuple[float, float] | None = None
    away_m: float | None = None

    @property
    def verdict(self) -> str:
        """ "sharp", "soft" or "cannot-say"."""
        if self.told < _FEWEST:
            return "cannot-say"
        return "soft" if self.soft >= max(_FEWEST_SOFT, _SHARE_SOFT * self.told) else "sharp"

    @property
    def is_missed(self) -> bool:
        """Whether what must be sharp came out soft though it was planned sharp."""
        return self.verdict == "soft" and self.need == Need.MUST and (self.planned or 0.0) <= 1.0


def surfaces_told(
    blocks: BlockMap, candidate: Candidate, planned: Sequence[Exposure], looked: Looked | None = None
) -> list[SurfaceSoftness]:
    """Every surface of the plan, wanted sharp or not; none for a rail, whose frames each look from elsewhere.

    Parameters
    ----------
    candidate : Candidate
        With its frames as they were taken.
    planned : sequence of Exposure
        As they were planned.
    looked : Looked, optional
        Where the camera looked and stood elsewhere, its lines of sight do too.
    """
    surfaces = candidate.scene.plan.surfaces
    if not surfaces or candidate.method.on_rail:
        return []
    eye = candidate.exposures[0].pose.pupil_m + (np.zeros(3) if looked is None else looked.stood_m)
    found: dict[int, list[tuple[int, int, float]]] = {number: [] for number in range(len(surfaces))}
    for row, column in np.argwhere(np.isfinite(blocks.softness)).tolist():
        direction = blocks.directions[row, column] / np.linalg.norm(blocks.directions[row, column])
        exposure = candidate.exposures[int(blocks.middle[row, column])]
        # How far away it is, the lens tells of the place in the picture, whichever way the camera looked.
        from_lens = exposure.pose.matrix.T @ (blocks.basis @ direction)
        place = ranged(
            exposure,
            exposure.pose.pupil_m + _ANYWHERE_M * from_lens,
            float(blocks.sharp_at_mm[row, column]),
            float(blocks.sharp_plus_minus_mm[row, column]),
        )
        if place is None:
            continue
        met = [(met_at(surface, eye, direction), number) for number, surface in enumerate(surfaces)]
        away, number = min(met)
        unsure = _OFF_SHARE * away + _TIMES_UNSURE * place.plus_minus_m
        if np.isfinite(away) and abs(away - place.distance_m) <= unsure:
            found[number].append((row, column, away))
    as_planned = replace(candidate, exposures=tuple(planned))
    return [_told(surface, found[number], blocks, as_planned, eye) for number, surface in enumerate(surfaces)]


def _told(
    surface: Surface, on_it: list[tuple[int, int, float]], blocks: BlockMap, candidate: Candidate, eye: Floats
) -> SurfaceSoftness:
    if not on_it:
        return SurfaceSoftness(surface.name, surface.need, 0, 0)
    soft = sum(bool(blocks.soft[row, column]) for row, column, _ in on_it)
    # The softest of those that are surely soft, else of all.
    row, column, away = max(on_it, key=lambda at: (blocks.soft[at[:2]], blocks.softness[at[:2]]))
    direction = blocks.directions[row, column] / np.linalg.norm(blocks.directions[row, column])
    criterion = candidate.criterion
    assert criterion is not None
    planned = softness_at(
        (eye + away * direction)[None], candidate.exposures, criterion, candidate.scene.plan.sensor_mm
    )  # fmt: skip
    return SurfaceSoftness(
        surface.name, surface.need, len(on_it), soft,
        float(blocks.softness[row, column]), float(blocks.plus_minus[row, column]),
        float(planned[0]) if np.isfinite(planned[0]) else None,
        (float(blocks.rows[row]), float(blocks.columns[column])), away,
    )  # fmt: skip
