"""Prove: frames with their verdicts, what was planned against what came out, and what to do now."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QMenu,
    QProgressBar,
    QPushButton,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from verispect.prove.report import Report, surface_words
from verispect.prove.softness.ranging import Ranged
from verispect.quantities import LENGTHS_M
from verispect.ui.controls.translate import say
from verispect.ui.panels.stations.frames_by_set import SIGNS, FramesBySet, dress, fill


class ProvePanel(QWidget):
    """What came of a check.

    Signals
    -------
    folder_wanted, stop_wanted, sorting_wanted, distances_wanted, proposals_wanted, page_wanted, return_wanted,
    retouch_wanted
    dropped(list of Path)
    watch_wanted(bool)
    merge_wanted(bool)
        True for a proof in one pass; a grid is joined.
    mark_wanted(str)
        A mark is to be pointed at in the picture.
    comparing_wanted(list of str)
        Frames to be held against one another; fewer than two: ask which.
    """

    folder_wanted = pyqtSignal()
    stop_wanted = pyqtSignal()
    sorting_wanted = pyqtSignal()
    distances_wanted = pyqtSignal()
    proposals_wanted = pyqtSignal()
    page_wanted = pyqtSignal()
    dropped = pyqtSignal(object)
    watch_wanted = pyqtSignal(bool)
    merge_wanted = pyqtSignal(bool)
    comparing_wanted = pyqtSignal(list)
    return_wanted = pyqtSignal()
    retouch_wanted = pyqtSignal()
    mark_wanted = pyqtSignal(str)

    def __init__(self, system: Callable[[], str]) -> None:
        super().__init__()
        self._system, self._mark_count = system, 0
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 14, 10)
        self.words = QLabel(
            self.tr(
                "No frames yet. Choose the folder they lie in, or drop it here: they are checked against one another "
                "and the plan."
            )
        )
        self.words.setWordWrap(True)
        self.words.setTextFormat(Qt.TextFormat.PlainText)
        layout.addWidget(self.words)
        self.folder_button = QPushButton(self.tr("&Check the frames of a folder…"))
        self.folder_button.clicked.connect(self.folder_wanted)
        layout.addWidget(self.folder_button)
        self.watch_box = QCheckBox(self.tr("Check again as frames &arrive"))
        self.watch_box.toggled.connect(self.watch_wanted)
        self.sets_button = QPushButton(self.tr("&Which set"))
        self.sets_button.setToolTip(
            self.tr(
                "Put the frames chosen in the list into another set, one of their own, or none; or drag them there"
            )
        )
        self._sets_menu = QMenu(self.sets_button)
        self._sets_menu.aboutToShow.connect(lambda: self.frames.fill_menu(self._sets_menu))
        self.sets_button.setMenu(self._sets_menu)
        row = QHBoxLayout()
        row.addWidget(self.watch_box, 1)
        row.addWidget(self.sets_button)
        layout.addLayout(row)
        self.setAcceptDrops(True)
        row = QHBoxLayout()
        self.bar = QProgressBar()
        self.bar.setTextVisible(True)
        self.stop_button = QPushButton(self.tr("&Stop"))
        self.stop_button.clicked.connect(self.stop_wanted)
        row.addWidget(self.bar, 1)
        row.addWidget(self.stop_button)
        self._busy = QWidget()
        self._busy.setLayout(row)
        self._busy.hide()
        layout.addWidget(self._busy)
        self.frames = FramesBySet()
        layout.addWidget(self.frames, 4)
        self.marks = QTableWidget()
        dress(
            self.marks,
            self.tr("Marks"),
            [self.tr("Mark"), self.tr("Verdict"), self.tr("Measured"), self.tr("Planned"), self.tr("Away")],
        )
        self.marks.itemActivated.connect(lambda item: self._ask_for(item.row()))
        layout.addWidget(self.marks, 2)
        self.distances_button = QPushButton(self.tr("Take the &distances found into the plan"))
        self.distances_button.setToolTip(
            self.tr("Each mark goes along its line of sight to where the frames show it sharp, with its ±")
        )
        self.distances_button.clicked.connect(self.distances_wanted)
        self.propose_button = QPushButton(self.tr("Propose &marks"))
        self.propose_button.setToolTip(
            self.tr(
                "The nearest and the farthest place that these frames tell the distance of, and some between, with ±"
            )
        )
        self.propose_button.clicked.connect(self.proposals_wanted)
        ranging = QHBoxLayout()
        ranging.addWidget(self.distances_button, 1)
        ranging.addWidget(self.propose_button)
        layout.addLayout(ranging)
        title = QLabel(self.tr("Do now"))
        title.setProperty("quiet", True)
        layout.addWidget(title)
        self.redo = QListWidget()
        self.redo.setWordWrap(True)
        self.redo.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.redo.setAccessibleName(self.tr("Do now"))
        layout.addWidget(self.redo, 2)
        self.compare_button = QPushButton(self.tr("Si&de by side…"))
        self.compare_button.setToolTip(self.tr("The frames chosen in the list, two to six; else any pictures"))
        self.compare_button.clicked.connect(lambda: self.comparing_wanted.emit(self.frames.chosen_names()))
        self.return_button = QPushButton(self.tr("Stand as &before…"))
        self.return_button.setToolTip(
            self.tr("A frame of before and the same one taken now: how to move and turn the camera back")
        )
        self.return_button.clicked.connect(self.return_wanted)
        self.retouch_button = QPushButton(self.tr("Re&touch…"))
        self.retouch_button.setToolTip(
            self.tr("Parts of what was merged last, taken from one of its frames, such as a thing that moved")
        )
        self.retouch_button.clicked.connect(self.retouch_wanted)
        self.retouch_button.setEnabled(False)
        row = QHBoxLayout()
        row.addWidget(self.compare_button)
        row.addWidget(self.return_button)
        row.addWidget(self.retouch_button)
        layout.addLayout(row)
        row = QHBoxLayout()
        self.proof_button = QPushButton(self.tr("&Merge a proof"))
        self.final_button = QPushButton(self.tr("Merge in &full…"))
        self.proof_button.clicked.connect(lambda: self.merge_wanted.emit(True))
        self.final_button.clicked.connect(lambda: self.merge_wanted.emit(False))
        self.sort_button = QPushButton(self.tr("S&ort into folders…"))
        self.sort_button.setToolTip(
            self.tr("Copies a folder a set, each frame with a sidecar; the originals stay untouched")
        )
        self.sort_button.clicked.connect(self.sorting_wanted)
        self.page_button = QPushButton(self.tr("One &page…"))
        self.page_button.setToolTip(self.tr("What was planned, shot and proved, as a page for whoever asked for it"))
        self.page_button.clicked.connect(self.page_wanted)
        for button in (
            self.proof_button, self.final_button, self.sort_button, self.page_button
        ):  # fmt: skip
            row.addWidget(button)
        layout.addLayout(row)
        self.show_report(None)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Files and folders of this machine may be dropped."""
        data = None if event is None else event.mimeData()
        if event is not None and data is not None and any(url.isLocalFile() for url in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Say what was dropped."""
        data = None if event is None else event.mimeData()
        places = [] if data is None else [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
        if event is not None and places:
            event.acceptProposedAction()
            self.dropped.emit(places)

    def show_busy(self, share: float | None, words: str = "") -> None:
        """Progress, or None when nothing is under way."""
        self._busy.setVisible(share is not None)
        if share is not None:
            self.bar.setValue(round(100 * share))
            self.bar.setFormat(f"{words} %p %")
        self.folder_button.setEnabled(share is None)

    def show_report(self, report: Report | None, *, grid: bool = False) -> None:
        """Take on what came of a check."""
        # The first thing to do on an empty page; then the frames need the room.
        self.folder_button.setProperty("tall", report is None)
        self.folder_button.setStyle(self.folder_button.style())
        for button in (self.sort_button, self.page_button):
            button.setEnabled(report is not None and bool(report.paths))
        self.distances_button.setVisible(report is not None and any(mark.ranged for mark in report.marks))
        self.propose_button.setVisible(report is not None and report.blocks is not None and report.blocks.told > 0)
        for button in (self.proof_button, self.final_button):
            button.setEnabled(report is not None and len(report.frames) > 1)
        self.offer(grid=grid)
        self.frames.show_report(report)
        self.sets_button.setVisible(report is not None and len(report.paths) > 1)
        marks = [] if report is None else report.marks
        self._mark_count = len(marks)
        surfaces = [] if report is None else report.surfaces
        self.marks.setRowCount(len(marks) + len(surfaces))
        for row, mark in enumerate(marks):
            told = "–" if mark.softness is None else f"{mark.softness:.2f} ± {mark.plus_minus or 0:.2f}"
            planned = "–" if mark.planned is None else f"{mark.planned:.2f}"
            verdict = f"{SIGNS[mark.verdict]} {mark.verdict.replace('-', ' ')}"
            fill(self.marks, row, [mark.name, verdict, told, planned, self._away(mark.ranged)], hint=mark.how)
        for row, one in enumerate(surfaces, len(marks)):
            told = "–" if one.softness is None else f"{one.softness:.2f} ± {one.plus_minus or 0:.2f}"
            planned = "–" if one.planned is None else f"{one.planned:.2f}"
            verdict = f"{SIGNS[one.verdict]} {one.verdict.replace('-', ' ')}"
            places = self.tr("{0} of {1} places soft").format(one.soft, one.told) if one.told else "–"
            fill(self.marks, row, [one.name, verdict, told, planned, places], hint=say(surface_words(one)))
        self.redo.clear()
        if report is not None:
            self.redo.addItems(report.redo or [self.tr("Nothing to do again.")])
            self.redo.addItems(report.advice)

    def _ask_for(self, row: int) -> None:
        name = self.marks.item(row, 0)
        # Below the marks stand surfaces, which no place is pointed at for.
        if name is not None and row < self._mark_count:
            self.mark_wanted.emit(name.text())

    def offer(self, *, grid: bool) -> None:
        """Joining frames that lie side by side, or merging those of one view."""
        self.proof_button.setVisible(not grid)
        self.final_button.setText(self.tr("&Join…") if grid else self.tr("Merge in &full…"))

    def _away(self, found: Ranged | None) -> str:
        if found is None:
            return "–"
        unit = "ft" if self._system() == "imperial" else "m"
        away, unsure, planned = (
            part / LENGTHS_M[unit] for part in (found.distance_m, found.plus_minus_m, found.planned_m)
        )
        return self.tr("{0:.3g} ± {1:.2g} {2}, planned {3:.3g}").format(away, unsure, unit, planned)
