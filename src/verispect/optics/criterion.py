"""What counts as sharp: one wish, read by three schools.

`disc` looks at geometric blur alone, `root-sum` adds diffraction and the pixel in quadrature, `wave` asks
for contrast at a frequency. All three come from the same frequency and floor, so that they argue about
physics and not about taste (docs/derivations/contrast.md).
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property, lru_cache

import numpy as np

from verispect.optics.allowed_blur import first_fall, first_fall_exact
from verispect.optics.otf import (
    PEAK_NM,
    WHITE_LIGHT,
    Lights,
    disc_mtf,
    motion_mtf,
    pixel_mtf,
    polychromatic_otf,
)
from verispect.optics.types import Floats


class Rule(StrEnum):
    """What spoils sharpness, as three schools count it."""

    WAVE = "wave"
    ROOT_SUM = "root-sum"
    DISC = "disc"


# A table for one stop has up to so many places: fewer points than that are reckoned one by one.
_WORTH_A_TABLE = 6000
# Nodes of the rule by which an even disc's contrast is reckoned.
_DISC_NODES = 24


@dataclass(frozen=True)
class Criterion:
    """Just acceptable sharpness on the sensor.

    Attributes
    ----------
    rule : Rule
    frequency : float
        Reference frequency ν, cycles/mm on the sensor.
    contrast_floor : float
        Least contrast at ν, 0 < floor < 1.
    pixel_mm : float
        Pixel pitch.
    wavelength_nm : float or None
        One wavelength, or None for white light weighted by luminous efficiency.
    """

    rule: Rule
    frequency: float
    contrast_floor: float
    pixel_mm: float
    wavelength_nm: float | None = 550.0

    @cached_property
    def disc_mm(self) -> float:
        """The circle of confusion c: the disc whose MTF at ν equals the floor."""
        return _disc_argument(self.contrast_floor) / (np.pi * self.frequency)

    @cached_property
    def lights(self) -> Lights:
        """Wavelengths in mm with weights that sum to 1."""
        if self.wavelength_nm is not None:
            return ((self.wavelength_nm * 1e-6, 1.0),)
        return WHITE_LIGHT

    @property
    def _diffraction_wavelength_mm(self) -> float:
        return (self.wavelength_nm or PEAK_NM) * 1e-6

    def airy_mm(self, working_f_number: Floats | float) -> Floats:
        """Diameter of the first dark ring, 2.44 λ N_w."""
        return np.asarray(2.44 * self._diffraction_wavelength_mm * np.asarray(working_f_number))

    def optical_contrast(self, blur_mm: Floats | float, working_f_number: Floats | float) -> Floats:
        """Contrast at ν through defocus and diffraction alone."""
        beta = np.pi * self.frequency * np.asarray(blur_mm, dtype=float)
        working = np.asarray(working_f_number, dtype=float)
        if beta.size > _WORTH_A_TABLE and working.size == 1:
            return self._tabled(beta, float(working.reshape(-1)[0]))
        if beta.ndim == 2 and beta.shape[1] > _WORTH_A_TABLE and working.ndim == 2 and working.shape[1] == 1:
            rows = [self._tabled(row, float(n)) for row, n in zip(beta, working[:, 0], strict=True)]
            return np.stack(rows)
        return self._direct(beta, working)

    def _direct(self, beta: Floats, working: Floats) -> Floats:
        return polychromatic_otf(self.frequency * working, beta, self.lights)

    def _tabled(self, beta: Floats, working: float) -> Floats:
        """Many points at one stop: interpolate in a table fine enough for 1e-5."""
        pieces = [(0.0, 15.0, 0.015), (15.0, 60.0, 0.03), (60.0, 200.0, 0.1), (200.0, 900.0, 0.4)]
        most = float(np.max(beta))
        grids = [np.arange(first, last, step) for first, last, step in pieces if first <= most]
        table = np.concatenate([self._direct(grid, np.asarray(working)) for grid in grids])
        found: Floats = np.interp(beta, np.concatenate(grids), table, right=0.0)
        return found

    @cached_property
    def pixel_contrast(self) -> float:
        """Contrast at ν left by the pixel."""
        return pixel_mtf(frequency=self.frequency, pixel_mm=self.pixel_mm)

    def contrast(
        self,
        blur_mm: Floats | float,
        working_f_number: Floats | float,
        smear_mm: Floats | float = 0.0,
        residual_mm: Floats | float = 0.0,
    ) -> Floats:
        """Contrast at ν through everything, for a blur figure of this long axis."""
        others = self._others(smear_mm, residual_mm)
        found: Floats = self.optical_contrast(blur_mm, working_f_number) * others
        return found

    def contrast_at(
        self, frequency: Floats, blur_mm: Floats, working_f_number: Floats, smear_mm: Floats, residual_mm: Floats
    ) -> Floats:
        """Contrast at other frequencies than the reference, one for each point; all arrays of one shape.

        By pupil, pixel, motion and the lens's own blur, whatever the rule in force: it is what a picture shows.
        """
        optical = polychromatic_otf(frequency * working_f_number, np.pi * frequency * blur_mm, self.lights)
        others = np.sinc(frequency * self.pixel_mm) * np.sinc(frequency * smear_mm)
        found: Floats = optical * others * disc_mtf(np.pi * frequency * residual_mm)
        return found

    def _others(self, smear_mm: Floats | float, residual_mm: Floats | float) -> Floats | float:
        """Contrast left by pixel, motion and the lens's own blur."""
        left: Floats | float = self.pixel_contrast
        if np.any(smear_mm):
            left = left * motion_mtf(frequency=self.frequency, smear_mm=smear_mm)
        if np.any(residual_mm):
            left = left * disc_mtf(np.pi * self.frequency * np.asarray(residual_mm))
        return left

    def allowed_blur_mm(
        self,
        working_f_number: Floats | float,
        smear_mm: Floats | float = 0.0,
        residual_mm: Floats | float = 0.0,
    ) -> Floats:
        """The geometric blur that is just acceptable; NaN where even perfect focus is not.

        Parameters
        ----------
        working_f_number, smear_mm, residual_mm : ndarray
            Broadcast against one another. Smear and the lens's residual blur are looked at by `wave` and
            `root-sum` only.
        """
        working, smear, residual = np.broadcast_arrays(
            np.asarray(working_f_number, float), np.asarray(smear_mm, float), np.asarray(residual_mm, float)
        )
        if self.rule == Rule.DISC:
            return np.full(working.shape, self.disc_mm)
        if self.rule == Rule.ROOT_SUM:
            left = self.disc_mm**2 - self.airy_mm(working) ** 2 - self.pixel_mm**2 - smear**2 - residual**2
            return np.sqrt(np.where(left >= 0.0, left, np.nan))
        return self._allowed_wave(working, smear, residual)

    def allowed_still_mm(self, working_f_number: float) -> float:
        """`allowed_blur_mm` of a still mark at one working f-number; remembered."""
        return _allowed_still(self, working_f_number)

    def _allowed_wave(self, working: Floats, smear: Floats, residual: Floats) -> Floats:
        """First blur at which the contrast sinks to the floor."""
        others = np.broadcast_to(np.asarray(self._others(smear, residual)), working.shape)
        with np.errstate(divide="ignore"):
            level = np.where(others > 0.0, self.contrast_floor / others, np.inf)
        # One is solved for by itself; several are taken from a table.
        solve = first_fall_exact if working.size == 1 else first_fall
        return solve(self.frequency * working, level, self.lights) / (np.pi * self.frequency)

    def softness(
        self,
        blur_mm: Floats,
        working_f_number: Floats | float,
        smear_mm: Floats | float = 0.0,
        allowed_mm: Floats | float | None = None,
        residual_mm: Floats | float = 0.0,
    ) -> Floats:
        """Blur over allowed blur: 1.0 is just acceptable, infinite where nothing would be.

        `allowed_mm` may be given when `allowed_blur_mm` was already asked.
        """
        blur = np.asarray(blur_mm, dtype=float)
        if self.rule == Rule.ROOT_SUM:
            squares = self.airy_mm(working_f_number) ** 2 + self.pixel_mm**2 + np.asarray(residual_mm) ** 2
            summed: Floats = np.sqrt(blur**2 + squares + np.asarray(smear_mm) ** 2)
            return summed / self.disc_mm
        allowed = allowed_mm
        if allowed is None:
            allowed = self.allowed_blur_mm(working_f_number, smear_mm, residual_mm)
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(np.isnan(allowed), np.inf, blur / allowed)


def frequency_of_circle(circle_mm: float, contrast_floor: float) -> float:
    """The frequency, cycles/mm, that a disc of this diameter shows with the floor's contrast."""
    return _disc_argument(contrast_floor) / (np.pi * circle_mm)


@lru_cache(maxsize=256)
def _disc_argument(floor: float) -> float:
    """x at which 2 J1(x)/x falls to the floor.

    By its integral, 2/π ∫ √(1 − u²) cos(x u) du over −1 to 1, of which Gauss's rule with these nodes errs by less
    than 1e-15 up to the first zero at 3.8317; SciPy would take longer to import than all the rest.
    """
    angles = np.pi * np.arange(1, _DISC_NODES + 1) / (_DISC_NODES + 1)
    shares, nodes = 2.0 * np.sin(angles) ** 2 / (_DISC_NODES + 1), np.cos(angles)
    low, high = 0.0, 3.8317059702075125
    while high - low > 1e-14 * high:
        middle = 0.5 * (low + high)
        low, high = (middle, high) if float(shares @ np.cos(middle * nodes)) > floor else (low, middle)
    return 0.5 * (low + high)


@lru_cache(maxsize=4096)
def _allowed_still(criterion: Criterion, working_f_number: float) -> float:
    return float(criterion.allowed_blur_mm(working_f_number))
