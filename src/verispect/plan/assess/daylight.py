"""The Sun's altitude and the daylight that goes with it."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta

from verispect.plan.document import Site

# log10 lux as a cubic in x = altitude / 90°, by bands of altitude from above: Explanatory Supplement to the
# Astronomical Almanac (1992), table of illuminance; taken from memory.
_BANDS: tuple[tuple[float, tuple[float, float, float, float]], ...] = (
    (20.0, (3.74, 3.97, -4.07, 1.47)),
    (5.0, (3.05, 13.28, -45.98, 64.33)),
    (-0.8, (2.88, 22.26, -207.64, 1034.30)),
    (-5.0, (2.88, 21.81, -258.11, -858.36)),
    (-12.0, (2.70, 12.17, -431.69, -1899.83)),
    (-18.0, (13.84, 262.72, 1447.42, 2797.93)),
)
# Below the last band the Sun gives no more light than at its end.
_LOWEST_DEG = -18.0


def sun_altitude_deg(site: Site, when: datetime) -> float:
    """Apparent altitude of the Sun without refraction, by astronomy-engine (Cross; MIT licence)."""
    import astronomy

    moment = when.astimezone(UTC) if when.tzinfo is not None else when.replace(tzinfo=UTC)
    time = astronomy.Time.Make(
        moment.year, moment.month, moment.day, moment.hour, moment.minute, moment.second + moment.microsecond / 1e6
    )
    observer = astronomy.Observer(site.latitude_deg, site.longitude_deg, site.elevation_m)
    place = astronomy.Equator(astronomy.Body.Sun, time, observer, True, True)
    horizon = astronomy.Horizon(time, observer, place.ra, place.dec, astronomy.Refraction.Airless)
    return float(horizon.altitude)


def illuminance_lux(altitude_deg: float) -> float:
    """Light of a clear sky and Sun on level ground, in lux.

    Examples
    --------
    >>> round(illuminance_lux(60.0), -3)
    103000.0
    """
    altitude = min(max(altitude_deg, _LOWEST_DEG), 90.0)
    factors = next(factors for least, factors in _BANDS if altitude >= least)
    x = altitude / 90.0
    return 10.0 ** sum(factor * x**k for k, factor in enumerate(factors))


def drift_stops(site: Site, begin: datetime, run_s: float) -> float:
    """Change of the daylight over a run, in stops; positive where it grows brighter."""
    first, last = (sun_altitude_deg(site, begin + timedelta(seconds=t)) for t in (0.0, run_s))
    return math.log2(illuminance_lux(last) / illuminance_lux(first))
