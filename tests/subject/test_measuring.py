"""From measures to places: hand-worked, round trips, and the size of the Earth."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.subject.measuring import INFINITY_M, at_infinity, by_laser, by_map, by_tape, direction, to_map

HERE = {"camera_latitude_deg": 45.0, "camera_longitude_deg": 8.0, "ground_m": 400.0}


def test_tape_is_plain() -> None:
    found = by_tape(away_m=6.0, side_m=-2.0, height_m=0.5)
    assert found.place_m.tolist() == [-2.0, 0.5, 6.0]
    assert found.plus_minus_m == pytest.approx(0.01 * math.hypot(6, 2))
    assert by_tape(away_m=0.5, side_m=0.0, height_m=0.0).plus_minus_m == 0.02


def test_laser_by_hand() -> None:
    """10 m at 30° up, 90° to the right, from 1.5 m: 8.66 m to the right, 6.5 m up."""
    found = by_laser(
        slope_m=10.0, inclination_rad=math.radians(30), bearing_rad=math.radians(90), from_m=np.array([0, 1.5, 0])
    )
    assert found.place_m == pytest.approx([8.660254, 6.5, 0.0], abs=1e-6)


@given(bearing=st.floats(-3.1, 3.1), slope=st.floats(-1.5, 1.5))
def test_a_direction_is_a_unit_vector_of_its_angles(bearing, slope) -> None:
    x, y, z = direction(bearing_rad=bearing, inclination_rad=slope)
    assert math.hypot(x, y, z) == pytest.approx(1.0)
    assert math.asin(y) == pytest.approx(slope)
    assert math.atan2(x, z) == pytest.approx(bearing) or abs(slope) > 1.49


def test_infinity_is_a_direction() -> None:
    place = at_infinity(bearing_rad=0.2, inclination_rad=0.1, from_m=np.zeros(3)).place_m
    assert place / INFINITY_M == pytest.approx(direction(bearing_rad=0.2, inclination_rad=0.1))


def test_a_degree_of_latitude_at_45_degrees() -> None:
    """On WGS 84 a meridian degree about 45° is 111 132 m (GRS 80/WGS 84 tables; from memory)."""
    north = by_map(latitude_deg=45.5, longitude_deg=8.0, elevation_m=400.0, away_azimuth_rad=0.0,
                   **(HERE | {"camera_latitude_deg": 44.5}))  # fmt: skip
    assert north.place_m[2] == pytest.approx(111_132.0, abs=2.0)
    assert north.place_m[0] == pytest.approx(0.0, abs=1e-6)


def test_the_bulge_of_the_earth_lowers_what_is_far() -> None:
    """d²/2R: 7.85 m at 10 km (R = 6371 km)."""
    latitude, longitude, _ = to_map(np.array([0.0, 0.0, 10_000.0]), away_azimuth_rad=0.0, **HERE)
    found = by_map(latitude_deg=latitude, longitude_deg=longitude, elevation_m=400.0, away_azimuth_rad=0.0, **HERE)
    assert found.place_m[1] == pytest.approx(-7.85, abs=0.01)


@given(
    x=st.floats(-20_000, 20_000), y=st.floats(-300, 3000), z=st.floats(-20_000, 20_000), away=st.floats(-3.0, 3.0)
)  # fmt: skip
def test_map_and_back_is_a_round_trip(x, y, z, away) -> None:
    latitude, longitude, elevation = to_map(np.array([x, y, z]), away_azimuth_rad=away, **HERE)
    found = by_map(
        latitude_deg=latitude, longitude_deg=longitude, elevation_m=elevation, away_azimuth_rad=away, **HERE
    )
    assert found.place_m == pytest.approx([x, y, z], abs=1e-5)


def test_away_to_the_east_puts_north_on_the_left() -> None:
    north = by_map(
        latitude_deg=45.01, longitude_deg=8.0, elevation_m=400.0, away_azimuth_rad=math.radians(90), **HERE
    )
    assert north.place_m[0] < -1000.0
    assert abs(north.place_m[2]) < 1.0
