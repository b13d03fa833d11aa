"""Motion planted in content of the kind outdoor scenes have, by what two frames of it have more and less of."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.prove.align.test_motion import content
from verispect.prove.shake.swing import Swing, least_between, motion_deg, motion_px, swing_between
from verispect.prove.shake.tile_powers import sector_powers


def moved(length: float, direction_deg: float, seed: int = 0) -> np.ndarray:
    """An even motion in a direction clockwise from the horizontal, by the mean of shifted pictures."""
    return moved_as(np.kron(content(seed), np.ones((2, 2), np.float32))[:512, :768], length, direction_deg)


def moved_as(whole: np.ndarray, length: float, direction_deg: float) -> np.ndarray:
    """A picture in an even motion."""
    steps = np.linspace(-0.5, 0.5, 41) * length
    c, s = np.cos(np.radians(direction_deg)), np.sin(np.radians(direction_deg))
    made = np.zeros_like(whole)
    for step in steps:
        shift = np.float32([[1, 0, step * c], [0, 1, step * s]])
        made += cv2.warpAffine(whole, shift, whole.shape[::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    return (made / len(steps)).astype(np.float32)


def soft(picture: np.ndarray, sigma: float) -> np.ndarray:
    return cv2.GaussianBlur(picture, (0, 0), sigma)


def swing(own: np.ndarray, other: np.ndarray) -> Swing:
    found = swing_between(sector_powers(own), sector_powers(other))
    assert found is not None
    return found


@pytest.mark.parametrize("direction", [0.0, 30.0, 90.0, 135.0])
@pytest.mark.parametrize("length", [2.5, 4.0, 7.0])
def test_a_planted_motion_is_found_with_its_length_and_direction(length: float, direction: float) -> None:
    """Also where the finest detail lies past the first zero of the motion, as that of seven pixels does."""
    found = swing(soft(moved(length, direction), 0.8), soft(moved(0.0, 0.0), 0.8))
    told = motion_deg(found.parts)
    assert min(abs(told - direction), 180 - abs(told - direction)) < 8.0
    assert motion_px(found.size) == pytest.approx(length, rel=0.25)
    # What it takes along one way and across another is as much on the average.
    assert found.even == pytest.approx(-found.size, rel=0.35)


@pytest.mark.parametrize("fine", [0.7, 1.0])
def test_detail_that_comes_back_past_the_zero_hides_no_motion(fine: float) -> None:
    """A long motion against a frame that is softer itself: what is left at the finest frequencies says little."""
    rng = np.random.default_rng(5)
    grain = rng.normal(0.0, 1.0, (512, 768)).astype(np.float32)
    shaken = moved_as(0.5 + 0.2 * soft(grain, fine), 8.0, 83.0)
    softer = 0.5 + 0.2 * soft(grain, float(np.hypot(fine, 1.0)))
    own, other = (np.float32(part + rng.normal(0.0, 0.002, part.shape)) for part in (shaken, softer))
    found = swing(own, other)
    assert motion_px(found.size) == pytest.approx(8.0, rel=0.25)
    assert motion_deg(found.parts) == pytest.approx(83.0, abs=4.0)


def test_what_one_lost_the_other_has_more() -> None:
    still, shaken = (soft(moved(length, 20.0), 0.8) for length in (0.0, 4.0))
    one, other = swing(shaken, still), swing(still, shaken)
    assert one.parts == pytest.approx(-other.parts, abs=0.02)
    assert one.even == pytest.approx(-other.even, abs=0.02)
    assert one.places == other.places > 20


def test_even_defocus_is_no_motion() -> None:
    found = swing(soft(moved(0.0, 0.0), 1.6), soft(moved(0.0, 0.0), 0.8))
    assert found.size < 0.1
    assert found.even < -0.3


def test_plain_pictures_tell_nothing() -> None:
    plain = sector_powers(np.full((256, 256), 0.5, np.float32))
    assert swing_between(plain, plain) is None


@pytest.mark.parametrize(
    ("first", "second", "expected"),
    [((1.0, 0.0), (2.0, 0.0), (1.0, 0.0)), ((1.0, 0.0), (-1.0, 0.0), (0.0, 0.0)),
     ((1.0, 0.0), (0.0, 1.0), (0.5, 0.5)), ((0.3, 0.4), (0.3, 0.4), (0.3, 0.4))],
)  # fmt: skip
def test_two_that_disagree_say_little_together(first, second, expected) -> None:
    assert least_between(np.array(first), np.array(second)) == pytest.approx(np.array(expected))
