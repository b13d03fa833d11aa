"""What the wave does to a picture: exact point images for cards, and a cheap form for everything else.

The cheap form (docs/derivations/rehearse.md, 2): one Airy kernel for the frame, and the views of each place taken
from rings of the pupil that make up what defocus takes beyond it; within 0.02 of the wave's contrast.
"""

from __future__ import annotations

import functools
import math

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.otf import defocused_otf
from verispect.optics.types import Floats

Kernel = NDArray[np.float32]
# Rings of the pupil that views are taken from, in its radius: beyond the rim too, for less defocus than some waves
# spreads light wider than geometry has it.
_RINGS = np.linspace(0.0, 1.4, 57)
# Frequencies at which they are fitted, as shares of the limit of diffraction.
_SHARES = np.linspace(0.0, 1.0, 41)
# Beyond so many wavelengths of defocus geometry is all; worked out at so many steps an octave, from the least on.
_MOST_WAVES, _LEAST_WAVES, _STEPS = 4.0, 0.05, 4
# So many views lie as far out as one another.
_OUTERMOST = 3
# Times the kernel's side, over which light that falls beyond it is spread.
_FAR_RINGS = 3
# Samples of the Airy kernel before it is cut.
_AIRY_SIDE = 64
# So much heavier than all contrasts together weighs that the light of all rings is the whole.
_WHOLE = 1e3


def waves_of_blur(blur_mm: Floats | float, working_f_number: float, wavelength_mm: float) -> Floats:
    """Defocus W020 in wavelengths of a blur figure's long axis: blur / (8 N_w λ)."""
    return np.asarray(np.asarray(blur_mm, float) / (8.0 * working_f_number * wavelength_mm))


def pupil_radii(waves: float, count: int) -> Floats:
    """Radii of views, in the pupil's, from the middle outward, that with the Airy kernel come nearest to the wave.

    Parameters
    ----------
    waves : float
        Defocus W020 in wavelengths.
    count : int
        Views, each of which stands for as much light.
    """
    if waves > _MOST_WAVES:
        return np.asarray(np.sqrt((np.arange(count) + 0.5) / count))
    weights = _ring_weights(round(_STEPS * math.log2(max(waves, _LEAST_WAVES) / _LEAST_WAVES)))
    light = np.concatenate([[0.0], np.cumsum(weights)])
    spread = np.concatenate([[0.0], np.cumsum(weights * _RINGS**2)])
    # As spread out as the rings themselves, whatever falls to one view.
    squares = np.diff(np.interp(np.linspace(0.0, 1.0, count + 1), light, spread)) * count
    # One view far out by itself would blur in one direction.
    squares[-_OUTERMOST:] = squares[-_OUTERMOST:].mean()
    return np.asarray(np.sqrt(np.maximum(squares, 0.0)))


@functools.cache
def _ring_weights(step: int) -> Floats:
    """Light of each ring, 1 in all, for one step of defocus.

    A ring of radius ρ leaves J0(8π W ρ s) of the share s of the limit of diffraction.
    """
    from scipy.optimize import nnls
    from scipy.special import j0

    waves = _LEAST_WAVES * 2.0 ** (step / _STEPS)
    perfect = defocused_otf(reduced_frequency=_SHARES, beta=np.zeros_like(_SHARES))
    wanted = defocused_otf(reduced_frequency=_SHARES, beta=8.0 * math.pi * waves * _SHARES)
    left = perfect[:, None] * j0(8.0 * math.pi * waves * _SHARES[:, None] * _RINGS)
    whole = np.full((1, len(_RINGS)), _WHOLE)
    found, _ = nnls(np.concatenate([left, whole]), np.append(wanted, _WHOLE), maxiter=100 * len(_RINGS))
    weights: Floats = found / found.sum()
    return weights


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
    """What diffraction makes of pixels in perfect focus; a single 1 where it is far smaller.

    Its sum is the light that falls within it, the rest lies farther out. Made so that it leaves of each frequency
    that pixels can hold what the wave does: they are means over their squares already, and a kernel of such means
    would blur by the pixel a second time.
    """
    if 2.44 * wavelength_mm * working_f_number < 0.35 * pitch_mm:
        return np.ones((1, 1), np.float32)
    frequency = np.fft.fftfreq(_AIRY_SIDE) / pitch_mm
    reduced = np.hypot(frequency, frequency[:, None]) * wavelength_mm * working_f_number
    image = np.fft.fftshift(np.fft.ifft2(defocused_otf(reduced_frequency=reduced, beta=np.zeros(()))).real)
    reach = min(max(1, math.ceil(5.0 * wavelength_mm * working_f_number / pitch_mm)), 15)
    middle = _AIRY_SIDE // 2
    cut = image[middle - reach : middle + reach + 1, middle - reach : middle + reach + 1]
    return np.asarray(cut, np.float32)


def diffracted(picture: Kernel, *, working_f_number: float, wavelength_mm: float, pitch_mm: float) -> Kernel:
    """A picture (rows, columns, channels) as diffraction leaves it where it is in focus."""
    kernel = airy_kernel(working_f_number=working_f_number, wavelength_mm=wavelength_mm, pitch_mm=pitch_mm)
    if kernel.size == 1:
        return picture
    found = cv2.filter2D(picture, -1, kernel, borderType=cv2.BORDER_REPLICATE)
    # The light of the rings that were cut away, a few parts in a hundred, is spread about evenly.
    side = _FAR_RINGS * kernel.shape[0]
    far = cv2.blur(picture, (side, side), borderType=cv2.BORDER_REPLICATE)
    whole = cv2.addWeighted(found, 1.0, far, 1.0 - float(kernel.sum()), 0.0)
    # Beside a bright light pixels that hold no finer frequencies would swing below nothing.
    return np.maximum(whole, 0.0, dtype=np.float32)
