"""Merging a focus series into one all-sharp picture: alignment in a chain from the plan, then one or two passes."""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import Any, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled, FileError
from verispect.optics.types import Floats
from verispect.plan.frames.between import blur_per_defocus, closeness_per_mm, focused_from
from verispect.plan.frames.exposure import Exposure
from verispect.prove.align.chains import longest_chain
from verispect.prove.align.motion import Motion, bands_at_hand, enlarged, halvings
from verispect.prove.align.stood import motion_of_camera
from verispect.prove.expected import drawn_view
from verispect.prove.intake import Coded, Frame, grey_linear, in_order, read_coded
from verispect.prove.merge.bands import bands_of, merged_in_bands
from verispect.prove.merge.burnt import laid_over, told_by, witness_of
from verispect.prove.merge.cleared import Cleared
from verispect.prove.merge.evened import evened, off_in_stops, small_light
from verispect.prove.merge.ghosts import Ghost, LeftOut, ghosts_in, leave_out, told_once
from verispect.prove.merge.lights import clipped_share, rims_of
from verispect.prove.merge.passing import passing_in
from verispect.prove.merge.pyramid import Level
from verispect.prove.merge.unveil import Focusing
from verispect.prove.parting.sets import is_dark
from verispect.prove.refocused import discs_between
from verispect.prove.resources.peak_memory import begin_peak, peak_mb
from verispect.prove.taken_in.developed import developed_dict
from verispect.prove.taken_in.read_alike import read_alike

Progress = Callable[[float, str], None]
_T = TypeVar("_T")
# A frame that lies within this of the reference everywhere is not warped.
_STILL_PX = 0.1
_WORKING_PIXELS = 1_700_000
_MORE_ROWS = 4
# Frames of a rail lie farther apart than this: their near things stand elsewhere in each.
_STOOD_STILL_M = 1e-5
# Frames that hold together are the most by far when they are such a part of all; less alike than this one shows
# something else, more so it may be sharp where the others are not.
_MOST_BY_FAR, _STRANGE = 0.6, 0.2
# Of the memory allowed so much may be pixels that take the place of what passed.
_OF_GHOSTS = 0.1
# Parts of a pixel in which a frame's sides are drawn.
_FINE = 256


@dataclass
class Merged:
    """A merged picture, 16 bits, and how it came about.

    `files` are the frames that were merged, `exposures` theirs, None where the plan does not tell one for each;
    `black` names those that came out black and were left out.
    """

    pixels: Coded
    frames: list[dict[str, Any]]
    crop: tuple[int, int, int, int]
    seconds: float
    depth: NDArray[np.float32] | None = None
    doubtful: list[dict[str, Any]] = field(default_factory=list)
    first: Frame | None = None
    ghosts: list[dict[str, Any]] = field(default_factory=list)
    unveiled: float = 0.0
    exposures: Sequence[Exposure] | None = None
    files: Sequence[Frame] = ()
    developed: dict[str, Any] | None = None
    black: list[str] = field(default_factory=list)

    def report(self, depth_file: str | None) -> dict[str, Any]:
        """The contract's JSON."""
        return {
            "format": "verispect-merge",
            "version": 1,
            "frames": self.frames,
            "crop": list(self.crop),
            "depth": depth_file,
            "seconds": round(self.seconds, 3),
            "peak_memory_mb": round(peak_mb(), 1),
            "doubtful": self.doubtful,
            "developed": self.developed,
            "ghosts": self.ghosts,
            "unveiled_share": round(self.unveiled, 5),
            "black": self.black,
        }


def merge(
    places: Sequence[Path] | Sequence[Frame],
    *,
    as_given: bool = False,
    exposures: Sequence[Exposure] | None = None,
    sensor_mm: tuple[float, float] | None = None,
    proof: bool = False,
    align: bool = True,
    smooth: float = 0.5,
    progress: Progress | None = None,
    is_cancelled: Callable[[], bool] | None = None,
    memory_mb: int = 2500,
) -> Merged:
    """Merge frames of one view.

    Parameters
    ----------
    places : sequence of Path or of Frame
        Folders or files, or frames to be read as they say; dark ones are left out.
    as_given : bool
        Whether the files stand in the order of the exposures; else they are put in that in which they were taken.
    exposures : sequence of Exposure, optional
        As planned, one a frame in order, from which the alignment starts.
    proof : bool
        One pass; else two.
    memory_mb : int
        A ceiling: what would pass it is merged in bands, each from all frames, so read more than once.

    Raises
    ------
    FileError
        For frames that cannot be read or differ in size.
    Cancelled
    """
    begin = time.monotonic()
    begin_peak()
    say = progress or (lambda _share, _text: None)
    stop = is_cancelled or (lambda: False)
    frames = read_alike(places, sensor_mm)
    if not as_given:
        frames = in_order(frames)
    if len({frame.pixels for frame in frames}) > 1:
        raise FileError("frames of different sizes cannot be merged; give those of one camera and setting")
    if exposures is not None and len(exposures) != len(frames):
        exposures = None
    bright, greys, smalls, clipped = _bright(frames, say, stop)
    if not bright:
        raise FileError("nothing but dark frames; there is nothing to merge")
    black = [frame.path.name for k, frame in enumerate(frames) if k not in bright]
    # One before or behind the others parts sets, and one that the plan has a place for is missing.
    missing = [frames[k].path.name for k in range(len(frames)) if k not in bright
               and (exposures is not None or bright[0] < k < bright[-1])]  # fmt: skip
    frames, exposures = _some(frames, bright), None if exposures is None else _some(exposures, bright)
    wide_mm = 36.0 if sensor_mm is None else sensor_mm[0]
    planned = _planned(frames, exposures, wide_mm)
    together, matrices, motions = _chain(frames, greys, planned, align, say, stop)
    strangers = [frame.path.name for k, frame in enumerate(frames) if k not in together]
    frames, greys, smalls = _some(frames, together), _some(greys, together), _some(smalls, together)
    clipped = _some(clipped, together)
    exposures = None if exposures is None else _some(exposures, together)
    brighter = off_in_stops(smalls, matrices, frames[0].pixels)
    witnesses = [witness_of(k, clipped, brighter) for k in range(len(frames))]
    passes = 1 if proof or len(frames) < 2 else 2

    def look() -> None:
        if stop():
            raise Cancelled

    # A proof has no time to look for them.
    ghosts: list[Ghost] = []
    if align and passes > 1:
        blurs = None if exposures is None else discs_between(exposures, wide_mm / frames[0].pixels[0])
        passed = passing_in(smalls, greys, matrices, frames[0].pixels, blurs=blurs, look=look)
        ghosts = told_once(ghosts_in(greys, matrices, frames[0].pixels), passed)
    witnessed = [k for k, witness in enumerate(witnesses) if witness is not None]
    rims = rims_of(
        greys, clipped, matrices, brighter.mean(axis=1).tolist(), frames[0].pixels, look, witnessed=witnessed
    )
    without: list[LeftOut] = [*ghosts, *rims]
    corner_moves = [_most_moved(matrix, frames[0].pixels) for matrix in matrices]

    def even(k: int, first: int, last: int) -> Coded:
        """A frame's own rows, as light as the others; half of every value, to be worked on with a sign."""
        coded, witness = read_coded(frames[k]), witnesses[k]
        if witness is None:
            return evened(coded[first:last], brighter[k], halved=True)
        onto = np.linalg.inv(matrices[k]) @ matrices[witness]
        theirs = laid_over(read_coded(frames[witness]), onto, (first, last), coded.shape[1])
        return np.right_shift(told_by(coded[first:last], brighter[k], theirs, brighter[witness]), 1)

    def placed(k: int, top: int, bottom: int) -> tuple[Level, NDArray[np.uint8] | None]:
        """A frame's rows, laid over the first frame's, and where it shows something."""
        if corner_moves[k] < _STILL_PX:
            return even(k, top, bottom).view(np.int16), None
        first, last = _source_rows(matrices[k], frames[0].pixels, top, bottom)
        # Without a sign it is warped in half the time, and what swings below black is cut there.
        halved = even(k, first, last)
        move = _down(-top) @ matrices[k] @ _down(first)
        size = (frames[0].pixels[0], bottom - top)
        how = cv2.INTER_LINEAR if passes == 1 else cv2.INTER_CUBIC
        moved = cv2.warpPerspective(halved, move, size, flags=how, borderMode=cv2.BORDER_REFLECT_101)
        if passes > 1:
            np.minimum(moved, 32767, out=moved)
        return np.asarray(moved, np.uint16).view(np.int16), _there(move, halved.shape[:2], size)

    cleared = Cleared(ghosts, len(frames), memory_mb * 1e6 * _OF_GHOSTS)
    for k in cleared.givers:
        look()
        first, last = cleared.rows_of(k)
        cleared.take(k, placed(k, first, last)[0], first)

    def laid(k: int, top: int, bottom: int) -> tuple[Level, NDArray[np.uint8] | None]:
        """The same without what others give."""
        picture, there = placed(k, top, bottom)
        cleared.clear(k, picture, top)
        return picture, leave_out(without, k, there, (top, bottom), frames[0].pixels[0])

    held = sum(grey.nbytes for grey in greys) / 1e6 + cleared.held_mb
    if any(witness is not None for witness in witnesses):
        # Read beside the frame that it tells of.
        held += 6e-6 * math.prod(frames[0].pixels)
    del greys
    focusing = _focusing(frames, exposures, wide_mm) if passes > 1 else None
    bands = bands_of(frames[0].pixels, passes, memory_mb - held, unveiling=focusing is not None)
    whole = merged_in_bands(bands, frames[0].pixels, len(frames), laid, passes, smooth, focusing, say, stop)
    told = [
        {
            "file": frame.path.name,
            "orientation": frame.orientation,
            "used_share": round(whole.shares[k], 5),
            "matrix": matrices[k].tolist(),
            "residual_px": None if k == 0 or not math.isfinite(motions[k].residual_px) else motions[k].residual_px,
            "correlation": None if k == 0 else motions[k].correlation,
            "evened_stops": [round(-float(part), 4) for part in brighter[k]],
        }
        for k, frame in enumerate(frames)
    ]
    doubtful = [
        {"box": [0, 0, frames[0].pixels[1], frames[0].pixels[0]],
         "says": f"{frames[k].path.name} has too little in common with its neighbour to be laid over it for sure"}
        for k in range(1, len(frames))
        if align and not motions[k].trusted
    ] + [
        {"box": [0, 0, frames[0].pixels[1], frames[0].pixels[0]],
         "says": f"{name} has too little in common with the others and was left out"}
        for name in strangers
    ] + [
        {"box": [0, 0, frames[0].pixels[1], frames[0].pixels[0]],
         "says": f"{name} came out black and was left out; what was sharp in it alone is soft here"}
        for name in missing
    ]  # fmt: skip
    crop = _crop(matrices, frames[0].pixels)
    say(1.0, "merged")
    moved = [
        {"box": list(ghost.box), "moved_in": frames[ghost.odd].path.name, "taken_from_it": ghost.from_odd}
        for ghost in ghosts
    ]
    took = time.monotonic() - begin
    return Merged(
        whole.pixels, told, crop, took, whole.depth, doubtful, frames[0], moved, whole.unveiled, exposures,
        frames, developed_dict(frames), black,
    )  # fmt: skip


def _bright(
    frames: list[Frame], say: Progress, stop: Callable[[], bool]
) -> tuple[list[int], list[NDArray[np.float32]], list[NDArray[np.float32]], list[NDArray[np.uint8] | None]]:
    """Which frames are not black, with their brightness at the working size, a small picture and what is clipped."""
    divide = halvings(frames[0].pixels, _WORKING_PIXELS)
    greys, smalls, levels, clipped = [], [], [], []
    for k, frame in enumerate(frames):
        if stop():
            raise Cancelled
        say(0.2 * k / len(frames), f"reading {frame.path.name}")
        coded = read_coded(frame)
        grey = grey_linear(coded, divide)
        greys.append(grey)
        smalls.append(small_light(coded))
        levels.append(float(np.median(grey)))
        clipped.append(clipped_share(coded, (grey.shape[1], grey.shape[0])))
    dark = is_dark(levels)
    kept = [k for k in range(len(frames)) if not dark[k]]
    return kept, _some(greys, kept), _some(smalls, kept), _some(clipped, kept)


def _some(of: Sequence[_T], which: Sequence[int]) -> list[_T]:
    return [of[k] for k in which]


def _planned(frames: Sequence[Frame], exposures: Sequence[Exposure] | None, wide_mm: float) -> list[Floats]:
    """From each frame to the first, as the plan has it."""
    if exposures is None:
        return [np.eye(3)] * len(frames)
    pitch = wide_mm / frames[0].pixels[0]
    views = [drawn_view(exposure, exposures[0], frames[0].pixels, pitch) for exposure in exposures]
    return [view.onto(views[0]) for view in views]


def _focusing(frames: Sequence[Frame], exposures: Sequence[Exposure] | None, wide_mm: float) -> Focusing | None:
    """How the frames were focused, by the plan; None without one, or where the camera itself was moved."""
    if exposures is None:
        return None
    if float(np.ptp([exposure.pose.pupil_m for exposure in exposures], axis=0).max()) > _STOOD_STILL_M:
        return None
    rate = float(np.median([blur_per_defocus(exposure) for exposure in exposures]))
    pitch = wide_mm / frames[0].pixels[0]
    middle = sorted(exposures, key=closeness_per_mm)[len(exposures) // 2]
    focused = tuple(focused_from(exposure, middle)[0] for exposure in exposures)
    return Focusing(focused, rate / pitch) if all(map(math.isfinite, focused)) else None


def _chain(
    frames: Sequence[Frame],
    greys: Sequence[NDArray[np.float32]],
    planned: Sequence[Floats],
    align: bool,
    say: Progress,
    stop: Callable[[], bool],
) -> tuple[list[int], list[Floats], list[Motion]]:
    """Which frames are merged, from each of them to the first of them in whole pixels, and its motion to the last.

    What has nothing in common with the others is left out where these are the most by far; what has too little to be
    laid over them for sure stays where the plan has it.
    """
    divide = round(frames[0].pixels[0] / greys[0].shape[1])
    up = enlarged(divide)
    down = np.linalg.inv(up)
    middle = ((greys[0].shape[1] - 1) / 2.0, (greys[0].shape[0] - 1) / 2.0)

    def steps(k: int, before: int) -> Floats:
        planned_step: Floats = np.linalg.inv(planned[before]) @ planned[k]
        return planned_step

    bands = bands_at_hand(lambda k: greys[k])

    @cache
    def motion(k: int, before: int) -> Motion:
        if stop():
            raise Cancelled
        say(0.2 + 0.2 * k / len(frames), f"laying {frames[k].path.name} over the others")
        found = motion_of_camera(
            bands(k),
            bands(before),
            planned=down @ steps(k, before) @ up,
            focal_px=frames[0].focal_px / divide,
            centre_px=middle,
        )
        # What cannot be trusted stays where the plan has it.
        step = up @ found.matrix @ down if found.trusted else steps(k, before)
        return Motion(step, found.correlation, found.residual_px * divide)

    together, motions = list(range(len(frames))), [Motion(np.eye(3), 1.0, 0.0)]
    if not align:
        return together, [matrix / matrix[2, 2] for matrix in planned], motions * len(frames)
    members, _ = longest_chain(together, motion)
    if len(members) < max(3.0, _MOST_BY_FAR * len(frames)):
        members = together
    together, total, matrices, before = [members[0]], np.eye(3), [np.eye(3)], members[0]
    for k in range(before + 1, len(frames)):
        step = motion(k, before)
        if k in members:
            total, before = total @ step.matrix, k
        elif step.correlation < _STRANGE:
            continue
        placed = total if k in members else total @ step.matrix
        together.append(k)
        motions.append(step)
        matrices.append(placed / placed[2, 2])
    return together, matrices, motions


def _there(move: Floats, shape: tuple[int, ...], size: tuple[int, int]) -> NDArray[np.uint8]:
    """Where a picture that is laid elsewhere shows something: within its four sides."""
    rows, columns = shape[:2]
    sides = np.array([[-0.5, columns - 0.5, columns - 0.5, -0.5], [-0.5, -0.5, rows - 0.5, rows - 0.5], [1.0] * 4])
    seen = move @ sides
    at = np.round((seen[:2] / seen[2]).T * _FINE).astype(np.int32)
    found = np.zeros((size[1], size[0]), np.uint8)
    cv2.fillConvexPoly(found, at, 255, cv2.LINE_8, _FINE.bit_length() - 1)
    return found


def _corners(pixels: tuple[int, int]) -> Floats:
    wide, high = pixels
    return np.array([[0, 0, 1], [wide - 1, 0, 1], [wide - 1, high - 1, 1], [0, high - 1, 1.0]]).T


def _most_moved(matrix: Floats, pixels: tuple[int, int]) -> float:
    corners = _corners(pixels)
    seen = matrix @ corners
    return float(np.hypot(*(seen[:2] / seen[2] - corners[:2])).max())


def _crop(matrices: Sequence[Floats], pixels: tuple[int, int]) -> tuple[int, int, int, int]:
    """Top, left, bottom, right of what every frame shows."""
    wide, high = pixels
    top, left, bottom, right = 0.0, 0.0, float(high), float(wide)
    for matrix in matrices:
        seen = matrix @ _corners(pixels)
        x, y = seen[:2] / seen[2]
        left, right = max(left, x[0], x[3]), min(right, x[1] + 1, x[2] + 1)
        top, bottom = max(top, y[0], y[1]), min(bottom, y[2] + 1, y[3] + 1)
    return math.ceil(top - 1e-6), math.ceil(left - 1e-6), math.floor(bottom + 1e-6), math.floor(right + 1e-6)


def _down(rows: float) -> Floats:
    """A shift down by so many rows (3, 3)."""
    return np.array([[1.0, 0, 0], [0, 1.0, rows], [0, 0, 1.0]])


def _source_rows(matrix: Floats, pixels: tuple[int, int], top: int, bottom: int) -> tuple[int, int]:
    """Rows of a frame that may come to lie on these rows, with a few more for the interpolation."""
    wide, high = pixels
    ends = np.array([[0, top, 1], [wide - 1, top, 1], [wide - 1, bottom - 1, 1], [0, bottom - 1, 1.0]]).T
    seen = np.linalg.inv(matrix) @ ends
    rows = seen[1] / seen[2]
    first = int(np.clip(math.floor(rows.min()) - _MORE_ROWS, 0, high - 1))
    return first, int(np.clip(math.ceil(rows.max()) + _MORE_ROWS, first + 1, high))
