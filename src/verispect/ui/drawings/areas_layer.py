"""Surfaces in the drawings: outlines whose line says the need, and a grip at the foot of each."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QBrush

from verispect.optics.types import Floats
from verispect.plan.scene.areas import in_view
from verispect.subject.surface import patches, seen_from
from verispect.ui.controls.theme import Theme, colour
from verispect.ui.drawings.board import Handle
from verispect.ui.drawings.strokes import Stroke, pen
from verispect.ui.state.session import Shown

_LINES = {
    "must": Qt.PenStyle.SolidLine,
    "should": Qt.PenStyle.DashLine,
    "may": Qt.PenStyle.DotLine,
    "soft": Qt.PenStyle.DotLine,
}
# Far beyond the picture, so that what leaves it is still drawn.
_WIDE = 3.0


def section_strokes(
    shown: Shown, place: Callable[[Floats], Floats], theme: Theme, selected: int = -1
) -> list[Stroke]:
    """Outlines of all surfaces as a section or a plan shows them."""
    strokes = []
    for k, surface in enumerate(shown.scene.plan.surfaces):
        hue, width = (theme.hand, 2.4) if k == selected else (theme.ink, 1.8)
        style, fill = pen(hue, width, _LINES[surface.need]), QBrush(colour(theme.ink, 16))
        for patch in patches(surface):
            strokes.append(Stroke(place(patch.corners()), style, fill, closed=True))
    return strokes


def frame_strokes(shown: Shown, scale: float, theme: Theme, selected: int = -1) -> list[Stroke]:
    """Outlines of what is seen of all surfaces in the picture."""
    strokes = []
    pose, centre = shown.scene.pose, shown.scene.picture_centre()
    for k, surface in enumerate(shown.scene.plan.surfaces):
        hue, width = (theme.hand, 2.0) if k == selected else (theme.ink, 1.4)
        style, fill = pen(hue, width, _LINES[surface.need]), QBrush(colour(theme.ink, 14))
        for patch in seen_from(surface, pose.pupil_m):
            corners = in_view(pose.to_camera_mm(patch.corners()), np.array([_WIDE, _WIDE]), np.zeros(2))
            if len(corners) >= 3:
                places = (corners[:, :2] / corners[:, 2:] - centre) * scale
                strokes.append(Stroke(places, style, fill, closed=True))
    return strokes


def grips(shown: Shown, place: Callable[[Floats], Floats]) -> list[Handle]:
    """A grip at the foot of every surface."""
    found = []
    for k, surface in enumerate(shown.scene.plan.surfaces):
        foot = place(np.array([surface.x_m, surface.y_m, surface.z_m]))
        found.append(Handle("surface", k, float(foot[0]), float(foot[1])))
    return found


def signs(grips: list[Handle], theme: Theme) -> list[Stroke]:
    """A lozenge for the focus, a square for the plane, a dart at the foot of a surface."""
    shapes = {
        "surface": [(-6, -5), (0, 6), (6, -5), (0, -2)],
        "focus": [(-6, 0), (0, 6), (6, 0), (0, -6)],
        "plane": [(-6, -6), (-6, 6), (6, 6), (6, -6)],
    }
    edge, fill = pen(theme.field, 1.5), QBrush(colour(theme.hand))
    return [Stroke(shapes[grip.kind], edge, fill, closed=True, around=(grip.across, grip.up)) for grip in grips]
