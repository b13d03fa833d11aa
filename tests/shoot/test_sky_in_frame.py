"""Sun and Moon before the camera, sizes by hand, a polariser by Malus's law at single places."""

from __future__ import annotations

import math
from datetime import datetime, timedelta

import numpy as np
import pytest

from tests.conftest import DEMO, make_plan
from verispect.errors import PlanError
from verispect.files.plan_file import read_plan
from verispect.plan.document import Plan, Site
from verispect.plan.scene.scene import unchecked_scene
from verispect.shoot import sky_in_frame
from verispect.shoot.day_of_light import day_dict, day_lines, day_of_light
from verispect.shoot.light import body_at
from verispect.shoot.light_on_subject import sun_direction, world_direction
from verispect.shoot.sky_in_frame import bodies_in_frame, course_of, in_picture, moon_pixels, polariser_over

BEGIN = datetime.fromisoformat("2027-06-14T00:00+02:00")


def plan_towards(azimuth: float, pitch: float = 0.0, framing: float = 24.0) -> Plan:
    site = Site.model_validate(
        {"latitude_deg": 47.0, "longitude_deg": 8.0, "away_azimuth_deg": azimuth, "from": BEGIN.isoformat()}
    )
    plan = make_plan([(0.0, 1.0, 5.0)], framing=framing, camera={"pitch_deg": pitch})
    return plan.model_copy(update={"site": site})


def test_a_body_stands_in_the_picture_while_its_angles_are_within_the_field() -> None:
    """24 mm on 36 × 24 mm sees tan = 0.75 to either side and 0.5 up and down; against every ten minutes."""
    plan = plan_towards(75.0, 5.0)
    found = bodies_in_frame(plan, BEGIN, BEGIN + timedelta(days=1))
    assert plan.site is not None
    assert any(one.body == "Sun" for one in found)
    for body in ("Sun", "Moon"):
        for minute in range(5, 1440, 10):
            when = BEGIN + timedelta(minutes=minute)
            altitude, azimuth, _ = body_at(plan.site, when, body, refraction=True)
            off, up, tip = (math.radians(part) for part in (azimuth - 75.0, altitude, 5.0))
            # Rotated down by the pitch, by hand.
            x, y, z = math.sin(off) * math.cos(up), math.sin(up), math.cos(off) * math.cos(up)
            y, z = y * math.cos(tip) - z * math.sin(tip), z * math.cos(tip) + y * math.sin(tip)
            inside = z > 0 and abs(x / z) <= 0.75 and abs(y / z) <= 0.5 and altitude > -0.3
            spans = [(one.begin, one.end) for one in found if one.body == body]
            if any(abs((when - edge).total_seconds()) < 600 for span in spans for edge in span):
                continue
            assert any(first <= when <= last for first, last in spans) == inside, (body, when)


def test_the_course_goes_through_every_hour_and_only_above_the_horizon() -> None:
    plan = plan_towards(0.0)
    assert plan.site is not None
    course = course_of(plan.site, "Sun", BEGIN, BEGIN + timedelta(days=1))
    assert all((run[:, 1] > 0.0).all() for run in course.runs)
    assert [label for label, _ in course.hours] == [str(hour) for hour in range(6, 22)]
    noon = next(direction for label, direction in course.hours if label == "12")
    altitude, azimuth, _ = body_at(plan.site, BEGIN + timedelta(hours=12), "Sun", refraction=True)
    np.testing.assert_allclose(noon, world_direction(plan.site, azimuth, altitude), atol=1e-9)
    assert not in_picture(plan, -noon)


def test_the_moon_s_size_by_hand() -> None:
    """Half a degree or so at 500 mm is 4.4 mm; it moves its own width in about two minutes."""
    plan = plan_towards(0.0, framing=500.0)
    pixels, on_print, seconds = moon_pixels(plan, BEGIN)
    width_mm = pixels * plan.kit.body.pixel_mm
    assert 500 * math.radians(0.48) < width_mm < 500 * math.radians(0.57)
    assert on_print == pytest.approx(width_mm * plan.enlargement())
    assert pixels * seconds == pytest.approx(125.0, abs=15.0)


def test_a_polariser_at_one_place_follows_rayleigh_and_malus(monkeypatch) -> None:
    """A field so small that the sky is even: turned for most it leaves 1 − p, p = 0.8 sin²θ/(1 + cos²θ)."""
    plan = plan_towards(20.0, 40.0, framing=1000.0)
    when = BEGIN + timedelta(hours=17)
    found = polariser_over(plan, when)
    assert found is not None
    assert plan.site is not None
    sun, _ = sun_direction(plan.site, when)
    cosine = float(unchecked_scene(plan).pose.forward @ sun)
    p = 0.8 * (1 - cosine**2) / (1 + cosine**2)
    assert found.least_stops == pytest.approx(-math.log2(1 - p), abs=0.08)
    assert found.most_stops == pytest.approx(-math.log2(1 - p), abs=0.08)
    wide = polariser_over(plan_towards(20.0, 40.0, framing=14.0), when)
    assert wide is not None
    assert wide.most_stops - wide.least_stops > 0.5
    assert polariser_over(plan, BEGIN + timedelta(hours=1)) is None
    assert polariser_over(plan_towards(20.0, -80.0), when) is None
    monkeypatch.setattr(sky_in_frame, "_MOST_POLARISED", 0.0)
    none = polariser_over(plan, when)
    assert none is not None
    assert none.most_stops == pytest.approx(0.0, abs=1e-9)


def test_the_demo_s_day_in_words_and_figures() -> None:
    day = day_of_light(read_plan(DEMO))
    lines = "\n".join(day_lines(day))
    assert "Drying tower: in the Sun" in lines
    assert [event.name for event in day.events].count("sunrise") == 1
    assert [event.utc for event in day.events] == sorted(event.utc for event in day.events)
    told = day_dict(day)
    assert set(told) == {"surfaces", "in_frame", "polariser", "moon", "cautions"}
    with pytest.raises(PlanError, match="place"):
        day_of_light(make_plan([(0, 1, 5)]))
    sunny = day_of_light(plan_towards(75.0, 5.0))
    assert any("Never look at the Sun" in line for line in day_lines(sunny))
