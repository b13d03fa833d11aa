"""The window: the way, the board, a station's panel and the strip, round one open plan."""

from __future__ import annotations

from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSettings, QTimer
from PyQt6.QtGui import QCloseEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from verispect.errors import VerispectError
from verispect.files.recovery import RecoveryStore
from verispect.kit.standards import Standards
from verispect.plan.document import BodyBracket, GridPath, Order, Plan, ShotsEach
from verispect.plan.methods.candidate import Candidate
from verispect.shoot.run import RunState
from verispect.ui.controls.message_bar import MessageBar
from verispect.ui.controls.theme import THEMES, style_sheet
from verispect.ui.drawings.picture_view import PicturePair
from verispect.ui.drawings.three_views import BoardArea
from verispect.ui.panels.setting import SetPanel
from verispect.ui.panels.stations.shoot import ShootPanel
from verispect.ui.panels.subject import SubjectPanel
from verispect.ui.state.notices import Notices
from verispect.ui.state.plan_document import PlanDocument, with_choice
from verispect.ui.state.preferences import Preferences
from verispect.ui.state.session import Session, Shown
from verispect.ui.window.menus import Menued, build_menus
from verispect.ui.window.method_strip import Strip
from verispect.ui.window.pages import Pages, opening
from verispect.ui.window.station_bar import Way
from verispect.ui.window.station_states import station_states
from verispect.ui.work.hands import keep_one_ready
from verispect.ui.work.weigher import Weigher
from verispect.ui.workflows.mark_files import MarksDesk
from verispect.ui.workflows.photographs import PhotographDesk
from verispect.ui.workflows.plan_files import FileDesk
from verispect.ui.workflows.preview import PreviewDesk
from verispect.ui.workflows.scans import ScanDesk
from verispect.ui.workflows.shooting import ShootDesk

if TYPE_CHECKING:
    from verispect.plan.advise.follow_up import Further
    from verispect.plan.advise.weigh import Weighing
    from verispect.ui.panels.kit import KitPanel
    from verispect.ui.panels.weigh import WeighPanel
    from verispect.ui.workflows.cards import CardDesk
    from verispect.ui.workflows.keeping import KeepDesk
    from verispect.ui.workflows.light import LightDesk
    from verispect.ui.workflows.proving import ProveDesk


_READY_MS = 400


class MainWindow(QMainWindow):
    """Everything on screen. Views show the document; the document changes through commands."""

    def __init__(self, settings: QSettings, recovery: RecoveryStore, book_path: Path | None = None) -> None:
        super().__init__()
        self.book_path = book_path
        self.preferences = Preferences(settings)
        self.document = PlanDocument(self)
        self.weigher = Weigher(self)
        self.session, self.notices = Session(), Notices(self)
        self.theme = THEMES.get(self.preferences.theme, THEMES["light"])
        self.message = MessageBar()
        self.board, self.pictures = BoardArea(self.document), PicturePair()
        self.marks_desk = MarksDesk(self, self.document, self.notices)
        self.desk = FileDesk(self, self.document, self.session, self.notices, self.preferences, recovery, self.board)
        self.scan_desk = ScanDesk(self, self.document, self.notices, self.preferences)
        self.photograph_desk = PhotographDesk(self, self.document, self.notices, self.board.frame, self.preferences)
        # Before there is anything to restyle: what is not shown yet is styled when it is.
        self.setStyleSheet(style_sheet(self.theme))
        self._build()
        self.shoot_desk = ShootDesk(
            self, self.shoot_panel, self.document, self.session, self.notices, self.preferences,
            self.preferences.folder / "runs",
        )  # fmt: skip
        self.preview = PreviewDesk(self, self.session, self.board.frame)
        # PyQt hands undo and redo to their maker to keep: without a name of their own they would be gone at once.
        self.undo_actions = build_menus(self._menued())
        self._connect()
        self.apply_theme(self.theme.name)
        self.set_system(self.preferences.system)
        self.resize(1280, 800)
        self.show_station("subject")
        self._refit = True

    def _menued(self) -> Menued:
        return Menued(
            bearer=self, document=self.document, preferences=self.preferences, files=self.desk, marks=self.marks_desk,
            photographs=self.photograph_desk, scans=self.scan_desk, subject=self.subject, board=self.board,
            theme_name=self.theme.name, say=self.message.say, add_mark=self.add_mark, show_station=self.show_station,
            take_method=self.take_method, apply_theme=self.apply_theme, set_system=self.set_system,
        )  # fmt: skip

    # Building --------------------------------------------------------------------------------------

    def _build(self) -> None:
        self.way, self.strip = Way(), Strip()
        self.shoot_panel = ShootPanel()
        self.subject = SubjectPanel(self.document)
        self.set = SetPanel(lambda: self.preferences.system)
        self.stack = Pages({
            "subject": self.subject,
            # Built when first wanted: the window opens sooner without them.
            "kit": opening(self.tr("Opening the kit…")),
            "weigh": opening(self.tr("Opening the weighing…")),
            "set": self.set,
            "shoot": self.shoot_panel,
            "prove": opening(self.tr("Opening the check…")),
            "keep": opening(self.tr("Opening the logbook…")),
        })  # fmt: skip
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.way)
        middle.addWidget(self.stack)
        # The drawings, or at Prove the pictures.
        self.right = QStackedWidget()
        self.right.addWidget(self.board)
        self.right.addWidget(self.pictures)
        middle.addWidget(self.right, 1)
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
        from verispect.ui.workflows.trials import TrialDesk

        panel = KitPanel(self.document, lambda: self.preferences.system)
        self._put("kit", panel)
        panel.refresh()
        self.trial_desk = TrialDesk(self, panel, self.document, self.notices)
        return panel

    @cached_property
    def weigh(self) -> WeighPanel:
        """The weighing's panel."""
        from verispect.ui.panels.weigh import WeighPanel
        from verispect.ui.workflows.loupe import LoupeDesk

        panel = WeighPanel(self.document, lambda: self.preferences.system)
        panel.advised_wanted.connect(lambda: self.take_method(None))
        panel.method_wanted.connect(self.take_method)
        panel.apply_theme(self.theme)
        self.loupe_desk = LoupeDesk(self, panel.beside, self.notices)
        self._put("weigh", panel)
        panel.refresh()
        if self.session.weighing is not None or self.session.complaint:
            panel.show_weighing(self.session.weighing, self.session.complaint)
        return panel

    @cached_property
    def light_desk(self) -> LightDesk:
        """What the page of the light asks for."""
        from verispect.ui.workflows.light import LightDesk

        return LightDesk(self, self.subject.light, self.board, self.document, self.notices)

    @cached_property
    def prove_desk(self) -> ProveDesk:
        """The station Prove, with its panel."""
        from verispect.prove.parting.kept_by_hand import KeptByHand
        from verispect.ui.panels.stations.prove import ProvePanel
        from verispect.ui.workflows.at_prove.ranging import RangingDesk
        from verispect.ui.workflows.proving import ProveDesk

        panel = ProvePanel(lambda: self.preferences.system)
        self._put("prove", panel)
        desk = ProveDesk(
            self, panel, self.pictures, self.session, self.notices, lambda: self.photograph_desk.at_hand,
            KeptByHand(self.preferences.folder / "by-hand"), lambda: self.document.plan,
        )  # fmt: skip
        desk.scanned.connect(self.scan_desk.read_own)
        desk.card_named.connect(self._check_card)
        desk.proved.connect(lambda *proved: self.keep_desk.jobs.log_proof(*proved))
        desk.proved.connect(lambda *_given: self._show_states())
        self.ranging_desk = RangingDesk(panel, desk, self.document, self.notices)
        return desk

    @cached_property
    def card_desk(self) -> CardDesk:
        """Looks out for cameras' cards."""
        from verispect.ui.workflows.cards import CardDesk

        return CardDesk(self, self.notices, self._check_files)

    def _check_card(self, root: Path) -> None:
        """What was taken last onto a card; of an empty one the check says so."""
        self.card_desk.ask(root, lambda found: self.prove_desk.check(*((root,) if found is None else found[:2])))

    def _check_files(self, folder: Path, files: tuple[Path, ...]) -> None:
        self.show_station("prove")
        self.prove_desk.check(folder, files)

    @cached_property
    def keep_desk(self) -> KeepDesk:
        """The station Keep, with its panel."""
        from verispect.ui.panels.stations.keep import KeepPanel
        from verispect.ui.workflows.keeping import KeepDesk

        panel = KeepPanel()
        self._put("keep", panel)
        desk = KeepDesk(self, panel, self.document, self.notices, self.book_path)
        desk.apply_theme(self.theme)
        desk.opened.connect(self._on_job_opened)
        desk.refresh()
        return desk

    def _put(self, key: str, panel: QWidget) -> None:
        self.stack.put(key, panel, after=list(self.way.buttons.values())[-1])

    def _connect(self) -> None:
        document = self.document
        self.notices.said.connect(self.message.say)
        self.desk.saved.connect(self._show_title)
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
        self.subject.light_built.connect(lambda: self.light_desk)
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
        self.set.path_wanted.connect(self._on_grid_path)
        self.set.standards_wanted.connect(self._on_standards)
        self.set.shots_wanted.connect(self._on_shots)
        self.set.order_wanted.connect(self._on_order)
        self.set.bracket_wanted.connect(self._on_bracket)
        self.set.sheet_wanted.connect(self.desk.save_sheet)
        self.set.table_wanted.connect(self.desk.save_table)
        self.shoot_desk.ended.connect(self._on_run_ended)
        self.shoot_desk.changed.connect(self._show_states)
        self.board.rehearsed_wanted.connect(self.preview.set_on)

    # What is shown ---------------------------------------------------------------------------------

    @property
    def shown(self) -> Shown | None:
        """What is on the board."""
        return self.session.shown

    @property
    def weighing(self) -> Weighing | None:
        """The last weighing."""
        return self.session.weighing

    def show_station(self, key: str) -> None:
        """Bring a station's panel to the front."""
        self.stack.show_page(key)
        late = {"kit": "kit", "weigh": "weigh", "prove": "prove_desk", "keep": "keep_desk"}.get(key)
        if late is not None and late not in self.__dict__:
            # The page changes at once, and fills when it is built.
            QTimer.singleShot(0, lambda: getattr(self, late))
        elif key == "keep":
            self.keep_desk.refresh()
        elif key == "shoot":
            self.shoot_desk.refresh()
        self.right.setCurrentWidget(self.pictures if key == "prove" else self.board)
        self.preview.set_here(key in ("weigh", "set", "shoot"))
        self.way.show_station(key)
        if key in ("shoot", "prove"):
            # What is asked for there then begins at once.
            QTimer.singleShot(_READY_MS, keep_one_ready)
        if key == "subject" and self.subject.currentIndex() == 0:
            self.subject.table.setFocus()
        if key != "subject":
            self.board.set_tool("")
        self._make_room()

    def _make_room(self) -> None:
        """A large frame drawing while one works on the photograph."""
        on_photo = self.stack.currentWidget() is self.subject and self.subject.page() == "photograph"
        self.board.enlarge_frame(on_photo and self.document.plan.photograph is not None)

    @property
    def panels(self) -> dict[str, QWidget]:
        """The pages of the stations, by their keys."""
        return self.stack.pages

    def station(self) -> str:
        """The key of the station in front."""
        return self.stack.key()

    def take_method(self, key: str | None) -> None:
        """Take a method (None: the advised one) with its best numbers."""
        self.session.frame = 0
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
        self.preferences.theme = name
        sheet = style_sheet(self.theme)
        if self.styleSheet() != sheet:
            self.setStyleSheet(sheet)
        for view in (self.way, self.strip, self.board, self.pictures):
            view.apply_theme(self.theme)
        self.set.apply_theme(self.theme)
        if "weigh" in self.__dict__:
            self.weigh.apply_theme(self.theme)
        if "keep_desk" in self.__dict__:
            self.keep_desk.apply_theme(self.theme)

    def set_system(self, system: str) -> None:
        """Metres or feet and inches everywhere."""
        self.preferences.system = system
        self.subject.model.show_lengths(system)
        self.board.set_system(system)
        self.subject.refresh()
        self.subject.catch.write_lengths_anew()
        if "kit" in self.__dict__:
            self.kit.refresh()
        self._refresh_set()

    def _refresh_board(self) -> None:
        """Draw the plan as shown; quick, for every step of a drag."""
        shown = self.session.look(self.document.shown)
        self.board.show_scene(None if shown.is_empty else shown)
        self.preview.refresh()
        if self._refit and not shown.is_empty and self.isVisible():
            self._refit = False
            self.board.fit()

    def _refresh_set(self) -> None:
        self.set.show_scene(self.session.shown, self.document.plan.choice, self.session.complaint)
        self.shoot_desk.refresh()

    def _shown_key(self) -> str | None:
        return self.session.shown_key(self.document.shown)

    # Answers to the document and the weigher ----------------------------------------------------------

    def _on_replaced(self) -> None:
        self.session.forget()
        self._refit = True
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
        self.session.take(weighing, plan)
        self._refresh_board()
        self.strip.show_weighing(weighing, self._shown_key())
        if plan is self.document.plan:
            self.weigh.show_weighing(weighing, "")
            self._refresh_set()
            self._show_states()

    def _on_further(self, found: Further, plan: Plan) -> None:
        if plan is self.document.plan and self.session.is_current(plan):
            self.weigh.show_further(found)

    def _on_failed(self, complaint: str) -> None:
        self.session.refuse(complaint)
        self._refresh_board()
        self.strip.show_weighing(None, self._shown_key(), complaint)
        self.weigh.show_weighing(None, complaint)
        self._refresh_set()
        self._show_states()

    def _on_frame(self, frame: int) -> None:
        self.session.frame = frame
        self._refresh_board()
        QTimer.singleShot(0, self._refresh_set)

    def _on_grid_path(self, path: GridPath) -> None:
        self._choose(self.tr("the way through the grid"), "grid_path", path)

    def _on_standards(self, standards: Standards) -> None:
        self._choose(self.tr("the standard that tilts"), "standards", standards)

    def _on_shots(self, shots: ShotsEach) -> None:
        # What was set by hand is taken so often, whatever it is.
        self._choose(self.tr("the shots of each frame"), "shots", shots, keeps_manual=True)

    def _on_order(self, order: Order) -> None:
        self._choose(self.tr("the order of the frames"), "order", order, keeps_manual=True)

    def _on_bracket(self, bracket: BodyBracket | None) -> None:
        # The method stays in view, though with this bracket it may no longer be the advised one.
        choice, key = self.document.plan.choice, self._shown_key()
        self.document.update(
            self.tr("who focuses"),
            choice=choice.model_copy(update={"bracket": bracket, "method": key, "manual": None}),
        )

    def _choose(self, words: str, part: str, value: object, *, keeps_manual: bool = False) -> None:
        """How the method is done; what was set by hand was set for another way, unless it keeps."""
        choice = self.document.plan.choice
        if value != getattr(choice, part):
            kept = choice.manual if keeps_manual else None
            self.document.update(words, choice=choice.model_copy(update={part: value, "manual": kept}))

    def _on_scan(self) -> None:
        self.show_station("subject")
        self.subject.show_page("areas")
        self.subject.areas.select_last_scan()

    def _on_run_ended(self, state: RunState, candidate: Candidate) -> None:
        self.keep_desk.jobs.log_run(state, candidate)
        self.show_station("prove")
        if any(item.file for item in state.items):
            QTimer.singleShot(0, lambda: self.prove_desk.check(self.shoot_desk.frames_folder))

    def _on_job_opened(self, plan: Plan) -> None:
        if self.desk.may_leave():
            self.document.open(plan, None)
            self.show_station("subject")

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
        proof = self.prove_desk.report if "prove_desk" in self.__dict__ else None
        self.way.show_states(station_states(self.document.plan, self.session, self.shoot_desk.last_run, proof))

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._refit:
            QTimer.singleShot(0, self._refresh_board)
        QTimer.singleShot(30, self.weigher.release)

    def closeEvent(self, event: QCloseEvent) -> None:
        proved = self.__dict__.get("prove_desk")
        if not self.desk.may_leave() or (proved is not None and not proved.may_leave()):
            event.ignore()
            return
        self.weigher.close()
        self.desk.close()
        self.shoot_desk.close()
        self.preview.close()
        if "kit" in self.__dict__:
            self.trial_desk.close()
        for late in ("prove_desk", "keep_desk", "light_desk", "loupe_desk", "card_desk"):
            if late in self.__dict__:
                getattr(self, late).close()
        # The stack speaks once more when Qt takes it down, after what would listen is gone.
        self.document.undo_stack.cleanChanged.disconnect()
        self.document.undo_stack.indexChanged.disconnect()
        event.accept()

    def report(self, error: VerispectError | str) -> None:
        """Say a sentence above the board."""
        self.notices.report(error)

    def open_path(self, path: Path) -> None:
        """Open a plan at once."""
        self.desk.open_path(path)
