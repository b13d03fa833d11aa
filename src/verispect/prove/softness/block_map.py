"""How sharp a series came out all over the picture: a net of blocks, each told by its spectra as marks are.

Of every frame only the powers of a block's rings are kept, so that the net costs as little as a few marks.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.plan.frames.between import blur_per_defocus, closeness_per_mm, focused_from
from verispect.plan.frames.exposure import Exposure
from verispect.plan.methods.candidate import Candidate
from verispect.prove.expected import View, ahead_m, drawn_larger
from verispect.prove.softness.rings import RingNet, Seen
from verispect.prove.softness.spectra import (
    Found,
    Model,
    about_sharpest,
    has_one_beside,
    least_unsure_mm,
    sharp_distance_of,
)

Grey = NDArray[np.float32]
# Half a block in pixels, as for marks; blocks along the long side.
HALF, _ALONG = 32, 18
# Known worse than this a block is left out.
_MOST_UNSURE = 0.45
# Of its detail a block must lose so much from the sharpest frame to the most blurred one that is looked at.
_LEAST_FALL = 0.05
# Frames to either side whose sharp things are looked for on a rail, and how far one moves at the least.
_ABOUT, _STILL_M = 2, 1e-9


@dataclass(frozen=True)
class BlockMap:
    """Softness over the picture in the planner's units, against the first frame's pixels.

    Attributes
    ----------
    pixels : (int, int)
        Width and height of the picture.
    rows, columns : ndarray, shape (R,) and (C,)
        Pixels of the blocks' middles.
    softness, plus_minus : ndarray, shape (R, C)
        NaN where it cannot be told.
    frame : ndarray of int, shape (R, C)
        The exposure that is sharpest there; −1 where it cannot be told.
    sharp_at_mm, sharp_plus_minus_mm : ndarray, shape (R, C)
        Image distance at which it is sharp, in `middle`; NaN where it cannot be told.
    middle : ndarray of int, shape (R, C)
        The exposure that image distance is of; −1 where it cannot be told.
    directions : ndarray, shape (R, C, 3)
        From the entrance pupil, in the plan's world.
    basis : ndarray, shape (3, 3)
        Right, up and forward of the first frame as it really looked.
    """

    pixels: tuple[int, int]
    rows: Floats
    columns: Floats
    softness: Floats
    plus_minus: Floats
    frame: NDArray[np.int64]
    sharp_at_mm: Floats
    sharp_plus_minus_mm: Floats
    middle: NDArray[np.int64]
    directions: Floats
    basis: Floats

    @property
    def told(self) -> int:
        """How many blocks could be told."""
        return int(np.isfinite(self.softness).sum())

    @property
    def soft(self) -> NDArray[np.bool_]:
        """Which are surely softer than allowed."""
        return np.asarray(np.nan_to_num(self.softness - self.plus_minus, nan=0.0) > 1.0)


@dataclass(frozen=True)
class Shown:
    """What one frame shows of every block.

    On a rail things grow as the camera comes nearer, each by its distance: there a block is looked at where what is
    sharp in this frame lies, and where that lies which is sharp in the frames about it (`beside`, by exposure).
    """

    own: Seen
    beside: Mapping[int, Seen]

    def of(self, sharpest: int) -> Seen | None:
        """Of what is sharp in a frame; None where it was not looked for."""
        return self.beside.get(sharpest) if self.beside else self.own


class _Told(NamedTuple):
    """Of a block: the exposures about the sharpest, where it is sharp, and the blur allowed in the sharpest, mm.

    Image distances are those of the `middle` one.
    """

    about: Sequence[int]
    middle: int
    found: Found
    allowed_mm: float


def _softness_of(candidate: Candidate, told: _Told, pitch_mm: float) -> tuple[int, float, float] | None:
    """The exposure that is sharpest, how soft it is there and its ±; None where that is too unsure."""
    exposures, middle = candidate.exposures, candidate.exposures[told.middle]
    looks = {one: _focus_and_rate(exposures[one], middle) for one in told.about}
    blurs = {one: abs(focused - told.found.sharp_at_mm) * rate for one, (focused, rate) in looks.items()}
    index = min(blurs, key=blurs.__getitem__)
    exposure, blur, (focused, rate) = exposures[index], blurs[index], looks[index]
    if not has_one_beside(looks.values(), focused, told.found.sharp_at_mm, told.allowed_mm):
        return None
    unsure = max(told.found.plus_minus_mm * rate, least_unsure_mm(told.allowed_mm, pitch_mm))
    criterion = candidate.criterion
    assert criterion is not None
    values = criterion.softness(np.array([blur, blur + unsure]), exposure.state.working_f_number, 0.0, None, 0.0)
    if not np.all(np.isfinite(values)):
        return None
    softness, plus_minus = float(values[0]), float(values[1] - values[0])
    return (index, softness, plus_minus) if plus_minus <= _MOST_UNSURE * max(1.0, softness) else None


def _focus_and_rate(exposure: Exposure, middle: Exposure) -> tuple[float, float]:
    """Where another frame would have to be focused to be so, mm, and the blur in this one per mm of that."""
    focused, ratio = focused_from(exposure, middle)
    return focused, ratio * blur_per_defocus(exposure)


class BlockNet:
    """The net of one series: where its blocks lie in every frame, and what of each is kept."""

    def __init__(self, pixels: tuple[int, int], first: View, allowed_px: float, along: int = _ALONG) -> None:
        wide, high = pixels
        step = max(wide, high) / along
        # As near to the edges as a block lies whole within the picture, a little less for what breathing takes.
        edge = HALF + 0.01 * max(wide, high)
        self.pixels = pixels
        self.columns, self.rows = (
            np.linspace(min(edge, 0.5 * side), max(side - 1 - edge, 0.5 * side), max(1, int(side / step)))
            for side in (wide, high)
        )
        across, down = np.meshgrid(self.columns, self.rows)
        rays = np.linalg.inv(first.to_pixels) @ np.stack([across.ravel(), down.ravel(), np.ones(across.size)])
        self._basis = first.rotation
        self._directions: Floats = first.rotation.T @ rays
        self._rings = RingNet(2 * HALF + 1, max(allowed_px, 0.8))
        self._models: dict[tuple[int, ...], Model | None] = {}

    def kept(
        self,
        grey: Grey,
        view: View,
        index: int = 0,
        exposures: Sequence[Exposure] = (),
        moved: Floats | None = None,
    ) -> Shown:
        """What a frame shows of every block.

        Parameters
        ----------
        index, exposures : int, sequence of Exposure
            Which one of them it is; only a rail's need be told.
        moved : ndarray, shape (3, 3), optional
            Takes (column, row, 1) where the view has it to where it was found to lie.
        """
        lies = (np.eye(3) if moved is None else moved) @ view.to_pixels, view.rotation
        first = exposures[0] if exposures else None
        if first is None or all(abs(ahead_m(one, first)) < _STILL_M for one in exposures):
            return Shown(self._powers(grey, lies, 1.0), {})
        about = range(max(index - _ABOUT, 0), min(index + _ABOUT + 1, len(exposures)))
        grown = {other: drawn_larger(exposures[index], first, exposures[other]) for other in about}
        beside = {other: self._powers(grey, lies, share) for other, share in grown.items() if math.isfinite(share)}
        return Shown(beside.get(index) or self._powers(grey, lies, 1.0), beside)

    def _powers(self, grey: Grey, lies: tuple[Floats, Floats], grown: float) -> Seen:
        """The ring powers of every block, drawn so many times larger; what lies off the frame shows nothing."""
        to_pixels, rotation = lies
        seen = to_pixels @ (np.array([[grown], [grown], [1.0]]) * (rotation @ self._directions))
        with np.errstate(divide="ignore", invalid="ignore"):
            columns, rows = np.round(seen[:2] / seen[2])
        high, wide = grey.shape
        fit = (seen[2] > 0) & (columns >= HALF) & (columns < wide - HALF) & (rows >= HALF) & (rows < high - HALF)
        side = 2 * HALF + 1
        patches = np.empty((int(fit.sum()), side, side), np.float32)
        for patch, k in zip(patches, np.flatnonzero(fit), strict=True):
            top, left = int(rows[k]) - HALF, int(columns[k]) - HALF
            patch[:] = grey[top : top + side, left : left + side]
        return self._rings.seen(patches).at(fit)

    def map(self, candidate: Candidate, seen: Mapping[int, Shown], pitch_mm: float) -> BlockMap:
        """What the frames of a series tell together, by their exposures."""
        shape = (len(self.rows), len(self.columns))
        softness, unsure, image, sure = (np.full(shape, np.nan) for _ in range(4))
        frame, middle = np.full(shape, -1, np.int64), np.full(shape, -1, np.int64)
        order = _far_to_near(candidate, seen)
        detail = np.array([seen[index].own.detail for index in order])
        for k in range(softness.size):
            told = self._told(candidate, seen, order, detail[:, k], k, pitch_mm)
            found = None if told is None else _softness_of(candidate, told, pitch_mm)
            if told is not None and found is not None:
                where = np.unravel_index(k, shape)
                frame[where], softness[where], unsure[where] = found
                middle[where], image[where] = told.middle, told.found.sharp_at_mm
                least = least_unsure_mm(told.allowed_mm, pitch_mm)
                rate = blur_per_defocus(candidate.exposures[told.middle])
                sure[where] = max(told.found.plus_minus_mm, least / rate)
        return BlockMap(
            self.pixels, self.rows, self.columns, softness, unsure, frame, image, sure, middle,
            self._directions.T.reshape(*shape, 3), self._basis,
        )  # fmt: skip

    def sharp_at(
        self, candidate: Candidate, seen: Mapping[int, Shown], pitch_mm: float
    ) -> tuple[Floats, Floats, NDArray[np.int64]]:
        """Image distance at which each block is sharp, its ±, mm, and the exposure of which, shape (R, C).

        NaN, and −1, where it cannot be told.
        """
        shape = (len(self.rows), len(self.columns))
        found, unsure, middle = np.full(shape, np.nan), np.full(shape, np.nan), np.full(shape, -1, np.int64)
        order = _far_to_near(candidate, seen)
        detail = np.array([seen[index].own.detail for index in order])
        for k in range(found.size):
            told = self._told(candidate, seen, order, detail[:, k], k, pitch_mm)
            if told is not None:
                where = np.unravel_index(k, shape)
                found[where], unsure[where] = told.found.sharp_at_mm, told.found.plus_minus_mm
                middle[where] = told.middle
        return found, unsure, middle

    def _told(
        self,
        candidate: Candidate,
        seen: Mapping[int, Shown],
        order: Sequence[int],
        detail: Floats,
        k: int,
        pitch_mm: float,
    ) -> _Told | None:
        """Where a block is sharp."""
        best = int(np.argmax(detail))
        about = order[about_sharpest(detail)]
        if len(about) < 3 or detail[best] <= 0.0 or detail.min() > (1.0 - _LEAST_FALL) * detail[best]:
            return None
        sharpest = candidate.exposures[order[best]]
        allowed = sharpest.allowed_blur_mm
        if not math.isfinite(allowed) or allowed <= 0.0:
            return None
        looks = [look for index in about if (look := seen[index].of(order[best])) is not None]
        if len(looks) < len(about):
            return None
        model = self._model(candidate, tuple(about), allowed, pitch_mm)
        found = None if model is None else sharp_distance_of(self._rings, looks, k, model)
        return None if found is None else _Told(about, _middle(about), found, allowed)

    def _model(
        self, candidate: Candidate, about: tuple[int, ...], allowed_mm: float, pitch_mm: float
    ) -> Model | None:
        """The same for all blocks that are sharpest in the same frames; None where these lie too far apart."""
        if about not in self._models:
            exposures, criterion = [candidate.exposures[index] for index in about], candidate.criterion
            assert criterion is not None
            middle = candidate.exposures[_middle(about)]
            looks = [_focus_and_rate(one, middle) for one in exposures]
            distances = [focused for focused, _ in looks]
            reach = 3.0 * allowed_mm / min(rate for _, rate in looks) + max(distances) - min(distances)
            self._models[about] = None if not math.isfinite(reach) else Model.of(
                [(focused, one.state.working_f_number, rate)
                 for one, (focused, rate) in zip(exposures, looks, strict=True)],
                self._rings,
                pitch_mm,
                wavelength_mm=criterion.lights[len(criterion.lights) // 2][0],
                span_mm=(min(distances) - reach, max(distances) + reach),
            )  # fmt: skip
        return self._models[about]


def _far_to_near(candidate: Candidate, which: Iterable[int]) -> list[int]:
    """So that neighbours in this order are neighbours in focus."""
    exposures = candidate.exposures

    def nearness(index: int) -> tuple[float, float]:
        return closeness_per_mm(exposures[index]), -ahead_m(exposures[index], exposures[0])

    return sorted(which, key=nearness)


def _middle(about: Sequence[int]) -> int:
    return about[len(about) // 2]


def map_dict(found: BlockMap) -> dict[str, object]:
    """As JSON; null where it cannot be told."""

    def told(values: Floats) -> list[list[float | None]]:
        return [[round(float(v), 3) if math.isfinite(v) else None for v in row] for row in values]

    return {
        "rows": [round(float(v), 1) for v in found.rows],
        "columns": [round(float(v), 1) for v in found.columns],
        "softness": told(found.softness),
        "plus_minus": told(found.plus_minus),
        "exposure": [[int(v) if v >= 0 else None for v in row] for row in found.frame],
    }
