"""Elevation and ground: the plane, its wedge and the marks in a level or an upright section."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QBrush

from verispect.optics.types import Floats
from verispect.plan.sections import Section, elevation_section, focus_traces, ground_section
from verispect.ui.drawings.board import Board, Handle, Lines, pen, polyline
from verispect.ui.drawings.marks_item import DrawnMark
from verispect.ui.drawings.shown import Shown
from verispect.ui.lengths import format_length
from verispect.ui.theme import Theme, colour, font

# Marks this many times as far as the nearest are left out of the first view and shown at its edge.
_FAR_OUT = 25.0
# Of a long series so many planes are drawn.
_MOST_OTHERS = 40


class SideBoard(Board):
    """A section with the camera in it; elevation and ground differ in where they cut."""

    upright = True

    def __init__(self, title: str, *, across: str, up: str) -> None:
        super().__init__(title, across=across, up=up, unit="m")
        self._areas, self._lines = Lines(1.0), Lines(10.0)
        self._grips = Lines(30.0)
        for item in (self._areas, self._lines, self._grips):
            self.plot.addItem(item, ignoreBounds=True)
        self._hinge_word = pg.TextItem(anchor=(0, 1))
        self._hinge_word.setFont(font(9.0))
        self._hinge_word.setZValue(25)
        self._hinge_word.setVisible(False)
        self.plot.addItem(self._hinge_word, ignoreBounds=True)
        self._hinge_said = ""
        self.system = "metric"

    def section(self, shown: Shown) -> Section:
        """The plane that is drawn."""
        raise NotImplementedError

    def draw(self, shown: Shown, theme: Theme) -> tuple[list[DrawnMark], list[Handle]]:
        section = self.section(shown)
        box = self.visible()
        paths = self._surroundings(shown, section, theme, box)
        areas = []
        handles: list[Handle] = []
        exposure = shown.exposure
        if exposure is None:
            self._hinge_word.setVisible(False)
        else:
            traces = focus_traces(exposure, section)
            for polygon in traces.sharp_region(box):
                area = polyline(polygon, closed=True)
                areas.append((area, None, QBrush(colour(theme.sharp, 34))))
                areas.append((area, None, QBrush(colour(theme.sharp, 110), Qt.BrushStyle.BDiagPattern)))
            for face in (traces.near, traces.far):
                if face is not None:
                    paths.append((polyline(face.clipped(box)), pen(theme.sharp, 1.0, alpha=170), None))
            paths.extend(self._other_planes(shown, section, theme, box))
            areas.extend(self._other_wedges(shown, section, theme, box))
            drawn = self._traced(shown, section)
            line = drawn.plane.clipped(box)
            if line is not None:
                paths.append((polyline(line), pen(theme.sharp, 2.4), None))
            self._say_hinge(drawn.hinge, theme)
            handles.extend(self._handles_for(shown, section, line))
        self._areas.show(areas)
        self._lines.show(paths)
        self._grips.show(self._grip_paths(handles, theme))
        marks = self._marks(shown, section, box)
        handles.extend(Handle("mark", k, mark.across, mark.up) for k, mark in enumerate(marks) if not mark.beyond)
        return marks, handles

    def _traced(self, shown: Shown, section: Section):
        return focus_traces(shown.exposure, section)

    def _other_planes(self, shown, section, theme, box):
        """Planes of the other frames, thin."""
        if shown.candidate is None or len(shown.candidate.exposures) < 2:
            return []
        style = pen(theme.sharp, 1.0, Qt.PenStyle.DashLine, 150)
        others = shown.candidate.exposures[:_MOST_OTHERS]
        return [
            (polyline(focus_traces(exposure, section).plane.clipped(box)), style, None)
            for exposure in others
            if exposure is not shown.exposure
        ]

    def _other_wedges(self, shown, section, theme, box):
        """What the other frames of a series hold, tinted without hatching."""
        if shown.candidate is None or shown.candidate.key not in ("series", "tilt-series"):
            return []
        areas = []
        for exposure in shown.candidate.exposures[:_MOST_OTHERS]:
            if exposure is not shown.exposure:
                for polygon in focus_traces(exposure, section).sharp_region(box):
                    areas.append((polyline(polygon, closed=True), None, QBrush(colour(theme.sharp, 22))))
        return areas

    def _surroundings(self, shown: Shown, section: Section, theme: Theme, box):
        """Camera and field of view."""
        pose = shown.scene.pose
        here = section.place(pose.pupil_m)
        reach = 2.0 * max(box[1] - box[0], box[3] - box[2], 1.0) + float(np.abs(box).max())
        half = shown.scene.half_picture()
        side = np.array([0.0, half[1]]) if self.upright else np.array([half[0], 0.0])
        paths = []
        for sign in (-1.0, 1.0):
            ray = pose.forward + pose.right * side[0] * sign + pose.up * side[1] * sign
            end = here + section.place(section.origin + ray) * reach
            paths.append((polyline([here, end]), pen(theme.faint, 1.0, Qt.PenStyle.DashDotLine), None))
        size = 0.045 * min(box[1] - box[0], 3.0 * (box[3] - box[2]))
        ahead = section.place(section.origin + pose.forward)
        ahead = ahead / max(float(np.linalg.norm(ahead)), 1e-9)
        aside = np.array([-ahead[1], ahead[0]])
        body = [here + size * (a * ahead + b * aside) for a, b in ((0, 0.25), (-0.8, 0.5), (-0.8, -0.5), (0, -0.25))]
        paths.append((polyline(body, closed=True), pen(theme.ink, 1.4), QBrush(colour(theme.panel))))
        if shown.exposure is not None:
            axis = section.place(section.origin + np.asarray(shown.exposure.state.axis) @ pose.matrix)
            cross = np.array([-axis[1], axis[0]]) * size * 0.55
            paths.append((polyline([here - cross, here + cross]), pen(theme.ink, 3.0), None))
        return paths

    def _say_hinge(self, hinge: Floats | None, theme: Theme) -> None:
        word = self._hinge_word
        if hinge is None:
            word.setVisible(False)
            return
        if self._hinge_said != theme.name:
            # Setting a text lays it out anew, which costs as much as all the lines together.
            word.setText("⊗ " + self.tr("hinge line"), color=colour(theme.sharp))
            word.setAnchor((0.06, 0.62))
            self._hinge_said = theme.name
        word.setPos(float(hinge[0]), float(hinge[1]))
        word.setVisible(True)

    def _handles_for(self, shown: Shown, section: Section, line: Floats | None) -> list[Handle]:
        """Grips for the focus and the plane of a single frame."""
        exposure = shown.exposure
        if exposure is None or len(shown.candidate.exposures) != 1:
            return []
        state = exposure.state
        crossing = state.axis[2] / state.focal_mm - 1.0 / state.image_distance_mm
        if crossing <= 1e-9:
            return []
        depth_m = 0.001 / crossing
        middle = section.place(exposure.position_m + depth_m * exposure.pose.forward)
        left, right, bottom, top = self.visible()
        handles = []
        if left < middle[0] < right and bottom < middle[1] < top:
            handles.append(Handle("focus", 0, float(middle[0]), float(middle[1])))
        if line is not None and exposure.lens.tilt_deg > 0.0:
            ends = [line[0] * 0.88 + line[1] * 0.12, line[1] * 0.88 + line[0] * 0.12]
            end = max(ends, key=lambda place: float(np.linalg.norm(place - middle)))
            handles.append(Handle("plane", 0, float(end[0]), float(end[1])))
        return handles

    def _grip_paths(self, handles: list[Handle], theme: Theme):
        paths = []
        size = self._box.viewPixelSize()
        for handle in handles:
            across, up = 6.0 * size[0], 6.0 * size[1]
            x, y = handle.across, handle.up
            if handle.kind == "focus":
                shape = [(x - across, y), (x, y + up), (x + across, y), (x, y - up)]
            else:
                shape = [
                    (x - across, y - up),
                    (x - across, y + up),
                    (x + across, y + up),
                    (x + across, y - up),
                ]
            outline = polyline(shape, closed=True)
            paths.append((outline, pen(theme.field, 1.5), QBrush(colour(theme.hand))))
        return paths

    def _marks(self, shown: Shown, section: Section, box) -> list[DrawnMark]:
        places = section.place(shown.scene.world_m)
        softness = np.full(len(places), np.nan)
        if shown.rendering is not None:
            softness = shown.rendering.softness
        left, right, bottom, top = box
        drawn = []
        for k, mark in enumerate(shown.scene.plan.marks):
            x, y = float(places[k][0]), float(places[k][1])
            beyond = ""
            if not (left <= x <= right and bottom <= y <= top):
                away = x if self.upright else y
                beyond = f"({format_length(away, self.system)})"
                inset_x, inset_y = 0.03 * (right - left), 0.06 * (top - bottom)
                x = min(max(x, left + inset_x), right - inset_x)
                y = min(max(y, bottom + inset_y), top - inset_y)
            drawn.append(DrawnMark(mark.name, x, y, mark.need, float(softness[k]), k == self.selected, beyond))
        return drawn

    def _near_places(self, shown: Shown) -> Floats:
        """Places of the marks that the first view takes in."""
        depth = shown.scene.points_mm[:, 2]
        return self.section(shown).place(shown.scene.world_m[depth <= _FAR_OUT * depth.min()])


class ElevationBoard(SideBoard):
    """The section along the view: distance and height."""

    def __init__(self) -> None:
        super().__init__("", across="", up="")
        self.title.setText(self.tr("Elevation · section along the view"))
        self.plot.setAccessibleName(self.tr("Elevation drawing"))
        self._names = {"bottom": (self.tr("distance"), "m"), "left": (self.tr("height"), "m")}

    def section(self, shown: Shown) -> Section:
        if shown.exposure is not None and shown.candidate.key != "turned-grid":
            return elevation_section(shown.exposure)
        forward = shown.scene.pose.forward
        level = np.array([forward[0], 0.0, forward[2]])
        return Section(np.zeros(3), level / np.linalg.norm(level), np.array([0.0, 1.0, 0.0]))

    def _surroundings(self, shown, section, theme, box):
        paths = super()._surroundings(shown, section, theme, box)
        ground = polyline([(box[0], 0.0), (box[1], 0.0)])
        paths.append((ground, pen(theme.faint, 1.2), None))
        return paths

    def extent(self, shown: Shown) -> tuple[float, float, float, float]:
        places = self._near_places(shown)
        height = shown.scene.plan.camera.height_m
        far = max(float(places[:, 0].max()) * 1.15, 1.0)
        low = min(0.0, float(places[:, 1].min())) - 0.04 * far
        return -0.06 * far, far, low, max(height * 1.25, float(places[:, 1].max()) * 1.1)


class GroundBoard(SideBoard):
    """The view from above: what is sharp at ground level, and the plane at the height of the lens."""

    upright = False

    def __init__(self) -> None:
        super().__init__("", across="", up="")
        self.title.setText(self.tr("Ground · hatched: sharp at ground level · line: plane at lens height"))
        self.plot.setAccessibleName(self.tr("Ground drawing"))
        self._names = {"bottom": (self.tr("across"), "m"), "left": (self.tr("distance"), "m")}

    def section(self, shown: Shown) -> Section:
        forward = shown.scene.pose.forward
        away = np.array([forward[0], 0.0, forward[2]])
        away = away / np.linalg.norm(away)
        right = np.array([away[2], 0.0, -away[0]])
        return Section(np.zeros(3), right, away)

    def _traced(self, shown: Shown, section: Section):
        height = float(shown.exposure.position_m[1])
        return focus_traces(shown.exposure, ground_section(shown.exposure, height))

    def _other_planes(self, shown, section, theme, box):
        if shown.candidate.key == "turned-grid":
            return []
        lens_height = Section(np.array([0.0, float(shown.exposure.position_m[1]), 0.0]), section.across, section.up)
        return super()._other_planes(shown, lens_height, theme, box)

    def extent(self, shown: Shown) -> tuple[float, float, float, float]:
        places = self._near_places(shown)
        far = max(float(places[:, 1].max()) * 1.12, 1.0)
        wide = max(float(np.abs(places[:, 0]).max()) * 1.25, 0.3 * far)
        return -wide, wide, -0.05 * far, far
