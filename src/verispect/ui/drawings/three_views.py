"""The three drawings together: what is drawn, and what a drag in one of them means for the plan."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from pydantic import ValidationError
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QPushButton, QSplitter, QVBoxLayout, QWidget

from verispect.plan.document import Plan
from verispect.plan.entry.manual_setting import with_focus_at, with_plane_through
from verispect.shoot.sky_in_frame import Course
from verispect.ui.controls.lengths import format_length
from verispect.ui.controls.theme import Theme
from verispect.ui.drawings.board import Board, Handle
from verispect.ui.drawings.frame_view import FrameBoard
from verispect.ui.drawings.section_views import ElevationBoard, GroundBoard, SideBoard
from verispect.ui.state.plan_document import PlanDocument, with_choice, with_mark, with_surface
from verispect.ui.state.session import Shown

_SNAP_PX = 7.0
# Heights of the elevation and what is below it, widths of ground and frame.
_USUAL = ([275, 305], [330, 390])
_FRAME_LARGE = ([150, 430], [180, 540])


class BoardArea(QWidget):
    """Elevation above; ground and frame below.

    Signals
    -------
    picked(int), surface_picked(int)
        Which mark or surface was clicked.
    pointed(direction), lined(direction, direction)
        The photograph's tools were used in the frame drawing: unit directions in the world.
    tool_changed(str)
    rehearsed_wanted(bool)
        The switch of the rehearsed picture.
    """

    picked = pyqtSignal(int)
    surface_picked = pyqtSignal(int)
    pointed = pyqtSignal(object)
    lined = pyqtSignal(object, object)
    tool_changed = pyqtSignal(str)
    rehearsed_wanted = pyqtSignal(bool)

    def __init__(self, document: PlanDocument) -> None:
        super().__init__()
        self._document = document
        self.elevation, self.ground, self.frame = ElevationBoard(), GroundBoard(), FrameBoard()
        self.boards: tuple[Board, ...] = (self.elevation, self.ground, self.frame)
        self._shown: Shown | None = None
        self._held: Shown | None = None
        below = QSplitter(Qt.Orientation.Horizontal)
        below.addWidget(self.ground)
        below.addWidget(self.frame)
        below.setSizes(_USUAL[1])
        whole = QSplitter(Qt.Orientation.Vertical)
        whole.addWidget(self.elevation)
        whole.addWidget(below)
        whole.setSizes(_USUAL[0])
        self._splitters = (whole, below)
        self._enlarged = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(whole)
        for board in self.boards:
            board.dragged.connect(lambda *args, board=board: self._on_drag(board, *args))
            board.picked.connect(self.picked)
            board.surface_picked.connect(self.surface_picked)
            board.nudged.connect(lambda dx, dy, board=board: self._on_nudge(board, dx, dy))
            board.put_down.connect(lambda: self.set_tool(""))
            board.canvas.lined.connect(lambda *ends, board=board: self._on_line(board, ends))
        self.frame.canvas.pointed.connect(self._on_point)
        self.picture_button = QPushButton(self.tr("Picture"))
        self.picture_button.setCheckable(True)
        self.picture_button.setToolTip(self.tr("The rehearsed picture that this method would give (Ctrl+J)"))
        self.picture_button.toggled.connect(self.rehearsed_wanted)
        self.frame.put_beside_title(self.picture_button)
        self.tool = ""
        self.snaps = False
        self.system = "metric"

    def show_courses(self, courses: tuple[Course, ...]) -> None:
        """Draw where Sun and Moon go over the ground and the frame; nothing for none."""
        for board in (self.ground, self.frame):
            board.show_courses(courses)

    def apply_theme(self, theme: Theme) -> None:
        """Take on a theme's colours."""
        for board in self.boards:
            board.apply_theme(theme)

    def show_scene(self, shown: Shown | None) -> None:
        """Draw this on all three."""
        self._shown = shown
        for board in self.boards:
            board.show_scene(shown)

    def select(self, index: int) -> None:
        """Mark one as selected."""
        for board in self.boards:
            board.selected = index
            board.redraw()

    def select_surface(self, index: int) -> None:
        """Show one surface as selected; -1 for none."""
        for board in self.boards:
            board.selected_surface = index
            board.redraw()

    def set_system(self, system: str) -> None:
        """Metres, or feet and inches, in the labels."""
        self.system = self.elevation.system = self.ground.system = system
        for board in self.boards:
            board.redraw()

    def enlarge_frame(self, on: bool) -> None:
        """Give the frame drawing most of the room, for work on the photograph; or give it back."""
        if on == self._enlarged:
            return
        self._enlarged = on
        for splitter, sizes in zip(self._splitters, _FRAME_LARGE if on else _USUAL, strict=True):
            splitter.setSizes(sizes)
        self.fit()

    def set_field(self, on: bool) -> None:
        """Show the softness of every place, or not."""
        for board in self.boards:
            board.field = on
            board.redraw()

    def set_tool(self, tool: str) -> None:
        """Take up "measure", or "point" or "line" on the photograph; "" puts it down."""
        self.tool = tool
        for board in self.boards:
            on_photo = board is self.frame and tool in ("point", "line")
            board.canvas.set_tool("line" if tool == "measure" else tool if on_photo else "")
        if tool in ("point", "line"):
            self.frame.canvas.setFocus()
        self.tool_changed.emit(tool)

    def zoom_to_selection(self) -> None:
        """Zoom all to the selected mark."""
        for board in self.boards:
            board.zoom_to(board.selected)

    def _direction(self, across: float, up: float) -> np.ndarray:
        """The world's direction of a place of the frame drawing."""
        assert self._shown is not None
        return self.frame.direction(self._shown, np.array([across, up]))

    def _on_point(self, across: float, up: float) -> None:
        if self._shown is not None:
            self.pointed.emit(self._direction(across, up))

    def _on_line(self, board: Board, ends: tuple[float, float, float, float]) -> None:
        if self._shown is None:
            return
        if self.tool == "line":
            self.lined.emit(self._direction(*ends[:2]), self._direction(*ends[2:]))
            return
        places = [self._near_mark(board, *ends[:2]), self._near_mark(board, *ends[2:])]
        marks = [k for k in places if k is not None]
        if len(marks) == 2:
            first, second = (self._shown.scene.world_m[k] for k in marks)
            words = format_length(float(np.linalg.norm(second - first)), self.system)
            names = self._shown.scene.names
            board.canvas.say_at_line(self.tr("{0} to {1}: {2}").format(names[marks[0]], names[marks[1]], words))
        elif isinstance(board, SideBoard):
            apart = math.hypot(ends[2] - ends[0], ends[3] - ends[1])
            board.canvas.say_at_line(self.tr("{0} in this drawing").format(format_length(apart, self.system)))
        else:
            first, second = self._direction(*ends[:2]), self._direction(*ends[2:])
            angle = math.degrees(math.atan2(float(np.linalg.norm(np.cross(first, second))), float(first @ second)))
            board.canvas.say_at_line(self.tr("{0:.2f}° from the camera").format(angle))

    def _near_mark(self, board: Board, across: float, up: float) -> int | None:
        """The mark at a place of a drawing, if there is one."""
        at = board.window_place(across, up)
        found = board.canvas.marks.nearest(at.x(), at.y(), 14.0)
        return found if found >= 0 else None

    def fit(self) -> None:
        """Zoom all to what is worth seeing."""
        for board in self.boards:
            board.fit()

    def _on_drag(self, board: Board, handle: Handle, across: float, up: float, finished: bool) -> None:
        if self._shown is None:
            return
        # The whole drag is reckoned from what stood when it began, so that it ends where the hand is.
        if self._held is None:
            self._held = self._shown
        plan = self._dragged_plan(board, handle, across, up)
        if finished:
            self._held = None
        if plan is None:
            if finished:
                self._document.preview(self._document.plan)
            return
        if finished:
            self._document.change(plan, self._drag_words(handle))
        else:
            self._document.preview(plan)

    def _drag_words(self, handle: Handle) -> str:
        if handle.kind == "mark":
            return self.tr("move of {0}").format(self._document.plan.marks[handle.number].name)
        if handle.kind == "surface":
            return self.tr("move of {0}").format(self._document.plan.surfaces[handle.number].name)
        return self.tr("move of the focus") if handle.kind == "focus" else self.tr("turn of the plane")

    def _dragged_plan(self, board: Board, handle: Handle, across: float, up: float) -> Plan | None:
        plan, shown = self._document.plan, self._held
        if shown is None:
            return None
        if handle.kind == "mark":
            if handle.number >= len(plan.marks):
                return None
            mark = plan.marks[handle.number]
            old = np.array([mark.x_m, mark.y_m, mark.z_m])
            world = self._dragged_to(board, shown, old, np.array([across, up]))
            return None if world is None else _moved(plan, handle.number, self._snapped(board, handle.number, world))
        if handle.kind == "surface":
            if handle.number >= len(plan.surfaces):
                return None
            surface = plan.surfaces[handle.number]
            old = np.array([surface.x_m, surface.y_m, surface.z_m])
            world = self._dragged_to(board, shown, old, np.array([across, up]))
            return (
                None if world is None else _moved(plan, handle.number, self._snapped(board, -1, world), with_surface)
            )
        exposure = shown.exposure
        if exposure is None or shown.candidate is None or not isinstance(board, SideBoard):
            return None
        place = board.section(shown).lift(np.array([across, up]))
        if not board.upright:
            place = place + np.array([0.0, float(exposure.position_m[1]), 0.0])
        point = (place - exposure.position_m) @ exposure.pose.matrix.T * 1000.0
        if handle.kind == "focus":
            setting = with_focus_at(exposure, float(point[2]))
        else:
            setting = with_plane_through(exposure, point, upright=board.upright)
        return with_choice(plan, method=shown.candidate.key, manual=setting)

    def _snapped(self, board: Board, index: int, world: np.ndarray) -> np.ndarray:
        """A place drawn to the ground and in line with other marks, within a few pixels; where that is wanted."""
        if not self.snaps or not isinstance(board, SideBoard):
            return world
        reach = _SNAP_PX * max(board.canvas.view.unit_per_px)
        others = [(m.x_m, m.y_m, m.z_m) for k, m in enumerate(self._document.plan.marks) if k != index]
        found = world.copy()
        for axis in range(3):
            lines = [place[axis] for place in others] + ([0.0] if axis == 1 else [])
            near = min(lines, key=lambda line: abs(line - world[axis]), default=math.inf)
            if abs(near - world[axis]) <= reach:
                found[axis] = near
        return found

    def _dragged_to(self, board: Board, shown: Shown, old: np.ndarray, place: np.ndarray) -> np.ndarray | None:
        """A place of the world moved to a place of a drawing."""
        if isinstance(board, SideBoard):
            section = board.section(shown)
            step = place - section.place(old)
            moved: np.ndarray = old + step[0] * section.across + step[1] * section.up
            return moved
        return self.frame.moved_to(shown, old, place)

    def _on_nudge(self, board: Board, dx: float, dy: float) -> None:
        marks = self._document.plan.marks
        if self._shown is None or not 0 <= board.selected < len(marks):
            return
        mark = marks[board.selected]
        world = np.array([[mark.x_m, mark.y_m, mark.z_m]])
        if isinstance(board, SideBoard):
            place = board.section(self._shown).place(world)[0]
        else:
            place = self.frame.places_of(self._shown, world)[0]
        moved = self._dragged_to(board, self._shown, world[0], place + np.array([dx, dy]))
        plan = _moved(self._document.plan, board.selected, moved) if moved is not None else None
        if plan is not None:
            self._document.change(plan, self.tr("move of {0}").format(mark.name))


def _moved(plan: Plan, index: int, world_m: np.ndarray, change: Callable[..., Plan] = with_mark) -> Plan | None:
    """The plan with a mark, or what `change` changes, elsewhere, to the mm; None for an impossible place."""
    if not all(math.isfinite(float(value)) for value in world_m):
        return None
    x, y, z = (round(float(value), 3) for value in world_m)
    try:
        return change(plan, index, x_m=x, y_m=y, z_m=z)
    except ValidationError:
        return None
