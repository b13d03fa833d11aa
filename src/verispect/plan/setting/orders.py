"""In which order the frames of a method are taken: by distance, from the middle, or so that least is lost."""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from verispect.optics.types import Floats
from verispect.plan.frames.rendering import render
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.grid_order import place_numbers


class Order(StrEnum):
    """Ways to go through the frames of one place."""

    NEAR_FAR = "near-far"
    FAR_NEAR = "far-near"
    CENTRE_FIRST = "centre-first"
    LEAST_LOSS = "least-loss"


def ordered(candidate: Candidate, order: Order) -> list[int]:
    """Indices of the exposures in the order in which they are taken; a grid stays cell by cell.

    A rail goes one way, from its first place or from its last.
    """
    cells = place_numbers(candidate.exposures)
    found: list[int] = []
    for cell in dict.fromkeys(cells):
        found.extend(_of_one_place(candidate, [k for k, own in enumerate(cells) if own == cell], order))
    return found


def _of_one_place(candidate: Candidate, mine: list[int], order: Order) -> list[int]:
    if candidate.method.on_rail:
        near_first = mine
    else:
        near_first = sorted(mine, key=lambda k: -candidate.exposures[k].axial_image_distance_mm)
    if order is Order.FAR_NEAR:
        return near_first[::-1]
    if order is Order.CENTRE_FIRST:
        # A body that merges by itself begins where it was focused, goes away, then jumps back past the start.
        middle = (len(near_first) - 1) // 2
        return [*near_first[middle:], *near_first[:middle][::-1]]
    if order is Order.LEAST_LOSS:
        return _least_loss(candidate, near_first)
    return near_first


def _least_loss(candidate: Candidate, near_first: list[int]) -> list[int]:
    """Each time the frame with which most musts hold, then the one that leaves the musts least soft on the whole."""
    softness = softness_by_frame(candidate, near_first)
    weights = candidate.scene.weights[candidate.scene.deciding]
    left, order = list(range(len(near_first))), []
    so_far = np.full(softness.shape[1], np.inf)
    while left:

        def gain(k: int, so_far: Floats = so_far) -> tuple[float, float]:
            after = np.minimum(so_far, softness[k])
            return float(weights @ (after <= 1.0)), -float(np.minimum(after, 1e6).sum())

        best = max(left, key=gain)
        so_far = np.minimum(so_far, softness[best])
        left.remove(best)
        order.append(near_first[best])
    return order


def softness_by_frame(candidate: Candidate, frames: list[int]) -> Floats:
    """Softness (frames, K) of what decides on each of the frames; infinite where it is not on the frame."""
    assert candidate.criterion is not None
    rows = []
    for k in frames:
        one = render(candidate.scene, [candidate.exposures[k]], candidate.criterion)
        rows.append(np.where(one.inside, one.softness, np.inf)[candidate.scene.deciding])
    return np.array(rows)
