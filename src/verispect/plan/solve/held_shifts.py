"""A shifted grid on a mount that is turned: each place lies on one of the lines that its detents hold.

Every place is one shift along one direction of the mount, so the places of an even net are moved to the
nearest line; what that costs in overlap is made good by a closer net, or by one more row or column.
docs/derivations/grids.md.
"""

from __future__ import annotations

from itertools import product

import numpy as np

from verispect.optics.movements import detent_directions
from verispect.optics.types import Bools, Floats
from verispect.plan.solve.grid_layout import shifted_centres_mm

Place = tuple[float, float]
# So many more columns and rows are tried than a free mount needs, at so many spacings between closest and widest.
_MORE, _SPACINGS = 2, 13
_CLOSE = 1e-9


def held_centres_mm(
    *,
    picture_mm: tuple[float, float],
    sensor_mm: tuple[float, float],
    middle_mm: Place,
    overlap: float,
    detents_deg: float,
    limit_mm: float,
    step_mm: float = 0.0,
) -> tuple[list[Place], int] | None:
    """The fewest sensor centres that cover a picture, each by one shift along a direction that a mount holds.

    Parameters
    ----------
    middle_mm : (right, up)
        Middle of the picture from the foot of the lens.
    overlap : float
        Least share of a frame that neighbours in a row or a column have in common.
    detents_deg : float
        Between the directions of the mount.
    limit_mm : float
        The longest shift.
    step_mm : float
        Marks of the shift scale; 0 for a scale without marks.

    Returns
    -------
    (centres, columns) or None
        As from `shifted_centres_mm`; None where no net of two columns and rows more than that covers the picture.
    """
    ways = np.array(detent_directions(detents_deg))
    free, free_columns = shifted_centres_mm(picture_mm=picture_mm, sensor_mm=sensor_mm, overlap=overlap)
    least = free_columns, len(free) // free_columns
    nets = product(*(range(count, count + _MORE + 1) for count in least))
    for columns, rows in sorted(nets, key=lambda net: (net[0] * net[1], net)):
        best: tuple[float, Floats] | None = None
        across = _spacings(picture_mm[0], sensor_mm[0], columns, overlap)
        up = _spacings(picture_mm[1], sensor_mm[1], rows, overlap)
        for apart in product(across, up):
            net = _net(columns, rows, apart) + np.asarray(middle_mm)
            held = _held(net, ways, step_mm)
            longest = float(np.linalg.norm(held, axis=-1).max())
            if longest > limit_mm + _CLOSE or (best is not None and longest >= best[0]):
                continue
            if _least_shared(held, sensor_mm) >= overlap - _CLOSE and _covers(held, picture_mm, sensor_mm, middle_mm):
                best = longest, held
        if best is not None:
            return [(float(x), float(y)) for x, y in best[1].reshape(-1, 2)], columns
    return None


def _spacings(wanted: float, size: float, count: int, overlap: float) -> list[float]:
    """Between the closest net that can cover a side and the widest that overlaps; none where it cannot."""
    if count == 1:
        return [0.0] if wanted <= size * (1.0 + _CLOSE) else []
    least, most = (wanted - size) / (count - 1), size * (1.0 - overlap)
    if most < least * (1.0 - _CLOSE):
        return []
    return list(np.linspace(max(least, 0.0), most, _SPACINGS))


def _net(columns: int, rows: int, apart: tuple[float, float]) -> Floats:
    """Places (rows, columns, 2) about nought, rows from the top."""
    x = apart[0] * (np.arange(columns) - 0.5 * (columns - 1))
    y = apart[1] * (0.5 * (rows - 1) - np.arange(rows))
    return np.stack(np.meshgrid(x, y), axis=-1)


def _held(places: Floats, ways: Floats, step_mm: float) -> Floats:
    """The places (..., 2) that shifts along held directions (D, 2) reach nearest to the wanted ones."""
    along = places @ ways.T
    if step_mm > 0.0:
        along = np.round(along / step_mm) * step_mm
    reached = along[..., None] * ways
    nearest = np.argmin(np.linalg.norm(reached - places[..., None, :], axis=-1), axis=-1)
    found: Floats = np.take_along_axis(reached, nearest[..., None, None], axis=-2)[..., 0, :]
    return found


def _least_shared(held: Floats, sensor_mm: tuple[float, float]) -> float:
    """The least share of its area that a frame has in common with one beside or below it; 1 for a single one."""
    size = np.asarray(sensor_mm)
    shares = [1.0]
    for first, second in ((held[:, :-1], held[:, 1:]), (held[:-1], held[1:])):
        if first.size:
            shared = np.clip(1.0 - np.abs(second - first) / size, 0.0, None)
            shares.append(float(np.prod(shared, axis=-1).min()))
    return min(shares)


def _covers(held: Floats, picture_mm: tuple[float, float], sensor_mm: tuple[float, float], middle_mm: Place) -> bool:
    """Whether rectangles about the places leave nothing of the picture out: exactly, between all their edges."""
    places = held.reshape(-1, 2)
    sides = []
    for axis in range(2):
        low, high = (middle_mm[axis] + sign * 0.5 * picture_mm[axis] for sign in (-1.0, 1.0))
        edges = np.concatenate([places[:, axis] - 0.5 * sensor_mm[axis], places[:, axis] + 0.5 * sensor_mm[axis]])
        cuts = np.unique(np.concatenate([[low, high], edges[(edges > low) & (edges < high)]]))
        middles = 0.5 * (cuts[1:] + cuts[:-1])[np.diff(cuts) > 1e-6]
        within: Bools = np.abs(middles[:, None] - places[:, axis]) <= 0.5 * sensor_mm[axis]
        sides.append(within)
    return bool((sides[0].astype(int) @ sides[1].astype(int).T > 0).all())
