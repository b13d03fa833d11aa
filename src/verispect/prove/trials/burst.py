"""When the frames of a burst were taken: by what they tell, or by a rate."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from verispect.errors import FileError
from verispect.optics.types import Floats
from verispect.prove.intake import Frame


def times_of(frames: Sequence[Frame], frames_per_s: float | None) -> Floats:
    """Seconds after the first frame, shape (N,).

    Raises
    ------
    FileError
        Where frames tell no time, or several the same, and no rate is given.
    """
    if frames_per_s is not None:
        return np.arange(len(frames)) / frames_per_s
    told = [frame.taken for frame in frames]
    if any(moment is None for moment in told):
        raise FileError("{path}: tells no time; give --fps, the frames a second of the burst", path=frames[0].path)
    first = told[0]
    found = np.array([(moment - first).total_seconds() for moment in told if moment and first])
    if len(np.unique(found)) < len(found):
        raise FileError(
            "{path}: several frames tell the same second; give --fps, the frames a second of the burst",
            path=frames[0].path,
        )
    return found
