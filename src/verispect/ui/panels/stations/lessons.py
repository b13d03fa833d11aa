"""What the logbook teaches, and what of it may be taken into the plan on the board."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from verispect.keep.learning import Learned
from verispect.keep.lessons import FEW_JOBS, Lessons
from verispect.plan.methods.method import method_of
from verispect.sentence import Sentence
from verispect.ui.controls.theme import Theme
from verispect.ui.controls.translate import say
from verispect.ui.drawings.diagrams.promise_diagram import PromiseDiagram


def method_name(key: str) -> str:
    """A method in words, of a key that may be from anywhere."""
    try:
        return say(Sentence(method_of(key).name))
    except KeyError:
        return key


class LessonsPage(QWidget):
    """Figures learned, each with what it rests on, and a button that takes it into the plan.

    Signals
    -------
    distance_wanted(float), focus_wanted(str, float), time_wanted(float)
        A share of the distance, a lens with mm, a factor.
    """

    distance_wanted = pyqtSignal(float)
    focus_wanted = pyqtSignal(str, float)
    time_wanted = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 14, 10)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setTextFormat(Qt.TextFormat.PlainText)
        layout.addWidget(self.words)
        self._rows = QGridLayout()
        self._rows.setColumnStretch(1, 1)
        layout.addLayout(self._rows)
        self.title = QLabel(self.tr("What was promised, and what held"))
        self.title.setProperty("quiet", True)
        layout.addWidget(self.title)
        self.diagram = PromiseDiagram()
        layout.addWidget(self.diagram, 1)
        self.methods = QLabel()
        self.methods.setWordWrap(True)
        self.methods.setTextFormat(Qt.TextFormat.PlainText)
        layout.addWidget(self.methods)
        self.show_waiting()

    def apply_theme(self, theme: Theme) -> None:
        """Take on a theme's colours."""
        self.diagram.apply_theme(theme)

    def show_waiting(self) -> None:
        """The book is being read."""
        self.words.setText(self.tr("Reading what the jobs in the logbook teach…"))

    def show_lessons(self, found: Lessons) -> None:
        """Take on what was learned."""
        jobs = max(found.distance_share.jobs, found.time.jobs)
        self.words.setText(
            self.tr("From checks and runs in the logbook; with few jobs a figure is mostly the default it began at.")
            if jobs
            else self.tr(
                "No job has been checked or timed yet. The figures are the defaults that learning begins at."
            )
        )
        while (item := self._rows.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        share = found.distance_share
        self._row(
            self.tr("Distances"), self.tr("± {0:.1f} % ({1:.1f} to {2:.1f})"), share, 100.0,
            self.tr("Give it to marks without ±"), partial(self.distance_wanted.emit, share.value),
        )  # fmt: skip
        for lens, one in found.focus_mm.items():
            self._row(
                self.tr("Focus of {0}").format(lens), self.tr("± {0:.3f} mm ({1:.3f} to {2:.3f})"), one, 1.0,
                self.tr("Take it into the lens"),
                partial(self.focus_wanted.emit, lens, one.value),
            )  # fmt: skip
        self._row(
            self.tr("Time"), self.tr("{0:.2f} × the planned ({1:.2f} to {2:.2f})"), found.time, 1.0,
            self.tr("Scale the kit's times"), partial(self.time_wanted.emit, found.time.value),
        )  # fmt: skip
        self.diagram.show_promises(found.promises)
        for widget in (self.title, self.diagram):
            widget.setVisible(bool(found.promises))
        told = self.tr("{0}: {1} of {2} jobs held")
        self.methods.setText("\n".join(told.format(method_name(r.method), r.kept, r.jobs) for r in found.methods))

    def _row(self, name: str, words: str, one: Learned, times: float, button: str, act: Callable[[], None]) -> None:
        row = self._rows.rowCount()
        few = self.tr(", few") if one.jobs < FEW_JOBS else ""
        figures = words.format(times * one.value, times * one.low, times * one.high)
        text = QLabel(self.tr("{0}, from {1} jobs{2}").format(figures, one.jobs, few))
        text.setTextFormat(Qt.TextFormat.PlainText)
        text.setWordWrap(True)
        title = QLabel(name)
        title.setTextFormat(Qt.TextFormat.PlainText)
        take = QPushButton(button)
        take.setEnabled(one.jobs > 0)
        take.clicked.connect(lambda _checked: act())
        for column, widget in enumerate((title, text, take)):
            self._rows.addWidget(widget, row, column)
