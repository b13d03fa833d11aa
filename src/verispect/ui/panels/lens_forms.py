"""Everything that can be said of one lens, in tabs: what it is, how it moves, focuses, what is on it."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtWidgets import QLabel, QTabWidget, QVBoxLayout, QWidget

from verispect.kit.lens import AtFocal, FieldCurvature, FocusShift, Lens, Residual
from verispect.ui.controls.model_form import ModelForm, Spec
from verispect.ui.controls.rows_form import RowsForm


class LensForms(QTabWidget):
    """Forms over one lens. `edited(Lens, text)` gives the lens anew and what was changed."""

    edited = pyqtSignal(object, str)

    def __init__(self, system: Any) -> None:
        super().__init__()
        self.setAccessibleName(self.tr("Lens data"))
        self.setDocumentMode(True)
        self._lens: Lens | None = None
        self.main = ModelForm(self._main_specs(), system, columns=2)
        self.movements = ModelForm(self._movement_specs(), system, columns=2)
        self.focus = ModelForm(self._focus_specs(), system, columns=2)
        self.fitted = ModelForm(self._fitted_specs(), system, columns=1)
        self.by_focal = RowsForm(
            self.tr("Data by focal length"), AtFocal, self._focal_specs(), fresh={"focal_mm": 50}
        )
        self.residual = RowsForm(
            self.tr("Blur of the lens itself"),
            Residual,
            self._residual_specs(),
            fresh={"f_number": 8, "centre_um": 0, "corner_um": 0},
        )
        self.curvature = RowsForm(
            self.tr("Curvature of field"),
            FieldCurvature,
            [
                Spec("f_number", self.tr("Stop f/")),
                Spec("half_um", self.tr("Half-way µm")),
                Spec("corner_um", self.tr("Corner µm")),
                Spec("plus_minus_um", self.tr("± µm"), hint=self.tr("How surely, in the corner")),
            ],
            fresh={"f_number": 8, "half_um": 0, "corner_um": 0},
        )
        self.shift = RowsForm(
            self.tr("Focus shift"),
            FocusShift,
            [
                Spec("f_number", self.tr("Stop f/")),
                Spec("um", self.tr("Middle µm")),
                Spec("plus_minus_um", self.tr("± µm"), hint=self.tr("How surely")),
            ],
            fresh={"f_number": 8, "um": 0},
        )
        for table in (self.curvature, self.shift):
            table.setMaximumHeight(165)
        for form in (self.main, self.movements, self.focus):
            form.line_up(label_px=104, unit_px=22, columns=2)
            form.edited.connect(self._typed)
        self.fitted.edited.connect(lambda part, what: self._part(what, fitted=part))
        self.by_focal.edited.connect(lambda rows, what: self._part(what, by_focal=rows))
        self.residual.edited.connect(lambda rows, what: self._part(what, residual=rows))
        self.curvature.edited.connect(lambda rows, what: self._part(what, field_curvature=rows))
        self.shift.edited.connect(lambda rows, what: self._part(what, focus_shift=rows))
        bend = self.tr(
            "Where it is sharpest, at the sensor, positive away from the lens: half-way and in the corner against "
            "the middle, and the middle against the widest stop. Measured with a wall: focus on the middle, on the "
            "corner, note both distances d; µm are f² (1/d − 1/d₀) with f in mm and d in mm, times 1000. Left empty, "
            "the lens counts as flat, and its ± as is usual for its kind; known to be flat is a row of noughts"
        )
        quality = self.tr("Left in best focus, as a disc; between the rows straight in stops")
        zoom = self.tr("Empty cells are as the first tab says; between the rows straight in log focal length")
        self._add(self.tr("Lens"), self.main)
        self._add(self.tr("Moves"), self.movements)
        self._add(self.tr("Focus"), self.focus)
        self._add(self.tr("Fitted"), self.fitted)
        self._add(self.tr("Zoom"), self.by_focal, zoom)
        self._add(self.tr("Quality"), self.residual, quality)
        both = QWidget()
        rows = QVBoxLayout(both)
        rows.setContentsMargins(0, 0, 0, 0)
        for title, table in (
            (self.tr("Curvature of field, against the middle"), self.curvature),
            (self.tr("Focus shift, against the widest stop"), self.shift),
        ):
            rows.addWidget(QLabel(title))
            rows.addWidget(table)
        self._add(self.tr("Best focus"), both, bend)
        self.currentChanged.connect(lambda _index: self.updateGeometry())

    def hasHeightForWidth(self) -> bool:
        """No: of all pages together, seen or not, that would be the tallest."""
        return False

    def minimumSizeHint(self) -> QSize:
        """As tall as the page that is shown: what stands below need not lie under the tallest."""
        found, page, bar = super().minimumSizeHint(), self.currentWidget(), self.tabBar()
        if page is None or bar is None:
            return found
        across = page.heightForWidth(self.width()) if page.hasHeightForWidth() else page.minimumSizeHint().height()
        return QSize(found.width(), max(across, page.minimumSizeHint().height()) + bar.sizeHint().height() + 8)

    def sizeHint(self) -> QSize:
        """The same, as wide as it likes to be."""
        return QSize(super().sizeHint().width(), self.minimumSizeHint().height())

    def _add(self, title: str, form: QWidget, note: str = "") -> None:
        page = QWidget()
        layout = QVBoxLayout(page)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.addWidget(form)
        if note:
            label = QLabel(note)
            label.setWordWrap(True)
            label.setProperty("quiet", True)
            layout.addWidget(label)
        layout.addStretch(1)
        self.addTab(page, title)

    def show_lens(self, lens: Lens | None) -> None:
        """Take on a lens; None empties and disables all."""
        self._lens = lens
        for form in (self.main, self.movements, self.focus):
            form.show_model(lens)
            form.show_origins(
                () if lens is None else lens.typical,
                () if lens is None else lens.measured,
            )
        self.fitted.show_model(None if lens is None else lens.fitted)
        self.by_focal.show_rows(None if lens is None else lens.by_focal)
        self.residual.show_rows(None if lens is None else lens.residual)
        self.curvature.show_rows(None if lens is None else lens.field_curvature)
        self.shift.show_rows(None if lens is None else lens.focus_shift)

    def _typed(self, lens: Lens, what: str) -> None:
        """A figure that was typed is no longer a guess."""
        self.edited.emit(lens if self._lens is None else lens.typed(self._lens), what)

    def _part(self, what: str, **parts: Any) -> None:
        if self._lens is not None:
            self.edited.emit(self._lens.model_copy(update=parts).typed(self._lens), what)

    def _main_specs(self) -> list[Spec]:
        return [
            Spec("name", self.tr("Name"), "text"),
            Spec("focal_mm", self.tr("Focal length"), "range", "mm"),
            Spec("f_numbers", self.tr("Stops f/"), "range", "", self.tr("As marked: widest–smallest")),
            Spec("closest_m", self.tr("Closest focus"), "length", sure=True),
            Spec("closest_from", self.tr("taken from"), "choice",
                 choices=(("sensor", self.tr("sensor mark")), ("front", self.tr("lens front")),
                          ("principal", self.tr("principal pt")))),
            Spec("image_circle_mm", self.tr("Image circle"), "optional", "mm",
                 self.tr("Empty where unknown: then it covers the sensor wherever the lens itself moves"), sure=True),
            Spec("pupil_magnification", self.tr("Pupil ratio"), hint=self.tr("Exit over entrance pupil")),
            Spec("principal_separation_mm", self.tr("Principal gap"), unit="mm",
                 hint=self.tr("From the front to the rear principal point"), sure=True),
            Spec("pupil_behind_front_mm", self.tr("No-parallax point"), "optional", "mm",
                 self.tr("Entrance pupil behind the front of the lens: the point to turn a grid about"), sure=True),
            Spec("falloff_stops", self.tr("Corner darkening"), unit="EV",
                 hint=self.tr("Light lost at the edge of the image circle, in stops"), sure=True),
        ]  # fmt: skip

    def _movement_specs(self) -> list[Spec]:
        return [
            Spec("tilt_deg", self.tr("Tilt to"), unit="°", sure=True,
                 hint=self.tr("0 for a lens that does not tilt; a ± may stand behind: 8 ± 1")),
            Spec("shift_mm", self.tr("Shift to"), unit="mm", sure=True),
            Spec("tilt_mount", self.tr("Tilt mount"), "choice",
                 hint=self.tr("Free: tilt and swing each to the limit. Rotating: one tilt, turned to any side"),
                 choices=(("free", self.tr("free")), ("rotating", self.tr("rotating")))),
            Spec("detents_deg", self.tr("Clicks every"), "optional", "°",
                 self.tr("Of a rotating mount: the step between the directions it holds; empty: it holds any")),
            Spec("tilt_order", self.tr("Axes"), "choice",
                 hint=self.tr("Of a free mount: which axis is carried by the other"),
                 choices=(("swing rides", self.tr("swing on tilt")), ("tilt rides", self.tr("tilt on swing")))),
            Spec("tilt_pivot_mm", self.tr("Pivot ahead"), unit="mm",
                 hint=self.tr("Pivot of the tilt ahead of the rear principal point")),
            Spec("tilt_base_mm", self.tr("Pivot below centre"), unit="mm",
                 hint=self.tr("Pivot of a base tilt under the lens's centre; 0: at the centre")),
            Spec("tilt_scale_deg", self.tr("Tilt marks"), unit="°", hint=self.tr("Step of the scale; 0: no scale")),
            Spec("tilt_zero_deg", self.tr("Tilt at its 0"), unit="°",
                 hint=self.tr("What the lens truly tilts by where its scale reads 0; a tilt test measures it")),
            Spec("shift_scale_mm", self.tr("Shift marks"), unit="mm", hint=self.tr("Step of the scale; 0: no scale")),
            Spec("tilt_plus_minus_deg", self.tr("Tilt set to ±"), unit="°",
                 hint=self.tr("Almost surely within (95 %)")),
        ]  # fmt: skip

    def _focus_specs(self) -> list[Spec]:
        return [
            Spec("focusing", self.tr("Focuses by"), "choice",
                 hint=self.tr("Internal: the focal length changes on the way to closest focus"),
                 choices=(("extension", self.tr("extension")), ("internal", self.tr("inner group")))),
            Spec("reversed", self.tr("Fitted"), "choice",
                 choices=((False, self.tr("as built")), (True, self.tr("reversed, front to body")))),
            Spec("closest_magnification", self.tr("Closest magnification"), "optional", "",
                 self.tr("Measured at closest focus, such as 0.25: it tells the focal length there"), sure=True),
            Spec("focus_scale_mm", self.tr("Smallest lens travel"), unit="mm",
                 hint=self.tr("Finest step of the focus, as image distance; 0: any")),
            Spec("focus_plus_minus_mm", self.tr("Focus set to ±"), unit="mm",
                 hint=self.tr("As image distance; almost surely within (95 %)")),
            Spec("focal_plus_minus_percent", self.tr("Focal length ±"), unit="%",
                 hint=self.tr("How surely it is known; almost surely within (95 %)")),
            Spec("stop_plus_minus_stops", self.tr("Stop set to ±"), unit="EV",
                 hint=self.tr("In stops; almost surely within (95 %)")),
            Spec("pupil_plus_minus", self.tr("Pupil ratio ±"), hint=self.tr("Almost surely within (95 %)")),
            Spec("front_ahead_mm", self.tr("Front to principal"), unit="mm",
                 hint=self.tr("Front of the lens ahead of its front principal point"), sure=True),
        ]  # fmt: skip

    def _fitted_specs(self) -> list[Spec]:
        return [
            Spec("tube_mm", self.tr("Extension tubes"), unit="mm"),
            Spec("close_up_dioptres", self.tr("Close-up lens"), unit="1/m"),
            Spec("converter_times", self.tr("Teleconverter"), unit="×"),
            Spec("converter_from_image_mm", self.tr("Converter to image"), unit="mm",
                 hint=self.tr("Its lens before the image that the main lens forms alone")),
        ]  # fmt: skip

    def _focal_specs(self) -> list[Spec]:
        return [
            Spec("focal_mm", self.tr("mm")),
            Spec("f_numbers", self.tr("f/"), "optional range"),
            Spec("closest_m", self.tr("Near m"), "optional"),
            Spec("pupil_magnification", self.tr("Pupil"), "optional", hint=self.tr("Pupil magnification")),
            Spec("principal_separation_mm", self.tr("Sep."), "optional", hint=self.tr("Principal separation, mm")),
            Spec("pupil_behind_front_mm", self.tr("Entr."), "optional",
                 hint=self.tr("Entrance pupil behind the front, mm")),
            Spec("image_circle_mm", self.tr("Circle"), "optional", hint=self.tr("Image circle, mm")),
            Spec("tilt_deg", self.tr("Tilt"), "optional", hint=self.tr("Degrees")),
            Spec("shift_mm", self.tr("Shift"), "optional", hint=self.tr("mm")),
        ]  # fmt: skip

    def _residual_specs(self) -> list[Spec]:
        return [
            Spec("f_number", self.tr("Stop f/")),
            Spec("centre_um", self.tr("Middle µm")),
            Spec("corner_um", self.tr("Corner µm")),
            Spec("plus_minus_um", self.tr("± µm"), hint=self.tr("How surely, of the larger of both")),
            Spec("focal_mm", self.tr("At mm"), "optional", hint=self.tr("Of a zoom; empty: at every focal length")),
        ]
