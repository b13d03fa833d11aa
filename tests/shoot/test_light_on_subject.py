"""The Sun on surfaces: the bearing of a wall, the length of a shadow, by hand and by brute force over the day."""

from __future__ import annotations

import math
from datetime import datetime, timedelta

import numpy as np
import pytest

from tests.conftest import make_plan
from verispect.plan.document import Plan, Site
from verispect.shoot.light import body_at
from verispect.shoot.light_on_subject import lit_share, sun_direction, surfaces_in_the_sun, world_direction
from verispect.subject.surface import Surface, patches

BEGIN = datetime.fromisoformat("2027-06-14T00:00+02:00")


def plan_with(*surfaces: Surface, away: float = 0.0) -> Plan:
    site = Site.model_validate(
        {"latitude_deg": 47.0, "longitude_deg": 8.0, "away_azimuth_deg": away, "from": BEGIN.isoformat()}
    )
    return make_plan([(0.0, 1.0, 5.0)]).model_copy(update={"site": site, "surfaces": surfaces})


def test_directions_by_hand() -> None:
    site = Site(latitude_deg=0, longitude_deg=0, away_azimuth_deg=90.0)
    np.testing.assert_allclose(world_direction(site, 90.0, 0.0), [0, 0, 1], atol=1e-12)
    np.testing.assert_allclose(world_direction(site, 180.0, 0.0), [1, 0, 0], atol=1e-12)
    np.testing.assert_allclose(world_direction(site, 0.0, 60.0), [-0.5, math.sqrt(0.75), 0], atol=1e-12)


def test_the_shadow_of_a_wall_is_as_long_as_its_height_over_the_tangent() -> None:
    """A wall two metres high throws 2/tan 30° = 3.46 m on level ground; of ten metres beyond it that much is dark."""
    wall = patches(Surface(name="W", kind="wall", z_m=5.0, width_m=200.0, length_m=2.0, slope_deg=90))[0]
    ground = patches(Surface(name="G", z_m=5.0, width_m=10.0, length_m=10.0))[0]
    low = np.array([0.0, math.sin(math.radians(30)), -math.cos(math.radians(30))])
    share = lit_share(ground, [wall], low, np.array([0.0, 1.5, 0.0]))
    assert share == pytest.approx(1.0 - 0.346, abs=1.0 / 7.0)
    # From the other side the ground before the eye is free, and the wall's own far side lights nothing here.
    assert lit_share(ground, [wall], low * [1, 1, -1], np.array([0.0, 1.5, 0.0])) == 1.0
    assert lit_share(wall, [], low * [1, 1, -1], np.array([0.0, 1.5, 0.0])) == 0.0
    assert lit_share(wall, [], low, np.array([0.0, 1.5, 0.0])) == 1.0


@pytest.mark.parametrize("away", [0.0, 75.0, 200.0])
def test_a_wall_is_sunlit_while_the_sun_is_up_before_it(away: float) -> None:
    """Against every minute of the day: the Sun less than 90° from the way the wall faces."""
    plan = plan_with(Surface(name="W", kind="wall", z_m=8.0, width_m=4.0, length_m=3.0, slope_deg=90), away=away)
    (found,) = surfaces_in_the_sun(plan, BEGIN, BEGIN + timedelta(days=1))
    assert plan.site is not None
    for minute in range(0, 1440, 7):
        when = BEGIN + timedelta(minutes=minute)
        if any(abs((when - edge).total_seconds()) < 90 for span in found.lit for edge in span):
            continue
        altitude, azimuth, _ = body_at(plan.site, when, "Sun", refraction=True)
        # It faces back towards the camera.
        before = math.cos(math.radians(azimuth - away - 180.0)) > 0.0 and altitude > -0.833
        assert any(first <= when <= last for first, last in found.lit) == before, when
    for first, last in found.raking:
        middle = first + (last - first) / 2
        towards, _ = sun_direction(plan.site, middle)
        assert abs(towards[2]) < math.sin(math.radians(15.0))


def test_what_stands_before_a_wall_shades_it() -> None:
    wall = Surface(name="W", kind="wall", z_m=8.0, width_m=4.0, length_m=3.0, slope_deg=90)
    screen = Surface(name="S", kind="wall", z_m=7.0, width_m=40.0, length_m=40.0, slope_deg=90)
    free, hidden = (
        surfaces_in_the_sun(plan_with(*surfaces, away=0.0), BEGIN, BEGIN + timedelta(days=1))[0]
        for surfaces in ((wall,), (wall, screen))
    )
    # A metre behind it, only what comes along the wall within some three degrees gets past.
    lit, left = (sum((last - first).total_seconds() for first, last in one.lit) for one in (free, hidden))
    assert lit > 5 * 3600
    assert left < 0.15 * lit
    no_place = plan_with(wall).model_copy(update={"site": None})
    assert surfaces_in_the_sun(no_place, BEGIN, BEGIN + timedelta(days=1)) == []
