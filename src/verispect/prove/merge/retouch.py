"""Retouching a merged picture: what a stroke covers comes from one frame, as the merge laid it, and can be undone."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import FileError
from verispect.optics.types import Floats
from verispect.prove.intake import Coded, Frame, described, read_coded
from verispect.prove.merge.evened import evened
from verispect.prove.taken_in.read_alike import HowRead

# Of a stroke's radius: so wide its edge passes from the one into the other; and the least, in pixels.
_SOFT_SHARE, _LEAST_SOFT_PX = 0.3, 2.0
MOST_RADIUS_PX = 5000.0
_MORE_ROWS = 4
# Parts of a pixel in which a line is drawn.
_FINE = 16


class Box(NamedTuple):
    """A part of the picture: rows from `top` to before `bottom`, columns likewise."""

    top: int
    left: int
    bottom: int
    right: int


@dataclass(frozen=True)
class Source:
    """A frame as the merge took it.

    Attributes
    ----------
    matrix : ndarray, shape (3, 3)
        Takes (column, row, 1) of the frame to the merged picture.
    stops : ndarray, shape (3,)
        How much brighter it was than the others, by channel: taken away.
    of_cut : bool
        Whether the merged picture is a part of what its frames show.
    white : tuple of float or None
        White balance with which raws were developed for it.
    orientation : int or None
        How it was held for it, by Exif's numbers; None as its file tells.
    """

    path: Path
    matrix: Floats
    stops: Floats
    of_cut: bool = False
    white: tuple[float, ...] | None = None
    orientation: int | None = None

    @property
    def frame(self) -> Frame:
        """To be read as it was for the merge."""
        frame = described(self.path)
        return HowRead(self.orientation or frame.orientation, self.white).of(frame)


@dataclass(frozen=True)
class Stroke:
    """A brush drawn along places (row, column) of the merged picture, from one of its frames."""

    source: int
    places: tuple[tuple[float, float], ...]
    radius_px: float


class _Done(NamedTuple):
    box: Box
    before: Coded
    after: Coded


class Retouch:
    """A merged picture that is worked on; every stroke can be taken back and put on again."""

    def __init__(self, pixels: Coded, sources: Sequence[Source]) -> None:
        self.pixels = pixels.copy()
        self.sources = tuple(sources)
        self._done: list[_Done] = []
        self._undone: list[_Done] = []
        self._read: tuple[int, Coded] | None = None

    @property
    def strokes(self) -> int:
        """How many strokes show."""
        return len(self._done)

    @property
    def can_redo(self) -> bool:
        """Whether a stroke was taken back and nothing was painted since."""
        return bool(self._undone)

    def paint(self, stroke: Stroke) -> Box | None:
        """Put a stroke on; the part that changed, or None where it lies beside the picture or the frame.

        Raises
        ------
        FileError
            Where its frame cannot be read or is of another size.
        """
        box = self._reached(stroke)
        if box is None:
            return None
        laid, there = self._laid(stroke.source, box)
        share = (_share_of(stroke, box) * there)[..., None]
        before = self.pixels[box.top : box.bottom, box.left : box.right].copy()
        after = np.round(before + (laid.astype(np.float32) - before) * share).astype(np.uint16)
        if np.array_equal(after, before):
            return None
        self.pixels[box.top : box.bottom, box.left : box.right] = after
        self._done.append(_Done(box, before, after))
        self._undone.clear()
        return box

    def undo(self) -> Box | None:
        """Take the last stroke back."""
        return self._moved(self._done, self._undone, "before")

    def redo(self) -> Box | None:
        """Put the stroke on again that was taken back last."""
        return self._moved(self._undone, self._done, "after")

    def whole(self, source: int) -> Coded:
        """A whole frame as the merge laid it; black where it shows nothing."""
        rows, columns = self.pixels.shape[:2]
        laid, there = self._laid(source, Box(0, 0, rows, columns))
        found: Coded = laid * (there > 0.0)[..., None]
        return found

    def _moved(self, away: list[_Done], to: list[_Done], which: str) -> Box | None:
        if not away:
            return None
        step = away.pop()
        to.append(step)
        box = step.box
        self.pixels[box.top : box.bottom, box.left : box.right] = getattr(step, which)
        return box

    def _reached(self, stroke: Stroke) -> Box | None:
        at = np.asarray(stroke.places, float)
        if not len(at) or not np.isfinite(at).all() or not 0.0 < stroke.radius_px <= MOST_RADIUS_PX:
            return None
        low, high = at.min(axis=0) - stroke.radius_px - 1.0, at.max(axis=0) + stroke.radius_px + 2.0
        rows, columns = self.pixels.shape[:2]
        top, left = (max(0, math.floor(part)) for part in low)
        bottom, right = min(rows, math.ceil(high[0])), min(columns, math.ceil(high[1]))
        return Box(top, left, bottom, right) if top < bottom and left < right else None

    def _laid(self, number: int, box: Box) -> tuple[Coded, NDArray[np.float32]]:
        """A part of the picture from one frame, and where that frame shows it, 0 or 1."""
        source, coded = self.sources[number], self._frame(number)
        rows, columns = coded.shape[:2]
        corners = np.array(
            [[box.left, box.top, 1], [box.right, box.top, 1], [box.right, box.bottom, 1], [box.left, box.bottom, 1]]
        )
        seen = np.linalg.inv(source.matrix) @ corners.T.astype(float)
        down = seen[1] / seen[2]
        first = int(np.clip(math.floor(down.min()) - _MORE_ROWS, 0, rows - 1))
        last = int(np.clip(math.ceil(down.max()) + _MORE_ROWS, first + 1, rows))
        part = evened(np.ascontiguousarray(coded[first:last]), source.stops)
        move = _shift(-box.left, -box.top) @ source.matrix @ _shift(0.0, float(first))
        size = (box.right - box.left, box.bottom - box.top)
        if np.array_equal(source.matrix, np.eye(3)):
            laid = part[box.top - first : box.bottom - first, box.left : box.right]
            return laid, np.ones(laid.shape[:2], np.float32)
        warped = cv2.warpPerspective(part, move, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
        there = cv2.warpPerspective(np.ones((last - first, columns), np.uint8), move, size, flags=cv2.INTER_NEAREST)
        return np.asarray(warped, np.uint16), np.asarray(there, np.float32)

    def _frame(self, number: int) -> Coded:
        """A frame's pixels; the last one is kept, since strokes come from one frame after another."""
        if self._read is None or self._read[0] != number:
            coded = read_coded(self.sources[number].frame)
            fits = np.array(coded.shape) - np.array(self.pixels.shape)
            if np.any(fits < 0 if self.sources[number].of_cut else fits != 0):
                raise FileError(
                    "{path}: {wide} × {high} pixels, the merged picture has {w} × {h}: it was not merged of it",
                    path=self.sources[number].path, wide=coded.shape[1], high=coded.shape[0],
                    w=self.pixels.shape[1], h=self.pixels.shape[0],
                )  # fmt: skip
            self._read = number, coded
        return self._read[1]


def sources_of(report: dict[str, Any], folder: Path, *, name: str) -> list[Source]:
    """The frames of a merge's report, which lie in a folder.

    Raises
    ------
    FileError
        Where the report is none, or one of its frames is not there.
    """
    try:
        if report["format"] != "verispect-merge":
            raise KeyError("format")
        cut = np.eye(3)
        if report.get("cropped"):
            top, left, _, _ = (float(part) for part in report["crop"])
            cut[:2, 2] = -left, -top
        developed = report.get("developed")
        white = None if developed is None else tuple(float(factor) for factor in developed["white_balance"])
        found = [
            Source(
                folder / Path(str(frame["file"])).name,
                cut @ np.asarray(frame["matrix"], float).reshape(3, 3),
                -np.asarray(frame.get("evened_stops", [0.0, 0.0, 0.0]), float).reshape(3),
                of_cut=bool(report.get("cropped")),
                white=white,
                orientation=_orientation_of(frame),
            )
            for frame in report["frames"]
        ]
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise FileError(
            "{name}: no report of a merge; give the one that `verispect merge --report` wrote", name=name
        ) from error
    for source in found:
        if not np.isfinite(source.matrix).all() or abs(np.linalg.det(source.matrix)) < 1e-9:
            raise FileError("{name}: the matrix of {file} lays nothing anywhere", name=name, file=source.path.name)
        if not source.path.exists():
            raise FileError(
                "{path}: a frame of the merge that is not there; name the folder that has it", path=source.path
            )
    return found


def _orientation_of(told: Mapping[str, Any]) -> int | None:
    """As the report has it; None in one of an earlier version."""
    found = told.get("orientation")
    if found is None:
        return None
    if found not in range(1, 9):
        raise ValueError(found)
    return int(found)


def _share_of(stroke: Stroke, box: Box) -> NDArray[np.float32]:
    """How much of the frame shows, 0 to 1: all of it along the brush, less and less at its edge."""
    # Drawn on as much more as the brush is wide: a line beside the picture reaches into it too.
    margin = math.ceil(stroke.radius_px) + 1
    off = np.ones((box.bottom - box.top + 2 * margin, box.right - box.left + 2 * margin), np.uint8)
    at = np.asarray(stroke.places, float) - (box.top - margin, box.left - margin)
    line = np.round(at[:, ::-1] * _FINE).astype(np.int32)
    cv2.polylines(off, [line.reshape(-1, 1, 2)], False, 0, 1, cv2.LINE_8, _FINE.bit_length() - 1)
    # A click is no line: its place is marked by itself.
    rows, columns = np.round(at).astype(int).T
    off[np.clip(rows, 0, off.shape[0] - 1), np.clip(columns, 0, off.shape[1] - 1)] = 0
    away = cv2.distanceTransform(off, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)[margin:-margin, margin:-margin]
    soft = max(_SOFT_SHARE * stroke.radius_px, _LEAST_SOFT_PX)
    share = np.clip((stroke.radius_px - away) / soft, 0.0, 1.0)
    return np.asarray(share * share * (3.0 - 2.0 * share), np.float32)


def _shift(across: float, down: float) -> Floats:
    return np.array([[1.0, 0, across], [0, 1.0, down], [0, 0, 1.0]])
