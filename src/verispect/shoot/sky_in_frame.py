"""Sun and Moon before the camera: their course over a day, when they stand in the picture, what a polariser does."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from verispect.optics.pose import Pose
from verispect.optics.types import Floats
from verispect.plan.document import Plan, Site
from verispect.plan.scene.scene import unchecked_scene
from verispect.shoot.light import body_at, light_at, utc_of
from verispect.shoot.light_on_subject import sun_direction, world_direction

BODIES = ("Sun", "Moon")
_STEP = timedelta(minutes=10)
# Degree of polarisation of a clear sky at 90° from the Sun (from memory), and how many directions are looked at.
_MOST_POLARISED, _GRID = 0.8, 15
# Degrees a minute that the sky turns.
_TURNS = 360.0 / 1436.07


@dataclass(frozen=True)
class Course:
    """Where a body goes while it is up: unit vectors in the plan's world every ten minutes, and at whole hours.

    Attributes
    ----------
    runs : tuple of ndarray, shape (N, 3)
        One for each time that it is up without a break.
    hours : tuple of (str, ndarray)
        Labels and directions, hours as the site's own time has them.
    """

    body: str
    runs: tuple[Floats, ...]
    hours: tuple[tuple[str, Floats], ...]


@dataclass(frozen=True)
class InFrame:
    """A body that stands in the wanted picture, from when to when (UTC)."""

    body: str
    begin: datetime
    end: datetime


@dataclass(frozen=True)
class Polariser:
    """How a polariser darkens a clear sky over the picture, turned for most on the whole: stops, least and most."""

    least_stops: float
    most_stops: float


def course_of(site: Site, body: str, begin: datetime, end: datetime) -> Course:
    """The course of a body between two moments."""
    runs: list[list[Floats]] = [[]]
    moment, last = utc_of(begin), utc_of(end)
    while moment <= last:
        altitude, azimuth, _ = body_at(site, moment, body, refraction=True)
        if altitude > 0.0:
            runs[-1].append(world_direction(site, azimuth, altitude))
        elif runs[-1]:
            runs.append([])
        moment += _STEP
    zone = begin.tzinfo
    hours = []
    local = utc_of(begin).astimezone(zone) if zone is not None else utc_of(begin)
    whole = local.replace(minute=0, second=0, microsecond=0)
    while utc_of(whole) <= last:
        if utc_of(whole) >= utc_of(begin):
            altitude, azimuth, _ = body_at(site, whole, body, refraction=True)
            if altitude > 0.0:
                hours.append((f"{whole.hour}", world_direction(site, azimuth, altitude)))
        whole += timedelta(hours=1)
    return Course(body, tuple(np.array(run) for run in runs if len(run) > 1), tuple(hours))


def in_picture(plan: Plan, direction: Floats, *, room_deg: float = 0.0) -> bool:
    """Whether a direction of the world lies within the wanted picture, or so much beside it."""
    scene = unchecked_scene(plan)
    seen = scene.pose.matrix @ direction
    if seen[2] <= 0.0:
        return False
    off = np.abs(seen[:2] / seen[2] - scene.picture_centre())
    return bool(np.all(np.degrees(np.arctan(off)) <= np.degrees(np.arctan(scene.half_picture())) + room_deg))


def bodies_in_frame(plan: Plan, begin: datetime, end: datetime) -> list[InFrame]:
    """When Sun and Moon stand in the picture while they are up, to ten minutes."""
    site = plan.site
    if site is None:
        return []
    found = []
    for body in BODIES:
        since: datetime | None = None
        moment, last = utc_of(begin), utc_of(end)
        while moment <= last:
            altitude, azimuth, _ = body_at(site, moment, body, refraction=True)
            inside = altitude > -0.3 and in_picture(plan, world_direction(site, azimuth, altitude))
            if inside and since is None:
                since = moment
            elif not inside and since is not None:
                found.append(InFrame(body, since, moment))
                since = None
            moment += _STEP
        if since is not None:
            found.append(InFrame(body, since, last))
    return found


def moon_pixels(plan: Plan, when: datetime) -> tuple[float, float, float]:
    """Of the Moon at the framing: its width in pixels, in mm on the print, and seconds in which it moves a pixel."""
    assert plan.site is not None
    width = math.radians(light_at(plan.site, when).moon_diameter_arcmin / 60.0)
    on_sensor = width * plan.framing_mm
    pixels = on_sensor / plan.kit.body.pixel_mm
    minutes = math.degrees(width) / _TURNS
    return pixels, on_sensor * plan.enlargement(), 60.0 * minutes / pixels


def polariser_over(plan: Plan, when: datetime) -> Polariser | None:
    """What a polariser does to a clear sky in the picture; None where no sky or no Sun is.

    By Rayleigh's law the light scattered through θ is polarised across the plane of Sun, place and eye by
    p sin²θ/(1 + cos²θ); a polariser lets through (1 − p cos 2δ)/2 of it.
    """
    site = plan.site
    if site is None:
        return None
    sun, altitude = sun_direction(site, when)
    if altitude < -6.0:
        return None
    scene = unchecked_scene(plan)
    share, angle = _polarised(scene.pose, scene.half_picture(), scene.picture_centre(), sun)
    if not len(share):
        return None
    # Turned so that least of all comes through: against the mean of the doubled angles.
    turned = np.angle(np.sum(share * np.exp(2j * angle)))
    stops = -np.log2(1.0 - share * np.cos(2.0 * angle - turned))
    return Polariser(float(stops.min()), float(stops.max()))


def _polarised(pose: Pose, half: Floats, centre: Floats, sun: Floats) -> tuple[Floats, Floats]:
    """Of directions in the picture above the horizon: degree of polarisation, and its angle in the picture."""
    run = np.linspace(-1.0, 1.0, _GRID)
    x, y = np.meshgrid(run * half[0] + centre[0], run * half[1] + centre[1])
    rays = x[..., None] * pose.right + y[..., None] * pose.up + pose.forward
    rays = (rays / np.linalg.norm(rays, axis=-1, keepdims=True)).reshape(-1, 3)
    rays = rays[rays[:, 1] > 0.02]
    cosine = rays @ sun
    share = _MOST_POLARISED * (1.0 - cosine**2) / (1.0 + cosine**2)
    across = np.cross(rays, sun)
    return share, np.arctan2(across @ pose.up, across @ pose.right)
