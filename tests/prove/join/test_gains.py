"""Falloff and exposure of a grid's frames, told by their overlaps: planted on a painted sphere."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cache
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import a_lens, make_plan
from tests.prove.join.spheres import FOCAL_PX, SIZE, painted_sphere, seen, turn
from tests.prove.parting.test_unplanned_grid import save
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.check import check
from verispect.prove.expected import View
from verispect.prove.join.canvas import frame_maps
from verispect.prove.join.gains import by_channel, corner_falloff, evenly_lit, gains_of, unfallen
from verispect.prove.join.grid import join
from verispect.prove.join.kept import view_as_json, view_from_json
from verispect.prove.join.pointing import Pair, as_laid

MIDDLE = ((SIZE[0] - 1) / 2.0, (SIZE[1] - 1) / 2.0)
ANGLES = [(b, p) for p in (-12.0, 12.0) for b in (-30.0, 0.0, 30.0)]
VIEWS = [View(turn(*angles), FOCAL_PX, MIDDLE) for angles in ANGLES]
BESIDE = [(0, 1), (1, 2), (3, 4), (4, 5), (0, 3), (1, 4), (2, 5), (0, 4), (1, 5)]
PAIRS = [Pair(a, b, 0.4, 0.9, np.zeros(3), 0.2) for a, b in BESIDE]


def left(natural: float, stops: float, focal_px: float = FOCAL_PX) -> np.ndarray:
    """Light left over a frame (rows, columns, 1): cos of the angle off the axis to the 4, and so many stops beyond.

    Those grow with the fourth power of the height, to be all in the corner.
    """
    column, row = np.meshgrid(np.arange(SIZE[0]) - MIDDLE[0], np.arange(SIZE[1]) - MIDDLE[1])
    height = np.hypot(column, row)
    cosine = np.cos(np.arctan(height / focal_px))
    return (cosine ** (4.0 * natural) * 2.0 ** (-stops * (height / math.hypot(*MIDDLE)) ** 4))[..., None]


@cache
def evenly_seen() -> list[np.ndarray]:
    return [0.5 * seen(painted_sphere(3), view.rotation) ** 2.2 for view in VIEWS]


def frames(dimmed: np.ndarray | float = 1.0, stops: dict[int, float] | None = None) -> list[np.ndarray]:
    rng = np.random.default_rng(2)
    return [
        np.asarray(one * dimmed * 2.0 ** (stops or {}).get(k, 0.0) + rng.normal(0.0, 0.002, one.shape), np.float32)
        for k, one in enumerate(evenly_seen())
    ]


@settings(max_examples=12, deadline=None)
@given(natural=st.floats(0.0, 1.5), stops=st.floats(0.0, 2.0), odd=st.integers(0, 5), off=st.floats(-0.7, 0.7))
def test_falloff_and_exposure_are_told_apart(natural: float, stops: float, odd: int, off: float) -> None:
    """Whatever the one, the other is found: within 0.03 stops in the corners, 0.01 of a frame."""
    dimmed = left(natural, stops)
    planted = -float(np.log2(dimmed[0, 0, 0]))
    pictures = frames(dimmed, {odd: off})
    found = unfallen(VIEWS, pictures, PAIRS, SIZE)
    told = corner_falloff(found[0], SIZE)
    # What is let be is less than anybody sees.
    assert told == pytest.approx(planted, abs=0.03) or (told == 0.0 and planted < 0.06)
    even = [evenly_lit(one, view, SIZE) for one, view in zip(pictures, found, strict=True)]
    gains = gains_of(found, even, PAIRS, SIZE)[:, 0]
    expected = np.where(np.arange(6) == odd, -off, 0.0)
    np.testing.assert_allclose(gains - gains.mean(), expected - expected.mean(), atol=0.012)


@settings(max_examples=8, deadline=None)
@given(odd=st.integers(0, 5), red=st.floats(-0.5, 0.5), blue=st.floats(-0.5, 0.5), channel=st.floats(-1.0, 1.0))
def test_white_balance_is_told_by_overlaps(odd: int, red: float, blue: float, channel: float) -> None:
    """To a hundredth of a stop; less than anybody sees is let be."""
    tint = 2.0 ** np.array([red, 0.0, blue])
    pictures = [picture * (tint if k == odd else 1.0) for k, picture in enumerate(frames())]
    white = gains_of(VIEWS, [np.asarray(one, np.float32) for one in pictures], PAIRS, SIZE)[:, 1:]
    expected = -np.outer(np.arange(6) == odd, (red, blue))
    if np.abs(expected).max() > 0.04:
        np.testing.assert_allclose(white - white.mean(axis=0), expected - expected.mean(axis=0), atol=0.012)
    else:
        assert np.abs(white).max() < 0.045
    # By channel the eye's sum of them is the light.
    gains = np.array([channel, red, blue])
    assert by_channel(gains) @ (0.2126, 0.7152, 0.0722) == pytest.approx(channel, abs=1e-6)
    assert by_channel(gains)[[0, 2]] - by_channel(gains)[1] == pytest.approx((red, blue), abs=1e-6)


def test_light_that_grows_towards_the_corners_is_no_falloff() -> None:
    assert [view.falloff for view in unfallen(VIEWS, frames(1.0 / left(0.5, 0.0)), PAIRS, SIZE)] == [(0.0, 0.0)] * 6


def test_frames_that_share_nothing_or_lie_elsewhere_tell_of_none() -> None:
    none = [(0.0, 0.0)] * 6
    apart = [replace(view, rotation=turn(80.0 * k, 0.0)) for k, view in enumerate(VIEWS)]
    dimmed = frames(left(1.0, 1.0))
    assert [view.falloff for view in unfallen(apart, dimmed, PAIRS[:3], SIZE)] == none
    assert [view.falloff for view in unfallen(VIEWS, dimmed[::-1], PAIRS, SIZE)] == none


def test_a_view_keeps_its_falloff_in_a_file() -> None:
    view = replace(VIEWS[1], falloff=(0.91, 0.37))
    again = view_from_json(view_as_json(view))
    assert (again.falloff, again.bend, again.scale_px) == ((0.91, 0.37), 0.0, FOCAL_PX)


@pytest.fixture(scope="module")
def dimmed_grid(tmp_path_factory):
    """A planned grid by a lens of which nobody knows that its corners lose 1.6 stops, one frame 0.5 stop too dark.

    And one of another white balance.
    """
    lens = a_lens(28.0, f_numbers=[8, 8], tilt_deg=0)
    places = [(-5.0, 1.0, 6.0), (0.0, 3.0, 6.4), (5.0, 0.5, 6.0)]
    plan = make_plan(places, framing=17.0, lenses=[lens])
    grid = worked("turned-grid", build_scene(plan))
    folder = tmp_path_factory.mktemp("dimmed")
    focal_px = focal_of(grid)
    for k, exposure in enumerate(grid.exposures):
        light = 0.5 * seen(painted_sphere(3), exposure.pose.matrix, focal_px=focal_px) ** 2.2
        own = 2.0 ** np.array({1: (-0.5, -0.5, -0.5), 2: (0.25, 0.0, -0.15)}.get(k, (0.0, 0.0, 0.0)))
        save(folder / f"frame-{k + 1:03d}.tif", light * left(1.0, 0.6, focal_px) * own)
    return folder, grid


def focal_of(grid) -> float:
    return grid.exposures[0].state.image_distance_mm / (grid.scene.plan.sensor_mm[0] / SIZE[0])


def test_a_grid_with_dark_corners_is_told_nothing_but_its_odd_frames(dimmed_grid) -> None:
    folder, grid = dimmed_grid
    report = check([folder], candidate=grid)
    told = {k: [fault.name for fault in frame.faults] for k, frame in enumerate(report.frames) if frame.faults}
    assert told == {1: ["exposure"], 2: ["wrong-setting"]}
    assert report.frames[1].exposure_stops == pytest.approx(-0.5, abs=0.02)
    assert report.frames[2].white_balance_stops == pytest.approx((0.25, -0.15), abs=0.02)
    assert report.frames[0].white_balance_stops == pytest.approx((0.0, 0.0), abs=0.02)


def test_it_is_joined_as_even_as_what_it_shows(dimmed_grid) -> None:
    folder, grid = dimmed_grid
    joined = join([folder], exposures=grid.exposures, sensor_mm=(36.0, 24.0), basis=grid.scene.pose.matrix)
    planted = -float(np.log2(left(1.0, 0.6, focal_of(grid))[0, 0, 0]))
    assert joined.report()["falloff_stops"] == pytest.approx(planted, abs=0.05)
    code = joined.pixels / 65535.0
    light = np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)
    off = []
    for exposure in grid.exposures:
        view = View(exposure.pose.matrix, focal_of(grid), MIDDLE)
        directions = joined.canvas.directions(0, 0, *joined.canvas.size)
        column, row = frame_maps(view, directions)
        truth = cv2.remap(
            (0.5 * seen(painted_sphere(3), view.rotation, focal_px=view.scale_px) ** 2.2).astype(np.float32),
            column, row, cv2.INTER_LINEAR, borderValue=(-1.0, -1.0, -1.0),
        )  # fmt: skip
        inside = (truth.min(axis=2) > 0.0) & (light.min(axis=2) > 0.0)
        ratio = cv2.blur(np.where(inside[..., None], light, 0.0), (31, 31)) / np.maximum(
            cv2.blur(np.where(inside[..., None], truth, 0.0), (31, 31)), 1e-6
        )
        whole = cv2.erode(inside.astype(np.uint8), np.ones((35, 35), np.uint8)) > 0
        off.append(np.log2(ratio[whole]))
    every = np.concatenate(off)
    for channel in range(3):
        assert np.ptp(np.quantile(every[:, channel], [0.01, 0.99])) < 0.06
    white = np.array([frame["white_balance_gain_stops"] for frame in joined.frames])
    np.testing.assert_allclose(white[2] - white[0], (-0.25, 0.15), atol=0.02)


def test_a_frame_that_came_out_black_spoils_none_beside_it(dimmed_grid, tmp_path: Path) -> None:
    """Its place comes from the others where they show it; nobody is made darker for it."""
    folder, grid = dimmed_grid
    for file in sorted(folder.glob("*.tif"))[1:]:
        (tmp_path / file.name).write_bytes(file.read_bytes())
    rng = np.random.default_rng(4)
    save(tmp_path / "frame-001.tif", np.abs(rng.normal(0.0002, 0.0001, (*SIZE[::-1], 3))))
    kept = {"exposures": grid.exposures, "sensor_mm": (36.0, 24.0), "basis": grid.scene.pose.matrix}
    joined, good = join([tmp_path], **kept), join([folder], **kept)
    gains = np.array([frame["gain_stops"] for frame in joined.frames])
    assert abs(gains[0]) < 0.3
    np.testing.assert_allclose(np.diff(gains[1:]), np.diff([f["gain_stops"] for f in good.frames[1:]]), atol=0.03)
    told = [one for one in joined.doubtful if "came out black" in one["says"]]
    assert len(told) == 1
    assert told[0]["says"].startswith("frame-001.tif")
    assert joined.report()["black"] == ["frame-001.tif"]
    assert good.doubtful == []
    # It is shown where no other shows anything, and there alone.
    assert joined.frames[0]["used_share"] < 0.7 * good.frames[0]["used_share"]
    other = View(grid.exposures[1].pose.matrix, focal_of(grid), MIDDLE)
    directions = joined.canvas.directions(0, 0, *joined.canvas.size)
    column, row = frame_maps(other, directions)
    inside = (np.abs(column - MIDDLE[0]) < MIDDLE[0] - 12) & (np.abs(row - MIDDLE[1]) < MIDDLE[1] - 12)
    ratio = (joined.pixels[inside].astype(float) + 1.0) / (good.pixels[inside].astype(float) + 1.0)
    assert np.quantile(np.abs(np.log(ratio) - np.median(np.log(ratio))), 0.98) < 0.1


@pytest.mark.parametrize("as_the_pair_has_it", [True, False])
def test_how_light_two_frames_are_the_same_cloud_tells(*, as_the_pair_has_it: bool) -> None:
    """A sky that is brighter from left to right went on by two degrees between two frames of one view."""
    sky = painted_sphere(3) * (0.5 + 0.4 * np.sin(4.0 * np.linspace(0.0, 2.0 * np.pi, 3000)))[None, :, None]
    smalls = [np.asarray(seen(sky, turn(bearing, 0.0)), np.float32) for bearing in (0.0, 2.0)]
    views = [View(turn(0.0, 0.0), FOCAL_PX, MIDDLE)] * 2
    between = turn(0.0, 0.0) @ turn(2.0, 0.0).T
    pair = Pair(0, 1, 0.9, 0.9, cv2.Rodrigues(between)[0].ravel(), 0.1)
    lies = (lambda one: as_laid(one, views).onto(views[0])) if as_the_pair_has_it else None
    apart = float(np.ptp(gains_of(views, smalls, [pair], SIZE, lies)[:, 0]))
    assert (apart < 0.01) is as_the_pair_has_it
    assert as_the_pair_has_it or apart > 0.05
