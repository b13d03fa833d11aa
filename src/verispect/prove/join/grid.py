"""Joining a grid into one picture, part by part: evened in brightness, the sharper frame preferred in overlaps."""

from __future__ import annotations

import contextlib
import itertools
import json
import math
import tempfile
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled, FileError
from verispect.files.atomic import ready_for
from verispect.files.picture_out import bytes_of_picture
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure
from verispect.plan.scene.scene import Scene
from verispect.prove.checks.parallax import Slide, shifts_of, slide_dict, slide_of
from verispect.prove.expected import View, view_of
from verispect.prove.intake import Coded, Frame, in_order
from verispect.prove.join.bend import corner_tangent, straightened
from verispect.prove.join.canvas import Canvas, canvas_for
from verispect.prove.join.crop import crop_of
from verispect.prove.join.drawn import laid_as_drawn
from verispect.prove.join.far_out import Blurs
from verispect.prove.join.found.placing import Placed, found_places
from verispect.prove.join.frames import FrameStore, merged_cells, small_pictures, told_of
from verispect.prove.join.gains import corner_falloff, evenly_lit, gains_of, unfallen
from verispect.prove.join.ghosts import Ghost, ghosts_between, passing_between
from verispect.prove.join.kept import Measured, read_measured, write_measured
from verispect.prove.join.painting import Painter
from verispect.prove.join.pointing import Pair, corrected, drawn_larger, kept_as_planned, pair_report, pairs_of
from verispect.prove.parting.sets import is_dark
from verispect.prove.refocused import disc_mm, discs_between, refocused
from verispect.prove.resources.peak_memory import Held, begin_peak, peak_mb
from verispect.prove.taken_in.developed import developed_dict
from verispect.prove.taken_in.read_alike import read_alike

Progress = Callable[[float, str], None]
_PART_PX = 768
# Where nobody tells how wide the sensor is, mm.
_SENSOR_MM = 36.0
# A picture that takes more than this share of the memory allowed is made on the disk.
_SHARE_OF_MEMORY = 6.0


@dataclass
class Joined:
    """A joined picture, 16 bits, and how it came about.

    Attributes
    ----------
    corners_share : float
        How much farther out than a straight lens this one draws the frames' corners, as a share.
    """

    pixels: Coded
    frames: list[dict[str, Any]]
    pairs: list[dict[str, Any]]
    crop: tuple[int, int, int, int]
    seconds: float
    canvas: Canvas
    doubtful: list[dict[str, Any]] = field(default_factory=list)
    first: Frame | None = None
    on_disk: bool = False
    corners_share: float = 0.0
    ghosts: list[dict[str, Any]] = field(default_factory=list)
    held: Held = field(default_factory=Held)
    slide: Slide | None = None
    developed: dict[str, Any] | None = None
    falloff_stops: float = 0.0
    black: list[str] = field(default_factory=list)

    def tell_missing(self, missing: Sequence[str]) -> None:
        """What is said of frames that were planned and are not there goes before all else."""
        whole = [0, 0, self.canvas.size[1], self.canvas.size[0]]
        self.doubtful[:0] = [{"box": whole, "says": says} for says in missing]

    def report(self) -> dict[str, Any]:
        """The contract's JSON."""
        return {
            "format": "verispect-merge",
            "version": 1,
            "frames": self.frames,
            "pairs": self.pairs,
            "crop": list(self.crop),
            "depth": None,
            "projection": self.canvas.projection,
            "corners_share": round(self.corners_share, 6),
            "falloff_stops": round(self.falloff_stops, 4),
            "seconds": round(self.seconds, 3),
            "peak_memory_mb": round(self.held.most_mb if self.on_disk else peak_mb(), 1),
            "doubtful": self.doubtful,
            "developed": self.developed,
            "ghosts": self.ghosts,
            "black": self.black,
            "slide": None if self.slide is None else slide_dict(self.slide),
        }


@dataclass(frozen=True)
class Room:
    """Where a join may put what it holds, and how much it may take.

    Attributes
    ----------
    folder : Path
        Beside the result; merged cells and large pictures are kept there, also for another try.
    jobs : int
        Processes that paint a large picture.
    scheduler : str or None
        The address of a Dask cluster that paints it.
    on_disk : bool
        Whether the picture is to be made there however small it is.
    most_side : int or None
        What the file that is asked for takes each way, pixels.
    out : Path or None
        That file.
    """

    folder: Path
    jobs: int = 1
    memory_mb: int = 2500
    scheduler: str | None = None
    on_disk: bool = False
    most_side: int | None = None
    out: Path | None = None


def cells_of(exposures: Sequence[Exposure]) -> list[list[int]]:
    """Exposures that follow one another from one place and pose of a grid."""

    def place(k: int) -> tuple[float, ...]:
        exposure = exposures[k]
        return (*np.round(exposure.pose.forward, 9).tolist(), *np.round(exposure.sensor_centre_mm, 6).tolist())

    return [list(group) for _, group in itertools.groupby(range(len(exposures)), key=place)]


def join(
    places: Sequence[Path],
    *,
    as_given: bool = False,
    exposures: Sequence[Exposure] | None,
    sensor_mm: tuple[float, float] | None,
    basis: Floats | None = None,
    rotations: dict[int, Floats] | None = None,
    scene: Scene | None = None,
    projection: str | None = None,
    progress: Progress | None = None,
    is_cancelled: Callable[[], bool] | None = None,
    merge_cell: Callable[[list[Frame], list[Exposure] | None], Coded] | None = None,
    room: Room | None = None,
) -> Joined:
    """Join frames of a grid.

    Parameters
    ----------
    as_given : bool
        Whether the files stand in the order of the exposures; else they are put in that in which they were taken.
    exposures : sequence of Exposure or None
        As planned, one a frame in order; without them the frames alone tell where they looked.
    sensor_mm : (float, float) or None
        Width and height of the sensor as the camera is held; None without a plan.
    basis : ndarray, shape (3, 3), optional
        The wanted picture's own view.
    rotations : dict, optional
        How exposures really looked, where that is known.
    scene : Scene, optional
        Of a head that turns: what stands near and far tells how far off its pupil it turned.
    merge_cell : callable, optional
        Merges the frames of one cell, for a grid of series.
    room : Room, optional
        Without it everything is held in memory.

    Raises
    ------
    FileError, Cancelled
    """
    begin = time.monotonic()
    begin_peak()
    held, tell = Held(), progress or (lambda _share, _text: None)

    def say(share: float, text: str) -> None:
        held.look()
        tell(share, text)

    stop = is_cancelled or (lambda: False)
    frames = read_alike(places, sensor_mm)
    if not as_given:
        frames = in_order(frames)
    if len({frame.pixels for frame in frames}) > 1:
        raise FileError("frames of different sizes cannot be joined; give those of one camera and setting")
    pixels = frames[0].pixels
    with contextlib.ExitStack() as stack:
        if room is None:
            room = Room(
                Path(stack.enter_context(tempfile.TemporaryDirectory(prefix="verispect-join-"))), on_disk=False
            )
            large_mb = math.inf
        else:
            large_mb = 0.0 if room.on_disk else room.memory_mb / _SHARE_OF_MEMORY
        if exposures is None:
            placed = found_places(frames, None if sensor_mm is None else sensor_mm[0], say, stop)
        else:
            placed = _planned_places(frames, exposures, _SENSOR_MM if sensor_mm is None else sensor_mm[0], rotations)

        def merge_members(members: Sequence[int]) -> Coded:
            assert merge_cell is not None
            of_cell = None if exposures is None else [exposures[k] for k in members]
            return merge_cell([frames[k] for k in members], of_cell)

        cells = placed.cells if merge_cell is not None else [[cell[0]] for cell in placed.cells]
        shown = merged_cells(frames, cells, merge_members, room.folder, say, stop)
        # The pixels held, the parts in work and what is measured share what there is.
        store = FrameStore(shown, room.memory_mb / (3.0 * max(1, room.jobs)))
        views, pairs, gains, ghosts, slide, black = _measured(
            room, store, placed, shown, pixels, scene,
            None if exposures is None else _blurs(exposures, placed.cells, pixels[0], sensor_mm),
            None if exposures is None else _discs(exposures, placed.cells, pixels[0], sensor_mm), say, stop,
        )  # fmt: skip
        canvas = canvas_for(views, pixels, projection, basis)
        if room.most_side is not None and max(canvas.size) > room.most_side:
            raise FileError(
                "the joined picture would have {wide} × {high} pixels, and such a file takes {most} each way; name a "
                ".tif or a .zarr",
                wide=canvas.size[0], high=canvas.size[1], most=room.most_side,
            )  # fmt: skip
        painter = Painter(canvas, tuple(views), gains, pixels, tuple(ghosts))
        on_disk = canvas.size[0] * canvas.size[1] * 6e-6 > large_mb
        if on_disk:
            store.clear()
            result, covered, shares = _on_disk(painter, shown, room, say, stop)
        else:
            if room.out is not None:
                ready_for(room.out, bytes_of_picture(room.out, canvas.size))
            result, covered, shares = _in_memory(painter, store, say, stop)
        crop = crop_of(covered)
    files = [frames[cell[0]].path.name for cell in placed.cells]
    told = [
        {
            "file": files[k],
            "used_share": round(float(shares[k]), 5),
            "matrix": None if (to := canvas.homography_of(view)) is None else to.tolist(),
            "rotation": view.rotation.tolist(),
            "moved_deg": round(_apart_deg(view, placed.views[k]), 5),
            "gain_stops": round(float(gains[k, 0]), 5),
            "white_balance_gain_stops": [round(float(part), 5) for part in gains[k, 1:]],
            "residual_px": _worst(pairs, k),
        }
        for k, view in enumerate(views)
    ]
    whole = [0, 0, canvas.size[1], canvas.size[0]]
    doubtful = [{"box": whole, "says": says} for says in placed.doubts]
    if exposures is not None:
        sizes = [view.scale_px / before.scale_px for view, before in zip(views, placed.views, strict=True)]
        doubtful += [
            {"box": whole, "says": _size_words(files[k], size)} for k, size in enumerate(sizes) if size != 1.0
        ]
    for k in black:
        left, top, right, bottom = canvas.box_of(views[k], pixels)
        within = [max(0, top), max(0, left), min(canvas.size[1], bottom), min(canvas.size[0], right)]
        doubtful.append({"box": within, "says": f"{files[k]} came out black; so is what no other frame shows"})
    if exposures is not None and len(files) > 1:
        doubtful += [
            {"box": whole, "says": f"{files[k]} has nothing to join on; it lies where the plan has it"}
            for k in range(len(files))
            if not any(pair.trusted for pair in pairs if k in (pair.a, pair.b))
        ]
        if as_planned := [files[k] for k in kept_as_planned(placed.views, views, pairs)]:
            doubtful.append({"box": whole, "says": _held_words(as_planned)})
    say(1.0, "joined")
    return Joined(
        result, told, [pair_report(pair, files) for pair in pairs], crop, time.monotonic() - begin, canvas, doubtful,
        frames[0], on_disk, views[0].bend * corner_tangent(views[0], pixels) ** 2,
        [_told(ghost, canvas, files) for ghost in ghosts], held, slide, developed_dict(frames),
        max(corner_falloff(view, pixels) for view in views),
        [*(frames[k].path.name for k in placed.black), *(files[k] for k in black)],
    )  # fmt: skip


def _planned_places(
    frames: Sequence[Frame], exposures: Sequence[Exposure], sensor_wide_mm: float, rotations: dict[int, Floats] | None
) -> Placed:
    """Where the plan has the frames, cell by cell."""
    if len(frames) != len(exposures):
        raise FileError(
            "{there} frames, but the plan's method has {planned} exposures; give those of one run, none left out",
            there=len(frames), planned=len(exposures),
        )  # fmt: skip
    pixels = frames[0].pixels
    cells = cells_of(exposures)
    views = [view_of(exposures[c[0]], pixels, sensor_wide_mm / pixels[0], (rotations or {}).get(c[0])) for c in cells]
    return Placed(cells, views)


def _blurs(
    exposures: Sequence[Exposure], cells: Sequence[Sequence[int]], wide_px: int, sensor_mm: tuple[float, float] | None
) -> Blurs:
    """By what disc the only frame of a cell blurs what it should render sharp, where it is drawn larger; pixels."""
    pitch_mm = (_SENSOR_MM if sensor_mm is None else sensor_mm[0]) / wide_px

    def disc_px(number: int, grown: float) -> float:
        exposure = exposures[cells[number][0]]
        return disc_mm(exposure, refocused(exposure, grown)) / pitch_mm if len(cells[number]) == 1 else 0.0

    return disc_px


def _discs(
    exposures: Sequence[Exposure], cells: Sequence[Sequence[int]], wide_px: int, sensor_mm: tuple[float, float] | None
) -> Callable[[int, int], float]:
    """By what disc one cell's frame blurs what another's has sharp, pixels; a merged cell blurs nothing."""
    pitch_mm = (_SENSOR_MM if sensor_mm is None else sensor_mm[0]) / wide_px
    between = discs_between([exposures[cell[0]] for cell in cells], pitch_mm)
    return lambda a, b: between(a, b) if len(cells[a]) == len(cells[b]) == 1 else 0.0


def _measured(
    room: Room,
    store: FrameStore,
    placed: Placed,
    shown: Sequence[Frame],
    pixels: tuple[int, int],
    scene: Scene | None,
    blurs: Blurs | None,
    discs: Callable[[int, int], float] | None,
    say: Progress,
    stop: Callable[[], bool],
) -> Measured:
    """Views set right, pairs, stops to add, what moved, the slide, and which frames are black.

    Found by an earlier try over the same frames, it is taken up.
    """
    planned = [[*view.rotation.ravel().tolist(), view.scale_px, *view.centre_px] for view in placed.views]
    asked = json.dumps([told_of(shown), planned])
    kept = room.folder / "measured.json"
    before = read_measured(kept, asked)
    if before is not None:
        return before
    greys, smalls = small_pictures(store, pixels, say, stop)

    def pairs_between(views: Sequence[View], straight: Sequence[NDArray[np.float32]]) -> list[Pair]:
        found = pairs_of(views, straight, pixels, is_cancelled=stop,
                         progress=lambda share: say(0.25 + 0.25 * share, "comparing neighbours"))  # fmt: skip
        if stop():
            raise Cancelled
        return found

    planned_views, straight, pairs = laid_as_drawn(
        placed.views, greys, pixels, pairs_between, lambda pairs: drawn_larger(pairs, len(placed.views)), blurs, stop
    )
    views = corrected(planned_views, pairs)
    colours = [straightened(small, view, pixels) for small, view in zip(smalls, views, strict=True)]
    views = unfallen(views, colours, pairs, pixels)

    def even(pictures: Sequence[NDArray[np.float32]]) -> list[NDArray[np.float32]]:
        return [evenly_lit(picture, view, pixels) for picture, view in zip(pictures, views, strict=True)]

    # A frame that came out black is evened with nothing.
    black = is_dark([float(np.median(small)) for small in smalls])
    lit = [pair for pair in pairs if not black[pair.a] and not black[pair.b]]
    gains = gains_of(views, even(colours), lit, pixels)

    def look() -> None:
        if stop():
            raise Cancelled

    ghosts, slide = ghosts_between(views, even(straight), pairs, gains, pixels), None
    ghosts += passing_between(views, even(colours), lit, pixels, discs, ghosts, look)
    if scene is not None:
        sure = [pair for pair in pairs if pair.trusted]
        slide = slide_of(shifts_of(views, straight, sure, pixels[0] / straight[0].shape[1]), scene)
    measured = views, pairs, gains, ghosts, slide, [k for k, is_black in enumerate(black) if is_black]
    write_measured(kept, asked, measured)
    return measured


def _size_words(file: str, times: float) -> str:
    how = "larger" if times > 1.0 else "smaller"
    return (
        f"{file} is drawn {100.0 * abs(times - 1.0):.1f} % {how} than planned, as where the focus was missed; it is "
        "laid as it is drawn"
    )


def _held_words(files: Sequence[str]) -> str:
    if len(files) == 1:
        return (
            f"what {files[0]} shares with the frames beside it moved between them, as clouds do; it lies where the "
            "plan has it"
        )
    return (
        f"what {', '.join(files[:-1])} and {files[-1]} share with the frames beside them moved between these, as "
        "clouds do; they lie where the plan has them"
    )


def _in_memory(
    painter: Painter, store: FrameStore, say: Progress, stop: Callable[[], bool]
) -> tuple[Coded, NDArray[np.bool_], Floats]:
    """The picture, where frames cover it, and each frame's share of its detail."""
    wide, high = painter.canvas.size
    result, covered = np.zeros((high, wide, 3), np.uint16), np.zeros((high, wide), bool)
    used = np.zeros(len(painter.views))
    parts = painter.parts(_PART_PX)
    for number, box in enumerate(parts):
        if stop():
            raise Cancelled
        place = (slice(box[1], box[3]), slice(box[0], box[2]))
        result[place], covered[place], part = painter.paint(box, store.part)
        used += part
        say(0.5 + 0.5 * (number + 1) / len(parts), "joining")
    return result, covered, used / max(float(used.sum()), 1e-9)


def _on_disk(
    painter: Painter, shown: Sequence[Frame], room: Room, say: Progress, stop: Callable[[], bool]
) -> tuple[Coded, NDArray[np.bool_], Floats]:
    """The same in files, which any process may have begun before."""
    from verispect.prove.join.large import Work, paint_all

    work = Work(
        room.folder.resolve(), painter, tuple(shown),
        room.memory_mb / (3.0 * max(1, room.jobs)),
    )  # fmt: skip
    work.begin()
    paint_all(work, jobs=room.jobs, scheduler=room.scheduler, memory_mb=room.memory_mb, say=say, stop=stop)
    used = np.asarray(work.shares().sum(axis=0), float)
    return work.pixels(), work.covered(), used / max(float(used.sum()), 1e-9)


def _told(ghost: Ghost, canvas: Canvas, files: Sequence[str]) -> dict[str, Any]:
    """A ghost in the report: where it lies in the joined picture, and which frame shows it."""
    places = canvas.places_of(ghost.outline)
    (left, top), (right, bottom) = np.floor(places.min(axis=0)), np.ceil(places.max(axis=0))
    return {"box": [int(top), int(left), int(bottom), int(right)], "file": files[ghost.shown_by],
            "left_out_of": [files[k] for k in ghost.out], "passed": ghost.passed}  # fmt: skip


def _apart_deg(view: View, other: View) -> float:
    trace = float(np.trace(view.rotation @ other.rotation.T))
    return math.degrees(math.acos(min(max(0.5 * (trace - 1.0), -1.0), 1.0)))


def _worst(pairs: Sequence[Pair], k: int) -> float | None:
    found = [pair.residual_px for pair in pairs if k in (pair.a, pair.b) and math.isfinite(pair.residual_px)]
    return max(found) if found else None
