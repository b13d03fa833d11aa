"""Marks pointed at: a camera that looked elsewhere is found, held against a pinhole's formula and SciPy's turns."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from verispect.errors import FileError
from verispect.plan.methods.candidate import Candidate
from verispect.prove.check import check
from verispect.prove.looked import Looked, Pointed, looked, pointed_at, turn_of, turned_world

WIDE, HIGH, FOCAL = 6000, 4000, 8000.0


def pinhole(basis: np.ndarray, places: np.ndarray) -> np.ndarray:
    """Rows and columns of places (n, 3), by central projection."""
    right, up, away = (basis @ places.T).tolist()
    return np.array(
        [(HIGH / 2 - FOCAL * u / a, WIDE / 2 + FOCAL * r / a) for r, u, a in zip(right, up, away, strict=True)]
    )


def found_by(planned: np.ndarray, really: np.ndarray, places: np.ndarray, off: float = 0.0) -> Looked:
    seen = pinhole(really, places) + np.random.default_rng(3).normal(0.0, off, (len(places), 2))
    pointed = [Pointed(f"m{k}", row, column) for k, (row, column) in enumerate(seen)]
    return looked_at(pointed, places, planned)


def looked_at(pointed: list[Pointed], places: np.ndarray, planned: np.ndarray) -> Looked:
    return looked(
        pointed, range(len(places)), places, lambda there, world: pinhole(planned @ world, there), planned,
        np.zeros(3), WIDE,
    )  # fmt: skip


angle = st.floats(-4.0, 4.0)


@settings(max_examples=40, deadline=None)
@given(right=angle, above=angle, lean=angle, bearing=st.floats(-180.0, 180.0), pitch=st.floats(-40.0, 40.0))
def test_three_marks_tell_how_the_camera_looked(
    right: float, above: float, lean: float, bearing: float, pitch: float
) -> None:
    planned = Rotation.from_euler("yx", [-bearing, pitch], degrees=True).as_matrix()
    # To the right, then up, then clockwise, about the camera's own axes.
    turned = Rotation.from_euler("YXZ", [right, -above, -lean], degrees=True).as_matrix()
    really = turned.T @ planned
    places = np.array([(-1.0, 0.4, 4.0), (1.1, -0.5, 3.5), (0.2, 0.8, 9.0)]) @ planned
    found = found_by(planned, really, places)
    assert planned @ found.world == pytest.approx(really, abs=2e-3)
    assert found.right_deg == pytest.approx(right, abs=0.15)
    assert found.up_deg == pytest.approx(above, abs=0.15)
    # A lean is believed to be small: of so large a one a little is held back.
    assert found.clockwise_deg == pytest.approx(lean, abs=0.2)
    assert found.left_over_px < 12.0


@given(right=angle, above=angle)
def test_one_mark_tells_of_no_lean(right: float, above: float) -> None:
    turned = Rotation.from_euler("YX", [right, -above], degrees=True).as_matrix()
    found = found_by(np.eye(3), turned.T, np.array([(0.3, 0.1, 5.0)]))
    assert found.left_over_px < 0.01
    assert abs(found.clockwise_deg) < 0.1
    assert (found.right_deg, found.up_deg) == pytest.approx((right, above), abs=0.05)


@given(st.tuples(*[st.floats(-1.4, 1.4)] * 3), st.integers(0, 1000))
def test_a_turned_world_is_scipys(turn: tuple[float, float, float], seed: int) -> None:
    # Outside truth: scipy.spatial.transform.Rotation, intrinsic turns about y, x and z.
    planned = Rotation.random(random_state=seed).as_matrix()
    right, up, clockwise = turn
    camera = Rotation.from_euler("YXZ", [right, -up, -clockwise]).as_matrix()
    world = turned_world(np.array(turn), planned)
    np.testing.assert_allclose(world, planned.T @ camera.T @ planned, atol=1e-12)
    np.testing.assert_allclose(turn_of(planned @ world, planned), turn, atol=1e-9)


def test_hands_that_point_a_little_off_are_evened_out() -> None:
    turned = Rotation.from_euler("YX", [1.5, -0.7], degrees=True).as_matrix()
    places = np.array([(x, y, 6.0) for x in (-1.5, 0.0, 1.5) for y in (-0.8, 0.8)])
    found = found_by(np.eye(3), turned.T, places, off=5.0)
    assert 2.0 < found.left_over_px < 12.0
    assert found.right_deg == pytest.approx(1.5, abs=math.degrees(8.0 / FOCAL))
    assert "1.5" in str(found.says)
    assert "to the right of the plan" in str(found.says)


@settings(max_examples=40, deadline=None)
@given(right=angle, above=angle, aside=st.floats(0.05, 0.2), bearing=st.floats(-180.0, 180.0))
def test_a_mark_that_stands_aside_is_moved_and_tells_little_of_the_camera(
    right: float, above: float, aside: float, bearing: float
) -> None:
    planned = Rotation.from_euler("y", -bearing, degrees=True).as_matrix()
    really = Rotation.from_euler("YX", [right, -above], degrees=True).as_matrix().T @ planned
    places = np.array([(-1.0, 0.4, 4.0), (1.1, -0.5, 3.5), (0.2, 0.8, 9.0), (-0.6, -0.7, 5.0)]) @ planned
    told = places.copy()
    told[0] += aside * planned[0]
    seen = pinhole(really, places)
    pointed = [Pointed(f"m{k}", row, column) for k, (row, column) in enumerate(seen)]
    found = looked_at(pointed, told, planned)
    # The camera is told by the three others, the mark by where it was seen, as far away as planned.
    assert found.right_deg == pytest.approx(right, abs=0.12)
    assert pinhole(planned @ found.world, found.places) == pytest.approx(seen, abs=0.1)
    assert np.linalg.norm(found.places, axis=1) == pytest.approx(np.linalg.norm(told, axis=1), rel=6e-3)
    assert np.linalg.norm(found.places[0] - places[0]) < 0.012 + 0.2 * aside


@pytest.mark.parametrize(
    ("text", "right"),
    [
        ("Door=12,34", Pointed("Door", 12.0, 34.0)),
        ("Door, left = a=12.5,34@f 3.tif", Pointed("Door, left = a", 12.5, 34.0, "f 3.tif")),
    ],
)
def test_what_is_typed_is_read(text: str, right: Pointed) -> None:
    assert pointed_at(text) == right


@pytest.mark.parametrize(
    "text", ["Door", "Door=", "=1,2", "Door=1", "Door=a,b", "Door=1.2.3,4", "Door=1,2@", "Door=1,99999999"]
)
def test_anything_else_is_one_sentence(text: str) -> None:
    with pytest.raises(FileError, match="is right"):
        pointed_at(text)


@pytest.mark.xdist_group("frames")
def test_marks_are_looked_for_where_they_were_pointed_at(rehearsed, known, series: Candidate) -> None:
    as_planned = check([rehearsed()], recall=known, candidate=series)
    assert as_planned.looked is None
    where = {mark.name: mark.pixel for mark in as_planned.marks}
    pointed = [Pointed(name, where[name][0] + 6.0, where[name][1] - 40.0) for name in ("m1", "m4")]
    report = check([rehearsed()], recall=known, candidate=series, pointed=pointed)
    assert report.looked is not None
    assert report.looked.left_over_px < 1.0
    # What lay in the middle is drawn 40 pixels to the left: the camera looked to the right.
    pitch = series.scene.plan.sensor_mm[0] / 720
    away = series.exposures[0].state.image_distance_mm
    assert report.looked.right_deg == pytest.approx(math.degrees(math.atan(40.0 * pitch / away)), rel=0.03)
    assert any("all marks were looked for there" in line for line in report.advice)
    for mark in report.marks:
        if mark.pixel is None or where[mark.name] is None:
            continue
        assert mark.pixel == pytest.approx((where[mark.name][0] + 6.0, where[mark.name][1] - 40.0), abs=2.5)


@pytest.mark.xdist_group("frames")
def test_a_mark_put_aside_in_the_plan_is_measured_where_it_was_pointed_at(
    rehearsed, known, series: Candidate
) -> None:
    told = {mark.name: mark for mark in check([rehearsed()], recall=known, candidate=series).marks}
    scene = series.scene
    world = scene.world_m.copy()
    world[1, 0] += 0.25
    aside = replace(series, scene=replace(scene, world_m=world))
    there = [Pointed(mark.name, *mark.pixel) for mark in told.values() if mark.pixel is not None]
    assert "m1" in [one.name for one in there]
    found = check([rehearsed()], recall=known, candidate=aside, pointed=there)
    assert found.looked is not None
    assert abs(found.looked.right_deg) < 0.1
    for mark in found.marks:
        if mark.pixel is not None:
            assert mark.pixel == pytest.approx(told[mark.name].pixel, abs=0.5)
            assert mark.softness == pytest.approx(told[mark.name].softness, abs=0.03)


def test_marks_and_frames_that_are_not_there_are_named(rehearsed, known, series: Candidate, tmp_path: Path) -> None:
    with pytest.raises(FileError, match=r"no such mark; it has m0, m1"):
        check([rehearsed()], recall=known, candidate=series, pointed=[Pointed("Door", 1.0, 2.0)])
    with pytest.raises(FileError, match=r"no frame x\.tif"):
        check([rehearsed()], recall=known, candidate=series, pointed=[Pointed("m1", 1.0, 2.0, "x.tif")])
    with pytest.raises(FileError, match="outside the picture of 480 rows and 720 columns"):
        check([rehearsed()], recall=known, candidate=series, pointed=[Pointed("m1", 480.0, 2.0)])
    with pytest.raises(FileError, match="those of a plan"):
        check([rehearsed()], recall=known, pointed=[Pointed("m1", 1.0, 2.0)])
