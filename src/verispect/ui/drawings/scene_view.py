"""From what is shown to what a drawing needs: points of scans, marks kept within its edges."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from verispect.errors import VerispectError
from verispect.optics.types import Floats
from verispect.subject.scan import Cloud, unpacked
from verispect.ui.drawings.marks_layer import DrawnMarks
from verispect.ui.drawings.view import Box
from verispect.ui.state.session import Shown

# Marks beyond the edge are shown within it by these shares of the drawing's width and height.
_INSET = (0.03, 0.06)
# More dots than this would tell no more.
_MOST_DOTS = 150_000


def scan_places(cloud: Cloud) -> Floats:
    """Points of a scan that a drawing shows: all, or an even choice of them; none where they are damaged."""
    try:
        places = unpacked(cloud.points, cloud.count)
    except VerispectError:
        return np.zeros((0, 3))
    return places[:: max(1, -(-len(places) // _MOST_DOTS))]


def edged_marks(
    shown: Shown, places: Floats, box: Box, selected: int, say_beyond: Callable[[int], str]
) -> DrawnMarks:
    """The marks at their places in a drawing; those outside its box at its edge, with a word about them."""
    left, right, bottom, top = box
    inset = np.array([_INSET[0] * (right - left), _INSET[1] * (top - bottom)])
    low, high = np.array([left, bottom]), np.array([right, top])
    outside = np.any((places < low) | (places > high), axis=1)
    kept = np.where(outside[:, None], np.clip(places, low + inset, high - inset), places)
    count = shown.scene.mark_count
    softness = shown.rendering.softness[:count] if shown.rendering is not None else np.full(count, np.nan)
    beyond = {int(k): say_beyond(int(k)) for k in np.flatnonzero(outside)}
    return DrawnMarks(shown.scene.names[:count], shown.scene.needs[:count], kept, softness, selected, beyond)
