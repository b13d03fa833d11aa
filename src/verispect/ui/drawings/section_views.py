"""Elevation and ground: the plane, its wedge and the marks in a level or an upright section."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QBrush, QImage

from verispect.optics.types import Floats
from verispect.plan.frames.focus_traces import FocusTraces, Section, elevation_section, focus_traces
from verispect.plan.frames.mark_reach import sharp_stretches
from verispect.plan.frames.softness_field import softness_at
from verispect.ui.controls.lengths import format_length
from verispect.ui.controls.theme import Theme, colour
from verispect.ui.drawings import underlay
from verispect.ui.drawings.areas_layer import grips, section_strokes, signs
from verispect.ui.drawings.board import Board, Drawn, Handle
from verispect.ui.drawings.marks_layer import DrawnMarks
from verispect.ui.drawings.scene_view import edged_marks
from verispect.ui.drawings.sky_layer import courses_on_ground
from verispect.ui.drawings.strokes import Stroke, hatched, pen
from verispect.ui.drawings.view import Box
from verispect.ui.state.session import Shown

# Marks this many times as far as the nearest are left out of the first view and shown at its edge.
_FAR_OUT = 25.0
# Of a long series so many planes are drawn.
_MOST_OTHERS = 40
# Of more marks the sharp stretch of each would be a tangle; half the width of its ends, pixels.
_MOST_WHISKERS, _CAP_PX = 24, 4.0
# So many times as far as its mark a stretch is drawn.
_BEHIND = 1.35


class SideBoard(Board):
    """A section with the camera in it; elevation and ground differ in where they cut."""

    upright = True

    def __init__(self, title: str, *, name: str, across: str, up: str) -> None:
        super().__init__(title, name=name, across=across, up=up)
        self.system = "metric"
        self._still_key: object = None
        self._still_lines: list[Stroke] = []

    def section(self, shown: Shown) -> Section:
        """The plane that is drawn."""
        raise NotImplementedError

    def drawn_from(self, shown: Shown) -> object:
        plan = shown.scene.plan
        return id(shown.candidate), shown.frame, plan.camera, plan.picture_mm, id(plan.surfaces), id(plan.scans)

    def draw(self, shown: Shown, theme: Theme) -> Drawn:
        section = self.section(shown)
        box = self.visible()
        lines = list(self._still(shown, section, theme, box))
        lines.extend(section_strokes(shown, section.place, theme, self.selected_surface))
        of_areas = grips(shown, section.place)
        if shown.exposure is None:
            return Drawn(lines, of_areas, signs(of_areas, theme), [])
        lines.append(self._lens_line(shown, section, theme))
        traces = focus_traces(shown.exposure, section)
        areas = []
        for polygon in traces.sharp_region(box):
            areas.append(Stroke(polygon, None, hatched(theme.sharp, 34, 130), closed=True))
        for face in (traces.near, traces.far):
            if face is not None:
                lines.append(Stroke(face.clipped(box), pen(theme.sharp, 1.0, alpha=170)))
        lines.extend(self._other_planes(shown, section, theme, box))
        areas.extend(self._other_wedges(shown, section, theme, box))
        drawn = self._traced(shown, section, traces)
        line = drawn.plane.clipped(box)
        if line is not None:
            lines.append(Stroke(line, pen(theme.sharp, 2.4)))
        lines.extend(self._whiskers(shown, section, theme))
        words = []
        if drawn.hinge is not None:
            words.append((float(drawn.hinge[0]), float(drawn.hinge[1]), "⊗ " + self.tr("hinge line")))
        found = self._grips_for(shown, section, line) + of_areas
        return Drawn(areas + lines, found, signs(found, theme), words)

    def _whiskers(self, shown: Shown, section: Section, theme: Theme) -> list[Stroke]:
        """On each mark's own ray, from where to where it is sharp: it may lie far aside of the section."""
        candidate = shown.candidate
        if candidate is None or candidate.rendering is None or shown.scene.mark_count > _MOST_WHISKERS:
            return []
        ends = sharp_stretches(shown.scene, candidate.exposures, candidate.rendering)
        style, strokes = pen(theme.sharp, 1.2, alpha=170), []
        here = shown.scene.pose.pupil_m
        for mark, (near, far) in zip(shown.scene.world_m, ends, strict=False):
            if np.isnan(near).any():
                continue
            away = float(np.linalg.norm(mark - here))
            reaches = float(np.linalg.norm(far - here)), float(np.linalg.norm(near - here))
            # What goes on far behind the mark is cut, without an end.
            cut = min(1.0, max(_BEHIND * away, 1.2 * reaches[1]) / reaches[0])
            first, last = section.place(near), section.place(here + (far - here) * cut)
            way = last - first
            length = float(np.hypot(*way))
            if length < 1e-9:
                continue
            aside = np.array([-way[1], way[0]]) / length * _CAP_PX
            strokes.append(Stroke([first, last], style))
            caps = (first, last) if cut == 1.0 else (first,)
            strokes += [Stroke([-aside, aside], style, around=(float(x), float(y))) for x, y in caps]
        return strokes

    def draw_underlay(self, shown: Shown, theme: Theme) -> QImage | None:
        """The softness of every place of the section, and the points of scans."""
        view, section = self.canvas.view, self._field_section(shown)
        candidate, scans = shown.candidate, shown.scene.plan.scans
        wanted = candidate if self.field else None
        if not scans and (wanted is None or wanted.criterion is None):
            return None
        picture = underlay.blank(view)
        if wanted is not None and wanted.criterion is not None:
            places = section.lift(underlay.field_places(view))
            softness = softness_at(places, wanted.exposures, wanted.criterion, shown.scene.plan.sensor_mm)
            picture = underlay.with_field(view, softness, theme)
        drawn = self.section(shown)
        seen_as = (drawn.origin.tobytes(), drawn.across.tobytes(), drawn.up.tobytes())
        for heap in self.dots_of_scans(shown, drawn.place, seen_as):
            underlay.put_dots(picture, heap, theme)
        return underlay.as_image(picture)

    def _field_section(self, shown: Shown) -> Section:
        """The plane whose softness is shown."""
        return self.section(shown)

    def _traced(self, _shown: Shown, _section: Section, traces: FocusTraces) -> FocusTraces:
        """The plane and the hinge line that are drawn strongly."""
        return traces

    def _other_planes(self, shown: Shown, section: Section, theme: Theme, box: Box) -> list[Stroke]:
        """Planes of the other frames, thin."""
        if shown.candidate is None or len(shown.candidate.exposures) < 2:
            return []
        style = pen(theme.sharp, 1.0, Qt.PenStyle.DashLine, 150)
        others = shown.candidate.exposures[:_MOST_OTHERS]
        return [
            Stroke(focus_traces(exposure, section).plane.clipped(box), style)
            for exposure in others
            if exposure is not shown.exposure
        ]

    def _other_wedges(self, shown: Shown, section: Section, theme: Theme, box: Box) -> list[Stroke]:
        """What the other frames of a series hold, tinted without hatching."""
        if shown.candidate is None or not shown.candidate.method.merges or shown.candidate.method.is_grid:
            return []
        areas = []
        for exposure in shown.candidate.exposures[:_MOST_OTHERS]:
            if exposure is not shown.exposure:
                for polygon in focus_traces(exposure, section).sharp_region(box):
                    areas.append(Stroke(polygon, None, QBrush(colour(theme.sharp, 22)), closed=True))
        return areas

    def _still(self, shown: Shown, section: Section, theme: Theme, box: Box) -> list[Stroke]:
        """The surroundings, drawn anew only when camera, view or theme change."""
        plan = shown.scene.plan
        key = (plan.camera, plan.picture_mm, section.across.tobytes(), box, theme.name)
        if key != self._still_key:
            self._still_key, self._still_lines = key, self._surroundings(shown, section, theme, box)
        return self._still_lines

    def _lens_line(self, shown: Shown, section: Section, theme: Theme) -> Stroke:
        """The lens across its axis, at the camera."""
        exposure, box = shown.exposure, self.visible()
        here = section.place(shown.scene.pose.pupil_m)
        ahead: Floats = np.asarray(exposure.state.axis) @ shown.scene.pose.matrix
        axis = section.place(np.add(section.origin, ahead))
        half = _camera_size(box) * 0.55
        across, up = -float(axis[1]) * half, float(axis[0]) * half
        ends = [(here[0] + side * across, here[1] + side * up) for side in (-1.0, 1.0)]
        return Stroke(ends, pen(theme.ink, 3.0))

    def _surroundings(self, shown: Shown, section: Section, theme: Theme, box: Box) -> list[Stroke]:
        """Camera and field of view."""
        pose = shown.scene.pose
        here = section.place(pose.pupil_m)
        # Just out of sight: dashes far beyond the edge would take long to paint.
        reach = sum(
            max(abs(low - at), abs(high - at)) for low, high, at in zip(box[::2], box[1::2], here, strict=True)
        )
        half, centre = shown.scene.half_picture(), shown.scene.picture_centre()
        side = np.array([0.0, half[1]]) if self.upright else np.array([half[0], 0.0])
        lines = []
        for sign in (-1.0, 1.0):
            edge = centre + sign * side
            ray = pose.forward + pose.right * edge[0] + pose.up * edge[1]
            towards = section.place(section.origin + ray)
            end = here + towards * (reach / max(float(np.hypot(*towards)), 1e-9))
            lines.append(Stroke([here, end], pen(theme.faint, 1.0, Qt.PenStyle.DashDotLine)))
        size = _camera_size(box)
        ahead = section.place(section.origin + pose.forward)
        ahead = ahead / max(float(np.linalg.norm(ahead)), 1e-9)
        aside = np.array([-ahead[1], ahead[0]])
        body = [here + size * (a * ahead + b * aside) for a, b in ((0, 0.25), (-0.8, 0.5), (-0.8, -0.5), (0, -0.25))]
        lines.append(Stroke(body, pen(theme.ink, 1.4), QBrush(colour(theme.panel)), closed=True))
        return lines

    def _grips_for(self, shown: Shown, section: Section, line: Floats | None) -> list[Handle]:
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

    def draw_marks(self, shown: Shown) -> DrawnMarks:
        places = self.section(shown).place(shown.scene.world_m[: shown.scene.mark_count])

        def say_beyond(k: int) -> str:
            return f"({format_length(float(places[k][0 if self.upright else 1]), self.system)})"

        return edged_marks(shown, places, self.visible(), self.selected, say_beyond)

    def _near_places(self, shown: Shown) -> Floats:
        """Places of the marks that the first view takes in."""
        depth = shown.scene.depth_mm
        if not len(depth):
            return self.section(shown).place(shown.scene.pose.pupil_m + shown.scene.pose.forward * 5.0)[None]
        return self.section(shown).place(shown.scene.world_m[depth <= _FAR_OUT * depth.min()])


def _camera_size(box: Box) -> float:
    """How large the camera is drawn, in the drawing's units."""
    return 0.045 * min(box[1] - box[0], 3.0 * (box[3] - box[2]))


class ElevationBoard(SideBoard):
    """The section along the view: distance and height."""

    def __init__(self) -> None:
        super().__init__(
            self.tr("Elevation · section along the view"),
            name=self.tr("Elevation drawing"),
            across=self.tr("distance [m]"),
            up=self.tr("height [m]"),
        )

    def section(self, shown: Shown) -> Section:
        if shown.exposure is not None and not shown.candidate.method.turns:
            return elevation_section(shown.exposure)
        forward = shown.scene.pose.forward
        level = np.array([forward[0], 0.0, forward[2]])
        return Section(np.zeros(3), level / np.linalg.norm(level), np.array([0.0, 1.0, 0.0]))

    def _surroundings(self, shown: Shown, section: Section, theme: Theme, box: Box) -> list[Stroke]:
        lines = super()._surroundings(shown, section, theme, box)
        lines.append(Stroke([(box[0], 0.0), (box[1], 0.0)], pen(theme.faint, 1.2)))
        return lines

    def extent(self, shown: Shown) -> Box:
        places = self._near_places(shown)
        height = shown.scene.plan.camera.height_m
        far = max(float(places[:, 0].max()) * 1.15, 1.0)
        low = min(0.0, float(places[:, 1].min())) - 0.04 * far
        # What goes all round lies behind the camera too.
        near = min(-0.06 * far, float(places[:, 0].min()) * 1.15)
        return near, far, low, max(height * 1.25, float(places[:, 1].max()) * 1.1)


class GroundBoard(SideBoard):
    """The view from above: what is sharp at ground level, and the plane at the height of the lens."""

    upright = False

    def __init__(self) -> None:
        super().__init__(
            self.tr("Ground · sharp at ground level"),
            name=self.tr("Ground drawing"),
            across=self.tr("across [m]"),
            up=self.tr("distance [m]"),
        )

    def section(self, shown: Shown) -> Section:
        forward = shown.scene.pose.forward
        away = np.array([forward[0], 0.0, forward[2]])
        away = away / np.linalg.norm(away)
        right = np.array([away[2], 0.0, -away[0]])
        return Section(np.zeros(3), right, away)

    def _traced(self, shown: Shown, section: Section, _traces: FocusTraces) -> FocusTraces:
        assert shown.exposure is not None
        return focus_traces(shown.exposure, self._at_lens_height(shown, section))

    def _at_lens_height(self, shown: Shown, section: Section) -> Section:
        height = float(shown.exposure.position_m[1])
        return Section(np.array([0.0, height, 0.0]), section.across, section.up)

    def _other_planes(self, shown: Shown, section: Section, theme: Theme, box: Box) -> list[Stroke]:
        if shown.candidate.method.turns:
            return []
        return super()._other_planes(shown, self._at_lens_height(shown, section), theme, box)

    def draw_courses(self, shown: Shown, theme: Theme) -> tuple[list[Stroke], list[tuple[float, float, str]]]:
        section, box = self.section(shown), self.visible()
        middle = np.array([0.5 * (box[0] + box[1]), 0.5 * (box[2] + box[3])])

        def place(directions: Floats) -> Floats:
            return np.stack([directions @ section.across, directions @ section.up], axis=1)

        # About the middle of what is seen: the light comes from as far as one likes.
        return courses_on_ground(self.courses, middle, place, box, theme)

    def extent(self, shown: Shown) -> Box:
        places = self._near_places(shown)
        far = max(float(places[:, 1].max()) * 1.12, 1.0)
        wide = max(float(np.abs(places[:, 0]).max()) * 1.25, 0.3 * far)
        return -wide, wide, min(-0.05 * far, float(places[:, 1].min()) * 1.12), far
