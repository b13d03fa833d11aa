"""How much defocus a wanted contrast leaves room for: the first fall of the OTF to a level.

Exactly for single values, and from a table of one smooth function for many (docs/derivations/contrast.md,
equation 6).
"""

from __future__ import annotations

import math
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from verispect.optics.otf import WHITE_LIGHT, Lights, in_focus, polychromatic_otf
from verispect.optics.types import Floats

# In τ = β(1 − s) the first fall to zero comes before 2π whatever the frequency; with several colours s is
# that of the shortest, and the others fall later.
_MARCH = np.linspace(0.0, 6.5, 27)
_MARCH_OF_COLOURS = np.linspace(0.0, 80.0, 321)
# Nodes of the table: reduced frequencies of the shortest wavelength, and square roots of the room.
_FREQUENCIES = 32
_ROOMS = 57
# So many values are looked up at once: what they need stays in the processor's cache.
_AT_ONCE = 8192
# The tables of one colour, which serves all, and of white light: half a second's reckoning. `make tables` writes it.
KEPT_TABLES = Path(__file__).with_name("first_fall.npz")
_LEAST_ROOM, _MOST_ROOM = 0.01, 0.995
# How far to either side of the table's answer the curve is looked at, as a share of it.
_ASIDE = 1e-4
_Numbers = TypeVar("_Numbers", float, Floats)


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
    if np.size(reach) == 1 and np.size(level) == 1 and (len(lights) == 1 or lights == WHITE_LIGHT):
        near = _mended(float(np.reshape(reach, -1)[0]), float(np.reshape(level, -1)[0]), lights)
        if near is not None:
            return np.full(np.broadcast_shapes(np.shape(reach), np.shape(level)), near)
    found = _first_fall_within(_MARCH, np.asarray(reach, float), np.asarray(level, float), lights)
    if len(lights) > 1:
        reach, level = np.broadcast_arrays(np.asarray(reach, float), np.asarray(level, float))
        late = np.isnan(found) & (polychromatic_otf(reach, 0.0, lights) > level)
        if late.any():
            found[late] = _first_fall_within(_MARCH_OF_COLOURS, reach[late], level[late], lights)
    return found


def _mended(reach: float, level: float, lights: Lights) -> float | None:
    """The table's answer and one step of the secant from it; None where the table does not tell, or misleads.

    A search calls for one value at a time, ten thousand times: in plain numbers that takes a fifth of the march.
    """
    s = reach * min(light for light, _ in lights)
    if not 0.0 < s <= _tabled_to(lights):
        return None
    waves, shares = np.asarray(lights).T
    room = 1.0 - level / float(in_focus(reach * waves) @ shares)
    if not _LEAST_ROOM**2 < room < _MOST_ROOM**2:
        return None
    root = math.sqrt(room)
    tau2 = _table(lights).at_one(math.acos(s), root)
    if tau2 <= 0.0:
        return None
    beta = root * math.sqrt(tau2) / (1.0 - s)
    low, high = beta * (1.0 - _ASIDE), beta * (1.0 + _ASIDE)
    above, under = (polychromatic_otf(np.array([reach]), np.array([low, high]), lights) - level).tolist()
    # A little beyond both sides is still a table's error; more is another fall, or none.
    if not above > under:
        return None
    share = above / (above - under)
    return low + (high - low) * share if -1.0 < share < 2.0 else None


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
    perfect = polychromatic_otf(reach, 0.0, lights)
    with np.errstate(divide="ignore", invalid="ignore"):
        room = np.where(perfect > 0.0, 1.0 - level / perfect, -1.0)
    reachable = room >= 0.0
    root = np.sqrt(np.where(reachable, np.minimum(room, 1.0), 1.0))
    s = np.clip(reach * shortest, 0.0, 1.0)
    tau2 = _table(lights).at(np.arccos(s).ravel(), root.ravel()).reshape(s.shape)
    beta = np.where(reachable, root * np.sqrt(np.maximum(tau2, 0.0)) / np.maximum(1.0 - s, 1e-9), np.nan)
    beyond = reachable & ((s > _tabled_to(lights)) | (root > _MOST_ROOM))
    if beyond.any():
        beta[beyond] = first_fall_exact(reach[beyond], level[beyond], lights)
    return beta


def _tabled_to(lights: Lights) -> float:
    """The reduced frequency of the shortest wavelength up to which no colour has passed its cutoff."""
    waves = [light for light, _ in lights]
    return min(0.97 * min(waves) / max(waves), 0.995)


class _Table(NamedTuple):
    """Coefficients of a bicubic spline over even steps of two numbers, and where the first begins and ends."""

    coefficients: Floats
    first: tuple[float, float]

    def at(self, angle: Floats, root: Floats) -> Floats:
        """τ²/q, shape (N,), at angles acos s and roots √q of the room, shape (N,); the edge's beyond an edge."""
        found = np.empty(angle.shape)
        flat, columns = self.coefficients.ravel(), self.coefficients.shape[1]
        span = (root - _LEAST_ROOM) / (_MOST_ROOM - _LEAST_ROOM)
        across = np.arcsin(np.clip(span, 0.0, 1.0)) * (2.0 / np.pi) * (_ROOMS - 1)
        low, high = self.first
        along = np.clip((angle - low) / (high - low), 0.0, 1.0) * (_FREQUENCIES - 1)
        for begin in range(0, len(found), _AT_ONCE):
            part = slice(begin, begin + _AT_ONCE)
            row, row_shares = _shares(along[part], _FREQUENCIES)
            column, column_shares = _shares(across[part], _ROOMS)
            corner = row * columns + column
            total = np.zeros(corner.shape)
            for k, row_share in enumerate(row_shares):
                in_row = sum(share * flat.take(corner + (k * columns + j)) for j, share in enumerate(column_shares))
                total += row_share * in_row
            found[part] = total
        return found

    def at_one(self, angle: float, root: float) -> float:
        """The same at one place, in plain numbers."""
        span = (root - _LEAST_ROOM) / (_MOST_ROOM - _LEAST_ROOM)
        across = math.asin(min(max(span, 0.0), 1.0)) * (2.0 / math.pi) * (_ROOMS - 1)
        low, high = self.first
        along = min(max((angle - low) / (high - low), 0.0), 1.0) * (_FREQUENCIES - 1)
        row, column = min(int(along), _FREQUENCIES - 2), min(int(across), _ROOMS - 2)
        corner = self.coefficients[row : row + 4, column : column + 4]
        return float(np.array(_cubic(along - row)) @ corner @ np.array(_cubic(across - column)))


def _shares(place: Floats, nodes: int) -> tuple[NDArray[np.intp], tuple[Floats, Floats, Floats, Floats]]:
    """The first of four coefficients that count at a place between nodes, and the share of each."""
    first = np.minimum(place.astype(np.intp), nodes - 2)
    return first, _cubic(place - first)


def _cubic(t: _Numbers) -> tuple[_Numbers, _Numbers, _Numbers, _Numbers]:
    """Shares of four coefficients of an even cubic spline, t of the way from its second to its third."""
    rest = 1.0 - t
    near = t * t * (0.5 * t - 1.0) + 2.0 / 3.0
    far = rest * rest * (0.5 * rest - 1.0) + 2.0 / 3.0
    return rest**3 / 6.0, near, far, t**3 / 6.0


def _spline_through(nodes: int) -> Floats:
    """Matrix (nodes + 2, nodes) from values at even nodes to the coefficients of the cubic through them.

    The first two pieces at either end are one cubic, as is usual where no slope is known.
    """
    rows = np.zeros((nodes + 2, nodes + 2))
    for k in range(nodes):
        rows[k, k : k + 3] = 1.0 / 6.0, 4.0 / 6.0, 1.0 / 6.0
    rows[nodes, :5] = rows[nodes + 1, -5:] = 1.0, -4.0, 6.0, -4.0, 1.0
    through: Floats = np.asarray(np.linalg.inv(rows)[:, :nodes], float)
    return through


@lru_cache(maxsize=8)
def _table(lights: Lights) -> _Table:
    first = (float(np.arccos(_tabled_to(lights))), 0.5 * float(np.pi))
    kept = "one_colour" if len(lights) == 1 else "white_light" if lights == WHITE_LIGHT else None
    if kept is None:
        return _Table(coefficients_of(lights), first)
    with np.load(KEPT_TABLES) as tables:
        return _Table(tables[kept], first)


def coefficients_of(lights: Lights) -> Floats:
    """The table's coefficients, shape (_FREQUENCIES + 2, _ROOMS + 2), reckoned anew."""
    shortest = min(light for light, _ in lights)
    s = np.cos(np.linspace(np.arccos(_tabled_to(lights)), 0.5 * np.pi, _FREQUENCIES))
    # Closer towards a level of nothing, where the first fall may turn into a later one.
    roots = _LEAST_ROOM + (_MOST_ROOM - _LEAST_ROOM) * np.sin(0.5 * np.pi * np.linspace(0.0, 1.0, _ROOMS))
    level = polychromatic_otf(s / shortest, 0.0, lights)[:, None] * (1.0 - roots**2)
    beta = first_fall_exact((s / shortest)[:, None], level, lights)
    tau = beta * (1.0 - s)[:, None]
    values = (tau / roots) ** 2
    coefficients: Floats = _spline_through(_FREQUENCIES) @ values @ _spline_through(_ROOMS).T
    return coefficients


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
