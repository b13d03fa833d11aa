"""Frames of a series, as nobody planned it, that are not focused between those before and after them."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from verispect.optics.types import Floats
from verispect.prove.parting.passes import apart_by_detail, detours, goes_one_way

# The focus goes so many times as far by way of such a frame as straight from the one before to the one after; by way
# of good, knocked, turned and shaken ones 1.3 times at the most, by way of frames some two steps off 1.7 to 80.
_DETOUR = 1.5
# Without it the series goes evenly over its place.
_AS_USUAL = (1.1, 4.0)


def out_of_order(details: Sequence[Floats], alike: float = 1.0) -> dict[int, float]:
    """Such frames, and how many steps of the series they are focused off, about; further on is positive.

    Parameters
    ----------
    details : sequence of ndarray
        Of the frames in order, as `detail_of` tells it.
    alike : float
        Share of the places that counts: those in which two frames differ least.
    """
    apart = apart_by_detail(details, alike) if len(details) >= 4 else None
    if apart is None:
        return {}
    step = float(np.median(np.diag(apart, 1)))
    longer = detours(apart)
    found = {}
    for k in range(1, len(details) - 1):
        over = float(apart[k - 1, k + 1])
        evenly = _AS_USUAL[0] * step < over < _AS_USUAL[1] * step
        if longer[k - 1] > _DETOUR and evenly and goes_one_way(apart, k):
            # Beside the first or last it may be these that are focused past all there is: nothing tells how far.
            beside = [end for end in (0, len(details) - 1) if abs(end - k) == 1]
            if not any(goes_one_way(apart, end) for end in beside):
                before, after = float(apart[k - 1, k]), float(apart[k, k + 1])
                found[k] = math.copysign(0.5 * (before + after) / step, before - after)
    return found
