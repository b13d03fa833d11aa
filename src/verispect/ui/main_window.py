"""The window: the way, the board, a station's panel and the strip, round one open plan."""

from __future__ import annotations

from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSettings, QTimer
from PyQt6.QtGui import QAction, QCloseEvent
from PyQt6.QtWidgets import QHBoxLayout, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from verispect.errors import VerispectError
from verispect.files.recovery import RecoveryStore
from verispect.plan.by_hand import worked_by_hand
from verispect.plan.candidate import Candidate
from verispect.plan.document import Plan
from verispect.plan.scene import Scene, check_before_lens, same_scene, unchecked_scene
from verispect.ui.actions import build_menus
from verispect.ui.board_area import BoardArea
from verispect.ui.document import PlanDocument, with_choice
from verispect.ui.drawings.shown import Shown, look_again
from verispect.ui.file_desk import FileDesk
from verispect.ui.marks_desk import MarksDesk
from verispect.ui.message_bar import MessageBar
from verispect.ui.panels.later import LaterPanel
from verispect.ui.panels.setting import SetPanel
from verispect.ui.panels.subject import SubjectPanel
from verispect.ui.photograph_desk import PhotographDesk
from verispect.ui.scan_desk import ScanDesk
from verispect.ui.strip import Strip
from verispect.ui.theme import THEMES, style_sheet
from verispect.ui.way import StationState, Way
from verispect.ui.weigher import Weigher
from verispect.ui.words import say_error

if TYPE_CHECKING:
    from verispect.plan.further import Further
    from verispect.plan.weigh import Weighing
    from verispect.ui.panels.kit import KitPanel
    from verispect.ui.panels.weigh import WeighPanel

PANEL_WIDTH = 490


class MainWindow(QMainWindow):
    """Everything on screen. Views show the document; the document changes through commands."""

    def __init__(self, settings: QSettings, recovery: RecoveryStore) -> None:
        super().__init__()
        self.settings = settings
        self.undo_actions: tuple[QAction | None, ...] = ()
        self.document = PlanDocument(self)
        self.weigher = Weigher(self)
        self.weighing: Weighing | None = None
        # The very plan that was weighed; what comes back from the weigher holds a copy.
        self._weighed_plan: Plan | None = None
        self.complaint = ""
        self._shown: Shown | None = None
        self._frame = 0
        self.system = str(settings.value("lengths", "metric"))
        self.theme = THEMES.get(str(settings.value("theme", "light")), THEMES["light"])
        self.message = MessageBar()
        self.marks_desk = MarksDesk(self, self.document)
        self.desk = FileDesk(self, self.document, settings, recovery)
        self.scan_desk = ScanDesk(self, self.document)
        self.photograph_desk = PhotographDesk(self, self.document)
        # Before there is anything to restyle: what is not shown yet is styled when it is.
        self.setStyleSheet(style_sheet(self.theme))
        self._build()
        build_menus(self)
        self._connect()
        self.apply_theme(self.theme.name)
        self.set_system(self.system)
        self.resize(1280, 800)
        self.show_station("subject")
        self._refit = True

    # Building --------------------------------------------------------------------------------------

    def _build(self) -> None:
        self.way, self.strip = Way(), Strip()
        self.board = BoardArea(self.document)
        self.subject = SubjectPanel(self.document)
        self.set = SetPanel(lambda: self.system)
        self.panels: dict[str, QWidget] = {
            "subject": self.subject,
            # Built when first wanted: the window opens sooner without them.
            "kit": QWidget(),
            "weigh": QWidget(),
            "set": self.set,
            **{key: LaterPanel(key) for key in ("shoot", "prove", "keep")},
        }
        self.stack = QStackedWidget()
        self.stack.setObjectName("panel")
        self.stack.setFixedWidth(PANEL_WIDTH)
        for panel in self.panels.values():
            panel.setObjectName("panel")
            self.stack.addWidget(panel)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.way)
        middle.addWidget(self.stack)
        middle.addWidget(self.board, 1)
        whole = QWidget()
        layout = QVBoxLayout(whole)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.message)
        layout.addLayout(middle, 1)
        layout.addWidget(self.strip)
        self.setCentralWidget(whole)

    @cached_property
    def kit(self) -> KitPanel:
        """The kit's panel."""
        from verispect.ui.panels.kit import KitPanel

        panel = KitPanel(self.document, lambda: self.system)
        self._put("kit", panel)
        panel.refresh()
        return panel

    @cached_property
    def weigh(self) -> WeighPanel:
        """The weighing's panel."""
        from verispect.ui.panels.weigh import WeighPanel

        panel = WeighPanel(self.document, lambda: self.system)
        panel.advised_wanted.connect(lambda: self.take_method(None))
        panel.method_wanted.connect(self.take_method)
        panel.apply_theme(self.theme)
        self._put("weigh", panel)
        panel.refresh()
        if self.weighing is not None or self.complaint:
            panel.show_weighing(self.weighing, self.complaint)
        return panel

    def _put(self, key: str, panel: QWidget) -> None:
        """A panel in the place that was kept for it."""
        kept = self.panels[key]
        panel.setObjectName("panel")
        place, in_front = self.stack.indexOf(kept), self.stack.currentWidget() is kept
        self.stack.insertWidget(place, panel)
        self.stack.removeWidget(kept)
        kept.deleteLater()
        self.panels[key] = panel
        if in_front:
            self.stack.setCurrentWidget(panel)

    def _connect(self) -> None:
        document = self.document
        document.changed.connect(self._on_changed)
        document.previewed.connect(self._on_previewed)
        document.replaced.connect(self._on_replaced)
        # While a command is carried out the stack still tells its old state; these come after.
        document.undo_stack.cleanChanged.connect(lambda _clean: self._show_title())
        document.undo_stack.indexChanged.connect(lambda _index: self.desk.mark_changed())
        self.weigher.weighed.connect(self._on_weighed)
        self.weigher.failed.connect(self._on_failed)
        self.weigher.further.connect(self._on_further)
        self.weigher.busy.connect(lambda share: self.strip.set_stale(share < 1.0))
        self.way.went.connect(self.show_station)
        self.strip.chosen.connect(self.take_method)
        self.board.picked.connect(self.select_mark)
        self.board.surface_picked.connect(self.select_surface)
        self.subject.surface_selected.connect(self.board.select_surface)
        self.subject.scan_wanted.connect(self.scan_desk.read)
        self.subject.photograph_wanted.connect(self.photograph_desk.open)
        self.subject.tool_wanted.connect(self.board.set_tool)
        self.subject.page_shown.connect(lambda _key: self._make_room())
        self.photograph_desk.shown.connect(self._make_room)
        self.scan_desk.brought.connect(self._on_scan)
        self.board.pointed.connect(lambda direction: self.subject.photograph.on_point(direction))
        self.board.lined.connect(lambda first, second: self.subject.photograph.on_line(first, second))
        self.board.tool_changed.connect(self._on_tool)
        self.subject.selected.connect(self.select_mark)
        self.set.frame_picked.connect(self._on_frame)
        self.set.best_wanted.connect(lambda: self.take_method(self.document.plan.choice.method))
        self.set.sheet_wanted.connect(self.desk.save_sheet)
        self.set.table_wanted.connect(self.desk.save_table)

    # What is shown ---------------------------------------------------------------------------------

    @property
    def shown(self) -> Shown | None:
        """What is on the board."""
        return self._shown

    def show_station(self, key: str) -> None:
        """Bring a station's panel to the front."""
        if key in ("kit", "weigh"):
            getattr(self, key)
        self.stack.setCurrentWidget(self.panels[key])
        self.way.show_station(key)
        if key == "subject" and self.subject.currentIndex() == 0:
            self.subject.table.setFocus()
        if key != "subject":
            self.board.set_tool("")
        self._make_room()

    def _make_room(self) -> None:
        """A large frame drawing while one works on the photograph."""
        on_photo = self.stack.currentWidget() is self.subject and self.subject.page() == "photograph"
        self.board.enlarge_frame(on_photo and self.document.plan.photograph is not None)

    def station(self) -> str:
        """The key of the station in front."""
        current = self.stack.currentWidget()
        return next(key for key, panel in self.panels.items() if panel is current)

    def take_method(self, key: str | None) -> None:
        """Take a method (None: the advised one) with its best numbers."""
        self._frame = 0
        self.document.change(with_choice(self.document.plan, method=key), self.tr("choice of method"))
        self._refresh_board()

    def add_mark(self) -> None:
        """A new mark, in the table where it can be typed over."""
        self.show_station("subject")
        self.subject.add_mark()

    def select_mark(self, index: int) -> None:
        """Select a mark in the table and all drawings."""
        self.subject.table.select_mark(index)
        self.board.select(index)

    def select_surface(self, index: int) -> None:
        """Bring a surface's form to the front and mark it in all drawings."""
        self.show_station("subject")
        self.subject.show_page("areas")
        self.subject.areas.list.setCurrentRow(index)

    def apply_theme(self, name: str) -> None:
        """Light or dusk."""
        self.theme = THEMES[name]
        self.settings.setValue("theme", name)
        sheet = style_sheet(self.theme)
        if self.styleSheet() != sheet:
            self.setStyleSheet(sheet)
        for view in (self.way, self.strip, self.board):
            view.apply_theme(self.theme)
        if "weigh" in self.__dict__:
            self.weigh.apply_theme(self.theme)

    def set_system(self, system: str) -> None:
        """Metres or feet and inches everywhere."""
        self.system = system
        self.settings.setValue("lengths", system)
        self.subject.model.show_lengths(system)
        self.board.set_system(system)
        self.subject.refresh()
        self.subject.catch.write_lengths_anew()
        if "kit" in self.__dict__:
            self.kit.refresh()
        self._refresh_set()

    def _scene(self) -> Scene:
        """The scene to draw: of the last weighing where that is still true, so that nothing is done twice."""
        plan = self.document.shown
        if self.weighing is not None and self._weighed_plan is plan:
            return self.weighing.scene
        return unchecked_scene(plan) if self._shown is None else same_scene(self._shown.scene, plan)

    def _candidate(self, scene: Scene) -> tuple[Candidate | None, bool]:
        """The method to draw, and whether it was moved by hand."""
        choice = self.document.shown.choice
        if choice.manual is not None and scene.names and scene.plan.kit.lenses:
            try:
                check_before_lens(scene)
            except VerispectError:
                return None, False
            by_hand = worked_by_hand(scene, choice.manual)
            if by_hand is not None:
                return by_hand, True
        if self.weighing is None:
            return None, False
        key = choice.method if choice.method in self.strip.cells else self.weighing.advised
        return (self.weighing.by_key(key) if key else None), False

    def _refresh_board(self) -> None:
        """Draw the plan as shown; quick, for every step of a drag."""
        scene = self._scene()
        candidate, by_hand = self._candidate(scene)
        self._shown = look_again(scene, candidate, self._frame, by_hand=by_hand)
        self.board.show_scene(None if self._shown.is_empty else self._shown)
        if self._refit and not self._shown.is_empty and self.isVisible():
            self._refit = False
            self.board.fit()

    def _refresh_set(self) -> None:
        self.set.show_scene(self._shown, self.complaint)

    def _shown_key(self) -> str | None:
        if self._shown is not None and self._shown.candidate is not None:
            return self._shown.candidate.key
        return self.document.shown.choice.method

    # Answers to the document and the weigher ----------------------------------------------------------

    def _on_replaced(self) -> None:
        self.weighing, self.complaint, self._frame, self._refit = None, "", 0, True
        self.message.hide()

    def _on_changed(self) -> None:
        self._refresh_board()
        self.weigher.request(self.document.plan, at_once=True)
        self._refresh_set()
        self._show_title()
        self._show_states()

    def _on_previewed(self) -> None:
        self._refresh_board()
        self.weigher.request(self.document.shown)

    def _on_weighed(self, weighing: Weighing, plan: Plan) -> None:
        self.weighing, self._weighed_plan, self.complaint = weighing, plan, ""
        self._refresh_board()
        self.strip.show_weighing(weighing, self._shown_key())
        if plan is self.document.plan:
            self.weigh.show_weighing(weighing, "")
            self._refresh_set()
            self._show_states()

    def _on_further(self, found: Further, plan: Plan) -> None:
        if plan is self.document.plan and self._weighed_plan is plan:
            self.weigh.show_further(found)

    def _on_failed(self, complaint: str) -> None:
        self.weighing, self.complaint = None, complaint
        self._refresh_board()
        self.strip.show_weighing(None, self._shown_key())
        self.weigh.show_weighing(None, complaint)
        self._refresh_set()
        self._show_states()

    def _on_frame(self, frame: int) -> None:
        self._frame = frame
        self._refresh_board()
        QTimer.singleShot(0, self._refresh_set)

    def _on_scan(self) -> None:
        self.show_station("subject")
        self.subject.show_page("areas")
        self.subject.areas.select_last_scan()

    def _on_tool(self, tool: str) -> None:
        if "photograph" in self.subject.__dict__:
            self.subject.photograph.show_tool(tool)

    def _show_title(self) -> None:
        document = self.document
        name = document.path.name if document.path else document.plan.title or self.tr("Untitled plan")
        if document.read_only:
            name += " " + self.tr("(read only)")
        self.setWindowTitle(f"{name}[*] · Verispect")
        self.setWindowModified(not document.undo_stack.isClean())

    def _show_states(self) -> None:
        plan, weighing = self.document.plan, self.weighing
        later = StationState("later", self.tr("not built yet"))
        states = {"shoot": later, "prove": later, "keep": later}
        marks, lenses = len(plan.marks), len(plan.kit.lenses)
        areas = len(plan.surfaces) + len(plan.scans)
        of_areas = self.tr("1 area") if areas == 1 else self.tr("{0} areas").format(areas)
        of_marks = self.tr("1 mark") if marks == 1 else self.tr("{0} marks").format(marks)
        words = ", ".join([of_marks] * bool(marks) + [of_areas] * bool(areas))
        there = marks or areas
        states["subject"] = StationState("done" if there else "missing", words if there else self.tr("no marks yet"))
        states["kit"] = StationState(
            "done" if lenses else "missing",
            (self.tr("1 lens") if lenses == 1 else self.tr("{0} lenses").format(lenses))
            if lenses
            else self.tr("no lens yet"),
        )
        current = weighing is not None and self._weighed_plan is plan
        if weighing is None:
            words, kind = (self.tr("cannot weigh") if self.complaint else self.tr("working")), "missing"
        else:
            kind = "done" if current else "stale"
            holding = sum(candidate.holds for candidate in weighing.candidates)
            words = self.tr("{0} of {1} hold").format(holding, len(weighing.candidates))
        states["weigh"] = StationState(kind, words)
        chosen = self._shown is not None and self._shown.candidate is not None
        fits = chosen and self._shown.candidate.fits
        taken = self.tr("taken") if plan.choice.method else self.tr("as advised")
        if self._shown is not None and self._shown.by_hand:
            taken = self.tr("moved by hand")
        states["set"] = StationState(("done" if current else "stale") if fits else "missing", taken if fits else "")
        self.way.show_states(states)

    def showEvent(self, event) -> None:
        super().showEvent(event)
        if self._refit:
            QTimer.singleShot(0, self._refresh_board)
        QTimer.singleShot(30, self.weigher.release)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.desk.may_leave():
            event.ignore()
            return
        self.weigher.close()
        self.desk.close()
        # The stack speaks once more when Qt takes it down, after what would listen is gone.
        self.document.undo_stack.cleanChanged.disconnect()
        self.document.undo_stack.indexChanged.disconnect()
        event.accept()

    def report(self, error: VerispectError | str) -> None:
        """Say a sentence above the board."""
        self.message.say(error if isinstance(error, str) else say_error(error))

    def open_path(self, path: Path) -> None:
        """Open a plan at once."""
        self.desk.open_path(path)
