"""The same job on another day: what changes in the light, against what is known of the year."""

from __future__ import annotations

from datetime import date

import pytest

from tests.conftest import make_plan
from verispect.errors import PlanError
from verispect.plan.document import Plan
from verispect.shoot.light_again import again_sentences, light_again, moved_to


def at(moment: str, end: str | None = None, latitude: float = 48.0) -> Plan:
    plan = make_plan([(0.0, 1.5, 4.0)]).model_dump(by_alias=True)
    return Plan.model_validate(
        plan | {"site": {"latitude_deg": latitude, "longitude_deg": 0.0, "from": moment, "to": end}}
    )


def test_midsummer_noon_against_midwinter_noon() -> None:
    """The Sun's noon heights at the solstices lie twice the obliquity, 2 × 23.44°, apart (handbooks; from memory)."""
    found = light_again(at("2027-06-21T12:02Z"), date(2027, 12, 22))
    assert found.sun_then[0] == pytest.approx(90.0 - 48.0 + 23.44, abs=0.05)
    assert found.sun_then[0] - found.sun_again[0] == pytest.approx(2 * 23.44, abs=0.05)
    assert found.stops < -1.0
    assert found.most_like is None
    said = " ".join(map(str, again_sentences(found)))
    assert "darker" in said
    assert "never comes near" in said


def test_the_same_day_is_the_same_light() -> None:
    found = light_again(at("2027-04-10T08:00Z"), date(2027, 4, 10))
    assert found.stops == 0.0
    assert found.sun_then == found.sun_again
    assert found.most_like == found.again
    assert len(again_sentences(found)) == 1


def test_the_other_side_of_midsummer_has_the_light_of_its_mirrored_day() -> None:
    """Days before and after the solstice mirror one another but for the equation of time, some ten minutes here."""
    found = light_again(at("2027-05-22T07:00Z"), date(2027, 7, 22))
    assert abs(found.stops) < 0.2
    assert found.most_like is not None
    assert 2 <= abs((found.most_like - found.again).total_seconds()) / 60 <= 16
    assert found.off_deg < 0.6


def test_the_plan_is_moved_with_its_clock() -> None:
    moved = moved_to(at("2027-05-22T23:00+02:00", "2027-05-23T01:30+02:00"), date(2028, 2, 29))
    assert moved.site.from_.isoformat() == "2028-02-29T23:00:00+02:00"
    assert moved.site.to.isoformat() == "2028-03-01T01:30:00+02:00"


def test_without_place_or_time_it_is_said() -> None:
    with pytest.raises(PlanError, match="place"):
        light_again(make_plan([(0.0, 1.5, 4.0)]), date(2027, 1, 1))
    with pytest.raises(PlanError, match="year"):
        moved_to(at("2027-05-22T07:00Z"), date(1, 1, 1))
