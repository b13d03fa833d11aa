"""Contrast of edges against closed forms: a Gaussian edge, an ideal one through square pixels."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.special import erf

from verispect.prove.softness.edges import find_edge

SIDE = 121


def edge_block(angle_deg: float, *, sigma: float, offset: float = 0.0, low: float = 0.1, high: float = 0.7,
               lying: bool = False) -> np.ndarray:  # fmt: skip
    """An upright edge turned by an angle and blurred by a Gaussian, each pixel the mean of 9 × 9 points."""
    over = 9
    at = (np.arange(SIDE * over) - (SIDE * over - 1) / 2) / over
    x, y = np.meshgrid(at, at)
    across = x * math.cos(math.radians(angle_deg)) - y * math.sin(math.radians(angle_deg)) - offset
    fine = 0.5 + 0.5 * erf(across / (math.sqrt(2) * max(sigma, 1e-6)))
    block = low + (high - low) * fine.reshape(SIDE, over, SIDE, over).mean((1, 3))
    return np.ascontiguousarray(block.T if lying else block).astype(np.float32)


@settings(max_examples=12, deadline=None)
@given(
    st.floats(3.0, 15.0) | st.floats(-15.0, -3.0), st.floats(0.5, 2.5), st.floats(-3.0, 3.0), st.booleans(),
    st.booleans(),
)  # fmt: skip
def test_a_gaussian_edge_has_the_contrast_of_a_gaussian(
    angle: float, sigma: float, offset: float, lying: bool, falling: bool
) -> None:
    """exp(−2π²σ²f²), times the pixel's own along the edge's normal."""
    low, high = (0.7, 0.1) if falling else (0.1, 0.7)
    edge = find_edge(edge_block(angle, sigma=sigma, offset=offset, low=low, high=high, lying=lying))
    assert edge is not None
    assert edge.lying is lying
    assert abs(edge.angle_deg) == pytest.approx(abs(angle), abs=0.1)
    assert abs(edge.offset_px) == pytest.approx(abs(offset), abs=0.1)
    across, along = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    for frequency in (0.05, 0.1, 0.2, 0.3, 0.4):
        pixel = np.sinc(frequency * across) * np.sinc(frequency * along)
        expected = math.exp(-2 * (math.pi * sigma * frequency) ** 2) * pixel
        assert edge.at(frequency) == pytest.approx(expected, abs=0.02), frequency


def test_the_frequency_of_half_contrast_is_that_of_the_gaussian() -> None:
    edge = find_edge(edge_block(8.0, sigma=2.0))
    assert edge is not None
    # Of the Gaussian alone √(ln 2 / 2) / (π σ); the pixel takes a little more.
    assert edge.frequency_of(0.5) == pytest.approx(math.sqrt(math.log(2) / 2) / (math.pi * 2.0), rel=0.02)
    assert edge.frequency_of(1e-9) is None


def test_noise_makes_it_no_better_than_it_is() -> None:
    rng = np.random.default_rng(2)
    block = edge_block(7.0, sigma=1.5) + rng.normal(0, 0.005, (SIDE, SIDE)).astype(np.float32)
    edge = find_edge(block.astype(np.float32))
    assert edge is not None
    assert edge.at(0.1) == pytest.approx(math.exp(-2 * (math.pi * 0.15) ** 2) * np.sinc(0.1), abs=0.03)


@pytest.mark.parametrize("kind", ["flat", "noise", "corner", "two", "straight", "faint"])
def test_what_is_no_slanted_edge_is_not_measured(kind: str) -> None:
    rng = np.random.default_rng(0)
    block = {
        "flat": np.full((SIDE, SIDE), 0.5),
        "noise": rng.uniform(0.2, 0.8, (SIDE, SIDE)),
        "corner": np.where(np.add.outer(np.arange(SIDE) > 60, np.arange(SIDE) > 60) == 2, 0.8, 0.2),
        "two": np.where(np.abs(np.arange(SIDE) - 60)[None] < 8, 0.8, 0.2) * np.ones((SIDE, 1)),
        "straight": edge_block(0.0, sigma=1.0),
        "faint": 0.4 + 0.01 * edge_block(7.0, sigma=1.0),
    }[kind]
    assert find_edge(np.ascontiguousarray(block, np.float32)) is None


def test_a_stripe_and_a_step_that_texture_hides_are_no_edges() -> None:
    """As a post's two sides, and a board's border beside what is painted on it, were taken for soft edges."""
    edge = edge_block(4.0, sigma=0.6)
    assert find_edge(edge) is not None
    stripe = edge - 0.9 * edge_block(4.0, sigma=0.6, offset=18.0, low=0.0, high=0.6)
    assert find_edge(stripe) is None
    painted = edge.copy()
    painted[-40:, 20:50] = 0.6
    assert find_edge(painted) is None
    rng = np.random.default_rng(2)
    grain = 0.12 * np.kron(rng.normal(0.0, 1.0, (41, 41)), np.ones((3, 3)))[:SIDE, :SIDE]
    assert find_edge((edge + grain).astype(np.float32)) is None
    # Noise of a fiftieth of the step hides none.
    assert find_edge((edge + rng.normal(0.0, 0.012, edge.shape)).astype(np.float32)) is not None
