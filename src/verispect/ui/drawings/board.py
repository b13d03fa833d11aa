"""What the three drawings share: a title, a canvas, handles that a hand can take, the keyboard."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QPainter
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from verispect.optics.types import Floats
from verispect.shoot.sky_in_frame import Course
from verispect.ui.controls.theme import Theme
from verispect.ui.drawings import underlay
from verispect.ui.drawings.canvas import Canvas
from verispect.ui.drawings.marks_layer import DrawnMarks
from verispect.ui.drawings.scene_view import scan_places
from verispect.ui.drawings.strokes import Stroke
from verispect.ui.drawings.view import Box
from verispect.ui.state.session import Shown

_GRAB_PX = 13.0
_NUDGE_PX = 4.0


class Handle(NamedTuple):
    """Something that can be dragged: `kind` and `number` tell what, the place is in the drawing's units."""

    kind: str
    number: int
    across: float
    up: float


class Drawn(NamedTuple):
    """Lines and areas of a drawing, its grips with their signs, and words in it."""

    strokes: list[Stroke]
    grips: list[Handle]
    top: list[Stroke]
    words: list[tuple[float, float, str]]


class Board(QWidget):
    """A titled drawing.

    Signals
    -------
    dragged(Handle, across, up, finished)
    picked(int), surface_picked(int)
        A mark, or the grip of a surface, was clicked or taken in hand.
    nudged(dx, dy)
        An arrow key asks to move the selected mark, in the drawing's units.
    put_down
        Escape asks to put a tool down.
    """

    dragged = pyqtSignal(object, float, float, bool)
    picked = pyqtSignal(int)
    surface_picked = pyqtSignal(int)
    nudged = pyqtSignal(float, float)
    put_down = pyqtSignal()

    def __init__(self, title: str, *, name: str, across: str, up: str) -> None:
        super().__init__()
        self.title = QLabel(title)
        self.title.setContentsMargins(6, 3, 6, 0)
        # A narrow drawing cuts its title rather than stay wide for it.
        self.title.setMinimumWidth(1)
        self.canvas = Canvas()
        self.canvas.setAccessibleName(name)
        self.canvas.names = (across, up)
        self.canvas.thing_at = self._thing_at
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self._head = QHBoxLayout()
        self._head.setSpacing(4)
        self._head.addWidget(self.title, 1)
        layout.addLayout(self._head)
        layout.addWidget(self.canvas, 1)
        self._grips: list[Handle] = []
        self._marks: DrawnMarks | None = None
        self._theme: Theme | None = None
        self._key: object = None
        # Kept alive with its key, or another one might get the same identity.
        self._drawn_of: Shown | None = None
        self.shown: Shown | None = None
        self.selected = self.selected_surface = -1
        # Whether the softness of every place is shown as a field.
        self.field = False
        self.courses: tuple[Course, ...] = ()
        self._dots_key: tuple[object, ...] | None = None
        self._dots: list[underlay.Counts] = []
        self.canvas.range_changed.connect(self.redraw)
        self.canvas.held.connect(self._on_held)
        self.canvas.clicked.connect(self._on_clicked)
        self.canvas.key_pressed.connect(self._on_key)

    def put_beside_title(self, widget: QWidget) -> None:
        """A small control at the drawing's head."""
        self._head.addWidget(widget)

    # What a kind of drawing says for itself ---------------------------------------------------------

    def draw(self, shown: Shown, theme: Theme) -> Drawn:
        """Everything but the marks."""
        raise NotImplementedError

    def drawn_from(self, shown: Shown) -> object:
        """What `draw` depends on beside view and theme: while this stays, it is not asked again."""
        raise NotImplementedError

    def draw_underlay(self, shown: Shown, theme: Theme) -> QImage | None:
        """What lies under the lines; asked again when `draw` is."""
        raise NotImplementedError

    def dots_of_scans(
        self, shown: Shown, place: Callable[[Floats], Floats], seen_as: object
    ) -> list[underlay.Counts]:
        """How many points of each scan fall on each pixel; kept while scans, view and `seen_as` stay."""
        plan, view = shown.scene.plan, self.canvas.view
        # The scans themselves are kept with the key, or others might get the same identity.
        key = (plan.scans, view, seen_as)
        if self._dots_key is None or self._dots_key[0] is not key[0] or self._dots_key[1:] != key[1:]:
            self._dots_key = key
            self._dots = [underlay.heaped(view, place(scan_places(cloud))) for cloud in plan.scans]
        return self._dots

    def draw_courses(self, _shown: Shown, _theme: Theme) -> tuple[list[Stroke], list[tuple[float, float, str]]]:
        """Where Sun and Moon go; nothing in a drawing that has no place for it."""
        return [], []

    def draw_marks(self, shown: Shown) -> DrawnMarks:
        """The marks."""
        raise NotImplementedError

    def extent(self, shown: Shown) -> Box:
        """Left, right, bottom, top of what is worth seeing."""
        raise NotImplementedError

    # Shared ----------------------------------------------------------------------------------------

    def apply_theme(self, theme: Theme) -> None:
        """Take on a theme's colours."""
        self._theme = theme
        self.canvas.set_theme(theme)
        self.redraw()

    def show_courses(self, courses: tuple[Course, ...]) -> None:
        """Draw where Sun and Moon go; nothing of it for none."""
        self.courses = courses
        self.redraw()

    def show_scene(self, shown: Shown | None) -> None:
        """Draw this, keeping pan and zoom."""
        self.shown = shown
        self.redraw()

    def redraw(self) -> None:
        """Set everything anew from what is shown, leaving alone what has not changed."""
        if self._theme is None:
            return
        if self.shown is None:
            self._grips, self._marks, self._key = [], None, None
            self.canvas.set_strokes([], [], [])
            self.canvas.set_underlay(None)
            self.canvas.set_marks(None)
            return
        key = (
            self.drawn_from(self.shown), self.canvas.view, self._theme.name, self.field, self.selected_surface,
            id(self.courses),
        )  # fmt: skip
        if key != self._key:
            drawn = self.draw(self.shown, self._theme)
            strokes, words = self.draw_courses(self.shown, self._theme) if self.courses else ([], [])
            self._grips, self._key, self._drawn_of = drawn.grips, key, self.shown
            self.canvas.set_strokes(drawn.strokes + strokes, drawn.top, drawn.words + words)
            self.canvas.set_underlay(self.draw_underlay(self.shown, self._theme))
        self._marks = self.draw_marks(self.shown)
        self.canvas.set_marks(self._marks)

    def fit(self) -> None:
        """Zoom to what is worth seeing."""
        if self.shown is not None:
            self.canvas.set_range(self.extent(self.shown), padding=0.04)

    def zoom_to(self, index: int) -> None:
        """Zoom to one mark and what lies about it."""
        if self._marks is None or not 0 <= index < len(self._marks.places) or self.shown is None:
            return
        x, y = self.draw_marks(self.shown).places[index].tolist()
        left, right, bottom, top = self.extent(self.shown)
        half = 0.12 * (right - left), 0.12 * (top - bottom)
        self.canvas.set_range((x - half[0], x + half[0], y - half[1], y + half[1]))

    def visible(self) -> Box:
        """Left, right, bottom, top of what is seen."""
        return self.canvas.view.box

    def handles(self) -> list[Handle]:
        """All that can be dragged now."""
        if self._marks is None:
            return list(self._grips)
        places = self._marks.places.tolist()
        marks = [Handle("mark", k, *place) for k, place in enumerate(places) if k not in self._marks.beyond]
        return self._grips + marks

    def window_place(self, across: float, up: float) -> QPointF:
        """A drawing place in pixels of the canvas."""
        left, _, _, bottom = self.canvas.view.area
        box, unit = self.canvas.view.box, self.canvas.view.unit_per_px
        return QPointF(left + (across - box[0]) / unit[0], bottom - (up - box[2]) / unit[1])

    def paint_on_paper(self, painter: QPainter) -> None:
        """The drawing as lines and letters, in pixels of the canvas."""
        self.canvas.paint_on_paper(painter)

    def _thing_at(self, x: float, y: float) -> Handle | None:
        """What is under the pointer; the nearest where there are several."""
        if not self.canvas.view.holds_px(x, y):
            return None
        best, reach = None, _GRAB_PX
        for grip in self._grips:
            apart = (self.window_place(grip.across, grip.up) - QPointF(x, y)).manhattanLength()
            if apart < reach:
                best, reach = grip, apart
        near = self.canvas.marks.nearest(x, y, reach)
        if near >= 0 and self._marks is not None:
            best = Handle("mark", near, *self._marks.places[near].tolist())
        return best

    def _on_held(self, handle: Handle, x: float, y: float, finished: bool) -> None:
        if handle.kind == "mark" and self.selected != handle.number:
            self.picked.emit(handle.number)
        elif handle.kind == "surface" and self.selected_surface != handle.number:
            self.surface_picked.emit(handle.number)
        self.dragged.emit(handle, *self.canvas.view.from_px(x, y), finished)

    def _on_clicked(self, handle: Handle) -> None:
        if handle.kind == "mark":
            self.picked.emit(handle.number)
        elif handle.kind == "surface":
            self.surface_picked.emit(handle.number)

    def _on_key(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
        }
        step = next((step for key, step in steps.items() if event.key() == key), None)
        if step is not None and self.selected >= 0:
            dx, dy = step
            across, up = self.canvas.view.unit_per_px
            times = _NUDGE_PX * (5.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0)
            self.nudged.emit(dx * across * times, dy * up * times)
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.canvas.zoom(0.8)
        elif event.key() == Qt.Key.Key_Minus:
            self.canvas.zoom(1.25)
        elif event.key() == Qt.Key.Key_Escape and self.canvas.tool:
            self.put_down.emit()
        else:
            event.ignore()
