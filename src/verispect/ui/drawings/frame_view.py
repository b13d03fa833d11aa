"""Frame: what the camera sees, with each mark at its place and its softness."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QBrush, QImage, QPainter, QTransform

from verispect.optics.pose import Pose
from verispect.plan.frames.exposure import Exposure
from verispect.plan.methods.candidate import Candidate
from verispect.subject.photograph import Photograph
from verispect.subject.surface import Surface, seen_from
from verispect.ui.controls.theme import Theme, colour
from verispect.ui.drawings import rolled_out, underlay
from verispect.ui.drawings.areas_layer import frame_strokes, grips, signs
from verispect.ui.drawings.board import Board, Drawn
from verispect.ui.drawings.marks_layer import DrawnMarks
from verispect.ui.drawings.scene_view import edged_marks
from verispect.ui.drawings.sky_layer import courses_in_frame
from verispect.ui.drawings.strokes import Stroke, pen
from verispect.ui.drawings.view import Box, View
from verispect.ui.state.session import Shown

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

        self._photograph: tuple[QImage, Photograph] | None = None
        self._rehearsed: QImage | None = None
        # Of which exposure of which method the picture is.
        self.rehearsed_of: tuple[Candidate, int] | None = None

    def show_photograph(self, image: QImage | None, photo: Photograph | None) -> None:
        """Lay a photograph under the drawing; None takes it away."""
        self._photograph = None if image is None or photo is None else (image, photo)
        self._lay_backdrop()

    def show_rehearsed(self, image: QImage | None, of: tuple[Candidate, int] | None) -> None:
        """Lay a rehearsed picture under the drawing, over a photograph; None takes it away."""
        if image is None and self._rehearsed is None:
            return
        self._rehearsed, self.rehearsed_of = image, None if image is None else of
        self._lay_backdrop()

    def _lay_backdrop(self) -> None:
        painted = self._photograph is not None or self._rehearsed is not None
        self.canvas.backdrop = self._paint_backdrop if painted else None
        self.canvas.new_paper()
        self.redraw()

    def _paint_backdrop(self, painter: QPainter, view: View) -> None:
        if self._rehearsed is not None:
            self._paint_rehearsed(painter, view)
        else:
            self._paint_photograph(painter, view)

    def _paint_rehearsed(self, painter: QPainter, view: View) -> None:
        """The picture where its directions lie in the wanted one."""
        if self._rehearsed is None or self.rehearsed_of is None or self.shown is None:
            return
        if rolled_out.goes_round(self.shown.scene.plan):
            return
        candidate, frame = self.rehearsed_of
        image = self._rehearsed
        exposure = candidate.exposures[min(frame, len(candidate.exposures) - 1)]
        matrix = rehearsed_to_drawing(exposure, (image.width(), image.height()), self.shown, self.scale(self.shown))
        self._paint_picture(painter, view, image, matrix, 1.0)

    def _paint_photograph(self, painter: QPainter, view: View) -> None:
        """The photograph where its directions lie in the picture: a plane projected onto another."""
        if self._photograph is None or self.shown is None or rolled_out.goes_round(self.shown.scene.plan):
            return
        image, photo = self._photograph
        matrix = photograph_to_drawing(photo, self.shown, self.scale(self.shown))
        wide, high = photo.pixels
        shrunk = np.diag([wide / image.width(), high / image.height(), 1.0])
        self._paint_picture(painter, view, image, shrunk @ matrix, 0.85)

    def _paint_picture(
        self, painter: QPainter, view: View, image: QImage, matrix: np.ndarray, opacity: float
    ) -> None:
        """A picture by (column, row, 1) times a matrix: a plane projected onto another."""
        wide, high = image.width(), image.height()
        corners = np.array([[0, 0, 1], [wide, 0, 1], [wide, high, 1], [0, high, 1]]) @ matrix
        if np.any(corners[:, 2] < 1e-3):
            return
        (x0, y0), (across, up) = (view.area[0], view.area[3]), view.unit_per_px
        to_px = np.array([[1 / across, 0, 0], [0, -1 / up, 0], [x0 - view.box[0] / across, y0 + view.box[2] / up, 1]])
        whole = matrix @ to_px
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setTransform(QTransform(*whole.ravel().tolist()), True)
        painter.setOpacity(opacity)
        painter.drawImage(0, 0, image)

    def scale(self, shown: Shown) -> float:
        """Print mm for a tangent of 1."""
        plan = shown.scene.plan
        return plan.framing_mm * plan.enlargement()

    def drawn_from(self, shown: Shown) -> object:
        plan = shown.scene.plan
        grid = shown.candidate is not None and shown.candidate.method.is_grid
        candidate = (id(shown.candidate), shown.frame) if grid else None
        field = id(shown.rendering) if self.field else None
        photograph = (None if self._photograph is None else id(self._photograph[0]), id(self._rehearsed))
        areas = id(plan.surfaces), id(plan.scans)
        return photograph, candidate, plan.camera, plan.kit.body, plan.enlargement(), field, areas

    def draw(self, shown: Shown, theme: Theme) -> Drawn:
        scale = self.scale(shown)
        if rolled_out.goes_round(shown.scene.plan):
            return Drawn(self._rolled_out(shown, theme, scale), [], [], [])
        half = shown.scene.half_picture() * scale
        corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half
        # What lies below shows through.
        bare = self._photograph is None and self._rehearsed is None and not self.field and not shown.scene.plan.scans
        paper = QBrush(colour(theme.panel)) if bare else None
        strokes = [Stroke(corners, pen(theme.ink, 1.6), paper, closed=True)]
        thirds = pen(theme.line, 1.0, Qt.PenStyle.DotLine)
        for third in (-1.0 / 3.0, 1.0 / 3.0):
            x, y = half * third
            strokes.append(Stroke([(x, -half[1]), (x, half[1])], thirds))
            strokes.append(Stroke([(-half[0], y), (half[0], y)], thirds))
        horizon = self._horizon(shown, scale, half)
        if horizon is not None:
            strokes.append(Stroke(horizon, pen(theme.faint, 1.4, Qt.PenStyle.DashDotLine)))
        strokes.extend(frame_strokes(shown, scale, theme, self.selected_surface))
        strokes.extend(self._cells(shown, theme, scale))
        surfaces = shown.scene.plan.surfaces
        every = grips(shown, lambda foot: self.places_of(shown, foot[None])[0])
        found = [grip for grip in every if self._depth_m(shown, surfaces[grip.number]) > 0.0]
        return Drawn(strokes, found, signs(found, theme), [])

    def _rolled_out(self, shown: Shown, theme: Theme, scale: float) -> list[Stroke]:
        """All that is wanted, the horizon, quarters of the turn, surfaces, and the frames of a grid."""
        left, right, low, high = rolled_out.extent(shown.scene.plan, scale)
        corners = np.array([[left, low], [right, low], [right, high], [left, high]])
        strokes = [Stroke(corners, pen(theme.ink, 1.6), QBrush(colour(theme.panel)), closed=True)]
        quarters = pen(theme.line, 1.0, Qt.PenStyle.DotLine)
        for x in (0.5 * left, 0.0, 0.5 * right):
            strokes.append(Stroke([(x, low), (x, high)], quarters))
        if low < 0.0 < high:
            strokes.append(Stroke([(left, 0.0), (right, 0.0)], pen(theme.faint, 1.4, Qt.PenStyle.DashDotLine)))
        pupil = shown.scene.pose.pupil_m
        for surface in shown.scene.plan.surfaces:
            for patch in seen_from(surface, pupil):
                for part in rolled_out.outlines(shown, patch.corners() - pupil, scale):
                    strokes.append(Stroke(part, pen(theme.ink, 1.4)))
        candidate = shown.candidate
        if candidate is not None and candidate.method.turns:
            for index, exposure in enumerate(candidate.exposures[:400]):
                current = index == min(shown.frame, len(candidate.exposures) - 1)
                style = pen(theme.sharp, 2.0 if current else 1.0, alpha=255 if current else 110)
                corner = np.array([[-0.5, -0.5], [0.5, -0.5], [0.5, 0.5], [-0.5, 0.5]])
                edge = corner * shown.scene.plan.sensor_mm / exposure.state.pupil_scale_mm
                rays = np.column_stack([edge, np.ones(len(edge))]) @ exposure.pose.matrix
                strokes.extend(Stroke(part, style) for part in rolled_out.outlines(shown, rays, scale))
        return strokes

    def direction(self, shown: Shown, place: np.ndarray) -> np.ndarray:
        """The world's direction of a place of the drawing, a unit vector."""
        if rolled_out.goes_round(shown.scene.plan):
            return rolled_out.direction_of(shown, place, self.scale(shown))
        tangents = place / self.scale(shown) + shown.scene.picture_centre()
        towards: np.ndarray = np.array([*tangents, 1.0]) @ shown.scene.pose.matrix
        unit: np.ndarray = towards / np.linalg.norm(towards)
        return unit

    def moved_to(self, shown: Shown, old_m: np.ndarray, place: np.ndarray) -> np.ndarray | None:
        """A place of the world moved to a place of the drawing, as far away as it was; None from behind."""
        pose = shown.scene.pose
        towards = self.direction(shown, place)
        if rolled_out.goes_round(shown.scene.plan):
            return pose.pupil_m + float(np.linalg.norm(old_m - pose.pupil_m)) * towards
        depth = float(pose.to_camera_mm(old_m)[2])
        if depth <= 0.0:
            return None
        return pose.to_world_m(towards @ pose.matrix.T / float(towards @ pose.forward) * depth)

    def _depth_m(self, shown: Shown, surface: Surface) -> float:
        foot = np.array([surface.x_m, surface.y_m, surface.z_m])
        return float(shown.scene.pose.to_camera_mm(foot)[2]) / 1000.0

    def draw_underlay(self, shown: Shown, theme: Theme) -> QImage | None:
        """Points of scans, and the samples of surfaces and scans with how soft they are."""
        scene, view = shown.scene, self.canvas.view
        if not scene.plan.scans and not (self.field and scene.areas):
            return None
        picture = underlay.blank(view)
        seen_as = (scene.plan.camera, scene.plan.picture_mm, scene.plan.enlargement())
        for heap in self.dots_of_scans(shown, lambda places: self.places_of(shown, places), seen_as):
            underlay.put_dots(picture, heap, theme)
        if self.field and shown.rendering is not None and scene.areas:
            of_areas = slice(scene.mark_count, None)
            places = self.places_of(shown, scene.world_m[of_areas])
            underlay.put_spots(picture, view, places, shown.rendering.softness[of_areas], theme)
        return underlay.as_image(picture)

    def places_of(self, shown: Shown, world_m: np.ndarray) -> np.ndarray:
        """Where places of the world lie on the print; far off where they lie behind the camera."""
        if rolled_out.goes_round(shown.scene.plan):
            return rolled_out.places_of(shown, world_m - shown.scene.pose.pupil_m, self.scale(shown))
        seen = shown.scene.pose.to_camera_mm(world_m)
        with np.errstate(divide="ignore", invalid="ignore"):
            tangents = np.where(seen[:, 2:] > 0.0, seen[:, :2] / seen[:, 2:], 1e6)
        return (tangents - shown.scene.picture_centre()) * self.scale(shown)

    def draw_courses(self, shown: Shown, theme: Theme) -> tuple[list[Stroke], list[tuple[float, float, str]]]:
        scale, centre = self.scale(shown), shown.scene.picture_centre()
        rolled = rolled_out.goes_round(shown.scene.plan)

        def place(directions: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
            if rolled:
                return rolled_out.seen_of(shown, directions, scale)
            seen = directions @ shown.scene.pose.matrix.T
            ahead = seen[:, 2] > 0.05
            depth = np.where(ahead, seen[:, 2], 1.0)[:, None]
            return (seen[:, :2] / depth - centre) * scale, ahead

        return courses_in_frame(self.courses, place, self.visible(), theme)

    def draw_marks(self, shown: Shown) -> DrawnMarks:
        places = self.places_of(shown, shown.scene.world_m[: shown.scene.mark_count])
        return edged_marks(shown, places, self.visible(), self.selected, lambda _k: self.tr("(outside)"))

    def extent(self, shown: Shown) -> Box:
        if rolled_out.goes_round(shown.scene.plan):
            left, right, low, high = rolled_out.extent(shown.scene.plan, self.scale(shown))
            return 1.03 * left, 1.03 * right, low + 0.03 * left, high + 0.03 * right
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

    def _cells(self, shown: Shown, theme: Theme, scale: float) -> list[Stroke]:
        """Edges of the frames of a grid."""
        candidate = shown.candidate
        if candidate is None or not candidate.method.is_grid:
            return []
        size = np.asarray(shown.scene.plan.sensor_mm)
        centre = shown.scene.picture_centre()
        strokes = []
        for index, exposure in enumerate(candidate.exposures[:400]):
            edge = _edge(size)
            if candidate.method.shifts:
                edge = -(np.asarray(exposure.sensor_centre_mm) + _edge(size))
            tangents = edge / exposure.state.pupil_scale_mm
            seen = _in_picture(tangents, exposure.pose, shown.scene.pose)
            if seen is None:
                continue
            current = index == min(shown.frame, len(candidate.exposures) - 1)
            style = pen(theme.sharp, 2.0 if current else 1.0, alpha=255 if current else 150)
            strokes.append(Stroke((seen - centre) * scale, style, closed=True))
        return strokes


def rehearsed_to_drawing(exposure: Exposure, pixels: tuple[int, int], shown: Shown, scale: float) -> np.ndarray:
    """(column, row, 1) of an exposure's picture times this (3, 3) is (across, up, 1) of the drawing, times a depth.

    The middle ray of every direction leaves the exit pupil, whose foot the picture grows about.
    """
    state = exposure.state
    pitch = shown.scene.plan.sensor_mm[0] / pixels[0]
    pupil = -state.focal_mm * (1.0 - state.pupil_magnification) * np.asarray(state.axis)
    focal = (state.image_distance_mm + pupil[2]) / state.pupil_magnification / pitch
    x0, y0 = exposure.sensor_centre_mm
    middle = ((x0 - pupil[0]) / pitch + 0.5 * pixels[0], (pupil[1] - y0) / pitch + 0.5 * pixels[1])
    rays = np.array([[1 / focal, 0, 0], [0, -1 / focal, 0], [-middle[0] / focal, middle[1] / focal, 1.0]])
    turned = rays @ exposure.pose.matrix @ shown.scene.pose.matrix.T
    found: np.ndarray = turned @ _onto_drawing(shown, scale)
    return found


def _onto_drawing(shown: Shown, scale: float) -> np.ndarray:
    """Directions in the scene's view to the drawing, as columns of a row times this."""
    centre = shown.scene.picture_centre()
    return np.array([[scale, 0, 0], [0, scale, 0], [-centre[0] * scale, -centre[1] * scale, 1.0]])


def photograph_to_drawing(photo: Photograph, shown: Shown, scale: float) -> np.ndarray:
    """(column, row, 1) of the photograph times this (3, 3) is (across, up, 1) of the drawing, times a depth."""
    middle = photo.axis_px[::-1]
    f = photo.focal_px
    rays = np.array([[1 / f, 0, 0], [0, -1 / f, 0], [-middle[0] / f, middle[1] / f, 1.0]])
    turned = rays @ photo.pose(0.0).matrix @ shown.scene.pose.matrix.T
    found: np.ndarray = turned @ _onto_drawing(shown, scale)
    return found


def _edge(size: np.ndarray) -> np.ndarray:
    """Points round a rectangle of this size, (K, 2)."""
    run = np.linspace(-0.5, 0.5, _EDGE_POINTS)
    half = np.full(_EDGE_POINTS, 0.5)
    around = [(run, -half), (half, run), (-run, half), (-half, -run)]
    found: np.ndarray = np.concatenate([np.stack(pair, axis=1) for pair in around]) * size
    return found


def _in_picture(tangents: np.ndarray, frame: Pose, picture: Pose) -> np.ndarray | None:
    """Tangents of one camera's view as tangents of another's; None where it looks away."""
    rays = np.concatenate([tangents, np.ones((len(tangents), 1))], axis=1)
    seen = rays @ frame.matrix @ picture.matrix.T
    if np.any(seen[:, 2] < 0.05):
        return None
    return seen[:, :2] / seen[:, 2:]
