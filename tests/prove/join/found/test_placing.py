"""Where frames lie without a plan: against a painted sphere and a plane, sampled by the tests' own pinhole camera."""

from __future__ import annotations

import itertools
import math
from pathlib import Path

import numpy as np
import pytest

from tests.prove.join.spheres import FOCAL_PX, SIZE, apart_deg, painted_sphere, taken, turn
from verispect.errors import Cancelled, FileError
from verispect.files.picture_out import Shot, write_picture
from verispect.prove.intake import described
from verispect.prove.join.found import placing
from verispect.prove.join.found.features import Common
from verispect.prove.join.found.placing import Placed, found_places
from verispect.prove.join.grid import join
from verispect.prove.taken_in.folders import frames_in


def places_of(folder: Path) -> Placed:
    frames = [described(path) for path in frames_in([folder])]
    return found_places(frames, None, lambda _share, _text: None, lambda: False)


def worst_px(placed: Placed, bases: list[np.ndarray]) -> float:
    """Of any two frames, how far one looks from where it should against the other."""
    shown = [(bases[cell[0]], view.rotation) for cell, view in zip(placed.cells, placed.views, strict=True)]
    pairs = itertools.combinations(shown, 2)
    return max(apart_deg(a @ b.T, found @ other.T) for (a, found), (b, other) in pairs) * math.pi / 180 * FOCAL_PX


@pytest.mark.parametrize("told", [True, False])
def test_two_rows_are_found_with_and_without_a_focal_length(tmp_path: Path, told: bool) -> None:
    """Within a pixel anywhere, the focal length within a third of a hundredth; cameras that lean stay leaning."""
    bases = [turn(b, p, 0.4 * b / 30) for p in (-12, 12) for b in (-30, 0, 30)]
    taken(tmp_path, bases, told=told)
    placed = places_of(tmp_path)
    assert placed.cells == [[k] for k in range(6)]
    assert placed.doubts == ()
    assert worst_px(placed, bases) < 1.0
    assert placed.views[0].scale_px == pytest.approx(FOCAL_PX, rel=0.003)


def test_a_full_circle_closes_and_stands_level(tmp_path: Path) -> None:
    """Nine frames, 40° apart, each pitched up by 3°: level on the whole, and the last lies beside the first."""
    bases = [turn(b, 3.0) for b in range(0, 360, 40)]
    taken(tmp_path, bases)
    placed = places_of(tmp_path)
    assert len(placed.cells) == 9
    assert worst_px(placed, bases) < 1.0
    for view in placed.views:
        assert math.degrees(math.asin(view.rotation[2][1])) == pytest.approx(3.0, abs=0.1)
        assert math.degrees(math.asin(view.rotation[0][1])) == pytest.approx(0.0, abs=0.1)
    joined = join([tmp_path], exposures=None, sensor_mm=None)
    assert joined.canvas.projection == "cylinder"
    assert joined.canvas.size[0] == pytest.approx(2 * math.pi * FOCAL_PX, rel=0.01)
    # Seen through its own ends: the first and the last column are neighbours on the cylinder.
    middle = slice(joined.canvas.size[1] // 3, 2 * joined.canvas.size[1] // 3)
    ends = np.abs(joined.pixels[middle, 0].astype(float) - joined.pixels[middle, -1])
    apart = np.abs(joined.pixels[middle, 0].astype(float) - joined.pixels[middle, joined.canvas.size[0] // 2])
    assert np.median(ends) < 0.35 * np.median(apart)


def test_frames_of_one_place_that_follow_one_another_are_a_cell(tmp_path: Path) -> None:
    taken(tmp_path, [turn(b, 0) for b in (0, 0, 25, 25, 50, 50)])
    assert places_of(tmp_path).cells == [[0, 1], [2, 3], [4, 5]]


def test_opposite_views_are_never_one_cell(tmp_path: Path) -> None:
    """Frame to frame half a circle on: their homography alone would have them at one place."""
    bases = [turn(b, p) for p in (-14, 14) for b in range(0, 200, 30)]
    taken(tmp_path, bases)
    placed = places_of(tmp_path)
    assert placed.cells == [[k] for k in range(14)]
    # An arc that does not close keeps what its focal length is off by: here half a thousandth of 180°.
    assert worst_px(placed, bases) < 2.5


def test_a_shifted_lens_is_told_from_a_turned_camera(tmp_path: Path) -> None:
    """Windows of one flat picture: shifts come back within a quarter of a pixel, and nothing is turned."""
    flat = painted_sphere(5)[300:1000, 800:1800]
    shifts = [(0, 0), (210, 6), (420, 12), (0, 180), (210, 186), (420, 192)]
    for k, (x, y) in enumerate(shifts):
        part = flat[y : y + SIZE[1], x : x + SIZE[0]]
        write_picture(tmp_path / f"f-{k}.tif", np.round(part * 65535).astype(np.uint16), shot=Shot(focal_mm=24.0))
    placed = places_of(tmp_path)
    assert all(np.array_equal(view.rotation, np.eye(3)) for view in placed.views)
    centres = np.array([view.centre_px for view in placed.views])
    assert centres[0] - centres == pytest.approx(np.array(shifts, float), abs=0.25)


def test_a_frame_of_something_else_is_left_out_and_named(tmp_path: Path) -> None:
    taken(tmp_path, [turn(b, 0) for b in (0, 25, 50)])
    stranger = tmp_path / "stranger"
    stranger.mkdir()
    [other] = taken(stranger, [turn(10, 5)], seed=77)
    other.rename(tmp_path / "frame-004.tif")
    stranger.rmdir()
    placed = places_of(tmp_path)
    assert placed.cells == [[0], [1], [2]]
    assert placed.doubts == ("frame-004.tif shows nothing in common with the others; it is left out",)
    write_picture(tmp_path / "frame-005.tif", np.zeros((SIZE[1], SIZE[0], 3), np.uint16))
    placed = places_of(tmp_path)
    assert placed.doubts[1:] == ("frame-005.tif came out black; it is left out",)
    assert placed.black == (4,)


def test_frames_with_nothing_in_common_are_refused_in_a_sentence(tmp_path: Path) -> None:
    taken(tmp_path, [turn(0, 0), turn(120, 0), turn(240, 0)])
    with pytest.raises(FileError, match="no two of these 3 frames"):
        places_of(tmp_path)


def test_it_can_be_stopped(tmp_path: Path) -> None:
    paths = taken(tmp_path, [turn(0, 0), turn(25, 0)])
    with pytest.raises(Cancelled):
        found_places([described(path) for path in paths], None, lambda _share, _text: None, lambda: True)


def test_stopped_while_frames_are_looked_at_as_a_whole_it_says_nothing_of_them(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Two frames without a point in common: not that they have none, for that nobody waited for."""
    taken(tmp_path, [turn(0.0, 0.0), turn(150.0, 0.0)])
    stopped: list[bool] = []

    def stop_now(*_given: object, **_named: object) -> list[Common]:
        stopped.append(True)
        return []

    monkeypatch.setattr(placing, "linked_by_look", stop_now)
    frames = [described(path) for path in frames_in([tmp_path])]
    with pytest.raises(Cancelled):
        found_places(frames, None, lambda _share, _text: None, lambda: bool(stopped))
