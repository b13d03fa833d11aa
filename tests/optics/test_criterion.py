"""Contrast through diffraction and defocus, and the three rules that read it."""

from __future__ import annotations

import math
import warnings

import numpy as np
import pytest
import scipy.integrate
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.outside.oracle import pupil_contrast
from verispect.optics.criterion import Criterion
from verispect.optics.otf import defocused_otf, disc_mtf, motion_mtf, pixel_mtf

GREEN = 550.0


def criterion(rule="wave", frequency=60.0, floor=0.2, pixel=0.004, wavelength: float | None = GREEN) -> Criterion:
    return Criterion(rule, frequency, floor, pixel, wavelength)


@pytest.mark.parametrize(
    ("frequency", "defocus", "expected"),
    [
        (30, 0.0, 0.8324),
        (30, 0.1, 0.7298),
        (30, 0.3, 0.1788),
        (60, 0.0, 0.6678),
        (60, 0.1, 0.4525),
        (60, 0.3, -0.0761),
    ],
)
def test_values_after_hopkins(frequency: float, defocus: float, expected: float) -> None:
    # H. H. Hopkins, Proc. R. Soc. A 231, 1955: f/8, 550 nm, defocus in mm in image space.
    found = criterion(frequency=frequency).optical_contrast(defocus / 8.0, 8.0)
    assert float(found) == pytest.approx(expected, abs=1e-4)


def test_disc_times_diffraction_is_not_the_answer() -> None:
    # The shortcut gives 0.696 where 0.730 is right.
    perfect = float(criterion(frequency=30).optical_contrast(0.0, 8.0))
    shortcut = perfect * float(disc_mtf(math.pi * 30 * 0.1 / 8.0))
    assert shortcut == pytest.approx(0.696, abs=2e-3)
    assert float(criterion(frequency=30).optical_contrast(0.1 / 8.0, 8.0)) - shortcut > 0.03


@pytest.mark.parametrize("defocus_mm", [0.0, 0.1, 0.3])
def test_general_physical_optics_package_agrees(defocus_mm: float) -> None:
    # prysm 0.21 (MIT) propagates a sampled pupil to a point spread and transforms that.
    # It imports a deprecated part of setuptools, which is no concern of ours.
    warnings.simplefilter("ignore")
    from prysm.coordinates import cart_to_polar, make_xy_grid
    from prysm.geometry import circle
    from prysm.otf import mtf_from_psf
    from prysm.propagation import Wavefront

    diameter, f = 10.0, 80.0
    x, y = make_xy_grid(512, diameter=diameter)
    r, _ = cart_to_polar(x, y)
    waves_nm = defocus_mm / (8.0 * 8.0**2) * 1e6
    phase = waves_nm * (r / (diameter / 2.0)) ** 2
    pupil = Wavefront.from_amp_and_phase(
        circle(diameter / 2.0, r).astype(float), phase, GREEN / 1000.0, x[0, 1] - x[0, 0]
    )
    psf = pupil.focus_fixed_sampling(f, 1.5, 1000).intensity
    mtf = mtf_from_psf(psf.data, 1.5)
    row = mtf.data[mtf.data.shape[0] // 2, mtf.data.shape[1] // 2 :]
    frequencies = np.arange(row.size) * mtf.dx
    for frequency in (30.0, 60.0):
        outside = float(np.interp(frequency, frequencies, row))
        ours = float(criterion(frequency=frequency).optical_contrast(defocus_mm / 8.0, 8.0))
        assert abs(ours) == pytest.approx(outside, abs=0.0015)


@given(st.floats(0.01, 0.95))
def test_perfect_lens_has_the_textbook_mtf(s: float) -> None:
    # (2/π)(acos s − s √(1 − s²)), for example Goodman, Introduction to Fourier Optics (from memory).
    expected = 2.0 / math.pi * (math.acos(s) - s * math.sqrt(1.0 - s * s))
    assert float(defocused_otf(reduced_frequency=s, beta=0.0)) == pytest.approx(expected, abs=1e-9)


@given(st.floats(0.02, 0.9), st.floats(0.0, 12.0))
def test_brute_force_over_the_pupil_agrees(s: float, beta: float) -> None:
    working, wavelength = 8.0, 5.5e-4
    frequency = s / (wavelength * working)
    blur = beta / (math.pi * frequency)
    outside = pupil_contrast(blur_mm=blur, frequency=frequency, working=working, wavelength_mm=wavelength)
    assert float(defocused_otf(reduced_frequency=s, beta=beta)) == pytest.approx(outside, abs=2e-3)


@given(st.lists(st.tuples(st.floats(0.0, 0.999), st.floats(0.0, 880.0)), min_size=1, max_size=160))
@settings(max_examples=15, deadline=None)
def test_many_at_once_are_as_exact_as_each_alone(places: list[tuple[float, float]]) -> None:
    """Against SciPy's Simpson rule on a fine net; long lists go in groups, large phases in pieces."""
    s = np.array([s for s, _ in places])
    beta = np.array([tau for _, tau in places]) / (1.0 - s)
    found = defocused_otf(reduced_frequency=s, beta=beta)
    theta = np.linspace(0.0, 1.0, 20_001)[None] * np.arccos(s)[:, None]
    values = np.sin(theta) ** 2 * np.cos(beta[:, None] * (np.cos(theta) - s[:, None]))
    told = 4.0 / np.pi * scipy.integrate.simpson(values, x=theta, axis=1)
    np.testing.assert_allclose(found, told, atol=1e-7)


def test_quarter_wave_is_two_lambda_n_squared() -> None:
    # Rayleigh; Born & Wolf (from memory): defocus ±2 λ N² makes W020 = λ/4; here as blur/(8 N).
    working, wavelength = 8.0, 5.5e-4
    defocus = 2.0 * wavelength * working**2
    assert defocus / working / (8.0 * working) == pytest.approx(wavelength / 4.0)


def test_beyond_the_cutoff_there_is_nothing() -> None:
    assert float(defocused_otf(reduced_frequency=1.0, beta=0.3)) == 0.0
    assert float(defocused_otf(reduced_frequency=1.7, beta=0.0)) == 0.0


def test_large_blur_ends_in_nothing() -> None:
    assert float(defocused_otf(reduced_frequency=0.3, beta=1e6)) == 0.0
    assert abs(float(defocused_otf(reduced_frequency=0.1, beta=700.0))) < 2e-4


def test_coarse_detail_sees_the_even_disc() -> None:
    # As ν λ N goes to 0 the defocused pupil becomes the geometric disc.
    for beta in (0.5, 2.0, 3.5):
        found = float(defocused_otf(reduced_frequency=1e-5, beta=beta))
        assert found == pytest.approx(float(disc_mtf(beta)), abs=1e-4)


def test_pixel_and_motion_are_sincs() -> None:
    assert pixel_mtf(frequency=100.0, pixel_mm=0.01) == pytest.approx(0.0, abs=1e-15)
    assert pixel_mtf(frequency=50.0, pixel_mm=0.01) == pytest.approx(2.0 / math.pi)
    np.testing.assert_allclose(motion_mtf(frequency=50.0, smear_mm=np.array([0.0, 0.01])), [1.0, 2.0 / math.pi])


def test_many_points_by_table_agree_with_one_by_one() -> None:
    c = criterion()
    blur = np.linspace(0.0, 0.4, 5001)
    table = c.contrast(blur, 8.0)
    few = np.array([float(c.contrast(b, 8.0)) for b in blur[::250]])
    np.testing.assert_allclose(table[::250], few, atol=2e-5)


def test_white_light_lies_between_its_colours() -> None:
    white = float(criterion(wavelength=None).optical_contrast(0.005, 11.0))
    blue, red = (float(criterion(wavelength=nm).optical_contrast(0.005, 11.0)) for nm in (450.0, 660.0))
    assert red < white < blue


@given(st.floats(20, 120), st.floats(0.05, 0.6))
def test_circle_of_confusion_is_the_disc_at_the_floor(frequency: float, floor: float) -> None:
    c = criterion(frequency=frequency, floor=floor)
    assert float(disc_mtf(math.pi * frequency * c.disc_mm)) == pytest.approx(floor, abs=1e-9)


@given(st.floats(30, 100), st.floats(0.05, 0.5), st.floats(1.4, 16))
def test_allowed_blur_reaches_exactly_the_floor(frequency: float, floor: float, n: float) -> None:
    c = criterion(frequency=frequency, floor=floor)
    allowed = float(c.allowed_blur_mm(n))
    if math.isnan(allowed):
        assert float(c.contrast(0.0, n)) < floor
    else:
        assert float(c.contrast(allowed, n)) == pytest.approx(floor, abs=1e-6)
        assert float(c.contrast(0.9 * allowed, n)) > floor


@given(st.floats(1.4, 11), st.floats(0.0, 0.006))
def test_motion_leaves_less_room_for_blur(n: float, smear: float) -> None:
    c = criterion()
    still, moving = float(c.allowed_blur_mm(n)), float(c.allowed_blur_mm(n, smear))
    assert math.isnan(moving) or moving <= still + 1e-9


def test_softness_is_one_at_the_allowed_blur_under_every_rule() -> None:
    for rule in ("wave", "root-sum", "disc"):
        c = criterion(rule=rule, frequency=40.0)
        allowed = float(c.allowed_blur_mm(5.6))
        assert float(c.softness(np.array(allowed), 5.6)) == pytest.approx(1.0, abs=1e-6)


def test_wave_is_infinite_where_diffraction_alone_fails_and_disc_does_not_care() -> None:
    assert np.isinf(criterion(frequency=100.0).softness(np.array(0.0), 22.0))
    assert criterion(rule="disc", frequency=100.0).softness(np.array(0.0), 22.0) == 0.0
    assert np.isnan(criterion(rule="root-sum", frequency=100.0).allowed_blur_mm(32.0))


def test_root_sum_adds_blur_diffraction_and_pixel_in_quadrature() -> None:
    c = criterion(rule="root-sum")
    airy = 2.44 * 550e-6 * 8.0
    expected = math.sqrt(0.01**2 + airy**2 + 0.004**2) / c.disc_mm
    assert float(c.softness(np.array(0.01), 8.0)) == pytest.approx(expected)
    # First dark ring at 1.22 λ N from the middle (Airy): the disc is twice that.
    assert float(c.airy_mm(8.0)) / 2.0 == pytest.approx(1.22 * 550e-6 * 8.0)
