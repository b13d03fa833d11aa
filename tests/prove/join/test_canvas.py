"""Projections: pixels to directions and back, every frame taken in."""

from __future__ import annotations

import numpy as np
import pytest

from verispect.prove.expected import View
from verispect.prove.join.canvas import canvas_for, frame_maps

PIXELS = (300, 200)


def view(bearing_deg: float, pitch_deg: float = 0.0, scale: float = 400.0) -> View:
    b, p = np.radians([bearing_deg, pitch_deg])
    forward = np.array([np.sin(b) * np.cos(p), np.sin(p), np.cos(b) * np.cos(p)])
    right = np.array([np.cos(b), 0.0, -np.sin(b)])
    up = np.cross(forward, right)
    return View(np.stack([right, up, forward]), scale, (149.5, 99.5))


@pytest.mark.parametrize("projection", ["flat", "cylinder", "sphere"])
def test_every_corner_of_every_frame_is_on_the_canvas(projection: str) -> None:
    views = [view(b, p) for b in (-25, 0, 25) for p in (-8, 8)]
    canvas = canvas_for(views, PIXELS, projection, None)
    wide, high = canvas.size
    directions = canvas.directions(0, 0, wide, high)
    for one in views:
        columns, rows = frame_maps(one, directions)
        inside = (columns >= 0) & (columns <= PIXELS[0] - 1) & (rows >= 0) & (rows <= PIXELS[1] - 1)
        for corner in ((0, 0), (299, 0), (0, 199), (299, 199)):
            nearest = np.hypot(columns - corner[0], rows - corner[1])[inside].min()
            assert nearest < 2.0, corner


@pytest.mark.parametrize("projection", ["flat", "cylinder", "sphere"])
def test_a_direction_falls_where_its_frame_shows_it(projection: str) -> None:
    """Against the plain pinhole: a direction's pixel in the frame is its tangent times the scale."""
    one = view(10.0, 4.0)
    canvas = canvas_for([view(-10.0), one], PIXELS, projection, None)
    directions = canvas.directions(*(0, 0, *canvas.size))
    columns, rows = frame_maps(one, directions)
    row, column = canvas.size[1] // 2, int(0.7 * canvas.size[0])
    seen = one.rotation @ directions[row, column]
    assert columns[row, column] == pytest.approx(149.5 + 400 * seen[0] / seen[2], abs=1e-3)
    assert rows[row, column] == pytest.approx(99.5 - 400 * seen[1] / seen[2], abs=1e-3)


def test_one_frame_on_a_flat_canvas_of_its_own_view_is_itself() -> None:
    one = view(0.0)
    canvas = canvas_for([one], PIXELS, "flat", one.rotation)
    assert canvas.size[0] == pytest.approx(PIXELS[0], abs=2)
    assert canvas.size[1] == pytest.approx(PIXELS[1], abs=2)


def test_what_is_too_wide_to_be_flat_becomes_a_cylinder() -> None:
    assert canvas_for([view(b) for b in (-10, 10)], PIXELS, None, None).projection == "flat"
    assert canvas_for([view(b) for b in range(-70, 71, 20)], PIXELS, None, None).projection == "cylinder"


def test_what_lies_behind_is_on_no_frame() -> None:
    columns, rows = frame_maps(view(0.0), np.array([[[0.0, 0.0, -1.0], [0.0, 0.0, 1.0]]]))
    assert not (0 <= columns[0, 0] <= 299 and 0 <= rows[0, 0] <= 199)
    assert (columns[0, 1], rows[0, 1]) == pytest.approx((149.5, 99.5))


def test_the_homography_agrees_with_the_directions() -> None:
    one = view(10.0, 4.0)
    canvas = canvas_for([view(-10.0), one], PIXELS, "flat", None)
    matrix = canvas.homography_of(one)
    assert matrix is not None
    seen = matrix @ np.array([40.0, 70.0, 1.0])
    column, row = seen[:2] / seen[2]
    left, top = int(column), int(row)
    columns, rows = frame_maps(one, canvas.directions(left, top, left + 2, top + 2))
    assert columns[0, 0] <= 40.0 + 1e-3 <= columns[1, 1] + 0.2
    assert rows[0, 0] == pytest.approx(70.0, abs=1.2)
    assert canvas_for([one], PIXELS, "sphere", None).homography_of(one) is None
