"""One frame by the simulated camera, as a plain call that another process can make."""

from __future__ import annotations

import math
from datetime import UTC, datetime
from pathlib import Path

from verispect.errors import FileError
from verispect.plan.frames.shots import Shot
from verispect.plan.methods.candidate import Candidate
from verispect.rehearse.camera import Options
from verispect.rig.rehearsed_run import SimulatedCamera, Writing

# A picture is this long, so that a frame takes seconds; of few frames as many pixels as the sensor holds allowed
# blurs, within bounds: in fewer nobody can tell how sharp they came out.
_PX, _MOST_PX, _FEW = 1500, 4500, 6


def desk_pixels(candidate: Candidate) -> tuple[int, int]:
    """Width and height of the pictures that the simulated camera takes at the desk."""
    sensor = candidate.scene.plan.sensor_mm
    allowed_mm = min(exposure.allowed_blur_mm for exposure in candidate.exposures)
    longer = _PX
    if candidate.frame_count <= _FEW and allowed_mm > 0.0:
        most = min(_MOST_PX, max(candidate.scene.plan.kit.body.pixels))
        longer = max(_PX, min(most, math.ceil(max(sensor) / allowed_mm)))
    wide, high = (round(longer * side / max(sensor)) for side in sensor)
    return wide, high


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
