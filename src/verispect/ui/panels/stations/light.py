"""Light: place and time, what the day's light does to the subject, and when Sun or Moon stand where."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import UTC, datetime

from pydantic import BaseModel, ConfigDict, Field, ValidationError
from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QGroupBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from verispect.plan.document import Site
from verispect.ui.controls.model_form import ModelForm, Spec, complaint_of
from verispect.ui.state.plan_document import PlanDocument

# After an edit so long nothing is worked out, in case another follows.
_WAIT_MS = 400


class Search(BaseModel):
    """What is searched for: a body near a mark."""

    model_config = ConfigDict(frozen=True, allow_inf_nan=False)

    within_deg: float = Field(default=1.0, ge=0.01, le=45.0)
    days: int = Field(default=366, ge=1, le=3650)


class LightPage(QWidget):
    """The site's form, the day in words, and a search.

    Signals
    -------
    day_wanted
        Place or time changed while the page is in view, or it came into view.
    search_wanted(str, str, Search), stand_wanted(str, str)
        A mark, a body, and what is asked.
    course_wanted(bool)
        Whether the course of Sun and Moon is to be seen in the drawings.
    """

    day_wanted = pyqtSignal()
    search_wanted = pyqtSignal(str, str, object)
    stand_wanted = pyqtSignal(str, str)
    course_wanted = pyqtSignal(bool)

    def __init__(self, document: PlanDocument, system: Callable[[], str]) -> None:
        super().__init__()
        self._document = document
        self.form = ModelForm(self._specs(), system, columns=2)
        self.form.line_up(label_px=84, unit_px=20, columns=2)
        self.form.edited.connect(self._on_site)
        self.times: dict[str, QLineEdit] = {}
        self.complaint = QLabel()
        self.complaint.setProperty("wrong", True)
        self.complaint.setWordWrap(True)
        self.complaint.hide()
        self.course_box = QCheckBox(self.tr("The course of S&un and Moon in the drawings"))
        self.course_box.setChecked(True)
        self.course_box.toggled.connect(lambda on: self.course_wanted.emit(on and self.isVisible()))
        self.day = QPlainTextEdit()
        self.day.setReadOnly(True)
        self.day.setAccessibleName(self.tr("The day's light"))
        self.search = Search()
        self.search_form = ModelForm(
            [Spec("within_deg", self.tr("within"), unit="°"), Spec("days", self.tr("in"), unit=self.tr("days"))],
            system,
            columns=2,
        )
        self.search_form.edited.connect(self._on_search)
        self.mark_box, self.body_box = QComboBox(), QComboBox()
        self.found = QPlainTextEdit()
        self.found.setReadOnly(True)
        self.found.setAccessibleName(self.tr("What the search found"))
        self.found.setMaximumHeight(120)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_WAIT_MS)
        self._timer.timeout.connect(self.day_wanted)
        self._build()
        document.changed.connect(self.refresh)
        self.refresh()

    def _specs(self) -> list[Spec]:
        return [
            Spec("latitude_deg", self.tr("Latitude"), unit="°", hint=self.tr("North positive")),
            Spec("longitude_deg", self.tr("Longitude"), unit="°", hint=self.tr("East positive")),
            Spec("elevation_m", self.tr("Ground at"), "length", "", self.tr("Above the sea")),
            Spec("away_azimuth_deg", self.tr("Away is"), unit="°",
                 hint=self.tr("Azimuth of straight away, from true north through east; a compass shows magnetic "
                              "north")),
        ]  # fmt: skip

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.addWidget(self.form)
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        for row, (key, label, hint) in enumerate(
            (
                (
                    "from_",
                    self.tr("First frame"),
                    self.tr("As 2027-03-14 16:00+01:00; without a zone it is UTC"),
                ),
                ("to", self.tr("At the latest"), self.tr("Empty: open")),
            )
        ):
            field = QLineEdit()
            field.setToolTip(hint)
            field.setPlaceholderText("2027-03-14 16:00+01:00" if row == 0 else "")
            field.editingFinished.connect(lambda key=key: self._on_time(key))
            title = QLabel(label)
            title.setMinimumWidth(84)
            title.setBuddy(field)
            field.setAccessibleName(label)
            grid.addWidget(title, row, 0)
            grid.addWidget(field, row, 1)
            self.times[key] = field
        layout.addLayout(grid)
        layout.addWidget(self.complaint)
        layout.addWidget(self.course_box)
        layout.addWidget(self.day, 1)
        group = QGroupBox(self.tr("When does it stand there?"))
        inside = QVBoxLayout(group)
        inside.setContentsMargins(0, 4, 0, 0)
        row_of = QHBoxLayout()
        for box, name in ((self.body_box, self.tr("Body")), (self.mark_box, self.tr("Mark"))):
            box.setAccessibleName(name)
            row_of.addWidget(box, 1)
        self.body_box.addItem(self.tr("Sun"), "Sun")
        self.body_box.addItem(self.tr("Moon"), "Moon")
        row_of.insertWidget(1, QLabel(self.tr("near")))
        inside.addLayout(row_of)
        inside.addWidget(self.search_form)
        row_of = QHBoxLayout()
        self.search_button = QPushButton(self.tr("Searc&h"))
        self.search_button.clicked.connect(lambda: self._ask(self.search_wanted.emit, self.search))
        self.stand_button = QPushButton(self.tr("From where is it behind it at the first frame?"))
        self.stand_button.clicked.connect(lambda: self._ask(self.stand_wanted.emit))
        row_of.addWidget(self.search_button)
        row_of.addWidget(self.stand_button, 1)
        inside.addLayout(row_of)
        inside.addWidget(self.found)
        layout.addWidget(group)

    def _ask(self, act: Callable[..., None], *more: object) -> None:
        if self.mark_box.currentText():
            act(self.mark_box.currentText(), str(self.body_box.currentData()), *more)

    def refresh(self) -> None:
        """Show the plan as it is."""
        plan = self._document.plan
        site = plan.site or Site(latitude_deg=0.0, longitude_deg=0.0)
        self.form.show_model(site)
        self.search_form.show_model(self.search)
        for key, field in self.times.items():
            if not (field.hasFocus() and field.isModified()):
                moment = getattr(site, key)
                field.setText("" if moment is None else moment.strftime("%Y-%m-%d %H:%M") + _zone(moment))
        names = [mark.name for mark in plan.marks]
        if names != [self.mark_box.itemText(row) for row in range(self.mark_box.count())]:
            chosen = self.mark_box.currentText()
            self.mark_box.clear()
            self.mark_box.addItems(names)
            if chosen in names:
                self.mark_box.setCurrentText(chosen)
        if self.isVisible():
            self._timer.start()

    def showEvent(self, event: QShowEvent | None) -> None:
        """In view: worked out."""
        super().showEvent(event)
        self.course_wanted.emit(self.course_box.isChecked())
        self._timer.start()

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Out of view: the drawings are the subject's alone."""
        super().hideEvent(event)
        self.course_wanted.emit(False)

    def _on_site(self, site: Site, what: str) -> None:
        self._document.update(self.tr("change of {0}").format(what), site=site)

    def _on_search(self, search: Search, _what: str) -> None:
        self.search = search
        self.search_form.show_model(search)

    def _on_time(self, key: str) -> None:
        field = self.times[key]
        if not field.isModified():
            return
        field.setModified(False)
        site = self._document.plan.site or Site(latitude_deg=0.0, longitude_deg=0.0)
        text = field.text().strip()
        try:
            moment = datetime.fromisoformat(text) if text else None
            if moment is not None and moment.tzinfo is None:
                moment = moment.replace(tzinfo=UTC)
            told = site.model_dump(by_alias=True) | {"from" if key == "from_" else key: moment}
            changed = Site.model_validate(told)
        except ValidationError as error:
            self._complain(complaint_of(error))
        except ValueError:
            self._complain(self.tr("{0}: write a day and a time, such as 2027-03-14 16:00+01:00").format(text))
        else:
            self._complain("")
            self._document.update(self.tr("change of the time"), site=changed)

    def _complain(self, text: str) -> None:
        self.complaint.setText(text)
        self.complaint.setVisible(bool(text))

    def show_day(self, lines: Sequence[str]) -> None:
        """Take on the day in words."""
        self.day.setPlainText("\n".join(lines))

    def show_found(self, lines: Sequence[str]) -> None:
        """Take on what a search found."""
        self.found.setPlainText("\n".join(lines))


def _zone(moment: datetime) -> str:
    """An offset as it is typed; nothing can be meant but UTC where there is none."""
    return (moment if moment.tzinfo is not None else moment.replace(tzinfo=UTC)).isoformat()[-6:]
