"""One part of a joined picture: the slow part of neighbours blended softly, the detail of the sharper preferred."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.expected import View
from verispect.prove.intake import WHITE, Coded
from verispect.prove.join.canvas import Canvas, frame_maps
from verispect.prove.join.gains import by_channel
from verispect.prove.join.ghosts import Ghost

Box = tuple[int, int, int, int]
Place = tuple[slice, slice]
_APRON = 48
# Width of the soft seams of the slow part, in pixels, and the window of the detail that is compared.
_SLOW = 12.0
_DETAIL = 9
# Width of the seam about what one frame alone shows; a frame shows a place from such a weight on.
_SEAM, _SHOWN = 4.0, 1e-6
_LUMA = np.array([[0.25, 0.5, 0.25]], np.float32)


# How far a mapping may bend between the meshes of a net, pixels; and what stands for behind the camera.
_BEND_PX, _BEHIND_PX = 0.01, -9e5
# The slow part is worked out at one part in so many of the size.
_COARSE = 4
# So far beyond a frame's border it is mirrored, pixels: farther than anything is smoothed.
_MIRRORED = 256.0
# What frames give less of, a place is as good as lost.
_HARDLY = 1e-3
# A place between pixels is read from two on either side.
_CUBIC = 2
# A frame made darker by so many stops gives as good as nothing of what is burnt out in it where another shows it, and
# any frame nothing of what is as black as this.
_DARKENED, _BLACK, _LOST = 0.1, 1200, np.float32(1e-3)
# Of the range of coded values the lightest share has less and less of another white balance.
_WHITES = 0.03


def _net(count: int, step: int) -> NDArray[np.int64]:
    """Places along a side, its last one too."""
    return np.unique(np.r_[np.arange(0, count, step), count - 1])


@lru_cache(maxsize=8)
def _weights(count: int, step: int) -> NDArray[np.float32]:
    places = _net(count, step)
    after = np.clip(np.searchsorted(places, np.arange(count), side="right"), 1, places.size - 1)
    share = (np.arange(count) - places[after - 1]) / (places[after] - places[after - 1])
    found = np.zeros((count, places.size), np.float32)
    found[np.arange(count), after - 1] = 1.0 - share
    found[np.arange(count), after] += share
    return found


@dataclass(frozen=True)
class Painter:
    """All that a part of the picture is painted from, but the frames themselves.

    Attributes
    ----------
    gains : ndarray, shape (views, 3)
        Stops to add to each frame's light, and to its red and blue besides.
    pixels : (int, int)
        Width and height of every frame.
    ghosts : tuple of Ghost
        Places that one frame alone shows.
    """

    canvas: Canvas
    views: tuple[View, ...]
    gains: Floats
    pixels: tuple[int, int]
    ghosts: tuple[Ghost, ...] = ()

    @cached_property
    def _outlines(self) -> list[Floats]:
        return [self.canvas.places_of(ghost.outline) for ghost in self.ghosts]

    def _left_out(self, left: int, top: int, shape: tuple[int, int]) -> dict[int, NDArray[np.float32]]:
        """Of frames that give nothing of some ghost how much of each place they give, 0 to 1."""
        found: dict[int, NDArray[np.float32]] = {}
        turn = 0.0 if self.canvas.projection == "flat" else 2.0 * math.pi * self.canvas.scale_px
        for ghost, outline in zip(self.ghosts, self._outlines, strict=True):
            for off in {0.0, turn, -turn}:
                places = outline - (left, top) + (off, 0.0)
                if places[:, 0].max() < 0 or places[:, 1].max() < 0 or np.any(places.min(axis=0) > shape[::-1]):
                    continue
                mask = np.zeros(shape, np.uint8)
                cv2.fillPoly(mask, [np.round(places).astype(np.int32)], 255)
                given = np.float32(1.0) - cv2.GaussianBlur(mask, (0, 0), _SEAM).astype(np.float32) / np.float32(255.0)
                for k in ghost.out:
                    found[k] = np.minimum(found[k], given) if k in found else given
        return found

    def _inside(self, column: NDArray[np.float32], row: NDArray[np.float32]) -> NDArray[np.float32]:
        """How far within a frame places lie, as a share of its half: 0 at the border."""
        across, down = (
            1.0 - np.abs(2.0 * at / (side - 1) - 1.0) for at, side in zip((column, row), self.pixels, strict=True)
        )
        return np.asarray(np.minimum(across, down), np.float32)

    def _given(self, left: int, top: int, directions: Floats, frames: list[int]) -> dict[int, NDArray[np.float32]]:
        """The same, but that what no other frame shows either is given after all: better twice than not at all."""
        given = self._left_out(left, top, directions.shape[:2])
        if not given:
            return given
        most = np.zeros(directions.shape[:2], np.float32)
        for k in frames:
            shown = np.clip(self._inside(*self._maps(self.views[k], directions)), 0.0, 1.0)
            np.maximum(most, shown * given[k] if k in given else shown, out=most)
        lost = most < _HARDLY
        return {k: np.where(lost, np.float32(1.0), one) for k, one in given.items()} if lost.any() else given

    @cached_property
    def _boxes(self) -> list[Box]:
        return [self.canvas.box_of(view, self.pixels) for view in self.views]

    def parts(self, side: int) -> list[Box]:
        """The whole picture in squares: left, top, right, bottom, row by row."""
        wide, high = self.canvas.size
        return [
            (left, top, min(left + side, wide), min(top + side, high))
            for top in range(0, high, side)
            for left in range(0, wide, side)
        ]

    def frames_of(self, box: Box) -> list[int]:
        """Frames that may show something of a part, its surroundings included."""
        left, top, right, bottom = box[0] - _APRON, box[1] - _APRON, box[2] + _APRON, box[3] + _APRON
        # Beyond its ends a circle goes on from the other.
        turn = 0.0 if self.canvas.projection == "flat" else 2.0 * math.pi * self.canvas.scale_px
        return [
            k for k, own in enumerate(self._boxes)
            if own[1] < bottom and own[3] > top
            and any(own[0] + off < right and own[2] + off > left for off in {0.0, turn, -turn})
        ]  # fmt: skip

    def _maps(self, view: View, directions: Floats) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Where a frame shows directions: on a net, and straight lines between, a hundredth of a pixel off at most.

        Over a net's mesh of p pixels a projection of s pixels a radian bends by about p²/8s.
        """
        step = int(min(16.0, math.sqrt(8.0 * _BEND_PX * self.canvas.scale_px)))
        rows, columns = directions.shape[:2]
        if step < 3:
            return frame_maps(view, directions)
        down, across = _net(rows, step), _net(columns, step)
        column, row = frame_maps(view, directions[np.ix_(down, across)])
        if float(min(column.min(), row.min())) <= _BEHIND_PX:
            return frame_maps(view, directions)
        by_row, by_column = _weights(rows, step), _weights(columns, step)
        mapped = [np.asarray(by_row @ part @ by_column.T, np.float32) for part in (column, row)]
        return mapped[0], mapped[1]

    def _times(self, k: int, column: NDArray[np.float32], row: NDArray[np.float32]) -> NDArray[np.float32] | None:
        """By how much its lens darkens a frame's places; None where it does not."""
        view = self.views[k]
        return None if view.falloff == (0.0, 0.0) else np.exp2(view.lost_stops(column, row)).astype(np.float32)

    def paint(self, box: Box, read: Callable[[int, Place], Coded]) -> tuple[Coded, NDArray[np.bool_], Floats]:
        """A part's pixels (rows, columns, 3), where frames cover it, and how much of its detail each frame gave.

        `read` gives rows and columns of a frame by its number.
        """
        left, top, right, bottom = box
        directions = self.canvas.directions(left - _APRON, top - _APRON, right + _APRON, bottom + _APRON)
        shape = directions.shape[:2]
        slow, slow_weight = np.zeros((*shape, 3), np.float32), np.full(shape, 1e-9, np.float32)
        fine, fine_weight = np.zeros((*shape, 3), np.float32), np.full(shape, 1e-20, np.float32)
        weights: dict[int, tuple[Place, NDArray[np.float32]]] = {}
        wide, high = self.pixels
        given = self._given(left - _APRON, top - _APRON, directions, self.frames_of(box))
        for k in self.frames_of(box):
            column, row = self._maps(self.views[k], directions)
            inside = self._inside(column, row)
            place = _about(inside > 0.0)
            if place is None:
                continue
            column, row, border = column[place], row[place], np.clip(inside[place], 0.0, 1.0)
            times = self._times(k, column, row)
            (across, column), (down, row) = _within(column, wide), _within(row, high)
            part = cv2.remap(read(k, (down, across)), column, row, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
            coded = np.asarray(part, np.uint16)
            if self.gains[k, 0] < -_DARKENED:
                # What it has burnt out, another that was exposed for less time shows.
                border *= np.where((coded >= WHITE).any(axis=2), _LOST, np.float32(1.0))
            border *= np.where((coded < _BLACK).all(axis=2), _LOST, np.float32(1.0))
            light = _brightened(coded, by_channel(self.gains[k]), times)
            if k in given:
                border *= given[k][place]
            eased = _eased(light)
            detail = light - eased
            luma = cv2.transform(detail, _LUMA)
            strength = np.asarray(cv2.boxFilter(luma * luma, -1, (_DETAIL, _DETAIL)), np.float32)
            # Detail's energy to the fourth power of its strength.
            sharper = border * (strength * np.float32(1.0 / 65535.0**2) + np.float32(1e-7)) ** 2
            cv2.accumulateProduct(eased, cv2.merge((border, border, border)), slow[place])
            slow_weight[place] += border
            cv2.accumulateProduct(detail, cv2.merge((sharper, sharper, sharper)), fine[place])
            fine_weight[place] += sharper
            weights[k] = (place, sharper)
        whole = slow / slow_weight[..., None] + fine / fine_weight[..., None]
        whole[slow_weight < _SHOWN] = 0.0
        middle = (slice(_APRON, shape[0] - _APRON), slice(_APRON, shape[1] - _APRON))
        used = np.zeros(len(self.views))
        for k, (place, weight) in weights.items():
            share = np.zeros(shape, np.float32)
            share[place] = weight / fine_weight[place]
            used[k] = float(share[middle].sum())
        return np.clip(np.round(whole[middle]), 0, 65535).astype(np.uint16), slow_weight[middle] >= _SHOWN, used


def _within(places: NDArray[np.float32], side: int) -> tuple[slice, NDArray[np.float32]]:
    """What of a frame's side is read for places along it, and the places counted from its first pixel."""
    # Beyond its border a frame is mirrored, but nothing far beyond is looked at.
    places = np.clip(places, -_MIRRORED, side - 1 + _MIRRORED)
    low, high = float(places.min()), float(places.max())
    last = side - 1.0
    low, high = min(low, 2.0 * last - high), max(high, -low)
    first = max(0, math.floor(low) - _CUBIC)
    return slice(first, min(side, math.ceil(high) + _CUBIC + 1)), places - np.float32(first)


def _about(shown: NDArray[np.bool_]) -> Place | None:
    """The rows and columns that hold all that is shown, and as much about them as is smoothed with it."""
    rows, columns = np.flatnonzero(shown.any(axis=1)), np.flatnonzero(shown.any(axis=0))
    if not rows.size:
        return None
    found = []
    for places, count in ((rows, shown.shape[0]), (columns, shown.shape[1])):
        first = max(0, int(places[0]) - _APRON)
        # Whole meshes of the coarser size, so that they are the same however the picture is cut.
        found.append(slice(first - first % _COARSE, min(count, int(places[-1]) + 1 + _APRON)))
    return found[0], found[1]


def _eased(light: NDArray[np.float32]) -> NDArray[np.float32]:
    """The slow part; worked out at a quarter of the size, where nothing of it is lost."""
    rows, columns = light.shape[:2]
    small = cv2.resize(light, (-(-columns // _COARSE), -(-rows // _COARSE)), interpolation=cv2.INTER_AREA)
    soft = cv2.GaussianBlur(small, (0, 0), _SLOW / _COARSE)
    return np.asarray(cv2.resize(soft, (columns, rows), interpolation=cv2.INTER_LINEAR), np.float32)


def _brightened(coded: Coded, stops: Floats, times: NDArray[np.float32] | None = None) -> NDArray[np.float32]:
    """Coded values made brighter in linear light: by so many stops a channel (3,), and so many times by place."""
    if times is None and float(np.abs(stops).max()) <= 1e-4:
        return coded.astype(np.float32)
    # White that a frame's own white balance left is white in any other.
    light = float(stops[1])
    tables = [(round(light, 4), round(float(channel) - light, 4)) for channel in stops]
    if times is None:
        return np.asarray(cv2.LUT(coded, _of_channels(_curve, tables)), np.float32)
    linear = cv2.LUT(coded, _of_channels(_linear, tables)) * times[..., None]
    curved = 1.055 * cv2.pow(np.maximum(linear, 0.0031308), 1 / 2.4) - 0.055
    return np.asarray(np.where(linear <= 0.0031308, 12.92 * linear, curved) * np.float32(65535.0), np.float32)


def _of_channels(
    table: Callable[[float, float], NDArray[np.float32]], stops: Sequence[tuple[float, float]]
) -> NDArray[np.float32]:
    """A table for a picture of three channels; of one for all where they are alike."""
    if len(set(stops)) == 1:
        return table(*stops[0])[None]
    return np.stack([table(*one) for one in stops], axis=-1)[None]


@lru_cache(maxsize=128)
def _curve(stops: float, tint: float) -> NDArray[np.float32]:
    """The coded value that each of 65536 becomes."""
    linear = _linear(stops, tint).astype(float)
    curved = np.where(
        linear <= 0.0031308, 12.92 * linear, 1.055 * np.power(np.maximum(linear, 1e-9), 1 / 2.4) - 0.055
    )
    return np.asarray(curved * 65535.0, np.float32)


@lru_cache(maxsize=128)
def _linear(stops: float, tint: float) -> NDArray[np.float32]:
    """The linear light that each of 65536 coded values stands for, so many stops brighter; white has no tint."""
    x = np.arange(65536) / 65535.0
    more = stops + tint * np.clip((1.0 - x) / _WHITES, 0.0, 1.0)
    return np.asarray(np.where(x <= 0.04045, x / 12.92, ((x + 0.055) / 1.055) ** 2.4) * 2.0**more, np.float32)
