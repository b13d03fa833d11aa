"""Frames laid over one another by their looks: against a painted sphere whose truth is a pinhole's homography."""

from __future__ import annotations

import itertools

import cv2
import numpy as np
import pytest

from tests.prove.join.spheres import FOCAL_PX, SIZE, painted_sphere, seen, turn
from tests.prove.merge.test_lights import out_of_focus
from verispect.prove.join.found.alike import linked_by_look, may_lie_aside
from verispect.prove.join.found.features import Common, Grey8, common_of, features_of

FLIP = np.diag([1.0, -1.0, 1.0])


def grey(basis: np.ndarray, *, blur: float = 0.0, seed: int = 3) -> Grey8:
    light = out_of_focus(seen(painted_sphere(seed), basis).mean(axis=2), blur)
    noisy = light * 255.0 + np.random.default_rng(seed).normal(0.0, 1.0, light.shape)
    return np.clip(np.round(noisy), 0, 255).astype(np.uint8)


def linked(greys: list[Grey8], common: list[Common] | None = None) -> list[Common]:
    return linked_by_look(greys, common or [], is_cancelled=lambda: False)


def by_points(greys: list[Grey8]) -> list[Common]:
    return common_of([features_of(one) for one in greys], SIZE, is_cancelled=lambda: False,
                     progress=lambda _share: None)  # fmt: skip


def worst_px(pair: Common, bases: list[np.ndarray]) -> float:
    """Of the points told of two, how far one lies from where a pinhole camera has it."""
    between = FLIP @ bases[pair.a] @ bases[pair.b].T @ FLIP
    ray = np.c_[pair.second / FOCAL_PX, np.ones(len(pair.second))] @ between.T
    return float(np.abs(FOCAL_PX * ray[:, :2] / ray[:, 2:] - pair.first).max())


@pytest.mark.parametrize("aside", [(20.0, 0.0), (0.0, 14.0), (-26.0, 3.0)])
def test_a_neighbour_far_out_of_focus_is_laid_where_it_looks(aside: tuple[float, float]) -> None:
    """A disc of a thirtieth of the width leaves no points in common; by their looks they lie within 1 % of it."""
    bases = [turn(0.0, 0.0), turn(*aside)]
    greys = [grey(bases[0]), grey(bases[1], blur=16.0)]
    assert by_points(greys) == []
    (pair,) = linked(greys)
    assert (pair.a, pair.b) == (0, 1)
    assert worst_px(pair, bases) < 0.01 * SIZE[0]
    mapped = cv2.perspectiveTransform(pair.second[:, None], pair.matrix)[:, 0]
    assert np.abs(mapped - pair.first).max() < 0.01


def test_only_what_points_leave_apart_is_looked_for() -> None:
    greys = [grey(turn(b, 0.0)) for b in (0.0, 22.0, 44.0)]
    common = by_points(greys)
    assert {(pair.a, pair.b) for pair in common} >= {(0, 1), (1, 2)}
    assert linked(greys, common) == []


def test_frames_of_other_things_are_not_linked() -> None:
    greys = [grey(turn(37.0 * k, 9.0 * (k % 3) - 9.0), blur=4.0 * (k % 4), seed=30 + k) for k in range(6)]
    assert linked(greys) == []


def test_windows_that_repeat_are_not_guessed_at() -> None:
    """Nothing but equal windows: every window further is as good."""
    columns = np.arange(6 * SIZE[0])
    row = np.where(columns % 60 < 30, 200, 90).astype(np.uint8)
    house = np.tile(row, (SIZE[1], 1))
    house[: SIZE[1] // 4] = 150
    greys = [np.ascontiguousarray(house[:, begin : begin + SIZE[0]]) for begin in (0, 200, 410)]
    assert linked(greys) == []


def test_a_series_lies_on_itself_and_a_neighbour_aside() -> None:
    """However it is focused, and pushed by less than a tenth of the frame."""
    first = grey(turn(0.0, 0.0))
    for basis, blur in itertools.product((turn(0.0, 0.0), turn(3.0, 1.0)), (0.0, 12.0)):
        assert not may_lie_aside(first, grey(basis, blur=blur))
    for basis, blur in itertools.product((turn(25.0, 0.0), turn(0.0, 16.0)), (0.0, 12.0)):
        assert may_lie_aside(first, grey(basis, blur=blur))


def test_rows_focused_far_apart_are_laid_on_one_another_where_two_pairs_agree() -> None:
    """Each row hangs together by its points; one link alone between two rows is not believed."""
    bases = [turn(b, p) for p in (0.0, -12.0) for b in (-18.0, 0.0, 18.0)]
    greys = [grey(basis, blur=0.0 if k < 3 else 9.0) for k, basis in enumerate(bases)]
    common = [pair for pair in by_points(greys) if (pair.a < 3) == (pair.b < 3)]
    assert {(pair.a, pair.b) for pair in common} >= {(0, 1), (1, 2), (3, 4), (4, 5)}
    found = linked(greys, common)
    assert len(found) == 2
    assert all(pair.a < 3 <= pair.b for pair in found)
    assert max(worst_px(pair, bases) for pair in found) < 0.015 * SIZE[0]
    # Of four frames in one row but the middle two have anything in common across the gap.
    row = [grey(turn(b, 0.0), blur=0.0 if b < 0.0 else 9.0) for b in (-40.0, -14.0, 12.0, 38.0)]
    assert len(linked(row[1:3])) == 1
    halves = [pair for pair in by_points(row) if (pair.a, pair.b) in {(0, 1), (2, 3)}]
    assert len(halves) == 2
    assert linked(row, halves) == []
