"""Marks: the table, what else can be said of the selected one, and the ways to catch more."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGroupBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from verispect.sentence import Sentence
from verispect.subject.mark import Mark
from verispect.subject.typical_speeds import PACES
from verispect.ui.controls.model_form import ModelForm, Spec
from verispect.ui.controls.translate import say
from verispect.ui.panels.catch import CatchPanel
from verispect.ui.panels.marks_table import MarksModel, MarksTable
from verispect.ui.state.plan_document import PlanDocument, with_mark, without_marks


class MarksPage(QWidget):
    """The marks table; `selected(int)` follows the current mark."""

    selected = pyqtSignal(int)

    def __init__(self, document: PlanDocument) -> None:
        super().__init__()
        self._document = document
        self.model = MarksModel(document, self)
        self.table = MarksTable(self.model)
        self.table.selected.connect(self.selected)
        self.table.selected.connect(lambda _row: self._show_more())
        self.complaint = QLabel()
        self.complaint.setProperty("wrong", True)
        self.complaint.setWordWrap(True)
        self.model.complained.connect(self._complain)
        self.empty = QLabel(
            self.tr(
                "No marks yet. Add the nearest and the farthest thing that must be sharp, then what lies between."
            )
        )
        self.empty.setWordWrap(True)
        self.add_button = QPushButton(self.tr("&Add mark"))
        self.remove_button = QPushButton(self.tr("&Remove mark"))
        self.add_button.clicked.connect(self.add_mark)
        self.remove_button.clicked.connect(self.remove_mark)
        self.more = ModelForm(self._more_specs(), lambda: self.model.system, columns=2)
        self.more.line_up(label_px=84, unit_px=26, columns=2)
        self.more.edited.connect(self._change_more)
        self.catch = CatchPanel(document, lambda: self.model.system)
        self.catch.added.connect(self.table.select_mark)
        self._build()
        document.changed.connect(self.refresh)

    def _more_specs(self) -> list[Spec]:
        sure = self.tr("Almost surely within (95 %)")
        paces = tuple((speed, say(Sentence(words))) for words, speed in PACES)
        return [
            Spec("speed_mm_s", self.tr("Moves like"), "choice", choices=paces,
                 hint=self.tr("Estimates to start from; type a speed of your own in the table")),
            Spec("speed_plus_minus_mm_s", self.tr("Speed ±"), unit="mm/s", hint=sure),
            Spec("detail_mm", self.tr("Detail"), "optional", "mm", self.tr("Smallest detail to be rendered on it")),
            Spec("reading_ev100", self.tr("Reading"), "optional ev", "EV",
                 self.tr("Spot reading at ISO 100: what exposes it as mid-grey; or f/8 1/125 ISO 100")),
            Spec("plus_minus_side_m", self.tr("Aside ±"), "length", hint=sure),
            Spec("soft_times", self.tr("Soft at least"), unit="×",
                 hint=self.tr("Of what is allowed; for marks that are wanted soft")),
        ]  # fmt: skip

    def _build(self) -> None:
        buttons = QHBoxLayout()
        buttons.addWidget(self.add_button)
        buttons.addWidget(self.remove_button)
        buttons.addStretch(1)
        more = QGroupBox(self.tr("More about the selected mark"))
        inside = QVBoxLayout(more)
        inside.setContentsMargins(0, 4, 0, 0)
        inside.addWidget(self.more)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.addWidget(self.table, 1)
        layout.addWidget(self.empty)
        layout.addWidget(self.complaint)
        layout.addLayout(buttons)
        layout.addWidget(more)
        layout.addWidget(self.catch)
        self.complaint.hide()

    def refresh(self) -> None:
        """Show the plan as it is."""
        plan = self._document.plan
        self.catch.refresh()
        self.empty.setVisible(not plan.marks)
        self.remove_button.setEnabled(bool(plan.marks))
        self._show_more()

    def _current(self) -> int:
        return self.table.currentIndex().row()

    def _show_more(self) -> None:
        marks = self._document.plan.marks
        self.more.show_model(marks[self._current()] if 0 <= self._current() < len(marks) else None)

    def _change_more(self, mark: Mark, what: str) -> None:
        plan = with_mark(self._document.plan, self._current(), **mark.model_dump())
        self._document.change(plan, self.tr("change of {0}").format(what))

    def chosen(self) -> list[int]:
        """Rows of the marks that are selected."""
        return sorted({index.row() for index in self.table.selectionModel().selectedRows()})

    def add_mark(self) -> None:
        """A new must, beyond the last one or 3 m away on the ground."""
        marks = self._document.plan.marks
        z = round(marks[-1].z_m * 1.3, 1) if marks else 3.0
        name = self.tr("Mark {0}").format(len(marks) + 1)
        mark = Mark(name=name, x_m=marks[-1].x_m if marks else 0.0, y_m=0.0, z_m=z)
        self._document.update(self.tr("new mark"), marks=(*marks, mark))
        self.table.select_mark(len(marks))

    def remove_mark(self) -> None:
        """Take away the selected marks."""
        rows = set(self.chosen()) or {self._current()}
        if rows - {-1}:
            self._document.change(without_marks(self._document.plan, rows), self.tr("removal of a mark"))

    def _complain(self, text: str) -> None:
        self.complaint.setText(text)
        self.complaint.setVisible(bool(text))
