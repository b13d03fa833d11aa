"""Who of frames that look apart was shaken, by swings planted between them."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest

from verispect.prove.shake.shaken_apart import Apart, shaken_apart
from verispect.prove.shake.swing import Swing
from verispect.prove.shake.tile_powers import EDGES

# A grid of two by three: frames whose pictures overlap.
BESIDE = [(0, 1), (1, 2), (3, 4), (4, 5), (0, 3), (1, 4), (2, 5), (0, 4), (1, 3), (1, 5), (2, 4)]
CELLS = {k: k for k in range(6)}


def loss(length: float, direction_deg: float) -> np.ndarray:
    """What a motion takes at a fifth of a cycle a pixel: half of (π f L)²/3, along cosine and sine of 2θ."""
    twice = np.radians(2.0 * direction_deg)
    return -((np.pi * 0.2 * length) ** 2) / 6.0 * np.array([np.cos(twice), np.sin(twice)])


def tiles(shake: tuple[float, float] | None, rng: np.random.Generator) -> np.ndarray:
    """Log powers (20 tiles, 8 rings, 12 directions) that a frame keeps of white detail: ln sinc², and chance."""
    middles = np.sqrt(EDGES[1:] * EDGES[:-1])
    theta = (np.arange(12) + 0.5) * 15.0
    length, direction = shake or (0.0, 0.0)
    along = middles[:, None] * length * np.cos(np.radians(theta - direction))
    return np.log(np.maximum(np.sinc(along) ** 2, 0.03)) + rng.normal(0.0, 0.15, (20, 8, 12))


def pairs(shakes: dict[int, tuple[float, float]], seed: int = 0, places: int = 60, **defocus: float) -> list[Apart]:
    """Swings as they would be measured, off by chance; frames `f0`, `f1` and so on focused elsewhere by so much."""
    rng = np.random.default_rng(seed)
    of = {k: loss(*shakes[k]) if k in shakes else np.zeros(2) for k in CELLS}
    even = {k: -float(np.hypot(*of[k])) + defocus.get(f"f{k}", 0.0) for k in CELLS}
    return [
        Apart(
            a, b, Swing(of[a] - of[b] + rng.normal(0.0, 0.04, 2), np.full(2, 0.03), even[a] - even[b], places),
            tiles(shakes.get(a), rng) - tiles(shakes.get(b), rng),
        )
        for a, b in BESIDE
    ]  # fmt: skip


@pytest.mark.parametrize("seed", range(5))
@pytest.mark.parametrize("shaken", [0, 1, 5])
def test_one_is_told_with_length_and_direction(shaken: int, seed: int) -> None:
    found = shaken_apart(pairs({shaken: (4.0, 130.0)}, seed), CELLS)
    assert set(found) == {shaken}
    assert found[shaken].length_px == pytest.approx(4.0, rel=0.06)
    assert found[shaken].direction_deg == pytest.approx(130.0, abs=6.0)


@pytest.mark.parametrize("both", list(itertools.combinations(range(6), 2)))
def test_two_of_six_are_told_and_nobody_else(both: tuple[int, int]) -> None:
    found = shaken_apart(pairs({both[0]: (4.0, 20.0), both[1]: (6.0, 75.0)}), CELLS)
    assert set(found) <= set(both)
    # The corner that lies by two frames of which one was shaken has one witness left.
    assert len(found) == 2 or {0, 3} & set(both) or {2, 5} & set(both)


def test_a_longer_motion_is_told_only_along_the_way_that_all_agree_on() -> None:
    """Where what frames show tile by tile tells of another direction, the least that all agree on is told."""
    crossed = [
        replace(pair, more=other.more)
        for pair, other in zip(pairs({4: (4.0, 10.0)}), pairs({4: (9.0, 100.0)}), strict=True)
    ]
    found = shaken_apart(crossed, CELLS)
    assert found[4].direction_deg == pytest.approx(10.0, abs=6.0)
    assert found[4].length_px == pytest.approx(4.0, rel=0.2)


@pytest.mark.parametrize(
    ("turned_deg", "unsure", "places", "told"),
    [
        (10.0, 0.4, 60, True),
        (60.0, 0.4, 60, False),
        (5.0, 0.03, 3, True),
        (60.0, 0.03, 3, False),
        (5.0, 0.03, 1, False),
    ],
)
def test_at_a_corner_an_unclear_witness_helps_a_clear_one_that_tells_of_the_same(
    turned_deg: float, unsure: float, places: int, told: bool
) -> None:
    """Unclear by its content, or for the few places that a far shake leaves any detail in."""
    size = float(np.hypot(*loss(8.0, 30.0)))

    def seen(other: int, direction: float, unsure: float, even: float, places: int = 60) -> Apart:
        rng, shake = np.random.default_rng(other), (8.0, direction)
        swing = Swing(loss(*shake), np.full(2, unsure * size), even * size, places)
        return Apart(0, other, swing, tiles(shake, rng) - tiles(None, rng))

    clear, unclear = seen(1, 30.0, 0.025, -1.0), seen(2, 30.0 + turned_deg, unsure, 1.0, places)
    assert set(shaken_apart([clear, unclear], CELLS)) == ({0} if told else set())
    assert not shaken_apart([clear], CELLS)


@pytest.mark.parametrize(
    ("turned_deg", "clear", "told"), [((2.0, -1.0), 1.2, True), ((2.0, 30.0), 1.2, False), ((2.0, -1.0), 0.6, False)]
)
def test_all_others_that_tell_of_the_very_same_help_one_that_is_clear(
    turned_deg: tuple[float, float], clear: float, told: bool
) -> None:
    """However unclear each of them is by itself, and though they gained what one focused elsewhere gains."""
    size = float(np.hypot(*loss(4.0, 20.0)))

    def seen(other: int, direction: float, clear: float, even: float) -> Apart:
        rng = np.random.default_rng(other)
        swing = Swing(loss(4.0, direction), np.full(2, size / clear / math.sqrt(2.0)), even * size, 60)
        return Apart(0, other, swing, tiles((4.0, direction), rng) - tiles(None, rng))

    pairs = [seen(1, 20.0, 5.0, -1.0), *(seen(k + 2, 20.0 + by, clear, 1.0) for k, by in enumerate(turned_deg))]
    assert set(shaken_apart(pairs, CELLS)) == ({0} if told else set())


def test_good_frames_are_not_accused() -> None:
    for seed in range(40):
        assert shaken_apart(pairs({}, seed), CELLS) == {}


def test_what_gained_detail_was_not_shaken() -> None:
    """A frame focused where its neighbours are not swings against them all, as one shaken across would; it gained."""
    shaken = pairs({4: (4.0, 10.0)})
    sharper = pairs({4: (4.0, 10.0)}, f4=3.0)
    assert set(shaken_apart(shaken, CELLS)) == {4}
    assert shaken_apart(sharper, CELLS) == {}


def test_swings_of_widely_defocused_frames_say_little() -> None:
    """As traced before a wall whose windows repeat: the frame in the middle row was focused far nearer than those."""
    told = {
        (0, 4): (-0.58, -0.02, 4.45),
        (2, 4): (-0.47, 0.11, 4.61),
        (3, 4): (-0.38, -0.13, 3.78),
        (4, 5): (0.4, 0.0, -3.46),
    }
    unsure = np.full(2, 0.03)
    rng = np.random.default_rng(2)

    def seen(more: float) -> list[Apart]:
        return [
            Apart(a, b, Swing(np.array(parts), unsure, more * even, 60), tiles(None, rng) - tiles(None, rng))
            for (a, b), (*parts, even) in told.items()
        ]

    assert shaken_apart(seen(1.0), CELLS) == {}
    # Had they lost no more in all directions than a motion takes, it would have been shaken.
    assert set(shaken_apart(seen(0.12), CELLS)) == {4}


def test_frames_of_one_cell_are_one_witness() -> None:
    two_cells = {0: 0, 1: 1, 2: 1, 3: 1, 4: 1, 5: 1}
    told = [pair for pair in pairs({0: (5.0, 40.0)}) if 0 in (pair.first, pair.second)]
    assert set(shaken_apart(told, CELLS)) == {0}
    assert shaken_apart(told, two_cells) == {}


def test_few_places_take_a_greater_shake() -> None:
    assert shaken_apart(pairs({1: (2.5, 60.0)}, places=12), CELLS) == {}
    assert set(shaken_apart(pairs({1: (6.0, 60.0)}, places=12), CELLS)) == {1}
    assert shaken_apart(pairs({1: (6.0, 60.0)}, places=3), CELLS) == {}


@pytest.mark.parametrize(("turned_deg", "told"), [(2.0, True), (15.0, False)])
def test_two_focused_either_side_of_a_frame_tell_of_the_very_same(turned_deg: float, told: bool) -> None:
    """Frame 0 was shaken: the one has far less detail all told than it, the other more; both lost along one way."""
    of = {3: loss(5.0, 20.0), 1: loss(5.0, 20.0 + turned_deg)}
    even = {3: 2.8, 1: -2.2}
    rng = np.random.default_rng(1)
    seen = [
        Apart(
            0, other, Swing(of[other], np.full(2, 0.03), even[other], 60), tiles((5.0, 20.0), rng) - tiles(None, rng)
        )
        for other in (1, 3)
    ]
    assert set(shaken_apart(seen, CELLS)) == ({0} if told else set())
