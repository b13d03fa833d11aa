"""Kit: the body, its lenses, and what carries them."""

from __future__ import annotations

from functools import partial
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
    QSizePolicy,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from verispect.kit.equipment import Film, Flash, Head, Kit, Rail, Tripod
from verispect.kit.lens import Lens
from verispect.kit.origins import WithOrigins
from verispect.ui.controls.model_form import ModelForm, Spec
from verispect.ui.panels.lens_forms import LensForms
from verispect.ui.panels.stations.kit_starts import KitStarts
from verispect.ui.panels.stations.trials import TrialsPage
from verispect.ui.state.plan_document import PlanDocument


class KitPanel(QWidget):
    """Forms for the body, the lenses one at a time, the head, and times on site."""

    def __init__(self, document: PlanDocument, system: Any) -> None:
        super().__init__()
        self._document = document
        self._current = 0
        self.body_form = ModelForm(self._body_specs(), system, columns=2)
        self.body_form.edited.connect(partial(self._typed, "body"))
        self.lens_box = QComboBox()
        self.lens_box.setAccessibleName(self.tr("Lens"))
        self.lens_box.activated.connect(self._take_lens)
        self.lens_forms = LensForms(system)
        self.lens_forms.edited.connect(self._change_lens)
        self.camera_form = ModelForm(self._camera_specs(), system, columns=2)
        self.camera_form.edited.connect(lambda body, what: self._change(what, body=body))
        self.film_form = ModelForm(self._film_specs(), system, columns=2)
        self.film_form.edited.connect(self._change_film)
        self.use_form = ModelForm(self._use_specs(), system, columns=2)
        self.use_form.edited.connect(
            lambda kit, what: document.update(self.tr("change of {0}").format(what), kit=kit)
        )
        self.add_button = QPushButton(self.tr("A&dd lens"))
        self.remove_button = QPushButton(self.tr("Re&move lens"))
        self.add_button.clicked.connect(self.add_lens)
        self.remove_button.clicked.connect(self.remove_lens)
        self.head_box = QCheckBox(self.tr("The head turns about the entrance pupil"))
        self.head_box.clicked.connect(self._change_head)
        self.rail_box = QCheckBox(self.tr("A focusing rail"))
        self.rail_box.clicked.connect(lambda on: self._change(self.tr("rail"), rail=Rail() if on else None))
        self.rail_form = ModelForm(
            [
                Spec("travel_mm", self.tr("Travel"), unit="mm", sure=True),
                Spec("slack_mm", self.tr("Slack"), unit="mm", sure=True),
            ],
            system,
            columns=2,
        )
        self.rail_form.edited.connect(partial(self._typed, "rail"))
        self.store_form = ModelForm(self._store_specs(), system, columns=2)
        self.store_form.edited.connect(partial(self._typed, "body"))
        off = Spec(
            "off_mm",
            self.tr("Pivot misses by"),
            unit="mm",
            hint=self.tr("The entrance pupil off its axis"),
            sure=True,
        )
        slack = Spec(
            "slack_deg", self.tr("Slack"), unit="°", hint=self.tr("Of a driven head, when it turns back"), sure=True
        )
        step = Spec("step_deg", self.tr("Clicks every"), unit="°", hint=self.tr("From straight ahead; 0: any angle"))
        self.head_form = ModelForm([off, slack, step], system, columns=2)
        self.head_form.edited.connect(partial(self._typed, "head"))
        self.times_form = ModelForm(self._times_specs(), system, columns=2)
        self.times_form.edited.connect(lambda times, what: self._change(what, times=times))
        self.tripod_form = ModelForm(self._tripod_specs(), system, columns=2)
        self.tripod_form.edited.connect(partial(self._typed, "tripod"))
        self.flash_form = ModelForm(
            [Spec("name", self.tr("Flash"), "text"), Spec("recycle_s", self.tr("Full after"), unit="s", sure=True)],
            system, columns=2,
        )  # fmt: skip
        self.flash_form.edited.connect(self._change_flash)
        self.trials = TrialsPage(system)
        self.starts = KitStarts()
        self.starts.lens.connect(self.take_lens)
        self.starts.body.connect(lambda body: self._change(self.tr("body"), body=body))
        self.starts.carrier.connect(self._take_carrier)
        self._build()
        document.changed.connect(self.refresh)

    def _body_specs(self) -> list[Spec]:
        return [
            Spec("name", self.tr("Body"), "text"),
            Spec("sensor_mm", self.tr("Sensor"), "pair", "mm"),
            Spec("pixels", self.tr("Pixels"), "pair"),
            Spec("iso", self.tr("ISO"), "number"),
            Spec(
                "iso_range",
                self.tr("ISO range"),
                "optional range",
                "",
                self.tr("May be raised so far for what moves; empty: not at all"),
            ),
        ]

    def _camera_specs(self) -> list[Spec]:
        return [
            Spec("back_tilt_deg", self.tr("Back tilts to"), unit="°",
                 hint=self.tr("Tilt and swing of the back, each way; 0 for a fixed back")),
            Spec("back_shift_mm", self.tr("Back shifts to"), unit="mm", hint=self.tr("Rise, fall and cross")),
            Spec("angle_scale_deg", self.tr("Back's scale marks"), unit="°", hint=self.tr("Step; 0: no scale")),
            Spec("back_order", self.tr("Back's axes"), "choice",
                 choices=(("swing rides", self.tr("swing on tilt")), ("tilt rides", self.tr("tilt on swing")))),
        ]  # fmt: skip

    def _film_specs(self) -> list[Spec]:
        return [
            Spec("exponent", self.tr("Film slows, exponent"), hint=self.tr("1: no loss in long exposures")),
            Spec("from_s", self.tr("Film slows over"), unit="s"),
        ]

    def _use_specs(self) -> list[Spec]:
        return [
            Spec("filter_stops", self.tr("Filters take"), unit="EV"),
            Spec("refuse_smallest", self.tr("Avoid smallest"), unit="EV",
                 hint=self.tr("So many of each lens's smallest full stops are not used; 3 is a common habit")),
        ]  # fmt: skip

    def _times_specs(self) -> list[Spec]:
        names = {
            "set_up_s": self.tr("Set up"),
            "tilt_set_up_s": self.tr("Set tilt"),
            "head_set_up_s": self.tr("Set head"),
            "settle_s": self.tr("Settle"),
            "timer_s": self.tr("Self-timer"),
            "write_s": self.tr("Write"),
            "flash_recycle_s": self.tr("Flash ready"),
            "refocus_s": self.tr("Refocus"),
            "shift_s": self.tr("Shift"),
            "turn_s": self.tr("Turn"),
            "rail_set_up_s": self.tr("Set rail"),
            "rail_s": self.tr("Move rail"),
        }
        each = self.tr("For each megapixel of each frame")
        return [
            *(Spec(key, name, unit="s") for key, name in names.items()),
            Spec("merge_s_per_mp", self.tr("Merging, per MP"), unit="s", hint=each),
            Spec("join_s_per_mp", self.tr("Join, a MP"), unit="s", hint=each),
        ]

    def _tripod_specs(self) -> list[Spec]:
        return [
            Spec("name", self.tr("Tripod"), "text"),
            Spec("swing_arcsec", self.tr("Swings by"), unit="″",
                 sure=True,
                 hint=self.tr("To either side just after a touch; the settle test measures it; 0: not known")),
            Spec("decay_s", self.tr("Dies away in"), unit="s", sure=True,
                 hint=self.tr("Until a third of the swing is left")),
            Spec("swing_hz", self.tr("Swings a second"), unit="Hz", sure=True),
            Spec("column_times", self.tr("Column up, times"), sure=True,
                 hint=self.tr("How much farther it swings with it up")),
        ]  # fmt: skip

    def _store_specs(self) -> list[Spec]:
        return [
            Spec("file_mb", self.tr("Raw file"), "optional", "MB", self.tr("Empty: its pixels at so many bits")),
            Spec("bits", self.tr("Bits a pixel"), hint=self.tr("Of a raw file as it is packed"), sure=True),
            Spec("battery_frames", self.tr("Battery for"), hint=self.tr("Frames to one charge"), sure=True),
            Spec("battery_min", self.tr("Live view for"), unit="min", hint=self.tr("To one charge"), sure=True),
            Spec("merge_limit", self.tr("Merges at most"), "optional", "",
                 self.tr("Frames that the body merges by itself; empty: not known")),
            Spec("merge_keeps", self.tr("In-camera keeps"), "optional", "",
                 self.tr("Share of the width that a merge in the camera leaves, such as 0.7; empty: not used")),
        ]  # fmt: skip

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
        inside.addWidget(self.starts)
        self._empty = QLabel(self.tr("No lens yet: add the first one."))
        inside.addWidget(self._empty)
        self.lens_forms.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        inside.addWidget(self.lens_forms)
        layout.addWidget(lenses)
        layout.addWidget(self.head_box)
        beside = QHBoxLayout()
        beside.addWidget(self.rail_box, 1)
        beside.addWidget(self.rail_form, 1)
        layout.addLayout(beside)
        self.more = QTabWidget()
        self.more.setDocumentMode(True)
        self.more.setAccessibleName(self.tr("Camera and times"))
        for title, forms in (
            (self.tr("Back, film, filters"), (self.camera_form, self.film_form, self.use_form)),
            (self.tr("Times"), (self.times_form,)),
            (self.tr("Files, battery, head"), (self.store_form, self.head_form)),
            (self.tr("Tripod, flash"), (self.tripod_form, self.flash_form)),
        ):
            page = QWidget()
            inside = QVBoxLayout(page)
            inside.setContentsMargins(0, 6, 0, 0)
            inside.setSpacing(2)
            for form in forms:
                form.line_up(label_px=104, unit_px=22, columns=2)
                inside.addWidget(form)
            inside.addStretch(1)
            self.more.addTab(page, title)
        self.more.addTab(self.trials, self.tr("Tests"))
        layout.addWidget(self.more)
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
    def current_lens(self) -> Lens | None:
        """The lens in the forms."""
        lenses = self._kit.lenses
        return lenses[self._current] if lenses else None

    @property
    def _kit(self) -> Kit:
        return self._document.plan.kit

    def refresh(self) -> None:
        """Show the plan as it is."""
        kit = self._kit
        self._current = max(0, min(self._current, len(kit.lenses) - 1))
        self._show_piece(self.body_form, kit.body)
        self.lens_box.clear()
        self.lens_box.addItems([lens.name for lens in kit.lenses])
        self.lens_box.setCurrentIndex(self._current if kit.lenses else -1)
        self.lens_forms.show_lens(kit.lenses[self._current] if kit.lenses else None)
        self.camera_form.show_model(kit.body)
        self.film_form.show_model(kit.body.film or Film(exponent=1.0))
        self.use_form.show_model(kit)
        self.remove_button.setEnabled(bool(kit.lenses))
        self._empty.setVisible(not kit.lenses)
        self.head_box.setChecked(kit.head is not None and kit.head.turns)
        self.rail_box.setChecked(kit.rail is not None)
        self._show_piece(self.rail_form, kit.rail)
        self.times_form.show_model(kit.times)
        self._show_piece(self.store_form, kit.body)
        self._show_piece(self.head_form, kit.head)
        self._show_piece(self.tripod_form, kit.tripod or Tripod())
        self._show_piece(self.flash_form, kit.flash or Flash(recycle_s=kit.times.flash_recycle_s))

    def _change(self, what: str, **parts: Any) -> None:
        kit = self._kit.model_copy(update=parts)
        self._document.update(self.tr("change of {0}").format(what), kit=kit)

    def _typed(self, key: str, piece: WithOrigins, what: str) -> None:
        """A figure that was typed is no longer a guess."""
        before = getattr(self._kit, key)
        self._change(what, **{key: piece if before is None else piece.typed(before)})

    def _show_piece(self, form: ModelForm, piece: WithOrigins | None) -> None:
        form.show_model(piece)
        form.show_origins(() if piece is None else piece.typical, () if piece is None else piece.measured)

    def _change_flash(self, flash: Flash, what: str) -> None:
        """Frames wait for the flash that is in the kit."""
        flash = flash if self._kit.flash is None else flash.typed(self._kit.flash)
        times = self._kit.times.model_copy(update={"flash_recycle_s": flash.recycle_s})
        self._change(what, flash=flash, times=times)

    def _change_film(self, film: Film, what: str) -> None:
        kept = None if film.exponent == 1.0 else film
        self._change(what, body=self._kit.body.model_copy(update={"film": kept}))

    def _take_lens(self, index: int) -> None:
        self._current = index
        self.refresh()

    def _change_lens(self, lens: Lens, what: str) -> None:
        lenses = list(self._kit.lenses)
        lenses[self._current] = lens
        self._change(what, lenses=tuple(lenses))

    def add_lens(self) -> None:
        """A plain lens to start from, at the framing's focal length."""
        framing = round(self._document.plan.whole_focal_mm, 1)
        name = self.tr("Lens {0}").format(len(self._kit.lenses) + 1)
        lens = Lens(name=name, focal_mm=(framing, framing), f_numbers=(2.8, 22), closest_m=0.4)
        self._current = len(self._kit.lenses)
        self._change(self.tr("lenses"), lenses=(*self._kit.lenses, lens))

    def take_lens(self, lens: Lens) -> None:
        """A lens that is known in part; a name that is taken gets a number."""
        taken, name, number = {own.name for own in self._kit.lenses}, lens.name, 2
        while name in taken:
            name, number = f"{lens.name} ({number})", number + 1
        self._current = len(self._kit.lenses)
        self._change(self.tr("lenses"), lenses=(*self._kit.lenses, lens.model_copy(update={"name": name})))

    def _take_carrier(self, piece: Head | Rail | Tripod | Flash) -> None:
        if isinstance(piece, Head):
            self._change(self.tr("head"), head=piece)
        elif isinstance(piece, Rail):
            self._change(self.tr("rail"), rail=piece)
        elif isinstance(piece, Tripod):
            self._change(self.tr("tripod"), tripod=piece)
        else:
            self._change_flash(piece, self.tr("flash"))

    def remove_lens(self) -> None:
        """Take away the lens in the form."""
        kept = tuple(lens for k, lens in enumerate(self._kit.lenses) if k != self._current)
        self._change(self.tr("lenses"), lenses=kept)

    def _change_head(self, turns: bool) -> None:
        head = (self._kit.head or Head()).model_copy(update={"turns": turns})
        self._change(self.tr("head"), head=head)
