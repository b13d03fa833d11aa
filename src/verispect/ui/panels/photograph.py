"""Photograph: open one taken from the camera's place, level it, and catch marks on it in the frame drawing."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QGroupBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from verispect.errors import VerispectError
from verispect.plan.entry.photo_mark import Stands, levelled, mark_seen, scaled_by
from verispect.subject.mark import Mark
from verispect.subject.photograph import Level, level_from_horizon, level_from_verticals
from verispect.ui.controls.lengths import format_length
from verispect.ui.controls.model_form import ModelForm, Spec
from verispect.ui.controls.translate import say_error
from verispect.ui.state.plan_document import PlanDocument


class _Seen(BaseModel):
    """What fixes the distance of the next click."""

    model_config = ConfigDict(frozen=True, allow_inf_nan=False)

    name: str = Field(default="", max_length=200)
    stands: str = "ground"
    distance_m: float = Field(default=5.0, gt=0.0, le=1e6)
    length_m: float = Field(default=1.0, gt=0.0, le=1e4)


class PhotographPage(QWidget):
    """The photograph's data, and its tools.

    Signals
    -------
    open_wanted
    tool_wanted(str)
        "point", "line" or "" for the frame drawing.
    added(int)
        The row of a mark that was caught.
    """

    open_wanted = pyqtSignal()
    tool_wanted = pyqtSignal(str)
    added = pyqtSignal(int)

    def __init__(self, document: PlanDocument, system: Callable[[], str], chosen: Callable[[], list[int]]) -> None:
        super().__init__()
        self._document, self._system, self._chosen = document, system, chosen
        self._lines: list[np.ndarray] = []
        self._level: Level | None = None
        self._tool = ""
        self.open_button = QPushButton(self.tr("&Open a photograph…"))
        self.away_button = QPushButton(self.tr("&Take it away"))
        self.open_button.clicked.connect(self.open_wanted)
        self.away_button.clicked.connect(
            lambda: document.update(self.tr("removal of the photograph"), photograph=None)
        )
        self.form = ModelForm(self._specs(), system, columns=2)
        self.form.line_up(label_px=84, unit_px=20, columns=2)
        self.form.edited.connect(
            lambda photo, what: document.update(self.tr("change of {0}").format(what), photograph=photo)
        )
        self.tools: dict[str, QPushButton] = {}
        for key, words, hint in self._tool_words():
            button = QPushButton(words)
            button.setCheckable(True)
            button.setToolTip(hint)
            button.clicked.connect(lambda checked, key=key: self.take_tool(key if checked else ""))
            self.tools[key] = button
        self.seen_form = ModelForm(self._seen_specs(), system, columns=2)
        self.seen_form.line_up(label_px=84, unit_px=20, columns=2)
        self._seen = _Seen()
        self.seen_form.edited.connect(self._keep_seen)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.complaint = QLabel()
        self.complaint.setProperty("wrong", True)
        self.complaint.setWordWrap(True)
        self.complaint.hide()
        self.level_button = QPushButton(self.tr("Take this &level"))
        self.level_button.clicked.connect(self.take_level)
        self.with_camera = QCheckBox(self.tr("The camera stands as it did for the photograph"))
        self.with_camera.setChecked(True)
        self._build()
        document.changed.connect(self.refresh)
        self.refresh()

    def _specs(self) -> list[Spec]:
        sure = self.tr("Almost surely within (95 %)")
        return [
            Spec("focal_mm", self.tr("Focal length"), unit="mm", hint=self.tr("That it was taken with")),
            Spec("sensor_long_mm", self.tr("Sensor, long"), unit="mm", hint=self.tr("Long side of its sensor")),
            Spec("bearing_deg", self.tr("Bearing"), unit="°"),
            Spec("pitch_deg", self.tr("Pitch"), unit="°"),
            Spec("roll_deg", self.tr("Roll"), unit="°"),
            Spec("pitch_plus_minus_deg", self.tr("Pitch ±"), unit="°", hint=sure),
            Spec("axis_column_px", self.tr("Axis at column"), "optional", "px",
                 self.tr("Of a cropped picture, or one taken with shift: where the lens's axis meets it, from its "
                         "left edge; empty: in the middle")),
            Spec("axis_row_px", self.tr("Axis at row"), "optional", "px",
                 self.tr("From its upper edge; empty: in the middle")),
            Spec("distortion_percent", self.tr("Distortion"), unit="%",
                 hint=self.tr("Of the lens, at the corner; negative where lines bow outwards. It is taken out")),
        ]  # fmt: skip

    def _tool_words(self) -> list[tuple[str, str, str]]:
        return [
            ("mark", self.tr("&Catch marks"), self.tr("Click a thing in the frame drawing")),
            ("uprights", self.tr("Draw &uprights"), self.tr("Draw along two or more upright edges")),
            ("horizon", self.tr("Draw the &horizon"), self.tr("Draw along the horizon, from end to end")),
            ("length", self.tr("&Known length"), self.tr("Draw from foot to top of an upright thing on the ground")),
        ]  # fmt: skip

    def _seen_specs(self) -> list[Spec]:
        stands = (
            ("ground", self.tr("on the ground")), ("distance", self.tr("at a distance")),
            ("surface", self.tr("on the surface chosen")), ("above", self.tr("above the mark selected")),
        )  # fmt: skip
        return [
            Spec("name", self.tr("Name"), "text"),
            Spec("stands", self.tr("It is"), "choice", choices=stands,
                 hint=self.tr("What fixes its distance")),
            Spec("distance_m", self.tr("Distance"), "length", hint=self.tr("Along the line of sight")),
            Spec("length_m", self.tr("Known length"), "length"),
        ]  # fmt: skip

    def _build(self) -> None:
        top = QHBoxLayout()
        top.addWidget(self.open_button, 1)
        top.addWidget(self.away_button, 1)
        self._head = QLabel()
        self._head.setWordWrap(True)
        tools = QGroupBox(self.tr("On the photograph, in the frame drawing"))
        inside = QVBoxLayout(tools)
        inside.setContentsMargins(0, 4, 0, 0)
        grid = QGridLayout()
        for k, button in enumerate(self.tools.values()):
            grid.addWidget(button, k // 2, k % 2)
        inside.addLayout(grid)
        inside.addWidget(self.seen_form)
        inside.addWidget(self.told)
        inside.addWidget(self.complaint)
        inside.addWidget(self.level_button)
        inside.addWidget(self.with_camera)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.addLayout(top)
        layout.addWidget(self._head)
        layout.addWidget(self.form)
        layout.addWidget(tools)
        layout.addStretch(1)

    def refresh(self) -> None:
        """Show the plan as it is."""
        photo = self._document.plan.photograph
        self.form.show_model(photo)
        self.seen_form.show_model(self._seen)
        self.away_button.setEnabled(photo is not None)
        for button in self.tools.values():
            button.setEnabled(photo is not None)
        self.level_button.setEnabled(self._level is not None)
        if photo is None:
            self._head.setText(
                self.tr(
                    "Open a photograph taken from where the camera stands, as JPEG, TIFF, PNG or camera raw. It lies "
                    "under the frame drawing; click on it to catch directions, draw on it to level it."
                )
            )
        else:
            self._head.setText(self.tr("{0}: {1} × {2} pixels").format(photo.file.rpartition("/")[2], *photo.pixels))

    # Tools -----------------------------------------------------------------------------------------

    def take_tool(self, key: str) -> None:
        """Take up a tool of the photograph, or put it down."""
        self._tool, self._lines = key, []
        self._set_level(None)
        self._complain("")
        self.told.setText({k: hint for k, _, hint in self._tool_words()}.get(key, ""))
        self.tool_wanted.emit("point" if key == "mark" else "line" if key else "")

    def show_tool(self, tool: str) -> None:
        """The board has another tool in hand."""
        if not tool or tool == "measure":
            self._tool = ""
        for key, button in self.tools.items():
            button.setChecked(key == self._tool)

    def _keep_seen(self, seen: _Seen, _what: str) -> None:
        self._seen = seen
        self.seen_form.show_model(seen)

    def on_point(self, direction: np.ndarray) -> None:
        """A place of the frame drawing was clicked."""
        if self._tool != "mark":
            return
        plan = self._document.plan
        chosen = self._chosen()
        index = chosen[0] if chosen else len(plan.marks) - 1
        if self._seen.stands == "surface":
            index = self._chosen_surface()
        name = self._seen.name or self.tr("Mark {0}").format(len(plan.marks) + 1)
        try:
            mark = mark_seen(
                plan,
                direction,
                name=name,
                stands=Stands(self._seen.stands),
                distance_m=self._seen.distance_m,
                index=index,
            )
        except VerispectError as error:
            self._complain(say_error(error))
            return
        self._add(mark)
        self._keep_seen(self._seen.model_copy(update={"name": ""}), "")

    def _chosen_surface(self) -> int:
        return self.surface_row() if self.surface_row is not None else 0

    # Told by the panel that holds both.
    surface_row: Callable[[], int] | None = None

    def _add(self, mark: Mark) -> None:
        self._complain("")
        marks = self._document.plan.marks
        self._document.update(self.tr("new mark"), marks=(*marks, mark))
        away = format_length(float(np.hypot(mark.x_m, mark.z_m)), self._system())
        off = format_length(mark.plus_minus_m, self._system())
        self.told.setText(self.tr("{0}: {1} away along the ground, ± {2}").format(mark.name, away, off))
        self.added.emit(len(marks))

    def on_line(self, first: np.ndarray, second: np.ndarray) -> None:
        """A line was drawn in the frame drawing."""
        photo = self._document.plan.photograph
        if photo is None or self._tool not in ("uprights", "horizon", "length"):
            return
        try:
            if self._tool == "length":
                self._take_length(first, second)
                return
            self._lines.append(photo.pixel_of(np.stack([first, second])))
            if self._tool == "horizon":
                self._set_level(level_from_horizon(photo, self._lines[-1]))
            elif len(self._lines) < 2:
                self.told.setText(self.tr("One upright drawn; draw another, well apart"))
            else:
                self._set_level(level_from_verticals(photo, np.stack(self._lines)))
        except VerispectError as error:
            self._lines = self._lines[:-1]
            self._complain(say_error(error))

    def _set_level(self, level: Level | None) -> None:
        self._level = level
        self.level_button.setEnabled(level is not None)
        if level is None:
            return
        self._complain("")
        self.told.setText(
            self.tr("Pitch {0:+.2f}° ± {1:.2f}°, roll {2:+.2f}° ± {3:.2f}°").format(
                *np.degrees(
                    [level.pitch_rad, level.pitch_plus_minus_rad, level.roll_rad, level.roll_plus_minus_rad]
                ).tolist()
            )
        )

    def take_level(self) -> None:
        """Level the photograph, and the camera with it, as was drawn."""
        if self._level is None:
            return
        plan = levelled(self._document.plan, self._level, with_camera=self.with_camera.isChecked())
        self._document.change(plan, self.tr("levelling"))
        self._lines = []
        self._set_level(None)

    def _take_length(self, foot: np.ndarray, top: np.ndarray) -> None:
        """The scale from an upright thing: the camera's height, and a mark at its foot."""
        if foot[1] > top[1]:
            foot, top = top, foot
        plan = self._document.plan
        found = scaled_by(plan, foot, top, length_m=self._seen.length_m)
        level = np.array([foot[0], foot[2]]) / float(np.hypot(foot[0], foot[2]))
        name = self._seen.name or self.tr("Foot {0}").format(len(plan.marks) + 1)
        values: dict[str, Any] = {
            "x_m": round(float(level[0] * found.away_m), 3), "z_m": round(float(level[1] * found.away_m), 3),
            "y_m": 0.0, "plus_minus_m": round(found.away_plus_minus_m, 3),
        }  # fmt: skip
        camera = plan.camera.model_copy(
            update={
                "height_m": round(found.height_m, 3),
                "height_plus_minus_m": round(found.height_plus_minus_m, 3),
            }
        )
        marks = (*plan.marks, Mark(name=name, **values))
        self._document.update(self.tr("scale from a known length"), camera=camera, marks=marks)
        system = self._system()
        self.told.setText(
            self.tr("It stands {0} ± {1} away; the lens is {2} ± {3} above its foot").format(
                format_length(found.away_m, system), format_length(found.away_plus_minus_m, system),
                format_length(found.height_m, system), format_length(found.height_plus_minus_m, system),
            )
        )  # fmt: skip
        self._complain("")
        self.added.emit(len(marks) - 1)

    def _complain(self, text: str) -> None:
        self.complaint.setText(text)
        self.complaint.setVisible(bool(text))
