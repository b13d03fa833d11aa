"""From what was measured to a place in the world, each way with how sure it is.

World: metres, x right, y up, z away from under the entrance pupil (docs/conventions.md). A ± is 19 times
in 20 and lies along the line of sight.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from verispect.optics.types import Floats

# Far enough that nothing nearer is confused with it, near enough for the plan's limits.
INFINITY_M = 1.0e6


@dataclass(frozen=True)
class Caught:
    """A place and how surely its distance is known.

    Attributes
    ----------
    place_m : ndarray, shape (3,)
    plus_minus_m : float
    """

    place_m: Floats
    plus_minus_m: float


def by_tape(*, away_m: float, side_m: float, height_m: float) -> Caught:
    """Along the ground, to the side (right positive), and up.

    A tape on the ground is taken to be sure to 1 % and not better than 20 mm (an estimate).
    """
    place = np.array([side_m, height_m, away_m])
    return Caught(place, max(0.02, 0.01 * float(np.hypot(away_m, side_m))))


def direction(*, bearing_rad: float, inclination_rad: float) -> Floats:
    """Unit vector of a bearing (clockwise from straight away) and an inclination (up positive)."""
    level = math.cos(inclination_rad)
    return np.array([math.sin(bearing_rad) * level, math.sin(inclination_rad), math.cos(bearing_rad) * level])


def by_laser(
    *, slope_m: float, inclination_rad: float, bearing_rad: float, from_m: Floats, sure_m: float = 0.01
) -> Caught:
    """Slope distance from a spot, which may be the camera or beside it.

    Parameters
    ----------
    from_m : ndarray, shape (3,)
        Where the laser stood.
    sure_m : float
        How surely it measures; 10 mm takes in the hand that holds it (an estimate).
    """
    place = from_m + slope_m * direction(bearing_rad=bearing_rad, inclination_rad=inclination_rad)
    return Caught(place, sure_m)


def by_distance(*, distance_m: float, towards: Floats, from_m: Floats, plus_minus_m: float) -> Caught:
    """A distance along a direction."""
    return Caught(from_m + distance_m * towards, plus_minus_m)


def at_infinity(*, bearing_rad: float, inclination_rad: float, from_m: Floats) -> Caught:
    """Horizon, Moon, stars: a direction alone."""
    return Caught(from_m + INFINITY_M * direction(bearing_rad=bearing_rad, inclination_rad=inclination_rad), 0.0)


def by_map(
    *,
    latitude_deg: float,
    longitude_deg: float,
    elevation_m: float,
    camera_latitude_deg: float,
    camera_longitude_deg: float,
    ground_m: float,
    away_azimuth_rad: float,
) -> Caught:
    """A place on the map, seen from the camera's.

    Parameters
    ----------
    elevation_m, ground_m : float
        Of the thing and of the ground under the camera, above the same level.
    away_azimuth_rad : float
        Azimuth from true north of the world's away.

    Notes
    -----
    Geodesic on WGS 84 by geographiclib (Karney 2013). The Earth's bulge, d²/2R, lowers far things and is
    taken off; refraction is not. Sure to 10 m (usual for a map or a satellite fix; an estimate).
    """
    from geographiclib.geodesic import Geodesic

    line = Geodesic.WGS84.Inverse(camera_latitude_deg, camera_longitude_deg, latitude_deg, longitude_deg)
    distance = float(line["s12"])
    bearing = math.radians(float(line["azi1"])) - away_azimuth_rad
    drop = distance * distance / (2.0 * _EARTH_M)
    place = np.array([distance * math.sin(bearing), elevation_m - ground_m - drop, distance * math.cos(bearing)])
    return Caught(place, 10.0)


def to_map(
    place_m: Floats,
    *,
    camera_latitude_deg: float,
    camera_longitude_deg: float,
    ground_m: float,
    away_azimuth_rad: float,
) -> tuple[float, float, float]:
    """Latitude, longitude and elevation of a place; the inverse of `by_map`."""
    from geographiclib.geodesic import Geodesic

    x, y, z = (float(part) for part in place_m)
    distance, bearing = math.hypot(x, z), math.atan2(x, z) + away_azimuth_rad
    found = Geodesic.WGS84.Direct(camera_latitude_deg, camera_longitude_deg, math.degrees(bearing), distance)
    return float(found["lat2"]), float(found["lon2"]), y + ground_m + distance * distance / (2.0 * _EARTH_M)


# Mean radius (IUGG, from memory).
_EARTH_M = 6_371_009.0
