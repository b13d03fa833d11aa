"""Point images against Hopkins's transfer function and the Airy pattern."""

from __future__ import annotations

import math

import numpy as np
import pytest

from verispect.rehearse.wave_blur import airy_kernel, point_image, pupil_share, waves_of_blur

NM550 = 5.5e-4


def contrast_of(image: np.ndarray, step_mm: float, frequency: float) -> float:
    """Contrast of a point image along its columns at a frequency, by its own Fourier sum."""
    at = (np.arange(image.shape[1]) - image.shape[1] // 2) * step_mm
    return float((image.sum(0) * np.cos(2 * math.pi * frequency * at)).sum())


@pytest.mark.parametrize(
    ("blur_mm", "at_30", "at_60"), [(0.0, 0.8324, 0.6678), (0.0125, 0.7298, 0.4525), (0.0375, 0.1788, -0.0761)]
)
def test_the_point_image_has_the_contrast_of_hopkins(blur_mm: float, at_30: float, at_60: float) -> None:
    """f/8, 550 nm, defocus of 0, 0.1 and 0.3 mm: Hopkins, Proc. R. Soc. A 231 (1955)."""
    image = point_image(
        long_mm=blur_mm, short_mm=blur_mm, long_direction=(1.0, 0.0), working_f_number=8.0, wavelength_mm=NM550,
        step_mm=0.001,
    )  # fmt: skip
    assert image.sum() == pytest.approx(1.0, abs=1e-5)
    assert contrast_of(image, 0.001, 30.0) == pytest.approx(at_30, abs=0.006)
    assert contrast_of(image, 0.001, 60.0) == pytest.approx(at_60, abs=0.006)


def test_a_long_blur_lies_along_its_direction() -> None:
    image = point_image(
        long_mm=0.06,
        short_mm=0.02,
        long_direction=(0.0, 1.0),
        working_f_number=4.0,
        wavelength_mm=NM550,
        step_mm=0.002,
    )
    at = (np.arange(image.shape[0]) - image.shape[0] // 2) * 0.002
    # An even ellipse seen along an axis spreads by the semicircle's law; samples are 2 µm wide.
    for axis, length in ((1, 0.06), (0, 0.02)):
        reach = (round(0.2 * length / 0.002) + 0.5) * 0.002 / (0.5 * length)
        expected = 2 / math.pi * (reach * math.sqrt(1 - reach**2) + math.asin(reach))
        share = float(image.sum(axis)[np.abs(at) < reach * 0.5 * length].sum())
        assert share == pytest.approx(expected, abs=0.06)


def test_airy_kernel_takes_the_contrast_that_diffraction_does() -> None:
    """Perfect MTF (2/π)(acos s − s √(1 − s²)) (Born & Wolf) at f/16 on 4 µm pixels."""
    kernel = airy_kernel(working_f_number=16.0, wavelength_mm=NM550, pitch_mm=0.004)
    assert kernel.sum() == pytest.approx(1.0, abs=1e-6)
    s = 40.0 * NM550 * 16.0
    perfect = 2 / math.pi * (math.acos(s) - s * math.sqrt(1 - s * s))
    # The kernel's samples are means over pixels.
    assert contrast_of(kernel, 0.004, 40.0) == pytest.approx(perfect * np.sinc(40.0 * 0.004), abs=0.04)


def test_where_pixels_are_coarse_nothing_is_done() -> None:
    assert airy_kernel(working_f_number=2.0, wavelength_mm=NM550, pitch_mm=0.02).shape == (1, 1)


def test_quarter_wave_and_the_share_of_the_pupil() -> None:
    """±2 λ N² of defocus is a quarter of a wave (Rayleigh): at f/8 70.4 µm, a blur of 8.8 µm."""
    assert waves_of_blur(2 * NM550 * 64 / 8, 8.0, NM550) == pytest.approx(0.25)
    assert float(pupil_share(0.5)) == pytest.approx(0.64)
    assert float(pupil_share(10.0)) == 1.0
