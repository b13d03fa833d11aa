"""What the plan expects of every frame: where the camera looked, how large it draws, how it was exposed."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from verispect.files.run_file import Run
from verispect.optics.conjugates import object_for_image_distance_mm
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure

_NEWTON = 8
# A camera that moved less than this along its view stood still.
_STILL_MM = 1e-6


@dataclass(frozen=True)
class View:
    """How one frame maps directions to pixels, and what light its lens loses on the way.

    Attributes
    ----------
    rotation : ndarray, shape (3, 3)
        Rows right, up, forward in the world.
    scale_px : float
        Pixels for a tangent of 1, seen from the entrance pupil.
    centre_px : (float, float)
        Column and row towards which the lens's pupil looks straight.
    bend : float
        How the lens bends lines: what lies r pixels off the middle is drawn at r(1 + bend (r/scale)²).
    falloff : (float, float)
        How much light it loses off its axis: so much of the fourth power of the cosine (Kingslake, Optics in
        Photography, 1992, from memory), and so many stops times the fourth power of the tangent.
    """

    rotation: Floats
    scale_px: float
    centre_px: tuple[float, float]
    bend: float = 0.0
    falloff: tuple[float, float] = (0.0, 0.0)

    @property
    def to_pixels(self) -> Floats:
        """Camera directions (right, up, forward) to (column, row, 1), times a depth."""
        return np.array([[self.scale_px, 0, self.centre_px[0]], [0, -self.scale_px, self.centre_px[1]], [0, 0, 1.0]])

    def drawn(self, column: Floats, row: Floats) -> tuple[Floats, Floats]:
        """Where a lens that bends lines draws what one that does not would draw there."""
        across, down = column - self.centre_px[0], row - self.centre_px[1]
        grown = 1.0 + self.bend * (across**2 + down**2) / self.scale_px**2
        return self.centre_px[0] + across * grown, self.centre_px[1] + down * grown

    def undrawn(self, column: Floats, row: Floats) -> tuple[Floats, Floats]:
        """The inverse of `drawn`, by Newton's method; for places of the frame itself."""
        across, down = column - self.centre_px[0], row - self.centre_px[1]
        told = np.hypot(across, down) / self.scale_px
        found = told.copy()
        for _ in range(_NEWTON if self.bend else 0):
            found -= (found * (1.0 + self.bend * found**2) - told) / np.maximum(1.0 + 3.0 * self.bend * found**2, 0.1)
        grown = np.where(told > 0.0, found / np.where(told > 0.0, told, 1.0), 1.0)
        return self.centre_px[0] + across * grown, self.centre_px[1] + down * grown

    def lost_stops(self, column: NDArray[Any], row: NDArray[Any]) -> NDArray[Any]:
        """By how many stops places of the frame are darker than its middle for the lens's falloff."""
        squared = ((column - self.centre_px[0]) ** 2 + (row - self.centre_px[1]) ** 2) / self.scale_px**2
        natural, fourth = self.falloff
        found: NDArray[Any] = natural * 2.0 * np.log2(1.0 + squared) + fourth * squared**2
        return found

    def onto(self, other: View) -> Floats:
        """The homography from this frame's pixels to another's, for things far away."""
        turn = other.rotation @ self.rotation.T
        found: Floats = other.to_pixels @ turn @ np.linalg.inv(self.to_pixels)
        whole: Floats = found / found[2, 2]
        return whole


def view_of(exposure: Exposure, pixels: tuple[int, int], pitch_mm: float, rotation: Floats | None = None) -> View:
    """The view of an exposure in a picture of so many pixels.

    The middle ray of a thing leaves the exit pupil: as the lens is focused its picture grows about the pupil's foot.
    """
    state = exposure.state
    pupil = -state.focal_mm * (1.0 - state.pupil_magnification) * np.asarray(state.axis)
    distance = (state.image_distance_mm + pupil[2]) / state.pupil_magnification
    x0, y0 = exposure.sensor_centre_mm
    wide, high = pixels
    centre = ((x0 - pupil[0]) / pitch_mm + 0.5 * (wide - 1), (pupil[1] - y0) / pitch_mm + 0.5 * (high - 1))
    return View(exposure.pose.matrix if rotation is None else rotation, distance / pitch_mm, centre)


def drawn_view(
    exposure: Exposure, first: Exposure, pixels: tuple[int, int], pitch_mm: float, rotation: Floats | None = None
) -> View:
    """The view of an exposure beside others, of which one is the `first`.

    On a rail as if all were seen from the first one's place. What each shows sharp, and is laid over its neighbour
    by, lies equally far before every one of them: it grows by a_i/u in all.
    """
    view = view_of(exposure, pixels, pitch_mm, rotation)
    nearer = ahead_m(exposure, first)
    if abs(nearer) < _STILL_MM / 1000.0:
        return view
    return replace(view, scale_px=view.scale_px * math.exp(nearer / focus_from_pupil_m(exposure)))


def ahead_m(exposure: Exposure, other: Exposure) -> float:
    """How far a frame was taken ahead of another along its view: on a rail."""
    return float((exposure.pose.pupil_m - other.pose.pupil_m) @ other.pose.forward)


def drawn_larger(exposure: Exposure, first: Exposure, sharp: Exposure) -> float:
    """How many times larger than in `first` a frame draws, for having come nearer, what `sharp` is focused on."""
    nearer = ahead_m(exposure, first)
    if abs(nearer) < _STILL_MM / 1000.0:
        return 1.0
    away = focus_from_pupil_m(sharp) + ahead_m(sharp, first)
    return away / (away - nearer) if away > nearer else math.nan


def focus_from_pupil_m(exposure: Exposure) -> float:
    """How far ahead of the entrance pupil a straight lens is focused."""
    state = exposure.state
    away = object_for_image_distance_mm(image_mm=state.image_distance_mm, focal_mm=state.focal_mm)
    return (away - state.pupil_ahead_mm) / 1000.0


def light_stops(exposure: Exposure) -> float:
    """Light on the sensor in stops, up to what all frames share: time over the working f-number squared."""
    return math.log2(exposure.shutter_s / exposure.state.working_f_number**2)


def set_stops(exposures: Sequence[Exposure]) -> Floats:
    """How much light frames are planned to be set for, stops (n,), by their times and the stops on the ring."""
    return np.array([math.log2(one.shutter_s / one.state.f_number**2) for one in exposures])


def light_hypotheses(exposures: Sequence[Exposure]) -> list[Floats]:
    """What may be expected of frames' light, stops against the first (n,): the loss to extension, or the plan's."""
    lost = np.array([-2.0 * math.log2(one.state.working_f_number / one.state.f_number) for one in exposures])
    told = np.array([light_stops(one) for one in exposures])
    return [lost - lost[0], told - told[0]]


def turned_as_happened(run: Run, exposures: Sequence[Exposure]) -> dict[int, Floats]:
    """The camera's basis (3, 3) of each exposure, where a run tells how it really looked."""
    found: dict[int, Floats] = {}
    for frame in run.frames:
        told = [frame.happened.get(key) for key in ("right", "up", "forward")]
        if frame.exposure is None or frame.exposure >= len(exposures) or any(part is None for part in told):
            continue
        basis = np.asarray(told, dtype=float)
        if basis.shape == (3, 3) and np.allclose(basis @ basis.T, np.eye(3), atol=1e-4):
            found[frame.exposure] = basis
    return found
