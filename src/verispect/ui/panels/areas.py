"""Areas: surfaces and scans, whose every point counts like a mark."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from verispect.errors import GeometryError
from verispect.subject.mark import Need
from verispect.subject.scan import Cloud
from verispect.subject.surface import Surface, through_three
from verispect.ui.controls.model_form import ModelForm, Spec
from verispect.ui.controls.translate import say_error
from verispect.ui.state.plan_document import PlanDocument

_FIRST: dict[str, dict[str, Any]] = {
    "floor": {"z_m": 2.0, "width_m": 4.0, "length_m": 8.0},
    "wall": {"z_m": 6.0, "slope_deg": 90.0, "width_m": 4.0, "length_m": 3.0},
    "table": {"y_m": 0.75, "z_m": 0.8, "width_m": 1.4, "length_m": 0.8},
    "facade": {"z_m": 15.0, "slope_deg": 90.0, "width_m": 12.0, "length_m": 9.0},
    "slope": {"z_m": 4.0, "slope_deg": 15.0, "width_m": 6.0, "length_m": 20.0},
    "box": {"z_m": 4.0, "width_m": 1.0, "length_m": 1.0, "height_m": 1.0},
}


class _Part(BaseModel):
    """The region of a scan that counts, as typed."""

    model_config = ConfigDict(frozen=True, allow_inf_nan=False)

    name: str = Field(max_length=200)
    need: Need = Need.MAY
    weight: float = Field(gt=0.0, le=1000.0)
    plus_minus_m: float = Field(ge=0.0, le=1e6)
    counts: str = "all"
    across: tuple[float, float]
    up: tuple[float, float]
    away: tuple[float, float]


class AreasPage(QWidget):
    """The list, the form of the one chosen, and ways to add more. `scan_wanted` asks for a file.

    `selected(int)` follows the surface chosen; -1 for a scan or none.
    """

    scan_wanted = pyqtSignal()
    selected = pyqtSignal(int)

    def __init__(
        self, document: PlanDocument, system: Callable[[], str], chosen_marks: Callable[[], list[int]]
    ) -> None:
        super().__init__()
        self._document, self._chosen_marks = document, chosen_marks
        self.list = QListWidget()
        self.list.setAccessibleName(self.tr("Surfaces and scans"))
        self.list.currentRowChanged.connect(lambda _row: self._show_current())
        self.kind_box = QComboBox()
        self.kind_box.setAccessibleName(self.tr("Kind of surface"))
        for kind, words in self._kinds():
            self.kind_box.addItem(words, kind)
        self.add_button = QPushButton(self.tr("Add &surface"))
        self.add_button.setToolTip(self.tr("At the mark selected, where there is one"))
        self.three_button = QPushButton(self.tr("&Through 3 marks"))
        self.three_button.setToolTip(self.tr("Select three marks in the table first (Ctrl and click)"))
        self.scan_button = QPushButton(self.tr("Bring in a s&can…"))
        self.remove_button = QPushButton(self.tr("Re&move"))
        self.add_button.clicked.connect(self.add)
        self.three_button.clicked.connect(self.add_through_marks)
        self.scan_button.clicked.connect(self.scan_wanted)
        self.remove_button.clicked.connect(self.remove)
        self.complaint = QLabel()
        self.complaint.setProperty("wrong", True)
        self.complaint.setWordWrap(True)
        self.complaint.hide()
        self.form = ModelForm(self._surface_specs(), system, columns=2)
        self.form.line_up(label_px=84, unit_px=14, columns=2)
        self.form.edited.connect(self._change_surface)
        self.scan_form = ModelForm(self._scan_specs(), system, columns=2)
        self.scan_form.line_up(label_px=84, unit_px=14, columns=2)
        self.scan_form.edited.connect(self._change_scan)
        self._told = QLabel()
        self._told.setProperty("quiet", True)
        self._told.setWordWrap(True)
        self._build()
        document.changed.connect(self.refresh)
        self.refresh()

    def _kinds(self) -> list[tuple[str, str]]:
        return [
            ("floor", self.tr("floor")), ("wall", self.tr("wall")), ("table", self.tr("table")),
            ("facade", self.tr("facade")), ("slope", self.tr("slope")), ("box", self.tr("box")),
        ]  # fmt: skip

    def _needs(self) -> tuple[tuple[str, str], ...]:
        return (
            ("must", self.tr("must be sharp")), ("should", self.tr("should be")), ("may", self.tr("may be soft")),
            ("soft", self.tr("wanted soft")),
        )  # fmt: skip

    def _surface_specs(self) -> list[Spec]:
        return [
            Spec("name", self.tr("Name"), "text"),
            Spec("need", self.tr("Need"), "choice", choices=self._needs()),
            Spec("kind", self.tr("Kind"), "choice", choices=tuple(self._kinds())),
            Spec("weight", self.tr("Weight")),
            Spec("x_m", self.tr("Across"), "length", hint=self.tr("Middle of its near or lower edge")),
            Spec("bearing_deg", self.tr("Runs towards"), unit="°",
                 hint=self.tr("Seen from above: 0 straight away, 90 to the right")),
            Spec("y_m", self.tr("Up"), "length"),
            Spec("slope_deg", self.tr("Slope"), unit="°", hint=self.tr("0 level, 90 upright")),
            Spec("z_m", self.tr("Away"), "length"),
            Spec("length_m", self.tr("Length"), "length", hint=self.tr("The way it runs; of a wall its height")),
            Spec("width_m", self.tr("Width"), "length"),
            Spec("height_m", self.tr("Box, high"), "length", hint=self.tr("Of a box alone")),
            Spec("plus_minus_m", self.tr("Distance ±"), "length", hint=self.tr("Almost surely within (95 %)")),
            Spec("soft_times", self.tr("Soft at least"), unit="×", hint=self.tr("Of what is allowed; wanted soft")),
        ]  # fmt: skip

    def _scan_specs(self) -> list[Spec]:
        limits = self.tr("From and to, in metres")
        return [
            Spec("name", self.tr("Name"), "text"),
            Spec("need", self.tr("Need"), "choice", choices=self._needs()),
            Spec("weight", self.tr("Weight")),
            Spec("plus_minus_m", self.tr("Distance ±"), "length", hint=self.tr("Almost surely within (95 %)")),
            Spec("counts", self.tr("Counts"), "choice",
                 choices=(("all", self.tr("all of it")), ("part", self.tr("this region:")))),
            Spec("across", self.tr("Across"), "range", "m", limits),
            Spec("up", self.tr("Up"), "range", "m", limits),
            Spec("away", self.tr("Away"), "range", "m", limits),
        ]  # fmt: skip

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        self._head = QLabel(self.tr("Every point of these counts like a mark"))
        layout.addWidget(self._head)
        layout.addWidget(self.list, 1)
        first, second = QHBoxLayout(), QHBoxLayout()
        for widget in (self.kind_box, self.add_button, self.three_button):
            first.addWidget(widget, 1)
        for button in (self.scan_button, self.remove_button):
            second.addWidget(button, 1)
        layout.addLayout(first)
        layout.addLayout(second)
        layout.addWidget(self.complaint)
        self._stack = QStackedWidget()
        empty = QLabel(
            self.tr(
                "No surface yet. Add a floor or a facade where a whole area must be sharp, and drag it by the dart "
                "at its foot; or bring in a scan."
            )
        )
        empty.setWordWrap(True)
        for shown in (empty, self.form, self.scan_form):
            page = QWidget()
            inside = QVBoxLayout(page)
            inside.setContentsMargins(0, 0, 0, 0)
            inside.addWidget(shown)
            inside.addStretch(1)
            self._stack.addWidget(page)
        layout.addWidget(self._stack, 2)
        layout.addWidget(self._told)

    # Showing ---------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the plan as it is."""
        plan, row = self._document.plan, self.list.currentRow()
        words = dict(self._needs())
        self.list.blockSignals(True)
        self.list.clear()
        for surface in plan.surfaces:
            self.list.addItem(f"{surface.name} · {dict(self._kinds())[surface.kind]} · {words[surface.need]}")
        for cloud in plan.scans:
            said = self.tr("{0} · scan, {1} points · {2}")
            self.list.addItem(said.format(cloud.name, cloud.count, words[cloud.need]))
        count = self.list.count()
        self.list.setCurrentRow(min(max(row, 0), count - 1) if count else -1)
        self.list.blockSignals(False)
        self.remove_button.setEnabled(count > 0)
        self._show_current()

    def _show_current(self) -> None:
        plan, row = self._document.plan, self.list.currentRow()
        self.selected.emit(row if 0 <= row < len(plan.surfaces) else -1)
        self._told.setText("")
        if 0 <= row < len(plan.surfaces):
            self.form.show_model(plan.surfaces[row])
            self._stack.setCurrentIndex(1)
        elif 0 <= row - len(plan.surfaces) < len(plan.scans):
            cloud = plan.scans[row - len(plan.surfaces)]
            self.scan_form.show_model(_part_of(cloud))
            self._told.setText(self.tr("From {0}").format(cloud.file) if cloud.file else "")
            self._stack.setCurrentIndex(2)
        else:
            self._stack.setCurrentIndex(0)

    # Changing --------------------------------------------------------------------------------------

    def add(self) -> None:
        """A surface of the kind chosen, at the selected mark."""
        kind = str(self.kind_box.currentData())
        plan = self._document.plan
        values = dict(_FIRST[kind])
        rows = self._chosen_marks()
        if rows:
            mark = plan.marks[rows[0]]
            values |= {"x_m": mark.x_m, "y_m": mark.y_m, "z_m": mark.z_m}
        name = self.tr("{0} {1}").format(self.kind_box.currentText().capitalize(), len(plan.surfaces) + 1)
        self._add(Surface.model_validate({"name": name, "kind": kind} | values))

    def add_through_marks(self) -> None:
        """The surface through three selected marks."""
        rows = self._chosen_marks()
        if len(rows) != 3:
            self._complain(self.tr("{0} marks are selected; select three in the table of marks").format(len(rows)))
            return
        marks = [self._document.plan.marks[k] for k in rows]
        try:
            found = through_three(
                np.array([(m.x_m, m.y_m, m.z_m) for m in marks]),
                name=self.tr("Through {0}").format(", ".join(m.name for m in marks)),
            )
        except GeometryError as error:
            self._complain(say_error(error))
            return
        self._add(found)

    def _add(self, surface: Surface) -> None:
        self._complain("")
        surfaces = (*self._document.plan.surfaces, surface)
        self._document.update(self.tr("new surface"), surfaces=surfaces)
        self.list.setCurrentRow(len(surfaces) - 1)

    def select_last_scan(self) -> None:
        """Show the scan that was brought in last."""
        self.list.setCurrentRow(self.list.count() - 1)

    def remove(self) -> None:
        """Take away the one chosen."""
        plan, row = self._document.plan, self.list.currentRow()
        if 0 <= row < len(plan.surfaces):
            kept = tuple(s for k, s in enumerate(plan.surfaces) if k != row)
            self._document.update(self.tr("removal of a surface"), surfaces=kept)
        elif 0 <= row - len(plan.surfaces) < len(plan.scans):
            scans = tuple(s for k, s in enumerate(plan.scans) if k != row - len(plan.surfaces))
            self._document.update(self.tr("removal of a scan"), scans=scans)

    def _change_surface(self, surface: Surface, what: str) -> None:
        surfaces = list(self._document.plan.surfaces)
        surfaces[self.list.currentRow()] = surface
        self._document.update(self.tr("change of {0}").format(what), surfaces=tuple(surfaces))

    def _change_scan(self, part: _Part, what: str) -> None:
        scans = list(self._document.plan.scans)
        at = self.list.currentRow() - len(self._document.plan.surfaces)
        region = None if part.counts == "all" else (*part.across, *part.up, *part.away)
        update = {"name": part.name, "need": part.need, "weight": part.weight, "plus_minus_m": part.plus_minus_m}
        scans[at] = scans[at].model_copy(update=update | {"region_m": region})
        self._document.update(self.tr("change of {0}").format(what), scans=tuple(scans))

    def _complain(self, text: str) -> None:
        self.complaint.setText(text)
        self.complaint.setVisible(bool(text))


def _part_of(cloud: Cloud) -> _Part:
    region = cloud.region_m or (-10.0, 10.0, -2.0, 10.0, 0.0, 50.0)
    return _Part(
        name=cloud.name,
        need=cloud.need,
        weight=cloud.weight,
        plus_minus_m=cloud.plus_minus_m,
        counts="all" if cloud.region_m is None else "part",
        across=region[0:2],
        up=region[2:4],
        away=region[4:6],
    )
