"""Tests of the kit, walked through: what to photograph, then what it tells, then into the kit if wanted."""

from __future__ import annotations

from collections.abc import Callable

from pydantic import BaseModel, Field
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from verispect.ui.controls.model_form import ModelForm, Spec

LENS, STEP, SETTLE = range(3)


class StepValues(BaseModel):
    """How the run was set on the body."""

    stop: float = Field(default=5.6, gt=0.0, le=512.0)
    step: float = Field(default=5.0, gt=0.0, le=1000.0)


class SettleValues(BaseModel):
    """How the burst was taken, and what counts as still."""

    frames_per_s: float | None = Field(default=None, gt=0.0, le=10000.0)
    within_px: float = Field(default=0.5, gt=0.0, le=100.0)


class TrialsPage(QWidget):
    """One of three tests.

    Signals
    -------
    frames_wanted, stop_wanted, taking_wanted
    """

    frames_wanted = pyqtSignal()
    stop_wanted = pyqtSignal()
    taking_wanted = pyqtSignal()

    def __init__(self, system: Callable[[], str]) -> None:
        super().__init__()
        self.what = QComboBox()
        self.what.setAccessibleName(self.tr("Which test"))
        self.what.addItems(
            [
                self.tr("What the lens resolves, by stop"),
                self.tr("What a step number moves"),
                self.tr("How long the tripod rings"),
            ]
        )
        self.steps = QLabel()
        self.steps.setWordWrap(True)
        self.step_values, self.settle_values = StepValues(), SettleValues()
        self.step_form = ModelForm(
            [Spec("stop", self.tr("Stop f/")), Spec("step", self.tr("Step number"))], system, columns=2
        )
        self.step_form.edited.connect(self._take_step)
        still = Spec("within_px", self.tr("Still within"), unit="px")
        rate = Spec("frames_per_s", self.tr("Frames a second"), "optional",
                    hint=self.tr("Empty: by the times that the frames tell"))  # fmt: skip
        self.settle_form = ModelForm([rate, still], system, columns=2)
        self.settle_form.edited.connect(self._take_settle)
        self.step_form.show_model(self.step_values)
        self.settle_form.show_model(self.settle_values)
        self.forms = QStackedWidget()
        for form in (QWidget(), self.step_form, self.settle_form):
            self.forms.addWidget(form)
        self.frames_button = QPushButton(self.tr("Choose the folder with the &frames…"))
        self.frames_button.clicked.connect(self.frames_wanted)
        self.stop_button = QPushButton(self.tr("Stop"))
        self.stop_button.clicked.connect(self.stop_wanted)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.result = QLabel()
        self.result.setWordWrap(True)
        self.take_button = QPushButton(self.tr("Take it into the &kit"))
        self.take_button.clicked.connect(self.taking_wanted)
        row = QHBoxLayout()
        for part in (self.frames_button, self.bar, self.stop_button):
            row.addWidget(part)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        for widget in (self.what, self.steps, self.forms):
            layout.addWidget(widget)
        layout.addLayout(row)
        layout.addWidget(self.result)
        layout.addWidget(self.take_button)
        layout.addStretch(1)
        self.what.currentIndexChanged.connect(self._turn_to)
        self._turn_to(LENS)
        self.show_busy(None)

    def _take_step(self, values: StepValues, _what: str) -> None:
        self.step_values = values
        self.step_form.show_model(values)

    def _take_settle(self, values: SettleValues, _what: str) -> None:
        self.settle_values = values
        self.settle_form.show_model(values)

    def _turn_to(self, index: int) -> None:
        self.forms.setCurrentIndex(index)
        self.forms.setVisible(index != LENS)
        self.show_result("", takes=False)
        self.steps.setText(
            (
                self.tr(
                    "On a tripod, square to a brick wall or a chart of slanting edges that fills the frame: a frame "
                    "at each stop, focused anew in the middle, released without a touch. The lens is the one chosen "
                    "above."
                ),
                self.tr(
                    "A ruler that runs away from the camera: let the body take a run of focus steps, and put nothing "
                    "but its frames into a folder. Say here at which stop and with which number."
                ),
                self.tr(
                    "With the lens you mean to use, something still and full of detail: begin a burst of two seconds "
                    "or more with a tap on the tripod."
                ),
            )[index]
        )

    def show_busy(self, share: float | None) -> None:
        """How far a test is; None when none is under way."""
        busy = share is not None
        self.bar.setVisible(busy)
        self.stop_button.setVisible(busy)
        self.frames_button.setVisible(not busy)
        self.what.setEnabled(not busy)
        if share is not None:
            self.bar.setValue(round(100 * share))

    def show_result(self, text: str, *, takes: bool) -> None:
        """What came of it, and whether the kit can keep it."""
        self.result.setText(text)
        self.result.setVisible(bool(text))
        self.take_button.setVisible(takes)
