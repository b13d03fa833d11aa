"""Grids that nothing planned: frames of a painted sphere by a pinhole camera, each drawn a little larger or less."""

from __future__ import annotations

import itertools
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.prove.join.spheres import FOCAL_PX, SIZE, painted_sphere, seen, turn
from tests.prove.parting.scenes import focused
from verispect.files.picture_out import Shot, write_picture
from verispect.prove.check import check
from verispect.prove.report import Report

CODED = 2.2


def write_frames(folder: Path, frames: list[tuple[float, float, float]], *, begin: int = 0, seed: int = 3) -> None:
    """Frames (bearing, pitch, growth): a lens drawn out by g draws (1 + g) as large and loses (1 + g)² of light."""
    rng = np.random.default_rng(seed + begin)
    for k, (bearing, pitch, grown) in enumerate(frames):
        light = 0.6 * seen(painted_sphere(seed), turn(bearing, pitch), focal_px=FOCAL_PX * (1 + grown)) ** CODED
        light = light / (1 + grown) ** 2 + rng.normal(0.0, 0.002, (*SIZE[::-1], 3))
        save(folder / f"frame-{begin + k + 1:03d}.tif", light)


def save(path: Path, light: np.ndarray) -> None:
    light = np.clip(light, 0.0, 1.0)
    curve = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
    write_picture(path, np.round(curve * 65535).astype(np.uint16), shot=Shot())


def grid(rng: np.random.Generator) -> list[tuple[float, float, float]]:
    return [(b, p, float(rng.uniform(-0.012, 0.012))) for p in (-14.0, 14.0) for b in (-26.0, 0.0, 26.0)]


def kinds(report: Report) -> list[tuple[str, int]]:
    return [(str(kind), len(group.frames)) for group, kind in zip(report.sets, report.kinds, strict=True)]


def test_a_grid_is_known_without_a_plan_and_its_darker_frame_is_found(tmp_path: Path) -> None:
    """What focusing takes of the light is told by how large a frame draws: 0.05 stops here."""
    frames = grid(np.random.default_rng(1))
    write_frames(tmp_path, frames)
    report = check([tmp_path])
    assert kinds(report) == [("grid", 6)]
    assert [frame.faults for frame in report.frames] == [[]] * 6
    assert max(abs(frame.exposure_stops) for frame in report.frames) < 0.01
    bearing, pitch, grown = frames[4]
    light = 0.6 * seen(painted_sphere(3), turn(bearing, pitch), focal_px=FOCAL_PX * (1 + grown)) ** CODED
    (tmp_path / "frame-005.tif").unlink()
    save(tmp_path / "frame-005.tif", light / (1 + grown) ** 2 * 2**-0.5)
    report = check([tmp_path])
    found = [(k, fault.name) for k, frame in enumerate(report.frames) for fault in frame.faults]
    assert found == [(4, "exposure")]
    assert report.frames[4].exposure_stops == pytest.approx(-0.5, abs=0.02)


def test_a_grid_of_short_series_is_one_set(tmp_path: Path) -> None:
    """Frames of one place are alike, those of the next are not: it was parted there, into a series and the rest."""
    places = [(-26.0, -8.0), (0.0, -8.0), (26.0, -8.0)]
    write_frames(tmp_path, [(b, p, g) for b, p in places for g in (0.0, 0.004, 0.008)])
    report = check([tmp_path])
    assert kinds(report) == [("grid", 9)]
    assert [frame.faults for frame in report.frames] == [[]] * 9


@pytest.mark.parametrize("pitches", [(0.0,), (-14.0, 14.0)])
def test_windows_that_repeat_make_no_series_of_a_grid(tmp_path: Path, pitches: tuple[float, ...]) -> None:
    """Frames of a row of equal windows, three windows further each, look alike: they were called knocked far."""
    own, bearings = painted_sphere(3), (-24.0, 0.0, 24.0)
    _, wide, _ = own.shape
    window = (np.arange(wide) * 360.0 / wide % 8.0) < 4.0
    row = (np.arange(own.shape[0]) * 180.0 / own.shape[0] % 7.0) < 3.0
    house = 0.5 * own + 0.2 * (window[None, :, None] & row[:, None, None])
    for k, (pitch, bearing) in enumerate(itertools.product(pitches, bearings)):
        save(tmp_path / f"frame-{k + 1:03d}.tif", 0.6 * seen(house, turn(bearing, pitch)) ** CODED)
    report = check([tmp_path])
    assert kinds(report) == [("grid", 3 * len(pitches))]
    assert [frame.faults for frame in report.frames] == [[]] * 3 * len(pitches)


def test_frames_of_something_else_stay_a_set_of_their_own(tmp_path: Path) -> None:
    write_frames(tmp_path, [(0.0, 0.0, g) for g in (0.0, 0.004, 0.008, 0.012)])
    write_frames(tmp_path, [(40.0, 5.0, g) for g in (0.0, 0.004, 0.008, 0.012)], begin=4, seed=8)
    report = check([tmp_path])
    assert kinds(report) == [("series", 4), ("series", 4)]
    assert [frame.faults for frame in report.frames] == [[]] * 8


def test_frames_of_which_each_shows_something_else_are_single_ones(tmp_path: Path) -> None:
    """Two of them may be of one place, in focus and far out of it: they stay together."""
    for k in range(4):
        pixels = np.repeat((focused(20 + k, 4.0, noise=k) * 65535).astype(np.uint16)[..., None], 3, axis=2)
        write_picture(tmp_path / f"f-{k}.tif", pixels)
    report = check([tmp_path])
    assert [(kind, len(group.frames)) for kind, group in zip(report.kinds, report.sets, strict=True)] == [
        ("single", 1)
    ] * 4
    assert not any("nothing was compared" in line.lower() for line in report.advice)
    assert [group.why for group in report.sets[1:]] == [("it shows something else",)] * 3
    report = check(sorted(tmp_path.iterdir())[:2])
    assert [(kind, len(group.frames)) for kind, group in zip(report.kinds, report.sets, strict=True)] == [
        ("unknown", 2)
    ]
    assert report.advice[0].startswith("The 2 frames lie neither on one another nor side by side for sure")


def test_the_second_frame_of_a_cell_is_looked_at_for_shake_too(tmp_path: Path) -> None:
    """Of two frames of one view nobody can say which was shaken; the views beside it can."""
    places = [(-22.0, 0.0), (0.0, 0.0), (22.0, 0.0)]
    write_frames(tmp_path, [(b, p, g) for b, p in places for g in (0.0, 0.002)])
    assert [frame.faults for frame in check([tmp_path]).frames] == [[]] * 6
    px = np.degrees(1.0 / FOCAL_PX)
    steps = np.linspace(-2.5, 2.5, 21)
    light = np.mean([0.6 * seen(painted_sphere(3), turn(s * px, 0.0)) ** CODED for s in steps], axis=0)
    (tmp_path / "frame-004.tif").unlink()
    save(tmp_path / "frame-004.tif", light)
    report = check([tmp_path])
    assert [(k, fault.name) for k, frame in enumerate(report.frames) for fault in frame.faults] == [(3, "motion")]
    direction = report.frames[3].motion_direction
    assert min(direction, 180.0 - direction) < 8.0


def test_grids_one_after_the_other_are_so_many(tmp_path: Path) -> None:
    """The same places once more, and then other things."""
    frames = [(b, p, 0.0) for p in (-12.0, 12.0) for b in (-20.0, 0.0)]
    write_frames(tmp_path, [*frames, *frames])
    write_frames(tmp_path, frames, begin=8, seed=8)
    report = check([tmp_path])
    assert kinds(report) == [("grid", 4)] * 3
    assert report.sets[1].why[0] == "the same places once more"


def test_a_series_before_a_grid_of_the_same_thing_is_none_of_it(tmp_path: Path) -> None:
    places = [(b, p, 0.0) for p in (-12.0, 12.0) for b in (-20.0, 0.0, 20.0)]
    write_frames(tmp_path, [*((4.0, 2.0, g) for g in (0.0, 0.004, 0.008, 0.012)), *places])
    assert kinds(check([tmp_path])) == [("series", 4), ("grid", 6)]


def test_a_series_of_other_things_takes_no_grid_apart(tmp_path: Path) -> None:
    """It lies in no place of either grid, the one before it or the one after, and these were given up for it."""
    places = [(b, p, 0.0) for p in (-12.0, 12.0) for b in (-10.0, 10.0)]
    series = [(150.0, 0.0, g) for g in (0.0, 0.006)]
    begin = 0
    for some, seed in ((places, 3), (series, 8), (places, 12)):
        write_frames(tmp_path, some, begin=begin, seed=seed)
        begin += len(some)
    report = check([tmp_path])
    assert kinds(report) == [("grid", 4), ("series", 2), ("grid", 4)]
    assert [frame.faults for frame in report.frames] == [[]] * begin


def test_what_lies_nowhere_takes_no_grid_along(tmp_path: Path) -> None:
    """Four frames of a grid and five of other things each were one set of which nothing was compared."""
    write_frames(tmp_path, [(b, p, 0.0) for p in (-12.0, 12.0) for b in (-10.0, 10.0)])
    for k in range(5):
        write_frames(tmp_path, [(0.0, 0.0, 0.0)], begin=4 + k, seed=20 + k)
    report = check([tmp_path])
    assert kinds(report) == [("grid", 4), *[("single", 1)] * 5]
    assert [frame.faults for frame in report.frames] == [[]] * 9


def test_a_row_of_sky_before_a_grid_is_a_part_of_it(tmp_path: Path) -> None:
    """Soft clouds lie beside one another, and had gone on by the time that the ground was taken: two grids."""
    sky = 0.3 + 0.7 * cv2.GaussianBlur(painted_sphere(5), (0, 0), 6.0)
    for k, (pitch, bearing) in enumerate(itertools.product((30.0, 2.0, -20.0), (-14.0, 0.0, 14.0))):
        light = seen(sky if pitch > 20.0 else painted_sphere(3), turn(bearing, pitch))
        save(tmp_path / f"frame-{k + 1:03d}.tif", 0.6 * light**CODED)
    report = check([tmp_path])
    assert kinds(report) == [("grid", 9)]


def test_a_grid_under_much_sky_after_another_is_one_of_its_own(tmp_path: Path) -> None:
    """Of most of its frames hardly a point can be told."""
    bearings = (-14.0, 0.0, 14.0)
    write_frames(tmp_path, [(b, p, 0.0) for p in (-12.0, 12.0) for b in bearings], seed=8)
    ground, high = painted_sphere(3), len(painted_sphere(3))
    sky = 0.3 + 0.7 * cv2.GaussianBlur(painted_sphere(5), (0, 0), 6.0)
    share = np.clip((np.arange(high) / high * 180.0 - 98.0) / 4.0, 0.0, 1.0)[:, None, None]
    both = (1.0 - share) * sky + share * ground
    for k, (pitch, bearing) in enumerate(itertools.product((20.0, 8.0, -4.0), bearings)):
        save(tmp_path / f"frame-{7 + k:03d}.tif", 0.6 * seen(both, turn(bearing, pitch)) ** CODED)
    sets = check([tmp_path]).sets
    assert [(group.frames[0], len(group.frames)) for group in sets] == [(0, 6), (6, 9)]


def test_a_black_frame_in_a_grid_is_its_fault_and_between_two_grids_parts_them(tmp_path: Path) -> None:
    frames = [(b, p, 0.0) for p in (-12.0, 12.0) for b in (-10.0, 10.0)]
    write_frames(tmp_path, frames)
    black = np.random.default_rng(0).uniform(0.0, 1e-4, (*SIZE[::-1], 3))
    (tmp_path / "frame-003.tif").unlink()
    save(tmp_path / "frame-003.tif", black)
    report = check([tmp_path])
    assert kinds(report) == [("grid", 4)]
    assert [(k, fault.name) for k, frame in enumerate(report.frames) for fault in frame.faults] == [(2, "dark")]
    save(tmp_path / "frame-005.tif", black[::-1])
    write_frames(tmp_path, frames, begin=5, seed=3)
    report = check([tmp_path])
    assert kinds(report) == [("grid", 4), ("grid", 4)]
    assert report.sets[1].separator == 4


def test_a_frame_of_a_grid_that_nothing_places_is_named(tmp_path: Path) -> None:
    places = [(b, p, 0.0) for p in (-12.0, 12.0) for b in (-20.0, 0.0, 20.0)]
    write_frames(tmp_path, places[:3])
    write_frames(tmp_path, [(150.0, 0.0, 0.0)], begin=3, seed=8)
    write_frames(tmp_path, places[3:], begin=4)
    report = check([tmp_path])
    assert kinds(report) == [("grid", 7)]
    (said,) = [one for one in report.advice if "could not be placed" in one]
    assert said.startswith("frame-004.tif could not be placed beside the others of the grid")
