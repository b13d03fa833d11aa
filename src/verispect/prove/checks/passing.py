"""People, cars and birds that pass while frames of one place are taken.

They fill no blocks and are another thing in every frame, so pixels are asked: where more of the others show the same
than side with a frame, and it something else, that passed through it.
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.prove.align.unlike import unlike
from verispect.prove.checks.laid_small import BORDER, STOPS, Beside

Mask = NDArray[np.bool_]
# So many stops times pixels of small pictures must differ; in good series nothing does.
_LEAST = 25.0
# About that all belongs to it that differs by so many stops, and so many pixels more.
_GROWN, _ROOM = 0.08, 3
# What is as large as this share of the picture is light, or water.
_MOST = 0.2


class Place(NamedTuple):
    """Where something stands in a frame that others see past, in its small picture.

    `size` is how much differs there, stops times pixels; `goes_on` is whether some of it lies where no other looks.
    """

    size: float
    mask: Mask
    goes_on: bool


def places_where_it_passed(beside: Beside) -> list[Place]:
    """All such places of a frame."""
    odd = beside.odd()
    told = (beside.but_for_edges(odd) > STOPS) & _outvoted(beside)
    if not told.any():
        return []
    by_how_many = np.sum([one.shown for one in beside.laid], axis=0)
    by_one = np.logical_or.reduce([one.shown & (one.apart > STOPS) for one in beside.laid]) & (by_how_many == 1)
    _, labels = cv2.connectedComponents(((odd > _GROWN) | told | by_one).astype(np.uint8))
    alone = by_how_many == 0
    alone[: BORDER + 1], alone[-BORDER - 1 :], alone[:, : BORDER + 1], alone[:, -BORDER - 1 :] = (False,) * 4
    beyond = cv2.dilate(alone.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    # A lamp that spreads its light is no passer.
    weights = np.where(told & ~beside.by_lamps, odd, 0.0)
    sizes = np.bincount(labels.ravel(), weights=weights.ravel())
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * _ROOM + 1, 2 * _ROOM + 1))
    found = []
    for label in np.flatnonzero(sizes >= _LEAST):
        own = labels == label
        mask = cv2.dilate(own.astype(np.uint8), kernel) > 0
        if label and mask.mean() < _MOST:
            found.append(Place(float(sizes[label]), _to_the_border(mask), bool((own & beyond).any())))
    return found


def _to_the_border(mask: Mask) -> Mask:
    """A mask with what is not looked at next to the border as it is beside that."""
    side = BORDER + 1
    inner = mask[side:-side, side:-side].astype(np.uint8)
    found: Mask = cv2.copyMakeBorder(inner, side, side, side, side, cv2.BORDER_REPLICATE) > 0
    return found


def _outvoted(beside: Beside) -> Mask:
    """Where more of the others agree with one another, and not with the frame, than side with it."""
    laid = beside.laid
    with_it = np.zeros(beside.own[0].shape[:2], np.int8)
    against = np.zeros_like(with_it)
    for one in laid:
        with_it += one.shown & (one.apart <= STOPS)
    for one in laid:
        if not (one.apart > STOPS).any():
            continue
        agree = np.zeros_like(with_it)
        for other in laid:
            both = one.shown & other.shown & (one.apart > STOPS) & (other.apart > STOPS)
            agree += both if other is one else both & (unlike(one.pictures, other.pictures) <= 0.5 * STOPS)
        np.maximum(against, agree, out=against)
    found: Mask = (against > 1) & (against > with_it + 1)
    return found
