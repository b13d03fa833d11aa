"""Points that two frames of a grid have in common, found without knowing where either looked."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats

Grey8 = NDArray[np.uint8]
_MOST_FEATURES = 3000
# Points of less contrast are noise; walls in even light have little more.
_CONTRAST = 0.015
# Of the two nearest descriptors the nearer must be so much nearer (Lowe 2004).
_RATIO = 0.8
# Pixels at the working size within which matches agree with one motion.
_AGREES_PX = 3.0
# More matches than chance would give: over 8 and three in ten of those looked at (Brown & Lowe 2007, section 3).
_LEAST, _LEAST_SHARE = 8.0, 0.3
# Where two show the same their overlaps correlate by so much, so many times smaller; by 0.94 and more on traced
# grids, by 0.26 at the most where brick of two buildings was taken for the same.
_SAME, _SMALLER = 0.5, 6
# What is coarser than this share of the width is light and ground, alike in most pictures.
_COARSE = 1 / 16
# Up to so many frames every pair is compared; of more, each with those most like it and its neighbours in time.
_ALL_PAIRS, _LIKE, _NEIGHBOURS = 24, 8, 3


@dataclass(frozen=True)
class Common:
    """What two frames share.

    Attributes
    ----------
    first, second : ndarray, shape (K, 2)
        Column and row at the working size, from the frames' middles.
    matrix : ndarray, shape (3, 3)
        Takes the second's (column, row, 1) from its middle to the first's.
    """

    a: int
    b: int
    first: Floats
    second: Floats
    matrix: Floats


def features_of(grey: Grey8) -> tuple[Floats, NDArray[np.float32]]:
    """Column and row from the middle (K, 2), and descriptors (K, 128)."""
    found, told = cv2.SIFT.create(_MOST_FEATURES, contrastThreshold=_CONTRAST).detectAndCompute(grey, None)
    if told is None or len(found) < 2:
        return np.empty((0, 2)), np.empty((0, 128), np.float32)
    middle = np.array([(grey.shape[1] - 1) / 2.0, (grey.shape[0] - 1) / 2.0])
    # Root of the share of each direction: a better measure of likeness (Arandjelović & Zisserman 2012).
    rooted = np.sqrt(told / np.maximum(told.sum(axis=1, keepdims=True), 1e-9))
    return np.array([point.pt for point in found]) - middle, np.asarray(rooted, np.float32)


def common_of(
    features: Sequence[tuple[Floats, NDArray[np.float32]]],
    size: tuple[int, int],
    *,
    is_cancelled: Callable[[], bool],
    progress: Callable[[float], None],
) -> list[Common]:
    """Every pair of frames that shares more than chance would have it."""
    wanted = _pairs_to_try([descriptors for _, descriptors in features])
    found = []
    for number, (a, b) in enumerate(wanted):
        if is_cancelled():
            break
        progress(number / max(len(wanted), 1))
        common = _common(features, a, b, size)
        if common is not None:
            found.append(common)
    return found


def show_the_same(pair: Common, first: Grey8, second: Grey8) -> bool:
    """Whether two frames, laid over one another as points in common have it, are alike; brick is like other brick."""
    high, wide = (side // _SMALLER for side in first.shape)
    one, other = (
        np.log2(np.maximum(cv2.resize(grey, (wide, high), interpolation=cv2.INTER_AREA).astype(np.float32), 2.0))
        for grey in (first, second)
    )
    up = np.diag([_SMALLER, _SMALLER, 1.0])
    middle = np.array([[1.0, 0.0, (wide - 1) / 2.0], [0.0, 1.0, (high - 1) / 2.0], [0.0, 0.0, 1.0]])
    onto = middle @ np.linalg.inv(up) @ pair.matrix @ up @ np.linalg.inv(middle)
    laid = cv2.warpPerspective(other, onto, (wide, high))
    shared = (cv2.warpPerspective(np.ones_like(other), onto, (wide, high)) > 1.0 - 1e-3).astype(np.float32)
    near = cv2.GaussianBlur(shared, (0, 0), _COARSE * wide) + 1e-6
    a, b = (
        (told - cv2.GaussianBlur(told * shared, (0, 0), _COARSE * wide) / near)[shared > 0.0] for told in (one, laid)
    )
    return bool(len(a) > 1 and float(np.corrcoef(a, b)[0, 1]) >= _SAME)


def _pairs_to_try(descriptors: Sequence[NDArray[np.float32]]) -> list[tuple[int, int]]:
    count = len(descriptors)
    if count <= _ALL_PAIRS:
        return [(a, b) for a in range(count) for b in range(a + 1, count)]
    some = [np.ascontiguousarray(own[:: max(1, len(own) // 300)]) for own in descriptors]
    owners = np.concatenate([np.full(len(own), k) for k, own in enumerate(some)])
    index = cv2.FlannBasedMatcher({"algorithm": 1, "trees": 4}, {"checks": 48})
    whole = np.concatenate(some)
    wanted = {(k, k + step) for k in range(count) for step in range(1, _NEIGHBOURS + 1) if k + step < count}
    for k, own in enumerate(some):
        if not len(own):
            continue
        votes = np.zeros(count)
        for near in index.knnMatch(own, whole, k=5):
            for match in near:
                votes[owners[match.trainIdx]] += 1.0
        votes[k] = 0.0
        for other in np.argsort(-votes)[:_LIKE].tolist():
            if votes[other] > 0:
                wanted.add((min(k, other), max(k, other)))
    return sorted(wanted)


def _common(
    features: Sequence[tuple[Floats, NDArray[np.float32]]], a: int, b: int, size: tuple[int, int]
) -> Common | None:
    (first, own), (second, other) = features[a], features[b]
    if len(own) < 8 or len(other) < 8:
        return None
    pairs = best_both(own, other)
    if len(pairs) < 8:
        return None
    here, there = first[pairs[:, 0]], second[pairs[:, 1]]
    matrix, kept = cv2.findHomography(there, here, cv2.USAC_MAGSAC, _AGREES_PX, confidence=0.9999, maxIters=5000)
    if matrix is None or kept is None or abs(np.linalg.det(matrix)) < 1e-6:
        return None
    agreed = kept.ravel().astype(bool)
    # Matches that lie where the two overlap are those that had to agree.
    mapped = cv2.perspectiveTransform(there[:, None].astype(float), matrix)[:, 0]
    within = np.all(np.abs(mapped) <= 0.5 * np.array(size), axis=1)
    if agreed.sum() <= _LEAST + _LEAST_SHARE * within.sum():
        return None
    return Common(a, b, here[agreed], there[agreed], np.asarray(matrix, float))


def best_both(own: NDArray[np.float32], other: NDArray[np.float32]) -> NDArray[np.intp]:
    """Points (K, 2) each of which is the other's best, and clearly nearer than the next best."""
    # Of descriptors of length 1 the product tells the distance: once for both ways, by the fastest there is.
    alike = own @ other.T
    to, clear = _clearly_best(alike)
    back, clear_back = _clearly_best(np.ascontiguousarray(alike.T))
    kept = np.flatnonzero(clear & clear_back[to] & (back[to] == np.arange(len(own))))
    return np.stack([kept, to[kept]], axis=1)


def _clearly_best(alike: NDArray[np.float32]) -> tuple[NDArray[np.intp], NDArray[np.bool_]]:
    """For each row the column most alike, and whether the second is clearly less."""
    rows = np.arange(len(alike))
    best = alike.argmax(axis=1)
    first = alike[rows, best]
    alike[rows, best] = -1.0
    second = alike.max(axis=1)
    alike[rows, best] = first
    near, next_near = (np.sqrt(np.maximum(2.0 - 2.0 * one, 0.0)) for one in (first, second))
    return best, near < _RATIO * next_near
