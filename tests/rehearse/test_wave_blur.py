"""Point images against Hopkins's transfer function and the Airy pattern."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.special import j0

from verispect.rehearse.wave_blur import airy_kernel, diffracted, point_image, pupil_radii, waves_of_blur

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
    assert 0.9 < kernel.sum() < 1.0
    s = 40.0 * NM550 * 16.0
    perfect = 2 / math.pi * (math.acos(s) - s * math.sqrt(1 - s * s))
    assert contrast_of(kernel, 0.004, 40.0) == pytest.approx(perfect, abs=0.005)


def test_a_picture_in_focus_keeps_its_light_and_the_contrast_of_perfect_optics() -> None:
    """The same law, of a grating of five pixels on 6 µm at f/8, and of an even grey."""
    across = np.arange(200)
    s = NM550 * 8.0 / (5 * 0.006)
    perfect = 2 / math.pi * (math.acos(s) - s * math.sqrt(1 - s * s))
    grating = np.tile((0.5 + 0.4 * np.cos(2 * math.pi * across / 5))[None, :, None], (200, 1, 3)).astype(np.float32)
    seen = diffracted(grating, working_f_number=8.0, wavelength_mm=NM550, pitch_mm=0.006)
    row = seen[100, 60:140, 0]
    assert row.mean() == pytest.approx(0.5, abs=1e-3)
    swing = 2 * abs(np.mean(row * np.exp(-2j * math.pi * np.arange(80) / 5)))
    assert swing == pytest.approx(0.4 * perfect, rel=0.015)


def test_where_pixels_are_coarse_nothing_is_done() -> None:
    assert airy_kernel(working_f_number=2.0, wavelength_mm=NM550, pitch_mm=0.02).shape == (1, 1)


def test_a_quarter_wave() -> None:
    """±2 λ N² of defocus is a quarter of a wave (Rayleigh): at f/8 70.4 µm, a blur of 8.8 µm."""
    assert waves_of_blur(2 * NM550 * 64 / 8, 8.0, NM550) == pytest.approx(0.25)


@pytest.mark.parametrize("waves", [0.1, 0.2, 0.3, 0.5, 0.75, 1.0, 2.0])
def test_rings_of_views_leave_what_the_wave_leaves(waves: float) -> None:
    """By the transform of the exact point image, to six tenths of the limit: nothing of the rings' own fit."""
    stop, step = 8.0, 0.0005
    blur = 8.0 * stop * NM550 * waves
    images = [
        point_image(
            long_mm=b, short_mm=b, long_direction=(1.0, 0.0), working_f_number=stop, wavelength_mm=NM550, step_mm=step
        )
        for b in (blur, 0.0)
    ]
    radii = pupil_radii(waves, 64) * 0.5 * blur
    for share in (0.1, 0.2, 0.3, 0.45, 0.6):
        nu = share / (NM550 * stop)
        wave, perfect = (contrast_of(image, step, nu) for image in images)
        assert perfect * float(np.mean(j0(2 * math.pi * nu * radii))) == pytest.approx(wave, abs=0.025)


def test_views_far_out_of_focus_fill_the_pupil_evenly() -> None:
    assert pupil_radii(10.0, 50) ** 2 == pytest.approx((np.arange(50) + 0.5) / 50)
    # As much light spreads as wide as geometry has it, from a few wavelengths on.
    assert np.mean(pupil_radii(4.0, 50) ** 2) == pytest.approx(0.5, abs=0.03)
