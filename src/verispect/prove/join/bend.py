"""How a lens bends lines, from what neighbours of a grid show in common: one figure for all frames.

A frame draws what lies r pixels off its lens's axis at r(1 + k (r/f)²), f being its pixels for a tangent of 1 (Brown
1971, first term). Turning the camera moves the same things to other places of the frame, where they are bent by
another amount: what is left between neighbours once they are turned right tells k.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.motion import Bands, at_level, bands_at_hand, enlarged, motion_between, shifts_left
from verispect.prove.expected import View
from verispect.prove.join.pointing import Pair

Grey = NDArray[np.float32]
# What corners may be moved by, as a share of their distance from the middle, and the steps of a first look.
_MOST, _STEP = 0.06, 0.02
# Pairs of a first look, and their size; pairs that are measured.
_FEW, _SMALL_PX, _PLENTY = 6, 180, 24
# A first look is taken where fewer pairs than this are laid well, or they lie so many pixels apart on the whole.
_MOSTLY, _BADLY_PX = 0.7, 0.6
# So much more alike a first look must find its best.
_BETTER = 0.02
# Less than this in the corners of the working size is let be, and what is not so many times as sure.
_SMALL_BEND_PX, _SURE = 0.15, 6.0
# Without any one pair the others tell so much of it and more.
_OTHERS_TELL = 0.5
_HUBER_PX = 0.5
_ROUNDS, _FITS = 3, 5
# Figures of a pair's own motion that are fitted beside: three turns and a growth.
_OWN = 4


class _Seen(NamedTuple):
    """What a pair tells: by how much k moves each block, how far it lies off; both without what turning mends."""

    by_bend: Floats
    off: Floats


def corner_tangent(view: View, pixels: tuple[int, int]) -> float:
    """How far off the axis a frame's corner looks, as a tangent."""
    return 0.5 * math.hypot(*pixels) / view.scale_px


def straightened(grey: Grey, view: View, pixels: tuple[int, int]) -> Grey:
    """A small picture of a frame as a lens that bends nothing would have drawn it."""
    if not view.bend:
        return grey
    divide = pixels[0] / grey.shape[1]
    rows, columns = grey.shape[:2]
    y, x = np.mgrid[0:rows, 0:columns].astype(float)
    shift = 0.5 * (divide - 1.0)
    column, row = view.drawn(x * divide + shift, y * divide + shift)
    at = [np.asarray((part - shift) / divide, np.float32) for part in (column, row)]
    return np.asarray(
        cv2.remap(grey, at[0], at[1], cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT_101), np.float32
    )


def first_look(
    views: Sequence[View], greys: Sequence[Grey], overlaps: Sequence[tuple[int, int, float]], pixels: tuple[int, int]
) -> float:
    """The k with which some neighbours are most alike, small; 0 where none makes them more alike."""
    some = sorted(overlaps, key=lambda pair: -pair[2])[:_FEW]
    if not some:
        return 0.0
    by = max(1, greys[0].shape[1] // _SMALL_PX)
    small = {
        k: np.asarray(cv2.resize(greys[k], (greys[k].shape[1] // by, greys[k].shape[0] // by),
                                 interpolation=cv2.INTER_AREA), np.float32)
        for pair in some for k in pair[:2]
    }  # fmt: skip
    unit = corner_tangent(views[0], pixels) ** 2

    def alike(share: float) -> float:
        bent = [replace(view, bend=share / unit) for view in views]
        straight = {k: straightened(grey, bent[k], pixels) for k, grey in small.items()}
        return float(np.mean([_alike(views, straight, pair, pixels) for pair in some]))

    shares = np.arange(-_MOST, _MOST + 0.5 * _STEP, _STEP)
    found = np.array([alike(float(share)) for share in shares])
    best = int(np.argmax(found))
    if found[best] < alike(0.0) + _BETTER:
        return 0.0
    share = float(shares[best])
    if 0 < best < len(shares) - 1:
        low, middle, high = found[best - 1 : best + 2]
        share += 0.5 * _STEP * float((low - high) / min(low - 2.0 * middle + high, -1e-9))
    return share / unit


def _alike(
    views: Sequence[View], small: dict[int, Grey], pair: tuple[int, int, float], pixels: tuple[int, int]
) -> float:
    a, b, _ = pair
    divide = pixels[0] / small[a].shape[1]
    rows, columns = small[a].shape
    return motion_between(
        small[b], small[a], planned=at_level(views[b].onto(views[a]), divide), focal_px=views[a].scale_px / divide,
        centre_px=((columns - 1) / 2.0, (rows - 1) / 2.0),
    ).correlation  # fmt: skip


def more_bend(
    views: Sequence[View], straight: Sequence[Grey], pairs: Sequence[Pair], pixels: tuple[int, int]
) -> float | None:
    """What is to be added to the k that pictures were straightened by; None where it is little or unsure."""
    divide = pixels[0] / straight[0].shape[1]
    used = sorted((pair for pair in pairs if pair.trusted), key=lambda pair: -pair.overlap * pair.weight)[:_PLENTY]
    bands = bands_at_hand(lambda k: straight[k])
    seen = [one for pair in used if (one := _seen(views, bands, pair, divide)) is not None]
    if not seen or (len(seen) == 1 and len(pairs) > 1):
        return None
    found, sigma = _told_by(seen)
    corner = corner_tangent(views[0], pixels)
    in_corners_px = abs(found) * corner**3 * views[0].scale_px / divide
    if in_corners_px < _SMALL_BEND_PX or abs(found) < _SURE * sigma:
        return None
    # A lens bends what all of them show; clouds that drift bend what one pair does.
    for k in range(len(seen)) if len(seen) > 1 else ():
        if _told_by([*seen[:k], *seen[k + 1 :]])[0] / found < _OTHERS_TELL:
            return None
    return found


def _told_by(seen: Sequence[_Seen]) -> tuple[float, float]:
    """The k that pairs tell, and its sigma."""
    by_bend, off = (np.concatenate([getattr(one, name) for one in seen]) for name in ("by_bend", "off"))
    weight, found = np.ones(len(off)), 0.0
    for _ in range(_FITS):
        found = float((weight * by_bend) @ off / max((weight * by_bend) @ by_bend, 1e-30))
        weight = np.minimum(1.0, _HUBER_PX / np.maximum(np.abs(off - found * by_bend), 1e-9))
    rest = off - found * by_bend
    # Blocks beside one another are off alike: only one in so many tells something of its own.
    sigma = math.sqrt(
        float((weight * rest) @ rest) / max(len(off) / 4.0 - 1.0, 1.0) / max((weight * by_bend) @ by_bend, 1e-30)
    )
    return found, sigma


def _seen(views: Sequence[View], bands: Callable[[int], Bands], pair: Pair, divide: float) -> _Seen | None:
    """Blocks of a pair, in pixels of the working size."""
    first, second = views[pair.a], views[pair.b]
    turned = cv2.Rodrigues(pair.turn)[0] @ first.rotation @ second.rotation.T
    matrix = first.to_pixels @ turned @ np.linalg.inv(second.to_pixels)
    matrix = at_level(matrix / matrix[2, 2], divide)
    places, off = shifts_left(bands(pair.b), bands(pair.a), matrix)
    if 2 * len(places) <= _OWN + 2:
        return None
    down = np.linalg.inv(enlarged(divide))
    centre, other = (down[:2, :2] @ np.array(view.centre_px) + down[:2, 2] for view in (first, second))
    focal = first.scale_px / divide
    back = np.linalg.inv(matrix)
    there, jac = _with_slope(np.asarray(back, float), places)
    bent_there = _bent(there - other, second.scale_px / divide)
    # How a small step on the second shows on the first: the inverse of how one on the first shows on the second.
    shown = np.linalg.solve(jac, bent_there[..., None])[..., 0]
    by_bend = _bent(places - centre, focal) - shown
    u, v = ((places - centre) / focal).T
    own = np.stack(
        [
            np.stack([1.0 + u * u, u * v], axis=1), np.stack([u * v, 1.0 + v * v], axis=1),
            np.stack([-v, u], axis=1), np.stack([u, v], axis=1),
        ],
        axis=2,
    ).reshape(-1, _OWN)  # fmt: skip
    basis, _ = np.linalg.qr(own)
    flat, told = by_bend.reshape(-1), off.reshape(-1)
    return _Seen(flat - basis @ (basis.T @ flat), told - basis @ (basis.T @ told))


def _bent(off_axis: Floats, focal: float) -> Floats:
    """By how much k = 1 moves places (N, 2) from the axis."""
    found: Floats = off_axis * (np.sum(off_axis**2, axis=1, keepdims=True) / focal**2)
    return found


def _with_slope(matrix: Floats, places: Floats) -> tuple[Floats, Floats]:
    """Where a homography takes places (N, 2), and its slope there (N, 2, 2)."""
    seen = np.concatenate([places, np.ones((len(places), 1))], axis=1) @ matrix.T
    at = seen[:, :2] / seen[:, 2:]
    slope = (matrix[None, :2, :2] - at[:, :, None] * matrix[None, 2:, :2]) / seen[:, 2, None, None]
    return at, slope


def with_bend(
    views: Sequence[View],
    greys: Sequence[Grey],
    pixels: tuple[int, int],
    pairs_between: Callable[[Sequence[View], Sequence[Grey]], list[Pair]],
) -> tuple[list[View], list[Grey], list[Pair]]:
    """Views with the lens's bending found, small pictures without it, and the pairs between those.

    Parameters
    ----------
    pairs_between : callable
        Measures every pair from views and small pictures.
    """
    straight = [straightened(grey, view, pixels) for grey, view in zip(greys, views, strict=True)]
    pairs = pairs_between(views, straight)
    if _ill_laid(pairs, pixels[0] / greys[0].shape[1]):
        looked = first_look(views, greys, [(pair.a, pair.b, pair.overlap) for pair in pairs], pixels)
        if looked:
            bent = [replace(view, bend=looked) for view in views]
            other = [straightened(grey, view, pixels) for grey, view in zip(greys, bent, strict=True)]
            again = pairs_between(bent, other)
            # What makes a few more alike, and lays none the better, is no lens.
            if _laid(again) > _laid(pairs):
                views, straight, pairs = bent, other, again
    for _ in range(_ROUNDS):
        more = more_bend(views, straight, pairs, pixels)
        if more is None:
            break
        views = [replace(view, bend=view.bend + more) for view in views]
        straight = [straightened(grey, view, pixels) for grey, view in zip(greys, views, strict=True)]
        pairs = pairs_between(views, straight)
    return list(views), straight, pairs


def _laid(pairs: Sequence[Pair]) -> tuple[int, float]:
    """How many pairs could be laid, and how well; what is greater is better."""
    left = [pair.residual_px for pair in pairs if pair.trusted]
    return len(left), -float(np.median(left)) if left else 0.0


def _ill_laid(pairs: Sequence[Pair], divide: float) -> bool:
    """Whether neighbours lie so badly that small steps may not lead to what is right."""
    left = [pair.residual_px / divide for pair in pairs if pair.trusted]
    return len(left) < _MOSTLY * len(pairs) or (bool(left) and float(np.median(left)) > _BADLY_PX)
