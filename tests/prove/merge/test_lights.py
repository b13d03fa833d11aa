"""Lamps before a wall, out of focus by even discs and clipped after that, as a sensor does it."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest

from verispect.errors import Cancelled
from verispect.files.picture_out import write_picture
from verispect.optics.types import Floats
from verispect.prove.intake import linear_of
from verispect.prove.merge.lights import clipped_share, rims_of
from verispect.prove.merge.series import merge
from verispect.rehearse.sensor_noise import srgb_16

SIZE = (360, 240)
LAMPS = {(80, 70): 4.0, (270, 60): 20.0, (180, 170): 2.0}


def wall() -> Floats:
    """Plaster, linear light (240, 360, 3): grain of a few pixels that a merge can go by."""
    grain = np.random.default_rng(6).normal(0.0, 1.0, (120, 180, 3))
    return np.clip(0.12 + 0.03 * cv2.resize(grain, SIZE, interpolation=cv2.INTER_CUBIC), 0.02, 0.9)


def with_lamps(light: Floats, radius: int = 3) -> Floats:
    found = light.copy()
    for place, strength in LAMPS.items():
        cv2.circle(found, place, radius, (strength, 0.9 * strength, 0.7 * strength), -1)
    return found


def out_of_focus(light: Floats, diameter: float) -> Floats:
    """An even disc, by areas; drawn here, not by the program."""
    if diameter < 1.0:
        return light
    fine, half = 5, int(np.ceil(diameter / 2))
    at = (np.arange((2 * half + 1) * fine) + 0.5) / fine - half - 0.5
    disc = (np.hypot(at[:, None], at[None]) <= diameter / 2).reshape(2 * half + 1, fine, 2 * half + 1, fine)
    kernel = disc.mean(axis=(1, 3))
    return cv2.filter2D(light, -1, kernel / kernel.sum(), borderType=cv2.BORDER_REFLECT_101)


def frames(diameters: tuple[float, ...]) -> list[np.ndarray]:
    scene = with_lamps(wall())
    rng = np.random.default_rng(1)
    return [
        srgb_16(np.clip(out_of_focus(scene, across) + rng.normal(0, 0.001, scene.shape), 0, 1))
        for across in diameters
    ]


def small(coded: np.ndarray) -> np.ndarray:
    return np.asarray(linear_of(coded) @ np.array([0.2126, 0.7152, 0.0722], np.float32), np.float32)


@pytest.mark.parametrize("diameters", [(0.0, 7.0, 14.0, 21.0), (21.0, 14.0, 7.0, 0.0), (14.0, 7.0, 0.0, 7.0)])
def test_merged_lamps_are_as_small_as_in_the_frame_that_has_them_in_focus(
    tmp_path: Path, diameters: tuple[float, ...]
) -> None:
    taken = frames(diameters)
    for k, frame in enumerate(taken):
        write_picture(tmp_path / f"{k}.tif", frame)
    merged = linear_of(merge([tmp_path], align=False).pixels)
    truth = linear_of(taken[diameters.index(0.0)])
    for column, row in LAMPS:
        part = np.s_[row - 20 : row + 21, column - 20 : column + 21]
        # Beside the lamp the wall is the wall: its discs' rims were up to 0.9 there.
        y, x = np.mgrid[-20:21, -20:21]
        beside = np.hypot(y, x) > 6
        assert np.abs(merged[part] - truth[part])[beside].max() < 0.09


def test_only_frames_that_are_lighter_about_a_clipped_light_are_left_out_there() -> None:
    taken = frames((14.0, 0.0, 10.0))
    clipped = [clipped_share(frame, SIZE) for frame in taken]
    rims = rims_of([small(frame) for frame in taken], clipped, [np.eye(3)] * 3, [0.0] * 3, SIZE)
    assert {rim.frame for rim in rims} == {0, 2}
    assert not any(rim.is_out(1) for rim in rims)
    left_out = np.zeros(SIZE[::-1], bool)
    for rim in rims:
        top, left, bottom, right = rim.box
        left_out[top:bottom, left:right] |= rim.mask > 0
    away = np.full(SIZE[::-1], True)
    for column, row in LAMPS:
        assert left_out[row, column + 5]
        cv2.circle(away.view(np.uint8), (column, row), 16, 0, -1)
    assert not left_out[away].any()


def test_what_is_clipped_only_where_it_is_sharp_is_the_sharp_frames() -> None:
    """A white bar of which a piece is clipped: out of focus it is grey, and lay closer together by mistake."""
    scene = wall()
    scene[:, 176:180] = 0.95
    scene[100:120, 178] = 1.05
    taken = [srgb_16(np.clip(out_of_focus(scene, across), 0, 1)) for across in (12.0, 6.0, 0.0)]
    clipped = [clipped_share(frame, SIZE) for frame in taken]
    assert [share is None for share in clipped] == [True, True, False]
    rims = rims_of([small(frame) for frame in taken], clipped, [np.eye(3)] * 3, [0.0] * 3, SIZE)
    assert {rim.frame for rim in rims} == {0, 1}


def test_a_darker_frame_is_held_against_the_others_as_light_as_they_are() -> None:
    """A stop less light on the frame in focus: its wall is no darker for it, and nothing is left out there."""
    taken = frames((0.0, 14.0))
    greys = [0.5 * small(taken[0]), small(taken[1])]
    clipped = [clipped_share(frame, SIZE) for frame in taken]
    (told,) = {rim.frame for rim in rims_of(greys, clipped, [np.eye(3)] * 2, [-1.0, 0.0], SIZE)}
    assert told == 1


def test_a_brighter_frame_of_which_another_tells_what_is_clipped_may_be_the_sharp_one() -> None:
    """What it burns out is no light of its own; about a light that another burns out it has that in focus."""
    taken = frames((14.0, 0.0, 10.0))
    clipped = [clipped_share(frame, SIZE) for frame in taken]
    # As light as the others have it: only what lies at white comes out darker.
    greys = [small(frame) * (2.0 if k == 1 else 1.0) for k, frame in enumerate(taken)]
    rims = rims_of(greys, clipped, [np.eye(3)] * 3, [0.0, 1.0, 0.0], SIZE, witnessed=[1])
    assert {rim.frame for rim in rims} == {0, 2}
    assert rims_of(greys, [None, clipped[1], None], [np.eye(3)] * 3, [0.0, 1.0, 0.0], SIZE, witnessed=[1]) == []


def test_where_nothing_is_clipped_or_all_is_nothing_is_left_out() -> None:
    dull = [srgb_16(out_of_focus(with_lamps(wall()) * 0.04, across)) for across in (0.0, 14.0)]
    assert [clipped_share(frame, SIZE) for frame in dull] == [None, None]
    assert rims_of([small(one) for one in dull], [None, None], [np.eye(3)] * 2, [0.0, 0.0], SIZE) == []
    sky = [np.full((240, 360, 3), 65535, np.uint16)] * 2
    whites = [clipped_share(frame, SIZE) for frame in sky]
    assert rims_of([small(one) for one in sky], whites, [np.eye(3)] * 2, [0.0, 0.0], SIZE) == []


def test_one_coloured_lamp_is_clipped_where_its_own_channel_is() -> None:
    coded = np.full((40, 60, 3), 9000, np.uint16)
    coded[10:14, 20:24, 0] = 65535
    share = clipped_share(coded, (30, 20))
    assert share is not None
    assert (share[5:7, 10:12] == 255).all()
    assert share.sum() == 4 * 255


def test_it_can_be_stopped_at_every_light() -> None:
    taken = frames((0.0, 14.0))
    clipped = [clipped_share(frame, SIZE) for frame in taken]

    def stop() -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        rims_of([small(one) for one in taken], clipped, [np.eye(3)] * 2, [0.0] * 2, SIZE, stop)
