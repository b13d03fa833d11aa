"""Catching a mark: the ways people measure, each with its small form."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QGroupBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from verispect.errors import VerispectError
from verispect.plan.document import Site
from verispect.plan.entry.measured_mark import WAYS, Way
from verispect.ui.controls.model_form import ModelForm, Spec
from verispect.ui.controls.translate import say_error
from verispect.ui.state.plan_document import PlanDocument


class CatchPanel(QGroupBox):
    """A way, its form, and a button that adds the mark. `added(int)` tells its row."""

    added = pyqtSignal(int)

    def __init__(self, document: PlanDocument, system: Callable[[], str]) -> None:
        super().__init__()
        self.setTitle(self.tr("Catch a mark"))
        self._document = document
        self._typed: dict[str, Way] = {key: kind.model_construct() for key, kind in WAYS.items()}
        self.way_box = QComboBox()
        self.way_box.setAccessibleName(self.tr("How it was measured"))
        self.add_button = QPushButton(self.tr("Add &what was measured"))
        self.add_button.clicked.connect(self.add)
        self.complaint = QLabel()
        self.complaint.setProperty("wrong", True)
        self.complaint.setWordWrap(True)
        self.complaint.hide()
        self.forms: dict[str, ModelForm] = {}
        self.site_form = ModelForm(self._site_specs(), system, columns=2)
        self.site_form.edited.connect(
            lambda site, what: document.update(self.tr("change of {0}").format(what), site=site)
        )
        self._stack = QStackedWidget()
        for key, (title, specs) in self._pages().items():
            self.way_box.addItem(title, key)
            self._stack.addWidget(self._page(key, specs, system))
        self.way_box.currentIndexChanged.connect(self._take)
        self._take(0)
        row = QHBoxLayout()
        row.addWidget(self.way_box, 1)
        row.addWidget(self.add_button, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(3)
        layout.addLayout(row)
        layout.addWidget(self._stack)
        layout.addWidget(self.complaint)

    def _page(self, key: str, specs: list[Spec], system: Callable[[], str]) -> QWidget:
        form = ModelForm(specs, system, columns=2)
        form.line_up(label_px=76, unit_px=14, columns=2)
        form.show_model(self._typed[key])
        form.edited.connect(lambda way, _what, key=key: self._keep(key, way))
        self.forms[key] = form
        page = QWidget()
        inside = QVBoxLayout(page)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(2)
        inside.addWidget(form)
        if key == "map":
            self.site_form.line_up(label_px=76, unit_px=14, columns=2)
            inside.addWidget(self.site_form)
        inside.addStretch(1)
        return page

    def _pages(self) -> dict[str, tuple[str, list[Spec]]]:
        name = Spec("name", self.tr("Name"), "text")
        bearing = Spec("bearing_deg", self.tr("Bearing"), unit="°", hint=self.tr("From straight away; right is +"))
        slope = Spec("inclination_deg", self.tr("Slope"), unit="°", hint=self.tr("Above the level; down negative"))
        lens = Spec("lens", self.tr("Lens"), "text", hint=self.tr("Empty: the first lens of the kit"))
        return {
            "tape": (self.tr("with a tape"), [
                name,
                Spec("away_m", self.tr("Away"), "length", hint=self.tr("Along the ground, away from the camera")),
                Spec("side_m", self.tr("Side"), "length", hint=self.tr("To the right; negative to the left")),
                Spec("height_m", self.tr("Up"), "length", hint=self.tr("Above the ground under the camera")),
            ]),
            "laser": (self.tr("with a laser"), [
                name, Spec("slope_m", self.tr("Distance"), "length", hint=self.tr("Along the beam")), slope, bearing,
                Spec("stands", self.tr("Stood at"), "choice",
                     choices=(("camera", self.tr("the camera")), ("spot", self.tr("this spot:")))),
                Spec("spot_side_m", self.tr("Spot, side"), "length"),
                Spec("spot_height_m", self.tr("Spot, up"), "length"),
                Spec("spot_away_m", self.tr("Spot, away"), "length"),
            ]),
            "focus scale": (self.tr("by the focus scale"), [
                name, Spec("scale_m", self.tr("Reading"), "length", hint=self.tr("Reckoned from the sensor mark")),
                slope, bearing, lens,
            ]),
            "extension": (self.tr("by the extension"), [
                name, Spec("extension_mm", self.tr("Extension"), unit="mm",
                           hint=self.tr("Of the lens ahead of its infinity focus")),
                slope, bearing, lens,
            ]),
            "map": (self.tr("on a map"), [
                name, Spec("latitude_deg", self.tr("Latitude"), unit="°"),
                Spec("longitude_deg", self.tr("Longitude"), unit="°"),
                Spec("elevation_m", self.tr("Elevation"), "length"),
            ]),
            "infinity": (self.tr("at infinity, direction alone"), [name, slope, bearing]),
        }  # fmt: skip

    def _site_specs(self) -> list[Spec]:
        return [
            Spec("latitude_deg", self.tr("Camera lat."), unit="°"),
            Spec("longitude_deg", self.tr("Camera lon."), unit="°"),
            Spec("elevation_m", self.tr("Its ground"), "length"),
            Spec("away_azimuth_deg", self.tr("Away is"), unit="°",
                 hint=self.tr("Azimuth of straight away, from true north through east")),
        ]  # fmt: skip

    def refresh(self) -> None:
        """Show the plan's site."""
        self.site_form.show_model(self._document.plan.site or Site(latitude_deg=0.0, longitude_deg=0.0))

    def write_lengths_anew(self) -> None:
        """The system of lengths has changed."""
        for key, form in self.forms.items():
            form.show_model(self._typed[key])
        self.refresh()

    def _keep(self, key: str, way: Way) -> None:
        self._typed[key] = way
        self.forms[key].show_model(way)

    def _take(self, index: int) -> None:
        # As high as the form in front, not as the highest.
        for page in range(self._stack.count()):
            ignored, kept = QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred
            self._stack.widget(page).setSizePolicy(kept, kept if page == index else ignored)
        self._stack.setCurrentIndex(index)
        self._complain("")

    def add(self) -> None:
        """Add the mark that the form in front gives."""
        key = str(self.way_box.currentData())
        plan = self._document.plan
        way = self._typed[key]
        name = way.name or self.tr("Mark {0}").format(len(plan.marks) + 1)
        try:
            mark = way.model_copy(update={"name": name}).mark(plan)
        except VerispectError as error:
            self._complain(say_error(error))
            return
        self._complain("")
        self._document.update(self.tr("new mark"), marks=(*plan.marks, mark))
        # The next one will be another thing.
        self._keep(key, self._typed[key].model_copy(update={"name": ""}))
        self.added.emit(len(plan.marks))

    def _complain(self, text: str) -> None:
        self.complaint.setText(text)
        self.complaint.setVisible(bool(text))
