"""Keep: the logbook of jobs, and the shelf of kit."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from verispect.keep.book import Item
from verispect.keep.entry import Entry
from verispect.ui.panels.stations.lessons import LessonsPage, method_name


class KeepPanel(QTabWidget):
    """Jobs done, and the kit that is really there.

    Signals
    -------
    find_wanted(str)
    open_wanted(str), remove_wanted(str), page_wanted(str)
        An entry's uuid.
    log_wanted
        Put the plan on the board into the logbook as it stands.
    put_wanted
        Put the plan's kit on the shelf.
    take_wanted(str), put_away_wanted(str)
        An item's uuid.
    kit_wanted(str)
        Keep the whole kit by a name.
    helped_wanted(str)
        An item's uuid.
    lessons_wanted
        The page of what was learned came into view.
    """

    find_wanted = pyqtSignal(str)
    open_wanted = pyqtSignal(str)
    remove_wanted = pyqtSignal(str)
    log_wanted = pyqtSignal()
    put_wanted = pyqtSignal()
    take_wanted = pyqtSignal(str)
    put_away_wanted = pyqtSignal(str)
    lessons_wanted = pyqtSignal()
    kit_wanted = pyqtSignal(str)
    page_wanted = pyqtSignal(str)
    helped_wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setDocumentMode(True)
        self.setAccessibleName(self.tr("Keep"))
        self.addTab(self._jobs(), self.tr("Logbook"))
        self.addTab(self._shelf(), self.tr("Shelf"))
        self.lessons = LessonsPage()
        self.addTab(self.lessons, self.tr("Learned"))
        self.currentChanged.connect(lambda _page: self._on_page())

    def _on_page(self) -> None:
        if self.currentWidget() is self.lessons:
            self.lessons_wanted.emit()

    def _jobs(self) -> QWidget:
        page = QWidget()
        layout = QVBoxLayout(page)
        layout.setContentsMargins(14, 10, 14, 10)
        self.search = QLineEdit()
        self.search.setPlaceholderText(self.tr("Find: title, place, kit, method, mark, note"))
        self.search.setAccessibleName(self.tr("Find in the logbook"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self.find_wanted)
        layout.addWidget(self.search)
        self.empty = QLabel()
        self.empty.setWordWrap(True)
        self.empty.setTextFormat(Qt.TextFormat.PlainText)
        layout.addWidget(self.empty)
        self.entries = QTableWidget(0, 4)
        self.entries.setAccessibleName(self.tr("Jobs"))
        self.entries.setHorizontalHeaderLabels(
            [self.tr("When"), self.tr("Verdict"), self.tr("Method"), self.tr("Title")]
        )
        self.entries.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.entries.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.entries.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.entries.setTabKeyNavigation(False)
        self.entries.verticalHeader().hide()
        self.entries.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.entries.horizontalHeader().setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)
        self.entries.itemActivated.connect(lambda _item: self._emit(self.open_wanted))
        layout.addWidget(self.entries, 1)
        row = QHBoxLayout()
        self.open_button = QPushButton(self.tr("&Open again as a plan"))
        self.open_button.clicked.connect(lambda: self._emit(self.open_wanted))
        self.remove_button = QPushButton(self.tr("&Remove"))
        self.remove_button.clicked.connect(lambda: self._emit(self.remove_wanted))
        self.log_button = QPushButton(self.tr("&Log this plan"))
        self.log_button.clicked.connect(self.log_wanted)
        self.page_button = QPushButton(self.tr("One pa&ge…"))
        self.page_button.clicked.connect(lambda: self._emit(self.page_wanted))
        for button in (self.open_button, self.remove_button, self.page_button, self.log_button):
            row.addWidget(button)
        layout.addLayout(row)
        return page

    def _shelf(self) -> QWidget:
        page = QWidget()
        layout = QVBoxLayout(page)
        layout.setContentsMargins(14, 10, 14, 10)
        words = QLabel(
            self.tr("What you own, kept once. Take a piece into the plan's kit, or put the plan's kit here.")
        )
        words.setWordWrap(True)
        layout.addWidget(words)
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

    def _name_kit(self) -> None:
        if self.kit_name.text().strip():
            self.kit_wanted.emit(self.kit_name.text().strip())
            self.kit_name.clear()

    def _emit(self, signal: object) -> None:
        row = self.entries.currentRow()
        item = self.entries.item(row, 0) if row >= 0 else None
        if item is not None:
            signal.emit(str(item.data(Qt.ItemDataRole.UserRole)))  # type: ignore[attr-defined]

    def _emit_item(self, signal: object) -> None:
        item = self.items.currentItem()
        if item is not None:
            signal.emit(str(item.data(Qt.ItemDataRole.UserRole)))  # type: ignore[attr-defined]

    def show_entries(self, entries: Sequence[Entry], *, complaint: str = "") -> None:
        """Take on what was found."""
        said = complaint or (
            "" if entries else self.tr("Nothing here yet. A run and a proof leave an entry by themselves.")
        )
        self.empty.setText(said)
        self.empty.setVisible(bool(said))
        self.entries.setRowCount(len(entries))
        for row, entry in enumerate(entries):
            when = entry.created.replace("T", " ").rstrip("Z")[:16]
            for column, text in enumerate((when, entry.verdict, method_name(entry.method), entry.title)):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, entry.uuid)
                item.setToolTip("\n".join(part for part in (entry.title, entry.kit, entry.place, entry.note) if part))
                self.entries.setItem(row, column, item)

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
