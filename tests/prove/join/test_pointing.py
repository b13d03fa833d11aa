"""Pointing corrected by overlaps: planted turns come back."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from tests.prove.join.test_canvas import PIXELS, view
from verispect.prove.join.pointing import Pair, corrected, overlap_share


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


def test_what_is_not_trusted_changes_nothing() -> None:
    planned = [view(-10), view(10)]
    pair = Pair(0, 1, 0.4, 0.1, np.array([0.0, 0.01, 0.0]), 5.0)
    assert not pair.trusted
    for before, after in zip(planned, corrected(planned, [pair]), strict=True):
        assert np.array_equal(before.rotation, after.rotation)


def test_overlap_is_the_share_that_geometry_gives() -> None:
    """Two flat frames turned by half a frame: about half."""
    half = np.degrees(np.arctan(150 / 400))
    assert overlap_share(view(0), view(half), PIXELS) == pytest.approx(0.5, abs=0.06)
    assert overlap_share(view(0), view(0), PIXELS) == 1.0
    assert overlap_share(view(0), view(90), PIXELS) == 0.0
