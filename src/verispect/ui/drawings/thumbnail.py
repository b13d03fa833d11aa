"""A method's softness along the view, small: what it holds, at a glance."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QColor, QImage, QPainter

from verispect.plan.frames.focus_traces import Section
from verispect.plan.frames.softness_field import softness_at
from verispect.plan.methods.candidate import Candidate
from verispect.ui.controls.theme import Theme, colour
from verispect.ui.drawings import underlay
from verispect.ui.drawings.view import View

_COARSE_PX = 2
# Marks this many times as far as the nearest are left out.
_FAR_OUT = 25.0


def thumbnail(candidate: Candidate, theme: Theme, width: int, height: int) -> QImage:
    """The field in the elevation, with a dot for every mark; blank where the method does not fit."""
    made = QImage(width, height, QImage.Format.Format_RGB32)
    made.fill(colour(theme.field))
    if not candidate.fits or candidate.criterion is None:
        return made
    scene = candidate.scene
    forward = scene.pose.forward
    level = np.array([forward[0], 0.0, forward[2]])
    section = Section(np.zeros(3), level / np.linalg.norm(level), np.array([0.0, 1.0, 0.0]))
    depth = scene.depth_mm
    places = section.place(scene.world_m[depth <= _FAR_OUT * depth.min()])
    far = max(float(places[:, 0].max()) * 1.1, 0.5)
    low, high = min(0.0, float(places[:, 1].min())), max(float(places[:, 1].max()), scene.plan.camera.height_m)
    room = 0.08 * (high - low) + 0.01
    view = View((0.0, far, low - room, high + room), (0.0, float(width), 0.0, float(height)))
    picture = underlay.blank(view)
    at = section.lift(underlay.field_places(view, _COARSE_PX))
    softness = softness_at(at, candidate.exposures, candidate.criterion, scene.plan.sensor_mm)
    underlay.put_field(picture, softness, theme)
    painter = QPainter(made)
    painter.drawImage(0, 0, underlay.as_image(picture))
    painter.setPen(QColor(theme.ink))
    painter.setBrush(QColor(theme.ink))
    for x, y in view.to_px(places[:400]).tolist():
        painter.drawEllipse(QPointF(x, y), 1.2, 1.2)
    painter.end()
    return made
