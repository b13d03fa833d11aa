"""Where one frame lies against another: three turns of the camera and a scale, to a few hundredths of a pixel.

Gauss-Newton on band-passed brightness with Huber weights, from coarse to fine (Baker & Matthews 2004), each block's
blur and contrast taken out; begun at the planned place after a phase correlation. Every result is tested by its
correlation, so that it never fails in silence.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache, partial

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.block_focus import BlockFocus, block_totals, curved

Grey = NDArray[np.float32]
# Below this the frames show nothing in common that an alignment could be trusted for.
TRUSTED = 0.45
# Less alike at the coarsest no two pictures become trusted at finer ones: 0.25 at the least, of a thousand.
_HOPELESS = 0.1
_MOST_STEPS = 14
_SMALL_STEP_PX, _SMALL_STEP_COARSE_PX = 0.003, 0.03
_HUBER = 1.2
_SOME = 7
# What a search may move a picture by more than where it began, as a share of its side.
_ROOM = 0.05
# So much of a pixel beyond the last middles counts as there.
_EDGE = 1e-3
# Above so many pixels every other one each way is looked at, and every third.
_MANY, _VERY_MANY = 150_000, 600_000
# So many pixels tell how alike two pictures are.
_TELL = 100_000
# Pictures whose bands are kept: neighbours of a grid's frame are taken one after the other.
_AT_HAND = 24
# The slopes of pictures of so many pixels at the most are kept; those of larger ones would take too much memory.
_KEPT = 400_000
# Finest level: as many pixels as this do.
_PLENTY = 1_700_000
_LEAST_SIDE = 90
# Standard deviations of what is left out as too fine and too slow, and of what levels are measured over, pixels.
_FINE, _SLOW, _LEVEL = 1.5, 12.0, 30.0
# How far pictures are continued for the slow parts, and over what their rims are told by, pixels.
_BEYOND, _RIM = 36, 2.0
# Contrast below this is not made stronger: noise in what is out of focus drew frames that lie two steps of focus
# apart half a pixel off.
_FAINT, _DARKNESS = 0.1, 0.005
# Side of a block whose own shift is looked at.
BLOCK = 40


@dataclass(frozen=True)
class Motion:
    """From a frame's pixels to another's.

    Attributes
    ----------
    matrix : ndarray, shape (3, 3)
        Takes (column, row, 1) of the frame to the other.
    correlation : float
        Of the two once laid over one another, −1 to 1.
    residual_px : float
        Root mean square of what is left, as a shift along the brightness's gradients.
    trusted : bool
    """

    matrix: Floats
    correlation: float
    residual_px: float

    @property
    def trusted(self) -> bool:
        """Whether it may be relied on."""
        return self.correlation >= TRUSTED


class Bands:
    """A picture band-passed at several sizes, each worked out once: it may be laid over several others."""

    def __init__(self, picture: Grey) -> None:
        self.picture = picture
        self._sizes: dict[int, Grey] = {}
        self._sloped: dict[int, Grey] = {}

    def at(self, divide: int) -> Grey:
        """So many times smaller, without the slow and the finest parts."""
        if divide not in self._sizes:
            self._sizes[divide] = _banded(self.picture, divide)
        return self._sizes[divide]

    def sloped(self, divide: int) -> Grey:
        """The same with how steep it is along and down, the other way about (rows, columns, 3).

        What is moved some way shows, at a place, what lay the other way before.
        """
        if divide in self._sloped:
            return self._sloped[divide]
        small = self.at(divide)
        slopes = [cv2.Sobel(small, cv2.CV_32F, *way, ksize=3, scale=-0.125) for way in ((1, 0), (0, 1))]
        found = np.asarray(cv2.merge([small, *slopes]), np.float32)
        if small.size <= _KEPT:
            self._sloped[divide] = found
        return found


def bands_at_hand(picture: Callable[[int], Grey]) -> Callable[[int], Bands]:
    """The bands of numbered pictures; those asked for last are kept."""

    @lru_cache(maxsize=_AT_HAND)
    def of(number: int) -> Bands:
        return Bands(picture(number))

    return of


def motion_between(
    frame: Grey | Bands,
    other: Grey | Bands,
    *,
    planned: Floats,
    focal_px: float,
    centre_px: tuple[float, float],
    rotate: bool = True,
) -> Motion:
    """The motion that lays `frame` over `other`.

    Parameters
    ----------
    frame, other : ndarray, shape (rows, columns), float32, or Bands of it
        Linear or coded brightness of one size.
    planned : ndarray, shape (3, 3)
        Where the search begins.
    focal_px : float
        Pixels for a tangent of 1, for the turns.
    centre_px : (float, float)
        Column and row of the picture's middle.
    rotate : bool
        Turns about all three axes; else shifts, turn about the view and scale.
    """
    first, second = _of(frame), _of(other)
    divides = _divides(first)
    coarse = divides[0]
    found = _shifted(first.at(coarse), second.at(coarse), coarse, planned.copy(), focal_px, centre_px, rotate)
    for divide in divides:
        enough_px = _SMALL_STEP_PX if divide == divides[-1] else _SMALL_STEP_COARSE_PX
        found = _refined(first, second, found, divide, focal_px, centre_px, rotate, enough_px)
        if divide in (divides[0], divides[-1]):
            large = second.at(divide)
            moved, there = _warped(first.at(divide), at_level(found, divide), large.shape)
            correlation = alike(moved, large, there)
            if correlation < _HOPELESS:
                break
    return Motion(found, correlation, _left_over(moved, large, there) * divide)


def _of(picture: Grey | Bands) -> Bands:
    return picture if isinstance(picture, Bands) else Bands(picture)


def _divides(frame: Bands) -> list[int]:
    """How many times smaller two frames are laid over one another, from coarse to fine."""
    rows, columns = frame.picture.shape
    divides = [halvings((columns, rows), _PLENTY)]
    while min(rows, columns) / (divides[-1] * 2) > _LEAST_SIDE and len(divides) < 4:
        divides.append(divides[-1] * 2)
    return divides[::-1]


def _banded(picture: Grey, divide: int) -> Grey:
    """Smaller, without the slow and the finest parts, of like strength wherever it is more than faint."""
    size = (picture.shape[1] // divide, picture.shape[0] // divide)
    small = picture[: size[1] * divide, : size[0] * divide]
    if divide > 1:
        small = np.asarray(cv2.resize(small, size, interpolation=cv2.INTER_AREA), np.float32)
    # In linear light: a logarithm would move the edges of what is blurred towards their bright side.
    level = eased(small, _LEVEL) + np.float32(_DARKNESS)
    beyond = min(_BEYOND, *(side - 1 for side in small.shape))
    slow = eased(_continued(small, beyond), _SLOW)[beyond : beyond + size[1], beyond : beyond + size[0]]
    band = (cv2.GaussianBlur(small, (0, 0), _FINE) - slow) / level
    strength = np.sqrt(eased(band * band, _LEVEL) + _FAINT**2)
    return np.asarray(band / strength, np.float32)


def _continued(picture: Grey, beyond: int) -> Grey:
    """A picture and so many pixels about it, as if its slopes went on there.

    Mirrored, what grows darker towards the rim has a crease there, which lies still while the picture moves.
    """
    mirrored = cv2.copyMakeBorder(picture, *(beyond,) * 4, cv2.BORDER_REFLECT_101)
    rim = cv2.copyMakeBorder(cv2.GaussianBlur(picture, (0, 0), _RIM), *(beyond,) * 4, cv2.BORDER_REPLICATE)
    whole = np.asarray(2.0 * rim - mirrored, np.float32)
    rows, columns = picture.shape
    whole[beyond : beyond + rows, beyond : beyond + columns] = picture
    return whole


def eased(picture: Grey, sigma: float) -> Grey:
    """A wide Gaussian, worked out on a smaller picture where nothing is lost by that."""
    divide = 2 ** max(int(np.log2(sigma / 2.5)), 0)
    rows, columns = picture.shape
    if min(rows, columns) < 16 * divide:
        return np.asarray(cv2.GaussianBlur(picture, (0, 0), sigma), np.float32)
    small = cv2.resize(picture, (columns // divide, rows // divide), interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), sigma / divide)
    return np.asarray(cv2.resize(small, (columns, rows), interpolation=cv2.INTER_LINEAR), np.float32)


def at_level(matrix: Floats, divide: float) -> Floats:
    """A homography of whole pixels for pixels that are `divide` times as large."""
    up = enlarged(divide)
    found: Floats = np.linalg.inv(up) @ matrix @ up
    return found


def _warped(picture: Grey, matrix: Floats, shape: tuple[int, ...]) -> tuple[Grey, NDArray[np.bool_]]:
    """A picture laid over another of a shape, and where it is."""
    size = (shape[1], shape[0])
    moved = cv2.warpPerspective(picture, matrix, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    return np.asarray(moved, np.float32), covered(matrix, picture.shape, shape)


def covered(matrix: Floats, picture: tuple[int, ...], shape: tuple[int, ...]) -> NDArray[np.bool_]:
    """Which pixels of another picture (shape) a picture laid over it by a homography reaches, to its last middles."""
    wide, high = picture[1] - 1.0, picture[0] - 1.0
    corners = matrix @ np.array([[0, wide, wide, 0], [0, 0, high, high], [1, 1, 1, 1.0]])
    if not (corners[2] > 0.0).all():
        ones = np.ones(picture[:2], np.float32)
        return np.asarray(cv2.warpPerspective(ones, matrix, (shape[1], shape[0])) > 1.0 - _EDGE, bool)
    x, y = corners[:2] / corners[2]
    row = np.arange(shape[0], dtype=float)
    left, right = np.full(shape[0], -np.inf), np.full(shape[0], np.inf)
    for k in range(4):
        along, up = x[k - 1] - x[k], y[k - 1] - y[k]
        # On the inner side of an edge: along (row - y) - up (column - x) is no more than a hair above 0.
        rest = along * (row - y[k]) - _EDGE * np.hypot(along, up)
        if abs(up) < 1e-9 * abs(along):
            right[rest > 0.0] = -np.inf
        elif up > 0.0:
            left = np.maximum(left, x[k] + rest / up)
        else:
            right = np.minimum(right, x[k] + rest / up)
    column = np.arange(shape[1], dtype=float)
    return (column >= left[:, None]) & (column <= right[:, None])


def _shifted(
    small: Grey,
    large: Grey,
    divide: int,
    planned: Floats,
    focal_px: float,
    centre_px: tuple[float, float],
    rotate: bool,
) -> Floats:
    """The plan moved by a phase correlation, where that makes the frames more alike."""
    level = at_level(planned, divide)
    moved, there = _warped(small, level, large.shape)
    before = alike(moved, large, there)
    window = cv2.createHanningWindow((large.shape[1], large.shape[0]), cv2.CV_32F)
    # OpenCV 5 puts the window over what it is given.
    (dx, dy), _ = cv2.phaseCorrelate(moved.copy(), large.copy(), window)
    # A camera that turns does more than shift: as a shift the corners would stay off by what no turn takes back.
    turned = np.array([dx * divide / focal_px, dy * divide / focal_px, 0.0, 0.0])
    found: Floats = _moved_by(turned, focal_px, centre_px, rotate) @ planned
    again, there = _warped(small, at_level(found, divide), large.shape)
    return found if alike(again, large, there) > before + 0.01 else planned


def alike(first: Grey, second: Grey, there: NDArray[np.bool_]) -> float:
    """Correlation of two pictures where both are, −1 to 1; −1 where that is too little."""
    if there.sum() < 400:
        return -1.0
    # Of many some tell it.
    some = slice(None, None, max(1, int(there.sum()) // _TELL))
    a, b = first[there][some], second[there][some]
    a, b = a - a.mean(), b - b.mean()
    return float(a @ b / max(np.sqrt((a @ a) * (b @ b)), 1e-12))


def _refined(
    frame: Bands,
    other: Bands,
    begin: Floats,
    divide: int,
    focal_px: float,
    centre_px: tuple[float, float],
    rotate: bool,
    enough_px: float,
    only: NDArray[np.uint8] | None = None,
) -> Floats:
    """Gauss-Newton at one level; the homography stays one of whole pixels. `only` tells where of the other counts."""
    focal = focal_px / divide
    cx, cy = (centre_px[0] - (divide - 1) / 2) / divide, (centre_px[1] - (divide - 1) / 2) / divide
    shown, large = frame.sloped(divide), other.at(divide)
    rows, columns = large.shape
    # Neighbours tell nearly the same after the finest has been left out: some of them will do.
    apart = 3 if rows * columns > _VERY_MANY else 2 if rows * columns > _MANY else 1
    level = at_level(begin, divide)
    part = _part_reached(level, shown.shape, (rows, columns), apart)
    y, x = np.mgrid[part[0], part[1]].astype(np.float32)
    u, v = (x - np.float32(cx)) / np.float32(focal), (y - np.float32(cy)) / np.float32(focal)
    across, mixed, down = 1 + u * u, u * v, 1 + v * v
    some = np.ascontiguousarray(large[part])
    # Far from where they lie right, blocks would take their shift for a blur.
    focus = BlockFocus(some, np.ascontiguousarray(curved(large)[part]), apart) if divide == finest_of(other) else None
    thinner = np.array([[1.0, 0.0, -part[1].start], [0.0, 1.0, -part[0].start], [0.0, 0.0, apart]]) / apart
    turned = [np.float32(focal) * one for one in _slopes_turned(level, x, y)]
    near = np.ones((5, 5) if apart == 1 else (3, 3), np.uint8)
    counts = None if only is None else only[part].astype(np.float32)
    parts = np.empty((4, *u.shape), np.float32)
    for _ in range(_MOST_STEPS):
        laid, there = _warped(shown, thinner @ level, some.shape)
        inner = cv2.erode(there.astype(np.uint8), near).astype(np.float32)
        if counts is not None:
            inner *= counts
        if inner.sum() < 400:
            return np.asarray(begin / begin[2, 2], float)
        moved, along, up = cv2.split(laid)
        gx, gy = turned[0] * along + turned[1] * up, turned[2] * along + turned[3] * up
        # By how much a small turn right, a turn up, a turn clockwise and a growth move what is at (u, v).
        if rotate:
            parts[0], parts[1] = gx * across + gy * mixed, gx * mixed + gy * down
        else:
            parts[0], parts[1] = gx, gy
        parts[2], parts[3] = gy * u - gx * v, gx * u + gy * v
        columns_of = parts.reshape(4, -1)
        difference = some - moved
        error = (difference if focus is None else focus.without(difference, inner)).ravel()
        # Some of them tell the spread of all.
        size = np.abs(error)
        spread = 1.4826 * float(np.median(size[::_SOME][inner.ravel()[::_SOME] > 0.0])) + 1e-6
        # Huber's weights, and none where one of the two shows nothing.
        weight = np.minimum(np.float32(_HUBER * spread) / np.maximum(size, np.float32(1e-9)), 1.0) * inner.ravel()
        weighted = columns_of * weight
        normal = (weighted @ columns_of.T).astype(float)
        if not np.trace(normal) > 0.0:
            # Nothing to see on either: black, or a plain sky.
            return np.asarray(begin / begin[2, 2], float)
        step = np.linalg.solve(normal + 1e-9 * np.trace(normal) * np.eye(4), weighted @ error)
        level = _moved_by(step, focal, (cx, cy), rotate) @ level
        largest = float(np.abs(step[:2]).max() * focal + np.abs(step[2:]).max() * 0.5 * columns)
        if largest < enough_px:
            break
    found = _at_level_inverse(level, divide)
    whole: Floats = found / found[2, 2]
    return whole


def _part_reached(level: Floats, picture: tuple[int, ...], shape: tuple[int, int], apart: int) -> tuple[slice, slice]:
    """Rows and columns of another picture (shape), so far apart, that one laid over it reaches or will."""
    wide, high = picture[1] - 1.0, picture[0] - 1.0
    corners = level @ np.array([[0, wide, wide, 0], [0, 0, high, high], [1, 1, 1, 1.0]])
    if not (corners[2] > 0.0).all():
        return slice(0, shape[0], apart), slice(0, shape[1], apart)
    room = _ROOM * max(shape)
    found = []
    for side, places in zip(shape, (corners[1] / corners[2], corners[0] / corners[2]), strict=True):
        begin, end = (int(np.clip(place, 0, side)) for place in (places.min() - room, places.max() + room))
        # The same pixels count, whatever else is left out.
        found.append(slice(begin - begin % apart, max(end, begin + 1), apart))
    return found[0], found[1]


def _slopes_turned(level: Floats, x: Grey, y: Grey) -> tuple[Grey, Grey, Grey, Grey]:
    """How slopes of a picture become those of it laid over another: what those along and down count for each.

    At places x, y of the other; what the next steps of a search change of this is nothing.
    """
    back = np.linalg.inv(level)
    back = (back / back[2, 2]).astype(np.float32)
    depth = back[2, 0] * x + back[2, 1] * y + back[2, 2]
    column = (back[0, 0] * x + back[0, 1] * y + back[0, 2]) / depth
    row = (back[1, 0] * x + back[1, 1] * y + back[1, 2]) / depth
    return (
        (back[0, 0] - column * back[2, 0]) / depth, (back[1, 0] - row * back[2, 0]) / depth,
        (back[0, 1] - column * back[2, 1]) / depth, (back[1, 1] - row * back[2, 1]) / depth,
    )  # fmt: skip


def shifts_left(frame: Bands, other: Bands, matrix: Floats) -> tuple[Floats, Floats]:
    """How far parts of `frame`, laid over `other` by a homography, must still be moved to lie right.

    Returns
    -------
    places, shifts : ndarray, shape (K, 2)
        Columns and rows of the blocks that tell, and their shifts; pixels of the frames given.
    """
    divide = finest_of(frame)
    small, large = frame.at(divide), other.at(divide)
    moved, there = _warped(small, at_level(matrix, divide), large.shape)
    shifts, fit, _ = _block_shifts(moved, large, there)
    row, column = np.nonzero(fit)
    middles = np.stack([column, row], axis=1) * float(BLOCK) + 0.5 * (BLOCK - 1)
    return np.asarray(middles * divide + 0.5 * (divide - 1), float), shifts[fit] * divide


def finest_of(frame: Bands) -> int:
    """How many times smaller the finest pictures are that are laid over one another."""
    rows, columns = frame.picture.shape
    return halvings((columns, rows), _PLENTY)


def parts_left(frame: Bands, other: Bands, matrix: Floats) -> tuple[Floats, NDArray[np.bool_], NDArray[np.bool_]]:
    """As `shifts_left`, block by block of the finest pictures.

    Returns
    -------
    shifts : ndarray, shape (down, across, 2)
        Columns and rows, pixels of the frames given.
    fit, tells : ndarray of bool, shape (down, across)
        Which of them are sure, and which have something to see.
    """
    divide = finest_of(frame)
    small, large = frame.at(divide), other.at(divide)
    moved, there = _warped(small, at_level(matrix, divide), large.shape)
    shifts, fit, tells = _block_shifts(moved, large, there)
    return shifts * divide, fit, tells


def laid(frame: Bands, other: Bands, matrix: Floats, only: NDArray[np.uint8] | None = None) -> Motion:
    """How well a homography lays one picture over another; `only` tells where the other counts, of its finest."""
    divide = finest_of(frame)
    large = other.at(divide)
    moved, there = _warped(frame.at(divide), at_level(matrix, divide), large.shape)
    if only is not None:
        there &= _fitted(only, large.shape) > 0
    return Motion(matrix, alike(moved, large, there), _left_over(moved, large, there) * divide)


def _fitted(only: NDArray[np.uint8], shape: tuple[int, ...]) -> NDArray[np.uint8]:
    """Where a picture of a shape counts: nowhere beyond what is told."""
    counts = np.zeros(shape, np.uint8)
    rows, columns = (min(a, b) for a, b in zip(only.shape, shape, strict=True))
    counts[:rows, :columns] = only[:rows, :columns]
    return counts


def part_motion(
    frame: Bands,
    other: Bands,
    begin: Floats,
    only: NDArray[np.uint8],
    focal_px: float,
    centre_px: tuple[float, float],
) -> Motion:
    """The motion that lays parts of two pictures over one another, near one that is known.

    Parameters
    ----------
    begin : ndarray, shape (3, 3)
    only : ndarray, shape (rows, columns)
        Where the other counts, of its finest picture: 1 there.
    """
    divide = finest_of(frame)
    counts = _fitted(only, other.at(divide).shape)
    found = _refined(frame, other, begin, divide, focal_px, centre_px, True, _SMALL_STEP_PX, counts)
    return laid(frame, other, found, only)


def _left_over(moved: Grey, large: Grey, there: NDArray[np.bool_]) -> float:
    """How far parts still lie apart once all is laid over one another, root mean square in pixels of this level.

    What no turn of the whole mends is parallax, or things that moved.
    """
    shifts, fit, _ = _block_shifts(moved, large, there)
    if not fit.any():
        return float("inf")
    return float(np.sqrt(np.mean(np.sum(shifts[fit] ** 2, axis=1))))


def _block_shifts(
    moved: Grey, large: Grey, there: NDArray[np.bool_]
) -> tuple[Floats, NDArray[np.bool_], NDArray[np.bool_]]:
    """The shift of each block by itself, one step (down, across, 2), which of them tell, and which show something."""
    # Every other pixel, as in the search: the finest has been left out.
    some, side = (slice(None, None, 2), slice(None, None, 2)), BLOCK // 2
    gx = np.ascontiguousarray(cv2.Sobel(moved, cv2.CV_32F, 1, 0, ksize=3, scale=0.125)[some])
    gy = np.ascontiguousarray(cv2.Sobel(moved, cv2.CV_32F, 0, 1, ksize=3, scale=0.125)[some])
    moved, large, there = moved[some].copy(), large[some].copy(), there[some]
    error = moved - large
    total = partial(block_totals, side=side)
    size = float(side**2)
    xx, xy, yy, xe, ye = total(gx * gx), total(gx * gy), total(gy * gy), total(gx * error), total(gy * error)
    mean, mean_large = total(moved) / size, total(large) / size
    together = total(moved * large) - size * mean * mean_large
    own = (total(moved * moved) - size * mean**2) * (total(large * large) - size * mean_large**2)
    alike = together / np.sqrt(np.maximum(own, 1e-24))
    least = 0.5 * (xx + yy) - np.sqrt(0.25 * (xx - yy) ** 2 + xy * xy)
    tells = (total(there.astype(np.float32)) > size - 0.5) & (least >= 0.002 * size)
    fit = tells & (alike >= 0.5)
    shifts = np.stack([yy * xe - xy * ye, xx * ye - xy * xe], axis=-1)
    return shifts / np.maximum(xx * yy - xy * xy, 1e-30)[..., None], fit, tells


def _at_level_inverse(matrix: Floats, divide: int) -> Floats:
    up = enlarged(divide)
    found: Floats = up @ matrix @ np.linalg.inv(up)
    return found


def _moved_by(step: Floats, focal: float, centre: tuple[float, float], rotate: bool) -> Floats:
    """A turn (right, up, clockwise) and growth as a homography about the middle; without turns a similarity."""
    a, b, c, s = (float(part) for part in step)
    to = np.array([[focal, 0, centre[0]], [0, focal, centre[1]], [0, 0, 1.0]])
    if rotate:
        core: Floats = np.diag([1 + s, 1 + s, 1.0]) @ np.asarray(cv2.Rodrigues(np.array([-b, a, c]))[0], float)
    else:
        core = np.array([[1 + s, -c, a], [c, 1 + s, b], [0, 0, 1.0]])
    found: Floats = to @ core @ np.linalg.inv(to)
    return found


def halvings(pixels: tuple[int, int], most: int) -> int:
    """How many times smaller each way, by halves, a picture has at most so many pixels."""
    divide = 1
    while pixels[0] * pixels[1] / divide**2 > most:
        divide *= 2
    return divide


def enlarged(divide: float) -> Floats:
    """From pixels of a picture made so many times smaller to those of the whole (3, 3); middles lie on middles."""
    shift = (divide - 1) / 2.0
    return np.array([[divide, 0, shift], [0, divide, shift], [0, 0, 1.0]])


def at_middle(matrix: Floats, middle: tuple[float, float]) -> tuple[float, float, float, float]:
    """What a homography does at a place: shift down and right in pixels, turn clockwise in degrees, scale."""
    column, row = middle
    seen = matrix @ np.array([column, row, 1.0])
    place = seen[:2] / seen[2]
    jac = (matrix[:2, :2] - np.outer(place, matrix[2, :2])) / seen[2]
    turn = float(np.degrees(np.arctan2(jac[1, 0] - jac[0, 1], jac[0, 0] + jac[1, 1])))
    scale = float(np.sqrt(abs(np.linalg.det(jac))))
    return float(place[1] - row), float(place[0] - column), turn, scale
