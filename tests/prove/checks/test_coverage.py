"""A grid's picture as it was taken: frames that are gone, that were pushed, and that lie as planned."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from tests.conftest import a_lens, make_plan
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.checks.coverage import Coverage, Hole, coverage_of
from verispect.prove.expected import View, view_of
from verispect.prove.report import FrameReport
from verispect.prove.verdict import covered_words, holes_to_fill

PIXELS, STILL = (1200, 800), np.eye(3)


@pytest.fixture(scope="module")
def grid() -> Candidate:
    """Three frames by two over a wide wall."""
    lens = a_lens(85.0, f_numbers=[8, 8], tilt_deg=0)
    places = [(-2.6, 0.4, 7.0), (0.0, 2.0, 7.4), (2.6, 2.6, 7.0)]
    return worked("turned-grid", build_scene(make_plan(places, framing=40.0, lenses=[lens])))


def views(grid: Candidate) -> dict[int, View]:
    pitch = 36.0 / PIXELS[0]
    return {index: view_of(exposure, PIXELS, pitch) for index, exposure in enumerate(grid.exposures)}


def covered(grid: Candidate, taken: dict[int, tuple[View, np.ndarray]]) -> Coverage:
    found = coverage_of(grid, views(grid), taken, PIXELS)
    assert found is not None
    return found


def test_a_grid_as_planned_is_whole(grid: Candidate) -> None:
    found = covered(grid, {index: (one, STILL) for index, one in views(grid).items()})
    assert found == Coverage(1.0, ())
    assert holes_to_fill(found, grid, []) == []


def test_a_frame_that_is_gone_leaves_what_it_alone_showed(grid: Candidate) -> None:
    """Its own share, by directions counted one by one with the geometry of a pinhole."""
    gone = max(views(grid), key=lambda index: grid.exposures[index].pose.forward @ np.array([1.0, 1.0, 0.0]))
    rest = {index: (one, STILL) for index, one in views(grid).items() if index != gone}
    found = covered(grid, rest)
    (hole,) = found.holes
    assert hole.exposure == gone
    assert hole.where == "top right"
    assert found.share == pytest.approx(1.0 - hole.share, abs=1e-9)
    scene = grid.scene
    half = scene.half_picture()
    rng = np.random.default_rng(5)
    tangents = rng.uniform(-1.0, 1.0, (40_000, 2)) * half + scene.picture_centre()
    directions = np.column_stack([tangents, np.ones(len(tangents))]) @ scene.pose.matrix
    seen = []
    for exposure in grid.exposures:
        own = directions @ exposure.pose.matrix.T
        at = own[:, :2] / own[:, 2:] * exposure.state.pupil_scale_mm
        seen.append((own[:, 2] > 0) & (np.abs(at[:, 0]) <= 18.0) & (np.abs(at[:, 1]) <= 12.0))
    alone = seen[gone] & ~np.any([one for index, one in enumerate(seen) if index != gone], axis=0)
    assert hole.share == pytest.approx(alone.mean(), abs=0.006)
    said = holes_to_fill(found, grid, [])
    assert said == [
        f"{100 * hole.share:.1f} % of the wanted picture, at the top right, is on no frame: take frame "
        f"{grid.number_of(gone)} again"
    ]
    # Where the frame itself is called missing nothing is said twice.
    assert holes_to_fill(found, grid, [FrameReport(file=None, planned_exposure=gone)]) == []


@pytest.mark.parametrize(("degrees", "is_rim"), [(-0.1, True), (-2.0, False)])
def test_a_thin_strip_along_the_edge_is_cropped_and_not_taken_again(
    grid: Candidate, degrees: float, is_rim: bool
) -> None:
    """All of them look lower or so by a head that errs; what is lost at the top is no wider than any crop takes."""
    lower = Rotation.from_rotvec(np.radians([degrees, 0.0, 0.0])).as_matrix()
    taken = {k: (replace(one, rotation=lower @ one.rotation), STILL) for k, one in views(grid).items()}
    found = covered(grid, taken)
    assert found.holes
    assert {hole.is_rim for hole in found.holes} == {is_rim}
    assert bool(holes_to_fill(found, grid, [])) is not is_rim
    (said,) = covered_words(found)
    assert said.endswith("which is cropped away") is is_rim


def test_a_frame_that_was_pushed_leaves_a_strip(grid: Candidate) -> None:
    """By its angles, as a run tells, or by where its content was found to lie."""
    all_of_them = views(grid)
    first = min(all_of_them, key=lambda index: grid.exposures[index].pose.forward[0])
    turn = Rotation.from_euler("Y", 8.0, degrees=True).as_matrix()
    turned = replace(all_of_them[first], rotation=all_of_them[first].rotation @ turn.T)
    by_angle = covered(
        grid, {index: (turned if index == first else one, STILL) for index, one in all_of_them.items()}
    )
    assert 0.005 < 1.0 - by_angle.share < 0.1
    assert by_angle.holes[0].at[0] < -0.8
    moved = np.eye(3)
    moved[0, 2] = -all_of_them[first].scale_px * np.tan(np.radians(8.0))
    by_shift = covered(grid, {index: (one, moved if index == first else STILL) for index, one in all_of_them.items()})
    assert by_shift.share == pytest.approx(by_angle.share, abs=0.02)


def test_thirds_are_words_and_a_series_covers_nothing(grid: Candidate) -> None:
    assert [Hole(0.1, at, 0).where for at in ((-0.9, 0.0), (0.0, 0.0), (1.0, -1.0), (0.0, 0.9))] == [
        "left", "middle", "bottom right", "top",
    ]  # fmt: skip
    lens = a_lens(50.0, f_numbers=[4, 4], tilt_deg=0)
    series = worked("series", build_scene(make_plan([(0, 1.5, 2.0), (0, 1.5, 6.0)], framing=50.0, lenses=[lens])))
    assert coverage_of(series, {}, {}, PIXELS) is None
