"""The logbook's jobs: found, looked at, told anew, held against one another, opened again."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from PyQt6.QtCore import QDate, Qt, pyqtSignal
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDateEdit,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QStackedWidget,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from verispect.keep.entry import Entry
from verispect.keep.two_jobs import Row
from verispect.ui.panels.stations.lessons import method_name

WHEN, VERDICT, METHOD, TITLE, AWAY = range(5)
_PICTURE = (132, 96)
# A table of more is slow to fill, and nobody reads it; the search looks through all.
MOST_SHOWN = 1000


class JobsPage(QWidget):
    """The list, and below it the job that is chosen, or the two.

    Signals
    -------
    find_wanted(str)
    open_wanted(str), remove_wanted(str), page_wanted(str)
        An entry's uuid.
    again_wanted(str, date)
        Open a job for another day.
    chosen(list of str)
        Which entries are chosen now.
    retold(str, str, str)
        An entry's uuid, its note and its tags as they are to be.
    log_wanted
        Put the plan on the board into the logbook as it stands.
    export_wanted, backup_wanted, restore_wanted
    """

    find_wanted = pyqtSignal(str)
    open_wanted = pyqtSignal(str)
    remove_wanted = pyqtSignal(str)
    page_wanted = pyqtSignal(str)
    again_wanted = pyqtSignal(str, object)
    chosen = pyqtSignal(list)
    retold = pyqtSignal(str, str, str)
    log_wanted = pyqtSignal()
    export_wanted = pyqtSignal()
    backup_wanted = pyqtSignal()
    restore_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._shown: Entry | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 14, 10)
        self.search = QLineEdit()
        self.search.setPlaceholderText(self.tr("Find: title, place, kit, method, mark, tag, note"))
        self.search.setAccessibleName(self.tr("Find in the logbook"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self.find_wanted)
        layout.addWidget(self.search)
        self.empty = QLabel()
        self.empty.setWordWrap(True)
        self.empty.setTextFormat(Qt.TextFormat.PlainText)
        layout.addWidget(self.empty)
        self.entries = self._table(
            [self.tr("When"), self.tr("Verdict"), self.tr("Method"), self.tr("Title"), self.tr("Away")],
            self.tr("Jobs"), stretched=TITLE,
        )  # fmt: skip
        self.entries.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.entries.itemActivated.connect(lambda _item: self._emit(self.open_wanted))
        self.entries.itemSelectionChanged.connect(self._on_selection)
        layout.addWidget(self.entries, 3)
        self.below = QStackedWidget()
        self.below.addWidget(self._hint())
        self.below.addWidget(self._one())
        self.differences = self._table(["", "", ""], self.tr("Two jobs side by side"), stretched=0)
        self.below.addWidget(self.differences)
        layout.addWidget(self.below, 2)
        layout.addLayout(self._acts())
        layout.addLayout(self._second_row())
        self._on_selection()

    def _table(self, heads: list[str], name: str, *, stretched: int) -> QTableWidget:
        table = QTableWidget(0, len(heads))
        table.setAccessibleName(name)
        table.setHorizontalHeaderLabels(heads)
        table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setTabKeyNavigation(False)
        table.verticalHeader().hide()
        table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        table.horizontalHeader().setSectionResizeMode(stretched, QHeaderView.ResizeMode.Stretch)
        return table

    def _hint(self) -> QLabel:
        hint = QLabel(self.tr("Choose a job to see it; two, to see them side by side."))
        hint.setWordWrap(True)
        hint.setAlignment(Qt.AlignmentFlag.AlignTop)
        return hint

    def _one(self) -> QWidget:
        page = QWidget()
        self.picture, self.lines = QLabel(), QLabel()
        self.lines.setWordWrap(True)
        self.lines.setTextFormat(Qt.TextFormat.PlainText)
        self.lines.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.tags, self.note = QLineEdit(), QLineEdit()
        self.tags.setAccessibleName(self.tr("Tags"))
        self.tags.setPlaceholderText(self.tr("Tags, commas between"))
        self.note.setAccessibleName(self.tr("Note"))
        self.note.setPlaceholderText(self.tr("Note"))
        for field in (self.tags, self.note):
            field.editingFinished.connect(self._on_told)
        top = QHBoxLayout()
        top.addWidget(self.picture)
        top.addWidget(self.lines, 1)
        layout = QVBoxLayout(page)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addLayout(top, 1)
        layout.addWidget(self.tags)
        layout.addWidget(self.note)
        return page

    def _acts(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.open_button = QPushButton(self.tr("&Open again as a plan"))
        self.open_button.clicked.connect(lambda: self._emit(self.open_wanted))
        self.page_button = QPushButton(self.tr("One pa&ge…"))
        self.page_button.clicked.connect(lambda: self._emit(self.page_wanted))
        self.remove_button = QPushButton(self.tr("&Remove"))
        self.remove_button.clicked.connect(lambda: self._emit(self.remove_wanted))
        self.log_button = QPushButton(self.tr("&Log this plan"))
        self.log_button.clicked.connect(self.log_wanted)
        for button in (self.open_button, self.page_button, self.remove_button, self.log_button):
            row.addWidget(button)
        return row

    def _second_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.day = QDateEdit(QDate.currentDate())
        self.day.setCalendarPopup(True)
        self.day.setDisplayFormat("yyyy-MM-dd")
        self.day.setAccessibleName(self.tr("Another day"))
        self.again_button = QPushButton(self.tr("Again on this &day"))
        self.again_button.setToolTip(self.tr("Opens the job for that day, and tells what has changed in the light"))
        self.again_button.clicked.connect(self._on_again)
        self.book_button = QPushButton(self.tr("The &book"))
        menu = QMenu(self.book_button)
        for words, signal in (
            (self.tr("Export the jobs as CSV or JSON…"), self.export_wanted),
            (self.tr("Back up, jobs and shelf…"), self.backup_wanted),
            (self.tr("Bring a backup back…"), self.restore_wanted),
        ):
            menu.addAction(words).triggered.connect(lambda _checked, signal=signal: signal.emit())
        self.book_button.setMenu(menu)
        for widget in (self.again_button, self.day, self.book_button):
            row.addWidget(widget)
        row.addStretch(1)
        return row

    def chosen_uuids(self) -> list[str]:
        """The chosen entries, from the top."""
        rows = sorted({index.row() for index in self.entries.selectionModel().selectedRows()})
        return [str(self.entries.item(row, WHEN).data(Qt.ItemDataRole.UserRole)) for row in rows]

    def _on_selection(self) -> None:
        chosen = self.chosen_uuids()
        for button in (self.open_button, self.page_button, self.remove_button, self.again_button):
            button.setEnabled(len(chosen) == 1)
        if len(chosen) not in (1, 2):
            self._shown = None
            self.below.setCurrentIndex(0)
        self.chosen.emit(chosen)

    def _emit(self, signal: object) -> None:
        chosen = self.chosen_uuids()
        if len(chosen) == 1:
            signal.emit(chosen[0])  # type: ignore[attr-defined]

    def _on_again(self) -> None:
        chosen, day = self.chosen_uuids(), self.day.date()
        if len(chosen) == 1:
            self.again_wanted.emit(chosen[0], date(day.year(), day.month(), day.day()))

    def _on_told(self) -> None:
        shown = self._shown
        if shown is not None and (self.note.text(), self.tags.text()) != (shown.note, shown.tags):
            self.retold.emit(shown.uuid, self.note.text(), self.tags.text())

    def show_entries(
        self, entries: Sequence[Entry], away_km: Sequence[float | None] = (), *, complaint: str = ""
    ) -> None:
        """Take on what was found; what was chosen stays chosen where it is still there."""
        said = complaint or (
            "" if entries else self.tr("Nothing here yet. A run and a proof leave an entry by themselves.")
        )
        if len(entries) > MOST_SHOWN:
            said = self.tr("The newest {0} of {1}: write what you look for.").format(MOST_SHOWN, len(entries))
            entries, away_km = entries[:MOST_SHOWN], away_km[:MOST_SHOWN]
        self.empty.setText(said)
        self.empty.setVisible(bool(said))
        before = set(self.chosen_uuids())
        self.entries.blockSignals(True)
        self.entries.clearSelection()
        self.entries.setRowCount(len(entries))
        self.entries.setColumnHidden(AWAY, not any(far is not None for far in away_km))
        for row, entry in enumerate(entries):
            when = entry.created.replace("T", " ").rstrip("Z")[:16]
            far = away_km[row] if away_km else None
            away = "" if far is None else self.tr("{0} km").format(f"{far:.1f}" if far < 100.0 else f"{far:.0f}")
            for column, text in enumerate((when, entry.verdict, method_name(entry.method), entry.title, away)):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, entry.uuid)
                parts = (entry.title, entry.kit, entry.place, entry.tags, entry.note)
                item.setToolTip("\n".join(part for part in parts if part))
                self.entries.setItem(row, column, item)
        self.entries.setSelectionMode(QAbstractItemView.SelectionMode.MultiSelection)
        for row, entry in enumerate(entries):
            if entry.uuid in before:
                self.entries.selectRow(row)
        self.entries.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.entries.blockSignals(False)
        self._on_selection()

    def show_entry(self, entry: Entry) -> None:
        """The one that is chosen."""
        self._shown = entry
        pixmap = QPixmap()
        if entry.picture and pixmap.loadFromData(entry.picture):
            self.picture.setPixmap(
                pixmap.scaled(
                    *_PICTURE, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
                )
            )
        self.picture.setVisible(not pixmap.isNull())
        lines = [line for line in entry.lines() if line != entry.tags]
        if entry.method:
            lines = [line.replace(entry.method, method_name(entry.method), 1) for line in lines]
        self.lines.setText("\n".join([entry.title, *lines]))
        self.tags.setText(entry.tags)
        self.note.setText(entry.note)
        self.below.setCurrentIndex(1)

    def show_two(self, heads: tuple[str, str], rows: Sequence[Row]) -> None:
        """The two that are chosen, side by side."""
        self._shown = None
        self.differences.setHorizontalHeaderLabels([self.tr("What differs"), *heads])
        self.differences.setRowCount(len(rows))
        for number, row in enumerate(rows):
            told = (row.first, row.second)
            if row.what == "method":
                told = (method_name(row.first), method_name(row.second))
            for column, text in enumerate((row.what, *told)):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                self.differences.setItem(number, column, item)
        self.below.setCurrentIndex(2)
