"""What was tried or taken again beside a whole set: which of its frames it is focused as."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from verispect.optics.types import Floats
from verispect.plan.frames.shots import Shot
from verispect.prove.parting.passes import apart_by_detail

# Nearer than this share of what lies between exposures is the same.
_SAME = 0.4


def taken_again(details: Sequence[Floats], known: Mapping[int, Shot], more: Sequence[int]) -> dict[int, Shot]:
    """The shots that further frames of the same view repeat, by where they are sharp; without those that none tells.

    Parameters
    ----------
    details : sequence of ndarray
        Of every frame, as `detail_of` tells it.
    known : mapping
        Frames whose shots are known, as indices into them.
    """
    whole = list(known)
    apart = apart_by_detail([details[k] for k in (*whole, *more)])
    if apart is None or len({shot.exposure for shot in known.values()}) < 2:
        return {}
    among = apart[: len(whole), : len(whole)].copy()
    exposures = np.array([known[k].exposure for k in whole])
    among[exposures[:, None] == exposures[None]] = np.inf
    near = _SAME * float(np.median(among.min(axis=1)))
    found = {}
    for k, row in zip(more, apart[len(whole) :, : len(whole)], strict=True):
        if float(row.min()) < near:
            found[k] = known[whole[int(np.argmin(row))]]
    return found
