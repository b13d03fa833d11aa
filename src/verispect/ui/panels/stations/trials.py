"""Tests of the kit, walked through: what to photograph, then what it tells, then into the kit if wanted."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TypeVar

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

_V = TypeVar("_V", bound=BaseModel)
LENS, STEP, SETTLE, RECYCLE, TILT, PUPIL, CLOSE = range(7)


class StepValues(BaseModel):
    """How the run was set on the body."""

    stop: float = Field(default=5.6, gt=0.0, le=512.0)
    step: float = Field(default=5.0, gt=0.0, le=1000.0)
    from_m: float | None = Field(default=None, gt=0.0, le=100_000.0)
    to_m: float | None = Field(default=None, gt=0.0, le=100_000.0)


class SettleValues(BaseModel):
    """How the burst was taken, and what counts as still."""

    frames_per_s: float | None = Field(default=None, gt=0.0, le=10000.0)
    within_px: float = Field(default=0.5, gt=0.0, le=100.0)


class RecycleValues(BaseModel):
    """How much darker than a full flash still counts as full."""

    within_stops: float = Field(default=0.1, gt=0.0, le=3.0)
    frames_per_s: float | None = Field(default=None, gt=0.0, le=10000.0)


class TiltValues(BaseModel):
    """What the scale reads, and where the run of focus begins and ends where the frames do not tell."""

    scale_deg: float = Field(default=0.0, gt=-45.0, lt=45.0)
    from_m: float | None = Field(default=None, gt=0.0, le=100_000.0)
    to_m: float | None = Field(default=None, gt=0.0, le=100_000.0)


class PupilValues(BaseModel):
    """Where the two things stand, from the axis the camera turns about."""

    near_m: float = Field(default=1.0, gt=0.0, le=1000.0)
    far_m: float | None = Field(default=None, gt=0.0, le=1.0e6)
    turned_deg: float | None = Field(default=None, ge=-90.0, le=90.0)
    axis_behind_front_mm: float | None = Field(default=None, ge=-1000.0, le=1000.0)


class CloseValues(BaseModel):
    """How far apart two places on a ruler are."""

    apart_mm: float = Field(default=50.0, gt=0.0, le=10_000.0)


class TrialsPage(QWidget):
    """One of seven tests.

    Signals
    -------
    frames_wanted, chart_wanted, stop_wanted, taking_wanted
    """

    frames_wanted = pyqtSignal()
    chart_wanted = pyqtSignal()
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
                self.tr("How long the flash takes to be full"),
                self.tr("How far the lens really tilts"),
                self.tr("Where it turns without parallax"),
                self.tr("What it frames at its closest"),
            ]
        )
        self.steps = QLabel()
        self.steps.setWordWrap(True)
        rate = Spec("frames_per_s", self.tr("Frames a second"), "optional",
                    hint=self.tr("Empty: by the times that the frames tell"))  # fmt: skip
        told = self.tr("Empty: what the frames tell of themselves")
        self.step_form = ModelForm(
            [
                Spec("stop", self.tr("Stop f/")), Spec("step", self.tr("Step number")),
                Spec("from_m", self.tr("Focus from"), "optional", "m", told),
                Spec("to_m", self.tr("to"), "optional", "m", self.tr("Where frames tell nothing, one end will do")),
            ], system, columns=2,
        )  # fmt: skip
        self.settle_form = ModelForm([rate, Spec("within_px", self.tr("Still within"), unit="px")], system, columns=2)
        self.recycle_form = ModelForm(
            [rate, Spec("within_stops", self.tr("Full within"), unit="EV")], system, columns=2
        )
        self.tilt_form = ModelForm(
            [
                Spec("scale_deg", self.tr("Scale reads"), unit="°", hint=self.tr("Forward positive")),
                Spec("from_m", self.tr("Focus from"), "optional", "m", told),
                Spec("to_m", self.tr("to"), "optional", "m", told),
            ], system, columns=2,
        )  # fmt: skip
        self.pupil_form = ModelForm(
            [
                Spec("near_m", self.tr("Near thing at"), unit="m", hint=self.tr("From the axis the camera turns on")),
                Spec("far_m", self.tr("Far thing at"), "optional", "m", self.tr("Empty: very far")),
                Spec("turned_deg", self.tr("Turned by"), "optional", "°",
                     self.tr("By the head's scale, to the right positive: then the focal length is measured too")),
                Spec("axis_behind_front_mm", self.tr("Axis behind front"), "optional", "mm",
                     self.tr("From the front of the lens back to the axis; the kit keeps the pupil by it")),
            ], system, columns=2,
        )  # fmt: skip
        self.close_form = ModelForm([Spec("apart_mm", self.tr("Clicks apart"), unit="mm")], system, columns=2)
        self._values: dict[type[BaseModel], BaseModel] = {
            kind: kind() for kind in (StepValues, SettleValues, RecycleValues, TiltValues, PupilValues, CloseValues)
        }
        self.forms = QStackedWidget()
        self.forms.addWidget(QWidget())
        for kind, form in zip(
            self._values,
            (self.step_form, self.settle_form, self.recycle_form, self.tilt_form, self.pupil_form, self.close_form),
            strict=True,
        ):  # fmt: skip
            form.show_model(self._values[kind])
            form.edited.connect(partial(self._take_values, form))
            self.forms.addWidget(form)
        self.frames_button = QPushButton(self.tr("Choose the folder with the &frames…"))
        self.frames_button.clicked.connect(self.frames_wanted)
        self.chart_button = QPushButton(self.tr("A c&hart to print…"))
        self.chart_button.clicked.connect(self.chart_wanted)
        self.stop_button = QPushButton(self.tr("Stop"))
        self.stop_button.clicked.connect(self.stop_wanted)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.result = QLabel()
        self.result.setWordWrap(True)
        self.take_button = QPushButton(self.tr("Take it into the &kit"))
        self.take_button.clicked.connect(self.taking_wanted)
        row = QHBoxLayout()
        for part in (self.frames_button, self.chart_button, self.bar, self.stop_button):
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

    def values_of(self, kind: type[_V]) -> _V:
        """What is typed for one of the tests."""
        values = self._values[kind]
        assert isinstance(values, kind)
        return values

    def _take_values(self, form: ModelForm, values: BaseModel, _what: str) -> None:
        self._values[type(values)] = values
        form.show_model(values)

    def _turn_to(self, index: int) -> None:
        self.forms.setCurrentIndex(index)
        self.forms.setVisible(index != LENS)
        self.chart_button.setVisible(index == LENS)
        self.show_result("", takes=False)
        self.steps.setText(
            (
                self.tr(
                    "On a tripod, square to a brick wall or a chart of slanting edges that fills the frame: a frame "
                    "at each stop, focused anew in the middle, released without a touch; or at each stop a run of "
                    "focus through the wall, which tells the curvature of field and the focus shift as well. The "
                    "lens is the one chosen above."
                ),
                self.tr(
                    "A ruler that runs away from the camera: let the body take a run of focus steps, and put nothing "
                    "but its frames into a folder. Say here at which stop and with which number."
                ),
                self.tr(
                    "With the lens you mean to use, something still and full of detail: begin a burst of two seconds "
                    "or more with a tap on the tripod."
                ),
                self.tr(
                    "Flash alone, exposed so that nothing is white. Begin with the flash full, then fire after ever "
                    "longer waits: half a second, one, two, and so on; the frames' own times tell the waits."
                ),
                self.tr(
                    "Square to a wall full of detail, some metres off, at the widest stop and a fixed tilt: a run of "
                    "nine frames or more, the focus turned on a little each time, from well before the wall to well "
                    "behind it."
                ),
                self.tr(
                    "Level, on the head you turn grids with: something near, full of detail, before something far. "
                    "One frame with the near thing left of the middle, one turned until it stands right of it. Then "
                    "click on both things in the first frame."
                ),
                self.tr(
                    "Focus set to its closest, a ruler square to the view and sharp: one frame. Then click on two "
                    "places of the ruler and say how far apart they are."
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
