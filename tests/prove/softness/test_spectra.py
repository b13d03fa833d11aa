"""Where a block would be sharp, from frames beside it: content blurred by Hopkins's own transfer function."""

from __future__ import annotations

import numpy as np
import pytest

from verispect.optics.otf import defocused_otf
from verispect.prove.softness.spectra import Look, sharp_distance

SIDE, PITCH, WAVE, STOP = 121, 0.004, 5.5e-4, 4.0


def looks(sharp_at: float, places: list[float], *, noise: float = 0.0, seed: int = 0) -> list[Look]:
    """The same content at several image distances; its blur |v − v₀| / N."""
    rng = np.random.default_rng(seed)
    side = 2 * SIDE
    fy, fx = np.meshgrid(np.fft.fftfreq(side), np.fft.rfftfreq(side), indexing="ij")
    radius = np.hypot(fy, fx)
    plain = np.fft.rfft2(rng.standard_normal((side, side))) / np.maximum(radius, 0.01)
    found = []
    for v in places:
        nu = radius / PITCH
        otf = defocused_otf(reduced_frequency=nu * WAVE * STOP, beta=np.pi * nu * abs(v - sharp_at) / STOP)
        made = np.fft.irfft2(plain * otf, (side, side))
        made = 0.4 + 0.05 * made / 10.0 + rng.normal(0, noise, (side, side))
        found.append(Look(made[:SIDE, :SIDE].astype(np.float32), v, STOP, 1.0 / STOP))
    return found


def sought(given: list[Look]):
    return sharp_distance(given, allowed_px=4.0, pitch_mm=PITCH, wavelength_mm=WAVE, span_mm=(50.7, 51.3))


@pytest.mark.parametrize("sharp_at", [50.95, 51.0, 51.04])
def test_the_place_of_sharpness_is_found_between_the_frames(sharp_at: float) -> None:
    found = sought(looks(sharp_at, [50.9, 51.0, 51.1], noise=2e-4))
    assert found is not None
    # A tenth of the depth of focus, 2 × 4 px × N.
    assert found.sharp_at_mm == pytest.approx(sharp_at, abs=0.1 * 2 * 4 * PITCH * STOP)
    assert abs(found.sharp_at_mm - sharp_at) < max(4 * found.plus_minus_mm, 0.006)


def test_one_frame_or_a_plain_block_tells_nothing() -> None:
    assert sought(looks(51.0, [51.0])) is None
    rng = np.random.default_rng(0)
    plain = [
        Look((0.4 + rng.normal(0, 0.002, (SIDE, SIDE))).astype(np.float32), v, STOP, 1 / STOP) for v in (50.9, 51.1)
    ]
    assert sought(plain) is None


def test_different_content_is_not_explained() -> None:
    mixed = [looks(51.0, [50.9], seed=1)[0], looks(51.0, [51.1], seed=2)[0]]
    found = sought(mixed)
    assert found is None or found.plus_minus_mm > 0.0
