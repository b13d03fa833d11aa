"""How far a lens really tilts: from a run of focus over a wall that the camera faces square on.

With the lens leaning forward by θ the wall's image stands aslant of the sensor: by the thin lens formula, with the
wall at U and y the height in the picture, it lies at w = (U f + y U sin θ)/(U cos θ − f) behind the lens, so each
place is sharpest in another frame of the run and dw/dy = U sin θ/(U cos θ − f). A swing does the same from side to
side.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from verispect.errors import FileError
from verispect.prove.intake import described, in_order
from verispect.prove.taken_in.folders import frames_in
from verispect.prove.trials.focus_surface import focus_surface

# Readings of distances are sure to two hundredths of the length the run went; of ten walls whose ends were told
# exactly, path-traced or drawn by their blur, a slope came out up to one hundredth too small.
_RUN_SHARE = 0.025
_LEAST_KEPT_DEG = 0.01


@dataclass(frozen=True)
class TiltTest:
    """What a run tells.

    Attributes
    ----------
    tilt_deg, swing_deg : float
        Tilt positive leans the top of the lens forward, swing positive faces it right.
    plus_minus_deg : float
        Of both; almost surely within (95 %).
    corner_um : float
        What is left of a bend: best focus in the picture's corner against its middle, at the sensor, away from the
        lens.
    blocks : int
        Places of the wall that told where they are sharpest.
    """

    tilt_deg: float
    swing_deg: float
    plus_minus_deg: float
    corner_um: float
    blocks: int


def kept_in_lens(found: TiltTest, reads_deg: float) -> dict[str, object]:
    """What a lens keeps of a test taken while its tilt scale read so."""
    sure = max(found.plus_minus_deg, _LEAST_KEPT_DEG)
    return {"tilt_zero_deg": round(found.tilt_deg - reads_deg, 2), "tilt_plus_minus_deg": round(sure, 2)}


def tilt_test(
    places: Sequence[Path],
    *,
    focal_mm: float | None,
    sensor_mm: tuple[float, float],
    ends_m: tuple[float, float] | None = None,
    separation_mm: float = 0.0,
    progress: Callable[[float, str], None] = lambda _share, _text: None,
) -> TiltTest:
    """Measure.

    What it takes and refuses is what `focus_surface` does.
    """
    frames = in_order([described(path) for path in frames_in(places)])
    focal_mm = focal_mm or frames[0].focal_mm
    if focal_mm is None:
        raise FileError("{path}: tells no focal length; give --focal, in mm", path=frames[0].path)
    surface = focus_surface(frames, focal_mm=focal_mm, sensor_mm=sensor_mm, ends_m=ends_m,
                            separation_mm=separation_mm, progress=progress)  # fmt: skip
    right, up = (_angle(slope, surface.middle_mm, focal_mm) for slope in surface.slopes)
    total = math.hypot(2.0 * surface.slope_sigma, _RUN_SHARE * float(np.hypot(*surface.slopes)))
    return TiltTest(
        tilt_deg=math.degrees(up),
        swing_deg=-math.degrees(right),
        plus_minus_deg=math.degrees(abs(_angle(total, surface.middle_mm, focal_mm))),
        corner_um=1000.0 * surface.bend_mm,
        blocks=surface.blocks,
    )


def sensor_of(places: Sequence[Path], longer_mm: float) -> tuple[float, float]:
    """Width and height of what the frames show, by the sensor's longer side."""
    wide, high = described(frames_in(places)[0]).pixels
    return longer_mm * wide / max(wide, high), longer_mm * high / max(wide, high)


def _angle(slope: float, image_mm: float, focal: float) -> float:
    """θ of a slope of image distance over height; those are told along the lens's axis, w = v cos θ."""
    wall = focal * image_mm / max(image_mm - focal, 1e-9)
    angle = 0.0
    for _ in range(30):
        level = math.cos(angle)
        angle = math.asin(max(-1.0, min(1.0, slope * level * (level - focal / wall))))
    return angle
