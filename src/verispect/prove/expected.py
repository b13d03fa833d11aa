"""What the plan expects of every frame: where the camera looked, how large it draws, how it was exposed."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from verispect.files.run_file import Run
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure

_NEWTON = 8


@dataclass(frozen=True)
class View:
    """How one frame maps directions to pixels.

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
    """

    rotation: Floats
    scale_px: float
    centre_px: tuple[float, float]
    bend: float = 0.0

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


def blur_per_defocus(exposure: Exposure) -> float:
    """Blur per mm of defocus on the axis: the pupil's width over its distance, the image's side."""
    state = exposure.state
    width = state.focal_mm / state.f_number * state.pupil_magnification
    return width / (state.image_distance_mm - state.focal_mm * (1.0 - state.pupil_magnification))


def light_stops(exposure: Exposure) -> float:
    """Light on the sensor in stops, up to what all frames share: time over the working f-number squared."""
    return math.log2(exposure.shutter_s / exposure.state.working_f_number**2)


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
