"""What the wave does to a picture: exact point images for cards, and a cheap form for everything else.

The cheap form (measured beforehand): one Airy kernel for the frame, and the pupil of each place shrunk by a
factor of its defocus; its contrast is within 0.1 of the wave's at half a wave, within 0.04 elsewhere.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats

Kernel = NDArray[np.float32]
# Factor on the pupil's radius by W020 in wavelengths.
_WAVES = (0.0, 0.1, 0.25, 0.5, 0.75, 1.0, 1.5, 2.0, 4.0)
_FACTORS = (0.57, 0.57, 0.58, 0.64, 0.78, 0.84, 0.89, 0.93, 1.0)


def waves_of_blur(blur_mm: Floats | float, working_f_number: float, wavelength_mm: float) -> Floats:
    """Defocus W020 in wavelengths of a blur figure's long axis: blur / (8 N_w λ)."""
    return np.asarray(np.asarray(blur_mm, float) / (8.0 * working_f_number * wavelength_mm))


def pupil_share(waves: Floats | float) -> Floats:
    """Share of the pupil's radius whose even disc, with the Airy kernel, comes nearest to the wave."""
    return np.asarray(np.interp(waves, _WAVES, _FACTORS))


def point_image(
    *,
    long_mm: float,
    short_mm: float,
    long_direction: tuple[float, float],
    working_f_number: float,
    wavelength_mm: float,
    step_mm: float,
) -> Kernel:
    """The point image of a defocused circular pupil, summing to 1.

    Parameters
    ----------
    long_mm, short_mm : float
        Axes of the geometric blur; the wavefront is W_l ρ_l² + W_s ρ_s² with W = blur / (8 N_w).
    long_direction : (float, float)
        Of the long axis, as (column, row) of the picture.
    working_f_number : float
    wavelength_mm : float
    step_mm : float
        Of the kernel's samples.

    Returns
    -------
    ndarray, shape (M, M), float32
        M odd, the middle sample the point.
    """
    stretch = wavelength_mm * working_f_number / step_mm
    most_waves = long_mm / (8.0 * working_f_number * wavelength_mm)
    # Samples over the pupil: the phase may turn by less than half a turn from one to the next at the rim.
    across = max(96.0, 12.0 * most_waves + 16.0)
    field = 1.6 * (long_mm + 24.0 * wavelength_mm * working_f_number) / step_mm
    size = int(2 * math.ceil(0.5 * max(stretch * across, field, 16.0))) + 1
    radius = 0.5 * size / stretch
    at = np.arange(size) - size // 2
    x, y = np.meshgrid(at / radius, at / radius)
    cos, sin = long_direction
    along, aside = x * cos + y * sin, -x * sin + y * cos
    rho = np.hypot(x, y)
    # A hard rim: one that tapers loses power against its overlaps, and raises the contrast by 1/(3 radius).
    amplitude = (rho <= 1.0).astype(float)
    waves = (long_mm * along**2 + short_mm * aside**2) / (8.0 * working_f_number * wavelength_mm)
    pupil = amplitude * np.exp(2j * math.pi * waves)
    found = np.abs(np.fft.fftshift(np.fft.fft2(np.fft.ifftshift(pupil)))) ** 2
    image: Kernel = (found / found.sum()).astype(np.float32)
    return image


def airy_kernel(*, working_f_number: float, wavelength_mm: float, pitch_mm: float) -> Kernel:
    """The point image in perfect focus at the pixel pitch, summing to 1; a single 1 where it is far smaller."""
    if 2.44 * wavelength_mm * working_f_number < 0.35 * pitch_mm:
        return np.ones((1, 1), np.float32)
    fine = 5
    image = point_image(
        long_mm=0.0, short_mm=0.0, long_direction=(1.0, 0.0), working_f_number=working_f_number,
        wavelength_mm=wavelength_mm, step_mm=pitch_mm / fine,
    )  # fmt: skip
    reach = min(max(1, math.ceil(5.0 * wavelength_mm * working_f_number / pitch_mm)), 15)
    middle = image.shape[0] // 2
    half = min(reach * fine + fine // 2, middle)
    cut = image[middle - half : middle + half + 1, middle - half : middle + half + 1]
    side = cut.shape[0] // fine
    cut = cut[: side * fine, : side * fine]
    coarse = cut.reshape(side, fine, side, fine).sum((1, 3))
    found: Kernel = (coarse / coarse.sum()).astype(np.float32)
    return found
