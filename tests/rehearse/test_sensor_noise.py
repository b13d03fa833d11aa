"""What a sensor gives: the tone curve by its formula, noise by its mean and spread."""

from __future__ import annotations

import numpy as np
import pytest

from verispect.kit.equipment import Body
from verispect.rehearse.sensor_noise import exposed, linear_of_srgb, srgb_16


def test_the_curve_is_that_of_the_standard_within_one_step_of_sixteen_bits() -> None:
    """IEC 61966-2-1, reckoned in double precision; the ends and the corner of its two pieces among the places."""
    light = np.concatenate([np.linspace(0.0, 0.01, 40_001), np.linspace(0.0, 1.0, 79_999), [0.0031308, 1.0]])
    light = light.astype(np.float32).astype(float)
    told = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055) * 65535.0
    found = srgb_16(np.tile(light.astype(np.float32)[:, None, None], (1, 1, 3)))
    assert np.abs(found[:, 0, 0] - told).max() < 1.01
    np.testing.assert_allclose(linear_of_srgb(found[:, 0, 0] / np.float32(65535.0)), light, atol=2e-5)


@pytest.mark.parametrize("level", [0.0, 0.02, 0.4])
def test_noise_has_the_spread_of_photons_and_reading_and_is_another_in_every_frame(level: float) -> None:
    body = Body(name="b", sensor_mm=(36.0, 24.0), pixels=(6000, 4000), full_well_e=40_000.0, read_noise_e=20.0)
    flat = np.full((300, 400, 3), 0.5 + level, np.float32)
    one, other, again = (
        exposed(flat.copy(), body=body, pixel_mm=0.006, gain=1.0, seed=(3, frame), noise=True) for frame in (1, 2, 1)
    )
    np.testing.assert_array_equal(one, again)
    well = body.full_well_at(body.iso, 0.006)
    expected = np.sqrt((0.5 + level) * well + body.read_noise_e**2) / well
    assert one.std() == pytest.approx(expected, rel=0.01)
    assert one.mean() == pytest.approx(0.5 + level, abs=4.0 * expected / np.sqrt(one.size))
    assert abs(np.corrcoef(one.ravel(), other.ravel())[0, 1]) < 0.01
    # No pattern from row to row or from colour to colour.
    assert abs(np.corrcoef(one[1:].ravel(), one[:-1].ravel())[0, 1]) < 0.01
    assert abs(np.corrcoef(one[..., 0].ravel(), one[..., 1].ravel())[0, 1]) < 0.01
