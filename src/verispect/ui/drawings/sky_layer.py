"""Where Sun and Moon go, in the frame and on the ground: paths, hours, and the way they come from."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from PyQt6.QtCore import Qt

from verispect.optics.types import Floats
from verispect.shoot.sky_in_frame import Course
from verispect.ui.controls.theme import Theme
from verispect.ui.drawings.strokes import Stroke, pen
from verispect.ui.drawings.view import Box

# Sun and Moon are told apart by their lines, not by colour alone; half the width of an hour's tick, pixels.
_LINES = {"Sun": (Qt.PenStyle.SolidLine, 1.8), "Moon": (Qt.PenStyle.DotLine, 1.6)}
_TICK_PX = 4.0
# On the ground hours stand on a ring, so much of the drawing's half width.
_RING = {"Sun": 0.8, "Moon": 0.62}
# Of the hours on the ground these are named, or one name would lie on the other.
_NAMED = {"Sun": 2, "Moon": 3}
Words = list[tuple[float, float, str]]


def courses_in_frame(
    courses: Sequence[Course], place: Callable[[Floats], tuple[Floats, Floats]], box: Box, theme: Theme
) -> tuple[list[Stroke], Words]:
    """Paths over the picture; `place` gives where directions (N, 3) fall, and which of them lie ahead."""
    strokes: list[Stroke] = []
    words: Words = []
    left, right, bottom, top = box
    low, high = np.array([left, bottom]), np.array([right, top])
    margin = 0.5 * (high - low)
    for course in courses:
        line, width = _LINES[course.body]
        for run in course.runs:
            places, ahead = place(run)
            fit = ahead & np.all((places > low - margin) & (places < high + margin), axis=1)
            for first, last in _stretches(fit):
                if last - first > 1:
                    strokes.append(Stroke(places[first:last], pen(theme.hand, width, line)))
        for label, direction in course.hours:
            places, ahead = place(direction[None])
            if ahead[0] and np.all(places[0] > low) and np.all(places[0] < high):
                at = (float(places[0, 0]), float(places[0, 1]))
                strokes.append(Stroke([(0.0, -_TICK_PX), (0.0, _TICK_PX)], pen(theme.hand, width), around=at))
                words.append((*at, f"{course.body} {label} h"))
    return strokes, words


def courses_on_ground(
    courses: Sequence[Course], here: Floats, place: Callable[[Floats], Floats], box: Box, theme: Theme
) -> tuple[list[Stroke], Words]:
    """Hours on a ring about a place: the light comes from there; `place` turns vectors (N, 3) into (N, 2)."""
    strokes: list[Stroke] = []
    words: Words = []
    half = 0.5 * min(box[1] - box[0], box[3] - box[2])
    for course in courses:
        line, width = _LINES[course.body]
        ring = _RING[course.body] * half
        for run in course.runs:
            flat = _level(place(run))
            strokes.append(Stroke(here + ring * flat, pen(theme.hand, width, line)))
        for label, direction in course.hours:
            at = here + ring * _level(place(direction[None]))[0]
            inner = here + 0.94 * (at - here)
            strokes.append(Stroke([inner, at], pen(theme.hand, width)))
            if int(label) % _NAMED[course.body] == 0:
                words.append((float(at[0]), float(at[1]), f"{course.body} {label} h"))
    return strokes, words


def _level(flat: Floats) -> Floats:
    found: Floats = flat / np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), 1e-9)
    return found


def _stretches(fit: np.ndarray) -> list[tuple[int, int]]:
    """First and one past the last of each stretch that is true."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], fit.astype(int), [0]])))
    return [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]
