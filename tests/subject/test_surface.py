"""Surfaces and scans as data: where patches lie, planes through marks, what is kept of a cloud."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.errors import GeometryError
from verispect.subject.scan import packed, unpacked, within
from verispect.subject.surface import Surface, patches, seen_from, through_three


def test_a_floor_runs_away_a_wall_runs_up() -> None:
    """Hand-worked corners."""
    floor = patches(Surface(name="f", z_m=2.0, width_m=4.0, length_m=6.0))[0].corners()
    assert floor == pytest.approx(np.array([[-2, 0, 2], [2, 0, 2], [2, 0, 8], [-2, 0, 8]]))
    wall = patches(Surface(name="w", z_m=9.0, slope_deg=90.0, width_m=2.0, length_m=3.0))[0].corners()
    assert wall == pytest.approx(np.array([[-1, 0, 9], [1, 0, 9], [1, 3, 9], [-1, 3, 9]]))
    aside = patches(Surface(name="s", z_m=0.0, bearing_deg=90.0, width_m=2.0, length_m=5.0))[0].corners()
    assert aside == pytest.approx(np.array([[0, 0, 1], [0, 0, -1], [5, 0, -1], [5, 0, 1]]), abs=1e-12)


def test_a_box_shows_the_faces_that_look_at_the_eye() -> None:
    box = Surface(name="b", kind="box", x_m=1.0, z_m=4.0, width_m=1.0, length_m=1.0, height_m=1.0)
    assert len(patches(box)) == 6
    centre = np.array([1.0, 0.5, 4.5])
    for patch in patches(box):
        middle = patch.corners().mean(axis=0)
        assert patch.outward @ (middle - centre) > 0.0, "every face looks out of the box"
    # Above, in front and left of it: top, front and left are seen.
    seen = seen_from(box, np.array([0.0, 1.5, 0.0]))
    assert len(seen) == 3
    assert sorted(tuple(np.sign(np.round(p.outward, 9)).astype(int)) for p in seen) == [
        (-1, 0, 0), (0, 0, -1), (0, 1, 0),
    ]  # fmt: skip


@given(
    st.lists(st.floats(-20.0, 20.0), min_size=9, max_size=9),
)
def test_a_patch_through_three_marks_holds_them(values) -> None:
    places = np.array(values).reshape(3, 3)
    area = np.linalg.norm(np.cross(places[1] - places[0], places[2] - places[0]))
    if area < 0.05:
        return
    surface = through_three(places, name="p")
    patch = patches(surface)[0]
    normal = patch.outward / np.linalg.norm(patch.outward)
    assert np.abs((places - patch.corner_m) @ normal).max() < 1e-6
    for edge in (patch.across_m, patch.along_m):
        share = (places - patch.corner_m) @ edge / (edge @ edge)
        assert share.min() > -1e-6
        assert share.max() < 1.0 + 1e-6


def test_marks_on_a_line_give_no_surface() -> None:
    with pytest.raises(GeometryError, match="on a line"):
        through_three(np.array([[0, 0, 1], [1, 1, 2], [2, 2, 3.0]]), name="p")


def test_the_kinds_are_told_by_the_slope() -> None:
    assert through_three(np.array([[0, 0, 2], [1, 0, 2], [0, 0, 5.0]]), name="p").kind == "floor"
    assert through_three(np.array([[0, 0, 2], [1, 0, 2], [0, 3, 2.0]]), name="p").kind == "wall"
    slope = through_three(np.array([[0, 0, 2], [1, 0, 2], [0, 3, 5.0]]), name="p")
    assert (slope.kind, slope.slope_deg) == ("slope", pytest.approx(45.0))
    assert slope.length_m == pytest.approx(np.hypot(3, 3))


@given(st.integers(0, 400), st.integers(0, 2**32 - 1))
def test_clouds_survive_packing_to_the_millimetre(count, seed) -> None:
    places = np.random.default_rng(seed).uniform(-900.0, 900.0, (count, 3))
    back = unpacked(packed(places), count)
    assert back.shape == (count, 3)
    assert np.abs(back - places).max(initial=0.0) <= 0.0005 + 1e-9


def test_damaged_or_impossible_clouds_are_told() -> None:
    good = packed(np.ones((5, 3)))
    for text, count in (("", 5), (good[:-6], 5), (good, 4), (good, 6), ("ÄÖ", 2), ("AAAA", 1)):
        with pytest.raises(GeometryError, match="damaged"):
            unpacked(text, count)
    with pytest.raises(GeometryError, match="farther away"):
        packed(np.full((1, 3), 1e8))


def test_a_region_keeps_what_lies_in_it() -> None:
    places = np.array([[0, 0, 1], [0, 0, 5], [3, 0, 1.0]])
    assert within(places, (-1, 1, -1, 1, 0, 2)).tolist() == [[0, 0, 1]]
    assert len(within(places, None)) == 3
