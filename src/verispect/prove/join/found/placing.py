"""Where the frames of a grid lie when no plan tells it: found from what they have in common."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from verispect.errors import Cancelled, FileError
from verispect.optics.types import Floats
from verispect.prove.expected import View
from verispect.prove.intake import Frame, linear_of, read_coded
from verispect.prove.join.found.alike import linked_by_look
from verispect.prove.join.found.bundle import focal_px_of, straightened, tree_of, turned
from verispect.prove.join.found.features import Common, Grey8, common_of, features_of, show_the_same
from verispect.prove.parting.sets import is_dark

Progress = Callable[[float, str], None]
_WORKING_PIXELS = 900_000
# Frames that follow one another and lie within so much of a frame's width are a series of one cell.
_SAME_CELL = 0.03
# Frames shifted in one plane lie on one another this much better shifted than turned.
_BETTER = 0.6
# Focal lengths nobody has, as shares of the frame's long side.
_FOCAL_LIMITS = (0.3, 40.0)
# What corners may be moved by, as a share; what is tried first, how many more, and where it is fine enough.
_MOST_BEND, _NEAR_BEND, _FIRST_LOOKS, _FINE_BEND = 0.06, 0.005, 7, 0.0004
# Pairs that are looked at; how much better points must agree; less than this is let be, pixels of the working size.
_MOST_PAIRS, _AGREES_BETTER, _SMALL_BEND_PX = 30, 0.9, 0.3
# More than this left between turned frames is told, in pixels of the working size.
_LEFT_PX = 1.5


@dataclass(frozen=True)
class Placed:
    """Frames by cells, where each looks, what is doubtful about it, and which are black and have no place."""

    cells: list[list[int]]
    views: list[View]
    doubts: tuple[str, ...] = ()
    black: tuple[int, ...] = ()


def found_places(
    frames: Sequence[Frame],
    sensor_wide_mm: float | None,
    say: Progress,
    stop: Callable[[], bool],
    pictures: Sequence[Grey8] | None = None,
) -> Placed:
    """Where frames lie, from what they share alone.

    Parameters
    ----------
    pictures : sequence of ndarray, optional
        The frames in grey, smaller by a whole number, where they have been read; else they are read.

    Raises
    ------
    FileError
        Where no two have anything in common.
    """
    if pictures is None:
        greys, divide = _greys(frames, say, stop)
    else:
        greys, divide = _working(pictures, frames[0].pixels)
    size = (greys[0].shape[1], greys[0].shape[0])
    features = []
    for k, grey in enumerate(greys):
        if stop():
            raise Cancelled
        say(0.05 + 0.05 * k / len(greys), "looking for points in common")
        features.append(features_of(grey))
    common = common_of(features, size, is_cancelled=stop,
                       progress=lambda share: say(0.1 + 0.1 * share, "looking for points in common"))  # fmt: skip
    if stop():
        raise Cancelled
    common = [pair for pair in common if show_the_same(pair, greys[pair.a], greys[pair.b])]
    by_points = common
    common = [*by_points, *linked_by_look(greys, by_points, is_cancelled=stop)]
    if stop():
        raise Cancelled
    if len(frames) > 1 and not common:
        raise FileError(
            "no two of these {count} frames show anything in common that they could be joined by; give frames that "
            "overlap by a fifth or more, or the plan they were taken by", count=len(frames),
        )  # fmt: skip
    told = _told_focal_px(frames, sensor_wide_mm)
    focal = (told or _focal_from(by_points or common, frames[0].pixels) or 1.2 * max(frames[0].pixels)) / divide
    bundle = turned(common, len(frames), focal, told=told is not None)
    shifts, rest = _shifted(common, len(frames))
    is_shifted = len(bundle.turns) > 1 and rest < _BETTER * bundle.rest_px
    bend = 0.0
    if not is_shifted:
        share, common = _straightened(common, len(frames), focal, size, told=told is not None)
        bundle = turned(common, len(frames), focal, told=told is not None)
        bend, rest = share / (0.5 * math.hypot(*size) / bundle.focal_px) ** 2, bundle.rest_px
    turns, focal = bundle.turns, bundle.focal_px
    middles = np.array([[3 * [257 * int(np.median(grey))]] for grey in greys], np.uint16)
    dark = is_dark(linear_of(middles)[:, 0, 0].tolist())
    black = tuple(k for k in range(len(frames)) if k not in turns and dark[k])
    doubts = [
        f"{frames[k].path.name} {'came out black' if k in black else 'shows nothing in common with the others'}; "
        "it is left out"
        for k in range(len(frames)) if k not in turns
    ]  # fmt: skip
    members = sorted(turns)
    middle = ((frames[0].pixels[0] - 1) / 2.0, (frames[0].pixels[1] - 1) / 2.0)
    if is_shifted:
        # The lens or the back was moved, not the camera turned: one view, with other parts of its image.
        views = {
            k: View(np.eye(3), focal * divide, (middle[0] - shifts[k][0] * divide, middle[1] - shifts[k][1] * divide))
            for k in members
        }
    else:
        straight = straightened({k: turns[k] for k in members})
        drawn = {k: focal * divide * math.exp(grown) for k, grown in bundle.grown.items()}
        views = {k: View(r, drawn[k], middle, bend) for k, r in straight.items()}
    if rest > _LEFT_PX:
        doubts.append(
            f"neighbours lie {rest * divide:.1f} pixels apart on the whole once laid over one another: near things "
            "seen from different places, or a lens that bends lines"
        )
    cells = _cells(members, views, frames[0].pixels)
    return Placed(cells, [views[cell[0]] for cell in cells], tuple(doubts), black)


def _straightened(
    common: Sequence[Common], count: int, focal_px: float, size: tuple[int, int], *, told: bool
) -> tuple[float, list[Common]]:
    """How far the lens moves corners, as a share, that the points agree with best; and the points without it.

    0 and the points as they are where no bending makes them agree clearly better.
    """
    corner = 0.5 * math.hypot(*size)
    # A view whose scale is the corner's distance: there its bend is the share.
    sensor = View(np.eye(3), corner, (0.0, 0.0))
    some = sorted(common, key=lambda pair: -len(pair.first))[:_MOST_PAIRS]

    def straight(pairs: Sequence[Common], share: float) -> list[Common]:
        lens = replace(sensor, bend=share)
        return [
            replace(pair, first=np.stack(lens.undrawn(*pair.first.T), axis=1),
                    second=np.stack(lens.undrawn(*pair.second.T), axis=1))
            for pair in pairs
        ]  # fmt: skip

    def left(share: float) -> float:
        return turned(straight(some, share), count, focal_px, told=told).rest_px

    tried = {share: left(share) for share in (-_NEAR_BEND, 0.0, _NEAR_BEND)}
    if min(tried, key=lambda share: tried[share]) == 0.0:
        # Straight, or nearly: what little there is neighbours laid over one another tell better.
        return 0.0, list(common)
    tried |= {share: left(share) for share in np.linspace(-_MOST_BEND, _MOST_BEND, _FIRST_LOOKS).tolist()}
    best, step = min(tried, key=lambda share: tried[share]), _MOST_BEND / (_FIRST_LOOKS - 1)
    while step > _FINE_BEND:
        tried |= {share: left(share) for share in (best - step, best + step)}
        best = min(tried, key=lambda share: tried[share])
        step *= 0.5
    if tried[best] > _AGREES_BETTER * tried[0.0] or abs(best) * corner < _SMALL_BEND_PX:
        return 0.0, list(common)
    return best, straight(common, best)


def _greys(frames: Sequence[Frame], say: Progress, stop: Callable[[], bool]) -> tuple[list[Grey8], int]:
    wide, high = frames[0].pixels
    divide = max(1, math.ceil(math.sqrt(wide * high / _WORKING_PIXELS)))
    greys = []
    for k, frame in enumerate(frames):
        if stop():
            raise Cancelled
        say(0.05 * k / len(frames), f"reading frame {k + 1} of {len(frames)}")
        eight = (read_coded(frame) >> 8).astype(np.uint8)
        greys.append(_smaller(np.asarray(cv2.cvtColor(eight, cv2.COLOR_RGB2GRAY), np.uint8), divide))
    return greys, divide


def _smaller(grey: Grey8, divide: int) -> Grey8:
    high, wide = (side // divide for side in grey.shape)
    some = grey[: high * divide, : wide * divide]
    return np.asarray(cv2.resize(some, (wide, high), interpolation=cv2.INTER_AREA), np.uint8)


def _working(pictures: Sequence[Grey8], pixels: tuple[int, int]) -> tuple[list[Grey8], int]:
    """Pictures at the working size or twice as small, and by what whole number they are smaller than the frames."""
    high, wide = pictures[0].shape
    divide = max(1, math.ceil(math.sqrt(wide * high / _WORKING_PIXELS)))
    return [_smaller(one, divide) for one in pictures], divide * round(pixels[0] / wide)


def _told_focal_px(frames: Sequence[Frame], sensor_wide_mm: float | None) -> float | None:
    """The focal length in pixels that the frames' metadata tell."""
    first = frames[0]
    pixel = first.pixel_mm or (sensor_wide_mm / first.pixels[0] if sensor_wide_mm else None)
    if first.focal_mm is None or pixel is None or len({frame.focal_mm for frame in frames}) > 1:
        return None
    magnified = 1.0
    if first.subject_m and first.subject_m * 1000.0 > 2.0 * first.focal_mm:
        magnified = 1.0 / (1.0 - first.focal_mm / (first.subject_m * 1000.0))
    return first.focal_mm * magnified / pixel


def _focal_from(common: Sequence[Common], pixels: tuple[int, int]) -> float | None:
    found = focal_px_of(common)
    if found is None:
        return None
    divide = max(1, math.ceil(math.sqrt(pixels[0] * pixels[1] / _WORKING_PIXELS)))
    low, high = (share * max(pixels) for share in _FOCAL_LIMITS)
    return found * divide if low <= found * divide <= high else None


def _shifted(common: Sequence[Common], count: int) -> tuple[dict[int, Floats], float]:
    """Each frame's shift on one plane (column, row), by least squares, and what is left, median in pixels."""
    members, _ = tree_of(common, count)
    place = {k: number for number, k in enumerate(members)}
    used = [pair for pair in common if pair.a in place and pair.b in place]
    if not used:
        return {k: np.zeros(2) for k in members}, math.inf
    rows, right = [np.eye(len(members))[:1]], [np.zeros((1, 2))]
    for pair in used:
        row = np.zeros((1, len(members)))
        row[0, place[pair.b]], row[0, place[pair.a]] = 1.0, -1.0
        rows.append(row)
        right.append(np.median(pair.first - pair.second, axis=0)[None])
    found = np.linalg.lstsq(np.vstack(rows), np.vstack(right), rcond=None)[0]
    found = found - found.mean(axis=0)
    left = [
        np.linalg.norm(pair.second + found[place[pair.b]] - found[place[pair.a]] - pair.first, axis=1)
        for pair in used
    ]
    return {k: found[place[k]] for k in members}, float(np.median(np.concatenate(left)))


def _cells(members: Sequence[int], views: dict[int, View], pixels: tuple[int, int]) -> list[list[int]]:
    """Frames that follow one another and look at the same, as cells."""
    cells: list[list[int]] = []
    for k in members:
        if cells and _same_place(views[k], views[cells[-1][0]], pixels):
            cells[-1].append(k)
            continue
        cells.append([k])
    return cells


def _same_place(view: View, other: View, pixels: tuple[int, int]) -> bool:
    if float(view.rotation[2] @ other.rotation[2]) < 0.9:
        return False
    middle = np.array([(pixels[0] - 1) / 2.0, (pixels[1] - 1) / 2.0, 1.0])
    moved = view.onto(other) @ middle
    return float(np.linalg.norm(moved[:2] / moved[2] - middle[:2])) < _SAME_CELL * pixels[0]
