"""Pointing corrected by overlaps: planted turns come back."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse.csgraph import connected_components
from scipy.spatial.transform import Rotation

from tests.prove.join.test_canvas import PIXELS, view
from verispect.prove.join.pointing import (
    PRIOR_DEG,
    Pair,
    corrected,
    drawn_larger,
    drifting_told,
    kept_as_planned,
    neighbours,
    overlap_share,
)


def tangled(views, vectors):
    return [
        replace(v, rotation=Rotation.from_rotvec(turn).as_matrix() @ v.rotation)
        for v, turn in zip(views, vectors, strict=True)
    ]


def exact_pairs(planned, true) -> list[Pair]:
    """What each overlap would tell without error: true A and B against those planned."""
    found = []
    for a in range(len(planned)):
        for b in range(a + 1, len(planned)):
            share = overlap_share(planned[a], planned[b], PIXELS)
            if share < 0.15:
                continue
            between = planned[a].rotation @ planned[b].rotation.T
            turn = Rotation.from_matrix(true[a].rotation @ true[b].rotation.T @ between.T).as_rotvec()
            found.append(Pair(a, b, share, 0.9, turn, 0.1))
    return found


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10_000))
def test_planted_turns_are_found_up_to_one_that_all_share(seed: int) -> None:
    planned = [view(b, p) for p in (-6, 6) for b in (-20, 0, 20)]
    vectors = np.random.default_rng(seed).normal(0, np.radians(0.15), (6, 3))
    true = tangled(planned, vectors)
    found = corrected(planned, exact_pairs(planned, true))
    shared = [f.rotation.T @ t.rotation for f, t in zip(found, true, strict=True)]
    for one in shared[1:]:
        apart = Rotation.from_matrix(shared[0] @ one.T).magnitude()
        # Half a pixel at 400 pixels a radian is 1.25 mrad.
        assert apart < 2.5e-4


def test_one_pair_that_lies_is_outvoted() -> None:
    planned = [view(b, p) for p in (-6, 6) for b in (-20, 0, 20)]
    pairs = exact_pairs(planned, planned)
    pairs[0] = replace(pairs[0], turn=np.array([0.0, 0.01, 0.0]))
    found = corrected(planned, pairs)
    for before, after in zip(planned, found, strict=True):
        assert Rotation.from_matrix(after.rotation @ before.rotation.T).magnitude() < 2.5e-3


def test_a_small_overlap_hardly_tells_a_turn_about_its_own_direction() -> None:
    """What two frames share lies straight ahead of the first; they were laid over one another a degree askew."""
    planned = [view(0), view(10)]
    askew = np.radians(1.0) * np.array([0.0, 0.0, 1.0])
    pair = Pair(0, 1, 0.4, 0.9, askew, 0.1, held=np.diag([1.0, 1.0, 0.1]))
    other = replace(pair, held=np.eye(3))
    turns = [
        Rotation.from_matrix(corrected(planned, [one])[0].rotation @ planned[0].rotation.T).magnitude()
        for one in (pair, other)
    ]
    assert turns[0] < 0.5 * turns[1]


@pytest.mark.parametrize("turned", [(4,), (3, 4, 5)], ids=["one frame", "from there on"])
@pytest.mark.parametrize("degrees", [2.0, 8.0])
def test_a_head_that_was_pushed_far_is_believed_where_others_bear_it_out(
    turned: tuple[int, ...], degrees: float
) -> None:
    """Beyond what a head errs by no pair had counted: such frames were told to lie as planned."""
    planned = [view(b, p) for p in (-6, 6) for b in (-20, 0, 20)]
    push = np.radians(degrees) * np.array([0.3, 0.95, 0.0])
    true = tangled(planned, [push if k in turned else np.zeros(3) for k in range(6)])
    found = corrected(planned, exact_pairs(planned, true))
    shared = [f.rotation.T @ t.rotation for f, t in zip(found, true, strict=True)]
    for one in shared[1:]:
        # Turns are added up as if they were small.
        assert Rotation.from_matrix(shared[0] @ one.T).magnitude() < 0.03 * np.radians(degrees)


def test_a_pair_that_lies_far_is_not_believed_and_two_neighbours_of_a_row_are() -> None:
    """Paving laid over itself; and a row, where no three frames overlap."""
    planned = [view(b, p) for p in (-6, 6) for b in (-20, 0, 20)]
    pairs = exact_pairs(planned, planned)
    lies = replace(pairs[0], turn=np.array([0.0, 0.08, 0.0]))
    for before, after in zip(planned, corrected(planned, [lies, *pairs[1:]]), strict=True):
        assert Rotation.from_matrix(after.rotation @ before.rotation.T).magnitude() < 1e-6
    row = [view(b) for b in (-40, -20, 0, 20, 40)]
    pushed = tangled(row, [np.radians(3.0) * np.array([0.0, 1.0, 0.0]) if k == 2 else np.zeros(3) for k in range(5)])
    beside = [pair for pair in exact_pairs(row, pushed) if pair.b == pair.a + 1]
    assert len(beside) == 4
    turns = [
        np.degrees(Rotation.from_matrix(after.rotation @ before.rotation.T).magnitude())
        for before, after in zip(row, corrected(row, beside), strict=True)
    ]
    assert turns[2] == pytest.approx(3.0, abs=0.1)
    assert max(turns[:2] + turns[3:]) < 0.1


def test_what_is_not_trusted_changes_nothing() -> None:
    planned = [view(-10), view(10)]
    pair = Pair(0, 1, 0.4, 0.1, np.array([0.0, 0.01, 0.0]), 5.0)
    assert not pair.trusted
    for before, after in zip(planned, corrected(planned, [pair]), strict=True):
        assert np.array_equal(before.rotation, after.rotation)


@pytest.mark.parametrize(
    ("correlation", "blurred", "tells"), [(0.64, False, False), (0.9, False, True), (0.64, True, True)]
)
def test_two_weak_pairs_that_agree_draw_no_frame_larger(correlation: float, blurred: bool, tells: bool) -> None:
    """As clouds in the wind do: weights of 0.2 and 0.1; one of 0.7, or laid as its blur has it, is enough."""
    sharp = [Pair(a, b, 0.4, 0.95, np.zeros(3), 0.1) for a, b in ((0, 1), (2, 3), (0, 2), (1, 3))]
    odd = [
        Pair(1, 4, 0.4, correlation, np.zeros(3), 0.1, growth=-0.028, blurred=blurred),
        Pair(3, 4, 0.2, 0.57, np.zeros(3), 0.1, growth=-0.027),
    ]
    assert bool(drawn_larger([*sharp, *odd], 5)) is tells


def test_overlap_is_the_share_that_geometry_gives() -> None:
    """Two flat frames turned by half a frame: about half."""
    half = np.degrees(np.arctan(150 / 400))
    assert overlap_share(view(0), view(half), PIXELS) == pytest.approx(0.5, abs=0.06)
    assert overlap_share(view(0), view(0), PIXELS) == 1.0
    assert overlap_share(view(0), view(90), PIXELS) == 0.0


def shares_of_rectangles(columns: int, rows: int, across: float, down: float) -> np.ndarray:
    """Shares of frames of one size side by side, as areas of rectangles."""
    place = np.array([(c * (1.0 - across), r * (1.0 - down)) for r in range(rows) for c in range(columns)])
    apart = np.abs(place[:, None] - place[None])
    shares = np.prod(np.maximum(1.0 - apart, 0.0), axis=2)
    return shares - np.diag(np.diag(shares))


@settings(max_examples=60, deadline=None)
@given(st.integers(1, 7), st.integers(1, 5), st.floats(0.06, 0.8), st.floats(0.06, 0.8))
def test_frames_that_can_be_joined_stay_so(columns: int, rows: int, across: float, down: float) -> None:
    shares = shares_of_rectangles(columns, rows, across, down)
    pairs = neighbours(shares)
    joined = np.zeros(shares.shape)
    for i, j, share in pairs:
        assert share == shares[i, j]
        joined[i, j] = 1.0
    # Outside truth: connected parts by scipy.sparse.csgraph.
    assert connected_components(joined, directed=False)[0] == connected_components(shares >= 0.04, directed=False)[0]
    # Side by side in a row or a column every two are held against one another.
    beside = [(k, k + 1) for k in range(columns * rows) if (k + 1) % columns]
    beside += [(k, k + columns) for k in range(columns * (rows - 1))]
    assert set(beside) <= {pair[:2] for pair in pairs}


def test_of_wide_overlaps_the_narrow_ones_are_passed_by() -> None:
    shares = shares_of_rectangles(4, 3, 0.6, 0.6)
    assert 2 * len(neighbours(shares)) < np.count_nonzero(np.triu(shares) >= 0.04) * 1.5
    # Where frames overlap by a fifth each has few neighbours, and all count.
    few = shares_of_rectangles(2, 2, 0.25, 0.25)
    assert len(neighbours(few)) == 6


@pytest.mark.parametrize("degrees", [0.8, 1.5, 3.0])
@pytest.mark.parametrize("seed", range(4))
def test_under_clouds_frames_lie_where_they_were_planned(seed: int, degrees: float) -> None:
    """Those of the upper row show nothing else: one pair of them fits, as any does by itself, and no other does."""
    planned = [view(b, p) for p in (6, -6) for b in (-20, 0, 20)]
    rng = np.random.default_rng(seed)
    true = tangled(planned, [np.zeros(3)] * 3 + [*rng.normal(0.0, np.radians(0.03), (3, 3))])
    drift = np.radians(degrees) * np.array([0.0, 1.0, 0.0])
    # Clouds go neither everywhere alike nor all the time.
    times = {(0, 1): 3.1, (1, 2): 0.5, (0, 3): -2.4, (0, 4): 2.8, (1, 3): 3.7, (1, 4): -3.3, (1, 5): 2.2, (2, 4): 4.0}
    pairs = [
        replace(pair, turn=times.get((pair.a, pair.b), -4.6) * drift) if pair.a < 3 else pair
        for pair in exact_pairs(planned, true)
    ]
    found = corrected(planned, pairs)
    for before, after in zip(planned, found, strict=True):
        assert np.degrees(Rotation.from_matrix(after.rotation @ before.rotation.T).magnitude()) < PRIOR_DEG
    assert kept_as_planned(planned, found, pairs) == [0, 1, 2]


def under_soft_clouds(seed: int, *, drift_deg: float, sinks_deg: float = 0.0, plain: bool = False):
    """Planned and true views of three rows, the uppermost of sky alone, and what pairs tell; turns a frame.

    Below them may lie a plain field.
    """
    planned = [view(b, p) for p in (12, 0, -12) for b in (-20, 0, 20)]
    rng = np.random.default_rng(seed)
    vectors = rng.normal(0.0, np.radians(0.03), (9, 3))
    vectors += np.radians(sinks_deg) * np.outer(np.arange(9) - 4, [1.0, 0.0, 0.0])
    true = tangled(planned, vectors)
    pairs = []
    for pair in exact_pairs(planned, true):
        if pair.a < 3:
            # In the world the clouds go on alike for every frame that was taken.
            went = (pair.a - pair.b) * np.radians([0.0, drift_deg, 0.2 * drift_deg])
            turn = pair.turn + planned[pair.a].rotation @ went + rng.normal(0.0, 2e-4, 3)
            pairs.append(replace(pair, turn=turn, residual_px=np.inf))
        else:
            pairs.append(replace(pair, residual_px=np.inf) if plain and pair.b > 5 else pair)
    return planned, true, pairs


def apart_deg(one, other) -> float:
    return float(np.degrees(Rotation.from_matrix(one.rotation @ other.rotation.T).magnitude()))


@pytest.mark.parametrize("seed", range(4))
def test_soft_clouds_that_go_on_lead_nobody_away(seed: int) -> None:
    planned, true, pairs = under_soft_clouds(seed, drift_deg=0.4)
    told = drifting_told(planned, pairs)
    assert {pair.drifts for pair in told if pair.a < 3} == {True}
    assert not any(pair.drifts for pair in told if pair.a >= 3)
    found = corrected(planned, told)
    shared = Rotation.from_matrix(found[4].rotation.T @ true[4].rotation)
    for k in range(3, 9):
        off = Rotation.from_matrix(found[k].rotation.T @ true[k].rotation) * shared.inv()
        assert np.degrees(off.magnitude()) < 0.01
    assert kept_as_planned(planned, found, told) == [0, 1, 2]
    # Without it they had been drawn along.
    assert apart_deg(corrected(planned, pairs)[0], planned[0]) > 0.5


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize(("sinks_deg", "plain"), [(0.0, False), (0.25, False), (0.25, True)])
def test_soft_pairs_of_what_stands_are_believed(seed: int, sinks_deg: float, plain: bool) -> None:
    planned, true, pairs = under_soft_clouds(seed, drift_deg=0.0, sinks_deg=sinks_deg, plain=plain)
    told = drifting_told(planned, pairs)
    assert told == pairs
    found = corrected(planned, told)
    assert apart_deg(found[0], true[0]) < 0.1 + sinks_deg


def led_by_leaves(head_errs_deg: float, seed: int) -> float:
    """How far of the way frame 0 goes to which all pairs lead it, alike and hardly, as crowns that bow do."""
    planned = [view(b, p) for p in (6, -6) for b in (-20, 0, 20)]
    wide = np.random.default_rng(seed).normal(0.0, 1.0, (5, 3))
    wide *= np.radians(head_errs_deg) / np.linalg.norm(wide, axis=1, keepdims=True)
    # A turn that all share is nobody's error.
    true = tangled(planned, [np.zeros(3), *(wide - np.median(wide, axis=0))])
    bowed = np.radians([0.0, 0.15, 0.0])
    pairs = [
        replace(pair, turn=pair.turn + bowed, correlation=0.7, residual_px=0.8) if pair.a == 0 else pair
        for pair in exact_pairs(planned, true)
    ]
    found = corrected(planned, pairs)
    # The others lie by what they show in common, whatever the head.
    assert np.allclose(found[5].rotation @ found[4].rotation.T, true[5].rotation @ true[4].rotation.T, atol=1e-4)
    return Rotation.from_matrix(found[0].rotation @ planned[0].rotation.T).magnitude() / np.linalg.norm(bowed)


def test_leaves_in_the_wind_lead_a_frame_no_farther_than_its_head_errs() -> None:
    assert max(led_by_leaves(0.01, seed) for seed in range(20)) < 0.2
    # By a head that errs as far it may be so.
    assert np.median([led_by_leaves(0.12, seed) for seed in range(20)]) > 0.6


def test_who_is_held_as_planned_is_known_from_who_agrees() -> None:
    planned = [view(b) for b in (-20, 0, 20)]
    true = tangled(planned, np.radians([[0.0, 0.1, 0.0], [0.0, -0.1, 0.0], [0.0, 0.0, 0.0]]))
    pairs = exact_pairs(planned, true)[:1]
    # The third has nothing to join on, and that is told otherwise.
    assert kept_as_planned(planned, corrected(planned, pairs), pairs) == []
    against = [replace(pairs[0], turn=np.radians([0.0, 5.0, 0.0]))]
    assert kept_as_planned(planned, corrected(planned, against), against) == [], "one contradicts nobody"
    drifting = [replace(pairs[0], drifts=True)]
    assert kept_as_planned(planned, corrected(planned, drifting), drifting) == [0, 1]
    against += [replace(against[0], a=a, b=2, turn=np.radians([0.0, turn, 0.0])) for a, turn in ((0, -4.0), (1, 7.0))]
    assert kept_as_planned(planned, corrected(planned, against), against) == [0, 1, 2]
