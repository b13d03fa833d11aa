"""The way through a job: seven stations down the side, with what is done and what is missing."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QCoreApplication, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QButtonGroup, QSizePolicy, QVBoxLayout, QWidget

from verispect.ui.controls.theme import Theme, colour, font


@dataclass(frozen=True)
class StationState:
    """How a station stands: `state` is "done", "missing" or "stale"."""

    state: str
    words: str


def station_names() -> dict[str, str]:
    """Keys and names of the stations, in the order of work."""

    def tr(text: str) -> str:
        return QCoreApplication.translate("Way", text)

    return {
        "subject": tr("Subject"),
        "kit": tr("Kit"),
        "weigh": tr("Weigh"),
        "set": tr("Set"),
        "shoot": tr("Shoot"),
        "prove": tr("Prove"),
        "keep": tr("Keep"),
    }


class StationButton(QAbstractButton):
    """One stop on the way."""

    def __init__(self, name: str, *, first: bool, last: bool) -> None:
        super().__init__()
        self._name, self._first, self._last = name, first, last
        self._state = StationState("missing", "")
        self._theme: Theme | None = None
        self.setCheckable(True)
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(122, 62)

    def minimumSizeHint(self) -> QSize:
        return QSize(122, 44)

    def apply_theme(self, theme: Theme) -> None:
        self._theme = theme
        self.update()

    def show_state(self, state: StationState) -> None:
        self._state = state
        self.setAccessibleName(f"{self._name}: {state.words}")
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        if self._theme is None:
            return
        theme, painter = self._theme, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(self.rect())
        if self.isChecked():
            painter.fillRect(area, colour(theme.panel))
        x, y = 18.0, area.center().y()
        painter.setPen(QPen(colour(theme.line), 2.0))
        painter.drawLine(QPointF(x, y if self._first else 0.0), QPointF(x, y if self._last else area.bottom()))
        self._paint_stop(painter, QPointF(x, y), theme)
        painter.setPen(colour(theme.ink))
        painter.setFont(font(11.5, 600 if self.isChecked() else 400))
        painter.drawText(QRectF(34, y - 20, area.width() - 36, 20), Qt.AlignmentFlag.AlignVCenter, self._name)
        painter.setPen(colour(theme.faint))
        painter.setFont(font(8.5))
        painter.drawText(QRectF(34, y, area.width() - 36, 17), Qt.AlignmentFlag.AlignVCenter, self._state.words)
        if self.hasFocus():
            painter.setPen(QPen(colour(theme.hand), 2.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(area.adjusted(1, 1, -1, -1))

    def _paint_stop(self, painter: QPainter, place: QPointF, theme: Theme) -> None:
        """Filled when done, half when stale, open when missing."""
        painter.setPen(QPen(colour(theme.ink), 1.6))
        painter.setBrush(colour(theme.ground))
        painter.drawEllipse(place, 7.0, 7.0)
        if self._state.state in ("done", "stale"):
            painter.setBrush(colour(theme.sharp))
            painter.setPen(Qt.PenStyle.NoPen)
            span = 360 if self._state.state == "done" else 180
            painter.drawPie(QRectF(place.x() - 5, place.y() - 5, 10, 10), 90 * 16, span * 16)


class Way(QWidget):
    """The stations down the side; `went(key)` says which is to be shown."""

    went = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 4)
        layout.setSpacing(0)
        self._group = QButtonGroup(self)
        names = station_names()
        self.buttons: dict[str, StationButton] = {}
        for index, (key, name) in enumerate(names.items()):
            button = StationButton(name, first=index == 0, last=index == len(names) - 1)
            button.clicked.connect(lambda _checked, key=key: self.went.emit(key))
            self._group.addButton(button)
            layout.addWidget(button)
            self.buttons[key] = button

    def apply_theme(self, theme: Theme) -> None:
        for button in self.buttons.values():
            button.apply_theme(theme)

    def show_station(self, key: str) -> None:
        self.buttons[key].setChecked(True)

    def show_states(self, states: dict[str, StationState]) -> None:
        for key, state in states.items():
            self.buttons[key].show_state(state)
