"""Pyramids: nothing is lost, the sharper frame is taken, what a frame does not show is not taken from it."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from verispect.prove.merge.pyramid import ProofFusion, collapsed, energy, laplacian, levels_of


def detail(rows: int = 192, columns: int = 256, seed: int = 0) -> np.ndarray:
    rng = np.random.default_rng(seed)
    made = rng.integers(4000, 28000, (rows, columns, 3)).astype(np.float32)
    return cv2.GaussianBlur(made, (0, 0), 1.0).astype(np.int16)


@settings(max_examples=15, deadline=None)
@given(st.integers(50, 150), st.integers(50, 150), st.integers(0, 99))
def test_a_pyramid_collapses_to_its_picture(rows: int, columns: int, seed: int) -> None:
    picture = detail(rows, columns, seed)
    again = collapsed(laplacian(picture, levels_of(picture.shape)))
    assert np.abs(again.astype(int) - picture).max() <= 2


def test_energy_in_strips_is_energy_at_once() -> None:
    tall = detail(1300, 40)
    whole = cv2.transform(tall.astype(np.float32), np.array([[0.25, 0.5, 0.25]], np.float32)) ** 2
    plain = cv2.boxFilter(whole, -1, (5, 5), borderType=cv2.BORDER_REFLECT_101)
    assert energy(tall) == pytest.approx(plain, rel=1e-3)


def test_of_two_half_sharp_frames_a_sharp_one_is_made() -> None:
    sharp = detail()
    soft = cv2.GaussianBlur(sharp, (0, 0), 3.0)
    left, right = sharp.copy(), sharp.copy()
    left[:, 128:], right[:, :128] = soft[:, 128:], soft[:, :128]
    fusion = ProofFusion()
    for frame in (left, right):
        fusion.add(frame, None)
    made = fusion.picture().astype(float)
    error = np.abs(made - sharp)
    # Far from where they meet it is the sharp one.
    assert error[:, :100].mean() < 0.1 * np.abs(soft.astype(float) - sharp).mean()
    assert error[:, 156:].mean() < 0.1 * np.abs(soft.astype(float) - sharp).mean()
    assert fusion.shares() == pytest.approx([0.5, 0.5], abs=0.05)


def test_what_a_frame_does_not_show_is_taken_from_the_other() -> None:
    first, second = detail(seed=1), detail(seed=2)
    there = np.full(first.shape[:2], 255, np.uint8)
    there[:, :128] = 0
    first = cv2.GaussianBlur(first, (0, 0), 4.0)
    fusion = ProofFusion()
    fusion.add(first, None)
    fusion.add(np.where(there[..., None] > 0, second, 0).astype(np.int16), there)
    made = fusion.picture()
    assert np.abs(made[:, :90].astype(int) - first[:, :90]).mean() < 300


def test_the_same_frame_twice_changes_nothing() -> None:
    picture = detail()
    fusion = ProofFusion()
    fusion.add(picture, None)
    fusion.add(picture, None)
    assert np.abs(fusion.picture().astype(int) - picture).max() <= 2
