"""Where somebody passed: by outlines drawn on grain, up to the border, where no other looks, and beside a lamp."""

from __future__ import annotations

import cv2
import numpy as np

from verispect.prove.checks.laid_small import Small
from verispect.prove.checks.passing import Place, places_where_it_passed

ROWS, WIDE = 200, 420
# How far to the right of the canvas's left side each frame of 300 columns begins.
SAME, ASIDE = (0, 0, 0), (100, 0, 0)


def canvas() -> np.ndarray:
    grain = cv2.GaussianBlur(np.random.default_rng(5).random((ROWS, WIDE, 3)).astype(np.float32), (0, 0), 2.0)
    return np.asarray(0.4 + 0.9 * (grain - 0.5), np.float32)


def places(pictures: list[np.ndarray], begins: tuple[int, ...]) -> list[Place]:
    """What passed in the first of three frames."""

    def onto(a: int, b: int) -> np.ndarray:
        return np.array([[1.0, 0, begins[a] - begins[b]], [0, 1.0, 0], [0, 0, 1.0]])

    return places_where_it_passed(Small(onto, pictures, 1.0, None).beside(0, [1, 2]))


def frames(begins: tuple[int, ...]) -> list[np.ndarray]:
    return [canvas()[:, begin : begin + 300].copy() for begin in begins]


def test_an_outline_goes_up_to_the_border_it_is_cut_by() -> None:
    shown = frames(SAME)
    cv2.ellipse(shown[0], (150, 190), (14, 60), 0, 0, 360, (0.05, 0.1, 0.8), -1)
    (place,) = places(shown, SAME)
    assert not place.goes_on
    assert place.mask[ROWS - 1, 145:155].all()
    assert place.mask[135, 150]
    truth = cv2.ellipse(np.zeros((ROWS, 300), np.uint8), (150, 190), (14, 60), 0, 0, 360, 1, -1) > 0
    assert (place.mask & truth).sum() > 0.98 * truth.sum()
    assert place.mask.sum() < 2.0 * truth.sum()


def test_what_goes_on_where_no_other_looks_is_told_so() -> None:
    """The others look at the first 200 columns alone."""
    for column, beyond in ((120, False), (190, True)):
        shown = frames(ASIDE)
        cv2.ellipse(shown[0], (column, 100), (30, 40), 0, 0, 360, (0.05, 0.1, 0.8), -1)
        (place,) = places(shown, ASIDE)
        assert place.goes_on is beyond


def test_nothing_passed_where_all_is_the_same_or_a_lamp_is_focused_otherwise() -> None:
    assert places(frames(SAME), SAME) == []
    shown = frames(SAME)
    for picture, radius, light in zip(shown, (5, 11, 11), (1.0, 0.8, 0.8), strict=True):
        cv2.circle(picture, (150, 100), radius, (light, light, light), -1)
    assert places(shown, SAME) == []
    # As large, dark, and in one of them alone.
    cv2.circle(shown[0], (60, 100), 11, (0.05, 0.05, 0.05), -1)
    assert len(places(shown, SAME)) == 1
