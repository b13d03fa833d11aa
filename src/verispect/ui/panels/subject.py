"""Subject: what must be sharp, where it is, and how the camera frames it."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGroupBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from verispect.subject.marks import Mark
from verispect.ui.document import PlanDocument, without_marks
from verispect.ui.forms import ModelForm, Spec
from verispect.ui.marks_table import MarksModel, MarksTable
from verispect.ui.panels.catch import CatchPanel


class SubjectPanel(QWidget):
    """The marks table and the camera's form; `selected(int)` follows the current mark."""

    selected = pyqtSignal(int)

    def __init__(self, document: PlanDocument) -> None:
        super().__init__()
        self._document = document
        self.model = MarksModel(document, self)
        self.table = MarksTable(self.model)
        self.table.selected.connect(self.selected)
        self._complaint = QLabel()
        self._complaint.setProperty("wrong", True)
        self._complaint.setWordWrap(True)
        self.model.complained.connect(self._complain)
        self._empty = QLabel(
            self.tr(
                "No marks yet. Add the nearest and the farthest thing that must be sharp, then what lies between."
            )
        )
        self._empty.setWordWrap(True)
        self.add_button = QPushButton(self.tr("&Add mark"))
        self.remove_button = QPushButton(self.tr("&Remove mark"))
        self.add_button.clicked.connect(self.add_mark)
        self.remove_button.clicked.connect(self.remove_mark)
        self.camera_form = ModelForm(self._camera_specs(), lambda: self.model.system, columns=2)
        self.camera_form.edited.connect(
            lambda camera, what: document.update(self.tr("change of {0}").format(what), camera=camera)
        )
        self.catch = CatchPanel(document, lambda: self.model.system)
        self.catch.added.connect(self.table.select_mark)
        self._build()
        document.changed.connect(self.refresh)

    def _camera_specs(self) -> list[Spec]:
        return [
            Spec("height_m", self.tr("Height"), "length", "", self.tr("Lens above the ground")),
            Spec("framing_mm", self.tr("Framing"), unit="mm",
                 hint=self.tr("The focal length whose field is the wanted picture, whichever lens takes it")),
            Spec("bearing_deg", self.tr("Bearing"), unit="°", hint=self.tr("Positive turns right")),
            Spec("pitch_deg", self.tr("Pitch"), unit="°", hint=self.tr("Positive looks up")),
            Spec("roll_deg", self.tr("Roll"), unit="°", hint=self.tr("Positive leans right")),
            Spec("height_plus_minus_m", self.tr("Height ±"), "length", "", self.tr("19 times in 20 within")),
            Spec("pitch_plus_minus_deg", self.tr("Pitch ±"), unit="°", hint=self.tr("19 times in 20 within")),
        ]  # fmt: skip

    def _build(self) -> None:
        buttons = QHBoxLayout()
        buttons.addWidget(self.add_button)
        buttons.addWidget(self.remove_button)
        buttons.addStretch(1)
        camera = QGroupBox(self.tr("Camera"))
        inside = QVBoxLayout(camera)
        inside.setContentsMargins(0, 4, 0, 0)
        inside.addWidget(self.camera_form)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 8)
        head = QLabel(self.tr("What must be sharp, seen from under the camera"))
        layout.addWidget(head)
        layout.addWidget(self.table, 1)
        layout.addWidget(self._empty)
        layout.addWidget(self._complaint)
        layout.addLayout(buttons)
        layout.addWidget(self.catch)
        layout.addWidget(camera)
        self._complaint.hide()

    def refresh(self) -> None:
        """Show the plan as it is."""
        plan = self._document.plan
        self.camera_form.show_model(plan.camera)
        self.catch.refresh()
        self._empty.setVisible(not plan.marks)
        self.remove_button.setEnabled(bool(plan.marks))

    def add_mark(self) -> None:
        """A new must, beyond the last one or 3 m away on the ground."""
        marks = self._document.plan.marks
        z = round(marks[-1].z_m * 1.3, 1) if marks else 3.0
        name = self.tr("Mark {0}").format(len(marks) + 1)
        mark = Mark(name=name, x_m=marks[-1].x_m if marks else 0.0, y_m=0.0, z_m=z)
        self._document.update(self.tr("new mark"), marks=(*marks, mark))
        self.table.select_mark(len(marks))

    def remove_mark(self) -> None:
        """Take away the selected mark."""
        rows = {index.row() for index in self.table.selectionModel().selectedRows()}
        rows = rows or {self.table.currentIndex().row()}
        if rows - {-1}:
            self._document.change(without_marks(self._document.plan, rows), self.tr("removal of a mark"))

    def _complain(self, text: str) -> None:
        self._complaint.setText(text)
        self._complaint.setVisible(bool(text))
