"""Where the camera really looked, by marks that a person points at in a frame.

Nobody aims a camera to the pixel that a plan reckons: a degree aside is a hundred pixels and more, and what is
measured where the plan has a mark is then something else. One mark that is pointed at tells how far to the side and
up the camera looked, two and more how far it leant as well. What a mark is off besides, it stands aside in the plan.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares
from scipy.spatial.transform import Rotation

from verispect.errors import FileError
from verispect.optics.types import Floats
from verispect.sentence import Sentence

# Nobody points nearer than this share of the picture's width; a levelled camera leans so little, in degrees.
_POINTED_SHARE, _LEANS_DEG = 0.002, 3.0
# Farther off than so many times that, a mark stands aside in the plan and tells less of the camera.
_ASIDE = 3.0
# Steps in which a mark is moved to where it was pointed at, and by which share of its distance its move is tried.
_NEWTON, _TRIED = 3, 1e-4
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
    right_deg, up_deg, clockwise_deg : float
        How far the camera looked to the right, up, and leant.
    left_over_px : float
        How far off the marks of the plan still are, root mean square.
    by : tuple of str
        The marks that were pointed at.
    places : ndarray, shape (n, 3)
        Where these stand in the plan's world, as far away as planned, so as to be drawn where they were pointed at.
    """

    world: Floats
    right_deg: float
    up_deg: float
    clockwise_deg: float
    left_over_px: float
    by: tuple[str, ...]
    places: Floats

    @property
    def says(self) -> Sentence:
        """In words."""
        return Sentence(
            "By {marks} the camera looked {across:.2f}° to the {side} of the plan and {high:.2f}° {way} it, and "
            "leant {lean:.2f}° {hand}: all marks were looked for there ({left:.0f} px left over)",
            {
                "marks": ", ".join(self.by),
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


def looked(
    pointed: Sequence[Pointed],
    places: Floats,
    drawn: Callable[[Floats, Floats], Floats],
    planned: Floats,
    eye_m: Floats,
    picture_wide: int,
) -> Looked:
    """How the camera looked, by marks pointed at, and where these really are.

    Parameters
    ----------
    pointed : sequence of Pointed
        One at least.
    places : ndarray, shape (n, 3)
        Of these marks in the plan's world.
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
    told = np.array([(one.row, one.column) for one in pointed])
    sure_px = _POINTED_SHARE * picture_wide

    def world_of(turn: Floats) -> Floats:
        """The plan's world turned as the camera would see it, had it turned right, then up, then clockwise (rad)."""
        camera = Rotation.from_euler("YXZ", turn * np.array([1.0, -1.0, -1.0])).as_matrix()
        found: Floats = planned.T @ camera.T @ planned
        return found

    def off(turn: Floats) -> Floats:
        there = (drawn(places, world_of(turn)) - told).ravel() / sure_px
        # A mark behind the camera is as far off as anything.
        there = np.where(np.isfinite(there), np.clip(there, -1e4, 1e4), 1e4)
        found: Floats = np.append(there, turn[2] / math.radians(_LEANS_DEG))
        return found

    found = least_squares(off, np.zeros(3), x_scale=0.01, loss="soft_l1", f_scale=_ASIDE).x
    world = world_of(found)
    rest = drawn(places, world) - told
    right, above, clockwise = (math.degrees(float(part)) for part in found)
    left_over = float(np.sqrt(np.mean(np.sum(rest**2, axis=1))))
    moved = _moved(places, told, lambda there: drawn(there, world), eye_m)
    return Looked(world, right, above, clockwise, left_over, tuple(one.name for one in pointed), moved)


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
