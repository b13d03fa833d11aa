"""A run that a rig takes by itself: kept on disk after every frame, gone on with after a fault or the next day."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import nullcontext
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

from verispect.errors import FileError
from verispect.plan.methods.candidate import Candidate
from verispect.rig.camera_manner import Manner
from verispect.rig.device_program import RigError, Stop, device_program
from verispect.rig.drive import Driven, begin_at, drive
from verispect.rig.serial_line import SerialLine
from verispect.rig.simulated_controller import RigFault
from verispect.rig.simulated_rig import RUSH, simulated_rig
from verispect.shoot.run import RunState, Step, begin, resume, save, shot_of


class DrivenRun:
    """One run and its rig.

    Attributes
    ----------
    state : RunState
        As it stands; on disk after every frame.
    """

    def __init__(self, candidate: Candidate, folder: Path, *, plan_file: Path | None = None) -> None:
        """Take up the run of a folder, or begin one.

        Raises
        ------
        RigError
            For a method that moves nothing.
        FileError
            For a folder that cannot be made, or a run in it that is of something else.
        """
        self.candidate, self.folder = candidate, folder
        self.program = device_program(candidate)
        self._plan_file = None if plan_file is None else str(plan_file.resolve())
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise FileError(
                "{folder}: the folder cannot be made: {why}", folder=folder, why=error.strerror or error
            ) from error
        self.state: RunState = resume(self.run_file, candidate) if self.run_file.exists() else begin(candidate)

    @property
    def run_file(self) -> Path:
        """Where the run is kept."""
        return self.folder / "run.json"

    @property
    def todo(self) -> list[int]:
        """Places in the run that are still to be taken."""
        return [k for k, item in enumerate(self.state.items) if item.step is not Step.DONE]

    @property
    def share(self) -> float:
        """How much of it is done."""
        return 1.0 - self.state.left / max(len(self.state.items), 1)

    def _left(self) -> tuple[list[Stop], list[int | None]]:
        """The stops still to be gone to, and which item of the run each of their shots is; None: it has none of it.

        Of a bracket that was broken off the body takes the whole once more.
        """
        of_run = [shot_of(self.candidate, item) for item in self.state.items]
        stops: list[Stop] = []
        places: list[int | None] = []
        for own in self.todo:
            if own in places:
                continue
            stop = self.program.at(of_run[own])
            stops.append(stop)
            item_of = {**{shot: k for k, shot in reversed(list(enumerate(of_run)))}, of_run[own]: own}
            places += [item_of.get(shot) for shot in stop.shots]
        return stops, places

    def go(
        self,
        port: Path | None,
        *,
        pixels: tuple[int, int] = (900, 600),
        faults: Sequence[tuple[RigFault, int]] = (),
        manner: Manner | None = None,
        home: bool = False,
        is_stopped: Callable[[], bool],
        says: Callable[[str], None] = lambda _text: None,
        set_focus: Callable[[Stop], None] | None = None,
    ) -> None:
        """Drive what is left; `port` None takes the simulated rig, whose camera behaves in a `manner`.

        `home` sends the axes to their switches first, where these stand at the program's zero.

        Raises
        ------
        RigError
            What went wrong, or that it was stopped; what was taken is kept.
        FileError
            Where the run cannot be kept.
        """
        stops, places = self._left()
        rig = (
            simulated_rig(self.candidate, self.folder, order=[stop.shots for stop in stops], pixels=pixels,
                          slack=self.program.slack, faults=faults, manner=manner)
            if port is None else nullcontext(port)
        )  # fmt: skip
        program = replace(self.program, stops=tuple(stops))
        waiting = iter(places)

        def taken(what: Driven) -> None:
            place = next(waiting)
            if place is None:
                return
            self.state = replace(self.state, place=place, paused=False).done(now=datetime.now(UTC), file=what.file)
            save(self.state, self.candidate, self.run_file, self._plan_file)

        if not program.stops:
            return
        save(self.state, self.candidate, self.run_file, self._plan_file)
        with rig as found, SerialLine(found) as line:
            # Where the axes stand is told against the first frame of the whole, not of what is left.
            begin_at(self.program, line, home=home, is_stopped=is_stopped)
            drive(
                program, line, self.folder, todo=range(len(program.stops)), is_stopped=is_stopped, taken=taken,
                says=says, set_focus=set_focus, rush=RUSH if port is None else 1.0,
            )  # fmt: skip


def drive_run(
    candidate: Candidate,
    folder: Path,
    plan_file: Path | None,
    port: Path | None,
    pixels: tuple[int, int],
    *,
    progress: Callable[[float], None],
    is_cancelled: Callable[[], bool],
) -> int:
    """Drive what is left of a run; gives how many frames are taken. The run's file tells how it stands meanwhile.

    Raises
    ------
    RigError
        For what cannot be driven unattended, and whatever goes wrong.
    """
    driven = DrivenRun(candidate, folder, plan_file=plan_file)
    if port is not None and driven.program.refocuses:
        raise RigError(
            "the frames differ in focus, and nothing here sets the lens: drive it from the command line, which asks "
            "for each focus, or plan one focus for all"
        )
    driven.go(port, pixels=pixels, is_stopped=is_cancelled, says=lambda _text: progress(driven.share))
    progress(1.0)
    return len(driven.state.items) - driven.state.left
