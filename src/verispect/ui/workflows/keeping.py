"""The station Keep: the book opened when it is needed, the shelf, and what the jobs teach."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from pydantic import BaseModel, ValidationError
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog

from verispect.errors import VerispectError
from verispect.files.atomic import write_atomically
from verispect.keep.gear_files import gear_csv, gear_json, pieces_of, read_gear, with_piece
from verispect.kit.lens import Lens
from verispect.plan.advise.kit_gain import MOST_JOBS, gain_sentences, gains
from verispect.plan.document import Plan
from verispect.plan.entry.learned_figures import with_distance_share, with_focus, with_time_factor
from verispect.ui.controls.theme import Theme
from verispect.ui.controls.translate import say
from verispect.ui.panels.stations.keep import KeepPanel
from verispect.ui.state.notices import Notices
from verispect.ui.state.plan_document import PlanDocument
from verispect.ui.work.job import Job
from verispect.ui.workflows.jobs import JobDesk
from verispect.ui.workflows.saving import ask_save

if TYPE_CHECKING:
    from verispect.keep.book import Book, Item


class KeepDesk(QObject):
    """Opens the book when it is first needed.

    Signals
    -------
    opened(Plan)
        A job was opened again.
    """

    opened = pyqtSignal(object)

    def __init__(
        self, parent: QObject, panel: KeepPanel, document: PlanDocument, notices: Notices, path: Path | None
    ) -> None:
        super().__init__(parent)
        self._panel, self._document, self._notices, self._path = panel, document, notices, path
        self._book: Book | None = None
        self.jobs = JobDesk(self, panel.jobs, document, notices, self.book)
        self.jobs.opened.connect(self.opened)
        self.jobs.replaced.connect(self._on_replaced)
        panel.put_wanted.connect(self.put_kit)
        panel.take_wanted.connect(self.take)
        panel.put_away_wanted.connect(self.put_away)
        panel.gear_out_wanted.connect(self.hand_on)
        panel.gear_in_wanted.connect(self.take_in)
        panel.kit_wanted.connect(self.put_whole_kit)
        panel.helped_wanted.connect(self.look_back)
        document.changed.connect(self._show_shelf)
        panel.lessons_wanted.connect(self.learn)
        panel.lessons.distance_wanted.connect(self._take_distances)
        panel.lessons.focus_wanted.connect(self._take_focus)
        panel.lessons.time_wanted.connect(self._take_time)
        self._learning: Job | None = None
        self._looking: Job | None = None

    def apply_theme(self, theme: Theme) -> None:
        """Take on a theme's colours."""
        self._panel.lessons.apply_theme(theme)

    def book(self) -> Book | None:
        """The book, opened when first asked for; None where it cannot be, which is said."""
        if self._book is None:
            from verispect.keep.book import Book

            try:
                self._book = Book(self._path)
            except VerispectError as error:
                self._notices.report(error)
        return self._book

    def refresh(self) -> None:
        """Show what the book holds."""
        self.jobs.refresh()
        self._show_items()

    def _on_replaced(self) -> None:
        self._book = None
        self.refresh()

    # Learned ---------------------------------------------------------------------------------------

    def learn(self) -> None:
        """Read what the jobs teach, beside the window."""
        from verispect.keep.lessons import lessons_from

        if self._learning is not None or self.book() is None:
            return
        self._panel.lessons.show_waiting()
        self._learning = Job(self, lessons_from, self._path)
        self._learning.done.connect(self._panel.lessons.show_lessons)
        self._learning.failed.connect(self._notices.report)
        self._learning.ended.connect(self._learned)

    def _learned(self) -> None:
        self._learning = None

    def _take_distances(self, share: float) -> None:
        plan = with_distance_share(self._document.plan, share)
        self._take(plan, self.tr("± of distances"), self.tr("Every mark already carries a ± of its own."))

    def _take_focus(self, lens: str, plus_minus_mm: float) -> None:
        plan = with_focus(self._document.plan, lens, plus_minus_mm)
        self._take(plan, self.tr("± of the focus"), self.tr("{0} is not in this plan's kit.").format(lens))

    def _take_time(self, factor: float) -> None:
        plan = with_time_factor(self._document.plan, factor)
        self._take(plan, self.tr("times on site"), self.tr("The times are as they were."))

    def _take(self, plan: Plan, what: str, otherwise: str) -> None:
        if plan == self._document.plan:
            self._notices.say(otherwise)
            return
        self._document.change(plan, what)
        self._notices.say(self.tr("Taken from the logbook: {0}. Weigh follows.").format(what))

    # Shelf -----------------------------------------------------------------------------------------

    def put_kit(self) -> None:
        """Put every piece of the plan's kit on the shelf."""
        book = self.book()
        if book is None:
            return
        try:
            book.keep_all(pieces_of(self._document.plan.kit))
        except VerispectError as error:
            self._notices.report(error)
        self.refresh()

    def hand_on(self) -> None:
        """Write the shelf as a table or as JSON."""
        book = self.book()
        target = ask_save(self._panel, self.tr("Hand the shelf on"), "gear.csv", "*.csv *.json", ".csv")
        if book is None or target is None:
            return
        try:
            items = book.shelf()
            text = gear_json(items) if target.suffix.lower() == ".json" else gear_csv(items)
            write_atomically(target, text.encode("utf-8"))
        except VerispectError as error:
            self._notices.report(error)
            return
        self._notices.say(self.tr("Written: {0}").format(target))

    def take_in(self) -> None:
        """Put what a file holds on the shelf; what is of the same name there is put by, and can come back."""
        name, _ = QFileDialog.getOpenFileName(self._panel, self.tr("Gear of a file"), "", "*.csv *.json")
        book = self.book()
        if not name or book is None:
            return
        try:
            pieces, before = read_gear(Path(name)), book.shelf()
            book.keep_all(pieces)
        except VerispectError as error:
            self._notices.report(error)
            return
        self._show_items()
        words = self.tr("{0} pieces are on the shelf.").format(len(pieces))
        self._notices.say(words, [(self.tr("As it was"), lambda: self._shelf_as(before))])

    def _shelf_as(self, before: list[Item]) -> None:
        book = self.book()
        if book is None:
            return
        try:
            for item in book.shelf():
                book.put_away(item.uuid)
            book.keep_all((item.kind, item.name, item.content) for item in before)
        except VerispectError as error:
            self._notices.report(error)
        self._show_items()

    def put_whole_kit(self, name: str) -> None:
        """Keep the plan's kit as one, by a name."""
        book = self.book()
        if book is None:
            return
        try:
            book.keep("kit", name, self._document.plan.kit.model_dump(mode="json"))
        except VerispectError as error:
            self._notices.report(error)
        self.refresh()

    def _otherwise(self, item: Item) -> list[str]:
        """Which figures of a piece on the shelf the plan has otherwise, where it has the piece."""
        kit = self._document.plan.kit
        if item.kind == "lens":
            own: BaseModel | None = next((lens for lens in kit.lenses if lens.name == item.name), None)
        else:
            own = getattr(kit, item.kind, None)
            own = own if getattr(own, "name", item.name) == item.name else None
        if own is None:
            return []
        now = own.model_dump(mode="json")
        return [
            key.rsplit("_", 1)[0].replace("_", " ") if key.endswith(("_mm", "_m", "_deg")) else key.replace("_", " ")
            for key, value in item.content.items()
            if key in now and now[key] != value and key not in ("typical", "measured", "plus_minus")
        ]

    def _show_shelf(self) -> None:
        if self._book is not None and self._panel.isVisible():
            self._show_items()

    def _show_items(self) -> None:
        book = self.book()
        if book is None:
            return
        try:
            items = book.shelf()
        except VerispectError as error:
            self._notices.report(error)
            return
        self._panel.show_shelf(items, {item.uuid: self._otherwise(item) for item in items})

    def look_back(self, uuid: str) -> None:
        """What a lens on the shelf would have made of the jobs in the logbook, worked out beside the window."""
        book = self.book()
        if book is None or self._looking is not None:
            return
        try:
            item = next((item for item in book.shelf("lens") if item.uuid == uuid), None)
            jobs = book.plans(most=MOST_JOBS)
            if item is None:
                self._notices.say(self.tr("Choose a lens on the shelf."))
                return
            lens = Lens.model_validate(item.content)
        except VerispectError as error:
            self._notices.report(error)
            return
        except ValidationError:
            self._notices.report(self.tr("{0} on the shelf is damaged and cannot be used.").format(uuid[:8]))
            return
        self._panel.helped.setText(self.tr("Weighing {0} jobs with and without it…").format(len(jobs)))
        self._looking = Job(self, gains, jobs, lens, watched=True)
        self._looking.done.connect(
            lambda found: self._panel.helped.setText(
                "\n".join(say(one) + "." for one in gain_sentences(found, lens.name))
            )
        )
        self._looking.failed.connect(self._notices.report)
        self._looking.ended.connect(self._looked)

    def _looked(self) -> None:
        self._looking = None

    def take(self, uuid: str) -> None:
        """Take a piece from the shelf into the plan's kit, as a copy."""
        book = self.book()
        if book is None:
            return
        try:
            item = next((item for item in book.shelf() if item.uuid == uuid), None)
        except VerispectError as error:
            self._notices.report(error)
            return
        if item is None:
            return
        try:
            changed = with_piece(self._document.plan.kit, item)
        except VerispectError as error:
            self._notices.report(error)
            return
        self._document.update(self.tr("{0} from the shelf").format(item.name), kit=changed)

    def put_away(self, uuid: str) -> None:
        """Take a piece off the shelf; it can be put back."""
        book = self.book()
        if book is None:
            return
        try:
            item = next((item for item in book.shelf() if item.uuid == uuid), None)
            book.put_away(uuid)
        except VerispectError as error:
            self._notices.report(error)
            return
        self.refresh()
        if item is not None:
            self._notices.say(
                self.tr("{0} is off the shelf.").format(item.name),
                [(self.tr("Put it back"), lambda: self._put(item))],
            )

    def _put(self, item: object) -> None:
        book = self.book()
        if book is not None:
            book.keep(item.kind, item.name, item.content)  # type: ignore[attr-defined]
            self.refresh()

    def close(self) -> None:
        """Let go of the book."""
        self.jobs.close()
        for job in (self._learning, self._looking):
            if job is not None:
                job.give_up()
        if self._book is not None:
            self._book.close()
            self._book = None
