"""Shoot: the frame list as a run, one frame at a time, in figures that can be read at arm's length."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from verispect.ui.controls.theme import font


class ShootPanel(QWidget):
    """Checks before the first frame, then the run.

    Signals
    -------
    begin_wanted, done_wanted, again_wanted, insert_wanted, simulated_wanted, end_wanted
    pause_wanted(bool)
    repeat_wanted(int)
        A frame of the list is to be taken again.
    noted(str)
    check_added, check_removed(str)
        A check of the user's own.
    check_hidden(int)
        One of the program's own, by its place among the checks.
    checks_shown
        All of the program's own again.
    drive_wanted(str)
        A rig is to take what is left: the port of its controller, empty for a simulated one.
    stop_wanted
    """

    begin_wanted = pyqtSignal()
    done_wanted = pyqtSignal()
    again_wanted = pyqtSignal()
    insert_wanted = pyqtSignal()
    simulated_wanted = pyqtSignal()
    end_wanted = pyqtSignal()
    pause_wanted = pyqtSignal(bool)
    repeat_wanted = pyqtSignal(int)
    noted = pyqtSignal(str)
    check_added = pyqtSignal(str)
    check_removed = pyqtSignal(str)
    check_hidden = pyqtSignal(int)
    checks_shown = pyqtSignal()
    drive_wanted = pyqtSignal(str)
    stop_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.stack = QStackedWidget()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 14, 10)
        layout.addWidget(self.stack)
        self.stack.addWidget(self._before())
        self.stack.addWidget(self._running())

    # Before ----------------------------------------------------------------------------------------

    def _before(self) -> QWidget:
        page = QWidget()
        layout = QVBoxLayout(page)
        layout.setContentsMargins(0, 0, 0, 0)
        self.heading = QLabel()
        self.heading.setFont(font(15.0, 600))
        self.heading.setWordWrap(True)
        self.heading.setTextFormat(Qt.TextFormat.PlainText)
        layout.addWidget(self.heading)
        self.light = QLabel()
        self.light.setWordWrap(True)
        self.light.setProperty("quiet", True)
        layout.addWidget(self.light)
        title = QLabel(self.tr("Before the first frame"))
        title.setProperty("quiet", True)
        layout.addWidget(title)
        self._ticks_area = QScrollArea()
        self._ticks_area.setWidgetResizable(True)
        self._ticks_area.setFrameShape(QFrame.Shape.NoFrame)
        layout.addWidget(self._ticks_area, 1)
        self.ticks: list[QCheckBox] = []
        own = QHBoxLayout()
        self.own_check = QLineEdit()
        self.own_check.setPlaceholderText(self.tr("A check of your own, kept in the plan"))
        self.own_check.setAccessibleName(self.tr("A check of your own"))
        self.own_check.setMaxLength(200)
        self.own_button = QPushButton(self.tr("&Add check"))
        self.own_button.clicked.connect(self._add_own)
        self.own_check.returnPressed.connect(self._add_own)
        own.addWidget(self.own_check, 1)
        own.addWidget(self.own_button)
        self.show_all_button = QPushButton()
        self.show_all_button.clicked.connect(self.checks_shown)
        self.show_all_button.hide()
        own.addWidget(self.show_all_button)
        layout.addLayout(own)
        self.begin_button = QPushButton(self.tr("&Begin the run"))
        self.begin_button.setProperty("tall", True)
        self.begin_button.clicked.connect(self.begin_wanted)
        layout.addWidget(self.begin_button)
        return page

    def _add_own(self) -> None:
        text = self.own_check.text().strip()
        if text:
            self.own_check.clear()
            self.check_added.emit(text)

    def show_checks(
        self,
        heading: str,
        light: str,
        checks: Sequence[str],
        *,
        ready: bool,
        resumes: bool,
        over: bool = False,
        own: Sequence[str] = (),
        hidden: int = 0,
    ) -> None:
        """What to look at before the first frame; ticks stay with what they tick.

        Parameters
        ----------
        checks : sequence of str
            All of them, the user's own last.
        resumes, over : bool
            Whether there is a run of this plan, and whether it has come to its end.
        own : sequence of str
            The user's own as the plan has them, which can be taken out again.
        hidden : int
            How many of the program's own the plan hides.
        """
        self.heading.setText(heading)
        self.light.setText(light)
        self.light.setVisible(bool(light))
        self.begin_button.setEnabled(ready)
        go_on = self.tr("&Begin it once more, beside the last") if over else self.tr("&Go on with the run")
        self.begin_button.setText(go_on if resumes else self.tr("&Begin the run"))
        self.show_all_button.setVisible(hidden > 0)
        self.show_all_button.setText(self.tr("Show the {0} that are hidden").format(hidden))
        if [str(tick.property("line")) for tick in self.ticks] == list(checks):
            return
        ticked = {str(tick.property("line")) for tick in self.ticks if tick.isChecked()}
        inner = QWidget()
        inside = QVBoxLayout(inner)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(2)
        self.ticks = []
        for number, line in enumerate(checks):
            row = QHBoxLayout()
            tick = QCheckBox()
            tick.setProperty("line", line)
            tick.setAccessibleName(line)
            tick.setChecked(line in ticked)
            label = QLabel(line)
            label.setWordWrap(True)
            label.setBuddy(tick)
            row.addWidget(tick)
            row.addWidget(label, 1)
            mine = number - (len(checks) - len(own))
            if mine >= 0:
                out = QPushButton(self.tr("Remove"))
                out.setAccessibleName(self.tr("Remove {0}").format(own[mine]))
                out.clicked.connect(lambda _on, text=own[mine]: self.check_removed.emit(text))
                row.addWidget(out)
            else:
                hide = QPushButton(self.tr("Hide"))
                hide.setAccessibleName(self.tr("Hide {0}").format(line))
                hide.setProperty("quiet", True)
                hide.clicked.connect(lambda _on, number=number: self.check_hidden.emit(number))
                row.addWidget(hide)
            inside.addLayout(row)
            self.ticks.append(tick)
        inside.addStretch(1)
        self._ticks_area.setWidget(inner)

    # Running ---------------------------------------------------------------------------------------

    def _running(self) -> QWidget:
        page = QWidget()
        layout = QVBoxLayout(page)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        self.place = QLabel()
        self.place.setFont(font(24.0, 600))
        layout.addWidget(self.place)
        self._figures = QGridLayout()
        self._figures.setHorizontalSpacing(16)
        self._figures.setVerticalSpacing(0)
        layout.addLayout(self._figures)
        self.wait = QLabel()
        self.wait.setFont(font(15.0))
        self.wait.setWordWrap(True)
        layout.addWidget(self.wait)
        buttons = QGridLayout()
        self.done_button = QPushButton(self.tr("&Done"))
        self.again_button = QPushButton(self.tr("&Again"))
        self.insert_button = QPushButton(self.tr("&Insert one"))
        self.pause_button = QPushButton(self.tr("&Pause"))
        self.pause_button.setCheckable(True)
        self.simulated_button = QPushButton(self.tr("&Take it with the simulated camera"))
        for button in (self.done_button, self.again_button, self.insert_button, self.pause_button):
            button.setProperty("tall", True)
            button.setFont(font(13.0, 600))
        self.simulated_button.setProperty("tall", True)
        buttons.addWidget(self.done_button, 0, 0, 1, 3)
        buttons.addWidget(self.again_button, 1, 0)
        buttons.addWidget(self.insert_button, 1, 1)
        buttons.addWidget(self.pause_button, 1, 2)
        buttons.addWidget(self.simulated_button, 2, 0, 1, 2)
        self.rig_button = QPushButton(self.tr("By a &rig"))
        self.rig_button.setCheckable(True)
        self._rig_there = False
        self.rig_button.setProperty("tall", True)
        self.rig_button.toggled.connect(lambda _on: self._show_ways(driving=False))
        buttons.addWidget(self.rig_button, 2, 2)
        buttons.addWidget(self._rig(), 3, 0, 1, 3)
        layout.addLayout(buttons)
        self.cues_box = QCheckBox(self.tr("A s&ound when it is time"))
        layout.addWidget(self.cues_box)
        self.note = QLineEdit()
        self.note.setPlaceholderText(self.tr("A word about this frame (doubt, wind, a passer-by)"))
        self.note.setAccessibleName(self.tr("Note about this frame"))
        self.note.editingFinished.connect(lambda: self.noted.emit(self.note.text()))
        layout.addWidget(self.note)
        self.list = QListWidget()
        self.list.setAccessibleName(self.tr("Frames of the run"))
        self.list.itemActivated.connect(lambda item: self.repeat_wanted.emit(self.list.row(item)))
        self.list.setToolTip(self.tr("Return or a double click takes a frame again"))
        layout.addWidget(self.list, 1)
        self.elapsed = QLabel()
        self.elapsed.setWordWrap(True)
        self.elapsed.setProperty("quiet", True)
        layout.addWidget(self.elapsed)
        self.end_button = QPushButton(self.tr("&End the run and go to Prove"))
        self.end_button.clicked.connect(self.end_wanted)
        layout.addWidget(self.end_button)
        self.show_driving(False)
        self.done_button.clicked.connect(self.done_wanted)
        self.again_button.clicked.connect(self.again_wanted)
        self.insert_button.clicked.connect(self.insert_wanted)
        self.pause_button.clicked.connect(self.pause_wanted)
        self.simulated_button.clicked.connect(self.simulated_wanted)
        return page

    def _rig(self) -> QWidget:
        """What lets a rig take the frames: only once somebody has looked; and what stops it."""
        self.rig = QWidget()
        layout = QGridLayout(self.rig)
        layout.setContentsMargins(0, 4, 0, 4)
        title = QLabel(self.tr("The rig takes what is left, frame after frame"))
        self.port = QComboBox()
        self.port.setAccessibleName(self.tr("Controller"))
        self.axis_free = QCheckBox()
        self.axis_free.setAccessibleName(self.tr("The axis is free"))
        self._axis_text = QLabel()
        self._axis_text.setWordWrap(True)
        self._axis_text.setBuddy(self.axis_free)
        self.drive_button = QPushButton(self.tr("&Let it move"))
        self.drive_button.setProperty("tall", True)
        self.drive_button.setEnabled(False)
        self.stop_button = QPushButton(self.tr("Stop the rig (Esc)"))
        self.stop_button.setProperty("tall", True)
        self.stop_button.setFont(font(18.0, 600))
        self.stop_button.setMinimumHeight(110)
        layout.addWidget(title, 0, 0, 1, 2)
        layout.addWidget(self.port, 0, 2)
        layout.addWidget(self.axis_free, 1, 0)
        layout.addWidget(self._axis_text, 1, 1)
        layout.addWidget(self.drive_button, 1, 2)
        layout.addWidget(self.stop_button, 2, 0, 1, 3)
        layout.setColumnStretch(1, 1)
        self.axis_free.toggled.connect(self.drive_button.setEnabled)
        self.drive_button.clicked.connect(lambda: self.drive_wanted.emit(self.port.currentData() or ""))
        # Pressed, not let go: the hand that wants to stop does not wait.
        self.stop_button.pressed.connect(self.stop_wanted)
        self._stop_key = QShortcut(QKeySequence(Qt.Key.Key_Escape), self, context=Qt.ShortcutContext.WindowShortcut)
        self._stop_key.activated.connect(self.stop_wanted)
        return self.rig

    def show_rig(self, ports: Sequence[str], zero: str, *, there: bool) -> None:
        """Whether the method moves anything, over which ports, and where the camera must stand first."""
        self._rig_there = there
        self.rig_button.setVisible(there)
        if not there:
            self.rig_button.setChecked(False)
        self._axis_text.setText(zero)
        known = [self.port.itemData(k) for k in range(self.port.count())]
        if known != ["", *ports]:
            self.port.clear()
            self.port.addItem(self.tr("Simulated rig"), "")
            for port in ports:
                self.port.addItem(port, port)

    def show_driving(self, driving: bool) -> None:
        """While a rig moves there is one thing to press."""
        self._stop_key.setEnabled(driving)
        self.axis_free.setChecked(False)
        for part in (self.end_button, self.list, self.note):
            part.setEnabled(not driving)
        self._show_ways(driving=driving)
        if driving:
            self.stop_button.setFocus()

    def _show_ways(self, *, driving: bool) -> None:
        """By hand, or by a rig; while it moves nothing but its stop."""
        by_rig = driving or self.rig_button.isChecked()
        for part in (
            self.done_button,
            self.again_button,
            self.insert_button,
            self.pause_button,
            self.simulated_button,
        ):
            part.setVisible(not by_rig)
        self.rig.setVisible(by_rig)
        self.rig_button.setVisible(self._rig_there and not driving)
        self.stop_button.setVisible(driving)
        for part_of_rig in (self.port, self.axis_free, self._axis_text, self.drive_button):
            part_of_rig.setVisible(not driving)

    def show_running(self, running: bool) -> None:
        """The run, or what is before it."""
        self.stack.setCurrentIndex(1 if running else 0)

    def show_frame(self, place: str, figures: Sequence[tuple[str, str, bool]], *, over: bool, paused: bool) -> None:
        """The frame to be taken now.

        Parameters
        ----------
        figures : sequence of (str, str, bool)
            What, how much, and whether it changed since the last frame.
        """
        self.place.setText(place)
        while self._figures.count():
            item = self._figures.takeAt(0)
            widget = None if item is None else item.widget()
            if widget is not None:
                # Gone at once: what is deleted later still shows until then.
                widget.hide()
                widget.deleteLater()
        for number, (what, value, changed) in enumerate(figures):
            row, column = divmod(number, 3)
            name = QLabel(self.tr("{0} · changed").format(what) if changed else what)
            name.setProperty("quiet", not changed)
            figure = QLabel(value)
            figure.setFont(font(24.0, 600 if changed else 400))
            figure.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            self._figures.addWidget(name, 2 * row, column)
            self._figures.addWidget(figure, 2 * row + 1, column)
        for button in (self.done_button, self.insert_button, self.simulated_button):
            button.setEnabled(not over and not paused)
        self.pause_button.setChecked(paused)
        self.pause_button.setText(self.tr("&Go on") if paused else self.tr("&Pause"))
        self.pause_button.setEnabled(not over)

    def show_list(self, lines: Sequence[str], current: int) -> None:
        """Every frame of the run with how it stands."""
        if [self.list.item(k).text() for k in range(self.list.count())] != list(lines):
            self.list.clear()
            for line in lines:
                self.list.addItem(QListWidgetItem(line))
        if 0 <= current < self.list.count():
            self.list.setCurrentRow(current)
