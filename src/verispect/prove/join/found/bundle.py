"""Where frames looked, from points they share: turns of one camera, its focal length and what each is drawn larger.

Points are columns and rows from the picture's middle, rows downward; a turn takes camera directions (right, down,
forward) to those of the set. Brown & Lowe 2007: turns chained along the surest pairs, then all set right together
with Huber weights; the set is straightened by its cameras' own right-hand axes.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from verispect.optics.types import Floats
from verispect.prove.join.found.features import Common

# Points of a pair that count, and how far one may lie before it counts less, pixels.
_MOST_POINTS, _HUBER_PX = 60, 1.5
_ROUNDS = 12
# A focal length the frames tell is off by no more than about this (breathing, rounding), as a share.
_TOLD_SHARE = 0.02
# Focused otherwise a frame draws larger or smaller than the others by about this, as a share.
_BREATHES = 0.01


def focal_px_of(common: Sequence[Common]) -> float | None:
    """The focal length that the pairs' homographies ask for (Szeliski & Shum 1997); None where they do not tell."""
    found: list[float] = []
    for pair in common:
        h = pair.matrix / pair.matrix[2, 2]
        for above, below in (
            (-(h[0, 0] * h[0, 1] + h[1, 0] * h[1, 1]), h[2, 0] * h[2, 1]),
            (h[0, 0] ** 2 + h[1, 0] ** 2 - h[0, 1] ** 2 - h[1, 1] ** 2, h[2, 1] ** 2 - h[2, 0] ** 2),
        ):
            if abs(below) > 1e-10 and above / below > 0.0:
                found.append(math.sqrt(above / below))
    return float(np.median(found)) if found else None


def turn_from(matrix: Floats, focal_px: float) -> Floats:
    """The turn nearest to a homography: takes the second camera's directions to the first's."""
    camera = np.diag([focal_px, focal_px, 1.0])
    found = np.linalg.inv(camera) @ matrix @ camera
    left, _, right = np.linalg.svd(found / np.cbrt(np.linalg.det(found)))
    turn: Floats = left @ np.diag([1.0, 1.0, np.sign(np.linalg.det(left @ right))]) @ right
    return turn


def tree_of(common: Sequence[Common], count: int) -> tuple[list[int], list[tuple[int, int, Common]]]:
    """The largest set of frames that hang together, and its surest pairs as (known, new, pair) from its middle on."""
    parent = list(range(count))

    def root(k: int) -> int:
        while parent[k] != k:
            parent[k] = parent[parent[k]]
            k = parent[k]
        return k

    chosen: list[Common] = []
    for pair in sorted(common, key=lambda pair: -len(pair.first)):
        a, b = root(pair.a), root(pair.b)
        if a != b:
            parent[a] = b
            chosen.append(pair)
    groups: dict[int, list[int]] = {}
    for k in range(count):
        groups.setdefault(root(k), []).append(k)
    largest = max(groups.values(), key=len)
    strength = {k: sum(len(pair.first) for pair in common if k in (pair.a, pair.b)) for k in largest}
    known, steps = {max(largest, key=lambda k: strength[k])}, []
    while len(known) < len(largest):
        for pair in chosen:
            if (pair.a in known) != (pair.b in known):
                old, new = (pair.a, pair.b) if pair.a in known else (pair.b, pair.a)
                steps.append((old, new, pair))
                known.add(new)
    return sorted(largest), steps


@dataclass(frozen=True)
class Bundle:
    """Frames that hang together.

    Attributes
    ----------
    turns : dict
        From each camera's directions to those of the set (3, 3).
    focal_px : float
        Of them all.
    grown : dict
        By how much each is drawn larger than that, as a logarithm.
    rest_px : float
        What is left, median.
    """

    turns: dict[int, Floats]
    focal_px: float
    grown: dict[int, float]
    rest_px: float


def turned(common: Sequence[Common], count: int, focal_px: float, *, told: bool = False) -> Bundle:
    """Turns of the frames that hang together and the focal length that the points agree with best.

    Parameters
    ----------
    told : bool
        Whether the frames tell the focal length; else it is free.
    """
    begun = focal_px if told else None
    members, steps = tree_of(common, count)
    first = steps[0][0] if steps else members[0]
    turns = {first: np.eye(3)}
    for old, new, pair in steps:
        between = turn_from(pair.matrix, focal_px)
        turns[new] = turns[old] @ (between if new == pair.b else between.T)
    used = [pair for pair in common if pair.a in turns and pair.b in turns]
    grown = dict.fromkeys(members, 0.0)
    if not used:
        return Bundle(turns, focal_px, grown, 0.0)
    samples = [_some(pair) for pair in used]
    place = {k: number for number, k in enumerate(members)}
    for _ in range(_ROUNDS):
        step, rest = _step(used, samples, Bundle(turns, focal_px, grown, 0.0), place, begun)
        for k in members:
            own = step[4 * place[k] : 4 * place[k] + 4]
            turns[k] = turns[k] @ cv2.Rodrigues(own[:3])[0]
            grown[k] += float(own[3])
        focal_px *= math.exp(step[-1])
        if float(np.abs(step).max()) < 1e-7:
            break
    return Bundle(turns, focal_px, grown, float(np.median(rest)))


def _some(pair: Common) -> tuple[Floats, Floats]:
    keep = np.linspace(0, len(pair.first) - 1, min(_MOST_POINTS, len(pair.first))).astype(int)
    return pair.first[keep], pair.second[keep]


def _step(
    used: Sequence[Common],
    samples: Sequence[tuple[Floats, Floats]],
    now: Bundle,
    place: dict[int, int],
    told_px: float | None,
) -> tuple[Floats, Floats]:
    """One step of Gauss-Newton, and the distances now.

    Three small turns and a growth a frame, and the focal length's logarithm.
    """
    size = 4 * len(place) + 1
    counts = [len(first) for first, _ in samples]
    of = np.repeat(np.arange(len(used)), counts)
    first, second = (np.concatenate([pair[side] for pair in samples]) for side in (0, 1))
    focal = now.focal_px * np.exp([[now.grown[pair.a], now.grown[pair.b]] for pair in used])
    between = np.array([now.turns[pair.a].T @ now.turns[pair.b] for pair in used])
    rest, by_a, by_b = _rows(between[of], first, second, focal[of, 0], focal[of, 1])
    distances: Floats = np.linalg.norm(rest, axis=1)
    weight = np.minimum(1.0, _HUBER_PX / np.maximum(distances, 1e-9))
    rows = np.concatenate([by_a, by_b, by_a[..., 3:] + by_b[..., 3:]], axis=2)
    weighted = rows * weight[:, None, None]
    begins = np.cumsum([0, *counts[:-1]])
    grams = np.add.reduceat(np.einsum("kij,kil->kjl", weighted, rows), begins)
    pulls = np.add.reduceat(np.einsum("kij,ki->kj", weighted, rest), begins)
    own = np.arange(4)
    at = np.array([np.r_[4 * place[pair.a] + own, 4 * place[pair.b] + own, size - 1] for pair in used])
    normal, right = np.zeros((size, size)), np.zeros(size)
    np.add.at(normal, (at[:, :, None], at[:, None, :]), grams)
    np.subtract.at(right, at, pulls)
    # The set as a whole may turn freely; where the frames tell the focal length it counts as one point would that
    # is off by a pixel, and so does what one is drawn like the others.
    normal[np.diag_indices(size)] += 1e-6 * max(float(np.trace(normal)) / size, 1e-12)
    for k, number in place.items():
        normal[4 * number + 3, 4 * number + 3] += 1.0 / _BREATHES**2
        right[4 * number + 3] -= now.grown[k] / _BREATHES**2
    if told_px is not None:
        normal[-1, -1] += 1.0 / _TOLD_SHARE**2
        right[-1] -= math.log(now.focal_px / told_px) / _TOLD_SHARE**2
    step: Floats = np.asarray(np.linalg.solve(normal, right), float)
    return step, distances


def _rows(
    between: Floats, first: Floats, second: Floats, focal_a: Floats, focal_b: Floats
) -> tuple[Floats, Floats, Floats]:
    """Where the second's points fall on the first, less where they were found (K, 2), and how that changes.

    By the turn of either about its three axes and by the logarithm of its own focal length, (K, 2, 4) both; each
    point with the turn between its two frames, (K, 3, 3), and their focal lengths, (K,).
    """
    ray = np.concatenate([second / focal_b[:, None], np.ones((len(second), 1))], axis=1)
    seen = np.einsum("kij,kj->ki", between, ray)
    x, y, z = seen.T
    z = np.where(np.abs(z) < 1e-6, 1e-6, z)
    there = focal_a[:, None] * np.stack([x / z, y / z], axis=1)
    by_seen = np.zeros((len(seen), 2, 3))
    by_seen[:, 0, 0] = by_seen[:, 1, 1] = focal_a / z
    by_seen[:, 0, 2], by_seen[:, 1, 2] = -focal_a * x / z**2, -focal_a * y / z**2
    by_ray = by_seen @ between
    moved = np.concatenate([-ray[:, :2], np.zeros((len(second), 1))], axis=1)
    # A small turn w after b turns the ray by w × ray; after a, what is seen by −w × seen.
    by_b = np.concatenate([_crossed(ray, by_ray), np.einsum("kil,kl->ki", by_ray, moved)[..., None]], axis=2)
    by_a = np.concatenate([-_crossed(seen, by_seen), there[..., None]], axis=2)
    return there - first, by_a, by_b


def _crossed(vectors: Floats, rows: Floats) -> Floats:
    """Of every row r (K, 2, 3) the vector v × r, which gives r · (w × v) by its product with w."""
    x, y, z = (part[:, None] for part in vectors.T)
    a, b, c = rows[..., 0], rows[..., 1], rows[..., 2]
    return np.stack([y * c - z * b, z * a - x * c, x * b - y * a], axis=-1)


def straightened(turns: dict[int, Floats]) -> dict[int, Floats]:
    """The set turned so that its cameras stand level on the whole and its middle looks ahead (Brown & Lowe 2007).

    Gives rows right, up, forward of each camera in a world of x right, y up, z away.
    """
    rights = np.array([turn[:, 0] for turn in turns.values()])
    downs = np.array([turn[:, 1] for turn in turns.values()])
    forwards = np.array([turn[:, 2] for turn in turns.values()])
    values, vectors = np.linalg.eigh(rights.T @ rights)
    # Cameras that all look much the same way leave the vertical open: theirs on the whole is taken.
    found = downs.mean(axis=0) if values[1] < 0.02 * values[2] else vectors[:, 0]
    down: Floats = np.asarray(found * np.sign(found @ downs.mean(axis=0)), float)
    ahead = np.asarray(forwards.mean(axis=0), float)
    if np.linalg.norm(ahead) < 0.3:
        ahead = forwards[len(forwards) // 2]
    ahead = ahead - (ahead @ down) * down / (down @ down)
    up = -down / np.linalg.norm(down)
    ahead = ahead / np.linalg.norm(ahead)
    world = np.stack([np.cross(ahead, up), up, ahead])
    return {k: np.stack([world @ t[:, 0], -world @ t[:, 1], world @ t[:, 2]]) for k, t in turns.items()}
