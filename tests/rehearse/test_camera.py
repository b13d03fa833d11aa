"""The simulated camera: seeds, faults, noise, falloff, and what is told of every mark."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from tests.outside.oracle import rim_on_sensor
from verispect.files.weighing_json import weighing_to_dict
from verispect.plan.advise.weigh import Weighing
from verispect.plan.document import Order
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.rehearse.camera import Options, Rehearsal
from verispect.rehearse.faults import Fault, FaultName, Grain, dusted, parse_fault

SMALL = (240, 160)
PLACES = [(-0.4, 1.2, 1.5), (0.4, 1.6, 3.0), (0.0, 1.9, 8.0)]


def a_series(**lens: float) -> Candidate:
    made = a_lens(50.0, f_numbers=[4, 4], tilt_deg=0, closest_m=0.4, **lens)
    return worked("series", build_scene(make_plan(PLACES, framing=50.0, lenses=[made], line_pairs_per_mm=1.0)))


def test_the_same_seed_gives_the_same_picture_and_another_does_not() -> None:
    candidate = a_series()
    first = Rehearsal(candidate, Options(pixels=SMALL, seed=4)).take(1).picture
    again = Rehearsal(candidate, Options(pixels=SMALL, seed=4)).take(1).picture
    other = Rehearsal(candidate, Options(pixels=SMALL, seed=5)).take(1).picture
    assert np.array_equal(first, again)
    assert not np.array_equal(first, other)


def test_marks_are_told_where_independent_rays_fall() -> None:
    candidate = a_series(pupil_magnification=1.4)
    plan = candidate.scene.plan.model_dump(mode="json", by_alias=True)
    exposures = weighing_to_dict(Weighing(candidate.scene, (candidate,), "series", ()))["methods"][0]["exposures"]
    rehearsal = Rehearsal(candidate, Options(pixels=SMALL, cards=True))
    taken = rehearsal.take(0)
    for mark, told in zip(plan["marks"], rehearsal.marks(taken), strict=True):
        rim, _ = rim_on_sensor(plan, exposures[0], mark)
        pitch = 36.0 / SMALL[0]
        column = -rim[:, 0].mean() / pitch + 0.5 * (SMALL[0] - 1)
        row = rim[:, 1].mean() / pitch + 0.5 * (SMALL[1] - 1)
        assert told["pixel"] == pytest.approx([row, column], abs=0.05)
        assert told["blur_px"][0] == pytest.approx(max(np.ptp(rim, axis=0)) / pitch, rel=0.02, abs=0.01)


def test_exposure_and_dark_and_missing() -> None:
    rehearsal = Rehearsal(a_series(), Options(pixels=SMALL, noise=False))
    plain = rehearsal.take(0).picture
    less = rehearsal.take(0, [Fault(FaultName.EXPOSURE, 0, -1.0)])
    dark = rehearsal.take(0, [Fault(FaultName.DARK, 0, 0.0)])
    missing = rehearsal.take(0, [Fault(FaultName.MISSING, 0, 0.0)])
    assert less.picture == pytest.approx(plain / 2.0, abs=1e-5)
    assert dark.picture == pytest.approx(plain / 2048.0, abs=1e-5)
    assert missing.picture is None
    assert (less.happened["exposure"], "knock" in less.happened, missing.happened["missing"]) == (-1.0, False, 0.0)
    untouched = rehearsal.take(1, [Fault(FaultName.EXPOSURE, 0, -1.0)])
    assert "exposure" not in untouched.happened


@pytest.mark.parametrize("size", [1.0, 5.0])
def test_a_knock_moves_the_middle_by_its_size(size: float) -> None:
    rehearsal = Rehearsal(a_series(), Options(pixels=SMALL, cards=True))
    plain, knocked = rehearsal.take(0), rehearsal.take(0, [Fault(FaultName.KNOCK, 0, size)])
    before, after = (
        np.array([mark["pixel"] for mark in rehearsal.marks(taken)], float) for taken in (plain, knocked)
    )
    moved = np.hypot(*(after - before).T)
    nearest = int(np.argmin(np.hypot(*(before - [79.5, 119.5]).T)))
    # Further out a turn moves a mark by a little more.
    assert moved[nearest] == pytest.approx(size, rel=0.05)
    assert (moved >= 0.93 * size).all()


def test_a_turn_stays_for_all_frames_after_it() -> None:
    rehearsal = Rehearsal(a_series(), Options(pixels=SMALL, cards=True))
    fault = [Fault(FaultName.TURN, 1, 0.5)]
    bearings = [rehearsal.take(k, fault).happened["bearing_deg"] for k in range(3)]
    assert bearings == pytest.approx([0.0, 0.5, 0.5])


def test_what_lasts_does_so_in_the_order_in_which_frames_are_taken() -> None:
    """And the frame before is the one taken before."""
    plain = a_series()
    choice = plain.scene.plan.choice.model_copy(update={"order": Order.FAR_NEAR})
    candidate = worked("series", build_scene(plain.scene.plan.model_copy(update={"choice": choice})))
    order = candidate.sequence
    assert order[0] > order[-1]
    middle = order[1]
    rehearsal = Rehearsal(candidate, Options(pixels=SMALL))
    turned = [
        index for index in order if "turn" in rehearsal.take(index, [Fault(FaultName.TURN, middle, 0.5)]).happened
    ]
    assert turned == order[1:]
    again = rehearsal.take(middle, [Fault(FaultName.DUPLICATE, middle, 0.0)])
    assert np.array_equal(again.picture, rehearsal.take(order[0]).picture)


def test_focus_that_missed_is_off_by_so_many_allowed_blurs() -> None:
    candidate = a_series()
    rehearsal = Rehearsal(candidate, Options(pixels=SMALL, cards=True))
    planned = candidate.exposures[1]
    off = rehearsal.take(1, [Fault(FaultName.AUTOFOCUS_MISS, 1, 3.0)]).exposure
    moved = planned.state.image_distance_mm - off.state.image_distance_mm
    assert moved / planned.state.working_f_number == pytest.approx(3.0 * planned.allowed_blur_mm, rel=1e-6)


def test_noise_is_that_of_counted_electrons() -> None:
    """Of a flat patch of level L: variance (L·well + read²)/well², by the body's own figures."""
    from verispect.kit.equipment import Body
    from verispect.rehearse.sensor_noise import exposed

    body = Body.model_validate({"full_well_e": 20_000.0, "read_noise_e": 8.0, "iso": 100})
    flat = np.full((400, 400, 3), 0.3, np.float32)
    found = exposed(flat.copy(), body=body, pixel_mm=0.0044, gain=1.0, seed=(1, 2), noise=True)
    assert float(found.mean()) == pytest.approx(0.3, abs=3e-4)
    assert float(found.std()) == pytest.approx(math.sqrt(0.3 * 20_000 + 64) / 20_000, rel=0.02)


def test_corners_are_darker_by_the_lenses_own_falloff() -> None:
    rehearsal = Rehearsal(a_series(falloff_stops=2.0, image_circle_mm=44.0), Options(pixels=SMALL, noise=False))
    even = Rehearsal(a_series(falloff_stops=0.0), Options(pixels=SMALL, noise=False))
    taken = rehearsal.take(0)
    ratio = taken.picture[..., 1] / even.take(0).picture[..., 1]
    out_mm = math.hypot(117.5, 77.5) * 0.15 * 50.0 / taken.exposure.state.image_distance_mm
    assert float(ratio[2, 2]) == pytest.approx(2.0 ** (-2.0 * (out_mm / 22.0) ** 4), abs=0.03)
    assert float(ratio[80, 120]) == pytest.approx(1.0, abs=0.02)


@pytest.mark.parametrize(("length", "direction"), [(6.0, 0.0), (9.0, 90.0), (7.0, 37.0)])
def test_wind_draws_a_point_out_along_its_direction(length: float, direction: float) -> None:
    """An even line has the variance L²/12 along it; its direction is that of the picture's moments."""
    from verispect.rehearse.faults import shaken

    picture = np.zeros((41, 41, 3), np.float32)
    picture[20, 20] = 1.0
    drawn = shaken(picture, length, direction)[..., 0]
    rows, columns = np.mgrid[-20:21, -20:21]
    assert float(drawn.sum()) == pytest.approx(1.0, abs=1e-5)
    c, s = math.cos(math.radians(direction)), math.sin(math.radians(direction))
    # Bilinear sharing adds up to a quarter of a pixel squared.
    along = float((drawn * (columns * c + rows * s) ** 2).sum())
    across = float((drawn * (rows * c - columns * s) ** 2).sum())
    assert along == pytest.approx(length**2 / 12, abs=0.3)
    assert across < 0.3


def test_what_has_moved_stands_aside_and_the_rest_stays() -> None:
    from verispect.rehearse.faults import Fault, FaultName

    rehearsal = Rehearsal(a_series(), Options(pixels=SMALL, noise=False, falloff=False))
    plain, moved = rehearsal.take(1), rehearsal.take(1, [Fault(FaultName.MOVED, 1, 5.0)])
    assert moved.happened["moved"] == 5.0
    name = moved.happened["moved_mark"]
    row, column = next(mark["pixel"] for mark in rehearsal.marks(plain) if mark["name"] == name)
    apart = np.abs(moved.picture - plain.picture).max(axis=2)
    rows, columns = np.nonzero(apart > 0.02)
    assert len(rows) > 20
    # Half a board, its blur, and what it moved by.
    assert np.abs(rows - row).max() < 40
    assert np.abs(columns - column).max() < 45
    assert rehearsal.take(0, [Fault(FaultName.MOVED, 1, 5.0)]).happened.get("moved") is None


def test_in_a_grid_what_moves_is_something_that_the_frame_shows() -> None:
    lens = a_lens(85.0, f_numbers=[8, 8], tilt_deg=0)
    places = [(-2.6, 1.5, 7.0), (0.0, 2.0, 7.4), (2.6, 1.2, 7.6)]
    grid = worked("turned-grid", build_scene(make_plan(places, framing=50.0, lenses=[lens])))
    rehearsal = Rehearsal(grid, Options(pixels=(120, 80), noise=False, falloff=False))
    told = set()
    for k in range(grid.frame_count):
        taken = rehearsal.take(k, [Fault(FaultName.MOVED, k, 5.0)])
        inside = {mark["name"] for mark in rehearsal.marks(taken) if mark["inside"]}
        if inside:
            assert taken.happened["moved_mark"] in inside
            told.add(taken.happened["moved_mark"])
    assert len(told) > 1


def test_a_gust_draws_out_one_thing_sideways_and_leaves_the_rest() -> None:
    from verispect.rehearse.faults import Fault, FaultName

    rehearsal = Rehearsal(a_series(), Options(pixels=SMALL, noise=False, falloff=False))
    plain, blown = rehearsal.take(1), rehearsal.take(1, [Fault(FaultName.GUST, 1, 6.0)])
    assert blown.happened["gust"] == 6.0
    row, column = next(
        mark["pixel"] for mark in rehearsal.marks(plain) if mark["name"] == blown.happened["gust_mark"]
    )
    apart = np.abs(blown.picture - plain.picture).max(axis=2)
    rows, columns = np.mgrid[: apart.shape[0], : apart.shape[1]]
    near = (np.abs(rows - row) < 40) & (np.abs(columns - column) < 45)
    # Elsewhere only the views from the pupil are chosen anew.
    assert apart[near].max() > 0.1
    assert apart[~near].mean() < 0.1 * apart[near].mean()
    here = (slice(int(row) - 12, int(row) + 13), slice(int(column) - 12, int(column) + 13), 1)
    steps = [[np.abs(np.diff(one.picture[here], axis=axis)).sum() for axis in (0, 1)] for one in (plain, blown)]
    assert steps[1][1] < 0.8 * steps[0][1], "across, along the motion, detail is gone"
    assert steps[1][0] / steps[0][0] > 1.15 * steps[1][1] / steps[0][1], "up and down less of it"


@pytest.mark.parametrize("text", ["knock", "knock@", "bump@1", "knock@x:2", "knock@1:", "knock@9"])
def test_what_is_no_fault_is_refused_with_what_would_be_right(text: str) -> None:
    from verispect.rehearse.faults import FaultError

    with pytest.raises(FaultError, match=r"NAME@FRAME|count from 0"):
        parse_fault(text, frames=5)


def test_a_missed_flash_leaves_what_the_flash_did_not_give() -> None:
    rehearsal = Rehearsal(a_series(), Options(pixels=SMALL, noise=False))
    plain, dark = rehearsal.take(0), rehearsal.take(0, [Fault(FaultName.MISSED_FLASH, 0, 2.0)])
    assert plain is not None
    assert dark is not None
    bright = plain.picture < 0.9
    assert np.median(dark.picture[bright] / plain.picture[bright]) == pytest.approx(0.25, rel=0.02)
    assert dark.happened["missed-flash"] == 2.0


def test_a_doubled_frame_is_the_one_before_to_the_last_bit() -> None:
    rehearsal = Rehearsal(a_series(), Options(pixels=SMALL))
    first, double = rehearsal.take(0), rehearsal.take(1, [Fault(FaultName.DUPLICATE, 1, 0.0)])
    assert first is not None
    assert double is not None
    np.testing.assert_array_equal(first.picture, double.picture)
    assert double.index == 1
    assert "duplicate" in double.happened


def test_dust_stays_and_takes_as_much_light_as_its_grain_covers() -> None:
    """The light lost over the whole shadow is the grain's own area, at whatever stop: the cone only spreads it."""
    even = np.full((160, 240, 3), 0.5, np.float32)
    pitch = 0.01
    grain = Grain(80.3, 120.7, 0.08)
    lost = []
    for stop in (4.0, 8.0, 22.0):
        under, ((row, column, radius),) = dusted(even, [grain], working_f_number=stop, pitch_mm=pitch)
        lost.append(float(np.sum(1.0 - under[..., 1] / 0.5)))
        assert (row, column) == (80.3, 120.7)
        assert radius == pytest.approx(0.5 * max(0.08, 1.5 / stop) / pitch, abs=0.01)
        y, x = np.mgrid[0:160, 0:240]
        shade = 1.0 - under[..., 1] / 0.5
        assert np.sum(shade * y) / shade.sum() == pytest.approx(80.3, abs=0.1)
        assert np.sum(shade * x) / shade.sum() == pytest.approx(120.7, abs=0.1)
    assert lost == pytest.approx([np.pi * 4.0**2] * 3, rel=0.06)
    rehearsal = Rehearsal(a_series(), Options(pixels=SMALL))
    fault = [Fault(FaultName.DUST, 0, 3.0)]
    told = [rehearsal.take(k, fault).happened["dust_px"] for k in (0, 1)]
    assert [speck[:2] for speck in told[0]] == [speck[:2] for speck in told[1]]
    assert len(told[0]) == 3
