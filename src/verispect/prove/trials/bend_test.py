"""Curvature of field and focus shift: from runs of focus over a wall, one at each stop."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from verispect.prove.intake import Frame
from verispect.prove.trials.focus_surface import LEAST_FRAMES, focus_surface


@dataclass(frozen=True)
class Bend:
    """One stop.

    Attributes
    ----------
    corner_um, corner_plus_minus_um : float
        Best focus in the picture's corner against its middle, at the sensor, positive away from the lens; almost
        surely within (95 %). Half-way to the corner it is a quarter of that, as far as it grows with the square.
    shift_um, shift_plus_minus_um : float
        Best focus in the middle against the widest stop's, the same sign.
    """

    f_number: float
    corner_um: float
    corner_plus_minus_um: float
    shift_um: float
    shift_plus_minus_um: float


def runs_of(frames: Sequence[Frame]) -> dict[float, list[Frame]]:
    """Frames that are runs of focus, by their stop: enough at one stop that tell different distances."""
    by_stop: dict[float, list[Frame]] = {}
    for frame in frames:
        if frame.f_number is not None and frame.subject_m is not None:
            by_stop.setdefault(frame.f_number, []).append(frame)
    return {
        stop: sorted(own, key=lambda frame: -(frame.subject_m or 0.0))
        for stop, own in sorted(by_stop.items())
        if len({frame.subject_m for frame in own}) >= LEAST_FRAMES
    }


def bend_test(
    frames: Sequence[Frame],
    *,
    focal_mm: float,
    sensor_long_mm: float,
    separation_mm: float = 0.0,
    progress: Callable[[float, str], None] = lambda _share, _text: None,
) -> tuple[Bend, ...]:
    """How the best focus lies over the picture at every stop that has a run, the widest first.

    Raises
    ------
    FileError
        For a run in which the wall does not pass through sharpness.
    """
    runs = runs_of(frames)
    found: list[Bend] = []
    first = None
    for number, (stop, own) in enumerate(runs.items()):

        def on(share: float, text: str, number: int = number) -> None:
            progress((number + share) / len(runs), text)

        wide, high = own[0].pixels
        sensor = (sensor_long_mm * wide / max(wide, high), sensor_long_mm * high / max(wide, high))
        surface = focus_surface(
            own, focal_mm=focal_mm, sensor_mm=sensor, separation_mm=separation_mm, progress=on,
        )  # fmt: skip
        first = first or surface
        unsure = 0.0 if surface is first else 2000.0 * math.hypot(surface.middle_sigma_mm, first.middle_sigma_mm)
        found.append(
            Bend(stop, 1000.0 * surface.bend_mm, 2000.0 * surface.bend_sigma_mm,
                 1000.0 * (surface.middle_mm - first.middle_mm), unsure)
        )  # fmt: skip
    return tuple(found)


def sharpest_of_runs(frames: Sequence[Frame]) -> list[Frame]:
    """Of every run the frame that is sharpest in the middle, and whatever belongs to no run."""
    from verispect.prove.trials.focus_surface import middle_detail

    runs = runs_of(frames)
    within = {frame.path for own in runs.values() for frame in own}
    best = [max(own, key=middle_detail) for own in runs.values()]
    return [*best, *(frame for frame in frames if frame.path not in within)]


def bend_rows(found: Sequence[Bend]) -> dict[str, list[dict[str, Any]]]:
    """Both as a lens of the plan keeps them."""
    return {
        "field_curvature": [
            {"f_number": row.f_number, "half_um": round(0.25 * row.corner_um, 1),
             "corner_um": round(row.corner_um, 1),
             "plus_minus_um": round(row.corner_plus_minus_um, 1)}
            for row in found
        ],
        "focus_shift": [
            {"f_number": row.f_number, "um": round(row.shift_um, 1),
             "plus_minus_um": round(row.shift_plus_minus_um, 1)}
            for row in found
        ] if len(found) > 1 else [],
    }  # fmt: skip
