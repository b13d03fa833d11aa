"""Frame: what the camera sees, with each mark at its place and its softness."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QBrush

from verispect.optics.pose import Pose
from verispect.ui.drawings.board import Board, Handle, Lines, pen, polyline
from verispect.ui.drawings.marks_item import DrawnMark
from verispect.ui.drawings.shown import Shown
from verispect.ui.theme import Theme, colour

_EDGE_POINTS = 12


class FrameBoard(Board):
    """The wanted picture in mm on the print, its middle at 0, 0."""

    def __init__(self) -> None:
        super().__init__("", across="", up="", unit="mm")
        self.title.setText(self.tr("Frame · what the camera sees, as printed"))
        self.plot.setAccessibleName(self.tr("Frame drawing"))
        self._names = {"bottom": (self.tr("across the print"), "mm"), "left": (self.tr("up"), "mm")}
        self._lines = Lines(5.0)
        self.plot.addItem(self._lines, ignoreBounds=True)

    def scale(self, shown: Shown) -> float:
        """Print mm for a tangent of 1."""
        plan = shown.scene.plan
        return plan.camera.framing_mm * plan.enlargement()

    def draw(self, shown: Shown, theme: Theme) -> tuple[list[DrawnMark], list[Handle]]:
        scale = self.scale(shown)
        half = shown.scene.half_picture() * scale
        corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half
        paths = [(polyline(corners, closed=True), pen(theme.ink, 1.6), QBrush(colour(theme.panel)))]
        thirds = pen(theme.line, 1.0, Qt.PenStyle.DotLine)
        for third in (-1.0 / 3.0, 1.0 / 3.0):
            x, y = half * third
            paths.append((polyline([(x, -half[1]), (x, half[1])]), thirds, None))
            paths.append((polyline([(-half[0], y), (half[0], y)]), thirds, None))
        horizon = self._horizon(shown, scale, half)
        if horizon is not None:
            paths.append((polyline(horizon), pen(theme.faint, 1.4, Qt.PenStyle.DashDotLine), None))
        paths.extend(self._cells(shown, theme, scale))
        self._lines.show(paths)
        tangents = shown.scene.points_mm[:, :2] / shown.scene.points_mm[:, 2:] * scale
        softness = np.full(len(tangents), np.nan)
        if shown.rendering is not None:
            softness = shown.rendering.softness
        left, right, bottom, top = self.visible()
        marks = []
        for k, mark in enumerate(shown.scene.plan.marks):
            x, y = float(tangents[k][0]), float(tangents[k][1])
            beyond = ""
            if not (left <= x <= right and bottom <= y <= top):
                beyond = self.tr("(outside)")
                x = min(max(x, left + 0.03 * (right - left)), right - 0.03 * (right - left))
                y = min(max(y, bottom + 0.05 * (top - bottom)), top - 0.05 * (top - bottom))
            marks.append(DrawnMark(mark.name, x, y, mark.need, float(softness[k]), k == self.selected, beyond))
        handles = [Handle("mark", k, mark.across, mark.up) for k, mark in enumerate(marks) if not mark.beyond]
        return marks, handles

    def extent(self, shown: Shown) -> tuple[float, float, float, float]:
        half = shown.scene.half_picture() * self.scale(shown)
        return -1.06 * half[0], 1.06 * half[0], -1.06 * half[1], 1.06 * half[1]

    def _horizon(self, shown: Shown, scale: float, half: np.ndarray) -> np.ndarray | None:
        """Where level directions fall: x r_y + y u_y + n_y = 0, within the picture."""
        right, up, forward = shown.scene.pose.matrix[:, 1]
        if abs(up) < 1e-6:
            return None
        x = np.array([-half[0], half[0]])
        y = -(forward * scale + right * x) / up
        return np.stack([x, y], axis=1) if np.all(np.abs(y) <= half[1] * 1.02) else None

    def _cells(self, shown: Shown, theme: Theme, scale: float):
        """Edges of the frames of a grid."""
        candidate = shown.candidate
        if candidate is None or candidate.key not in ("turned-grid", "shift-grid"):
            return []
        size = np.asarray(shown.scene.plan.kit.body.sensor_mm)
        paths = []
        for index, exposure in enumerate(candidate.exposures[:400]):
            edge = _edge(size) * (1.0 if candidate.key == "turned-grid" else -1.0)
            if candidate.key == "shift-grid":
                edge = -(np.asarray(exposure.sensor_centre_mm) + _edge(size))
            tangents = edge / exposure.state.image_distance_mm
            seen = _in_picture(tangents, exposure.pose, shown.scene.pose)
            if seen is None:
                continue
            current = index == min(shown.frame, len(candidate.exposures) - 1)
            style = pen(theme.sharp, 2.0 if current else 1.0, alpha=255 if current else 150)
            paths.append((polyline(seen * scale, closed=True), style, None))
        return paths


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
