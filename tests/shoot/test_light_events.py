"""Events and searches against a plain scan minute by minute, and sunrise against the almanac's own words."""

from __future__ import annotations

import json
import math
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import make_plan
from verispect.cli import main
from verispect.errors import PlanError
from verispect.files.plan_file import write_plan
from verispect.plan.document import Site
from verispect.shoot.light import body_at
from verispect.shoot.light_events import apart_deg, direction_of, light_events, meetings, stand_for

SITE = Site(latitude_deg=47.1, longitude_deg=8.3)
BEGIN = datetime(2027, 3, 20, tzinfo=UTC)


def test_a_day_turns_in_its_usual_order_at_the_right_heights() -> None:
    events = light_events(SITE, BEGIN, BEGIN + timedelta(hours=24))
    suns = [event for event in events if "moon" not in event.name and "third" not in event.name]
    names = [event.name for event in suns]
    assert names.index("sunrise") < names.index("sunset")
    bounds = {
        "nautical dawn": -12.0,
        "sunrise": -0.833,
        "golden hour begins": 6.0,
        "blue hour ends, civil dusk": -6.0,
    }
    for name, bound in bounds.items():
        event = next(event for event in suns if event.name == name)
        assert body_at(SITE, datetime.fromisoformat(event.utc), "Sun")[0] == pytest.approx(bound, abs=0.01)
    # At an equinox day and night are about alike, and the day is longer by what the air lifts (handbook knowledge).
    rise, fall = (
        datetime.fromisoformat(next(e.utc for e in suns if e.name == name)) for name in ("sunrise", "sunset")
    )
    assert (fall - rise) / timedelta(hours=1) == pytest.approx(12.15, abs=0.12)


@pytest.mark.parametrize("body", ["Sun", "Moon"])
def test_meetings_are_those_of_a_plain_scan(body: str) -> None:
    direction, within, days = (236.0, 21.0), 6.0, 12
    found = meetings(SITE, direction, body=body, within_deg=within, begin=BEGIN, end=BEGIN + timedelta(days=days))
    minutes = [BEGIN + timedelta(minutes=2 * k) for k in range(days * 720)]
    places = [body_at(SITE, when, body, refraction=True) for when in minutes]
    apart = np.array([apart_deg((azimuth, altitude), direction) for altitude, azimuth, _ in places])
    dips = [k for k in range(1, len(apart) - 1) if apart[k] <= within and apart[k - 1] > apart[k] <= apart[k + 1]]
    assert len(found) == len(dips) > 0
    for meeting, k in zip(found, dips, strict=True):
        assert abs(datetime.fromisoformat(meeting.utc) - minutes[k]) <= timedelta(minutes=2.1)
        assert meeting.apart_deg <= apart[k] + 1e-6
        stretch = np.flatnonzero(apart[max(k - 200, 0) : k + 200] <= within)
        assert meeting.minutes_within == pytest.approx(2.0 * len(stretch), abs=4.1)


@settings(deadline=None, max_examples=60)
@given(*(st.floats(0, 360), st.floats(-89, 89)) * 2)
def test_the_angle_between_directions_is_that_of_their_vectors(a: float, h: float, b: float, k: float) -> None:
    first, second = (
        np.array([math.cos(math.radians(y)) * math.sin(math.radians(x)), math.sin(math.radians(y)),
                  math.cos(math.radians(y)) * math.cos(math.radians(x))])
        for x, y in ((a, h), (b, k))
    )  # fmt: skip
    across = np.linalg.norm(np.cross(first, second))
    assert apart_deg((a, h), (b, k)) == pytest.approx(math.degrees(math.atan2(across, first @ second)), abs=1e-6)


def test_from_where_one_should_stand_the_sun_is_behind_the_mark(tmp_path, capsys) -> None:
    plan = make_plan([(3.0, 11.0, 30.0)]).model_copy(
        update={"site": SITE.model_copy(update={"away_azimuth_deg": 200.0})}
    )
    name, at = plan.marks[0].name, datetime(2027, 3, 20, 13, 0, tzinfo=UTC)
    place = stand_for(plan, name, body="Sun", at=at)
    assert place is not None
    altitude, azimuth, _ = body_at(SITE, at, "Sun", refraction=True)
    mark = plan.marks[0]
    right, up, away = mark.x_m - place[0], mark.y_m - plan.camera.height_m, mark.z_m - place[1]
    assert math.degrees(math.atan2(up, math.hypot(right, away))) == pytest.approx(altitude, abs=1e-9)
    turned = (200.0 + math.degrees(math.atan2(right, away)) - azimuth + 180.0) % 360.0 - 180.0
    assert turned == pytest.approx(0.0, abs=1e-9)
    assert stand_for(plan, name, body="Sun", at=at + timedelta(hours=12)) is None
    file = tmp_path / "p.verispect"
    write_plan(plan, file)
    assert main(["light", str(file), "--near", name, "--within", "20", "--days", "3", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["cautions"]
    assert told["azimuth_deg"] == pytest.approx(direction_of(plan, name)[0])
    assert main(["light", str(file), "--stand-for", name, "--at", "2027-03-20T13:00Z", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["stand_m"] == pytest.approx(list(place))
    assert main(["light", str(file), "--near", "nobody"]) == 2


def test_a_search_backwards_is_refused() -> None:
    with pytest.raises(PlanError, match="ten years"):
        meetings(SITE, (0.0, 0.0), body="Sun", within_deg=1.0, begin=BEGIN, end=BEGIN)
