"""Sun, Moon and daylight against another ephemeris: the library ephem."""

from __future__ import annotations

import itertools
import math
from datetime import UTC, datetime, timedelta

import ephem
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from verispect.errors import PlanError
from verispect.plan.document import Site
from verispect.shoot.light import light_at, light_rows, light_table

BEGIN = datetime(2000, 1, 1, tzinfo=UTC)


def outside(latitude: float, longitude: float, metres: float, when: datetime, body: ephem.Body) -> ephem.Body:
    observer = ephem.Observer()
    observer.lat, observer.lon, observer.elevation = str(latitude), str(longitude), metres
    observer.pressure = 0.0
    observer.date = ephem.Date(when.replace(tzinfo=None))
    body.compute(observer)
    return body


def apart_deg(first: tuple[float, float], second: tuple[float, float]) -> float:
    """Between two (altitude, azimuth) in degrees, on the sphere."""
    (a1, z1), (a2, z2) = (tuple(map(math.radians, place)) for place in (first, second))
    haversine = math.sin(0.5 * (a2 - a1)) ** 2 + math.cos(a1) * math.cos(a2) * math.sin(0.5 * (z2 - z1)) ** 2
    return math.degrees(2 * math.asin(min(1.0, math.sqrt(haversine))))


@settings(deadline=None, max_examples=60)
@given(
    st.floats(-88, 88), st.floats(-180, 180), st.floats(0, 4000), st.integers(0, 60 * 24 * 365 * 50)
)  # fmt: skip
def test_sun_and_moon_stand_where_another_ephemeris_has_them(
    latitude: float, longitude: float, metres: float, minutes: int
) -> None:
    when = BEGIN + timedelta(minutes=minutes)
    row = light_at(Site(latitude_deg=latitude, longitude_deg=longitude, elevation_m=metres), when)
    sun = outside(latitude, longitude, metres, when, ephem.Sun())
    moon = outside(latitude, longitude, metres, when, ephem.Moon())
    for ours, theirs in (
        ((row.sun_altitude_deg, row.sun_azimuth_deg), sun),
        ((row.moon_altitude_deg, row.moon_azimuth_deg), moon),
    ):
        assert apart_deg(ours, (math.degrees(theirs.alt), math.degrees(theirs.az))) < 0.02
    # ephem tells the Moon's diameter from where it is seen, in seconds of arc.
    assert row.moon_diameter_arcmin == pytest.approx(moon.size / 60.0, rel=0.004)


def test_rows_go_from_the_first_to_the_last_and_the_table_shows_each() -> None:
    site = Site.model_validate(
        {"latitude_deg": 46.5, "longitude_deg": 8.0, "from": "2027-06-21T04:00:00+02:00",
         "to": "2027-06-21T05:00:00+02:00"}
    )  # fmt: skip
    rows = light_rows(site, every_min=20.0)
    assert [row.utc for row in rows] == [f"2027-06-21T0{hour}:{minute:02d}:00Z" for hour, minute in
                                         ((2, 0), (2, 20), (2, 40), (3, 0))]  # fmt: skip
    assert len(light_table(rows).splitlines()) == 5
    assert all(b.lux > a.lux for a, b in itertools.pairwise(rows))
    assert all(row.drift_stops_per_min > 0 for row in rows)


def test_the_drift_is_the_slope_of_the_light() -> None:
    site = Site(latitude_deg=50.0, longitude_deg=10.0)
    when = datetime(2027, 9, 23, 17, 30, tzinfo=UTC)
    before, now, after = (light_at(site, when + timedelta(minutes=part)) for part in (-2, 0, 2))
    assert now.drift_stops_per_min == pytest.approx(math.log2(after.lux / before.lux) / 4.0, abs=0.01)
    assert now.drift_stops_per_min < 0


def test_refraction_raises_the_sun_by_half_a_degree_at_the_horizon() -> None:
    """34 minutes of arc at the horizon (common practice of almanacs)."""
    site = Site(latitude_deg=0.0, longitude_deg=0.0)
    moment = datetime(2027, 3, 20, 5, 0, tzinfo=UTC)
    rows = [moment + timedelta(minutes=k) for k in range(240)]
    rising = min(rows, key=lambda when: abs(light_at(site, when).sun_altitude_deg))
    raised = light_at(site, rising, refraction=True).sun_altitude_deg - light_at(site, rising).sun_altitude_deg
    assert raised == pytest.approx(34 / 60, abs=0.1)


@pytest.mark.parametrize(
    ("site", "said"),
    [
        (None, "latitude_deg"),
        ({"latitude_deg": 1, "longitude_deg": 2}, "site.from"),
        ({"latitude_deg": 1, "longitude_deg": 2, "from": "2027-01-02T00:00Z", "to": "2027-01-01T00:00Z"}, "later"),
        ({"latitude_deg": 1, "longitude_deg": 2, "from": "2027-01-02T00:00Z", "to": "2097-01-01T00:00Z"}, "rows"),
    ],
)
def test_without_a_place_or_a_time_it_says_what_is_missing(site: dict | None, said: str) -> None:
    with pytest.raises(PlanError, match=said):
        light_rows(None if site is None else Site.model_validate(site), every_min=1.0)
