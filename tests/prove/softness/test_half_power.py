"""Powers by frequency against NumPy's own transform."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from verispect.prove.softness.half_power import half_powers


@given(side=st.integers(3, 81), many=st.integers(0, 3), seed=st.integers(0, 999))
def test_powers_are_those_of_numpys_transform(side: int, many: int, seed: int) -> None:
    blocks = np.random.default_rng(seed).normal(0.0, 1.0, (many, side, side)).astype(np.float32)
    expected = np.abs(np.fft.rfft2(blocks.astype(float))) ** 2
    found = half_powers(blocks)
    assert found.shape == expected.shape
    np.testing.assert_allclose(found, expected, rtol=1e-4, atol=1e-4 * side**2)


def test_a_part_of_a_picture_will_do() -> None:
    picture = np.random.default_rng(1).random((64, 64)).astype(np.float32)
    part = picture[None, 8:40, 16:48]
    np.testing.assert_allclose(half_powers(part), np.abs(np.fft.rfft2(part)) ** 2, rtol=1e-3, atol=1e-3)
