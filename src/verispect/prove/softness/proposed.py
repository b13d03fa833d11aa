"""Marks that a series proposes: places far apart in depth and over the picture, whose distance it tells."""

from __future__ import annotations

import numpy as np

from verispect.optics.types import Floats
from verispect.plan.entry.found_distance import Proposed
from verispect.plan.methods.candidate import Candidate
from verispect.prove.looked import Looked
from verispect.prove.softness.block_map import BlockMap
from verispect.prove.softness.ranging import ranged

# A block is believed where one beside it lies at the same depth, by so many of both their ±; those that agree are
# taken together, else the farthest place of all would be whichever erred farthest.
_AGREE = 1.5
# Nearer to one another than this, of the whole depth and of the picture's diagonal together, two tell the same.
_ALIKE = 0.2
# Any distance will do for a ray to be told by.
_SOMEWHERE_M = 10.0


def proposed_places(
    blocks: BlockMap, candidate: Candidate, most: int, looked: Looked | None = None
) -> list[Proposed]:
    """The nearest place and the farthest, then whatever lies farthest from all that were taken; near to far.

    Depth counts as image distance, as focus does: of the whole from nearest to farthest. The frames of a rail, each
    of which looks from elsewhere, propose none. Where the camera `looked` and stood elsewhere than planned, what it
    shows lies elsewhere too.
    """
    if most < 1 or candidate.method.on_rail:
        return []
    found: list[tuple[Proposed, Floats]] = []
    agreed = _agreed_mm(blocks)
    stood_m = np.zeros(3) if looked is None else looked.stood_m
    for row, column in np.argwhere(np.isfinite(agreed)).tolist():
        exposure = candidate.exposures[int(blocks.middle[row, column])]
        # How far away it is, the lens tells of the place in the picture, whichever way the camera looked.
        direction = blocks.directions[row, column] / np.linalg.norm(blocks.directions[row, column])
        as_planned = exposure.pose.matrix.T @ (blocks.basis @ direction)
        somewhere = exposure.pose.pupil_m + _SOMEWHERE_M * as_planned
        image, sure = float(agreed[row, column]), float(blocks.sharp_plus_minus_mm[row, column])
        place = ranged(exposure, somewhere, image, sure)
        if place is None:
            continue
        wide, high = blocks.pixels
        at = np.array([image, blocks.rows[row] / np.hypot(wide, high), blocks.columns[column] / np.hypot(wide, high)])
        x, y, z = (float(part) for part in exposure.pose.pupil_m + stood_m + place.distance_m * direction)
        found.append((Proposed((x, y, z), place.distance_m, place.plus_minus_m), at))
    if not found:
        return []
    at = np.array([features for _, features in found])
    at[:, 0] = (at[:, 0] - at[:, 0].min()) / max(float(np.ptp(at[:, 0])), 1e-12)
    # What is near has the larger image distance.
    chosen = [int(np.argmax(at[:, 0]))]
    apart = np.full(len(at), np.inf)
    while len(chosen) < most:
        apart = np.minimum(apart, np.linalg.norm(at - at[chosen[-1]], axis=1))
        farthest = int(np.argmin(at[:, 0])) if len(chosen) == 1 else int(np.argmax(apart))
        if apart[farthest] < _ALIKE:
            break
        chosen.append(farthest)
    return sorted((found[k][0] for k in chosen), key=lambda one: one.distance_m)


def _agreed_mm(blocks: BlockMap) -> Floats:
    """Image distance of each block and of those beside it that agree, (R, C); NaN where none does."""
    told = (blocks.sharp_at_mm, blocks.sharp_plus_minus_mm)
    image, sure = (np.pad(part, 1, constant_values=np.nan) for part in told)
    inner = slice(1, -1)
    weight = 1.0 / blocks.sharp_plus_minus_mm**2
    total, count = blocks.sharp_at_mm * weight, np.zeros(weight.shape, int)
    for down, right in ((0, 1), (0, -1), (1, 0), (-1, 0)):
        at, its = (np.roll(part, (down, right), axis=(0, 1))[inner, inner] for part in (image, sure))
        agree = np.abs(at - blocks.sharp_at_mm) <= _AGREE * np.hypot(its, blocks.sharp_plus_minus_mm)
        own = np.where(agree, 1.0 / its**2, 0.0)
        total, weight, count = total + np.where(agree, at, 0.0) * own, weight + own, count + agree
    return np.where(count > 0, total / weight, np.nan)
