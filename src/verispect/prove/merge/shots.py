"""Several shots of one frame made one picture: what walked through left out, noise lessened, steps of light joined.

Every pixel is the mean of the shots by the light they gathered, Σ wx / Σ wt, which is the best there is for photon
noise; w is 0 where a shot is clipped, or shows something else than the reference does: the median of three and more
alike, else the shot as it was planned.
"""

from __future__ import annotations

import contextlib
import re
import tempfile
from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled, FileError
from verispect.files.picture_out import write_picture
from verispect.files.run_file import Run
from verispect.optics.types import Floats
from verispect.plan.frames.shots import Shot
from verispect.plan.methods.candidate import Candidate
from verispect.prove.align.motion import enlarged, halvings, motion_between
from verispect.prove.intake import (
    Coded,
    Frame,
    Linear,
    coded_of,
    grey_linear,
    in_order,
    linear_of,
    read_coded,
)
from verispect.prove.matching.shown import exposures_there, in_planned_order
from verispect.prove.matching.told import match
from verispect.prove.merge.evened import off_in_stops, small_light
from verispect.prove.merge.written import profile_of, shot_of
from verispect.prove.parting.sets import is_dark
from verispect.prove.taken_in.copies import copies_among
from verispect.prove.taken_in.developed import developed_dict
from verispect.prove.taken_in.read_alike import read_alike

Progress = Callable[[float, str], None]
# Between these a value counts less and less, as it nears white; below the last nothing but noise is told.
_WHITE, _NEARLY, _BLACK = 0.98, 0.90, 0.002
# Something else is shown where the smoothed difference is so many times the usual one, and so large a share.
_TIMES, _SHARE = 4.0, 0.03
_SMOOTH = 5
_BINS = 24
_WORKING_PIXELS = 1_700_000
_STILL_PX = 0.1
_BYTES = 6


class Found(Protocol):
    """A merged or joined picture, and what is told of it."""

    frames: list[dict[str, Any]]
    developed: dict[str, Any] | None
    doubtful: list[dict[str, Any]]
    black: list[str]


@dataclass(frozen=True)
class Together:
    """Pictures put together of shots.

    Attributes
    ----------
    places : sequence of Path
        What is to be merged or joined.
    as_given : bool
        Whether they stand in the order of the plan's exposures, whenever they were taken.
    firsts : dict
        The first shot's file for each picture's name; empty where nothing was put together.
    developed : dict or None
        How raws were developed to be put together.
    darkest : float
        Stops by which the pictures are darker than planned.
    exposures : tuple of int, optional
        Which exposures of a grid they are of, where some are missing.
    missing : tuple of str
        What is said of those, and of files that show what another does.
    """

    places: Sequence[Path]
    as_given: bool = False
    firsts: dict[str, str] = field(default_factory=dict)
    developed: dict[str, Any] | None = None
    darkest: float = 0.0
    exposures: tuple[int, ...] | None = None
    missing: tuple[str, ...] = ()

    def name_shots(self, found: Found, *more: dict[str, Any]) -> None:
        """In all that is told, name the shots, which stay, for pictures that do not."""
        found.developed = found.developed or self.developed
        if self.firsts:
            made = re.compile("|".join(map(re.escape, self.firsts)))
            for doubt in found.doubtful:
                doubt["says"] = made.sub(lambda name: self.firsts[name[0]], doubt["says"])
            found.black = [self.firsts.get(name, name) for name in found.black]
        for one in (*found.frames, *more):
            one |= {key: self.firsts.get(one[key], one[key]) for key in ("file", "a", "b", "moved_in") if key in one}
            if "left_out_of" in one:
                one["left_out_of"] = [self.firsts.get(name, name) for name in one["left_out_of"]]
            if self.darkest and "evened_stops" in one:
                one["evened_stops"] = [stops + self.darkest for stops in one["evened_stops"]]


@contextlib.contextmanager
def shots_together(
    places: Sequence[Path],
    candidate: Candidate | None,
    run: Run | None,
    beside: Path | None,
    *,
    memory_mb: int = 2500,
    progress: Progress | None = None,
    is_cancelled: Callable[[], bool] | None = None,
) -> Iterator[Together]:
    """Give one picture for each planned exposure; where each is taken once, the places as they are.

    Parameters
    ----------
    beside : Path or None
        The result; what is put together lies in a folder beside it, or of the system's, until the block ends.
    run : Run, optional
        Tells which file is which shot; else their order, or what they tell of themselves.

    Raises
    ------
    FileError
        For what cannot be read, or where the folder takes no more.
    Cancelled
    """
    if candidate is None:
        yield Together(places)
        return
    say, stop = progress or (lambda _share, _text: None), is_cancelled or (lambda: False)
    frames = in_order(read_alike(places, candidate.scene.plan.sensor_mm))
    if candidate.shots == [Shot(k) for k in range(candidate.frame_count)]:
        copies = copies_among(frames) if candidate.method.is_grid else {}
        once = [frame for k, frame in enumerate(frames) if k not in copies]
        there = exposures_there(once, candidate, run, stop)
        if there is not None:
            of = dict(zip(there, once, strict=True))
            some = tuple(sorted(of))
            twice = [
                f"{frames[k].path.name} is the same picture as {frames[first].path.name} and counts once"
                for k, first in copies.items()
            ]
            missing = (*twice, *_missing_words(candidate, some))
            yield Together([of[k].path for k in some], True, exposures=some, missing=missing)
            return
        ordered = None if run is not None else in_planned_order(frames, candidate, stop)
        yield Together(places) if ordered is None else Together([frame.path for frame in ordered], as_given=True)
        return
    if len(frames) > candidate.shot_count:
        frames = [frame for frame, dark in zip(frames, is_dark(_levels(frames, stop)), strict=True) if not dark]
    if len(frames) == candidate.frame_count < candidate.shot_count:
        # They were put together before.
        yield Together([frame.path for frame in frames])
        return
    if len(frames) > candidate.shot_count:
        raise FileError(
            "{there} frames, but the plan takes {planned} shots of its {frames} frames; give those of one run",
            there=len(frames), planned=candidate.shot_count, frames=candidate.frame_count,
        )  # fmt: skip
    groups: dict[int, list[tuple[Shot, Frame]]] = {}
    for shot, frame in zip(match(frames, candidate.exposures, candidate.shots, run), frames, strict=True):
        if shot is not None:
            groups.setdefault(shot.exposure, []).append((shot, frame))
    if all(len(group) == 1 for group in groups.values()) and candidate.shot_count == candidate.frame_count:
        yield Together([groups[k][0][1].path for k in sorted(groups)], as_given=True)
        return
    try:
        room = (
            tempfile.TemporaryDirectory(prefix="verispect-shots-") if beside is None
            else tempfile.TemporaryDirectory(prefix=f".{beside.name}.shots-", dir=beside.parent)
        )  # fmt: skip
    except OSError as error:
        raise FileError(
            "{folder}: shots cannot be put together there: {why}; save where you may write",
            folder=beside.parent if beside is not None else tempfile.gettempdir(), why=error.strerror or error,
        ) from error  # fmt: skip
    choice = candidate.scene.plan.choice.shots
    darkest = min(choice.steps)
    with room as folder:
        written: list[Path] = []
        firsts: dict[str, str] = {}
        for number, (exposure, group) in enumerate(sorted(groups.items())):
            if stop():
                raise Cancelled
            say(number / len(groups), f"putting together the shots of frame {candidate.number_of(exposure)}")
            written.append(Path(folder) / f"frame-{exposure + 1:04d}.tif")
            shots, taken = zip(*sorted(group, key=lambda pair: pair[0].number), strict=True)
            pixels = one_of(
                taken, [shot.stops for shot in shots], darkest=darkest, stillest=choice.still_share is not None,
                memory_mb=memory_mb,
            )  # fmt: skip
            first = taken[0]
            firsts[written[-1].name] = first.path.name
            write_picture(written[-1], pixels, shot=shot_of(first), icc=profile_of(first),
                          orientation=first.orientation)  # fmt: skip
        yield Together(written, True, firsts, developed_dict(frames), darkest)


def _missing_words(candidate: Candidate, there: Collection[int]) -> tuple[str, ...]:
    """What is said of the exposures of a grid that no frame is of."""
    numbers = sorted(candidate.number_of(k) for k in range(candidate.frame_count) if k not in there)
    return tuple(
        f"frame {number} of {candidate.frame_count} is not there: what no other frame shows is left empty"
        for number in numbers
    )


def _levels(frames: Sequence[Frame], stop: Callable[[], bool]) -> list[float]:
    found = []
    for frame in frames:
        if stop():
            raise Cancelled
        found.append(float(np.median(small_light(read_coded(frame)))))
    return found


def one_of(
    group: Sequence[Frame],
    steps: Sequence[float],
    *,
    darkest: float | None = None,
    stillest: bool = False,
    memory_mb: int = 2500,
) -> Coded:
    """One picture of the shots of one frame, so much darker than planned that nothing bright is cut.

    Parameters
    ----------
    darkest : float, optional
        Stops; by default those of the shortest shot that is there.
    stillest : bool
        The shot with most detail is the reference, as in wind, where no two shots show the same.
    """
    pixels = group[0].pixels
    matrices, smalls, detail = _laid(group, steps)
    alike = not any(steps)
    # What the sky did between alike shots is measured; what the shutter did is known.
    off = off_in_stops(smalls, matrices, pixels) if alike else np.repeat(np.asarray(steps)[:, None], 3, axis=1)
    if alike:
        off -= off[0]
    darkest = min(steps) if darkest is None else darkest
    reference = int(np.argmax(detail)) if stillest else None if alike and len(group) > 2 else 0
    rows_at_once = _rows(pixels, len(group), memory_mb)
    result = np.zeros((pixels[1], pixels[0], 3), np.uint16)
    for top in range(0, pixels[1], rows_at_once):
        bottom = min(top + rows_at_once, pixels[1])
        # What is smoothed at the seam is seen from both sides.
        first, last = max(0, top - 4 * _SMOOTH), min(pixels[1], bottom + 4 * _SMOOTH)
        lights = [_rows_of(frame, matrices[k], first, last, pixels) for k, frame in enumerate(group)]
        mean = _mean(lights, 2.0**off, reference)
        coded = coded_of(mean[top - first : mean.shape[0] - (last - bottom)] * 2.0**darkest)
        result[top:bottom] = coded
    return result


def _laid(group: Sequence[Frame], steps: Sequence[float]) -> tuple[list[Floats], list[Linear], list[float]]:
    """From every shot to the first, whole pixels; a small picture of each, and how much detail it shows."""
    divide = halvings(group[0].pixels, _WORKING_PIXELS)
    up = enlarged(divide)
    matrices, smalls, detail = [np.eye(3)], [], []
    reference: NDArray[np.float32] | None = None
    for frame, stops in zip(group, steps, strict=True):
        coded = read_coded(frame)
        smalls.append(small_light(coded))
        grey = np.asarray(grey_linear(coded, divide) * np.float32(2.0**-stops), np.float32)
        detail.append(float(np.mean(cv2.Laplacian(grey, cv2.CV_32F) ** 2)) / max(float(grey.mean()) ** 2, 1e-9))
        if reference is None:
            reference = grey
            continue
        middle = ((grey.shape[1] - 1) / 2.0, (grey.shape[0] - 1) / 2.0)
        found = motion_between(
            grey, reference, planned=np.eye(3), focal_px=group[0].focal_px / divide, centre_px=middle
        )
        whole = up @ found.matrix @ np.linalg.inv(up) if found.trusted else np.eye(3)
        matrices.append(whole / whole[2, 2])
    return matrices, smalls, detail


def _rows(pixels: tuple[int, int], count: int, memory_mb: int) -> int:
    """Rows that are worked on at once: all shots in linear light, and as much again for what is made of them."""
    line = pixels[0] * 3 * 4 * (2 * count + 6)
    spare = max(memory_mb * 1e6 * 0.6 - pixels[0] * pixels[1] * _BYTES * 3, line * 64)
    return max(64, min(pixels[1], int(spare // line)))


def _rows_of(frame: Frame, matrix: Floats, top: int, bottom: int, pixels: tuple[int, int]) -> Linear:
    """Rows of a shot, laid over the first, in linear light."""
    coded = read_coded(frame)
    corners = np.array([[0, 0, 1.0], [pixels[0], 0, 1], [0, pixels[1], 1], [pixels[0], pixels[1], 1]]).T
    seen = matrix @ corners
    if float(np.abs(seen[:2] / seen[2] - corners[:2]).max()) < _STILL_PX:
        return linear_of(np.ascontiguousarray(coded[top:bottom]))
    down = np.array([[1.0, 0, 0], [0, 1.0, -top], [0, 0, 1.0]])
    moved = cv2.warpPerspective(coded, down @ matrix, (pixels[0], bottom - top), flags=cv2.INTER_CUBIC,
                                borderMode=cv2.BORDER_REFLECT_101)  # fmt: skip
    return linear_of(np.asarray(moved, np.uint16))


def _mean(lights: Sequence[Linear], given: Floats, reference: int | None) -> Linear:
    """The mean of shots (rows, columns, 3), each `given` so many times the planned light by channel (n, 3).

    `reference` is the shot that the others are held against; None for the median of all.
    """
    scaled = [np.asarray(light / times, np.float32) for light, times in zip(lights, given, strict=True)]
    clear = [_clear(light) for light in lights]
    standard = _median(scaled) if reference is None else scaled[reference]
    # Where the standard is white itself, or black, it accuses nobody.
    tells = np.ones(standard.shape[:2], bool)
    if reference is not None:
        tells = (clear[reference] > 0.0) & (_grey(lights[reference]) > _BLACK)
    top = np.zeros_like(standard)
    below = np.zeros(standard.shape[:2], np.float32)
    for k, light in enumerate(lights):
        weight = clear[k] if k == reference else clear[k] * ~(_differs(scaled[k], standard) & tells)
        times = np.asarray(given[k], np.float32)
        much = float(times.mean())
        for channel, part in enumerate(times):
            top[..., channel] += weight * light[..., channel] * (much / float(part))
        below += weight * much
    shortest = scaled[int(np.argmin([float(times.mean()) for times in given]))]
    fallback = standard if reference is None else shortest
    found: Linear = np.where(below[..., None] > 1e-6, top / np.maximum(below, 1e-6)[..., None], fallback)
    return found


def _median(lights: Sequence[Linear]) -> Linear:
    if len(lights) == 3:
        a, b, c = lights
        return np.asarray(np.maximum(np.minimum(a, b), np.minimum(np.maximum(a, b), c)), np.float32)
    return np.asarray(np.median(np.stack(lights), axis=0), np.float32)


def _grey(light: Any) -> NDArray[np.float32]:
    """The mean of the three channels; numpy takes ten times as long along the last axis."""
    return np.asarray(cv2.transform(light, np.full((1, 3), 1.0 / 3.0, np.float32)), np.float32)


def _weighted_median(values: Floats, weights: Floats) -> float:
    order = np.argsort(values)
    share = np.cumsum(weights[order])
    return float(values[order][np.searchsorted(share, 0.5 * share[-1])])


def _clear(light: Linear) -> NDArray[np.float32]:
    """How far from white: 1 down to 0 (rows, columns)."""
    brightest = np.maximum(np.maximum(light[..., 0], light[..., 1]), light[..., 2])
    found: NDArray[np.float32] = np.clip((_WHITE - brightest) / (_WHITE - _NEARLY), 0.0, 1.0).astype(np.float32)
    return found


def _differs(light: Linear, reference: Linear) -> NDArray[np.bool_]:
    """Where a shot shows something else: its smoothed difference far above what is usual at that brightness."""
    # At half the size: it is smoothed in any case.
    apart, bright = (
        cv2.blur(cv2.resize(_grey(part), None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA), (_SMOOTH, _SMOOTH))
        for part in (cv2.absdiff(light, reference), reference)
    )
    logs = np.log2(np.maximum(bright, np.float32(2.0**-12)))
    place = np.clip((logs + 12.0) / 13.0 * _BINS, 0, _BINS - 1).astype(np.int32)
    usual, count = np.zeros(_BINS), np.bincount(place.ravel(), minlength=_BINS)
    for number in np.flatnonzero(count):
        here = apart[place == number]
        usual[number] = float(np.median(here[:: max(1, here.size // 20_000)]))
    # Noise goes with the root of the light. What alone is so bright, and all of it moved, is no measure of noise.
    roots = np.sqrt(2.0 ** ((np.arange(_BINS) + 0.5) / _BINS * 13.0 - 12.0))
    usual = np.minimum(usual, 2.0 * roots * _weighted_median(usual / roots, count.astype(float)))
    limits = (_TIMES * usual).astype(np.float32)
    found: NDArray[np.bool_] = apart > np.maximum(limits[place], np.float32(_SHARE) * bright)
    # What borders on it is its soft edge.
    grown = cv2.dilate(found.astype(np.uint8), np.ones((_SMOOTH, _SMOOTH), np.uint8))
    size = (light.shape[1], light.shape[0])
    return cv2.resize(grown, size, interpolation=cv2.INTER_NEAREST).astype(bool)
