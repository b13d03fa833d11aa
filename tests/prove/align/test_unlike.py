"""Pictures of one place out of focus by even discs, which the comparison does not know, and one with a thing more."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.prove.merge.test_lights import out_of_focus
from verispect.prove.align.unlike import WIDE_BLURS, Unlike, dark_of, in_stops, unlike

SHAPE = (160, 240)


def facade() -> np.ndarray:
    """Windows in plaster, linear light."""
    rng = np.random.default_rng(11)
    grain = cv2.resize(rng.normal(0.0, 0.02, (80, 120)), SHAPE[::-1], interpolation=cv2.INTER_CUBIC)
    light = 0.2 + grain
    for row in range(14, 150, 34):
        for column in range(12, 230, 40):
            light[row : row + 18, column : column + 20] += 0.3
    return np.clip(light, 0.02, 1.0)


def with_a_thing(light: np.ndarray, left: int) -> np.ndarray:
    found = light.copy()
    found[66:94, left : left + 20] = 0.05
    return found


def taken(light: np.ndarray, diameter: float = 0.0) -> np.ndarray:
    noise = np.random.default_rng(3).normal(0.0, 0.002, light.shape)
    return np.asarray(np.clip(out_of_focus(light, diameter) + noise, 0.0, 1.0), np.float32)


@pytest.mark.parametrize("diameters", [(0.0, 0.0), (0.0, 6.0), (9.0, 0.0), (4.0, 9.0)])
def test_what_focus_makes_of_a_place_is_alike_and_a_thing_more_is_not(diameters: tuple[float, float]) -> None:
    first, second = (taken(facade(), across) for across in diameters)
    dark = dark_of([first, second])
    assert unlike(in_stops(first, dark), in_stops(second, dark)).max() < 0.3
    more = taken(with_a_thing(facade(), 104), diameters[1])
    told = unlike(in_stops(first, dark), in_stops(more, dark))
    assert told[72:88, 108:120].min() > 0.6
    # Away from it nothing is told.
    assert told[:, :80].max() < 0.3
    assert told[:, 150:].max() < 0.3


def test_in_colour_the_channel_that_differs_most_tells() -> None:
    grey = taken(facade())
    first = np.dstack([grey] * 3)
    second = first.copy()
    second[60:100, 100:140, 2] *= 0.5
    found = unlike(in_stops(first, 0.001), in_stops(second, 0.001))
    assert found.shape == SHAPE
    assert found[75:85, 115:125].min() > 0.6
    assert found[:40].max() < 0.05


def test_what_lies_about_a_place_tells_how_far_it_may_be_out_of_focus() -> None:
    """A figure of light and dark patches is, blurred, like the wall: where nothing is out of focus it is told."""
    rng = np.random.default_rng(8)
    figure = cv2.resize(rng.choice([0.03, 0.9], (7, 4)), (16, 28), interpolation=cv2.INTER_NEAREST)
    light, more = facade(), facade()
    place = np.zeros(SHAPE, bool)
    place[66:94, 104:120] = True
    more[66:94, 104:120] = figure * light[place].mean() / figure.mean()
    shown = np.ones(SHAPE, bool)

    def told(one: np.ndarray, other: np.ndarray) -> float:
        dark = dark_of([one, other])
        held = Unlike(in_stops(one, dark, WIDE_BLURS), in_stops(other, dark, WIDE_BLURS), shown)
        return float((held.at(place) > 0.3).mean())

    assert told(taken(light), taken(more)) > 0.4
    # Where all about it is out of focus so may it be.
    assert told(taken(light, 14.0), taken(light)) < 0.1
    assert told(taken(light), taken(light, 14.0)) < 0.1
