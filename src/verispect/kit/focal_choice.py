"""Which focal lengths of a lens can take the wanted picture in one frame, or in a grid."""

from __future__ import annotations

import math

from verispect.kit.lens import Lens
from verispect.kit.mounted_lens import focal_range

# A zoom is tried at so many focal lengths for a grid.
_ZOOM_STEPS = 24
# A grid of frames hardly smaller than the picture is no use where one of them will do.
_LONGER = 1.05


def single_frame_focal_mm(lens: Lens, framing_mm: float) -> float | None:
    """The longest focal length that still takes in the whole picture; None if the lens is too long.

    Examples
    --------
    >>> zoom = Lens(name="zoom", focal_mm=(24, 70), f_numbers=(4, 22), closest_m=0.4)
    >>> single_frame_focal_mm(zoom, 35.0)
    35.0
    """
    shortest, longest = focal_range(lens)
    if shortest > framing_mm * (1.0 + 1e-6):
        return None
    return min(framing_mm, longest)


def grid_focals_mm(lens: Lens, framing_mm: float) -> list[float]:
    """Focal lengths longer than the framing that are worth trying for a grid, shortest first.

    Where one frame can show it all, only those that are longer by more than a little.
    """
    shortest, longest = focal_range(lens)
    if single_frame_focal_mm(lens, framing_mm) is not None:
        shortest = max(shortest, _LONGER * framing_mm)
    if longest < shortest:
        return []
    if longest / shortest < 1.02:
        return [longest]
    ratio = math.log(longest / shortest)
    return [shortest * math.exp(ratio * k / (_ZOOM_STEPS - 1)) for k in range(_ZOOM_STEPS)]
