"""Sun, Moon and daylight at a place, by astronomy-engine (apparent, topocentric)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import lru_cache

from verispect.errors import PlanError
from verispect.plan.assess.daylight import illuminance_lux
from verispect.plan.document import Site

# Mean radius of the Moon, km (IAU; from memory), and the astronomical unit (IAU 2012, exact).
_MOON_KM, _AU_KM = 1737.4, 149_597_870.7
# A site without an end of its time is looked at for so long.
_USUAL = timedelta(hours=24)
_MOST_ROWS = 20_000
# The light's drift is told from its change over a minute.
_STEP = timedelta(seconds=30)


@dataclass(frozen=True)
class LightRow:
    """One moment. Azimuths from north through east; lux of a clear sky on level ground."""

    utc: str
    sun_altitude_deg: float
    sun_azimuth_deg: float
    moon_altitude_deg: float
    moon_azimuth_deg: float
    moon_diameter_arcmin: float
    lux: float
    drift_stops_per_min: float


def light_rows(
    site: Site | None, *, every_min: float = 5.0, refraction: bool = False, where: str = "plan"
) -> list[LightRow]:
    """Rows from the beginning of the site's time to its end.

    Raises
    ------
    PlanError
        If the plan has no place or time, its time runs backwards, or it asks for too many rows.
    """
    if site is None:
        raise PlanError(f"{where}: site", "nothing", "give latitude_deg, longitude_deg and from")
    if site.from_ is None:
        raise PlanError(
            f"{where}: site.from", "nothing", "give the time of the first frame, such as 2027-03-14T16:00Z"
        )
    begin = utc_of(site.from_)
    end = utc_of(site.to) if site.to is not None else begin + _USUAL
    if end < begin:
        raise PlanError(f"{where}: site.to", "a time before from", "let it be the later of the two")
    step = timedelta(minutes=every_min)
    count = int((end - begin) / step + 1e-9) + 1
    if count > _MOST_ROWS:
        raise PlanError(
            f"{where}: site.to", "{count} rows", "at most {most}: a shorter time or a longer --every", count=count,
            most=_MOST_ROWS,
        )  # fmt: skip
    return [light_at(site, begin + k * step, refraction=refraction) for k in range(count)]


def light_at(site: Site, when: datetime, *, refraction: bool = False) -> LightRow:
    """The light of one moment."""
    moment = utc_of(when)
    sun = body_at(site, moment, "Sun", refraction=refraction)
    moon = body_at(site, moment, "Moon", refraction=refraction)
    before, after = (_sun_lux(site, moment + sign * _STEP) for sign in (-1, 1))
    return LightRow(
        utc=moment.strftime("%Y-%m-%dT%H:%M:%SZ"),
        sun_altitude_deg=sun[0],
        sun_azimuth_deg=sun[1],
        moon_altitude_deg=moon[0],
        moon_azimuth_deg=moon[1],
        moon_diameter_arcmin=math.degrees(2.0 * math.asin(_MOON_KM / (moon[2] * _AU_KM))) * 60.0,
        lux=_sun_lux(site, moment),
        drift_stops_per_min=math.log2(after / before),
    )


def _sun_lux(site: Site, moment: datetime) -> float:
    return illuminance_lux(body_at(site, moment, "Sun")[0])


def body_at(site: Site, when: datetime, name: str, *, refraction: bool = False) -> tuple[float, float, float]:
    """Altitude and azimuth of the Sun or the Moon in degrees, distance in astronomical units."""
    return _body_at(site.latitude_deg, site.longitude_deg, site.elevation_m, utc_of(when), name, refraction)


@lru_cache(maxsize=4096)
def _body_at(
    latitude: float, longitude: float, elevation: float, moment: datetime, name: str, refraction: bool
) -> tuple[float, float, float]:
    # Every surface of a plan asks for the same moments of its day.
    import astronomy

    seconds = moment.second + moment.microsecond / 1e6
    time = astronomy.Time.Make(moment.year, moment.month, moment.day, moment.hour, moment.minute, seconds)
    observer = astronomy.Observer(latitude, longitude, elevation)
    place = astronomy.Equator(astronomy.Body[name], time, observer, True, True)
    air = astronomy.Refraction.Normal if refraction else astronomy.Refraction.Airless
    horizon = astronomy.Horizon(time, observer, place.ra, place.dec, air)
    return float(horizon.altitude), float(horizon.azimuth), float(place.dist)


def utc_of(when: datetime) -> datetime:
    """A moment in UTC; one without a zone is taken as UTC."""
    return when.astimezone(UTC) if when.tzinfo is not None else when.replace(tzinfo=UTC)


def lux_words(lux: float) -> str:
    """Illuminance to three digits, as a person writes it: 17 900, 4.2, 0.00021.

    Examples
    --------
    >>> lux_words(17_876.0), lux_words(4.2), lux_words(0.000214)
    ('17 900', '4.2', '0.000214')
    """
    if lux >= 1000.0:
        digits = len(str(int(lux))) - 3
        return f"{round(lux, -digits):,.0f}".replace(",", " ")
    return f"{lux:.3g}" if lux >= 1e-4 or lux <= 0.0 else f"{lux:.6f}".rstrip("0").rstrip(".")


def light_table(rows: Sequence[LightRow]) -> str:
    """The rows for a terminal."""
    lines = ["UTC                   Sun alt   azimuth   Moon alt  azimuth  Moon    light      drift"]
    for row in rows:
        lines.append(
            f"{row.utc}  {row.sun_altitude_deg:8.2f}° {row.sun_azimuth_deg:8.2f}° {row.moon_altitude_deg:8.2f}° "
            f"{row.moon_azimuth_deg:8.2f}°  {row.moon_diameter_arcmin:5.2f}'  {lux_words(row.lux):>9} lx  "
            f"{row.drift_stops_per_min:+.4f} EV/min"
        )
    return "\n".join(lines)
