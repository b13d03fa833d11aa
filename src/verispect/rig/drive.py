"""A run that drives itself: move, settle, trigger, wait for the file, go on; stops safely at any fault."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

from verispect.rig.device_program import TRIGGER_S, Program, RigError, Stop, moves_to
from verispect.rig.serial_line import SerialLine

# How often the stop is looked for while something is waited for, seconds.
LOOK_EVERY_S = 0.02
# Longer than a move or a wait should take by so much is taken for a fault, seconds.
_PATIENCE_S = 8.0
# The way to the switches may be a long one.
_HOMING_S = 180.0
_PICTURES = (".tif", ".tiff", ".jpg", ".jpeg", ".png", ".dng", ".nef", ".cr2", ".cr3", ".arw", ".raf", ".orf", ".rw2")


@dataclass(frozen=True)
class Driven:
    """One exposure that was taken, and its file's name."""

    exposure: int
    file: str


class RigStopError(RigError):
    """The run was stopped by a person."""


def drive(
    program: Program,
    line: SerialLine,
    folder: Path,
    *,
    todo: Iterable[int],
    is_stopped: Callable[[], bool],
    taken: Callable[[Driven], None],
    says: Callable[[str], None] = lambda _text: None,
    set_focus: Callable[[Stop], None] | None = None,
    file_s: float = 20.0,
    rush: float = 1.0,
) -> None:
    """Take the exposures that are still to be taken.

    Parameters
    ----------
    folder : Path
        Where the camera's pictures arrive.
    todo : iterable of int
        Places in the program.
    is_stopped : callable
        Looked at every 20 ms; once it says so the axes stop.
    taken : callable
        Told of every frame as soon as its file is there.
    set_focus : callable, optional
        Called before the first frame and before each whose focus differs from the one before; comes back when it
        is set.
    file_s : float
        How long a file is waited for after its exposure.
    rush : float
        How much faster than life a simulated rig goes.

    Raises
    ------
    RigStopError
        By a person; the axes stand still.
    RigError
        For whatever else; the axes were told to stop.
    """
    patience = _PATIENCE_S
    before: tuple[float, ...] | None = None
    focus: float | None = None
    what = "bracket" if program.focuses_itself else "frame"

    def command(text: str, seconds: float) -> None:
        line.send(text)
        until = time.monotonic() + seconds / rush + patience
        while True:
            if is_stopped():
                line.stop()
                raise RigStopError(
                    "Stopped at {where}; nothing moves until you begin again", where=text.split(" F")[0]
                )
            answer = line.answer(LOOK_EVERY_S)
            if answer is None:
                if time.monotonic() > until:
                    raise RigError("The controller does not answer to {text}; look at it before you go on", text=text)
                continue
            if answer == "ok":
                return
            if answer.startswith(("error", "alarm")):
                raise RigError("The controller says {answer} at {text}", answer=answer, text=text)

    is_done = False
    try:
        for number in todo:
            stop = program.stops[number]
            says(f"{what} {number + 1} of {len(program.stops)}")
            for move in moves_to(program, stop.places, before):
                command(move, _longest(program, stop, before))
            before = stop.places
            if set_focus is not None and stop.focus_m != focus:
                set_focus(stop)
            focus = stop.focus_m
            command(f"G4 P{stop.settle_s:.3f}", stop.settle_s)
            there = _pictures(folder)
            command("M8", 1.0)
            command(f"G4 P{TRIGGER_S:.3f}", TRIGGER_S)
            command("M9", 1.0)
            command(f"G4 P{stop.after_s:.3f}", stop.after_s)
            for shot in stop.shots:
                came = _arrived(folder, there, file_s, is_stopped, line)
                there.add(came)
                taken(Driven(shot.exposure, came))
        is_done = True
    finally:
        # Whatever happened: nothing shall go on moving. Where the line is gone there is nobody to tell.
        if not is_done:
            try:
                line.stop()
            except RigError:
                says("The controller can no longer be told to stop; switch it off at its plug")


def begin_at(
    program: Program, line: SerialLine, *, home: bool = False, is_stopped: Callable[[], bool] = lambda: False
) -> None:
    """Let the axes move, from where the controller knows that they stand; else they must be at their zero.

    The zero of a rail is its first frame; that of a head is straight ahead as planned, and level. `home` has the
    controller go to its switches first, which must stand there.
    """
    line.go_on()
    known = line.places()
    first = program.stops[0].places if program.axes == ("X",) else tuple(0.0 for _ in program.axes)
    named = " ".join(f"{axis}{value:.4f}" for axis, value in zip(program.axes, first, strict=True))
    known_already = set(program.axes) <= set(known)
    for text in ("G21", "G90", *([] if known_already else [f"G92 {named}"]), *(["G28"] if home else [])):
        line.send(text)
        until = time.monotonic() + (_HOMING_S if text == "G28" else _PATIENCE_S)
        while (answer := line.answer(LOOK_EVERY_S)) != "ok":
            if is_stopped():
                line.stop()
                raise RigStopError("Stopped before the first frame; nothing moves until you begin again")
            if answer is not None and answer.startswith(("error", "alarm")):
                raise RigError("The controller says {answer} at {text}", answer=answer, text=text)
            if time.monotonic() > until:
                raise RigError("{port}: nothing answers there as a controller would", port=line.port)


def _longest(program: Program, stop: Stop, before: tuple[float, ...] | None) -> float:
    """How long a move may take, seconds: at half its feed."""
    last = before or tuple(0.0 for _ in stop.places)
    way = max(abs(a - b) for a, b in zip(stop.places, last, strict=True)) + 2.0 * program.slack
    return 120.0 * way / program.feed


def _pictures(folder: Path) -> set[str]:
    try:
        return {path.name for path in folder.iterdir() if path.suffix.lower() in _PICTURES}
    except OSError as error:
        raise RigError(
            "{folder}: cannot be looked into: {why}", folder=folder, why=error.strerror or error
        ) from error


def _size(path: Path) -> int:
    """A file's size; 0 for one that was renamed meanwhile."""
    try:
        return path.stat().st_size
    except OSError:
        return 0


def _arrived(folder: Path, there: set[str], seconds: float, is_stopped: Callable[[], bool], line: SerialLine) -> str:
    """The name of the picture that came since, once it has stopped growing."""
    until = time.monotonic() + seconds
    size, name = -1, ""
    while time.monotonic() < until:
        if is_stopped():
            line.stop()
            raise RigStopError("Stopped while the picture was waited for; nothing moves until you begin again")
        came = sorted(_pictures(folder) - there)
        if came:
            now = _size(folder / came[0])
            if came[0] == name and now == size and now > 0:
                return name
            name, size = came[0], now
        time.sleep(LOOK_EVERY_S)
    raise RigError(
        "No picture came into {folder} within {seconds:g} s of the trigger; look at the camera, cable and card",
        folder=folder, seconds=seconds,
    )  # fmt: skip
