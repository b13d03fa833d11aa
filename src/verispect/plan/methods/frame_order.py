"""In which order the frames of a method are taken: by distance, from the middle, or so that least is lost."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from verispect.optics.criterion import Criterion
from verispect.optics.types import Floats
from verispect.plan.document import Order
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.rendering import softness_on_each
from verispect.plan.methods.grid_order import place_numbers
from verispect.plan.scene.scene import Scene

# Of more frames at one place no order that loses least is sought: they go one way.
_MOST = 200


def ordered(
    scene: Scene, exposures: Sequence[Exposure], criterion: Criterion, order: Order, *, on_rail: bool
) -> list[int]:
    """Indices of the exposures in the order in which they are taken; a grid stays cell by cell.

    A rail goes one way, from its first place or from its last.
    """
    cells = place_numbers(exposures)
    found: list[int] = []
    for cell in dict.fromkeys(cells):
        mine = [k for k, own in enumerate(cells) if own == cell]
        if not on_rail:
            mine = sorted(mine, key=lambda k: -exposures[k].axial_image_distance_mm)
        if order is Order.LEAST_LOSS and len(mine) <= _MOST:
            softness = softness_on_each(scene, [exposures[k] for k in mine], criterion)[:, scene.deciding]
            found += [mine[k] for k in _least_loss(softness, scene.weights[scene.deciding])]
        else:
            found += _one_way(mine, order)
    return found


def _one_way(near_first: list[int], order: Order) -> list[int]:
    if order is Order.FAR_NEAR:
        return near_first[::-1]
    if order is Order.CENTRE_FIRST:
        # A body that merges by itself begins where it was focused, goes away, then jumps back past the start.
        middle = (len(near_first) - 1) // 2
        return [*near_first[middle:], *near_first[:middle][::-1]]
    return near_first


def _least_loss(softness: Floats, weights: Floats) -> list[int]:
    """Each time the frame with which most musts hold, then the one that leaves the musts least soft on the whole."""
    left, taken = list(range(len(softness))), []
    so_far = np.full(softness.shape[1], np.inf)
    while left:

        def gain(k: int, so_far: Floats = so_far) -> tuple[float, float]:
            after = np.minimum(so_far, softness[k])
            return float(weights @ (after <= 1.0)), -float(np.minimum(after, 1e6).sum())

        best = max(left, key=gain)
        so_far = np.minimum(so_far, softness[best])
        left.remove(best)
        taken.append(best)
    return taken


def hung_on(softness: Floats) -> list[int]:
    """Of softness (frames, K) the frames without which something is soft that was not."""
    best = softness.min(axis=0)
    found = []
    for k in range(len(softness)):
        rest = np.delete(softness, k, axis=0).min(axis=0, initial=np.inf)
        if np.any((best <= 1.0) & (rest > 1.0)):
            found.append(k)
    return found
