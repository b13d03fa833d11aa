"""How the Sun falls on the subject: sunlit and raking hours of each surface, with what casts its shadow on it."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cache

import numpy as np

from verispect.optics.types import Bools, Floats
from verispect.plan.document import Plan, Site
from verispect.shoot.light import body_at, utc_of
from verispect.shoot.light_events import turning_moment
from verispect.subject.surface import Patch, patches, seen_from

# Below so many degrees along a surface light rakes over it and shows its every grain (common practice).
RAKING_DEG = 15.0
# Upper edge on the horizon with the air's usual refraction; a surface counts as sunlit from half of it on.
_DOWN_DEG, _MOSTLY = -0.833, 0.5
_SAMPLES = 7
_STEP = timedelta(minutes=10)


@dataclass(frozen=True)
class SurfaceLight:
    """When a surface that the camera sees is in the Sun, as pairs of moments (UTC)."""

    name: str
    lit: tuple[tuple[datetime, datetime], ...]
    raking: tuple[tuple[datetime, datetime], ...]


def world_direction(site: Site, azimuth_deg: float, altitude_deg: float) -> Floats:
    """Unit vector (3,) in the plan's world towards an azimuth from true north and an altitude."""
    turn, up = math.radians(azimuth_deg - site.away_azimuth_deg), math.radians(altitude_deg)
    return np.array([math.sin(turn) * math.cos(up), math.sin(up), math.cos(turn) * math.cos(up)])


def sun_direction(site: Site, when: datetime) -> tuple[Floats, float]:
    """Towards the Sun in the plan's world, and its altitude in degrees."""
    altitude, azimuth, _ = body_at(site, when, "Sun", refraction=True)
    return world_direction(site, azimuth, altitude), altitude


def lit_share(patch: Patch, others: list[Patch], towards: Floats, eye_m: Floats) -> float:
    """Share of the side of a patch that faces the eye on which the Sun falls, 0 to 1."""
    normal = patch.outward / max(float(np.linalg.norm(patch.outward)), 1e-12)
    if float(normal @ (eye_m - patch.corner_m)) < 0.0:
        normal = -normal
    if float(normal @ towards) <= 0.0:
        return 0.0
    run = (np.arange(_SAMPLES) + 0.5) / _SAMPLES
    across, along = np.meshgrid(run, run)
    places = patch.corner_m + across[..., None] * patch.across_m + along[..., None] * patch.along_m
    # Off its own plane, and off what it stands against.
    places = places.reshape(-1, 3) + 1e-3 * normal
    return float(1.0 - _shaded(places, towards, others).mean())


def _shaded(places: Floats, towards: Floats, others: list[Patch]) -> Bools:
    """From which places (K, 3) a ray in one direction goes through any of some patches.

    A patch of edges a and b has the normal n = a × b; the ray meets its plane at q from its corner, and
    q = s a + t b with s = q·(b × n)/n², t = q·(n × a)/n².
    """
    if not others:
        return np.zeros(len(places), bool)
    corner, a, b = (np.stack([getattr(one, name) for one in others]) for name in ("corner_m", "across_m", "along_m"))
    n = np.cross(a, b)
    from_corner = places[:, None] - corner
    with np.errstate(divide="ignore", invalid="ignore"):
        far = -np.sum(from_corner * n, axis=2) / (n @ towards)
        met = from_corner + far[..., None] * towards
        square = np.sum(n * n, axis=1)
        s = np.sum(met * np.cross(b, n), axis=2) / square
        t = np.sum(met * np.cross(n, a), axis=2) / square
        # Along a patch the ray never meets it: not a number, and within nothing.
        found: Bools = np.any((s >= 0) & (s <= 1) & (t >= 0) & (t <= 1) & (far > 1e-6), axis=1)
    return found


def surfaces_in_the_sun(
    plan: Plan, begin: datetime, end: datetime, *, is_cancelled: Callable[[], bool] = lambda: False
) -> list[SurfaceLight]:
    """Of every surface that the camera sees, when between two moments it is sunlit, and raked; to about a minute.

    A box counts by the largest of its sides that the camera sees.
    """
    site = plan.site
    if site is None:
        return []
    eye = np.array([0.0, plan.camera.height_m, 0.0])
    every = [(index, patch) for index, surface in enumerate(plan.surfaces) for patch in patches(surface)]
    found = []
    for index, surface in enumerate(plan.surfaces):
        seen = seen_from(surface, eye)
        if not seen or is_cancelled():
            continue
        patch = max(seen, key=lambda one: float(np.linalg.norm(one.outward)))
        others = [other for number, other in every if number != index]

        # Asked again where it is looked for raking light.
        @cache
        def in_sun(when: datetime, patch: Patch = patch, others: list[Patch] = others) -> bool:
            towards, altitude = sun_direction(site, when)
            return altitude > _DOWN_DEG and lit_share(patch, others, towards, eye) >= _MOSTLY

        def raked(when: datetime, patch: Patch = patch) -> bool:
            towards, _ = sun_direction(site, when)
            normal = patch.outward / np.linalg.norm(patch.outward)
            return abs(float(normal @ towards)) < math.sin(math.radians(RAKING_DEG)) and in_sun(when)

        found.append(SurfaceLight(surface.name, tuple(_spans(in_sun, begin, end)), tuple(_spans(raked, begin, end))))
    return found


def _spans(holds: Callable[[datetime], bool], begin: datetime, end: datetime) -> Iterator[tuple[datetime, datetime]]:
    """Between which moments a condition holds."""
    moment, since = utc_of(begin), None
    last = utc_of(end)
    now = holds(moment)
    if now:
        since = moment
    while moment < last:
        later = min(moment + _STEP, last)
        then = holds(later)
        if then != now:
            turn = turning_moment(holds, moment, later)
            if then:
                since = turn
            elif since is not None:
                yield since, turn
                since = None
        moment, now = later, then
    if since is not None:
        yield since, last
