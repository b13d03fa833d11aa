"""Keep: the logbook of jobs, and the shelf of kit."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from verispect.keep.book import Item
from verispect.ui.panels.stations.jobs import JobsPage
from verispect.ui.panels.stations.lessons import LessonsPage


class KeepPanel(QTabWidget):
    """Jobs done, and the kit that is really there.

    Signals
    -------
    put_wanted
        Put the plan's kit on the shelf.
    take_wanted(str), put_away_wanted(str)
        An item's uuid.
    kit_wanted(str)
        Keep the whole kit by a name.
    helped_wanted(str)
        An item's uuid.
    gear_out_wanted, gear_in_wanted
        Hand the shelf on as a file, or take one in.
    lessons_wanted
        The page of what was learned came into view.
    """

    put_wanted = pyqtSignal()
    take_wanted = pyqtSignal(str)
    put_away_wanted = pyqtSignal(str)
    lessons_wanted = pyqtSignal()
    kit_wanted = pyqtSignal(str)
    helped_wanted = pyqtSignal(str)
    gear_out_wanted = pyqtSignal()
    gear_in_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setDocumentMode(True)
        self.setAccessibleName(self.tr("Keep"))
        self.jobs = JobsPage()
        self.addTab(self.jobs, self.tr("Logbook"))
        self.addTab(self._shelf(), self.tr("Shelf"))
        self.lessons = LessonsPage()
        self.addTab(self.lessons, self.tr("Learned"))
        self.currentChanged.connect(lambda _page: self._on_page())

    def _on_page(self) -> None:
        if self.currentWidget() is self.lessons:
            self.lessons_wanted.emit()

    def _shelf(self) -> QWidget:
        page = QWidget()
        layout = QVBoxLayout(page)
        layout.setContentsMargins(14, 10, 14, 10)
        words = QLabel(
            self.tr("What you own, kept once. Take a piece into the plan's kit, or put the plan's kit here.")
        )
        words.setWordWrap(True)
        layout.addWidget(words)
        self.item_search = QLineEdit()
        self.item_search.setPlaceholderText(self.tr("Find: lens, tilt, 24 …"))
        self.item_search.setAccessibleName(self.tr("Find on the shelf"))
        self.item_search.setClearButtonEnabled(True)
        self.item_search.textChanged.connect(lambda _words: self._sift())
        layout.addWidget(self.item_search)
        self.items = QListWidget()
        self.items.setAccessibleName(self.tr("Shelf"))
        self.items.itemActivated.connect(lambda _item: self._emit_item(self.take_wanted))
        layout.addWidget(self.items, 1)
        row = QHBoxLayout()
        for words_of, signal in (
            (self.tr("&Take into the kit"), self.take_wanted),
            (self.tr("Take &off the shelf"), self.put_away_wanted),
        ):
            button = QPushButton(words_of)
            button.clicked.connect(lambda _checked, signal=signal: self._emit_item(signal))
            row.addWidget(button)
        put = QPushButton(self.tr("&Put the plan's kit here"))
        put.clicked.connect(self.put_wanted)
        row.addWidget(put)
        layout.addLayout(row)
        row = QHBoxLayout()
        self.kit_name = QLineEdit()
        self.kit_name.setPlaceholderText(self.tr("On foot, studio …"))
        self.kit_name.setAccessibleName(self.tr("Name of a whole kit"))
        self.kit_name.returnPressed.connect(self._name_kit)
        self.whole_button = QPushButton(self.tr("Keep the &whole kit by this name"))
        self.whole_button.clicked.connect(self._name_kit)
        row.addWidget(self.kit_name, 1)
        row.addWidget(self.whole_button)
        self.gear_button = QPushButton(self.tr("As a &file"))
        menu = QMenu(self.gear_button)
        for words_of, signal in (
            (self.tr("Write the shelf as CSV or JSON…"), self.gear_out_wanted),
            (self.tr("Put what a file holds here…"), self.gear_in_wanted),
        ):
            menu.addAction(words_of).triggered.connect(lambda _checked, signal=signal: signal.emit())
        self.gear_button.setMenu(menu)
        row.addWidget(self.gear_button)
        layout.addLayout(row)
        self.helped_button = QPushButton(self.tr("Would this lens have &helped in the jobs of the logbook?"))
        self.helped_button.clicked.connect(lambda: self._emit_item(self.helped_wanted))
        layout.addWidget(self.helped_button)
        self.helped = QLabel()
        self.helped.setWordWrap(True)
        self.helped.setTextFormat(Qt.TextFormat.PlainText)
        self.helped.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        layout.addWidget(self.helped)
        return page

    def _sift(self) -> None:
        """Show the pieces that hold every word; the others wait."""
        parts = self.item_search.text().lower().split()
        for row in range(self.items.count()):
            item = self.items.item(row)
            item.setHidden(not all(part in item.text().lower() for part in parts))

    def _name_kit(self) -> None:
        if self.kit_name.text().strip():
            self.kit_wanted.emit(self.kit_name.text().strip())
            self.kit_name.clear()

    def _emit_item(self, signal: object) -> None:
        item = self.items.currentItem()
        if item is not None:
            signal.emit(str(item.data(Qt.ItemDataRole.UserRole)))  # type: ignore[attr-defined]

    def show_shelf(self, items: Sequence[Item], differing: Mapping[str, Sequence[str]]) -> None:
        """Take on what lies on the shelf, and by item what of it is otherwise in the plan."""
        before = self.items.currentItem()
        chosen = None if before is None else before.data(Qt.ItemDataRole.UserRole)
        self.items.clear()
        for item in items:
            words = f"{item.kind} · {item.name}"
            if differing.get(item.uuid):
                words = self.tr("{0} — otherwise in the plan: {1}").format(words, ", ".join(differing[item.uuid]))
            shown = QListWidgetItem(words)
            shown.setData(Qt.ItemDataRole.UserRole, item.uuid)
            self.items.addItem(shown)
            if item.uuid == chosen:
                self.items.setCurrentItem(shown)
        self._sift()
