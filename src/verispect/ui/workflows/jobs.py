"""The jobs of the logbook: runs and proofs leave entries by themselves; looked at, told anew, opened again."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pydantic import ValidationError
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMessageBox

from verispect.errors import VerispectError
from verispect.plan.document import Plan
from verispect.plan.methods.candidate import Candidate
from verispect.prove.report import Report, report_dict
from verispect.shoot.run import RunState, as_file, seconds_taken
from verispect.ui.controls.translate import say
from verispect.ui.panels.stations.jobs import JobsPage
from verispect.ui.state.notices import Notices
from verispect.ui.state.plan_document import PlanDocument
from verispect.ui.work.job import Job
from verispect.ui.workflows.saving import ask_save, file_name

if TYPE_CHECKING:
    from verispect.keep.book import Book
    from verispect.keep.entry import Entry

# Side of the small picture of a job.
_PICTURE_PX = 480


class JobDesk(QObject):
    """What is done with the jobs.

    Signals
    -------
    opened(Plan)
        A job was opened again.
    replaced
        Another book lies in the book's place.
    """

    opened = pyqtSignal(object)
    replaced = pyqtSignal()

    def __init__(
        self,
        parent: QObject,
        page: JobsPage,
        document: PlanDocument,
        notices: Notices,
        book: Callable[[], Book | None],
    ) -> None:
        super().__init__(parent)
        self._page, self._document, self._notices, self._book = page, document, notices, book
        self._pictures: list[Job] = []
        page.find_wanted.connect(lambda _words: self.refresh())
        page.open_wanted.connect(self.open_again)
        page.again_wanted.connect(self.open_for)
        page.remove_wanted.connect(self.remove)
        page.log_wanted.connect(self.log_plan)
        page.page_wanted.connect(self.write_page)
        page.chosen.connect(self._show)
        page.retold.connect(self.retell)
        page.export_wanted.connect(self.export)
        page.backup_wanted.connect(self.back_up)
        page.restore_wanted.connect(self.restore)

    def refresh(self) -> None:
        """Show what the book holds, with how far each is from the plan's place where it has one."""
        from verispect.keep.entry import away_km

        book = self._book()
        if book is None:
            self._page.show_entries([], complaint=self.tr("The logbook cannot be opened."))
            return
        try:
            entries = book.entries(self._page.search.text())
        except VerispectError as error:
            self._notices.report(error)
            return
        site = self._document.plan.site
        away: list[float | None] = []
        if site is not None:
            away = away_km([entry.place for entry in entries], site.latitude_deg, site.longitude_deg)
        self._page.show_entries(entries, away)

    def _show(self, chosen: list[str]) -> None:
        from verispect.keep.two_jobs import side_by_side

        entries = [self._entry(uuid) for uuid in chosen[:2]] if len(chosen) <= 2 else []
        found = [entry for entry in entries if entry is not None]
        if len(found) == 1:
            self._page.show_entry(found[0])
        elif len(found) == 2:
            newer, older = found
            days = (older.created[:10], newer.created[:10])
            self._page.show_two(days, side_by_side(older, newer))

    def _entry(self, uuid: str) -> Entry | None:
        book = self._book()
        try:
            return None if book is None else book.entry(uuid)
        except VerispectError as error:
            self._notices.report(error)
            return None

    def _add(self, entry: Entry) -> None:
        book = self._book()
        if book is None:
            return
        try:
            book.add(entry)
        except VerispectError as error:
            self._notices.report(error)
            return
        self.refresh()

    def _plan(self) -> dict[str, object]:
        return self._document.plan.model_dump(mode="json", by_alias=True)

    def log_plan(self) -> None:
        """The plan as it stands."""
        from verispect.keep.entry import entry_of

        self._add(entry_of(self._plan()))

    def log_run(self, state: RunState, candidate: Candidate) -> None:
        """A run that ended."""
        from verispect.keep.entry import entry_of

        path = self._document.path
        run = as_file(state, candidate, None if path is None else str(path)).model_dump(mode="json")
        self._add(entry_of(self._plan(), run=run, taken_s=seconds_taken(run["frames"]), **_as_planned(candidate)))

    def log_proof(self, report: Report, folder: Path, candidate: Candidate | None) -> None:
        """A proof, with a small picture from the middle of its frames as soon as that is made."""
        from verispect.keep.entry import entry_of
        from verispect.prove.desk import page_pictures

        run = None if candidate is None else {"method": candidate.key}
        planned = {} if candidate is None else _as_planned(candidate)
        entry = entry_of(self._plan(), run=run, check=report_dict(report), **planned)
        self._add(entry)
        names = [name for name in report.paths if name]
        if not names:
            return
        job = Job(self, page_pictures, [folder / names[len(names) // 2]], _PICTURE_PX, watched=True)
        self._pictures.append(job)
        job.done.connect(lambda found: self._take_picture(entry.uuid, found))
        # The entry stands without its picture as well.
        job.failed.connect(lambda _why: None)
        job.ended.connect(lambda: self._pictures.remove(job))

    def _take_picture(self, uuid: str, found: list[tuple[str, bytes]]) -> None:
        book = self._book()
        if book is None or not found:
            return
        try:
            book.retell(uuid, picture=found[0][1])
        except VerispectError as error:
            self._notices.report(error)
        self._show(self._page.chosen_uuids())

    def retell(self, uuid: str, note: str, tags: str) -> None:
        """Change note and tags; it can be put back."""
        book = self._book()
        if book is None:
            return
        try:
            before = book.retell(uuid, note=note, tags=tags)
        except VerispectError as error:
            self._notices.report(error)
            return
        self.refresh()
        if before is not None:
            self._notices.say(
                self.tr("Note and tags of {0} are changed.").format(before.title or uuid[:8]),
                [(self.tr("As they were"), lambda: self._put_back(before))],
            )

    def _put_back(self, before: Entry) -> None:
        book = self._book()
        if book is not None:
            book.retell(before.uuid, note=before.note, tags=before.tags)
            self.refresh()

    def _plan_of(self, uuid: str) -> Plan | None:
        entry = self._entry(uuid)
        if entry is None:
            return None
        try:
            return Plan.model_validate(entry.plan or {})
        except ValidationError:
            self._notices.report(self.tr("This entry's plan is damaged and cannot be opened."))
            return None

    def open_again(self, uuid: str) -> None:
        """A job as a plan: a new one, not yet saved."""
        plan = self._plan_of(uuid)
        if plan is not None:
            self.opened.emit(plan)

    def open_for(self, uuid: str, day: date) -> None:
        """A job as a plan for another day, and what has changed in the light."""
        from verispect.shoot.light_again import again_sentences, light_again, moved_to

        plan = self._plan_of(uuid)
        if plan is None:
            return
        try:
            found, moved = light_again(plan, day), moved_to(plan, day)
        except VerispectError as error:
            self._notices.report(error)
            return
        self.opened.emit(moved)
        self._notices.say(". ".join(say(line) for line in again_sentences(found)) + ".")

    def write_page(self, uuid: str) -> None:
        """A job as one page."""
        from verispect.files.atomic import write_atomically
        from verispect.shoot.report_html import entry_html

        entry = self._entry(uuid)
        if entry is None:
            return
        try:
            start = f"{file_name(entry.title)}.html"
            target = ask_save(self._page, self.tr("Save the page"), start, "*.html", ".html")
            if target is not None:
                page = entry_html(entry.plan, entry.check, head=entry.lines(), picture=entry.picture, note=entry.note)
                write_atomically(target, page.encode("utf-8"))
                self._notices.say(self.tr("Written: {0}").format(target))
        except VerispectError as error:
            self._notices.report(error)

    def remove(self, uuid: str) -> None:
        """Take a job out; it can be put back."""
        book = self._book()
        if book is None:
            return
        try:
            gone = book.remove(uuid)
        except VerispectError as error:
            self._notices.report(error)
            return
        self.refresh()
        if gone is not None:
            self._notices.say(
                self.tr("{0} is out of the logbook.").format(gone.title or gone.uuid[:8]),
                [(self.tr("Put it back"), lambda: self._add(gone))],
            )

    # The book as a whole ---------------------------------------------------------------------------

    def export(self) -> None:
        """The jobs as a table or as JSON."""
        import json

        from verispect.files.atomic import write_atomically
        from verispect.keep.entry import entries_csv

        book = self._book()
        target = ask_save(self._page, self.tr("Export the jobs"), "jobs.csv", "*.csv *.json", ".csv")
        if book is None or target is None:
            return
        try:
            if target.suffix.lower() == ".json":
                text = json.dumps(book.exported(), ensure_ascii=False, indent=1)
            else:
                text = entries_csv(book.entries())
            write_atomically(target, text.encode("utf-8"))
        except VerispectError as error:
            self._notices.report(error)
            return
        self._notices.say(self.tr("Written: {0}").format(target))

    def back_up(self) -> None:
        """Jobs and shelf as a file."""
        from verispect.keep.copies import back_up

        book, start = self._book(), f"verispect-book-{date.today().isoformat()}.sqlite"
        target = ask_save(self._page, self.tr("Back up the book"), start, "*.sqlite", ".sqlite")
        if book is None or target is None:
            return
        try:
            # The dialog has asked about what is there.
            back_up(book, target, force=True)
        except VerispectError as error:
            self._notices.report(error)
            return
        self._notices.say(self.tr("Written: {0}").format(target))

    def restore(self) -> None:
        """A backup in the book's place; the book that was there is kept beside it."""
        name, _ = QFileDialog.getOpenFileName(self._page, self.tr("Bring a backup back"), "", "*.sqlite")
        if name:
            self.restore_from(Path(name))

    def restore_from(self, source: Path) -> None:
        """Once more asked, since another window may have the book open."""
        from verispect.keep.copies import bring_back

        book = self._book()
        if book is None:
            return
        words = self.tr(
            "Jobs and shelf as they are in {0} take the book's place. The book as it is now is kept beside it. Close "
            "other Verispect windows first."
        ).format(source.name)
        answer = QMessageBox.question(
            self._page, self.tr("Bring a backup back"), words,
            QMessageBox.StandardButton.Ok | QMessageBox.StandardButton.Cancel, QMessageBox.StandardButton.Cancel,
        )  # fmt: skip
        if answer != QMessageBox.StandardButton.Ok:
            return
        path = book.path
        book.close()
        try:
            aside = bring_back(source, path)
        except VerispectError as error:
            self._notices.report(error)
        else:
            self._notices.say(self.tr("The book is {0} now; the one before is {1}.").format(source.name, aside))
        self.replaced.emit()

    def close(self) -> None:
        """The window closes."""
        for job in list(self._pictures):
            job.give_up()


def _as_planned(candidate: Candidate) -> dict[str, Any]:
    """What was planned of a method: its time, its lens, how surely it was to hold."""
    sure = candidate.confidence
    return {
        "planned_s": candidate.run_s,
        "promised": None if sure is None else sure.holds,
        "lens": "" if candidate.lens is None else candidate.lens.name,
    }
