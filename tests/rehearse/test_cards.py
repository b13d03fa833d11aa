"""Rehearsed cards, measured by the tests' own slanted-edge method against the contrast that is told."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import DEMO, EXAMPLES
from tests.outside.slanted_edge import contrast_of_edge
from verispect.files.plan_file import read_plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.rehearse.camera import Options, Rehearsal
from verispect.rehearse.cards import DARK, LIGHT


@pytest.mark.parametrize(
    ("path", "key"),
    [(DEMO, "tilt"), (DEMO, "series"), (EXAMPLES[0], "one-frame"), (EXAMPLES[2], "tilt"), (EXAMPLES[1], "series")],
    ids=lambda value: value.stem if isinstance(value, Path) else value,
)
def test_cards_show_the_contrast_and_the_place_that_are_told(path: Path, key: str) -> None:
    """Within 0.03 in contrast and a tenth of a pixel in place, in focus and out, tilted and straight."""
    candidate = worked(key, build_scene(read_plan(path)))
    assert candidate.fits
    wide, high = candidate.scene.plan.kit.body.pixels
    rehearsal = Rehearsal(candidate, Options(cards=True, pixels=(wide // 2, high // 2)))
    taken = rehearsal.take(0)
    grey = taken.picture[..., 1]
    frequency = min(candidate.criterion.frequency * rehearsal.pitch_mm, 0.45)
    measured = 0
    for mark in rehearsal.marks(taken):
        row, column = mark["pixel"]
        half = min(34 + int(0.6 * mark["blur_px"][0]), 60)
        if not (half < row < grey.shape[0] - half - 1 and half < column < grey.shape[1] - half - 1):
            continue
        told = told_contrast(rehearsal, taken, mark["name"], frequency)
        found, offset = contrast_of_edge(grey, row, column, frequency, half)
        assert found == pytest.approx(abs(told), abs=0.03), mark["name"]
        assert abs(offset) < 0.1
        measured += 1
    assert measured >= 3


def told_contrast(rehearsal: Rehearsal, taken, name: str, frequency: float) -> float:
    """What the planner's optics reckon for a mark at a frequency in cycles per pixel."""
    from dataclasses import replace

    from verispect.plan.frames.rendering import render

    scene = rehearsal.candidate.scene
    criterion = replace(
        rehearsal.candidate.criterion, pixel_mm=rehearsal.pitch_mm, frequency=frequency / rehearsal.pitch_mm
    )
    rendering = render(scene, [taken.exposure], criterion)
    return float(rendering.contrast[scene.names.index(name)])


def test_reflectances_are_as_promised_and_nothing_is_added() -> None:
    candidate = worked("one-frame", build_scene(read_plan(EXAMPLES[0])))
    rehearsal = Rehearsal(candidate, Options(cards=True, pixels=(1800, 1200)))
    taken = rehearsal.take(0)
    row, column = (round(part) for part in rehearsal.marks(taken)[0]["pixel"])
    assert float(taken.picture[row, column - 40, 0]) == pytest.approx(DARK, abs=0.01)
    assert float(taken.picture[row, column + 40, 0]) == pytest.approx(LIGHT, abs=0.01)
    again = Rehearsal(candidate, Options(cards=True, pixels=(1800, 1200))).take(0)
    assert (again.picture == taken.picture).all()
