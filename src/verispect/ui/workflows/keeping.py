"""The logbook and the shelf at the station Keep; runs and proofs leave entries by themselves."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from pydantic import ValidationError
from PyQt6.QtCore import QObject, pyqtSignal

from verispect.errors import VerispectError
from verispect.kit.equipment import Body, Head, Kit, Rail
from verispect.kit.lens import Lens
from verispect.plan.advise.kit_gain import MOST_JOBS, gain_sentences, gains
from verispect.plan.document import Plan
from verispect.plan.entry.learned_figures import with_distance_share, with_focus, with_time_factor
from verispect.plan.methods.candidate import Candidate
from verispect.prove.report import Report, report_dict
from verispect.shoot.run import RunState, as_file, seconds_taken
from verispect.ui.controls.theme import Theme
from verispect.ui.controls.translate import say
from verispect.ui.panels.stations.keep import KeepPanel
from verispect.ui.state.notices import Notices
from verispect.ui.state.plan_document import PlanDocument
from verispect.ui.work.job import Job
from verispect.ui.workflows.saving import ask_save, file_name

if TYPE_CHECKING:
    from verispect.keep.book import Book, Item
    from verispect.keep.entry import Entry


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
        panel.find_wanted.connect(lambda _words: self.refresh())
        panel.open_wanted.connect(self.open_again)
        panel.remove_wanted.connect(self.remove)
        panel.log_wanted.connect(self.log_plan)
        panel.page_wanted.connect(self.write_page)
        panel.put_wanted.connect(self.put_kit)
        panel.take_wanted.connect(self.take)
        panel.put_away_wanted.connect(self.put_away)
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
        book = self.book()
        if book is None:
            self._panel.show_entries([], complaint=self.tr("The logbook cannot be opened."))
            return
        try:
            self._panel.show_entries(book.entries(self._panel.search.text()))
            items = book.shelf()
            self._panel.show_shelf(items, {item.uuid: self._otherwise(item) for item in items})
        except VerispectError as error:
            self._notices.report(error)

    def _add(self, entry: Entry) -> None:
        book = self.book()
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

    def log_proof(self, report: Report, candidate: Candidate | None) -> None:
        """A proof."""
        from verispect.keep.entry import entry_of

        run = None if candidate is None else {"method": candidate.key}
        planned = {} if candidate is None else _as_planned(candidate)
        self._add(entry_of(self._plan(), run=run, check=report_dict(report), **planned))

    def open_again(self, uuid: str) -> None:
        """A job as a plan: a new one, not yet saved."""
        book = self.book()
        if book is None:
            return
        try:
            content = book.entry(uuid).plan
            plan = Plan.model_validate(content or {})
        except VerispectError as error:
            self._notices.report(error)
        except ValidationError:
            self._notices.report(self.tr("This entry's plan is damaged and cannot be opened."))
        else:
            self.opened.emit(plan)

    def write_page(self, uuid: str) -> None:
        """A job as one page."""
        from verispect.files.atomic import write_atomically
        from verispect.shoot.report_html import entry_html

        book = self.book()
        if book is None:
            return
        try:
            entry = book.entry(uuid)
            start = f"{file_name(entry.title)}.html"
            target = ask_save(self._panel, self.tr("Save the page"), start, "*.html", ".html")
            if target is not None:
                page = entry_html(entry.plan, entry.check, head=entry.lines(), picture=entry.picture, note=entry.note)
                write_atomically(target, page.encode("utf-8"))
                self._notices.say(self.tr("Written: {0}").format(target))
        except VerispectError as error:
            self._notices.report(error)

    def remove(self, uuid: str) -> None:
        """Take a job out; it can be put back."""
        book = self.book()
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
        kit = self._document.plan.kit
        pieces: list[tuple[str, str, Body | Lens | Head | Rail]] = [
            ("body", kit.body.name or self.tr("Body"), kit.body), *(("lens", lens.name, lens) for lens in kit.lenses)
        ]  # fmt: skip
        if kit.head is not None:
            pieces.append(("head", self.tr("Head"), kit.head))
        if kit.rail is not None:
            pieces.append(("rail", self.tr("Rail"), kit.rail))
        try:
            for kind, name, piece in pieces:
                book.keep(kind, name, piece.model_dump(mode="json"))
        except VerispectError as error:
            self._notices.report(error)
        self.refresh()

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
            own: Body | Lens | None = next((lens for lens in kit.lenses if lens.name == item.name), None)
        else:
            own = kit.body if item.kind == "body" and kit.body.name == item.name else None
        if own is None:
            return []
        now = own.model_dump(mode="json")
        return [
            key.rsplit("_", 1)[0].replace("_", " ") if key.endswith(("_mm", "_m", "_deg")) else key.replace("_", " ")
            for key, value in item.content.items()
            if key in now and now[key] != value and key not in ("typical", "measured")
        ]

    def _show_shelf(self) -> None:
        book = self._book
        if book is None or not self._panel.isVisible():
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
        kit = self._document.plan.kit
        try:
            if item.kind == "kit":
                changed = Kit.model_validate(item.content)
            elif item.kind == "lens":
                lens = Lens.model_validate(item.content)
                others = tuple(other for other in kit.lenses if other.name != lens.name)
                changed = kit.model_copy(update={"lenses": (*others, lens)})
            else:
                kinds: dict[str, type[Body] | type[Head] | type[Rail]] = {"body": Body, "head": Head, "rail": Rail}
                kind = kinds[item.kind]
                changed = kit.model_copy(update={item.kind: kind.model_validate(item.content)})
        except (ValidationError, KeyError):
            self._notices.report(self.tr("{0} on the shelf is damaged and cannot be used.").format(item.name))
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
        for job in (self._learning, self._looking):
            if job is not None:
                job.give_up()
        if self._book is not None:
            self._book.close()
            self._book = None


def _as_planned(candidate: Candidate) -> dict[str, Any]:
    """What was planned of a method: its time, its lens, how surely it was to hold."""
    sure = candidate.confidence
    return {
        "planned_s": candidate.run_s,
        "promised": None if sure is None else sure.holds,
        "lens": "" if candidate.lens is None else candidate.lens.name,
    }
