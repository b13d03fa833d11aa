"""What a frame exposed for longer than the others has burnt out: told by a neighbour that has not."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.intake import WHITE, Coded, coded_of, linear_of
from verispect.prove.merge.evened import evened

# A frame is brighter than others by so many stops where what it burns out they need not.
_BRIGHTER = 0.1
# The neighbour's colours, drawn softer, are held to within so many times this frame's own brightness.
_MOST_OFF = 2.0
# So many rows are worked on at once: the light of a whole frame is twice as large as the frame.
_STRIP_ROWS = 256


def witness_of(k: int, clipped: Sequence[NDArray[np.uint8] | None], stops: Floats) -> int | None:
    """The nearest frame that tells what another has burnt out; None where that has nothing, or is no brighter.

    Parameters
    ----------
    clipped : sequence of ndarray or None
        What of every frame is burnt out; None: nothing.
    stops : ndarray, shape (frames, 3)
        How much brighter each frame is, by channel.
    """
    light = stops.mean(axis=1)
    darker = [n for n in range(len(light)) if light[n] < light[k] - _BRIGHTER]
    if clipped[k] is None or not darker:
        return None
    return min(darker, key=lambda n: (abs(n - k), light[n]))


def told_by(coded: Coded, stops: Floats, witness: Coded, witness_stops: Floats) -> Coded:
    """The frame with so many stops less, what it has burnt out as its neighbour has it; as dark as it is elsewhere.

    What no channel of this frame tells is the neighbour's; where one does, that one's detail with the neighbour's
    colour. Never darker than what burns out in this frame, which is all that it tells. What is burnt out in the
    neighbour too stays white.

    Parameters
    ----------
    coded, witness : ndarray, shape (rows, columns, 3), uint16
        With sRGB's curve, laid over one another, each as it was taken.
    stops, witness_stops : ndarray, shape (3,)
        How much brighter each is than the picture is to be.
    """
    told = evened(coded, stops).copy()
    least = np.asarray(2.0**-stops, np.float32)
    for top in range(0, len(coded), _STRIP_ROWS):
        rows = slice(top, top + _STRIP_ROWS)
        lost = coded[rows] >= WHITE
        some = lost.any(axis=2)
        if not some.any():
            continue
        gone, white = lost[some], witness[rows][some] >= WHITE
        own, theirs = (_light(of[rows][some], off) for of, off in ((coded, stops), (witness, witness_stops)))
        both = ~gone & ~white
        held = np.where(both, own, 0.0).sum(axis=1) / np.maximum(np.where(both, theirs, 0.0).sum(axis=1), 1e-6)
        held = np.where(both.any(axis=1), np.clip(held, 1.0 / _MOST_OFF, _MOST_OFF), 1.0)[:, None]
        found = coded_of(np.where(white, 1.0, np.maximum(theirs * held, least)))
        told[rows][some] = np.where(gone, found, told[rows][some])
    return told


def _light(coded: Coded, stops: Floats) -> NDArray[np.float32]:
    """Of single pixels, shape (pixels, 3)."""
    light: NDArray[np.float32] = linear_of(coded[None])[0] * np.float32(2.0) ** -stops.astype(np.float32)
    return light


def laid_over(witness: Coded, onto: Floats, rows: tuple[int, int], columns: int) -> Coded:
    """Rows of a frame as another shows them that is moved onto it by a matrix, in pixels."""
    first, last = rows
    move = np.array([[1.0, 0, 0], [0, 1.0, -first], [0, 0, 1.0]]) @ onto
    return np.asarray(
        cv2.warpPerspective(
            witness, move, (columns, last - first), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        ),
        np.uint16,
    )
