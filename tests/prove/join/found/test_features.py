"""Points in common: the matching against OpenCV's own, and brick that is like other brick."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.prove.join.spheres import painted_sphere, seen, turn
from verispect.prove.join.found.features import _RATIO, Common, best_both, common_of, features_of, show_the_same


def grey(seed: int, bearing: float, pitch: float = 0.0) -> np.ndarray:
    light = seen(painted_sphere(seed), turn(bearing, pitch))
    return np.asarray(255 * light.mean(axis=2), np.uint8)


def in_common(pictures: list[np.ndarray]) -> list[Common]:
    size = (pictures[0].shape[1], pictures[0].shape[0])
    found = [features_of(picture) for picture in pictures]
    return common_of(found, size, is_cancelled=lambda: False, progress=lambda _share: None)


def test_matches_are_those_of_opencv() -> None:
    """A general library finds each point's two nearest one by one, both ways; here one product does."""
    (_, own), (_, other) = features_of(grey(3, 0.0)), features_of(grey(3, 12.0))
    assert min(len(own), len(other)) > 300

    def best(a: np.ndarray, b: np.ndarray) -> dict[int, int]:
        pairs = cv2.BFMatcher(cv2.NORM_L2).knnMatch(a, b, k=2)
        return {near.queryIdx: near.trainIdx for near, far in pairs if near.distance < _RATIO * far.distance}

    there, back = best(own, other), best(other, own)
    expected = {(a, b) for a, b in there.items() if back.get(b) == a}
    found = {(int(a), int(b)) for a, b in best_both(own, other)}
    assert len(expected) > 60
    # Where two are as near to the last bit either may be taken.
    assert len(expected ^ found) <= 0.01 * len(expected)


def test_overlaps_agree_where_frames_lie_side_by_side() -> None:
    pictures = [grey(3, bearing) for bearing in (0.0, 15.0, 28.0)]
    pairs = in_common(pictures)
    assert {(pair.a, pair.b) for pair in pairs} >= {(0, 1), (1, 2)}
    assert all(show_the_same(pair, pictures[pair.a], pictures[pair.b]) for pair in pairs)


def test_points_that_agree_by_chance_do_not_make_neighbours() -> None:
    """The same laid brick on two buildings: their points agree with a shift, what they show does not."""
    rng = np.random.default_rng(4)
    brick = rng.uniform(0.4, 0.6, (60, 80))

    def building(seed: int) -> np.ndarray:
        coarse = np.random.default_rng(seed).uniform(0.2, 0.9, (8, 12)).astype(np.float32)
        light = cv2.resize(coarse, (480, 320), interpolation=cv2.INTER_CUBIC)
        light[200:260, 100:180] = brick
        return np.asarray(255 * np.clip(light, 0, 1), np.uint8)

    one, other = building(1), building(2)
    pair = Common(0, 1, np.zeros((1, 2)), np.zeros((1, 2)), np.eye(3))
    assert not show_the_same(pair, one, other)
    assert show_the_same(pair, one, np.asarray(0.5 * one, np.uint8))
    # Laid where they have nothing in common they cannot agree.
    away = Common(0, 1, np.zeros((1, 2)), np.zeros((1, 2)), np.array([[1.0, 0, 900], [0, 1, 0], [0, 0, 1]]))
    assert not show_the_same(away, one, one)


def test_of_many_frames_each_is_held_against_those_most_like_it() -> None:
    """More than are all compared: thirty around a table, each sharing two hundred points with the next."""
    rng = np.random.default_rng(2)
    count, shared, shift = 30, 200, np.array([250.0, 3.0])
    told = np.sqrt(rng.dirichlet(np.full(128, 0.3), (count, 3 * shared))).astype(np.float32)
    where = rng.uniform((-240.0, -160.0), (-10.0, 160.0), (count, 3 * shared, 2))
    for k in range(count):
        after = (k + 1) % count
        told[after, shared : 2 * shared] = told[k, :shared]
        where[after, shared : 2 * shared] = where[k, :shared] + shift
    found = list(zip(where, told, strict=True))
    pairs = common_of(found, (480, 320), is_cancelled=lambda: False, progress=lambda _share: None)
    near = {(k, k + 1) for k in range(count - 1)} | {(0, count - 1)}
    assert {(pair.a, pair.b) for pair in pairs} == near
    for pair in pairs:
        np.testing.assert_allclose(np.abs(pair.matrix[:2, 2]), np.abs(shift), atol=0.1)


@pytest.mark.parametrize("points", [0, 5])
def test_a_frame_of_next_to_nothing_has_no_neighbour(points: int) -> None:
    (where, told) = features_of(grey(3, 0.0))
    bare = (where[:points], told[:points])
    assert common_of([bare, (where, told)], (480, 320), is_cancelled=lambda: False,
                     progress=lambda _share: None) == []  # fmt: skip
