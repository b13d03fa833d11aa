"""One frame by the simulated camera, as a plain call that another process can make."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

from verispect.errors import FileError
from verispect.plan.frames.shots import Shot
from verispect.plan.methods.candidate import Candidate
from verispect.rehearse.camera import Options
from verispect.rig.rehearsed_run import SimulatedCamera, Writing


def take_frame(candidate: Candidate, shot: Shot, pixels: tuple[int, int], path: Path) -> str:
    """Take a shot into a file; gives its name.

    Raises
    ------
    FileError
        Where it cannot be written.
    """
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(
            "{path}: the folder cannot be made: {why}", path=path.parent, why=error.strerror or error
        ) from error
    camera = SimulatedCamera(candidate, Options(pixels=pixels), Writing(path.parent, force=True))
    frame = camera.take(shot, at=datetime.now(UTC), path=path)
    assert frame is not None
    return frame.file or ""
