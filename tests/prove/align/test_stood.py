"""What stands still under a drifting sky, against motions that were planted."""

from __future__ import annotations

import shutil
from pathlib import Path

import cv2
import numpy as np
import pytest
import tifffile

from tests.prove.shake.test_shaken import SIZE, disc, texture
from verispect.prove.align.motion import Bands, motion_between
from verispect.prove.align.stood import by_what_tells, most_apart_px, motion_of_camera
from verispect.prove.check import check
from verispect.prove.merge.series import merge

MIDDLE = ((SIZE[0] - 1) / 2.0, (SIZE[1] - 1) / 2.0)
FOCAL_PX = 1.2 * SIZE[0]


def moved_by(right: float, down: float, *, turn_deg: float = 0.0, scale: float = 1.0) -> np.ndarray:
    found = np.vstack([cv2.getRotationMatrix2D(MIDDLE, -turn_deg, scale), [0.0, 0.0, 1.0]])
    found[:2, 2] += (right, down)
    return found


def taken(k: int, camera: np.ndarray, *, drift: float = 0.0, sky: float = 0.55) -> np.ndarray:
    """A frame: a wall, the camera moved so, and over the upper part of it clouds, drifted to the right."""
    wall, clouds = texture(5), texture(6)
    rows = round(sky * SIZE[1])
    whole = cv2.warpPerspective(
        disc(wall, 1.0 + k), camera, SIZE, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT
    )
    if drift or sky:
        away = cv2.warpPerspective(disc(clouds, 2.0 + k), moved_by(drift, 0.0), SIZE, borderMode=cv2.BORDER_REFLECT)
        whole[:rows] = away[:rows]
    return (whole + np.random.default_rng(k).normal(0.0, 0.003, whole.shape)).astype(np.float32)


def found_between(first: np.ndarray, second: np.ndarray, **named):
    kept = {"planned": np.eye(3), "focal_px": FOCAL_PX, "centre_px": MIDDLE} | named
    return motion_of_camera(Bands(second), Bands(first), **kept), motion_between(second, first, **kept)


@pytest.mark.parametrize("drift", [3.0, 6.0, 14.0])
def test_a_camera_that_stood_is_not_led_away_by_what_drifts(drift: float) -> None:
    first, second = taken(0, np.eye(3)), taken(1, np.eye(3), drift=drift)
    found, led = found_between(first, second)
    assert most_apart_px(found.matrix, np.eye(3), first.shape) < 0.25
    assert found.trusted
    assert found.residual_px < 0.3
    # What most of it does is something else.
    assert most_apart_px(led.matrix, np.eye(3), first.shape) > 1.0


def test_it_may_draw_larger_than_planned() -> None:
    grown = moved_by(0.0, 0.0, scale=1.004)
    found, _ = found_between(taken(0, np.eye(3)), taken(1, grown, drift=6.0))
    assert most_apart_px(found.matrix, np.linalg.inv(grown), SIZE[::-1]) < 0.4


@pytest.mark.parametrize("moves", [(1.0, 0.0, 0.0), (-4.0, 2.5, 0.0), (0.0, 0.0, 0.3), (0.6, -0.5, 0.1)])
def test_a_camera_that_moved_is_told_as_ever(moves: tuple[float, float, float]) -> None:
    camera = moved_by(moves[0], moves[1], turn_deg=moves[2])
    found, plain = found_between(taken(0, np.eye(3), sky=0.0), taken(1, camera, sky=0.0))
    np.testing.assert_array_equal(found.matrix, plain.matrix)
    # A picture that was pushed aside is drawn otherwise in its corners than one of a camera that turned.
    assert most_apart_px(found.matrix, np.linalg.inv(camera), SIZE[::-1]) < 0.2 + 0.2 * np.hypot(*moves[:2])


def test_what_repeats_by_as_much_as_the_camera_turned_has_not_stood_still() -> None:
    """A lattice in the middle of a wall lies right by either motion, and the wall by one alone."""

    wall = texture(5).copy()
    row, column = np.mgrid[0:180, 0:240]
    wall[166:346, 264:504] = 0.5 + 0.1 * np.sin(2.0 * np.pi * row / 12.0) * np.cos(2.0 * np.pi * column / 12.0)
    camera = np.array([[FOCAL_PX, 0.0, MIDDLE[0]], [0.0, FOCAL_PX, MIDDLE[1]], [0.0, 0.0, 1.0]])
    turn = camera @ cv2.Rodrigues(np.array([0.0, 12.0 / FOCAL_PX, 0.0]))[0] @ np.linalg.inv(camera)
    turned = cv2.warpPerspective(wall, turn, SIZE, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    found, plain = found_between(disc(wall, 1.0), disc(turned, 2.0))
    np.testing.assert_array_equal(found.matrix, plain.matrix)
    assert most_apart_px(found.matrix, np.linalg.inv(turn), SIZE[::-1]) < 0.3


def by_shore(k: int, drift: float) -> np.ndarray:
    """Soft clouds that went so far, and below them a shore of which a strip shows something."""
    clouds = cv2.GaussianBlur(texture(6), (0, 0), 8.0)
    clouds = 0.6 + 0.06 * (clouds - clouds.mean()) / clouds.std()
    whole = cv2.warpPerspective(clouds, moved_by(drift, 0.0), SIZE, borderMode=cv2.BORDER_REFLECT).copy()
    rows = round(0.86 * SIZE[1])
    whole[rows:] = 0.5 + 0.4 * (texture(5)[rows:] - 0.5)
    return (whole + np.random.default_rng(k).normal(0.0, 0.001, whole.shape)).astype(np.float32)


@pytest.mark.parametrize("drift", [1.0, 3.0, 9.0])
def test_soft_clouds_above_a_shore_draw_nothing_along(drift: float) -> None:
    first, second = Bands(by_shore(0, 0.0)), Bands(by_shore(1, drift))
    led = motion_between(second, first, planned=np.eye(3), focal_px=FOCAL_PX, centre_px=MIDDLE)
    found = by_what_tells(second, first, led, FOCAL_PX, MIDDLE)
    strip = np.array([[0.0, SIZE[0] - 1.0], [SIZE[1] - 20.0] * 2, [1.0, 1.0]])

    def off(motion) -> float:
        there = motion.matrix @ strip
        return float(np.hypot(*(there[:2] / there[2] - strip[:2])).max())

    assert off(found) < 0.15
    assert off(led) > 10.0 * off(found)


def test_where_most_of_it_shows_something_it_stays_as_it_was() -> None:
    """A part of a wall stands elsewhere; what tells is no minority, and no part of it rules alone."""
    wall = texture(5)
    aside = cv2.warpPerspective(wall, moved_by(2.5, 0.0), SIZE, borderMode=cv2.BORDER_REFLECT)
    rows = round(0.4 * SIZE[1])
    aside[:rows] = wall[:rows]
    first, second = Bands(wall), Bands(aside)
    found = motion_between(second, first, planned=np.eye(3), focal_px=FOCAL_PX, centre_px=MIDDLE)
    assert found.trusted
    assert found.residual_px > 0.4
    assert by_what_tells(second, first, found, FOCAL_PX, MIDDLE) is found


def test_under_a_drifting_sky_a_tripod_stands_and_its_series_is_merged_where_it_stood(
    tmp_path: Path, series, rehearsed
) -> None:
    folder = tmp_path / "set"
    shutil.copytree(rehearsed(), folder)
    rng = np.random.default_rng(1)
    files = sorted(folder.glob("*.tif"))
    rows, columns = tifffile.imread(files[0]).shape[:2]
    wide = np.zeros((rows, columns + 200), np.float32)
    for side in (8, 16, 32, 64, 128):
        some = rng.normal(0.0, 1.0, (max(2, rows // side), max(2, wide.shape[1] // side))).astype(np.float32)
        wide += cv2.resize(some, wide.shape[::-1], interpolation=cv2.INTER_CUBIC) * (side / 64) ** 0.8
    for k, file in enumerate(files):
        picture = tifffile.imread(file)
        sky = 0.68 * (1.0 + 0.1 * wide[: rows // 2, 5 * k : 5 * k + columns])
        picture[: rows // 2] = np.clip(65535 * sky[..., None], 0, 65535).astype(np.uint16)
        tifffile.imwrite(file, picture, photometric="rgb")
    report = check([folder], candidate=series)
    assert not {fault.name for frame in report.frames for fault in frame.faults} & {"knock", "unsteady"}
    merged = merge([folder], exposures=series.exposures)
    for frame in merged.frames:
        column, row, depth = np.array(frame["matrix"]) @ (0.5 * (columns - 1), 0.5 * (rows - 1), 1.0)
        assert np.hypot(column / depth - 0.5 * (columns - 1), row / depth - 0.5 * (rows - 1)) < 0.3


def empty(k: int, moved: np.ndarray) -> np.ndarray:
    """A wall so far out of focus that there is next to nothing to see, and grain."""
    wall = 0.5 + 0.4 * (disc(texture(5), 60.0 - 4.0 * k) - 0.4)
    whole = cv2.warpPerspective(wall, moved, SIZE, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    return (whole + np.random.default_rng(k).normal(0.0, 0.003, whole.shape)).astype(np.float32)


def test_what_is_too_empty_to_tell_lies_as_planned() -> None:
    planned = moved_by(0.0, 0.0, scale=1.004)
    first, second = (Bands(empty(k, np.eye(3))) for k in (0, 1))
    there = {"planned": planned, "focal_px": FOCAL_PX, "centre_px": MIDDLE}
    chance = motion_between(second, first, **there)
    assert chance.trusted
    assert most_apart_px(chance.matrix, planned, SIZE[::-1]) > 1.0
    assert most_apart_px(motion_of_camera(second, first, **there).matrix, planned, SIZE[::-1]) < 0.01


def test_an_empty_wall_that_was_pushed_far_is_told_all_the_same() -> None:
    first, second = Bands(empty(0, np.eye(3))), Bands(empty(1, moved_by(9.0, -7.0)))
    found = motion_of_camera(second, first, planned=np.eye(3), focal_px=FOCAL_PX, centre_px=MIDDLE)
    assert found.matrix @ np.array([*MIDDLE, 1.0]) == pytest.approx([MIDDLE[0] - 9.0, MIDDLE[1] + 7.0, 1.0], abs=2.0)


def leaves(seed: int, camera: np.ndarray) -> np.ndarray:
    """A wall of which half of the patches went about a pixel to the right, each by itself; then a camera."""
    rng, (wide, high) = np.random.default_rng(seed), SIZE
    patches = (high // 64, wide // 64)
    loose = (rng.random(patches) < 0.5)[..., None]
    went = np.where(loose, rng.normal((1.2, 0.3), 1.2, (*patches, 2)), 0.0).astype(np.float32)
    x, y = np.meshgrid(np.arange(wide, dtype=np.float32), np.arange(high, dtype=np.float32))
    away = cv2.resize(went, SIZE, interpolation=cv2.INTER_NEAREST)
    blown = cv2.remap(texture(5), x - away[..., 0], y - away[..., 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    whole = cv2.warpPerspective(blown, camera, SIZE, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    return (whole + rng.normal(0.0, 0.003, whole.shape)).astype(np.float32)


@pytest.mark.parametrize("camera", [(0.0, 0.0), (0.6, -0.4), (-2.0, 1.5)])
def test_leaves_in_the_wind_lead_no_frame_aside(camera: tuple[float, float]) -> None:
    first = Bands(texture(5))
    to = np.array([[FOCAL_PX, 0, MIDDLE[0]], [0, FOCAL_PX, MIDDLE[1]], [0, 0, 1.0]])
    turn = cv2.Rodrigues(np.array([-camera[1], camera[0], 0.0]) / FOCAL_PX)[0]
    moved = to @ turn @ np.linalg.inv(to)
    for seed in range(4):
        second = Bands(leaves(seed, moved))
        there = {"planned": np.eye(3), "focal_px": FOCAL_PX, "centre_px": MIDDLE}
        led = most_apart_px(motion_between(second, first, **there).matrix, np.linalg.inv(moved), SIZE[::-1])
        told = motion_of_camera(second, first, **there)
        assert led > 0.14
        assert most_apart_px(told.matrix, np.linalg.inv(moved), SIZE[::-1]) < min(0.08, 0.5 * led)


def test_it_is_as_sure_as_what_agrees() -> None:
    there = {"planned": np.eye(3), "focal_px": FOCAL_PX, "centre_px": MIDDLE}
    first, second = Bands(texture(5)), Bands(leaves(0, np.eye(3)))
    assert motion_between(second, first, **there).residual_px > 0.8
    assert motion_of_camera(second, first, **there).residual_px < 0.3
