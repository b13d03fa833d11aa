"""The chosen method frame by frame, as the rows that Set, the sheet and the CSV show."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from verispect.optics.stops import marked
from verispect.plan.candidate import Candidate
from verispect.plan.exposure import Exposure


@dataclass(frozen=True)
class FrameRow:
    """One frame's settings, in the units a person sets.

    Attributes
    ----------
    number : int
        From 1, in the order of work.
    focus_m : float
        From the sensor mark; infinite at infinity and beyond.
    bearing_deg, pitch_deg : float
        Of the camera, clockwise from the world's away, up positive.
    cross_mm, rise_mm : float
        How far the lens stands right of and above the sensor's middle.
    rail_mm : float
        How far the camera stands ahead of where it took the first frame.
    extension_mm : float
        Image distance along the lens's axis, from its rear principal point.
    """

    number: int
    lens: str
    focal_mm: float
    stop: str
    f_number: float
    shutter_s: float
    focus_m: float
    extension_mm: float
    tilt_deg: float
    swing_deg: float
    bearing_deg: float
    pitch_deg: float
    cross_mm: float
    rise_mm: float
    rail_mm: float
    allowed_blur_mm: float


def frame_rows(candidate: Candidate) -> list[FrameRow]:
    """All frames of a method."""
    if not candidate.exposures:
        return []
    first = candidate.exposures[0]
    return [_row(number, exposure, first) for number, exposure in enumerate(candidate.exposures, start=1)]


def _row(number: int, exposure: Exposure, first: Exposure) -> FrameRow:
    forward = exposure.pose.forward
    return FrameRow(
        number=number,
        lens=exposure.lens.name,
        focal_mm=exposure.state.focal_mm,
        stop=marked(exposure.state.f_number),
        f_number=exposure.state.f_number,
        shutter_s=exposure.shutter_s,
        focus_m=exposure.focus_m,
        extension_mm=exposure.axial_image_distance_mm,
        tilt_deg=exposure.tilt_deg,
        swing_deg=exposure.swing_deg,
        bearing_deg=math.degrees(math.atan2(forward[0], forward[2])),
        pitch_deg=math.degrees(math.asin(float(np.clip(forward[1], -1.0, 1.0)))),
        cross_mm=-exposure.sensor_centre_mm[0],
        rise_mm=-exposure.sensor_centre_mm[1],
        rail_mm=1000.0 * float((exposure.pose.pupil_m - first.pose.pupil_m) @ forward),
        allowed_blur_mm=exposure.allowed_blur_mm,
    )


_DIAL = (
    8000, 6400, 5000, 4000, 3200, 2500, 2000, 1600, 1250, 1000, 800, 640, 500, 400, 320, 250, 200, 160, 125, 100,
    80, 60, 50, 40, 30, 25, 20, 15, 13, 10, 8, 6, 5, 4,
)  # fmt: skip


def shutter_words(seconds: float) -> str:
    """An exposure time as a dial writes it, to the nearest third of a stop.

    Examples
    --------
    >>> shutter_words(1 / 64), shutter_words(0.4), shutter_words(2.52), shutter_words(95.2)
    ('1/60 s', '0.4 s', '2.5 s', '95 s')
    """
    if seconds >= 8.0:
        return f"{seconds:.0f} s"
    if seconds >= 0.28:
        third = 2.0 ** (round(3.0 * math.log2(seconds)) / 3.0)
        return f"{third:.1f} s".replace(".0 s", " s")
    nearest = min(_DIAL, key=lambda part: abs(math.log(part * seconds)))
    return f"1/{nearest} s"
