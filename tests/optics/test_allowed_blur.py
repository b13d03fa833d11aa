"""Allowed blur: the table of many against single roots, and both against the disc of geometrical optics."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.interpolate import RectBivariateSpline
from scipy.optimize import brentq

from tests.outside.oracle import pupil_contrast
from verispect.optics.allowed_blur import (
    KEPT_TABLES,
    _spline_through,
    _Table,
    coefficients_of,
    first_fall,
    first_fall_exact,
)
from verispect.optics.criterion import Criterion
from verispect.optics.otf import polychromatic_otf

GREEN = Criterion("wave", 70.0, 0.2, 0.004, 550.0)
WHITE = Criterion("wave", 70.0, 0.2, 0.004, None)


@pytest.mark.parametrize(("criterion", "within"), [(GREEN, 1e-6), (WHITE, 1e-4)], ids=["one colour", "white"])
def test_table_agrees_with_single_roots(criterion, within) -> None:
    rng = np.random.default_rng(0)
    shortest = min(wave for wave, _ in criterion.lights)
    reach = rng.uniform(0.0, 0.9, 400) / shortest
    level = polychromatic_otf(reach, 0.0, criterion.lights) * rng.uniform(0.02, 0.999, 400)
    exact = first_fall_exact(reach, level, criterion.lights)
    assert first_fall(reach, level, criterion.lights) == pytest.approx(exact, rel=within)


@pytest.mark.parametrize(("criterion", "name"), [(GREEN, "one_colour"), (WHITE, "white_light")])
def test_tables_that_come_with_the_program_are_those_of_the_code(criterion, name) -> None:
    with np.load(KEPT_TABLES) as tables:
        assert coefficients_of(criterion.lights) == pytest.approx(tables[name], rel=1e-9, abs=1e-9)


def test_between_its_nodes_the_table_is_scipys_spline() -> None:
    """The same cubic that scipy.interpolate lays through even nodes (its ends: not a knot)."""
    values = np.random.default_rng(1).normal(size=(32, 57))
    low, high = 0.3, 1.5
    table = _Table(_spline_through(32) @ values @ _spline_through(57).T, (low, high))
    theirs = RectBivariateSpline(np.linspace(low, high, 32), np.linspace(0.0, 1.0, 57), values, s=0.0)
    angle, share = np.random.default_rng(2).uniform(0.0, 1.0, (2, 500))
    roots = 0.01 + (0.995 - 0.01) * np.sin(0.5 * np.pi * share)
    assert table.at(low + (high - low) * angle, roots) == pytest.approx(
        theirs.ev(low + (high - low) * angle, share), abs=1e-9
    )


def test_where_perfect_focus_falls_short_nothing_is_allowed() -> None:
    reach = np.full(20, 0.9 / 550e-6)
    assert np.isnan(first_fall(reach, np.full(20, 0.5), GREEN.lights)).all()
    assert np.isnan(GREEN.allowed_blur_mm(np.full(20, 30.0))).all()


@pytest.mark.parametrize("stop", [4.0, 8.0, 13.0])
def test_root_by_brute_force_over_the_pupil(stop) -> None:
    """The contrast of tests/outside/oracle.py, a sum over the pupil, meets the floor at the allowed blur."""
    blur = float(GREEN.allowed_blur_mm(stop))
    pixel = float(np.sinc(70.0 * 0.004))

    def over(b: float) -> float:
        return pupil_contrast(blur_mm=b, frequency=70.0, working=stop, wavelength_mm=550e-6) * pixel - 0.2

    assert brentq(over, 0.5 * blur, 1.5 * blur, rtol=1e-5) == pytest.approx(blur, rel=2e-3)


def test_wide_open_the_allowed_blur_is_the_circle_of_confusion() -> None:
    """Without diffraction (f/0.1 would be next to none) the disc's MTF decides, up to the pixel's share."""
    sharp_pixels = Criterion("wave", 70.0, 0.2, 1e-6, 550.0)
    assert float(sharp_pixels.allowed_blur_mm(0.05)) == pytest.approx(sharp_pixels.disc_mm, rel=3e-3)


def test_residual_blur_of_the_lens_leaves_less_room() -> None:
    plain, spoilt = (float(GREEN.allowed_blur_mm(8.0, 0.0, residual)) for residual in (0.0, 0.006))
    assert spoilt < plain
    assert float(GREEN.contrast(spoilt, 8.0, 0.0, 0.006)) == pytest.approx(0.2, abs=1e-5)
    in_sum = Criterion("root-sum", 70.0, 0.2, 0.004)
    assert float(in_sum.softness(np.array(0.0), 5.6, residual_mm=0.01)) == pytest.approx(
        np.sqrt(0.01**2 + (2.44 * 550e-6 * 5.6) ** 2 + 0.004**2) / in_sum.disc_mm
    )


@pytest.mark.parametrize("criterion", [GREEN, WHITE], ids=["one colour", "white"])
def test_one_value_is_the_root_that_scipy_finds(criterion) -> None:
    """scipy.optimize.brentq on the integral, within the first fall."""
    rng = np.random.default_rng(3)
    shortest = min(wave for wave, _ in criterion.lights)
    for s, share in rng.uniform((0.02, 0.05), (0.85, 0.95), (40, 2)).tolist():
        reach = np.array(s / shortest)
        level = share * float(polychromatic_otf(reach, 0.0, criterion.lights))
        found = float(first_fall_exact(reach, np.array(level), criterion.lights))

        def over(beta: float, reach=reach, level=level) -> float:
            return float(polychromatic_otf(reach, beta, criterion.lights)) - level

        assert found == pytest.approx(brentq(over, 0.98 * found, 1.02 * found, xtol=1e-13), rel=2e-8)
        before = np.linspace(0.0, 0.98 * found, 50)
        assert np.all(polychromatic_otf(reach, before, criterion.lights) > level)
