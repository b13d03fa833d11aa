"""A simulated camera that watches a trigger and writes its pictures into a folder, as a tethered one would."""

from __future__ import annotations

import json
import math
import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from verispect.files.picture_out import Shot as Metadata
from verispect.files.picture_out import write_picture
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.shots import Shot
from verispect.plan.methods.candidate import Candidate
from verispect.rehearse.camera import Options, Rehearsal
from verispect.rehearse.faults import Fault, FaultName, turned
from verispect.rehearse.sensor_noise import srgb_16
from verispect.rig.camera_manner import CameraClock, Manner

_LOOK_EVERY_S = 0.01


def watch(
    candidate: Candidate,
    options: Options,
    triggers: Path,
    folder: Path,
    *,
    order: Sequence[tuple[Shot, ...]],
    is_over: Callable[[], bool],
    manner: Manner | None = None,
    rush: float = 1.0,
) -> None:
    """Take what `order` says for every line that comes into `triggers`, where the axes really stood.

    One frame; or several at one press, when the body brackets its focus. In the manner of a camera: after its timer,
    once it has room, with the flash as full as it is, and written when it is written; `rush` is how many times
    faster than life.
    """
    done = 0
    clock = CameraClock(manner or Manner())

    def wait_until(life_s: float) -> None:
        while not is_over() and time.monotonic() * rush < life_s:
            time.sleep(_LOOK_EVERY_S)

    while done < len(order) and not is_over():
        lines = triggers.read_text(encoding="utf-8").splitlines() if triggers.exists() else []
        if len(lines) <= done:
            time.sleep(_LOOK_EVERY_S)
            continue
        line = json.loads(lines[done])
        off = line["off"]
        pressed_s = float(line.get("at", time.monotonic())) * rush
        for number, planned in enumerate(order[done]):
            exposures = list(candidate.exposures)
            exposures[planned.exposure] = moved_off(exposures[planned.exposure], off)
            exposure = planned.of(exposures)
            rehearsal = Rehearsal(replace(candidate, exposures=tuple(exposures)), options)
            given = clock.trigger(pressed_s, exposure.shutter_s, timed=number == 0)
            wait_until(given.begun_s)
            short = [Fault(FaultName.MISSED_FLASH, planned.exposure, given.short_stops)] if given.short_stops else []
            taken = rehearsal.take(planned.exposure, short, shot=planned, is_cancelled=is_over)
            if taken is None or taken.picture is None or given.written_s is None:
                continue
            wait_until(given.written_s)
            metadata = Metadata(
                focal_mm=exposure.state.focal_mm,
                f_number=round(exposure.state.f_number, 3),
                shutter_s=exposure.shutter_s,
                iso=candidate.scene.plan.kit.body.iso,
                pixel_mm=rehearsal.pitch_mm,
                lens=exposure.lens.name,
            )
            file = folder / f"tethered-{len(list(folder.glob('tethered-*.tif'))) + 1:04d}.tif"
            write_picture(file, srgb_16(taken.picture), shot=metadata, force=False)
        done += 1


def moved_off(exposure: Exposure, off: dict[str, float]) -> Exposure:
    """An exposure from where the axes really stood: millimetres along the view, degrees right and up."""
    if "X" in off:
        pose = exposure.pose
        return replace(exposure, pose=replace(pose, pupil_m=pose.pupil_m + off["X"] / 1000.0 * pose.forward))
    return turned(exposure, math.radians(off.get("A", 0.0)), math.radians(off.get("B", 0.0)))
