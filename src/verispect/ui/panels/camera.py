"""Camera: how it frames the picture, how upright lines come out, and what would keep them upright."""

from __future__ import annotations

from collections.abc import Callable

from pydantic import BaseModel, ConfigDict, Field
from PyQt6.QtWidgets import QGroupBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from verispect.subject.camera import Camera
from verispect.ui.controls.lengths import format_length
from verispect.ui.controls.model_form import ModelForm, Spec
from verispect.ui.state.plan_document import PlanDocument

# Of life size: nearer than that a picture is framed by its width.
_CLOSE = 0.05


class _Wanted(BaseModel):
    """A width to be taken in at a distance."""

    model_config = ConfigDict(frozen=True, allow_inf_nan=False)

    width_m: float = Field(default=6.0, gt=0.0, le=1e6)
    distance_m: float = Field(default=8.0, gt=0.0, le=1e6)


class CameraPage(QWidget):
    """The camera's form and helps for framing."""

    def __init__(self, document: PlanDocument, system: Callable[[], str]) -> None:
        super().__init__()
        self._document, self._system = document, system
        self.form = ModelForm(self._specs(), system, columns=2)
        self.form.line_up(label_px=84, unit_px=20, columns=2)
        self.form.edited.connect(self._on_edited)
        self.lines = QLabel()
        self.lines.setWordWrap(True)
        self.level_button = QPushButton(self.tr("&Level the camera and raise the lens"))
        self.level_button.clicked.connect(self.level)
        self._wanted = _Wanted()
        self.wanted_form = ModelForm(self._wanted_specs(), system, columns=2)
        self.wanted_form.line_up(label_px=84, unit_px=20, columns=2)
        self.wanted_form.edited.connect(self._on_wanted)
        self.wanted_words = QLabel()
        self.wanted_words.setWordWrap(True)
        self.take_button = QPushButton(self.tr("&Frame it so"))
        self.take_button.clicked.connect(self.take_framing)
        self._build()
        document.changed.connect(self.refresh)
        self.refresh()

    def _specs(self) -> list[Spec]:
        sure = self.tr("Almost surely within (95 %)")
        held = ((False, self.tr("wide")), (True, self.tr("upright")))
        by_hand = ((False, self.tr("on a tripod")), (True, self.tr("by hand")))
        return [
            Spec("height_m", self.tr("Height"), "length", "", self.tr("Lens above the ground")),
            Spec("height_plus_minus_m", self.tr("Height ±"), "length", "", sure),
            Spec("bearing_deg", self.tr("Bearing"), unit="°", hint=self.tr("Positive turns right")),
            Spec("bearing_plus_minus_deg", self.tr("Bearing ±"), unit="°", hint=sure),
            Spec("pitch_deg", self.tr("Pitch"), unit="°", hint=self.tr("Positive looks up")),
            Spec("pitch_plus_minus_deg", self.tr("Pitch ±"), unit="°", hint=sure),
            Spec("roll_deg", self.tr("Roll"), unit="°", hint=self.tr("Positive leans right")),
            Spec("roll_plus_minus_deg", self.tr("Roll ±"), unit="°", hint=sure),
            Spec("framing_mm", self.tr("Framing"), unit="mm",
                 hint=self.tr("The focal length whose field is the wanted picture, whichever lens takes it")),
            Spec("upright", self.tr("Held"), "choice", choices=held),
            Spec("rise_mm", self.tr("Rise"), unit="mm", hint=self.tr("Of the lens at the framing; negative is fall")),
            Spec("cross_mm", self.tr("Cross"), unit="mm", hint=self.tr("Of the lens, to the right")),
            Spec("aspect", self.tr("Crop"), "optional", "w:h",
                 self.tr("Width over height of the wanted picture, such as 1.5; empty: all of the sensor")),
            Spec("around", self.tr("Reaches"), "choice",
                 hint=self.tr("All round is for a head that turns; the print is then of the whole, rolled out"),
                 choices=(("picture", self.tr("as framed")), ("circle", self.tr("all round, as high as framed")),
                          ("sphere", self.tr("in every direction")))),
            Spec("hand_held", self.tr("Stands"), "choice", choices=by_hand,
                 hint=self.tr("By hand the picture shakes with the time, and frames cannot be merged or joined")),
            Spec("column_up", self.tr("Column"), "choice",
                 choices=((False, self.tr("down")), (True, self.tr("up"))),
                 hint=self.tr("Of the tripod: put up it swings farther after a touch")),
            Spec("stabiliser_stops", self.tr("Stabiliser"), unit=self.tr("stops"),
                 hint=self.tr("What a stabiliser is worth by hand; 0: none")),
        ]  # fmt: skip

    def _wanted_specs(self) -> list[Spec]:
        return [
            Spec("width_m", self.tr("Take in"), "length", hint=self.tr("So much from left to right")),
            Spec("distance_m", self.tr("at"), "length", hint=self.tr("Away from the lens")),
        ]  # fmt: skip

    def _build(self) -> None:
        upright = QGroupBox(self.tr("Upright lines"))
        inside = QVBoxLayout(upright)
        inside.setContentsMargins(0, 4, 0, 0)
        inside.addWidget(self.lines)
        inside.addWidget(self.level_button)
        choice = QGroupBox(self.tr("Which focal length"))
        within = QVBoxLayout(choice)
        within.setContentsMargins(0, 4, 0, 0)
        within.addWidget(self.wanted_form)
        row = QHBoxLayout()
        row.addWidget(self.wanted_words, 1)
        row.addWidget(self.take_button)
        within.addLayout(row)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.addWidget(self.form)
        layout.addWidget(upright)
        layout.addWidget(choice)
        layout.addStretch(1)

    def refresh(self) -> None:
        """Show the plan as it is."""
        from verispect.plan.assess.perspective import converging, levelled_rise_mm, upright_options

        plan = self._document.plan
        self.form.show_model(plan.camera)
        self.wanted_form.show_model(self._wanted)
        level = abs(plan.camera.pitch_deg) < 0.005 and abs(plan.camera.roll_deg) < 0.005
        self.level_button.setEnabled(not level)
        self._say_framing()
        if level:
            self.lines.setText(self.tr("The camera is level: upright lines come out upright."))
            return
        lean = converging(plan)
        where = self.tr("above") if lean.degrees > 0 else self.tr("below")
        rise = levelled_rise_mm(plan)
        move = self.tr("raise") if rise >= 0 else self.tr("lower")
        said = [
            self.tr(
                "Upright lines at both sides lean {0:.1f}° towards one another and meet {1}; the picture is narrower "
                "by {2:.0f} pixels there. Level the camera and {3} the lens {4:.1f} mm at the framing for the same "
                "picture with upright lines."
            ).format(abs(lean.degrees), where, abs(lean.pixels), move, abs(rise))
        ]
        for option in upright_options(plan):
            if option.fits:
                said.append(
                    self.tr("{0} can: it needs {1:.1f} of its {2:g} mm, {3:.1f} mm of its circle are spare.").format(
                        option.lens, abs(option.rise_mm), option.limit_mm, option.reserve_mm
                    )
                )
            elif abs(option.rise_mm) > option.limit_mm:
                said.append(
                    self.tr("{0} cannot: it needs {1:.1f} mm and shifts {2:g}.").format(
                        option.lens, abs(option.rise_mm), option.limit_mm
                    )
                )
            else:
                said.append(
                    self.tr("{0} cannot: its image circle misses a corner by {1:.1f} mm.").format(
                        option.lens, -option.reserve_mm
                    )
                )
        self.lines.setText("\n".join(said))

    def level(self) -> None:
        """The same picture from a level camera with the lens raised or lowered."""
        from verispect.plan.assess.perspective import levelled_rise_mm

        plan = self._document.plan
        camera = plan.camera.model_copy(
            update={"pitch_deg": 0.0, "roll_deg": 0.0, "rise_mm": round(levelled_rise_mm(plan), 2)}
        )
        self._document.update(self.tr("levelling"), camera=camera)

    def _on_edited(self, camera: Camera, what: str) -> None:
        if camera.framing_mm != self._document.plan.camera.framing_mm:
            # A focal length typed takes the place of a width.
            camera = camera.model_copy(update={"framing_width_mm": None, "framing_at_m": None})
        self._document.update(self.tr("change of {0}").format(what), camera=camera)

    def _on_wanted(self, wanted: _Wanted, _what: str) -> None:
        self._wanted = wanted
        self.wanted_form.show_model(wanted)
        self._say_framing()

    def _framing_mm(self) -> float:
        from verispect.plan.assess.perspective import focal_for_width_mm

        return focal_for_width_mm(
            self._document.plan, width_m=self._wanted.width_m, distance_m=self._wanted.distance_m
        )

    def _say_framing(self) -> None:
        from verispect.kit.mounted_lens import focal_range

        framing = self._framing_mm()
        wide = [lens.name for lens in self._document.plan.kit.lenses if focal_range(lens)[0] <= framing * 1.000001]
        can = self.tr("in one frame with {0}").format(", ".join(wide)) if wide else self.tr("with none in one frame")
        said = self.tr("A focal length of {0:.1f} mm: {1}").format(framing, can)
        camera = self._document.plan.camera
        if camera.framing_width_mm is not None and camera.framing_at_m is not None:
            width, away = camera.framing_width_mm / 1000.0, camera.framing_at_m
            system = self._system()
            said += "\n" + self.tr("Framed by its width now: {0} at {1}").format(
                format_length(width, system), format_length(away, system)
            )
        self.wanted_words.setText(said)

    def take_framing(self) -> None:
        """Frame so that the width is taken in; by the width itself where a focal length alone says little."""
        wanted, framing = self._wanted, round(self._framing_mm(), 1)
        update: dict[str, float | None] = {"framing_mm": framing, "framing_width_mm": None, "framing_at_m": None}
        if self._document.plan.picture_mm[0] > _CLOSE * 1000.0 * wanted.width_m:
            update |= {"framing_width_mm": 1000.0 * wanted.width_m, "framing_at_m": wanted.distance_m}
        camera = self._document.plan.camera.model_copy(update=update)
        self._document.update(self.tr("change of the framing"), camera=camera)
