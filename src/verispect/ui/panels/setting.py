"""Set: the numbers of the chosen method, frame by frame, each with its why."""

from __future__ import annotations

import html
from collections.abc import Callable

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QTabWidget,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from verispect.kit.standards import Standards
from verispect.plan.document import MOST_STEPS, BodyBracket, Choice, GridPath, Order, ShotsEach
from verispect.plan.explain.frame_table import frame_rows, in_work_order, shown_columns
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.refine.own_bracket import by_focus_alone, unit_of
from verispect.sentence import Sentence, capital
from verispect.ui.controls.lengths import written
from verispect.ui.controls.theme import Theme
from verispect.ui.controls.translate import heading, say
from verispect.ui.drawings.diagrams.exposure_diagram import ExposureDiagram
from verispect.ui.drawings.diagrams.movement_diagram import MovementDiagram
from verispect.ui.panels.check_loop import CheckLoopPage
from verispect.ui.state.session import Shown

_MANY_COLUMNS = 8
# Steps of exposure between the shots of one frame that are offered, stops; 0: none.
_LEAST_STILL = 5
_APART_STOPS = (0.0, 0.7, 1.0, 1.3, 2.0, 3.0)
_ROW_PX, _SHORT_PX, _FEW_ROWS, _ANY_PX = 28, 60, 7, 16_777_215


class SetPanel(QWidget):
    """The frame list, the reasons for its numbers, and the ways out onto paper.

    Signals
    -------
    frame_picked(int), sheet_wanted, table_wanted, best_wanted
    path_wanted(GridPath)
        The way a grid's places are to be gone through.
    standards_wanted(Standards)
        Which standard of a view camera is to tilt.
    shots_wanted(ShotsEach)
        How often each frame is to be taken.
    order_wanted(Order)
        In which order the frames of one place are to be taken.
    bracket_wanted(BodyBracket or None)
        Whether the body is to bracket the focus by itself, and how.
    """

    frame_picked = pyqtSignal(int)
    sheet_wanted = pyqtSignal()
    table_wanted = pyqtSignal()
    best_wanted = pyqtSignal()
    path_wanted = pyqtSignal(object)
    standards_wanted = pyqtSignal(object)
    shots_wanted = pyqtSignal(object)
    order_wanted = pyqtSignal(object)
    bracket_wanted = pyqtSignal(object)

    def __init__(self, system: Callable[[], str]) -> None:
        super().__init__()
        self._system = system
        self.heading = QLabel()
        self.heading.setWordWrap(True)
        self.table = QTableWidget()
        self.table.setAccessibleName(self.tr("Frames"))
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setTabKeyNavigation(False)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(_ROW_PX)
        self.table.currentCellChanged.connect(self._on_row)
        self.why = QTextBrowser()
        self.why.setAccessibleName(self.tr("Why these numbers"))
        self.hand = QTextBrowser()
        self.hand.setAccessibleName(self.tr("In the hand"))
        self.pages = QTabWidget()
        self.pages.setDocumentMode(True)
        self.movements = MovementDiagram()
        in_hand = QWidget()
        over = QVBoxLayout(in_hand)
        over.setContentsMargins(0, 4, 0, 0)
        over.setSpacing(2)
        over.addWidget(self.movements)
        over.addWidget(self.hand, 1)
        self.pages.addTab(in_hand, self.tr("In the hand"))
        self.pages.addTab(self.why, self.tr("Why these numbers"))
        self.exposure = ExposureDiagram()
        self.exposure_words = QLabel()
        self.exposure_words.setWordWrap(True)
        exposure = QWidget()
        beside = QVBoxLayout(exposure)
        beside.setContentsMargins(0, 6, 0, 0)
        beside.addWidget(self.exposure, 1)
        beside.addWidget(self.exposure_words)
        self.pages.addTab(exposure, self.tr("Stop and time"))
        self.check_loop = CheckLoopPage()
        self.pages.addTab(self.check_loop, self.tr("Sharp?"))
        self.order = QComboBox()
        self.order.setAccessibleName(self.tr("Order of the frames"))
        for order, words in (
            ("near-far", self.tr("near to far")),
            ("far-near", self.tr("far to near")),
            ("centre-first", self.tr("from the middle, as some bodies merge")),
            ("least-loss", self.tr("so that least is lost")),
        ):
            self.order.addItem(words, order)
        self.order.activated.connect(lambda _index: self.order_wanted.emit(Order(self.order.currentData())))
        self.order_row = QWidget()
        in_row = QHBoxLayout(self.order_row)
        in_row.setContentsMargins(0, 0, 0, 0)
        in_row.addWidget(QLabel(self.tr("Order")))
        in_row.addWidget(self.order, 1)
        self.order_row.hide()
        self.path, self.corner = QComboBox(), QComboBox()
        self.path.setAccessibleName(self.tr("Way through the grid"))
        self.corner.setAccessibleName(self.tr("Corner to begin in"))
        for words, by, back in (
            (self.tr("row by row"), "rows", False),
            (self.tr("rows there and back"), "rows", True),
            (self.tr("column by column"), "columns", False),
            (self.tr("columns there and back"), "columns", True),
        ):
            self.path.addItem(words, f"{by} back" if back else by)
        for corner, words in (
            ("top left", self.tr("from the top left")),
            ("top right", self.tr("from the top right")),
            ("bottom left", self.tr("from the bottom left")),
            ("bottom right", self.tr("from the bottom right")),
        ):
            self.corner.addItem(words, corner)
        for box in (self.path, self.corner):
            box.activated.connect(lambda _index: self._on_path())
        self.path_row = QWidget()
        in_path = QHBoxLayout(self.path_row)
        in_path.setContentsMargins(0, 0, 0, 0)
        in_path.addWidget(QLabel(self.tr("Go through")))
        in_path.addWidget(self.path, 1)
        in_path.addWidget(self.corner, 1)
        self.path_row.hide()
        self.standards = QComboBox()
        self.standards.setAccessibleName(self.tr("Standard that tilts"))
        for standards, words in (
            (Standards.LENS_FIRST, self.tr("the lens, and the back what is beyond it")),
            (Standards.LENS, self.tr("the lens alone")),
            (Standards.BACK, self.tr("the back alone, the camera turned to keep the view")),
            (Standards.BACK_IN_PLACE, self.tr("the back alone, the camera as it stands")),
        ):
            self.standards.addItem(words, standards)
        self.standards.activated.connect(lambda _index: self.standards_wanted.emit(self.standards.currentData()))
        self.standards_row = QWidget()
        in_standards = QHBoxLayout(self.standards_row)
        in_standards.setContentsMargins(0, 0, 0, 0)
        in_standards.addWidget(QLabel(self.tr("Tilt by")))
        in_standards.addWidget(self.standards, 1)
        self.standards_row.hide()
        self.each, self.apart = QSpinBox(), QComboBox()
        self.each.setAccessibleName(self.tr("Shots of each frame"))
        self.each.setRange(1, 50)
        self.each.setSuffix(" ×")
        self.each.setKeyboardTracking(False)
        self.apart.setAccessibleName(self.tr("Steps of exposure between shots"))
        for stops in _APART_STOPS:
            self._add_apart(stops)
        self.needed = QComboBox()
        self.needed.setAccessibleName(self.tr("Frames that are taken several times"))
        self.needed.addItem(self.tr("every frame"), False)
        self.needed.addItem(self.tr("only those a must hangs on"), True)
        self.still = QSpinBox()
        self.still.setAccessibleName(self.tr("How many shots in a hundred find everything still"))
        self.still.setRange(0, 100)
        self.still.setSingleStep(5)
        self.still.setSpecialValueText(self.tr("no wind"))
        self.still.setPrefix(self.tr("still in "))
        self.still.setSuffix(" %")
        self.still.setKeyboardTracking(False)
        for spin in (self.each, self.still):
            spin.valueChanged.connect(lambda _value: self._on_shots())
        for box in (self.apart, self.needed):
            box.activated.connect(lambda _index: self._on_shots())
        self.shots_row = QWidget()
        in_shots = QHBoxLayout(self.shots_row)
        in_shots.setContentsMargins(0, 0, 0, 0)
        in_shots.addWidget(QLabel(self.tr("Take")))
        for widget in (self.each, self.needed, self.apart, self.still):
            in_shots.addWidget(widget, 1)
        self.bracket = QComboBox()
        self.bracket.setAccessibleName(self.tr("Who focuses"))
        for words, by in (
            (self.tr("frame by frame"), ""),
            (self.tr("the body brackets it"), "body"),
            (self.tr("the body brackets and merges"), "merged"),
        ):
            self.bracket.addItem(words, by)
        self.step_number, self.bracket_count = QSpinBox(), QSpinBox()
        self.step_number.setAccessibleName(self.tr("Step number"))
        self.step_number.setRange(0, 10)
        self.step_number.setPrefix(self.tr("number "))
        self.step_number.setSpecialValueText(self.tr("number it needs"))
        self.bracket_count.setAccessibleName(self.tr("Frames of a bracket"))
        # One frame is no bracket: what stands below two leaves the count to the program.
        self.bracket_count.setRange(1, 999)
        self.bracket_count.setSuffix(self.tr(" frames"))
        self.bracket_count.setSpecialValueText(self.tr("count it needs"))
        for spin in (self.step_number, self.bracket_count):
            spin.setKeyboardTracking(False)
            spin.valueChanged.connect(lambda _value: self._on_bracket())
        self.bracket.activated.connect(lambda _index: self._on_bracket())
        self.bracket_row = QWidget()
        in_bracket = QHBoxLayout(self.bracket_row)
        in_bracket.setContentsMargins(0, 0, 0, 0)
        in_bracket.addWidget(QLabel(self.tr("Focus")))
        for widget, share in ((self.bracket, 3), (self.step_number, 2), (self.bracket_count, 2)):
            in_bracket.addWidget(widget, share)
        self.bracket_row.hide()
        # Worked out a moment after the last change, so that a drag is not held up by it.
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(120)
        self._soon.timeout.connect(self._write_hand)
        self._candidate: Candidate | None = None
        self._shown: Shown | None = None
        self._complaint = ""
        self._choice = Choice()
        self.best_button = QPushButton(self.tr("&Back to the best"))
        self.best_button.clicked.connect(self.best_wanted)
        self.sheet_button = QPushButton(self.tr("Field &sheet (PDF)…"))
        self.sheet_button.clicked.connect(self.sheet_wanted)
        self.table_button = QPushButton(self.tr("&Table (CSV)…"))
        self.table_button.clicked.connect(self.table_wanted)
        row = QHBoxLayout()
        for button in (self.sheet_button, self.table_button, self.best_button):
            row.addWidget(button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 8)
        layout.addWidget(self.heading)
        layout.addWidget(self.table, 3)
        layout.addWidget(self.path_row)
        layout.addWidget(self.order_row)
        layout.addWidget(self.bracket_row)
        layout.addWidget(self.standards_row)
        layout.addWidget(self.shots_row)
        layout.addWidget(self.pages, 4)
        layout.addLayout(row)
        self._filling = False

    def apply_theme(self, theme: Theme) -> None:
        """Take on a theme's colours."""
        self.exposure.apply_theme(theme)
        self.movements.apply_theme(theme)

    def _on_path(self) -> None:
        by, _, back = self.path.currentData().partition(" ")
        self.path_wanted.emit(GridPath(by=by, start=self.corner.currentData(), there_and_back=bool(back)))

    def _show_path(self, candidate: Candidate | None) -> None:
        """The way through the grid that is on the board; hidden where there is none to choose."""
        self.path_row.setVisible(candidate is not None and sum(candidate.grid_cells) > 2)
        if candidate is not None:
            path = self._choice.grid_path
            self.path.setCurrentIndex(self.path.findData(f"{path.by} back" if path.there_and_back else path.by))
            self.corner.setCurrentIndex(self.corner.findData(path.start))

    def _show_order(self, candidate: Candidate | None) -> None:
        """The order of the frames of one place; where every place takes one frame there is nothing to order."""
        self.order_row.setVisible(
            candidate is not None
            and candidate.method.merges
            and candidate.frame_count > max(1, sum(candidate.grid_cells))
        )
        if candidate is not None:
            self.order.setCurrentIndex(self.order.findData(self._choice.order.value))

    def _add_apart(self, stops: float) -> None:
        words = self.tr("{0:g} stops apart").format(stops) if stops else self.tr("all alike")
        self.apart.addItem(self.tr("1 stop apart") if stops == 1.0 else words, stops)

    def _on_shots(self) -> None:
        if self._filling:
            return
        still = self.still.value()
        share = max(still, _LEAST_STILL) / 100.0 if still else None
        before = self._choice.shots.still_share
        alike = ShotsEach(
            each=self.each.value(),
            # What is shown rounded stays as it is while something else is changed.
            still_share=before if _percent(before) == still else share,
            needed_only=bool(self.needed.currentData()),
        )
        # What no camera's times reach is brought nearer.
        apart = min(float(self.apart.currentData()), MOST_STEPS / max(alike.count // 2, 1))
        self.shots_wanted.emit(alike.model_copy(update={"apart_stops": apart}))

    def _show_shots(self, candidate: Candidate | None) -> None:
        self.shots_row.setVisible(candidate is not None)
        if candidate is not None:
            shots = self._choice.shots
            self.each.setValue(shots.each)
            # What wind adds stands beside what was asked for.
            self.each.setSuffix(" ×" if shots.count == shots.each else self.tr(" ×, {0} in wind").format(shots.count))
            if self.apart.findData(shots.apart_stops) < 0:
                self._add_apart(shots.apart_stops)
            self.apart.setCurrentIndex(self.apart.findData(shots.apart_stops))
            self.needed.setCurrentIndex(self.needed.findData(shots.needed_only))
            self.still.setValue(_percent(shots.still_share))
            self.apart.setVisible(shots.count > 1)
            self.needed.setVisible(shots.count > 1 and candidate.frame_count > 1)

    def _on_bracket(self) -> None:
        if self._filling:
            return
        by = self.bracket.currentData()
        wanted = None
        if by:
            number, count = self.step_number.value(), self.bracket_count.value()
            wanted = BodyBracket(
                step_number=number or None, count=count if count > 1 else None, merged=by == "merged"
            )
        self.bracket_wanted.emit(wanted)

    def _show_bracket(self, candidate: Candidate | None) -> None:
        """Who focuses; hidden where no place has frames that differ in focus."""
        asked = self._choice.bracket
        can = candidate is not None and (candidate.is_bracketed or by_focus_alone(candidate))
        self.bracket_row.setVisible(can)
        # Without a measured step there is nothing to set.
        measured = can and candidate is not None and unit_of(candidate) is not None
        for spin in (self.step_number, self.bracket_count):
            spin.setVisible(asked is not None and measured)
        self.bracket.setCurrentIndex(
            self.bracket.findData("" if asked is None else "merged" if asked.merged else "body")
        )
        if asked is not None:
            self.step_number.setValue(asked.step_number or 0)
            self.bracket_count.setValue(asked.count or 1)

    def _show_standards(self, candidate: Candidate | None) -> None:
        """Who tilts; hidden where there is no choice."""
        able = candidate is not None and candidate.method.tilts and candidate.scene.plan.kit.body.back_tilt_deg > 0.0
        self.standards_row.setVisible(able)
        if candidate is not None:
            self.standards.setCurrentIndex(self.standards.findData(self._choice.standards))

    def _on_row(self, row: int, _column: int, _old_row: int, _old_column: int) -> None:
        if not self._filling and row >= 0:
            picked = self._candidate.sequence[row] if self._candidate is not None else row
            self.frame_picked.emit(picked)

    def show_scene(self, shown: Shown | None, choice: Choice, complaint: str) -> None:
        """Show the numbers of what is on the board, and what the plan chooses by now, be it worked out or not."""
        self._choice = choice
        candidate = shown.candidate if shown is not None else None
        usable = candidate is not None and shown is not None and bool(candidate.exposures)
        for button in (self.sheet_button, self.table_button):
            button.setEnabled(usable)
        self.best_button.setVisible(shown is not None and shown.by_hand)
        self._shown, self._complaint = shown, complaint
        self._candidate = candidate if usable else None
        # A plan is changed at other stations: what nobody looks at is not worked out.
        if self.isVisible():
            self._show()

    def showEvent(self, event: QShowEvent | None) -> None:
        """What came while nobody looked."""
        super().showEvent(event)
        self._show()

    def _show(self) -> None:
        shown = self._shown
        candidate = shown.candidate if shown is not None else None
        self._filling = True
        self._show_path(self._candidate)
        self._show_order(self._candidate)
        self._show_bracket(self._candidate)
        self._show_standards(candidate)
        self._show_shots(self._candidate)
        self._soon.start()
        if candidate is None or shown is None or not candidate.exposures:
            self.table.setRowCount(0)
            self.why.clear()
            self.heading.setText(self._complaint or self._unfit(candidate))
        else:
            self._fill(candidate, shown)
        self._filling = False

    def _write_hand(self) -> None:
        """What is set by hand, part by part, with the frames in the order asked for; once it is looked at."""
        if not self.isVisible():
            return
        candidate = self._candidate
        if candidate is None:
            self.hand.clear()
            self.exposure.show_region(None)
            self.exposure_words.clear()
            self.movements.show_mount(None)
            self.check_loop.show_candidate(None)
            return
        from verispect.plan.setting.report import settings_of
        from verispect.plan.setting.words import exposure_words, in_words

        settings = settings_of(candidate)
        lens = candidate.lens
        self.movements.show_mount(settings.mount, rotating=lens is not None and lens.tilt_mount == "rotating")
        self.check_loop.show_candidate(candidate)
        self.exposure.show_region(settings.region)
        self.exposure_words.setText(" ".join(capital(say(line)) + "." for line in exposure_words(settings)))
        parts = []
        for title, sentences in in_words(settings):
            lines = "<br>".join(html.escape(capital(say(sentence))) + "." for sentence in sentences)
            parts.append(f"<p>{heading(say(title))}<br>{lines}</p>")
        self.hand.setHtml("".join(parts) or self.tr("Nothing to set beside the table above."))

    def _unfit(self, candidate: Candidate | None) -> str:
        if candidate is None:
            return self.tr("No method is worked out yet.")
        return " ".join(f"{say(reason)}." for reason in candidate.why_not)

    def _fill(self, candidate: Candidate, shown: Shown) -> None:
        # Not needed before the first weighing has come in, when the window has long been painted.
        from verispect.plan.explain.reasons import reasons_for

        name = say(Sentence(candidate.method.name))
        rows = in_work_order(frame_rows(candidate))
        first = rows[0]
        text = f"{heading(name)} · {html.escape(first.lens)} · {first.focal_mm:.4g} mm · f/{first.stop}"
        if shown.by_hand:
            text += " · " + self.tr("moved by hand: softest must at {0:.2f}").format(candidate.worst_softness)
        notes = "".join(f"<br>{html.escape(say(note))}." for note in candidate.notes)
        self.heading.setText(text + notes)
        columns, system = shown_columns(candidate), self._system()
        self.table.setColumnCount(len(columns))
        self.table.setHorizontalHeaderLabels([say(column.title) for column in columns])
        self.table.setRowCount(len(rows))
        # A short list leaves its room to what stands below.
        self.table.setMaximumHeight(_SHORT_PX + _ROW_PX * len(rows) if len(rows) <= _FEW_ROWS else _ANY_PX)
        for line, row in enumerate(rows):
            for place, column in enumerate(columns):
                item = QTableWidgetItem(written(column, row, system))
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(line, place, item)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        if len(columns) > _MANY_COLUMNS:
            # Even columns would be too narrow for some of what they hold.
            header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            header.setSectionResizeMode(len(columns) - 1, QHeaderView.ResizeMode.Stretch)
        self.table.setCurrentCell(candidate.number_of(min(shown.frame, len(rows) - 1)) - 1, 0)
        self.why.setHtml(
            "".join(
                f"<p>{heading(say(reason.what))}<br>{html.escape(say(reason.working))}"
                f"<br><i>{html.escape(say(reason.source))}</i></p>"
                for reason in reasons_for(candidate, shown.frame)
            )
        )


def _percent(share: float | None) -> int:
    """A share as it is shown; 0 for none."""
    return 0 if share is None else round(100.0 * share)
