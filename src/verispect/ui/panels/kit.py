"""Kit: the body, its lenses, and what carries them."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGroupBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from verispect.kit.equipment import Head, Kit
from verispect.kit.lens import Lens
from verispect.ui.document import PlanDocument
from verispect.ui.forms import ModelForm, Spec


class KitPanel(QWidget):
    """Forms for the body, the lenses one at a time, the head, and times on site."""

    def __init__(self, document: PlanDocument, system: Any) -> None:
        super().__init__()
        self._document = document
        self._current = 0
        self.body_form = ModelForm(self._body_specs(), system, columns=2)
        self.body_form.edited.connect(lambda body, what: self._change(what, body=body))
        self.lens_box = QComboBox()
        self.lens_box.setAccessibleName(self.tr("Lens"))
        self.lens_box.activated.connect(self._take_lens)
        self.lens_form = ModelForm(self._lens_specs(), system, columns=2)
        self.lens_form.edited.connect(self._change_lens)
        self.add_button = QPushButton(self.tr("A&dd lens"))
        self.remove_button = QPushButton(self.tr("Re&move lens"))
        self.add_button.clicked.connect(self.add_lens)
        self.remove_button.clicked.connect(self.remove_lens)
        self.head_box = QCheckBox(self.tr("The head turns about the entrance pupil"))
        self.head_box.clicked.connect(self._change_head)
        self.times_form = ModelForm(self._times_specs(), system, columns=2)
        self.times_form.edited.connect(lambda times, what: self._change(what, times=times))
        self._build()
        document.changed.connect(self.refresh)

    def _body_specs(self) -> list[Spec]:
        return [
            Spec("name", self.tr("Body"), "text"),
            Spec("sensor_mm", self.tr("Sensor"), "pair", "mm"),
            Spec("pixels", self.tr("Pixels"), "pair"),
            Spec("iso", self.tr("ISO"), "number"),
        ]

    def _lens_specs(self) -> list[Spec]:
        return [
            Spec("name", self.tr("Name"), "text"),
            Spec("focal_mm", self.tr("Focal length"), "range", "mm"),
            Spec("f_numbers", self.tr("Stops f/"), "range", "", self.tr("As marked: widest–smallest")),
            Spec("closest_m", self.tr("Closest focus"), "length"),
            Spec("closest_from", self.tr("taken from"), "choice",
                 choices=(("sensor", self.tr("sensor mark")), ("front", self.tr("lens front")),
                          ("principal", self.tr("principal pt")))),
            Spec("tilt_deg", self.tr("Tilt to"), unit="°", hint=self.tr("0 for a lens that does not tilt")),
            Spec("tilt_mount", self.tr("Tilt mount"), "choice",
                 hint=self.tr("Free: tilt and swing each to the limit. Rotating: one tilt, turned to any side"),
                 choices=(("free", self.tr("free")), ("rotating", self.tr("rotating")))),
            Spec("shift_mm", self.tr("Shift to"), unit="mm"),
            Spec("image_circle_mm", self.tr("Image circle"), "optional", "mm",
                 self.tr("Empty where unknown: then it just covers the sensor")),
            Spec("pupil_magnification", self.tr("Pupil magnif."), hint=self.tr("Exit over entrance pupil")),
            Spec("principal_separation_mm", self.tr("Separation"), unit="mm",
                 hint=self.tr("From the front to the rear principal point")),
        ]  # fmt: skip

    def _times_specs(self) -> list[Spec]:
        names = {
            "set_up_s": self.tr("Set up"),
            "tilt_set_up_s": self.tr("Set tilt"),
            "head_set_up_s": self.tr("Set head"),
            "settle_s": self.tr("Settle"),
            "write_s": self.tr("Write"),
            "refocus_s": self.tr("Refocus"),
            "shift_s": self.tr("Shift"),
            "turn_s": self.tr("Turn"),
        }
        return [Spec(key, name, unit="s") for key, name in names.items()]

    def _build(self) -> None:
        inner = QWidget()
        layout = QVBoxLayout(inner)
        layout.setContentsMargins(10, 8, 10, 8)
        layout.addWidget(self.body_form)
        lenses = QGroupBox(self.tr("Lenses"))
        inside = QVBoxLayout(lenses)
        inside.setContentsMargins(0, 4, 0, 0)
        row = QHBoxLayout()
        row.addWidget(self.lens_box, 1)
        row.addWidget(self.add_button)
        row.addWidget(self.remove_button)
        inside.addLayout(row)
        self._empty = QLabel(self.tr("No lens yet: add the first one."))
        inside.addWidget(self._empty)
        inside.addWidget(self.lens_form)
        layout.addWidget(lenses)
        layout.addWidget(self.head_box)
        times = QGroupBox(self.tr("How long things take on site (estimates, change them)"))
        timing = QVBoxLayout(times)
        timing.setContentsMargins(0, 4, 0, 0)
        timing.addWidget(self.times_form)
        layout.addWidget(times)
        layout.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidget(inner)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(scroll)

    @property
    def _kit(self) -> Kit:
        return self._document.plan.kit

    def refresh(self) -> None:
        """Show the plan as it is."""
        kit = self._kit
        self._current = max(0, min(self._current, len(kit.lenses) - 1))
        self.body_form.show_model(kit.body)
        self.lens_box.clear()
        self.lens_box.addItems([lens.name for lens in kit.lenses])
        self.lens_box.setCurrentIndex(self._current if kit.lenses else -1)
        self.lens_form.show_model(kit.lenses[self._current] if kit.lenses else None)
        self.remove_button.setEnabled(bool(kit.lenses))
        self._empty.setVisible(not kit.lenses)
        self.head_box.setChecked(kit.head is not None and kit.head.turns)
        self.times_form.show_model(kit.times)

    def _change(self, what: str, **parts: Any) -> None:
        kit = self._kit.model_copy(update=parts)
        self._document.update(self.tr("change of {0}").format(what), kit=kit)

    def _take_lens(self, index: int) -> None:
        self._current = index
        self.refresh()

    def _change_lens(self, lens: Lens, what: str) -> None:
        lenses = list(self._kit.lenses)
        lenses[self._current] = lens
        self._change(what, lenses=tuple(lenses))

    def add_lens(self) -> None:
        """A plain lens to start from, at the framing's focal length."""
        framing = self._document.plan.camera.framing_mm
        name = self.tr("Lens {0}").format(len(self._kit.lenses) + 1)
        lens = Lens(name=name, focal_mm=(framing, framing), f_numbers=(2.8, 22), closest_m=0.4)
        self._current = len(self._kit.lenses)
        self._change(self.tr("lenses"), lenses=(*self._kit.lenses, lens))

    def remove_lens(self) -> None:
        """Take away the lens in the form."""
        kept = tuple(lens for k, lens in enumerate(self._kit.lenses) if k != self._current)
        self._change(self.tr("lenses"), lenses=kept)

    def _change_head(self, turns: bool) -> None:
        head = (self._kit.head or Head()).model_copy(update={"turns": turns})
        self._change(self.tr("head"), head=head)
