"""Parts of a joined picture: the same however it is cut, and from every frame that shows anything of them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.prove.join.spheres import FOCAL_PX, SIZE, painted_sphere, seen, turn
from verispect.prove.expected import View
from verispect.prove.intake import Coded, linear_of
from verispect.prove.join.canvas import canvas_for, frame_maps
from verispect.prove.join.ghosts import Ghost, _with
from verispect.prove.join.painting import Painter, _brightened
from verispect.rehearse.sensor_noise import srgb_16

MIDDLE = ((SIZE[0] - 1) / 2.0, (SIZE[1] - 1) / 2.0)


@pytest.fixture(scope="module")
def frames() -> list[Coded]:
    sphere = painted_sphere()
    return [np.round(seen(sphere, turn(b, 5)) * 65535).astype(np.uint16) for b in (-25, 0, 25)]


def painter_of(projection: str | None = None) -> Painter:
    views = tuple(View(turn(b, 5), FOCAL_PX, MIDDLE) for b in (-25, 0, 25))
    return Painter(canvas_for(views, SIZE, projection, None), views, np.zeros((3, 3)), SIZE)


def whole(painter: Painter, frames: list[Coded], side: int) -> tuple[np.ndarray, np.ndarray]:
    wide, high = painter.canvas.size
    pixels, used = np.zeros((high, wide, 3), np.uint16), np.zeros(3)
    for left, top, right, bottom in painter.parts(side):
        pixels[top:bottom, left:right], _, part = painter.paint(
            (left, top, right, bottom), lambda k, place: frames[k][place]
        )
        used += part
    return pixels, used


def test_it_is_the_same_in_small_parts_and_in_large(frames: list[Coded]) -> None:
    painter = painter_of()
    large, used = whole(painter, frames, 2000)
    small, used_small = whole(painter, frames, 96)
    assert float(np.mean(np.abs(large.astype(float) - small))) < 25.0
    assert used_small == pytest.approx(used, rel=0.01)


def test_where_one_frame_is_alone_its_own_pixels_are_shown(frames: list[Coded]) -> None:
    """At the left end only the first frame looks: within half a hundredth of what it shows there."""
    painter = painter_of("cylinder")
    pixels, _ = whole(painter, frames, 2000)
    canvas = painter.canvas
    column, row = frame_maps(painter.views[0], canvas.directions(40, 100, 60, 120))
    expected = frames[0][np.round(row).astype(int), np.round(column).astype(int)]
    assert np.median(np.abs(expected.astype(float) - pixels[100:120, 40:60])) < 0.01 * 65535


def test_the_net_of_a_mapping_is_as_good_as_every_pixel() -> None:
    views = (View(turn(10, 8, 4), 6000.0, (2999.5, 1999.5)),)
    canvas = canvas_for(views, (6000, 4000), "cylinder", None)
    painter = Painter(canvas, views, np.zeros((1, 3)), (6000, 4000))
    directions = canvas.directions(100, 50, 900, 700)
    for fine, net in zip(frame_maps(views[0], directions), painter._maps(views[0], directions), strict=True):
        assert float(np.abs(fine - net).max()) < 0.02


@pytest.mark.parametrize("projection", ["cylinder", "sphere"])
@pytest.mark.parametrize("seed", range(12))
def test_no_part_misses_a_frame(projection: str, seed: int) -> None:
    """Frames about the whole sphere, every part with what lies beside it looked at pixel by pixel."""
    rng = np.random.default_rng(seed)
    steep = 40 if projection == "cylinder" else 90
    views = tuple(
        View(turn(rng.uniform(-180, 180), rng.uniform(-steep, steep), rng.uniform(-90, 90)), 60.0, (39.5, 29.5))
        for _ in range(7)
    )
    canvas = canvas_for(views, (80, 60), projection, np.eye(3))
    painter = Painter(canvas, views, np.zeros((7, 3)), (80, 60))
    for box in painter.parts(48):
        left, top, right, bottom = box
        directions = canvas.directions(left - 40, top, right + 40, bottom)
        for k, view in enumerate(views):
            column, row = frame_maps(view, directions)
            if np.any((column >= 0) & (column <= 79) & (row >= 0) & (row <= 59)):
                assert k in painter.frames_of(box)


def test_a_stop_more_doubles_the_light() -> None:
    """Half of full light, sRGB-coded 0.7354, becomes full; IEC 61966-2-1."""
    coded = np.full((4, 4, 3), round(0.735357 * 65535), np.uint16)
    assert float(_brightened(coded, np.full(3, 1.0))[0, 0, 0]) == pytest.approx(65535.0, rel=1e-4)
    assert np.array_equal(_brightened(coded, np.zeros(3)), coded.astype(np.float32))


@pytest.mark.parametrize("side", [96, 2000])
def test_no_hole_is_left_where_two_frames_were_each_to_show_all_of_a_place(frames: list[Coded], side: int) -> None:
    """Each gave nothing of what the other was to show: black patches in the overlap."""
    painter = painter_of()
    outlines = []
    for bearing in (11.0, 13.0):
        corners = [turn(bearing + b, 5.0 + p)[2] for b, p in ((-3, -4), (3, -4), (3, 4), (-3, 4))]
        outlines.append(np.array(corners))
    # Of the first the middle frame gives nothing, of the second the right one; where both lie neither would.
    ghosts = (Ghost(outlines[0], 2, (0, 1)), Ghost(outlines[1], 1, (0, 2)))
    held = replace(painter, ghosts=ghosts)
    usual, _ = whole(painter, frames, side)
    pixels, _ = whole(held, frames, side)
    shown = usual.max(axis=2) > 0
    assert (pixels.max(axis=2)[shown] > 0).all()
    # And it is what was there: what both frames show differs by no more than their sampling.
    assert np.median(np.abs(pixels.astype(float) - usual)[shown]) < 0.01 * 65535
    assert np.quantile(np.abs(pixels.astype(float) - usual)[shown], 0.999) < 0.1 * 65535


def test_places_that_cover_one_another_become_one_that_one_frame_shows() -> None:
    """Two of them found between different pairs, each shown by another frame."""
    painter = painter_of()
    views = painter.views
    straight = [np.full((SIZE[1], SIZE[0]), 0.3, np.float32)] * 3

    def place(bearing: float) -> np.ndarray:
        return np.array([turn(bearing + b, 5.0 + p)[2] for b, p in ((-2, -2), (2, -2), (2, 2), (-2, 2))])

    first, second, far = Ghost(place(11.0), 2, (1,)), Ghost(place(13.0), 1, (2,)), Ghost(place(-12.0), 0, (1,))
    found = _with([first, far], second, views, straight, SIZE)
    assert len(found) == 2
    one = next(ghost for ghost in found if ghost is not far)
    assert one.shown_by in (1, 2)
    assert one.shown_by not in one.out
    # It covers both.
    assert np.degrees(np.arcsin(one.outline[:, 0])).max() > 14.0
    assert np.degrees(np.arcsin(one.outline[:, 0])).min() < 10.0


def test_what_a_bright_frame_burnt_out_comes_from_one_that_did_not() -> None:
    """The middle frame had a stop too much light: where another shows the place it is as it is there."""
    sphere, painter = 1.1 * painted_sphere(), painter_of("cylinder")
    light = [np.clip(seen(sphere, turn(b, 5)), 0.0, 1.0) ** 2.2 for b in (-25, 0, 25)]

    even, _ = whole(painter, [srgb_16(one) for one in light], 2000)
    bright = replace(painter, gains=np.outer([0.0, -1.0, 0.0], [1.0, 0.0, 0.0]))
    odd, _ = whole(bright, [srgb_16(light[0]), srgb_16(2.0 * light[1]), srgb_16(light[2])], 2000)
    directions = painter.canvas.directions(0, 0, *painter.canvas.size)
    inside = []
    for view in painter.views:
        column, row = frame_maps(view, directions)
        inside.append(np.min([column, SIZE[0] - 1 - column, row, SIZE[1] - 1 - row], axis=0))
    shared = (np.maximum(inside[0], inside[2]) > 12.0) & (inside[1] > 12.0)
    burnt = shared & (linear_of(even).max(axis=2) > 0.55)
    assert burnt.mean() > 0.01
    off = np.abs(linear_of(odd) - linear_of(even))
    assert off[burnt].mean() < 0.02
    assert off[shared].mean() < 0.01


@pytest.mark.parametrize("times", [None, np.ones((1, 4), np.float32)], ids=["alike", "by place"])
def test_another_white_balance_leaves_white_white(times: np.ndarray | None) -> None:
    coded = srgb_16(np.repeat(np.array([[0.02, 0.2, 0.5, 1.0]])[..., None], 3, axis=2))
    told = linear_of(np.round(_brightened(coded, np.array([-0.3, 0.1, 0.2]), times)).astype(np.uint16))[0]
    np.testing.assert_allclose(told[:2], np.array([[0.02], [0.2]]) * 2.0 ** np.array([-0.3, 0.1, 0.2]), rtol=3e-3)
    assert np.ptp(told[3]) < 1e-3


def test_a_lens_that_darkens_its_corners_is_made_up_for_place_by_place() -> None:
    coded = srgb_16(np.full((40, 60, 3), 0.2))
    times = np.linspace(1.0, 3.0, 60, dtype=np.float32)[None].repeat(40, axis=0)
    told = _brightened(coded, np.full(3, -0.5), times)
    np.testing.assert_allclose(linear_of(told.astype(np.uint16))[..., 1], 0.2 * 2**-0.5 * times, rtol=2e-3)
    dark = _brightened(srgb_16(np.full((1, 60, 3), 0.002)), np.zeros(3), times[:1])
    np.testing.assert_allclose(linear_of(dark.astype(np.uint16))[..., 1], 0.002 * times[:1], rtol=2e-2)
