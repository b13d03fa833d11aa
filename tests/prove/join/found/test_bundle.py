"""Turns and the focal length from exact points, and a set put level."""

from __future__ import annotations

import math
from dataclasses import replace

import cv2
import numpy as np
import pytest

from tests.prove.join.spheres import apart_deg, turn
from verispect.prove.join.found.bundle import focal_px_of, straightened, tree_of, turn_from, turned
from verispect.prove.join.found.features import Common

DOWN = np.diag([1.0, -1.0, 1.0])


def pair_of(a: int, b: int, first: np.ndarray, second: np.ndarray, focal: float, rng, noise: float = 0.0) -> Common:
    """What two cameras (rows right, up, forward) share of random directions, columns and rows from their middles."""
    camera = np.diag([focal, focal, 1.0])
    matrix = camera @ DOWN @ first @ second.T @ DOWN @ np.linalg.inv(camera)
    there = rng.uniform(-150, 150, (40, 2))
    mapped = np.column_stack([there, np.ones(40)]) @ matrix.T
    here = mapped[:, :2] / mapped[:, 2:]
    return Common(a, b, here + rng.normal(0, noise, here.shape), there, matrix / matrix[2, 2])


def test_a_homography_gives_its_turn_and_its_focal_length() -> None:
    rng = np.random.default_rng(1)
    pair = pair_of(0, 1, turn(0, 0), turn(18, 7, 3), 640.0, rng)
    assert focal_px_of([pair]) == pytest.approx(640.0, rel=1e-6)
    expected = DOWN @ turn(0, 0) @ turn(18, 7, 3).T @ DOWN
    assert turn_from(pair.matrix, 640.0) == pytest.approx(expected, abs=1e-9)


def test_all_pairs_together_find_turns_and_focal_length_from_a_bad_beginning() -> None:
    """Points are off by 0.3 px; the focal length begins 8 % off, and ends within a thousandth."""
    rng = np.random.default_rng(2)
    bases = [turn(b, p) for p in (-10, 10) for b in (-25, 0, 25)]
    near = [(a, b) for a in range(6) for b in range(a + 1, 6) if apart_deg(bases[a], bases[b]) < 40]
    common = [pair_of(a, b, bases[a], bases[b], 600.0, rng, 0.3) for a, b in near]
    found = turned(common, 6, 648.0)
    assert found.focal_px == pytest.approx(600.0, rel=1e-3)
    assert found.rest_px < 0.6
    assert max(abs(grown) for grown in found.grown.values()) < 1e-3
    for a, b in near:
        truth = DOWN @ bases[a] @ bases[b].T @ DOWN
        assert apart_deg(found.turns[a].T @ found.turns[b], truth) < 0.03


def test_a_frame_that_is_focused_nearer_is_found_drawn_larger() -> None:
    rng = np.random.default_rng(5)
    bases = [turn(b, p) for p in (-10, 10) for b in (-25, 0, 25)]
    grown = np.array([0.0, 0.012, -0.006, 0.004, -0.01, 0.0])
    near = [(a, b) for a in range(6) for b in range(a + 1, 6) if apart_deg(bases[a], bases[b]) < 40]
    common = []
    for a, b in near:
        pair = pair_of(a, b, bases[a], bases[b], 600.0, rng)
        first, second = pair.first * math.exp(grown[a]), pair.second * math.exp(grown[b])
        common.append(replace(pair, first=first + rng.normal(0, 0.3, first.shape), second=second))
    found = turned(common, 6, 600.0)
    logs = np.log(found.focal_px) + np.array([found.grown[k] for k in range(6)])
    assert logs == pytest.approx(np.log(600.0) + grown, abs=1.5e-3)
    for a, b in near:
        truth = DOWN @ bases[a] @ bases[b].T @ DOWN
        assert apart_deg(found.turns[a].T @ found.turns[b], truth) < 0.03


def test_a_focal_length_that_is_told_moves_little_where_points_tell_nothing_of_it() -> None:
    rng = np.random.default_rng(3)
    common = [pair_of(0, 1, turn(0, 0), turn(0, 0, 4), 600.0, rng)]
    assert turned(common, 2, 500.0, told=True).focal_px == pytest.approx(500.0, rel=1e-3)


def test_the_surest_pairs_hang_the_set_together() -> None:
    rng = np.random.default_rng(4)
    base = turn(0, 0)
    few = Common(0, 2, np.zeros((9, 2)), np.zeros((9, 2)), np.eye(3))
    common = [few, pair_of(0, 1, base, base, 500, rng), pair_of(1, 2, base, base, 500, rng)]
    common.append(Common(3, 4, np.zeros((12, 2)), np.zeros((12, 2)), np.eye(3)))
    members, steps = tree_of(common, 6)
    assert members == [0, 1, 2]
    assert {(old, new) for old, new, _ in steps} == {(1, 0), (1, 2)}


@pytest.mark.parametrize("lean", [0.0, 25.0, -60.0])
def test_a_set_is_put_level_however_its_first_camera_leans(lean: float) -> None:
    start = cv2.Rodrigues(np.radians([10.0, 20.0, lean]))[0]
    turns = {k: start @ (DOWN @ turn(b, 6.0) @ DOWN).T for k, b in enumerate(range(-60, 61, 30))}
    level = straightened(turns)
    for k, b in enumerate(range(-60, 61, 30)):
        assert level[k] == pytest.approx(turn(b, 6.0), abs=1e-6)
        assert float(np.linalg.det(level[k])) == pytest.approx(1.0)
    assert math.degrees(math.asin(level[0][2][1])) == pytest.approx(6.0)
