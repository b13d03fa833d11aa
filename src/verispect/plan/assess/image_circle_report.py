"""What the image circle leaves: the corner that fails first, the shift that is left, the light lost there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from verispect.optics.image_circle import circle_reserve_mm, circle_share, corner_points_mm
from verispect.plan.frames.exposure import Exposure
from verispect.sentence import Sentence

# Order of `corner_points_mm`, as the picture shows them: it stands upside down on the sensor.
_CORNERS = ("top right", "top left", "bottom left", "bottom right")
_SIDES = {"up": (0.0, 1.0), "down": (0.0, -1.0), "right": (1.0, 0.0), "left": (-1.0, 0.0)}
_HALVINGS = 30


@dataclass(frozen=True)
class CircleReport:
    """How an exposure stands within its lens's image circle.

    Attributes
    ----------
    first_corner : str
        The corner of the picture that fails first.
    reserve_mm : float
        How far inside the circle that corner lies; negative outside.
    shift_left_mm : dict
        "up", "down", "right", "left": how much farther the lens may be shifted that way before a corner
        fails or the mount ends.
    corner_loss_stops : float
        Light lost in that corner by the lens's own falloff.
    """

    first_corner: str
    reserve_mm: float
    shift_left_mm: dict[str, float]
    corner_loss_stops: float


def circle_report(
    exposure: Exposure,
    *,
    used_mm: tuple[float, float],
    sensor_diagonal_mm: float,
    off_mm: tuple[float, float] = (0.0, 0.0),
) -> CircleReport:
    """Look at the used corners of an exposure's sensor; what is used lies `off_mm` from the sensor's middle."""
    circle = exposure.lens.circle_mm(sensor_diagonal_mm)
    centre = (exposure.sensor_centre_mm[0] + off_mm[0], exposure.sensor_centre_mm[1] + off_mm[1])
    corners = corner_points_mm(used_mm, centre)
    reserves = circle_reserve_mm(corners, exposure.state, circle)
    first = int(np.argmin(reserves))
    share = float(circle_share(corners, exposure.state, circle)[first])
    left = {side: _shift_left(exposure, used_mm, circle, way, off_mm) for side, way in _SIDES.items()}
    return CircleReport(_CORNERS[first], float(reserves[first]), left, float(exposure.lens.falloff_at(share)))


def _shift_left(
    exposure: Exposure,
    used_mm: tuple[float, float],
    circle_mm: float,
    way: tuple[float, float],
    off_mm: tuple[float, float],
) -> float:
    """A lens shifted one way has the sensor's centre the other way from its foot."""
    centre = np.asarray(exposure.sensor_centre_mm)
    towards = -np.asarray(way)
    end = max(exposure.lens.shift_mm - float(centre @ towards), 0.0)

    def lit(shift: float) -> bool:
        x, y = centre + np.asarray(off_mm) + shift * towards
        corners = corner_points_mm(used_mm, (float(x), float(y)))
        return bool(circle_reserve_mm(corners, exposure.state, circle_mm).min() >= 0.0)

    if lit(end):
        return end
    low, high = 0.0, end
    if not lit(0.0):
        return 0.0
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if lit(middle) else (low, middle)
    return low


def circle_sentence(report: CircleReport) -> Sentence:
    """The report in a sentence."""
    left = report.shift_left_mm
    return Sentence(
        "the {corner} corner is the first to fail, with {reserve:.1f} mm to spare and {loss:.1f} stops lost there; "
        "shift left: up {up:.1f}, down {down:.1f}, left {left:.1f}, right {right:.1f} mm",
        {
            "corner": Sentence(report.first_corner),
            "reserve": report.reserve_mm,
            "loss": report.corner_loss_stops,
            **{side: left[side] for side in _SIDES},
        },
    )
