"""Frame: what the camera sees, with each mark at its place and its softness."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QBrush

from verispect.optics.pose import Pose
from verispect.plan.candidate import GRIDS
from verispect.ui.drawings.board import Board, Drawn
from verispect.ui.drawings.marks_layer import DrawnMarks
from verispect.ui.drawings.shown import Shown, edged_marks
from verispect.ui.drawings.strokes import Stroke, pen
from verispect.ui.drawings.view import Box
from verispect.ui.theme import Theme, colour

_EDGE_POINTS = 12


class FrameBoard(Board):
    """The wanted picture in mm on the print, its middle at 0, 0."""

    def __init__(self) -> None:
        super().__init__(
            self.tr("Frame · what the camera sees, as printed"),
            name=self.tr("Frame drawing"),
            across=self.tr("across the print [mm]"),
            up=self.tr("up [mm]"),
        )

    def scale(self, shown: Shown) -> float:
        """Print mm for a tangent of 1."""
        plan = shown.scene.plan
        return plan.camera.framing_mm * plan.enlargement()

    def drawn_from(self, shown: Shown) -> object:
        plan = shown.scene.plan
        grid = shown.candidate is not None and shown.candidate.key in GRIDS
        candidate = (id(shown.candidate), shown.frame) if grid else None
        return candidate, plan.camera, plan.kit.body, plan.enlargement()

    def draw(self, shown: Shown, theme: Theme) -> Drawn:
        scale = self.scale(shown)
        half = shown.scene.half_picture() * scale
        corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half
        strokes = [Stroke(corners, pen(theme.ink, 1.6), QBrush(colour(theme.panel)), closed=True)]
        thirds = pen(theme.line, 1.0, Qt.PenStyle.DotLine)
        for third in (-1.0 / 3.0, 1.0 / 3.0):
            x, y = half * third
            strokes.append(Stroke([(x, -half[1]), (x, half[1])], thirds))
            strokes.append(Stroke([(-half[0], y), (half[0], y)], thirds))
        horizon = self._horizon(shown, scale, half)
        if horizon is not None:
            strokes.append(Stroke(horizon, pen(theme.faint, 1.4, Qt.PenStyle.DashDotLine)))
        strokes.extend(self._cells(shown, theme, scale))
        return Drawn(strokes, [], [], [])

    def draw_marks(self, shown: Shown) -> DrawnMarks:
        points = shown.scene.points_mm
        places = (points[:, :2] / points[:, 2:] - shown.scene.picture_centre()) * self.scale(shown)
        return edged_marks(shown, places, self.visible(), self.selected, lambda _k: self.tr("(outside)"))

    def extent(self, shown: Shown) -> Box:
        half = shown.scene.half_picture() * self.scale(shown)
        return -1.06 * half[0], 1.06 * half[0], -1.06 * half[1], 1.06 * half[1]

    def _horizon(self, shown: Shown, scale: float, half: np.ndarray) -> np.ndarray | None:
        """Where level directions fall: x r_y + y u_y + n_y = 0, within the picture."""
        right, up, forward = shown.scene.pose.matrix[:, 1]
        if abs(up) < 1e-6:
            return None
        across, above = shown.scene.picture_centre() * scale
        x = np.array([-half[0], half[0]])
        y = -(forward * scale + right * (x + across)) / up - above
        return np.stack([x, y], axis=1) if np.all(np.abs(y) <= half[1] * 1.02) else None

    def _cells(self, shown: Shown, theme: Theme, scale: float):
        """Edges of the frames of a grid."""
        candidate = shown.candidate
        if candidate is None or candidate.key not in GRIDS:
            return []
        size = np.asarray(shown.scene.plan.sensor_mm)
        centre = shown.scene.picture_centre()
        strokes = []
        for index, exposure in enumerate(candidate.exposures[:400]):
            edge = _edge(size)
            if candidate.key == "shift-grid":
                edge = -(np.asarray(exposure.sensor_centre_mm) + _edge(size))
            tangents = edge / exposure.state.image_distance_mm
            seen = _in_picture(tangents, exposure.pose, shown.scene.pose)
            if seen is None:
                continue
            current = index == min(shown.frame, len(candidate.exposures) - 1)
            style = pen(theme.sharp, 2.0 if current else 1.0, alpha=255 if current else 150)
            strokes.append(Stroke((seen - centre) * scale, style, closed=True))
        return strokes


def _edge(size: np.ndarray) -> np.ndarray:
    """Points round a rectangle of this size, (K, 2)."""
    run = np.linspace(-0.5, 0.5, _EDGE_POINTS)
    half = np.full(_EDGE_POINTS, 0.5)
    around = [(run, -half), (half, run), (-run, half), (-half, -run)]
    return np.concatenate([np.stack(pair, axis=1) for pair in around]) * size


def _in_picture(tangents: np.ndarray, frame: Pose, picture: Pose) -> np.ndarray | None:
    """Tangents of one camera's view as tangents of another's; None where it looks away."""
    rays = np.concatenate([tangents, np.ones((len(tangents), 1))], axis=1)
    seen = rays @ frame.matrix @ picture.matrix.T
    if np.any(seen[:, 2] < 0.05):
        return None
    return seen[:, :2] / seen[:, 2:]
