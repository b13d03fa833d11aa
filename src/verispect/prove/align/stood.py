"""What stood still while much of the picture moved: drifting clouds, or water, are no motion of the camera.

Gauss-Newton follows what most of a picture does. A camera on a tripod that nobody touched leaves what stands where it
was planned, however much of the picture drifts; one that was touched moves all of it.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.motion import (
    BLOCK,
    Bands,
    Motion,
    at_level,
    covered,
    finest_of,
    laid,
    motion_between,
    part_motion,
    parts_left,
)

# Where no part tells, or less than so many that lie apart, only what makes two pictures so much more alike is more
# than chance.
_FEW_PARTS, _BETTER = 8, 0.05
# A motion that moves some corner less than this from where it was planned needs no second look, pixels.
_NEAR_PX = 0.4
# Parts stand still that lie so near where they were planned, pixels; so many must, and such a share of all that tell.
# Where fewer do, such a share of those that lie within some pixels at all must.
_STILL_PX, _LEAST, _SHARE, _FEW, _ABOUT_PX, _APART = 0.3, 5, 0.15, 0.05, 1.2, 0.5
# Where parts lie apart by so much they are told by those that agree, if so many do; what nearly does is taken along.
_WILD_PX, _AGREE, _NEARLY_PX = 0.4, 20, 0.5
_NARROWED = (1.0, 0.8, 0.6, 0.45, 0.35, 0.25, 0.2, 0.2, 0.2, 0.2)
# Parts that tell are a minority up to such a share of all, and draw it right where they lie apart by so much, so many
# times over; they are believed where so many, and such a share of them, come to lie right, and so much better.
_MINORITY, _LITTLE_PX, _TOLD_AGAIN = 0.5, 0.25, 3
_ENOUGH, _MOSTLY, _RIGHTER = 7, 0.4, 1.25
# And the other motion must take one in ten of them so far from there: what moved by less may lie there by chance.
_ELSEWHERE_PX = 0.6
# A part's own step finds a shift of up to about this; from farther off it may come out as none, pixels.
_BY_CHANCE_PX = 3.0
# What lies farther off than this tells no growth; and parts nearer to the middle than such a share of the picture.
_GROWTH_PX, _FROM_MIDDLE, _MOST_GROWTH = 3.0, 0.15, 0.01


class _Still(NamedTuple):
    """The motion by which parts stand still, where in the other's finest picture they do, and whether many do."""

    motion: Floats
    where: NDArray[np.uint8]
    are_many: bool


def motion_of_camera(
    frame: Bands, other: Bands, *, planned: Floats, focal_px: float, centre_px: tuple[float, float]
) -> Motion:
    """The motion that lays `frame` over `other`, as `motion_between` has it; by what stood still where much drifted.

    Where both are too empty to tell it is the planned one.

    Parameters
    ----------
    planned : ndarray, shape (3, 3)
        Where the search begins, and where what stands still is looked for.
    focal_px : float
        Pixels for a tangent of 1.
    centre_px : (float, float)
        Column and row of the picture's middle.
    """
    found = motion_of_most(frame, other, planned=planned, focal_px=focal_px, centre_px=centre_px)
    if most_apart_px(found.matrix, planned, frame.picture.shape) < _NEAR_PX:
        return found
    if _are_empty(frame, other, found):
        # Chance lays what is empty a little better over itself than the plan does.
        as_planned = laid(frame, other, planned)
        return found if found.correlation > as_planned.correlation + _BETTER else as_planned
    seen = _still(frame, other, planned, centre_px, found.matrix)
    if seen is None:
        return found
    # Few parts tell that it stood, but not how, to a tenth of a pixel.
    if seen.are_many:
        stood = part_motion(frame, other, seen.motion, seen.where, focal_px, centre_px)
        if (again := _still(frame, other, stood.matrix, centre_px, found.matrix)) is not None:
            stood = part_motion(frame, other, again.motion, again.where, focal_px, centre_px)
    else:
        stood = laid(frame, other, seen.motion, seen.where)
    return stood if stood.trusted else found


def motion_of_most(
    frame: Bands, other: Bands, *, planned: Floats, focal_px: float, centre_px: tuple[float, float]
) -> Motion:
    """The motion that lays `frame` over `other`, as `motion_between` has it; by what agrees where parts lie apart."""
    found = motion_between(frame, other, planned=planned, focal_px=focal_px, centre_px=centre_px)
    if not found.trusted or not _WILD_PX * finest_of(other) <= found.residual_px < math.inf:
        return found
    return _by_what_agrees(frame, other, found, planned, focal_px, centre_px) or found


def _by_what_agrees(
    frame: Bands, other: Bands, found: Motion, planned: Floats, focal_px: float, centre_px: tuple[float, float]
) -> Motion | None:
    """The motion by the parts that lie alike, where most go each its own way, as leaves in the wind do.

    Trunks and ground agree to a fraction of a pixel; leaves draw the whole a pixel aside. None where too few agree.
    """
    shown = _Agreed.on(frame, other, found.matrix)
    led = _towards_most(shown, finest_of(other), centre_px) @ found.matrix
    tried = [_Agreed.on(frame, other, matrix) for matrix in (planned, led)]
    tried.append(
        _Agreed.on(frame, other, part_motion(frame, other, led, tried[-1].where, focal_px, centre_px).matrix)
    )
    best = max(tried, key=lambda one: one.score)
    if best.right < _AGREE or best.score <= shown.score:
        return None
    # Where enough does it is as sure as what agrees.
    return laid(frame, other, best.motion, best.where if best.right >= _APART * best.about else None)


def by_what_tells(
    frame: Bands, other: Bands, found: Motion, focal_px: float, centre_px: tuple[float, float]
) -> Motion:
    """A motion set right by the parts that show something, where they are few among much that hardly does.

    Soft clouds go their way above a shore; faint as they are, they are many and draw the whole along.
    """
    finest = finest_of(other)
    if not found.trusted or not _LITTLE_PX * finest <= found.residual_px < math.inf:
        return found
    shifts, fit, tells = parts_left(frame, other, found.matrix)
    reached = covered(at_level(found.matrix, finest), frame.at(finest).shape, other.at(finest).shape)
    if not _ENOUGH <= tells.sum() <= _MINORITY * np.count_nonzero(reached) / BLOCK**2:
        return found
    before = best = _Agreed.of(found.matrix, shifts, fit, finest)
    matrix, near = found.matrix, _BY_CHANCE_PX
    for _ in range(_TOLD_AGAIN):
        where = np.where(fit, np.hypot(shifts[..., 0], shifts[..., 1]), np.inf) < near
        if where.sum() < _LEAST:
            break
        matrix = part_motion(frame, other, matrix, _enlarged(where.astype(np.uint8)), focal_px, centre_px).matrix
        shifts, fit, _ = parts_left(frame, other, matrix)
        best = max(best, _Agreed.of(matrix, shifts, fit, finest), key=lambda one: one.score)
        near = 0.5 * _BY_CHANCE_PX
    most = best.right >= _ENOUGH and best.right > _MOSTLY * best.tell
    return laid(frame, other, best.motion, best.where) if most and best.score > _RIGHTER * before.score else found


def _towards_most(shown: _Agreed, divide: int, centre_px: tuple[float, float]) -> Floats:
    """By what shift, growth and turn (3, 3) of the whole most parts lie right, those far from that counting nothing.

    Geman and McClure's weights, narrowed from a pixel to a fifth.
    """
    rows, columns = np.nonzero(shown.fit)
    places = (np.stack([columns, rows], axis=1) + 0.5) * float(BLOCK * divide) - np.array(centre_px)
    x, y = places.T / max(centre_px)
    one, none = np.ones_like(x), np.zeros_like(x)
    parts = np.stack([np.stack([one, none, x, -y], axis=1), np.stack([none, one, y, x], axis=1)], axis=1)
    told, found = shown.shifts[shown.fit], np.zeros(4)
    for narrow in _NARROWED:
        off = told - parts @ found
        weight = 1.0 / (1.0 + (off**2).sum(axis=1) / (narrow * divide) ** 2) ** 2
        weighted = (parts * weight[:, None, None]).reshape(-1, 4)
        found = np.linalg.solve(weighted.T @ parts.reshape(-1, 4) + 1e-6 * np.eye(4), weighted.T @ told.ravel())
    right, down, grown, turned = found / np.array([1.0, 1.0, max(centre_px), max(centre_px)])
    core = np.array([[1.0 + grown, -turned, right], [turned, 1.0 + grown, down], [0.0, 0.0, 1.0]])
    away = np.array([[1.0, 0.0, centre_px[0]], [0.0, 1.0, centre_px[1]], [0.0, 0.0, 1.0]])
    return np.asarray(away @ core @ np.linalg.inv(away), float)


class _Agreed(NamedTuple):
    """A motion, how far parts lie from right by it and which of them tell, and how many lie right and about there.

    Parts count the more for `score` the nearer they lie.
    """

    motion: Floats
    shifts: Floats
    fit: NDArray[np.bool_]
    score: float
    right: int
    about: int
    tell: int
    # Of the other's finest picture.
    where: NDArray[np.uint8]

    @classmethod
    def on(cls, frame: Bands, other: Bands, motion: Floats) -> _Agreed:
        shifts, fit, _ = parts_left(frame, other, motion)
        return cls.of(motion, shifts, fit, finest_of(other))

    @classmethod
    def of(cls, motion: Floats, shifts: Floats, fit: NDArray[np.bool_], finest: int) -> _Agreed:
        off = np.where(fit, np.hypot(shifts[..., 0], shifts[..., 1]), np.inf)
        right, about = (int(np.count_nonzero(off < most)) for most in (_STILL_PX, _ABOUT_PX))
        score = float((1.0 / (1.0 + (off / (_NARROWED[-1] * finest)) ** 2)).sum())
        tell = int(np.count_nonzero(fit))
        return cls(motion, shifts, fit, score, right, about, tell, _enlarged((off < _NEARLY_PX).astype(np.uint8)))


def _enlarged(blocks: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """What is told of blocks, of every pixel of theirs."""
    return np.asarray(cv2.resize(blocks, None, fx=BLOCK, fy=BLOCK, interpolation=cv2.INTER_NEAREST), np.uint8)


def _are_empty(frame: Bands, other: Bands, found: Motion) -> bool:
    """Whether no part of two pictures tells how they lie, or a few that do not agree."""
    if not math.isfinite(found.residual_px):
        return True
    if found.residual_px < _APART * finest_of(other):
        return False
    _, fit, _ = parts_left(frame, other, found.matrix)
    return bool(fit.sum() < _FEW_PARTS)


def most_apart_px(one: Floats, other: Floats, shape: tuple[int, ...]) -> float:
    """How far apart two motions take some corner of a picture, of rows and columns, pixels."""
    rows, columns = shape[:2]
    corners = np.array([[0, columns - 1.0, columns - 1.0, 0], [0, 0, rows - 1.0, rows - 1.0], [1.0] * 4])
    a, b = one @ corners, other @ corners
    return float(np.hypot(*(a[:2] / a[2] - b[:2] / b[2])).max())


def _still(
    frame: Bands, other: Bands, begin: Floats, centre_px: tuple[float, float], elsewhere: Floats
) -> _Still | None:
    """The motion with the growth that parts tell, where they stand still by it; None where too few do.

    `elsewhere` is the motion that most of the picture tells of.
    """
    shifts, fit, tells = parts_left(frame, other, begin)
    divide = finest_of(frame)
    rows, columns = np.nonzero(fit)
    middles: Floats = (np.stack([columns, rows], axis=1) + 0.5).astype(float) * float(BLOCK * divide)
    places = middles - np.array(centre_px)
    moved = shifts[fit]
    growth = max((0.0, _growth(places, moved, frame.picture.shape)), key=lambda grown: _off(grown, places, moved)[1])
    off, _ = _off(growth, places, moved)
    # What lies right by another motion that leads far from there has gone with it, and looks much the same here.
    gone, right, _ = parts_left(frame, other, elsewhere)
    far = _apart_px(elsewhere @ np.linalg.inv(begin), middles) > _BY_CHANCE_PX
    went = (right & (np.hypot(gone[..., 0], gone[..., 1]) < _STILL_PX))[fit] & far
    is_still = (off < _STILL_PX) & ~went
    count = int(np.count_nonzero(is_still))
    of_all = count / max(int(tells.sum()), 1)
    stands_out = of_all >= _FEW and count >= _APART * np.count_nonzero(off < _ABOUT_PX)
    if count < _LEAST or not (of_all >= _SHARE or stands_out):
        return None
    grown = np.array(
        [[1.0 + growth, 0, -growth * centre_px[0]], [0, 1.0 + growth, -growth * centre_px[1]], [0, 0, 1]]
    )
    if np.quantile(_apart_px(elsewhere @ np.linalg.inv(grown @ begin), middles[is_still]), 0.9) < _ELSEWHERE_PX:
        return None
    still = np.zeros(fit.shape, np.uint8)
    still[rows[is_still], columns[is_still]] = 1
    return _Still(grown @ begin, _enlarged(still), of_all >= _SHARE)


def _apart_px(motion: Floats, places: Floats) -> Floats:
    """How far a motion takes each of some places (K, 2)."""
    told = motion @ np.vstack([places.T, np.ones(len(places))])
    found: Floats = np.hypot(*(told[:2] / told[2] - places.T))
    return found


def _growth(places: Floats, moved: Floats, shape: tuple[int, ...]) -> float:
    """By how much parts at places (K, 2) about the middle are drawn larger, as their shifts tell; 0 where few do."""
    near = (np.hypot(*places.T) > _FROM_MIDDLE * max(shape)) & (np.hypot(*moved.T) < _GROWTH_PX)
    if near.sum() < _LEAST:
        return 0.0
    told = (moved * places)[near].sum(axis=1) / (places**2)[near].sum(axis=1)
    return float(np.clip(np.median(told), -_MOST_GROWTH, _MOST_GROWTH))


def _off(growth: float, places: Floats, moved: Floats) -> tuple[Floats, int]:
    """How far parts lie from where they stand still but for a growth, and how many do."""
    off: Floats = np.hypot(*(moved - growth * places).T)
    return off, int(np.count_nonzero(off < _STILL_PX))
