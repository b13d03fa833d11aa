"""Things that moved between the frames of a series: each comes from one frame, so that it does not come out twice."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.motion import at_level
from verispect.prove.checks.moved import Aside, asides_in

Grey = NDArray[np.float32]
# A place larger than this share of the picture is no thing in it.
_MOST = 0.15
# What passed is what moved where so much of its box lies in the other's.
_OF_IT = 0.6
# Something is changed where it differs by so much of its brightness, and so many times what focus makes of it.
_SHARE, _TIMES, _SMOOTH, _EDGE = 0.03, 2.0, 3.0, 7


@dataclass(frozen=True)
class Ghost:
    """A thing that stands elsewhere in one frame.

    Attributes
    ----------
    box : (int, int, int, int)
        Top, left, bottom, right in the reference's pixels, about where it stands in any frame.
    mask : ndarray of uint8
        Where in the box it covers something in one frame or the other, at some smaller size.
    odd : int
        The frame that shows it elsewhere.
    from_odd : bool
        Whether it is taken from that one, as the sharpest there; else from the others.
    """

    box: tuple[int, int, int, int]
    mask: NDArray[np.uint8]
    odd: int
    from_odd: bool

    def is_out(self, frame: int) -> bool:
        """Whether a frame gives nothing of it."""
        return (frame == self.odd) != self.from_odd


def ghosts_in(greys: Sequence[Grey], matrices: Sequence[Floats], pixels: tuple[int, int]) -> list[Ghost]:
    """Find them.

    Parameters
    ----------
    greys : sequence of ndarray
        Brightness of every frame, smaller than it.
    matrices : sequence of ndarray, shape (3, 3)
        From every frame to the first, in whole pixels.
    pixels : (int, int)
        Width and height of a frame.
    """
    divide = round(pixels[0] / greys[0].shape[1])
    laid = [at_level(matrix, divide) for matrix in matrices]
    steps = [np.eye(3), *(np.linalg.inv(before) @ now for before, now in itertools.pairwise(laid))]
    found: list[Ghost] = []
    for odd, asides in enumerate(asides_in(greys, steps)):
        places = [(_mapped(_both(aside), laid[aside.of]), aside) for aside in asides]
        for box in _joined([place for place, _ in places]):
            ends = top, left, bottom, right = _within(box, greys[0].shape)
            if (bottom - top) * (right - left) > _MOST * greys[0].size or bottom - top < 4 or right - left < 4:
                continue
            if any(_meet(ends, tuple(side // divide for side in other.box)) for other in found):
                # Two things in one place: which of them stands where cannot be told.
                continue
            parts = [part_of(grey, matrix, ends) for grey, matrix in zip(greys, laid, strict=True)]
            mine = [aside for place, aside in places if _meet(ends, _within(place, greys[0].shape))]
            mask = _covered(parts, odd, mine, laid, ends)
            details = [detail_of(part, mask) for part in parts]
            best = max(detail for k, detail in enumerate(details) if k != odd)
            whole = (top * divide, left * divide, bottom * divide, right * divide)
            found.append(Ghost(whole, mask, odd, details[odd] > best))
    return found


def told_once(moved: Sequence[Ghost], passed: Sequence[Ghost]) -> list[Ghost]:
    """What moved and what passed without what is told twice.

    A thing that moved is known from where it stood to where it stands. In a crowd that says nothing: what passed is
    told by its outline there.
    """
    kept, known = [], set()
    for ghost in moved:
        beside = [k for k, other in enumerate(passed) if _meet(ghost.box, other.box)]
        if all(passed[k].odd == ghost.odd and _share_in(passed[k].box, ghost.box) >= _OF_IT for k in beside):
            kept.append(ghost)
            known.update(beside)
    return [*kept, *(ghost for k, ghost in enumerate(passed) if k not in known)]


def _share_in(box: tuple[int, int, int, int], other: tuple[int, int, int, int]) -> float:
    """How much of a box (top, left, bottom, right) lies in another."""
    down, across = (max(0, min(box[k + 2], other[k + 2]) - max(box[k], other[k])) for k in (0, 1))
    return down * across / max((box[2] - box[0]) * (box[3] - box[1]), 1)


class LeftOut(Protocol):
    """Something of which some frames give nothing: its box in the reference's pixels, and where in it, 1 or more."""

    @property
    def box(self) -> tuple[int, int, int, int]:
        """Top, left, bottom, right."""
        ...

    @property
    def mask(self) -> NDArray[np.uint8]:
        """At some smaller size."""
        ...

    def is_out(self, frame: int) -> bool:
        """Whether a frame gives nothing of it."""
        ...


def leave_out(
    things: Sequence[LeftOut], frame: int, there: NDArray[np.uint8] | None, rows: tuple[int, int], wide: int
) -> NDArray[np.uint8] | None:
    """Where a frame shows something, in these rows, without what comes from others."""
    for thing in things:
        top, left, bottom, right = thing.box
        first, last = max(top, rows[0]), min(bottom, rows[1])
        if not thing.is_out(frame) or last <= first:
            continue
        there = np.full((rows[1] - rows[0], wide), 255, np.uint8) if there is None else there
        mask = cv2.resize(thing.mask, (right - left, bottom - top), interpolation=cv2.INTER_NEAREST)
        there[first - rows[0] : last - rows[0], left:right][mask[first - top : last - top] > 0] = 0
    return there


def _both(aside: Aside) -> Floats:
    """Corners (4, 2: column, row) of a block where the others have it and where the odd one does."""
    here = np.array([aside.column, aside.row])
    ends = np.stack([here, here + aside.side])
    return np.concatenate([ends, ends + aside.shift])


def _covered(
    parts: Sequence[Grey], odd: int, asides: Sequence[Aside], laid: Sequence[Floats], ends: tuple[int, int, int, int]
) -> NDArray[np.uint8]:
    """What the thing covers in a box: the middles of its blocks, and all that changed beyond what focus does."""
    eased = [cv2.GaussianBlur(part, (0, 0), _SMOOTH) for part in parts]
    others = [k for k in range(len(parts)) if k != odd and abs(k - odd) <= 2]
    base = eased[others[0]]
    focus = np.abs(eased[others[-1]] - base)
    changed = np.abs(eased[odd] - base) > _SHARE * base + _TIMES * focus
    mask = cv2.dilate(changed.astype(np.uint8), np.ones((_EDGE, _EDGE), np.uint8))
    for aside in asides:
        corners = _both(aside)
        for block in (corners[:2], corners[2:]):
            middle = block.mean(axis=0) + 0.5 * (block - block.mean(axis=0))
            left, top, right, bottom = _mapped(middle, laid[aside.of])
            rows = slice(max(0, int(top) - ends[0]), max(0, int(bottom) - ends[0]))
            mask[rows, max(0, int(left) - ends[1]) : max(0, int(right) - ends[1])] = 1
    return np.asarray(mask, np.uint8)


def part_of(grey: Grey | NDArray[np.uint8], matrix: Floats, ends: tuple[int, int, int, int]) -> Grey:
    """A box of the reference as a frame shows it."""
    top, left, bottom, right = ends
    move = np.array([[1.0, 0, -left], [0, 1.0, -top], [0, 0, 1.0]]) @ matrix
    part = cv2.warpPerspective(grey, move, (right - left, bottom - top), flags=cv2.INTER_LINEAR,
                               borderMode=cv2.BORDER_REFLECT_101)  # fmt: skip
    return np.asarray(part, np.float32)


def detail_of(part: Grey, mask: NDArray[np.uint8]) -> float:
    """Energy of the fine detail under a mask, over the square of its mean light."""
    if not mask.any():
        return 0.0
    return float(np.mean(cv2.Laplacian(part, cv2.CV_32F)[mask > 0] ** 2)) / max(
        float(part[mask > 0].mean()) ** 2, 1e-9
    )


def _meet(first: tuple[int, ...], second: tuple[int, ...]) -> bool:
    """Whether two boxes (top, left, bottom, right) have something in common."""
    return first[0] < second[2] and second[0] < first[2] and first[1] < second[3] and second[1] < first[3]


def _mapped(points: Floats, matrix: Floats) -> Floats:
    """The box (left, top, right, bottom) about points (n, 2: column, row) where they come to lie."""
    seen = matrix @ np.vstack([points.T, np.ones(len(points))])
    at = (seen[:2] / seen[2]).T
    return np.concatenate([at.min(axis=0), at.max(axis=0)])


def _joined(boxes: Sequence[Floats]) -> list[Floats]:
    """Boxes (left, top, right, bottom) that touch made one."""
    left = [box.copy() for box in boxes]
    done: list[Floats] = []
    while left:
        box = left.pop()
        for k in range(len(left)):
            other = left[k]
            if np.all(box[:2] <= other[2:]) and np.all(other[:2] <= box[2:]):
                left[k] = np.concatenate([np.minimum(box[:2], other[:2]), np.maximum(box[2:], other[2:])])
                break
        else:
            done.append(box)
    return done


def _within(box: Floats, shape: tuple[int, ...]) -> tuple[int, int, int, int]:
    left, top, right, bottom = box
    return (
        max(0, int(np.floor(top))), max(0, int(np.floor(left))),
        min(shape[0], int(np.ceil(bottom))), min(shape[1], int(np.ceil(right))),
    )  # fmt: skip
