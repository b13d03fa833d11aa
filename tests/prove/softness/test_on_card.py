"""An edge put in a mark's place is measured as soft as planned, by the edge-based response of ISO 12233."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.softness.on_card import measured_on_card, two_measured
from verispect.rehearse.cards import cards_of

SPREAD = [
    {"f_number": 2.8, "centre_um": 10, "corner_um": 16},
    {"f_number": 16, "centre_um": 4, "corner_um": 7},
]
DEEP = [(-0.3, 1.0, 1.6), (0.3, 1.4, 3.0), (0.1, 1.5, 12.0), (0.8, 1.9, 5.0)]


@pytest.mark.parametrize(
    ("method", "values"),
    [
        ("one-frame", {}),
        ("series", {"lenses": [a_lens(35.0, residual=SPREAD)], "framing": 35.0}),
        ("tilt", {"lenses": [a_lens(35.0, pupil_magnification=0.7)], "framing": 35.0}),
        ("one-frame", {"lenses": [a_lens(24.0, f_numbers=[2.0, 2.8])], "print_mm": (600, 400)}),
    ],
)
def test_what_is_measured_is_what_is_planned(method, values) -> None:
    """Sharp marks, marks in the smallest blur and in one of many pixels, with a lens's own blur and tilted."""
    candidate = worked(method, build_scene(make_plan(DEEP, **values)))
    looked = 0
    for mark in range(candidate.scene.mark_count):
        planned = float(candidate.rendering.softness[mark])
        found = measured_on_card(candidate, mark)
        if not np.isfinite(planned):
            continue
        assert found is not None
        softness, unsure = found
        assert abs(softness - planned) <= unsure
        if planned > 0.4:
            looked += 1
            assert abs(softness - planned) <= 0.03 * planned + 0.06
    assert looked >= 2


@pytest.mark.parametrize("turned_deg", [-63.0, 2.0, 50.0, 88.0])
def test_the_longest_way_of_a_blur_is_measured(monkeypatch, turned_deg) -> None:
    """A blur half as wide one way as the other, turned anywhere, is measured along its longer way."""
    candidate = worked("one-frame", build_scene(make_plan(DEEP, lenses=[a_lens(24.0, f_numbers=[2.0, 2.8])])))
    mark = int(np.argmax(candidate.rendering.softness))
    turn = np.radians(turned_deg)

    def narrow(*given):
        return [
            replace(card, short_mm=0.5 * card.long_mm, direction=(float(np.cos(turn)), float(np.sin(turn))))
            for card in cards_of(*given)
        ]

    monkeypatch.setattr("verispect.rehearse.cards.cards_of", narrow)
    softness, _ = measured_on_card(candidate, mark)
    # It looks a little less soft than the disc of its longer axis, and far softer than that of the other.
    planned = float(candidate.rendering.softness[mark])
    assert 0.88 * planned < softness < 1.05 * planned


def test_a_mark_that_no_frame_shows_is_not_measured_and_it_can_be_given_up() -> None:
    candidate = worked("one-frame", build_scene(make_plan([(0.0, 1.5, 4.0), (9.0, 1.5, 3.0)])))
    assert measured_on_card(candidate, 1) is None
    told: list[float] = []
    [own, other] = two_measured((candidate, candidate), 0, progress=told.append, is_cancelled=lambda: False)
    assert own == other == measured_on_card(candidate, 0)
    assert told == [0.5, 1.0]
    assert two_measured((candidate, candidate), 0, progress=told.append, is_cancelled=lambda: True) == []
