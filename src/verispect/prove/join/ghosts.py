"""Things that moved between frames of a grid: each is shown by one frame, so that it does not come out half or twice.

Only where frames overlap can this be told. What differs there by more than light, noise, focus and a pixel's error of
place make is taken from one frame: of those about as sharp there that in which it lies deepest.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.motion import at_level, halvings
from verispect.prove.align.unlike import WIDE_BLURS, Unlike, dark_of, in_stops
from verispect.prove.checks.laid_small import Small
from verispect.prove.checks.passing import places_where_it_passed
from verispect.prove.expected import View
from verispect.prove.join.canvas import frame_maps
from verispect.prove.join.pointing import Pair
from verispect.prove.resources.threads import in_turn, workers

Grey = NDArray[np.float32]
# Standard deviation of what is compared, pixels of the pictures looked at: blur out of focus is finer.
_SMOOTH = 2.5
# Frames differ where they do by so much of their brightness, more than an error of place of so many pixels makes, and
# more than this of the whole range.
_SHARE, _PLACE_PX, _LEAST = 0.10, 1.5, 0.004
# What is narrower is an edge, what is smaller is nothing, and what is larger than this share of the overlap is light.
_NARROW, _SMALL, _MOST = 7, 120, 0.3
# Of what differs so much must do so, by so many stops, out of focus or not; looked at in pictures of so many pixels.
_OF_IT, _BEYOND_STOPS, _BLUR_PIXELS = 0.25, 0.3, 160_000
# A frame shows a place about as sharp as another from so much of its detail's energy on.
_AS_SHARP = 0.5
# A frame is held against so many others.
_OTHERS = 6
# What a frame has behind it lies farther out than this, pixels.
_BEHIND_PX = -9e5
# Places of one thing lie so near one another, in their own size; and room is left about it, pixels.
_NEAR, _ROOM = 1.5, 8


@dataclass(frozen=True)
class Ghost:
    """A place that one frame alone shows.

    Attributes
    ----------
    outline : ndarray, shape (N, 3)
        World directions about it, a convex outline; any where something passed.
    shown_by : int
    out : tuple of int
        Frames that see it too and give nothing of it.
    passed : bool
        Whether something passed there in the one that is left out, and `shown_by` is but one of the others.
    """

    outline: Floats
    shown_by: int
    out: tuple[int, ...]
    passed: bool = False


def passing_between(
    views: Sequence[View],
    colours: Sequence[Grey],
    pairs: Sequence[Pair],
    pixels: tuple[int, int],
    discs: Callable[[int, int], float] | None,
    known: Sequence[Ghost],
    look: Callable[[], None],
) -> list[Ghost]:
    """What passed while frames were taken, where two others show the place without it.

    What is `known` to come from one frame stays so.

    Parameters
    ----------
    colours : sequence of ndarray, shape (rows, columns, 3)
        Small pictures in linear light, of a lens that bends no lines.
    discs : callable, optional
        By what disc one frame blurs what another has sharp, pixels, as planned.
    look : callable
        Raises where it is to stop.
    """
    divide = pixels[0] / colours[0].shape[1]
    small = Small(lambda a, b: views[a].onto(views[b]), colours, divide, discs)
    beside: dict[int, list[tuple[float, int]]] = {k: [] for k in range(len(views))}
    for pair in pairs:
        if pair.trusted:
            beside[pair.a].append((pair.overlap, pair.b))
            beside[pair.b].append((pair.overlap, pair.a))

    def of_frame(k: int) -> list[tuple[float, Ghost]]:
        others = [number for _, number in sorted(beside[k], reverse=True)[:_OTHERS]]
        if len(others) < 2:
            return []
        places = places_where_it_passed(small.beside(k, others))
        return [
            # What no other shows all of is shown by its own frame alone.
            (
                place.size,
                Ghost(outline, k, tuple(others)) if place.goes_on else Ghost(outline, others[0], (k,), passed=True),
            )
            for place in places
            for outline in _outlines(place.mask, views[k], divide)
        ]

    found: list[tuple[float, Ghost]] = []
    for told in in_turn(of_frame, range(len(views)), workers()):
        look()
        found += told
    kept = list(known)
    for _, ghost in sorted(found, key=lambda one: -one[0]):
        if _is_shown_with(ghost, kept, views, pixels):
            kept.append(ghost)
    return kept[len(known) :]


def _is_shown_with(ghost: Ghost, others: Sequence[Ghost], views: Sequence[View], pixels: tuple[int, int]) -> bool:
    """Whether some frame still shows its place with what others about there leave out."""
    out = set(ghost.out).union(*(other.out for other in others if _overlap(ghost, other, views)))
    middle = ghost.outline.mean(axis=0)[None, None]
    for k, view in enumerate(views):
        column, row = (float(part[0, 0]) for part in frame_maps(view, middle))
        if k not in out and 0.0 < column < pixels[0] - 1 and 0.0 < row < pixels[1] - 1:
            return True
    return False


def _outlines(mask: NDArray[np.bool_], view: View, divide: float) -> list[Floats]:
    """World directions (N, 3) about the parts of a mask in a frame's small picture."""
    contours, _ = cv2.findContours(mask.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    return [
        _directions((np.asarray(contour, float)[:, 0] + 0.5) * divide - 0.5, view)
        for contour in contours
        if len(contour) > 2
    ]


def _directions(at: Floats, view: View) -> Floats:
    """World directions (N, 3) of places (N, 2: column, row) in a frame of a lens that bends no lines."""
    rays = np.linalg.inv(view.to_pixels) @ np.concatenate([at, np.ones((len(at), 1))], axis=1).T
    outline = (view.rotation.T @ rays).T
    found: Floats = outline / np.linalg.norm(outline, axis=1, keepdims=True)
    return found


def ghosts_between(
    views: Sequence[View],
    straight: Sequence[Grey],
    pairs: Sequence[Pair],
    gains: Floats,
    pixels: tuple[int, int],
) -> list[Ghost]:
    """Find them, in pictures of a lens that bends no lines; `gains` as of `gains_of`."""
    divide = pixels[0] / straight[0].shape[1]
    found: list[Ghost] = []
    for pair in pairs:
        if not pair.trusted:
            continue
        a, b = views[pair.a], views[pair.b]
        matrix = at_level(b.onto(a), divide)
        stops = float(gains[pair.b, 0] - gains[pair.a, 0])
        for hull in _changed(straight[pair.a], straight[pair.b], matrix, stops):
            outline = _directions(hull * divide + 0.5 * (divide - 1.0), a)
            ghost = _shown_by_one(outline, views, straight, pixels)
            if ghost is not None:
                found = _with(found, ghost, views, straight, pixels)
    return found


def _with(
    found: list[Ghost], ghost: Ghost, views: Sequence[View], straight: Sequence[Grey], pixels: tuple[int, int]
) -> list[Ghost]:
    """One more among those found; what meets another that the same frame shows is one with it.

    So is what covers some of the same place as another: of two frames that each gave all of it neither would.
    """
    for k, other in enumerate(found):
        if not (_meet(ghost, other) if other.shown_by == ghost.shown_by else _overlap(ghost, other, views)):
            continue
        both = np.concatenate([ghost.outline, other.outline])
        column, row = frame_maps(views[ghost.shown_by], both[None])
        hull = cv2.convexHull(np.stack([column[0], row[0]], axis=1), returnPoints=False)[:, 0]
        whole = _shown_by_one(both[hull], views, straight, pixels)
        if other.shown_by != ghost.shown_by or (whole is not None and whole.shown_by == ghost.shown_by):
            # Where no frame has both of them, the one that was found first stays as it is.
            left = [*found[:k], *found[k + 1 :]]
            return found if whole is None else _with(left, whole, views, straight, pixels)
    return [*found, ghost]


def _changed(first: Grey, second: Grey, matrix: Floats, stops: float) -> list[Floats]:
    """Outlines (N, 2), in pixels of the first, of what two frames show otherwise where they overlap."""
    size = (first.shape[1], first.shape[0])
    moved = cv2.warpPerspective(second, matrix, size, flags=cv2.INTER_LINEAR) * np.float32(2.0**stops)
    there = cv2.warpPerspective(np.ones_like(second), matrix, size) > 0.999
    inner = cv2.erode(there.astype(np.uint8), np.ones((9, 9), np.uint8), borderValue=0)
    here, laid = (np.asarray(cv2.GaussianBlur(part, (0, 0), _SMOOTH), np.float32) for part in (first, moved))
    slope = cv2.magnitude(
        cv2.Sobel(here, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(here, cv2.CV_32F, 0, 1, scale=0.125)
    )
    other = cv2.magnitude(
        cv2.Sobel(laid, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(laid, cv2.CV_32F, 0, 1, scale=0.125)
    )
    allowed = _SHARE * np.maximum(here, laid) + _PLACE_PX * np.maximum(slope, other) + _LEAST
    apart = ((np.abs(here - laid) > allowed) & (inner > 0)).astype(np.uint8)
    apart = cv2.morphologyEx(apart, cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (_NARROW, _NARROW)))
    count, labels, told, _ = cv2.connectedComponentsWithStats(apart)
    some = [k for k in range(1, count) if told[k, cv2.CC_STAT_AREA] >= _SMALL]
    if some:
        beyond = _BeyondFocus(first, np.asarray(moved, np.float32), inner > 0)
        some = [k for k in some if beyond.is_at(labels == k)]
    if sum(int(told[k, cv2.CC_STAT_AREA]) for k in some) > _MOST * float(inner.sum()):
        return []
    points = [np.argwhere(labels == k)[:, ::-1].astype(np.float32) for k in some]
    return [_outline(group) for group in _of_one_thing(points)]


class _BeyondFocus:
    """Whether two pictures differ at some place by more than one of them being out of focus makes."""

    def __init__(self, first: Grey, second: Grey, shown: NDArray[np.bool_]) -> None:
        rows, columns = first.shape
        self._divide = halvings((columns, rows), _BLUR_PIXELS)
        self._size = (columns // self._divide, rows // self._divide)
        small = [
            np.asarray(cv2.resize(one, self._size, interpolation=cv2.INTER_AREA), np.float32)
            for one in (first, second)
        ]
        dark = dark_of(small)
        both = cv2.resize(shown.astype(np.uint8), self._size, interpolation=cv2.INTER_NEAREST) > 0
        one, other = (in_stops(part, dark, WIDE_BLURS) for part in small)
        self._unlike = Unlike(one, other, both)

    def is_at(self, place: NDArray[np.bool_]) -> bool:
        """Whether they do at enough of it."""
        small = cv2.resize(place.astype(np.uint8), self._size, interpolation=cv2.INTER_NEAREST) > 0
        return bool(small.any()) and float((self._unlike.at(small) > _BEYOND_STOPS).mean()) >= _OF_IT


def _of_one_thing(points: list[NDArray[np.float32]]) -> list[NDArray[np.float32]]:
    """Places near one another put together: where a thing stood, and where it stands in the other frame."""
    left = list(points)
    done: list[NDArray[np.float32]] = []
    while left:
        own = left.pop()
        low, high = own.min(axis=0), own.max(axis=0)
        reach = _NEAR * float((high - low).max())
        for k, other in enumerate(left):
            gap = np.maximum(np.maximum(other.min(axis=0) - high, low - other.max(axis=0)), 0.0)
            if float(np.hypot(*gap)) <= reach:
                left[k] = np.concatenate([own, other])
                break
        else:
            done.append(own)
    return done


def _outline(points: NDArray[np.float32]) -> Floats:
    """The convex outline about points, with room."""
    hull = np.asarray(cv2.convexHull(points), float)[:, 0]
    middle = hull.mean(axis=0)
    away = hull - middle
    length = np.maximum(np.linalg.norm(away, axis=1, keepdims=True), 1e-6)
    found: Floats = middle + away * (1.0 + _ROOM / length)
    return found


def _shown_by_one(
    outline: Floats, views: Sequence[View], straight: Sequence[Grey], pixels: tuple[int, int]
) -> Ghost | None:
    """Which frame shows a place: of those that show all of it about as sharp as any, that in which it lies deepest.

    None where no frame has all of it.
    """
    wide, high = pixels
    within, detail = {}, {}
    for k, view in enumerate(views):
        column, row = (part[0].astype(float) for part in frame_maps(view, outline[None]))
        inside = np.minimum(np.minimum(column, wide - 1 - column) / wide, np.minimum(row, high - 1 - row) / high)
        if float(inside.max()) > 0.0:
            within[k] = float(inside.min())
            detail[k] = _detail(outline, view, straight[k], pixels) if within[k] > 0.0 else 0.0
    whole = [k for k in within if within[k] > 0.0]
    if not whole:
        return None
    sharp = [k for k in whole if detail[k] >= _AS_SHARP * max(detail[j] for j in whole)]
    best = max(sharp, key=lambda k: within[k])
    return Ghost(outline, best, tuple(k for k in within if k != best))


def _detail(outline: Floats, view: View, grey: Grey, pixels: tuple[int, int]) -> float:
    """Energy of the fine detail that a frame shows of a place, over the square of its mean light."""
    column, row = frame_maps(replace(view, bend=0.0), outline[None])
    at = np.stack([column[0], row[0]], axis=1) * (grey.shape[1] / pixels[0])
    low = np.clip(np.floor(at.min(axis=0)).astype(int), 0, None)
    high = np.ceil(at.max(axis=0)).astype(int) + 1
    part = grey[low[1] : high[1], low[0] : high[0]]
    if min(part.shape) < 3:
        return 0.0
    mask = np.zeros(part.shape, np.uint8)
    cv2.fillConvexPoly(mask, np.round(at - low).astype(np.int32), 1)
    if not mask.any():
        return 0.0
    fine = np.asarray(cv2.Laplacian(part, cv2.CV_32F), np.float32)[mask > 0]
    return float(np.mean(fine**2)) / max(float(part[mask > 0].mean()) ** 2, 1e-9)


def _overlap(ghost: Ghost, other: Ghost, views: Sequence[View]) -> bool:
    """Whether two places cover something in common, as the frame that shows the first has them."""
    parts = []
    for one in (ghost, other):
        column, row = frame_maps(views[ghost.shown_by], one.outline[None])
        at = np.stack([column[0], row[0]], axis=1).astype(np.float32)
        parts.append(np.asarray(cv2.convexHull(at), np.float32)[:, 0])
    if any(not np.isfinite(part).all() or float(part.min()) <= _BEHIND_PX for part in parts):
        return False
    area, _ = cv2.intersectConvexConvex(parts[0], parts[1])
    return area > 0.0


def _meet(ghost: Ghost, other: Ghost) -> bool:
    """Whether two places, as circles, have something in common."""
    middles = [one.outline.mean(axis=0) for one in (ghost, other)]
    reach = sum(
        float(np.linalg.norm(one.outline - middle, axis=1).max())
        for one, middle in zip((ghost, other), middles, strict=True)
    )
    return float(np.linalg.norm(middles[0] - middles[1])) < reach
