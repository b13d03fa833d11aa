"""A turn rolled out: places and directions are one another's inverse, and outlines are cut at the seam."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.plan.methods.test_turned_grid import all_round
from verispect.plan.scene.scene import unchecked_scene
from verispect.ui.drawings import rolled_out
from verispect.ui.state.session import Shown


def shown(around: str, bearing: float = 0.0) -> Shown:
    return Shown(scene=unchecked_scene(all_round(around, bearing_deg=bearing)), candidate=None, rendering=None)


@given(st.sampled_from(["circle", "sphere"]), st.floats(-170, 170), st.floats(-3.1, 3.1), st.floats(-1.2, 1.2))
def test_there_and_back(around: str, bearing: float, turn: float, height: float) -> None:
    seen = shown(around, bearing)
    direction = np.array([math.sin(turn) * math.cos(height), math.sin(height), math.cos(turn) * math.cos(height)])
    place = rolled_out.places_of(seen, direction, 120.0)
    assert rolled_out.direction_of(seen, place, 120.0) == pytest.approx(direction, abs=1e-9)
    # The camera's own bearing is in the middle; a quarter turn to the right lies a quarter of the width right of it.
    right = math.radians(bearing + 90.0)
    assert rolled_out.places_of(seen, np.array([math.sin(right), 0.0, math.cos(right)]), 120.0) == pytest.approx(
        [0.5 * math.pi * 120.0, 0.0], abs=1e-6
    )


def test_an_outline_across_the_seam_is_cut_in_two() -> None:
    seen = shown("circle")
    behind = np.array([[-1.0, -0.2, -3.0], [1.0, -0.2, -3.0], [1.0, 0.2, -3.0], [-1.0, 0.2, -3.0]])
    parts = rolled_out.outlines(seen, behind, 100.0)
    assert len(parts) >= 2
    for part in parts:
        assert np.ptp(part[:, 0]) < 100.0
    assert len(rolled_out.outlines(seen, behind * [1, 1, -1], 100.0)) == 1


def test_a_path_is_broken_at_the_seam_and_ends_with_what_is_wanted() -> None:
    turn = np.linspace(0.0, 2.0 * math.pi, 73)
    path = np.column_stack([np.sin(turn), 0.9 * np.sin(turn / 2.0), np.cos(turn)])
    places, seen = rolled_out.seen_of(shown("circle"), path, 100.0)
    assert not seen[places[:, 1] > 50.0].any()
    level = np.column_stack([np.sin(turn), np.zeros(73), np.cos(turn)])
    _, seen = rolled_out.seen_of(shown("circle"), level, 100.0)
    assert np.count_nonzero(~seen) == 1


def test_as_high_as_the_framed_picture_or_all_there_is() -> None:
    left, right, low, high = rolled_out.extent(shown("circle").scene.plan, 10.0)
    assert (left, right) == pytest.approx((-10 * math.pi, 10 * math.pi))
    assert (low, high) == pytest.approx((-5.0, 5.0))
    assert rolled_out.extent(shown("sphere").scene.plan, 10.0)[3] == pytest.approx(5 * math.pi)
