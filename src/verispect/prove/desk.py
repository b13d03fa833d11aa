"""Checking, merging and joining as plain calls that another process can make, with progress and stop."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled, FileError
from verispect.files.atomic import ready_for
from verispect.files.picture_out import bytes_of_picture, write_picture
from verispect.files.run_file import Run, read_run
from verispect.kit.lens import Lens
from verispect.optics.otf import Lights
from verispect.plan.document import Plan
from verispect.plan.methods.candidate import Candidate
from verispect.prove.check import check
from verispect.prove.checks.parallax import slide_words
from verispect.prove.expected import turned_as_happened
from verispect.prove.intake import described, in_order, read_coded
from verispect.prove.join.written import bend_words, join_to, those_there, told_ghosts
from verispect.prove.looked import Pointed
from verispect.prove.merge.depth_points import depth_points, ply_of, why_no_distances
from verispect.prove.merge.series import merge
from verispect.prove.merge.shots import shots_together
from verispect.prove.merge.written import developed_words, doubt_words, profile_of, shot_of
from verispect.prove.parting.by_hand import ByHand
from verispect.prove.report import Report
from verispect.prove.resources.recall import Recall
from verispect.prove.returning import Return, return_pose
from verispect.prove.sorting import sort_frames
from verispect.prove.taken_in.cards import card_folders, last_sitting
from verispect.prove.taken_in.folders import frames_and_others, frames_in
from verispect.prove.trials.close_test import CloseTest, close_test
from verispect.prove.trials.compare import Compared, compare
from verispect.prove.trials.focus_ways import tried, verdict, way_words, ways_of
from verispect.prove.trials.lens_report import LensReport, lens_report
from verispect.prove.trials.pupil_test import Patch, PupilTest, pupil_test
from verispect.prove.trials.recycle_test import RecycleTest, recycle_test
from verispect.prove.trials.settle_test import SettleTest, settle_test
from verispect.prove.trials.step_test import StepTest, from_frames
from verispect.prove.trials.tilt_test import TiltTest, sensor_of, tilt_test
from verispect.sentence import Sentence

Share = Callable[[float], None]
Stop = Callable[[], bool]


# Of this process: frames that arrive are checked with those that were there, and sets put right by hand once more.
_RECALL = Recall()


class StepRun(NamedTuple):
    """A run of focus steps as it was set on the body."""

    stop: float
    step: float
    focal_mm: float
    circle_mm: float
    ends_m: tuple[float | None, float | None] = (None, None)


def _run_beside(folder: Path) -> Run | None:
    """The account of a run that lies with its frames."""
    path = folder / "run.json"
    return read_run(path) if path.exists() else None


def _run_of(folder: Path, candidate: Candidate | None) -> Run | None:
    """The same, where it is of this method."""
    run = _run_beside(folder)
    return run if run is not None and candidate is not None and run.method == candidate.key else None


def check_folder(
    folder: Path, candidate: Candidate | None, files: tuple[Path, ...] = (), together: ByHand | None = None,
    pointed: tuple[Pointed, ...] = (), photograph: Path | None = None, *, progress: Share, is_cancelled: Stop,
) -> Report | None:  # fmt: skip
    """Check a folder's frames, or those named, put together and pointed at by hand; None where it was stopped.

    With the picture of the plan's photograph, where marks may be found by that.
    """
    run = _run_beside(folder)
    taken = None if run is None else [folder / frame.file for frame in run.frames if frame.file]
    places = list(files) or ([path for path in taken if path.exists()] if taken else [folder])
    try:
        return check(
            places or [folder], candidate=candidate, run=_run_of(folder, candidate), together=together,
            pointed=pointed, photograph=photograph, recall=_RECALL,
            progress=lambda share, _text: progress(share), is_cancelled=is_cancelled,
        )  # fmt: skip
    except Cancelled:
        return None


class CardPictures(NamedTuple):
    """What was taken last onto a card: the folder and its frames, when by the files, and how many lie elsewhere."""

    folder: Path
    files: tuple[Path, ...]
    begun: datetime
    ended: datetime
    elsewhere: int


def card_pictures(root: Path) -> CardPictures | None:
    """The last sitting on a camera's card; None where there is no card, or nothing on it."""
    try:
        every = [path for folder in card_folders(root) for path in frames_and_others(folder)[0]]
        latest = last_sitting(every)
        times = [path.stat().st_mtime for path in latest]
    except OSError:
        return None
    if not latest:
        return None
    folder = latest[int(np.argmax(times))].parent
    files = tuple(path for path in latest if path.parent == folder)
    begun, ended = (datetime.fromtimestamp(at) for at in (min(times), max(times)))
    return CardPictures(folder, files, begun, ended, len(latest) - len(files))


def cut_picture(
    path: Path, target: Path, box: tuple[int, int, int, int], *, progress: Share, is_cancelled: Stop
) -> Path | None:
    """Write a part (top, left, bottom, right) of a picture with all that it tells; None where it was stopped."""
    frame = described(path)
    top, left, bottom, right = box
    pixels = read_coded(frame)[top:bottom, left:right]
    progress(0.5)
    if is_cancelled():
        return None
    write_picture(
        target, np.ascontiguousarray(pixels), shot=shot_of(frame), icc=profile_of(frame),
        orientation=frame.orientation, force=True,
    )  # fmt: skip
    return target


class MergedFile(NamedTuple):
    """Where a merged picture lies, its depth as a PLY where that is told, how its frames were laid, and its size."""

    path: Path
    ply: bytes | None
    report: dict[str, Any]
    size: tuple[int, int]


def merge_files(
    files: list[Path], candidate: Candidate | None, target: Path, proof: bool, *, progress: Share, is_cancelled: Stop
) -> MergedFile | None:
    """Merge files into a picture; None where it was stopped."""
    exposures = None if candidate is None or candidate.method.is_grid else candidate.exposures
    sensor = None if candidate is None else candidate.scene.plan.sensor_mm
    _make_folder(target)
    ready_for(target, bytes_of_picture(target, described(files[0]).pixels))
    try:
        with shots_together(
            files, candidate, _run_of(files[0].parent, candidate), target,
            progress=lambda share, _text: progress(0.3 * share),
            is_cancelled=is_cancelled,
        ) as together:  # fmt: skip
            merged = merge(
                together.places, as_given=together.as_given, exposures=exposures, sensor_mm=sensor,
                proof=proof, progress=lambda share, _text: progress(share), is_cancelled=is_cancelled,
            )  # fmt: skip
            assert merged.first is not None
            first, profile = merged.first, profile_of(merged.first)
            # Before anything else is asked of the frames: what was merged is not lost with it.
            write_picture(
                target, merged.pixels, shot=shot_of(first), icc=profile, orientation=first.orientation, force=True
            )
            points = None
            with contextlib.suppress(Cancelled):
                if candidate is not None and why_no_distances(merged) is None:
                    points = ply_of(depth_points(merged, candidate, is_cancelled=is_cancelled))
        together.name_shots(merged, *merged.ghosts)
    except Cancelled:
        return None
    rows, columns = merged.pixels.shape[:2]
    return MergedFile(target, points, merged.report(None), (columns, rows))


class JoinedFile(NamedTuple):
    """Where a joined picture lies, what is doubtful and what was set right in it, its crop and its size.

    The crop is None where it is too large to cut.
    """

    path: Path
    doubts: list[Sentence]
    says: list[Sentence]
    crop: tuple[int, int, int, int] | None
    size: tuple[int, int]


def join_files(
    files: list[Path], candidate: Candidate | None, target: Path, *, progress: Share, is_cancelled: Stop
) -> JoinedFile | None:
    """Join files, by the frames alone where no plan has them; None where it was stopped."""
    planned = (
        candidate is not None
        and candidate.method.is_grid
        and len(files) in (candidate.frame_count, candidate.shot_count)
    )
    # Of frames that are fewer what they show may tell which are missing.
    fewer = (
        candidate is not None and candidate.method.is_grid
        and len(files) < candidate.frame_count == candidate.shot_count
    )  # fmt: skip
    run = _run_of(files[0].parent, candidate)
    _make_folder(target)
    try:
        with shots_together(
            files, candidate if planned or fewer else None, run, target,
            progress=lambda share, _text: progress(0.3 * share), is_cancelled=is_cancelled,
        ) as together:  # fmt: skip
            held = candidate if planned or together.exposures is not None else None
            turned = turned_as_happened(run, held.exposures) if run and held else None
            known = {"exposures": None} if held is None else those_there(held.exposures, turned, together.exposures)
            joined = join_to(
                target,
                together.places,
                as_given=together.as_given,
                sensor_mm=None if held is None else held.scene.plan.sensor_mm,
                force=True,
                **known,
                basis=None if held is None else held.scene.pose.matrix,
                scene=held.scene if held is not None and held.method.turns else None,
                progress=lambda share, _text: progress(share),
                is_cancelled=is_cancelled,
            )
            together.name_shots(joined, *joined.ghosts)
            joined.tell_missing(together.missing)
    except Cancelled:
        return None
    bend = bend_words(joined)
    return JoinedFile(
        target, doubt_words(joined.doubtful),
        [*slide_words(joined.slide), *([] if bend is None else [bend]), *told_ghosts(joined),
         *developed_words(joined.developed)],
        None if joined.on_disk else joined.crop, joined.canvas.size,
    )  # fmt: skip


def _make_folder(target: Path) -> None:
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError("{folder}: the folder cannot be made: {why}", folder=target.parent,
                        why=error.strerror or error) from error  # fmt: skip


def eight_bits(path: Path) -> NDArray[np.uint8]:
    """A picture for the screen."""
    return (read_coded(described(path)) >> 8).astype(np.uint8)


def small_jpeg(path: Path, *, most: int = 1600) -> bytes:
    """A picture small enough for a page, as JPEG.

    Raises
    ------
    FileError
        For what is no picture.
    """
    pixels = eight_bits(path)
    scale = min(1.0, most / max(pixels.shape[:2]))
    if scale < 1.0:
        pixels = np.asarray(cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), np.uint8)
    _, coded = cv2.imencode(".jpg", pixels[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 85])
    return coded.tobytes()


def page_pictures(
    paths: list[Path], most: int = 1600, *, progress: Share, is_cancelled: Stop
) -> list[tuple[str, bytes]]:
    """Pictures for a page, by their names; none where it was stopped."""
    found = []
    for number, path in enumerate(paths):
        if is_cancelled():
            return []
        progress(number / len(paths))
        found.append((path.name, small_jpeg(path, most=most)))
    return found


def return_of(
    then: Path, now: Path, candidate: Candidate, frame: int, *, progress: Share, is_cancelled: Stop
) -> Return:
    """How the camera stands against where it stood."""
    progress(0.2)
    return return_pose(then, now, candidate.scene, candidate.exposures[frame])


def opened_for_compare(paths: list[Path], *, progress: Share, is_cancelled: Stop) -> list[NDArray[np.uint8]]:
    """Pictures of one size for the screen; none where it was stopped.

    Raises
    ------
    FileError
        For what is no picture, or of another size.
    """
    found: list[NDArray[np.uint8]] = []
    for number, path in enumerate(paths):
        if is_cancelled():
            return []
        progress(number / len(paths))
        found.append(eight_bits(path))
        if found[-1].shape != found[0].shape:
            raise FileError("{path}: of another size than {other}; pictures of one size are compared", path=path,
                            other=paths[0])  # fmt: skip
    return found


def compared_over(
    paths: list[Path], candidate: Candidate | None, *, progress: Share, is_cancelled: Stop
) -> list[Compared]:
    """The places of most detail in every picture, in the units of a plan whose frames these are."""
    criterion = None if candidate is None else candidate.criterion
    try:
        return compare(
            paths, [], criterion=criterion, candidate=candidate,
            progress=lambda share, _text: progress(share), is_cancelled=is_cancelled,
        )  # fmt: skip
    except Cancelled:
        return []


def ways_over(paths: list[Path], plan: Plan, *, progress: Share, is_cancelled: Stop) -> list[Sentence]:
    """Which way of focusing served best, of frames each focused another way; and each way's softest must."""
    ways = ways_of(plan)
    try:
        found = tried(paths, ways, progress=lambda share, _text: progress(share), is_cancelled=is_cancelled)
    except Cancelled:
        return []
    return [verdict(found), *map(way_words, found)]


def lens_test_in(
    folder: Path,
    lights: Lights,
    pitch_mm: float | None,
    focal_mm: float | None,
    separation_mm: float,
    *,
    progress: Share,
    is_cancelled: Stop,
) -> LensReport:
    """What a lens resolves, from a folder of test frames; it ends with its process where it is given up."""
    return lens_report(
        [folder], lights=lights, pitch_mm=pitch_mm, focal_mm=focal_mm, separation_mm=separation_mm,
        progress=lambda share, _text: progress(share),
    )  # fmt: skip


def step_test_in(
    folder: Path,
    run: StepRun,
    lens: Lens,
    *,
    progress: Share,
    is_cancelled: Stop,
) -> StepTest:
    """What one unit of the step number moves, from the frames of a run."""
    progress(0.1)
    return from_frames(
        [folder], stop=run.stop, step=run.step, focal_mm=run.focal_mm, circle_mm=run.circle_mm, lens=lens,
        ends_m=run.ends_m,
    )  # fmt: skip


def settle_test_in(
    folder: Path,
    within_px: float,
    frames_per_s: float | None,
    focal_mm: float | None,
    sensor_long_mm: float,
    *,
    progress: Share,
    is_cancelled: Stop,
) -> SettleTest:
    """How long the tripod rings, from a burst."""
    return settle_test(
        [folder], within_px=within_px, frames_per_s=frames_per_s, focal_mm=focal_mm,
        sensor_long_mm=sensor_long_mm, progress=lambda share, _text: progress(share),
    )  # fmt: skip


def recycle_test_in(
    folder: Path, within_stops: float, frames_per_s: float | None, *, progress: Share, is_cancelled: Stop
) -> RecycleTest:
    """How long the flash takes, from frames fired after ever longer waits."""
    return recycle_test(
        [folder], within_stops=within_stops, frames_per_s=frames_per_s, progress=lambda share, _text: progress(share)
    )


def tilt_test_in(
    folder: Path,
    focal_mm: float | None,
    longer_mm: float,
    ends_m: tuple[float, float] | None,
    separation_mm: float,
    *,
    progress: Share,
    is_cancelled: Stop,
) -> TiltTest:
    """How far the lens tilts, from a run of focus over a wall."""
    return tilt_test(
        [folder], focal_mm=focal_mm, sensor_mm=sensor_of([folder], longer_mm), ends_m=ends_m,
        separation_mm=separation_mm, progress=lambda share, _text: progress(share),
    )  # fmt: skip


def close_test_in(
    folder: Path,
    ends: tuple[tuple[float, float], tuple[float, float]],
    apart_mm: float,
    sensor_long_mm: float,
    *,
    progress: Share,
    is_cancelled: Stop,
) -> CloseTest:
    """What the lens frames at its closest, from the first picture in a folder."""
    progress(0.1)
    first = in_order([described(path) for path in frames_in([folder])])[0]
    return close_test(first.path, ends=ends, apart_mm=apart_mm, sensor_long_mm=sensor_long_mm)


class PupilRun(NamedTuple):
    """Two frames, and where the things in them stand."""

    near: Patch
    far: Patch
    near_m: float
    far_m: float
    turned_deg: float | None
    focal_mm: float | None
    sensor_long_mm: float
    pupil_magnification: float
    separation_mm: float


def pupil_test_in(folder: Path, run: PupilRun, *, progress: Share, is_cancelled: Stop) -> PupilTest:
    """Where the lens turns without parallax, from two frames."""
    progress(0.1)
    return pupil_test([folder], **run._asdict())


def sort_into(
    folder: Path,
    report: Report,
    target: Path,
    job: str,
    candidate: Candidate | None,
    *,
    progress: Share,
    is_cancelled: Stop,
) -> int:
    """Copy checked frames into a folder a set; how many."""
    sources = [folder / name for name in report.paths]
    return len(
        sort_frames(sources, report, target, job=job, candidate=candidate,
                    progress=lambda share, _text: progress(share))
    )  # fmt: skip
