"""The three drawings together: what is drawn, and what a drag in one of them means for the plan."""

from __future__ import annotations

import math

import numpy as np
from pydantic import ValidationError
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from verispect.plan.by_hand import with_focus_at, with_plane_through
from verispect.plan.document import Plan
from verispect.ui.document import PlanDocument, with_choice, with_mark
from verispect.ui.drawings.board import Board, Handle
from verispect.ui.drawings.frame import FrameBoard
from verispect.ui.drawings.shown import Shown
from verispect.ui.drawings.side import ElevationBoard, GroundBoard, SideBoard
from verispect.ui.theme import Theme


class BoardArea(QWidget):
    """Elevation above; ground and frame below. `picked(int)` says which mark was clicked."""

    picked = pyqtSignal(int)

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
        below.setSizes([330, 390])
        whole = QSplitter(Qt.Orientation.Vertical)
        whole.addWidget(self.elevation)
        whole.addWidget(below)
        whole.setSizes([275, 305])
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(whole)
        for board in self.boards:
            board.dragged.connect(lambda *args, board=board: self._on_drag(board, *args))
            board.picked.connect(self.picked)
            board.nudged.connect(lambda dx, dy, board=board: self._on_nudge(board, dx, dy))

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

    def set_system(self, system: str) -> None:
        """Metres, or feet and inches, in the labels."""
        self.elevation.system = self.ground.system = system
        for board in self.boards:
            board.redraw()

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
        return self.tr("move of the focus") if handle.kind == "focus" else self.tr("turn of the plane")

    def _dragged_plan(self, board: Board, handle: Handle, across: float, up: float) -> Plan | None:
        plan, shown = self._document.plan, self._held
        if handle.kind == "mark":
            if handle.number >= len(plan.marks):
                return None
            world = self._dragged_mark(board, shown, handle.number, np.array([across, up]))
            return _moved(plan, handle.number, world) if world is not None else None
        exposure = shown.exposure
        if exposure is None or not isinstance(board, SideBoard):
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

    def _dragged_mark(self, board: Board, shown: Shown, index: int, place: np.ndarray) -> np.ndarray | None:
        mark = self._document.plan.marks[index]
        old = np.array([mark.x_m, mark.y_m, mark.z_m])
        if isinstance(board, SideBoard):
            section = board.section(shown)
            step = place - section.place(old)
            return old + step[0] * section.across + step[1] * section.up
        pose = shown.scene.pose
        depth = float(pose.to_camera_mm(old)[2])
        if depth <= 0.0:
            return None
        tangents = place / self.frame.scale(shown) + shown.scene.picture_centre()
        return pose.to_world_m(np.array([tangents[0], tangents[1], 1.0]) * depth)

    def _on_nudge(self, board: Board, dx: float, dy: float) -> None:
        marks = self._document.plan.marks
        if self._shown is None or not 0 <= board.selected < len(marks):
            return
        mark = marks[board.selected]
        world = np.array([[mark.x_m, mark.y_m, mark.z_m]])
        if isinstance(board, SideBoard):
            place = board.section(self._shown).place(world)[0]
        else:
            seen = self._shown.scene.pose.to_camera_mm(world)[0]
            place = (seen[:2] / seen[2] - self._shown.scene.picture_centre()) * self.frame.scale(self._shown)
        moved = self._dragged_mark(board, self._shown, board.selected, place + np.array([dx, dy]))
        plan = _moved(self._document.plan, board.selected, moved) if moved is not None else None
        if plan is not None:
            self._document.change(plan, self.tr("move of {0}").format(mark.name))


def _moved(plan: Plan, index: int, world_m: np.ndarray) -> Plan | None:
    """The plan with a mark elsewhere, to the mm, as a tape can set it; None for an impossible place."""
    if not all(math.isfinite(float(value)) for value in world_m):
        return None
    x, y, z = (round(float(value), 3) for value in world_m)
    try:
        return with_mark(plan, index, x_m=x, y_m=y, z_m=z)
    except ValidationError:
        return None
