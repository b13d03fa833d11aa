"""A simulated camera that writes its frames into a folder, as a tethered one would, with an account of the run."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from verispect.errors import FileError
from verispect.files.picture_out import Shot as Metadata
from verispect.files.picture_out import not_over, write_picture
from verispect.files.run_file import Run, RunFrame, write_run
from verispect.plan.frames.shots import Shot
from verispect.plan.methods.candidate import Candidate
from verispect.rehearse.camera import Options, Rehearsal, Taken
from verispect.rehearse.faults import Fault
from verispect.rehearse.sensor_noise import linear_16, srgb_16

# A plan without a time is taken at this one.
_ANY_DAY = datetime(2026, 6, 1, 10, 0, tzinfo=UTC)


@dataclass(frozen=True)
class Writing:
    """Where frames go and as what."""

    folder: Path
    suffix: str = ".tif"
    linear: bool = False
    force: bool = False

    def path(self, number: int) -> Path:
        """The file of one shot, numbered from 0 in the order in which they are taken."""
        return self.folder / f"frame-{number + 1:03d}{self.suffix}"


class SimulatedCamera:
    """Takes the frames of a method one by one into a folder."""

    def __init__(self, candidate: Candidate, options: Options, writing: Writing) -> None:
        self.rehearsal, self.writing = Rehearsal(candidate, options), writing
        self._candidate = candidate
        self._begin = _start_of(candidate)

    def take(
        self,
        shot: Shot,
        faults: Sequence[Fault] = (),
        *,
        at: datetime | None = None,
        is_cancelled: Callable[[], bool] | None = None,
        progress: Callable[[float], None] | None = None,
        path: Path | None = None,
    ) -> RunFrame | None:
        """Take one shot and write it; None where it was cancelled."""
        taken = self.rehearsal.take(shot.exposure, faults, shot=shot, progress=progress, is_cancelled=is_cancelled)
        if taken is None:
            return None
        number = self._candidate.shots.index(shot)
        when = at or self._begin + timedelta(seconds=self._seconds_before(number))
        happened = {**taken.happened, "taken": when.isoformat().replace("+00:00", "Z")}
        file = None
        if taken.picture is not None:
            path = path or self.writing.path(number)
            picture = linear_16(taken.picture) if self.writing.linear else srgb_16(taken.picture)
            write_picture(path, picture, shot=self._metadata(taken, when), force=self.writing.force)
            file = path.name
        marks = self.rehearsal.marks(taken)
        return RunFrame(file=file, exposure=shot.exposure, shot=shot.number, happened=happened, marks=marks)

    def _seconds_before(self, number: int) -> float:
        """From the first shot's beginning to this one's, as the plan's times have it."""
        candidate = self._candidate
        if number == 0 or candidate.shot_count < 2:
            return 0.0
        last = candidate.exposures[-1].shutter_s
        return (candidate.run_s - last) * number / (candidate.shot_count - 1)

    def _metadata(self, taken: Taken, when: datetime) -> Metadata:
        state = taken.exposure.state
        focus = taken.exposure.focus_m
        return Metadata(
            focal_mm=state.focal_mm,
            f_number=round(state.f_number, 3),
            shutter_s=taken.exposure.shutter_s,
            iso=self._candidate.scene.plan.kit.body.iso,
            subject_m=focus if focus < 1e6 else None,
            taken=when,
            pixel_mm=self.rehearsal.pitch_mm,
            lens=taken.exposure.lens.name,
            description=f"Rehearsed: {self._candidate.key}, exposure {taken.index}",
        )


def _start_of(candidate: Candidate) -> datetime:
    site = candidate.scene.plan.site
    if site is None or site.from_ is None:
        return _ANY_DAY
    return site.from_ if site.from_.tzinfo is not None else site.from_.replace(tzinfo=UTC)


def rehearse_to(
    candidate: Candidate,
    options: Options,
    writing: Writing,
    *,
    faults: Sequence[Fault] = (),
    plan_file: Path | None = None,
    progress: Callable[[float, str], None] | None = None,
    is_cancelled: Callable[[], bool] | None = None,
) -> Run:
    """Take every frame of a method and write `run.json` beside them.

    Raises
    ------
    FileError
        Where the folder cannot be made or written, or holds such files already.
    """
    try:
        writing.folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(
            "{folder}: the folder cannot be made: {why}; choose another", folder=writing.folder,
            why=error.strerror or error,
        ) from error  # fmt: skip
    account = writing.folder / "run.json"
    not_over(account, force=writing.force)
    count = candidate.shot_count
    for number in range(count):
        not_over(writing.path(number), force=writing.force)
    camera = SimulatedCamera(candidate, options, writing)
    frames: list[RunFrame] = []
    for number, shot in enumerate(candidate.shots):
        base = number / count

        def within(share: float, base: float = base, number: int = number) -> None:
            if progress is not None:
                progress(base + share / count, f"frame {number + 1} of {count}")

        frame = camera.take(shot, faults, progress=within, is_cancelled=is_cancelled)
        if frame is None:
            break
        frames.append(frame)
        within(1.0)
    assert candidate.criterion is not None
    run = Run(
        plan=None if plan_file is None else str(plan_file.resolve()),
        method=candidate.key,
        frames=frames,
        pixels=list(camera.rehearsal.pixels),
        pixel_mm=camera.rehearsal.pitch_mm,
        frequency_cycles_per_px=candidate.criterion.frequency * camera.rehearsal.pitch_mm,
    )
    write_run(run, account)
    return run
