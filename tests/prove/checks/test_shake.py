"""Motion blur planted in content of the kind outdoor scenes have."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.prove.align.test_motion import content
from verispect.prove.checks.shake import agreed, blur_length_px, loss_against, sector_powers


def moved(length: float, direction_deg: float, seed: int = 0) -> np.ndarray:
    """An even motion in a direction clockwise from the horizontal, by the mean of shifted pictures."""
    whole = np.kron(content(seed), np.ones((2, 2), np.float32))[:512, :768]
    steps = np.linspace(-0.5, 0.5, 41) * length
    c, s = np.cos(np.radians(direction_deg)), np.sin(np.radians(direction_deg))
    made = np.zeros_like(whole)
    for step in steps:
        shift = np.float32([[1, 0, step * c], [0, 1, step * s]])
        made += cv2.warpAffine(whole, shift, (768, 512), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    return (made / len(steps)).astype(np.float32)


def lost(own: np.ndarray, *others: np.ndarray) -> tuple[float, float]:
    return agreed([loss for other in others if (loss := loss_against(own, other)) is not None])


@pytest.mark.parametrize("direction", [0.0, 30.0, 90.0, 135.0])
@pytest.mark.parametrize("length", [3.0, 5.0])
def test_a_planted_motion_is_found_with_its_direction(length: float, direction: float) -> None:
    still = sector_powers(cv2.GaussianBlur(moved(0.0, 0.0), (0, 0), 0.8))
    shaken = sector_powers(cv2.GaussianBlur(moved(length, direction), (0, 0), 0.8))
    swing, found = lost(shaken, still, still)
    assert swing > 0.1
    assert min(abs(found - direction), 180 - abs(found - direction)) < 8.0
    assert blur_length_px(swing) == pytest.approx(length, rel=0.5)


def test_even_defocus_is_no_motion() -> None:
    still, soft = (sector_powers(cv2.GaussianBlur(moved(0.0, 0.0), (0, 0), sigma)) for sigma in (0.8, 1.6))
    assert lost(soft, still)[0] < 0.1


def test_a_frame_far_out_of_focus_tells_of_no_motion() -> None:
    """Content that is streaks one way keeps them: what is left of it swings, whatever moved."""
    streaks = cv2.GaussianBlur(moved(0.0, 0.0), (0, 0), sigmaX=3.0, sigmaY=0.01)
    sharp = sector_powers(streaks + 0.2 * moved(0.0, 0.0))
    soft = sector_powers(cv2.GaussianBlur(streaks + 0.2 * moved(0.0, 0.0), (0, 0), 3.5))
    assert loss_against(soft, sharp) is None
    assert loss_against(sharp, soft) is None


def test_one_shaken_neighbour_accuses_nobody() -> None:
    still = sector_powers(moved(0.0, 0.0))
    shaken = sector_powers(moved(5.0, 20.0))
    assert lost(still, shaken, still)[0] < 0.02


def test_plain_pictures_tell_nothing() -> None:
    plain = sector_powers(np.full((256, 256), 0.5, np.float32))
    assert lost(plain, plain)[0] == 0.0


def test_length_grows_with_what_is_lost() -> None:
    lengths = [blur_length_px(swing) for swing in (0.0, 0.1, 0.3, 0.6, 1.0)]
    assert lengths == sorted(lengths)
    assert lengths[0] == 0.0
