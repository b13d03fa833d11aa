"""How much defocus a wanted contrast leaves room for: the first fall of the OTF to a level.

Exactly for single values, and from a table of one smooth function for many (docs/derivations/contrast.md,
equation 6).
"""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from verispect.optics.otf import Lights, polychromatic_otf
from verispect.optics.types import Floats

if TYPE_CHECKING:
    from scipy.interpolate import RectBivariateSpline

# In τ = β(1 − s) the first fall to zero comes before 2π whatever the frequency; with several colours s is
# that of the shortest, and the others fall later.
_MARCH = np.linspace(0.0, 6.5, 27)
_MARCH_OF_COLOURS = np.linspace(0.0, 80.0, 321)
# Nodes of the table: reduced frequencies of the shortest wavelength, and square roots of the room.
_FREQUENCIES = 32
_ROOMS = 57
_LEAST_ROOM, _MOST_ROOM = 0.01, 0.995


def first_fall_exact(reach: Floats, level: Floats, lights: Lights) -> Floats:
    """β at which the OTF first sinks to a level.

    Parameters
    ----------
    reach : ndarray, shape (...)
        ν N_w, 1/mm: times a wavelength in mm it is the reduced frequency s.
    level : ndarray, shape (...)
        0 < level.
    lights : tuple of (wavelength_mm, weight)

    Returns
    -------
    ndarray, shape (...)
        β = π ν blur; NaN where even perfect focus lies below the level.
    """
    found = _first_fall_within(_MARCH, np.asarray(reach, float), np.asarray(level, float), lights)
    if len(lights) > 1:
        reach, level = np.broadcast_arrays(np.asarray(reach, float), np.asarray(level, float))
        late = np.isnan(found) & (polychromatic_otf(reach, 0.0, lights) > level)
        if late.any():
            found[late] = _first_fall_within(_MARCH_OF_COLOURS, reach[late], level[late], lights)
    return found


def _first_fall_within(steps: Floats, reach: Floats, level: Floats, lights: Lights) -> Floats:
    """The first fall among these steps of τ; NaN where it does not come."""
    span = 1.0 / np.maximum(1.0 - reach * min(light for light, _ in lights), 1e-9)
    marched = polychromatic_otf(reach[..., None], steps * span[..., None], lights)
    reach, span, level = np.broadcast_arrays(reach, span, level)
    marched = np.broadcast_to(marched, (*level.shape, steps.size))
    below = marched < level[..., None]
    first = np.argmax(below, axis=-1)
    reachable = ~below[..., 0] & below.any(axis=-1)
    before = np.maximum(first - 1, 0)
    low, high = steps[before] * span, steps[first] * span
    above = np.take_along_axis(marched, before[..., None], axis=-1)[..., 0] - level
    under = np.take_along_axis(marched, first[..., None], axis=-1)[..., 0] - level
    level = np.where(reachable, level, 0.0)
    if level.size == 1:
        root = _subdivided(low, high, reach, level, lights)
    else:
        root = _illinois(low, high, above, under, reach, level, lights)
    return np.where(reachable, root, np.nan)


def first_fall(reach: Floats, level: Floats, lights: Lights) -> Floats:
    """As `first_fall_exact`, for many at once: within 1e-6 of it, from a table made when first needed.

    With τ = β(1 − s) and room q = 1 − level/(contrast in focus), τ²/q is smooth and bounded over the whole
    rectangle of acos s and √q, for any frequency, stop and floor: one table serves all.
    """
    reach, level = np.broadcast_arrays(np.asarray(reach, float), np.asarray(level, float))
    shortest = min(light for light, _ in lights)
    in_focus = polychromatic_otf(reach, 0.0, lights)
    with np.errstate(divide="ignore", invalid="ignore"):
        room = np.where(in_focus > 0.0, 1.0 - level / in_focus, -1.0)
    reachable = room >= 0.0
    root = np.sqrt(np.where(reachable, np.minimum(room, 1.0), 1.0))
    s = np.clip(reach * shortest, 0.0, 1.0)
    tau2 = _table(lights).ev(np.arccos(s).ravel(), root.ravel()).reshape(s.shape)
    beta = np.where(reachable, root * np.sqrt(np.maximum(tau2, 0.0)) / np.maximum(1.0 - s, 1e-9), np.nan)
    beyond = reachable & ((s > _tabled_to(lights)) | (root > _MOST_ROOM))
    if beyond.any():
        beta[beyond] = first_fall_exact(reach[beyond], level[beyond], lights)
    return beta


def _tabled_to(lights: Lights) -> float:
    """The reduced frequency of the shortest wavelength up to which no colour has passed its cutoff."""
    waves = [light for light, _ in lights]
    return min(0.97 * min(waves) / max(waves), 0.995)


@lru_cache(maxsize=8)
def _table(lights: Lights) -> RectBivariateSpline:
    from scipy.interpolate import RectBivariateSpline

    shortest = min(light for light, _ in lights)
    angles = np.linspace(np.arccos(_tabled_to(lights)), 0.5 * np.pi, _FREQUENCIES)
    s = np.cos(angles)
    # Closer towards a level of nothing, where the first fall may turn into a later one.
    roots = _LEAST_ROOM + (_MOST_ROOM - _LEAST_ROOM) * np.sin(0.5 * np.pi * np.linspace(0.0, 1.0, _ROOMS))
    level = polychromatic_otf(s / shortest, 0.0, lights)[:, None] * (1.0 - roots**2)
    beta = first_fall_exact((s / shortest)[:, None], level, lights)
    tau = beta * (1.0 - s)[:, None]
    return RectBivariateSpline(angles, roots, (tau / roots) ** 2, s=0.0)


def _subdivided(low: Floats, high: Floats, reach: Floats, level: Floats, lights: Lights) -> Floats:
    """The root for one value: the bracket cut finely twice over; few calls, which is what takes the time."""
    share = np.linspace(0.0, 1.0, 33)
    start, end, wanted = float(low.flat[0]), float(high.flat[0]), float(level.flat[0])
    over = np.zeros(0)
    first = 1
    for _ in range(2):
        betas = start + share * (end - start)
        over = polychromatic_otf(reach.reshape(-1)[:1], betas, lights) - wanted
        first = int(np.argmax(over < 0.0))
        if first == 0:
            return np.full(reach.shape, start)
        start, end = float(betas[first - 1]), float(betas[first])
    left, right = float(over[first - 1]), float(over[first])
    return np.full(reach.shape, start + (end - start) * left / (left - right))


def _illinois(
    low: Floats, high: Floats, above: Floats, under: Floats, reach: Floats, level: Floats, lights: Lights
) -> Floats:
    """Roots of OTF(β) = level within brackets, by the Illinois rule of false position.

    In β², of which the OTF is nearly a straight line where little is allowed.
    """
    low, high = low**2, high**2
    middle, side = low, np.zeros(low.shape)
    with np.errstate(divide="ignore", invalid="ignore"):
        for _ in range(8):
            middle = np.where(above == under, low, (low * under - high * above) / (under - above))
            value = polychromatic_otf(reach, np.sqrt(middle), lights) - level
            over = value >= 0.0
            # An end kept twice running has its value halved, or that end would never move.
            under = np.where(over, np.where(side > 0, 0.5 * under, under), value)
            above = np.where(over, value, np.where(side < 0, 0.5 * above, above))
            low, high = np.where(over, middle, low), np.where(over, high, middle)
            side = np.where(over, 1.0, -1.0)
    return np.sqrt(middle)
