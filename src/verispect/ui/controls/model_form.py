"""Forms over frozen models: every field validates through the model and complains beside itself."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from pydantic import BaseModel, ValidationError
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QLabel, QLineEdit, QWidget

from verispect.errors import VerispectError
from verispect.quantities import LENGTHS_M, parse_ev100, parse_length_m, parse_number, unit_of
from verispect.sentence import Sentence
from verispect.ui.controls.lengths import format_length
from verispect.ui.controls.translate import say, say_error


@dataclass(frozen=True)
class Spec:
    """One field: the model's key, its label, and how it is written.

    `kind` is "text", "number", "length" (metres), "pair", "range", "optional", "optional range",
    "optional ev" (an exposure value, or stop, time and ISO), "percent" (of a share) or "choice"; `unit` stands
    behind.
    """

    key: str
    label: str
    kind: str = "number"
    unit: str = ""
    hint: str = ""
    choices: tuple[tuple[Any, str], ...] = field(default=())
    # The figure's ± stands behind it, `67 ± 3`, and is kept in the model's `plus_minus`.
    sure: bool = False


class NumberError(VerispectError):
    """A typed number that cannot be read."""


# What pydantic finds wrong, in words that can be translated; its own English serves for what is rare.
_COMPLAINTS = {
    "greater_than": "should be greater than {gt:g}",
    "greater_than_equal": "should be greater than or equal to {ge:g}",
    "less_than": "should be less than {lt:g}",
    "less_than_equal": "should be less than or equal to {le:g}",
    "finite_number": "should be a finite number",
    "float_parsing": "should be a number",
    "int_parsing": "should be a whole number",
    "int_from_float": "should be a whole number",
    "literal_error": "should be {expected}",
    "string_too_long": "should have at most {max_length} letters",
}


def complaint_of(error: ValidationError) -> str:
    """The first complaint of a model, in plain words."""
    first = error.errors(include_url=False)[0]
    template = _COMPLAINTS.get(first["type"], "{message}")
    message = first["msg"].removeprefix("Value error, ").removeprefix("Input ")
    values = {"message": say_error(ValueError(message)), **first.get("ctx", {})}
    if first["type"] == "value_error":
        template, values = message, {}
    told = say(Sentence(template, values)) if values else say_error(ValueError(template))
    return told if isinstance(first["input"], dict) else f"{first['input']!r}: {told}"


class ModelForm(QWidget):
    """A form for one model.

    Signals
    -------
    edited(model, text)
        A valid new model and what was changed, for the undo history.
    """

    edited = pyqtSignal(object, str)

    def __init__(self, specs: list[Spec], system: Callable[[], str], columns: int = 1) -> None:
        super().__init__()
        self._specs = {spec.key: spec for spec in specs}
        self._system = system
        self._model: BaseModel | None = None
        self.fields: dict[str, QLineEdit | QComboBox] = {}
        self._complaints: dict[str, QLabel] = {}
        self._rows: dict[str, tuple[QWidget, ...]] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(2)
        for index, spec in enumerate(specs):
            row, column = divmod(index, columns)
            self._add(grid, spec, 2 * row, 3 * column)

    def _add(self, grid: QGridLayout, spec: Spec, row: int, column: int) -> None:
        label = QLabel(spec.label)
        widget: QLineEdit | QComboBox
        if spec.kind == "choice":
            widget = QComboBox()
            # As wide as its column, not as its longest choice.
            widget.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            widget.setMinimumContentsLength(6)
            for value, words in spec.choices:
                widget.addItem(words, value)
            widget.activated.connect(lambda _index, key=spec.key: self._commit(key))
        else:
            widget = QLineEdit()
            widget.setAlignment(Qt.AlignmentFlag.AlignLeft if spec.kind == "text" else Qt.AlignmentFlag.AlignRight)
            widget.editingFinished.connect(lambda key=spec.key: self._commit(key))
        label.setBuddy(widget)
        widget.setAccessibleName(f"{spec.label} {spec.unit}".strip())
        if spec.hint:
            widget.setToolTip(spec.hint)
        complaint = QLabel()
        complaint.setProperty("wrong", True)
        complaint.setWordWrap(True)
        complaint.hide()
        unit = QLabel(spec.unit)
        unit.setProperty("quiet", True)
        grid.addWidget(label, row, column)
        # What has no unit takes its room too.
        grid.addWidget(widget, row, column + 1, 1, 1 if spec.unit else 2)
        if spec.unit:
            grid.addWidget(unit, row, column + 2)
        grid.addWidget(complaint, row + 1, column, 1, 3)
        grid.setColumnStretch(column + 1, 1)
        self.fields[spec.key] = widget
        self._rows[spec.key] = (label, widget, unit) if spec.unit else (label, widget)
        self._complaints[spec.key] = complaint

    def line_up(self, *, label_px: int, unit_px: int, columns: int = 1) -> None:
        """Keep the columns of forms that stand above one another in line."""
        grid = self.layout()
        assert isinstance(grid, QGridLayout)
        for column in range(columns):
            grid.setColumnMinimumWidth(3 * column, label_px)
            grid.setColumnMinimumWidth(3 * column + 2, unit_px)

    def set_shown(self, key: str, shown: bool) -> None:
        """Show a field, or put it away where it would do nothing."""
        for part in self._rows[key]:
            part.setVisible(shown)

    def show_origins(self, typical: Sequence[str], measured: Sequence[str]) -> None:
        """Say before a label which figures are guesses (≈) and which were measured (=)."""
        for key, (label, *_rest) in self._rows.items():
            assert isinstance(label, QLabel)
            spec, widget = self._specs[key], self.fields[key]
            sign, words = "", spec.hint
            if key in typical:
                sign, words = "≈ ", self.tr("A guess, as such pieces usually are: type your own figure over it")
            elif key in measured:
                sign, words = "= ", self.tr("Measured")
            label.setText(f"{sign}{spec.label}")
            widget.setToolTip(words if not sign or not spec.hint else f"{spec.hint}\n{words}")
            widget.setAccessibleDescription(words if sign else "")

    def show_model(self, model: BaseModel | None) -> None:
        """Take on a model; None empties and disables the form."""
        self._model = model
        self.setEnabled(model is not None)
        for key, widget in self.fields.items():
            self._complain(key, "")
            value = getattr(model, key) if model is not None else None
            if isinstance(widget, QComboBox):
                # Blank where the value is none of the choices.
                data = [widget.itemData(row) for row in range(widget.count())]
                widget.setCurrentIndex(data.index(value) if value in data else -1)
            elif not (widget.hasFocus() and widget.isModified() and model is not None):
                widget.setText("" if model is None else self._written(self._specs[key], model))

    def _commit(self, key: str) -> None:
        if self._model is None:
            return
        spec, widget = self._specs[key], self.fields[key]
        try:
            typed = {key: widget.currentData()} if isinstance(widget, QComboBox) else self._read(spec, widget.text())
            if self._written_as_before(spec, widget):
                self._complain(key, "")
                return
            changed = type(self._model).model_validate(self._model.model_dump(by_alias=True) | typed)
        except ValidationError as error:
            self._complain(key, complaint_of(error))
        except VerispectError as error:
            self._complain(key, say_error(error))
        else:
            self._complain(key, "")
            if isinstance(widget, QLineEdit):
                widget.setModified(False)
            self.edited.emit(changed, spec.label)

    def _written_as_before(self, spec: Spec, widget: QLineEdit | QComboBox) -> bool:
        """Whether nothing was typed: a rounded figure must not creep into the plan by a mere visit."""
        old = getattr(self._model, spec.key)
        if isinstance(widget, QComboBox):
            return bool(widget.currentData() == old)
        return self._model is not None and widget.text() == self._written(spec, self._model)

    def _written(self, spec: Spec, model: BaseModel) -> str:
        """A figure as it stands in its field, with its ± where it has one there."""
        value, sure = getattr(model, spec.key), getattr(model, "plus_minus", {}).get(spec.key) if spec.sure else None
        text = written_value(spec, value, self._system())
        return f"{text} ± {written_value(spec, sure, self._system())}" if text and sure else text

    def _read(self, spec: Spec, text: str) -> dict[str, Any]:
        """What the typed text changes in the model."""
        if not spec.sure:
            return {spec.key: read_value(spec, text, self._system())}
        figure, sign, behind = text.replace("+-", "±").replace("+/-", "±").partition("±")
        sure = dict(getattr(self._model, "plus_minus", {}))
        sure.pop(spec.key, None)
        if sign:
            sure[spec.key] = abs(read_value(Spec(spec.key, "", spec.kind.removeprefix("optional") or "number",
                                                 spec.unit), behind, self._system()))  # fmt: skip
        return {spec.key: read_value(spec, figure, self._system()), "plus_minus": sure}

    def _complain(self, key: str, text: str) -> None:
        label, widget = self._complaints[key], self.fields[key]
        label.setText(text)
        label.setVisible(bool(text))
        if bool(widget.property("wrong")) != bool(text):
            widget.setProperty("wrong", bool(text))
            widget.style().unpolish(widget)
            widget.style().polish(widget)


def written_value(spec: Spec, value: Any, system: str) -> str:
    """A model's value as it stands in a field."""
    if value is None:
        return ""
    if spec.kind == "length":
        return format_length(float(value), system)
    if spec.kind == "pair":
        return " × ".join(f"{part:.10g}" for part in value)
    if spec.kind in ("range", "optional range"):
        low, high = value
        return f"{low:.10g}" if low == high else f"{low:.10g}–{high:.10g}"
    if spec.kind == "percent":
        return f"{100.0 * value:.10g}"
    return str(value) if spec.kind == "text" else f"{value:.10g}"


def read_value(spec: Spec, text: str, system: str) -> Any:
    """The typed text as a value for the model; a VerispectError where it is none."""
    text = text.strip()
    if spec.kind == "text":
        return text
    if spec.kind.startswith("optional") and not text:
        return None
    if spec.kind == "optional ev":
        return parse_ev100(text)
    if spec.kind == "length":
        return parse_length_m(text, default_unit="ft" if system == "imperial" else "m")
    if spec.kind in ("pair", "range", "optional range"):
        return _two_numbers(spec, text)
    return parse_number(text) / (100.0 if spec.kind == "percent" else 1.0)


_PARTED = re.compile(r"\s*(?:×|x|X|–|—|/|;|\bto\b|\bby\b|(?<=[\d.,])\s*-\s*(?=\d)|(?<=\d)\s+(?=\d))\s*")


def _two_numbers(spec: Spec, text: str) -> list[float]:
    """`36×24 mm`, `24-70`, `f/3.5-22`, `36 24`: two numbers, or one that stands for both ends of a range."""
    parts = [part for part in _PARTED.split(_without_unit(spec, text)) if part]
    numbers = [parse_number(part) for part in parts]
    if spec.kind != "pair" and len(numbers) == 1:
        numbers *= 2
    if len(numbers) != 2:
        raise NumberError("write two numbers" if spec.kind == "pair" else "write one or two numbers")
    return [int(n) if n.is_integer() else n for n in numbers]


def _without_unit(spec: Spec, text: str) -> str:
    """The text without the stop's f/ or the field's own unit; another unit is refused."""
    text = re.sub(r"^[fF]\s*/\s*|(?<=[-–—])\s*[fF]\s*/\s*", "", text)
    found = re.search(r"([a-zA-Zµ°]+)\s*$", text)
    if found is None:
        return text
    unit = unit_of(found[1]) or found[1]
    if unit != spec.unit:
        right = f"{spec.unit}" if spec.unit in LENGTHS_M else ""
        raise (
            NumberError("{typed!r}: write it in {unit}", typed=text, unit=right)
            if right
            else NumberError("{typed!r}: write two numbers without a unit", typed=text)
        )
    return re.sub(r"\s*[a-zA-Zµ°]+(?=\s*(?:×|x|X|–|—|-|$))", "", text)
