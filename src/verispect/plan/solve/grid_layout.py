"""Where the frames of a grid lie: turned on a head, or shifted in one image plane.

docs/derivations/grids.md. The picture is a rectangle of tangents before the camera; every direction in it
must fall on a frame, and neighbours must overlap by at least the asked share of a frame's width.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from verispect.optics.convex import shared_area
from verispect.optics.movements import rounded
from verispect.optics.pose import Pose, camera_pose
from verispect.optics.types import Bools, Floats

MOST_CELLS = 2000
_TRIES = 60
_NEAR_ZENITH = math.radians(85.0)
# Directions that must lie on a frame of a grid that goes all round.
_ROUND_SAMPLES = 8000
# Ways in which a frame stands about one at a pole, and how often the pitch between them is halved: to 0.003°.
_POLE_TURNS, _POLE_HALVINGS = 10, 15
# Of a frame, along each side, to see what it shares with a row; and how exactly that tells it.
_SHARED_SAMPLES, _SHARED_WITHIN = 31, 0.002


@dataclass(frozen=True)
class TurnedGrid:
    """Poses row by row from the top, left to right, and how many there are in each row."""

    poses: tuple[Pose, ...]
    rows: tuple[int, ...]


def shifted_centres_mm(
    *, picture_mm: tuple[float, float], sensor_mm: tuple[float, float], overlap: float, step_mm: float = 0.0
) -> tuple[list[tuple[float, float]], int]:
    """Sensor centres that cover a picture on the image plane with even overlaps.

    Parameters
    ----------
    step_mm : float
        Marks of the shift scale that the places must fall on; 0 for a scale without marks.

    Returns
    -------
    centres : list of (right, up)
        From the foot of the lens, rows from the top of the sensor plane, left to right.
    columns : int

    Examples
    --------
    >>> shifted_centres_mm(picture_mm=(54.0, 24.0), sensor_mm=(36.0, 24.0), overlap=0.3)
    ([(-9.0, 0.0), (9.0, 0.0)], 2)
    """
    places = []
    for wanted, size in zip(picture_mm, sensor_mm, strict=True):
        room = wanted - size
        if room > 1e-9 and step_mm > 0.0:
            # The outermost places move outwards to a mark; those between may come a mark farther apart.
            room = 2.0 * step_mm * math.ceil(0.5 * room / step_mm - 1e-9)
        apart = size * (1.0 - overlap) - step_mm
        if apart <= 0.0:
            apart = max(step_mm, size * (1.0 - overlap))
        count = 1 if room <= 1e-9 else math.ceil(room / apart - 1e-9) + 1
        even = [0.0] if count == 1 else [room * (k / (count - 1) - 0.5) for k in range(count)]
        places.append([rounded(place, step_mm) for place in even])
    across, up = places
    return [(x, y) for y in reversed(up) for x in across], len(across)


def turned_grid_poses(
    *,
    pose: Pose,
    half_picture: Floats,
    half_frame: Floats,
    overlap: float,
    centre: Floats | None = None,
    step_rad: float = 0.0,
) -> TurnedGrid | None:
    """Poses on a level head that cover the picture.

    Parameters
    ----------
    pose : Pose
        Of the picture as a whole.
    half_picture, half_frame : ndarray, shape (2,)
        Half width and height as tangents of the angle from the middle.
    overlap : float
        Least share of a frame that neighbours have in common.
    centre : ndarray, shape (2,), optional
        Middle of the picture as tangents off the pose's own.
    step_rad : float
        That the head turns and nods in, from straight ahead and level; 0 for any angle.

    Returns
    -------
    TurnedGrid or None
        None where the picture comes too near the zenith or nadir, or needs too many frames.
    """
    off = (0.0, 0.0) if centre is None else (float(centre[0]), float(centre[1]))
    picture, frame = tuple(half_picture.tolist()), tuple(half_frame.tolist())
    return _laid_out(_PoseKey(pose), picture, frame, overlap, off, step_rad)


def all_round_poses(
    *,
    pose: Pose,
    elevations_rad: tuple[float, float],
    half_frame: Floats,
    overlap: float,
    step_rad: float = 0.0,
) -> TurnedGrid | None:
    """Poses on a level head that go all round, between two heights or, where these are both poles, over everything.

    Parameters
    ----------
    pose : Pose
        Its place, and the bearing of the first frame of each row.

    Returns
    -------
    TurnedGrid or None
        Rows closed upon themselves, thinned towards the poles, with one frame straight up and one straight down
        over a sphere; None where a circle comes too near a pole, or too many frames are needed.
    """
    return _laid_round(_PoseKey(pose), elevations_rad, tuple(half_frame.tolist()), overlap, step_rad)


@lru_cache(maxsize=64)
def _laid_round(
    key: _PoseKey, elevations_rad: tuple[float, float], frame: tuple[float, float], overlap: float, step_rad: float
) -> TurnedGrid | None:
    low, high = elevations_rad
    sphere = high - low >= math.pi - 1e-9
    if not sphere and too_steep(elevations_rad):
        return None
    pose, half_frame = key.pose, np.array(frame)
    bearing = math.atan2(pose.forward[0], pose.forward[2])
    directions = round_directions(elevations_rad, _ROUND_SAMPLES)
    for attempt in range(_TRIES):
        rows = _round_rows(elevations_rad, half_frame, overlap, 0.985**attempt, step_rad)
        if not rows or sum(count for _, count in rows) > MOST_CELLS:
            return None
        poses = [
            camera_pose(height_m=float(pose.pupil_m[1]), bearing_rad=bearing + math.tau * k / count, pitch_rad=pitch)
            for pitch, count in rows
            for k in range(count)
        ]
        if not covered(directions, poses, half_frame).all():
            continue
        # Thinned rows do not stand in line: what each shares with the next is looked at, as it is joined.
        each = [count for _, count in rows]
        if _least_shared_with_row(poses, each, half_frame) >= overlap - _SHARED_WITHIN:
            return TurnedGrid(tuple(poses), tuple(each))
    return None


def _least_shared_with_row(poses: list[Pose], rows: list[int], half_frame: Floats) -> float:
    """The least share of a frame that the row above shows, by whichever of its frames; 1 where there is one row."""
    x, y = np.meshgrid(np.linspace(-1.0, 1.0, _SHARED_SAMPLES), np.linspace(-1.0, 1.0, _SHARED_SAMPLES))
    rays = np.column_stack([x.ravel() * half_frame[0], y.ravel() * half_frame[1], np.ones(x.size)])
    starts = np.cumsum([0, *rows])
    least = 1.0
    for above in range(len(rows) - 1):
        upper, lower = poses[starts[above] : starts[above + 1]], poses[starts[above + 1] : starts[above + 2]]
        if len(upper) > 1 and len(lower) > 1:
            seen = covered(np.concatenate([rays @ pose.matrix for pose in lower]), upper, half_frame)
            least = min(least, float(seen.reshape(len(lower), -1).mean(axis=1).min()))
    return least


def round_directions(elevations_rad: tuple[float, float], count: int) -> Floats:
    """Unit directions (about `count`, 3) spread evenly all round between two heights, edges among them.

    A spiral that turns by the golden angle from one height to the other, and a ring along each edge.
    """
    low, high = (math.sin(angle) for angle in elevations_rad)
    up = np.linspace(low, high, count)
    turn = math.pi * (3.0 - math.sqrt(5.0)) * np.arange(count)
    ring = np.linspace(0.0, math.tau, 721)
    up = np.concatenate([up, np.full(ring.size, low), np.full(ring.size, high)])
    turn = np.concatenate([turn, ring, ring])
    level = np.sqrt(np.maximum(1.0 - up * up, 0.0))
    return np.stack([level * np.sin(turn), up, level * np.cos(turn)], axis=1)


def _round_rows(
    elevations_rad: tuple[float, float], half_frame: Floats, overlap: float, squeeze: float, step_rad: float
) -> list[tuple[float, int]]:
    """Rows from the top that go all round: a pitch, and how many frames are in it; none where no steps do."""
    low, high = elevations_rad
    step = pitch_step_rad(half_frame, overlap) * squeeze
    poles = high - low >= math.pi - 1e-9
    if poles:
        # Nearer to the pole than asked is closer still.
        top = 0.5 * math.pi - (0.5 * math.pi - _pole_pitch(*half_frame.tolist(), overlap)) * squeeze
        bottom = -top
    else:
        reach = math.atan(float(half_frame[1])) * squeeze
        bottom, top = low + reach, high - reach
    rows = []
    for pitch in reversed(_spread(bottom, top, step, step_rad)):
        apart = _bearing_step_rad(pitch, half_frame, overlap) * squeeze
        count = max(3, math.ceil(math.tau / apart - 1e-9))
        if step_rad > 0.0:
            # As many as so many whole steps lie apart all round.
            turn = round(math.tau / step_rad)
            count = next((n for n in range(count, turn + 1) if turn % n == 0), 0)
        if count == 0:
            return []
        rows.append((pitch, count))
    if not rows:
        return []
    return [(0.5 * math.pi, 1), *rows, (-0.5 * math.pi, 1)] if poles else rows


def _spread(first: float, last: float, most: float, step_rad: float) -> list[float]:
    """Angles from one to another, evenly, no farther apart than the most; one in the middle where they cross.

    With steps on them, from the step at or before the first to that at or after the last; none where a step is wider
    than the most.
    """
    if step_rad <= 0.0:
        if last <= first:
            return [0.5 * (first + last)]
        count = math.ceil((last - first) / most - 1e-9) + 1
        return [first + (last - first) * k / (count - 1) for k in range(count)]
    if last <= first:
        return [round(0.5 * (first + last) / step_rad) * step_rad]
    each = math.floor(most / step_rad + 1e-9)
    if each < 1:
        return []
    low, high = math.floor(first / step_rad + 1e-9), math.ceil(last / step_rad - 1e-9)
    return [min(k, high) * step_rad for k in range(low, high + each, each)]


@lru_cache(maxsize=64)
def _pole_pitch(hx: float, hy: float, overlap: float) -> float:
    """The lowest pitch at which a frame, on whichever side, shares as much as asked with one straight up."""
    half_frame = np.array([hx, hy])
    turns = np.linspace(0.0, 0.5 * math.pi, _POLE_TURNS)

    def turned(angle: float) -> Floats:
        c, s = math.cos(angle), math.sin(angle)
        return np.array([[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]])

    def shared(pitch: float) -> float:
        # Of either frame: seen from each the other is drawn otherwise.
        ways = [_pitched(0.5 * math.pi - pitch) @ turned(angle) for angle in turns]
        return min(shared_area(rotation, half_frame) for way in ways for rotation in (way, way.T))

    low, high = 0.0, 0.5 * math.pi
    for _ in range(_POLE_HALVINGS):
        middle = 0.5 * (low + high)
        if shared(middle) >= overlap:
            high = middle
        else:
            low = middle
    return high


def fewest_cells(*, pose: Pose, half_picture: Floats, half_frame: Floats, overlap: float, centre: Floats) -> float:
    """How many poses `turned_grid_poses` needs at the least, without looking whether they cover everything."""
    off = (float(centre[0]), float(centre[1]))
    _, azimuth, elevation, _ = _sampled(_PoseKey(pose), tuple(half_picture.tolist()), off)
    return float(sum(len(bearings) for _, bearings in _rows(azimuth, elevation, half_frame, overlap, 1.0, 0.0)))


def fewest_all_round(*, elevations_rad: tuple[float, float], half_frame: Floats, overlap: float) -> float:
    """The same for `all_round_poses`, on a head that turns to any angle."""
    return float(sum(count for _, count in _round_rows(elevations_rad, half_frame, overlap, 1.0, 0.0)))


def passes_overhead(*, pose: Pose, half_picture: Floats, centre: Floats) -> bool:
    """Whether the picture comes too near the zenith or the nadir for rows of a level head."""
    _, _, elevation, _ = _sampled(_PoseKey(pose), tuple(half_picture.tolist()), (float(centre[0]), float(centre[1])))
    return bool(np.max(np.abs(elevation)) > _NEAR_ZENITH)


def too_steep(elevations_rad: tuple[float, float]) -> bool:
    """Whether heights come too near the zenith or the nadir for rows of a level head."""
    return max(abs(angle) for angle in elevations_rad) > _NEAR_ZENITH


class _PoseKey:
    """A pose that can be looked up: two methods lay the same grids out, one after the other."""

    def __init__(self, pose: Pose) -> None:
        self.pose = pose
        self._bytes = pose.matrix.tobytes() + np.asarray(pose.pupil_m, dtype=float).tobytes()

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _PoseKey) and self._bytes == other._bytes

    def __hash__(self) -> int:
        return hash(self._bytes)


@lru_cache(maxsize=64)
def _laid_out(
    key: _PoseKey,
    picture: tuple[float, float],
    frame: tuple[float, float],
    overlap: float,
    off: tuple[float, float],
    step_rad: float,
) -> TurnedGrid | None:
    pose, half_frame = key.pose, np.array(frame)
    directions, azimuth, elevation, bearing = _sampled(key, picture, off)
    if np.max(np.abs(elevation)) > _NEAR_ZENITH:
        return None
    for attempt in range(_TRIES):
        squeeze = 0.985**attempt
        rows = _rows(azimuth, elevation, half_frame, overlap, squeeze, step_rad)
        if not rows or sum(len(bearings) for _, bearings in rows) > MOST_CELLS:
            return None
        poses = [
            camera_pose(height_m=float(pose.pupil_m[1]), bearing_rad=bearing + b, pitch_rad=pitch)
            for pitch, bearings in rows
            for b in bearings
        ]
        if covered(directions, poses, half_frame).all():
            return TurnedGrid(tuple(poses), tuple(len(bearings) for _, bearings in rows))
    return None


def covered(directions: Floats, poses: list[Pose], half_frame: Floats) -> Bools:
    """Which directions (K, 3) fall on at least one frame."""
    right, up, forward = (
        directions @ np.stack([pose.matrix[axis] for pose in poses], axis=1) for axis in range(3)
    )  # (K, poses) each
    reach = forward * (1.0 + 1e-9)
    seen: Bools = np.any(
        (np.abs(right) <= reach * half_frame[0]) & (np.abs(up) <= reach * half_frame[1]) & (forward > 1e-9), axis=1
    )
    return seen


def row_overlap(step_rad: float, pitch_rad: float, half_frame: Floats) -> float:
    """Least overlap of two frames of a row, a step of bearing apart: at their edge nearer the horizon."""
    hx, hy = float(half_frame[0]), float(half_frame[1])
    sin_p, cos_p = math.sin(pitch_rad), math.cos(pitch_rad)
    sin_s, cos_s = math.sin(step_rad), math.cos(step_rad)
    least = math.inf
    for y in (-hy, 0.0, hy):
        # The neighbour's left edge, lifted by the pitch, turned by the step, and seen in the frame on the left.
        lifted, ahead = y * cos_p + sin_p, cos_p - y * sin_p
        across, away = ahead * sin_s - hx * cos_s, ahead * cos_s + hx * sin_s
        depth = lifted * sin_p + away * cos_p
        if depth <= 0.0:
            return -1.0
        least = min(least, (hx - across / depth) / (2.0 * hx))
    return least


def pitch_step_rad(half_frame: Floats, overlap: float) -> float:
    """Step in pitch at which rows overlap by the asked share, of their height and of their area."""
    hy = float(half_frame[1])
    step = math.atan(hy * (1.0 - 2.0 * overlap)) + math.atan(hy)
    return _with_area(_pitched, step, half_frame, overlap)


def _pitched(angle: float) -> Floats:
    """Rotation that takes a direction of a frame to one pitched up by an angle."""
    return np.array(
        [[1.0, 0.0, 0.0], [0.0, math.cos(angle), -math.sin(angle)], [0.0, math.sin(angle), math.cos(angle)]]
    )


def _with_area(rotation: Callable[[float], Floats], step: float, half_frame: Floats, overlap: float) -> float:
    """The step, made smaller until neighbours share as much of their area too: turned frames lose their corners."""
    for _ in range(_TRIES):
        shared = shared_area(rotation(step), half_frame)
        if shared >= overlap - 1e-9:
            break
        # What is shared falls almost straight with the step, from all of it at none.
        step *= (1.0 - overlap) / (1.0 - shared) * (1.0 - 1e-6)
    return step


def _bearing_step_rad(pitch_rad: float, half_frame: Floats, overlap: float) -> float:
    """The largest step in bearing at which neighbours of a row share what is asked of width and of area."""
    return _row_step(pitch_rad, float(half_frame[0]), float(half_frame[1]), overlap)


@lru_cache(maxsize=4096)
def _row_step(pitch_rad: float, hx: float, hy: float, overlap: float) -> float:
    half_frame = np.array([hx, hy])
    up = _pitched(pitch_rad)

    def turned(step: float) -> Floats:
        about = np.array(
            [[math.cos(step), 0.0, -math.sin(step)], [0.0, 1.0, 0.0], [math.sin(step), 0.0, math.cos(step)]]
        )
        found: Floats = up @ about @ up.T
        return found

    return _with_area(turned, _edge_step_rad(pitch_rad, half_frame, overlap), half_frame, overlap)


def _edge_step_rad(pitch_rad: float, half_frame: Floats, overlap: float) -> float:
    """The largest step at which `row_overlap` is as asked: its equation solved for the step.

    With q = hx (1 - 2 overlap) the edge is where R sin(step - phi) = q lifted sin(pitch).
    """
    hx, hy = float(half_frame[0]), float(half_frame[1])
    sin_p, cos_p = math.sin(pitch_rad), math.cos(pitch_rad)
    q = hx * (1.0 - 2.0 * overlap)
    step = min(2.0 * math.atan(hx) / max(cos_p, 0.05), math.pi)
    for y in (-hy, 0.0, hy):
        lifted, ahead = y * cos_p + sin_p, cos_p - y * sin_p
        of_sine, of_cosine = ahead - q * cos_p * hx, hx + q * cos_p * ahead
        share = q * lifted * sin_p / math.hypot(of_sine, of_cosine)
        if abs(share) <= 1.0:
            step = min(step, math.atan2(of_cosine, of_sine) + math.asin(share))
    return max(step, 0.0)


def _rows(
    azimuth: Floats, elevation: Floats, half_frame: Floats, overlap: float, squeeze: float, step_rad: float
) -> list[tuple[float, list[float]]]:
    """Rows from the top: a pitch and the bearings in it; `squeeze` < 1 packs them closer. None where no steps do."""
    hy = float(half_frame[1])
    reach = math.atan(hy) * squeeze
    low, high = float(elevation.min()) + reach, float(elevation.max()) - reach
    step = pitch_step_rad(half_frame, overlap) * squeeze
    pitches = _spread(low, high, step, step_rad)[::-1]
    if not pitches:
        return []
    nearest = np.argmin(np.abs(elevation[:, None] - np.array(pitches)), axis=1)
    rows = []
    for k, pitch in enumerate(pitches):
        mine = azimuth[np.abs(elevation - pitch) <= 0.5 * step + reach] if len(pitches) > 1 else azimuth
        mine = azimuth[nearest == k] if mine.size == 0 else mine
        if mine.size == 0:
            # Rows closer than the samples of the picture: those nearest to it tell how wide it is there.
            off = np.abs(elevation - pitch)
            mine = azimuth[off <= off.min() * (1.0 + 1e-9)]
        bearings = _bearings(mine, pitch, half_frame, overlap, squeeze, step_rad)
        if not bearings:
            return []
        rows.append((pitch, bearings))
    return rows


def _bearings(
    azimuth: Floats, pitch: float, half_frame: Floats, overlap: float, squeeze: float, step_rad: float
) -> list[float]:
    hx, hy = float(half_frame[0]), float(half_frame[1])
    extents = [math.atan2(hx, math.cos(pitch) - y * math.sin(pitch)) for y in (-hy, 0.0, hy)]
    half = min(extents) * squeeze
    first, last = float(azimuth.min()) + half, float(azimuth.max()) - half
    return _spread(first, last, _bearing_step_rad(pitch, half_frame, overlap), step_rad)


@lru_cache(maxsize=8)
def _sampled(
    key: _PoseKey, picture: tuple[float, float], off: tuple[float, float]
) -> tuple[Floats, Floats, Floats, float]:
    """Unit directions (K, 3) that sample the picture, edges and corners included; azimuths, elevations, bearing.

    Azimuths are reckoned from the bearing of the pose.
    """
    pose = key.pose
    x = off[0] + np.linspace(-picture[0], picture[0], 61)
    y = off[1] + np.linspace(-picture[1], picture[1], 41)
    across, up = np.meshgrid(x, y)
    local = np.stack([across.ravel(), up.ravel(), np.ones(across.size)], axis=1)
    world = local @ pose.matrix
    unit: Floats = world / np.linalg.norm(world, axis=1, keepdims=True)
    bearing = math.atan2(pose.forward[0], pose.forward[2])
    azimuth = (np.arctan2(unit[:, 0], unit[:, 2]) - bearing + math.pi) % (2.0 * math.pi) - math.pi
    return unit, azimuth, np.arcsin(np.clip(unit[:, 1], -1.0, 1.0)), bearing
