"""Labels of the sharpest frame: thin posts stay what they are, against a painted scene."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.prove.merge.posts import posts_before_a_wall
from verispect.prove.merge.final import DepthMap
from verispect.prove.merge.layers import Along, layers_of


def test_a_post_a_few_pixels_wide_keeps_its_own_frame() -> None:
    """The guided filter on the number itself gives most of such posts a frame between both."""
    frames, truth = posts_before_a_wall((240, 360), seed=2, width=7)
    depth = DepthMap(io.BytesIO())
    for frame in frames:
        depth.add(frame, None)
    layers, blended = depth.layers(), depth.settled(0.5)
    post = cv2.resize((truth.mean(axis=2) < 16_000).astype(np.uint8), (180, 120), interpolation=cv2.INTER_AREA) > 0
    inside = cv2.erode(cv2.morphologyEx(post.astype(np.uint8), cv2.MORPH_OPEN, np.ones((9, 3), np.uint8)),
                       np.ones((1, 3), np.uint8)) > 0  # fmt: skip
    wall = ~cv2.dilate(post.astype(np.uint8), np.ones((3, 9), np.uint8)).astype(bool)
    assert inside.sum() > 300
    assert float((layers.number[inside] < 0.5).mean()) > 0.75
    assert float((blended[inside] < 0.5).mean()) < 0.5
    assert float((layers.number[wall] > 4.5).mean()) > 0.98
    assert float(np.median(layers.sure[wall])) > 0.5


def test_places_between_two_frames_lie_between_their_numbers() -> None:
    """Detail that falls off evenly about 1.3 has its peak there."""
    rng = np.random.default_rng(0)
    guide = rng.random((40, 60, 3)).astype(np.float32)
    fall = [np.float32(np.exp(-((k - 1.3) ** 2))) for k in range(4)]
    layers = layers_of(lambda k: np.full((40, 60), fall[k], np.float32), 4, guide)
    assert np.abs(layers.number - 1.3).max() < 0.1


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 1000), st.integers(1, 9))
def test_smoothing_keeps_what_is_even_and_follows_an_edge(seed: int, radius: int) -> None:
    rng = np.random.default_rng(seed)
    guide = rng.random((30, 34, 3)).astype(np.float32) * 0.02
    guide[:, 17:] += (0.5, 0.1, 0.7)
    along = Along(guide, radius, 1e-3)
    assert along(np.full((30, 34), 0.4, np.float32)) == pytest.approx(0.4, abs=1e-4)
    sides = np.zeros((30, 34), np.float32)
    sides[:, 17:] = 1.0
    noisy = sides + rng.normal(0, 0.2, sides.shape).astype(np.float32)
    found = along(noisy)
    assert float(np.abs(found - sides).mean()) < 0.8 * float(np.abs(noisy - sides).mean())
    assert float(found[:, 17].mean() - found[:, 16].mean()) > 0.8
