"""Where the camera really looked and stood, by marks that a person points at in a frame.

Nobody aims a camera to the pixel that a plan reckons: a degree aside is a hundred pixels and more, and what is
measured where the plan has a mark is then something else. One mark that is pointed at tells how far to the side and
up the camera looked, two and more how far it leant as well, several at unlike distances how far aside it stood. What
a mark is off besides, it stands aside in the plan.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from verispect.errors import FileError
from verispect.optics.types import Floats
from verispect.sentence import Sentence

# Nobody points nearer than this share of the picture's width; a levelled camera leans so little, in degrees, and is
# put up so near its place, as a share of how far away its marks are: of few marks a turn explains what a step would.
_POINTED_SHARE, _LEANS_DEG, _STOOD_SHARE = 0.002, 3.0, 0.003
# Farther off than so many times that, a mark stands aside in the plan and tells less of the camera.
_ASIDE = 3.0
# Steps in which a mark is moved to where it was pointed at, and by which share of its distance its move is tried.
_NEWTON, _TRIED = 3, 1e-4
# By so many marks alone it is tried how the camera looked.
_TRIED_ALONE = 6
_NUMBER = r"\d{1,7}(?:\.\d{1,7})?"
_ASKED = re.compile(rf"(?P<name>.+)=(?P<row>{_NUMBER}),(?P<column>{_NUMBER})(?:@(?P<file>[^@]+))?", re.ASCII)


@dataclass(frozen=True)
class Pointed:
    """Where a mark is seen: row and column, whole at pixel centres, of a frame; None: of the first one."""

    name: str
    row: float
    column: float
    file: str | None = None


@dataclass(frozen=True)
class Looked:
    """How the camera looked against the plan.

    Attributes
    ----------
    world : ndarray, shape (3, 3)
        Turns the plan's world so that the camera as planned sees it as it was seen: its basis times this.
    stood_m : ndarray, shape (3,)
        How far off its place the camera stood in the plan's world, as far as the marks tell.
    right_deg, up_deg, clockwise_deg : float
        How far the camera looked to the right, up, and leant.
    left_over_px : float
        How far off the marks of the plan still are, root mean square; of the photograph's points the middle one.
    by : tuple of str
        The marks that were pointed at.
    places : ndarray, shape (n, 3)
        Where all marks of the plan stand as the camera saw them, which is taken to stand in its place: those found
        where they were seen, as far away as planned, the others as it looked and stood.
    shared : int
        Points that the frames share with the plan's photograph; 0 where a person pointed.
    """

    world: Floats
    stood_m: Floats
    right_deg: float
    up_deg: float
    clockwise_deg: float
    left_over_px: float
    by: tuple[str, ...]
    places: Floats
    shared: int = 0

    @property
    def says(self) -> Sentence:
        """In words."""
        template = "By {marks} the camera looked " if not self.shared else (
            "By {shared} points that the frames share with the plan's photograph the camera looked "
        )  # fmt: skip
        return Sentence(
            template + "{across:.2f}° to the {side} of the plan and {high:.2f}° {way} it, and leant {lean:.2f}° "
            "{hand}: all marks were looked for there ({left:.0f} px left over)",
            {
                "marks": ", ".join(self.by),
                "shared": self.shared,
                "across": abs(self.right_deg),
                "side": "right" if self.right_deg >= 0.0 else "left",
                "high": abs(self.up_deg),
                "way": "above" if self.up_deg >= 0.0 else "below",
                "lean": abs(self.clockwise_deg),
                "hand": "clockwise" if self.clockwise_deg >= 0.0 else "anticlockwise",
                "left": self.left_over_px,
            },
        )


def pointed_at(text: str) -> Pointed:
    """Read `NAME=ROW,COLUMN` or `NAME=ROW,COLUMN@FRAME`.

    Raises
    ------
    FileError
        For anything else.
    """
    told = _ASKED.fullmatch(text)
    if told is None:
        raise FileError(
            '--seen {text}: not understood; "Door handle=812,1440" is right, or with its frame '
            '"Door handle=812,1440@frame-003.tif"',
            text=text,
        )
    return Pointed(told["name"], float(told["row"]), float(told["column"]), told["file"])


# How far off each is (n, 2), in pixels, were the world turned by a matrix (3, 3) and the camera so far off its place.
Off = Callable[[Floats, Floats], Floats]


def looked(
    pointed: Sequence[Pointed],
    marks: Sequence[int],
    world_m: Floats,
    drawn: Callable[[Floats, Floats], Floats],
    planned: Floats,
    eye_m: Floats,
    picture_wide: int,
) -> Looked:
    """How the camera looked and stood, by marks pointed at, and where all marks are as it saw them.

    Parameters
    ----------
    pointed : sequence of Pointed
        One at least.
    marks : sequence of int
        Which of the plan's marks these are.
    world_m : ndarray, shape (M, 3)
        All marks of the plan.
    drawn : callable
        Rows and columns (n, 2) at which these marks would be drawn, stood they at places (n, 3) and were the world
        turned by a matrix (3, 3).
    planned : ndarray, shape (3, 3)
        The camera's basis as planned: rows right, up, forward.
    eye_m : ndarray, shape (3,)
        The entrance pupil.
    picture_wide : int
        In pixels.
    """
    told, those = np.array([(one.row, one.column) for one in pointed]), np.asarray(marks)
    away_m = float(np.median(np.linalg.norm(world_m[those] - eye_m, axis=1)))
    sure_px = _POINTED_SHARE * picture_wide

    def off(world: Floats, stood: Floats) -> Floats:
        found: Floats = (drawn(world_m[those] - stood, world) - told) / sure_px
        return found

    # One of them may stand aside, and the others be right: each by itself says where the camera may have looked.
    def off_alone(number: int) -> Callable[[Floats], Floats]:
        return lambda world: off(world, np.zeros(3))[number]

    alone = [turned_by(off_alone(k), planned) for k in range(min(len(told), _TRIED_ALONE))]
    turn, stood = aimed(off, planned, away_m, alone)
    world = turned_world(turn, planned)
    places = world_m - stood
    left_over = float(np.sqrt(np.mean(np.sum((drawn(places[those], world) - told) ** 2, axis=1))))
    places[those] = _moved(places[those], told, lambda there: drawn(there, world), eye_m)
    right, above, clockwise = (math.degrees(float(part)) for part in turn)
    return Looked(world, stood, right, above, clockwise, left_over, tuple(one.name for one in pointed), places)


def turned_world(turn: Floats, planned: Floats) -> Floats:
    """The plan's world turned as the camera would see it, had it turned right, then up, then clockwise (rad)."""
    (sa, sb, sc), (ca, cb, cc) = ([of(float(angle)) for angle in turn] for of in (math.sin, math.cos))
    # About y, then x, then z, as `turn_of` reads it back; asked for thousands of times, and SciPy's takes 20 times as
    # long for one.
    camera = np.array(
        [
            [ca * cc + sa * sb * sc, ca * sc - sa * sb * cc, sa * cb],
            [-cb * sc, cb * cc, sb],
            [-sa * cc + ca * sb * sc, -sa * sc - ca * sb * cc, ca * cb],
        ]
    )
    found: Floats = planned.T @ camera.T @ planned
    return found


def aimed(
    off: Off,
    planned: Floats,
    away_m: float,
    starts: Sequence[Floats] = (),
    *,
    stood_share: float = _STOOD_SHARE,
    aside: float = _ASIDE,
) -> tuple[Floats, Floats]:
    """How far the camera turned right, up and clockwise (rad), and how far off its place it stood (m).

    Parameters
    ----------
    off : callable
        In units of how surely each is known.
    away_m : float
        How far away things are.
    starts : sequence of ndarray, shape (3,)
        Turns that are likely, beside none.
    stood_share : float
        How near its place it is put up, as a share of `away_m`.
    aside : float
        What is so many times farther off than it is known tells less and less of the camera.
    """
    from scipy.optimize import least_squares  # slow to import, and needed only where a camera looked elsewhere

    def badness(moves: Floats) -> Floats:
        there = off(turned_world(moves[:3], planned), moves[3:] * away_m).ravel()
        # What lies behind the camera is as far off as anything.
        there = np.where(np.isfinite(there), np.clip(there, -1e4, 1e4), 1e4)
        held = [moves[2:3] / math.radians(_LEANS_DEG), moves[3:] / stood_share]
        found: Floats = np.concatenate([there, *held])
        return found

    def fitted(moves: Floats, loss: str) -> tuple[float, Floats]:
        fit = least_squares(badness, moves, x_scale=0.01, loss=loss, f_scale=aside)
        return float(fit.cost), np.asarray(fit.x, float)

    # From afar every one pulls; then what is still far off, as a mark that stands aside or is hidden, hardly any.
    likely = [np.append(start, np.zeros(3)) for start in starts]
    likely += [fitted(moves, "soft_l1")[1] for moves in (np.zeros(6), *likely)]
    _, best = min((fitted(moves, "cauchy") for moves in likely), key=lambda one: one[0])
    return best[:3], best[3:] * away_m


def turn_of(basis: Floats, planned: Floats) -> Floats:
    """How far a camera of this basis turned right, up and clockwise (rad) against the planned one."""
    from scipy.spatial.transform import Rotation

    return np.asarray(Rotation.from_matrix(planned @ basis.T).as_euler("YXZ") * np.array([1.0, -1.0, -1.0]), float)


def turned_by(off: Callable[[Floats], Floats], planned: Floats) -> Floats:
    """How far the camera turned right and up, had it stood in its place, by what is off in a world so turned."""
    from scipy.optimize import least_squares

    def badness(turn: Floats) -> Floats:
        there = off(turned_world(np.append(turn, 0.0), planned)).ravel()
        found: Floats = np.where(np.isfinite(there), np.clip(there, -1e4, 1e4), 1e4)
        return found

    return np.append(least_squares(badness, np.zeros(2), x_scale=0.01, loss="soft_l1", f_scale=_ASIDE).x, 0.0)


def _moved(places: Floats, told: Floats, drawn: Callable[[Floats], Floats], eye_m: Floats) -> Floats:
    """The places moved across the line of sight until each is drawn where it was seen; by Newton's method."""
    away = places - eye_m
    distance = np.linalg.norm(away, axis=1, keepdims=True)
    sight = away / distance
    # Whichever axis of the world lies farthest from the line of sight.
    other = np.eye(3)[np.argmin(np.abs(sight), axis=1)]
    across = np.cross(sight, other)
    across /= np.linalg.norm(across, axis=1, keepdims=True)
    ways = np.stack([across, np.cross(sight, across)], axis=1)
    found = places.copy()
    for _ in range(_NEWTON):
        now = drawn(found)
        slopes = np.stack([(drawn(found + _TRIED * distance * ways[:, k]) - now) / _TRIED for k in (0, 1)], axis=2)
        sound = np.isfinite(slopes).all(axis=(1, 2)) & np.isfinite(now).all(axis=1)
        if not sound.all():
            return places
        shares = np.linalg.solve(slopes, (told - now)[..., None])
        found += distance * (shares * ways).sum(axis=1)
    return found
