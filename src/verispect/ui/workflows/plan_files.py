"""Files as the user meets them: new, open, save, recent, recovery, sheet and table."""

from __future__ import annotations

from collections.abc import Callable
from importlib.resources import files
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from verispect.errors import NewerVersionError, VerispectError
from verispect.files.atomic import write_atomically
from verispect.files.frames_csv import frames_to_csv
from verispect.files.plan_file import SUFFIX, plan_from_text, read_newer_plan, read_plan, write_plan
from verispect.files.recovery import Recovered, RecoveryStore
from verispect.kit.equipment import Kit
from verispect.plan.document import Plan
from verispect.ui.drawings.three_views import BoardArea
from verispect.ui.state.notices import Notices
from verispect.ui.state.plan_document import PlanDocument
from verispect.ui.state.preferences import Preferences
from verispect.ui.state.session import Session, Shown
from verispect.ui.workflows.saving import ask_save, file_name

_AUTOSAVE_MS = 1500


class FileDesk(QObject):
    """Opens and saves for the window, and keeps a recovery copy of what is not saved."""

    recent_changed = pyqtSignal()
    saved = pyqtSignal()

    def __init__(
        self,
        window: QWidget,
        document: PlanDocument,
        session: Session,
        notices: Notices,
        preferences: Preferences,
        recovery: RecoveryStore,
        views: BoardArea,
    ) -> None:
        super().__init__(window)
        self._window, self._document, self._session, self._notices = window, document, session, notices
        self._preferences, self._recovery, self._views = preferences, recovery, views
        self._kept_kit: Kit | None = None
        self._seen: tuple[int, int] | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_AUTOSAVE_MS)
        self._timer.timeout.connect(self.autosave)

    # Plans -----------------------------------------------------------------------------------------

    def new(self) -> None:
        """An empty plan with the same kit, or the last one's: the kit seldom changes from job to job."""
        if self.may_leave():
            kit = self._document.plan.kit
            self._document.open(Plan(kit=kit if kit.lenses else self._preferences.kit or kit), None)

    def demo(self) -> None:
        """The demo plan."""
        if self.may_leave():
            self._document.open(demo_plan(), None)

    def choose_and_open(self) -> None:
        """Ask for a file and open it."""
        if not self.may_leave():
            return
        name, _ = QFileDialog.getOpenFileName(self._window, self.tr("Open a plan"), self._folder(), self._filter())
        if name:
            self.open_path(Path(name))

    def open_path(self, path: Path) -> None:
        """Open a file; the plan on the board stays where that fails."""
        try:
            plan = read_plan(path)
        except NewerVersionError as newer:
            try:
                plan = read_newer_plan(path)
            except VerispectError as error:
                self._notices.report(error)
                return
            self._document.open(plan, path, read_only=True)
            self._notices.report(
                self.tr("{0}. It is open to look at; save as another file to change it.").format(newer)
            )
        except VerispectError as error:
            self._notices.report(error)
            return
        else:
            self._document.open(plan, path)
        self._seen = _signature(path)
        self._remember(path)

    def leave_for(self, path: Path) -> None:
        """Open a file, if the plan on the board may be left."""
        if self.may_leave():
            self.open_path(path)

    def save(self) -> bool:
        """Save to the plan's file; asks for one where there is none. Whether it was saved."""
        if self._document.path is None or self._document.read_only:
            return self.save_as()
        return self._write(self._document.path)

    def save_as(self) -> bool:
        """Ask for a file and save."""
        title = self._document.plan.title or self.tr("plan")
        start = self._document.path or Path(self._folder()) / f"{file_name(title)}{SUFFIX}"
        name = ask_save(self._window, self.tr("Save the plan"), start, self._filter(), SUFFIX)
        return self._write(name) if name is not None else False

    def _write(self, path: Path) -> bool:
        if path == self._document.path and not self._still_ours(path):
            return False
        try:
            write_plan(self._document.plan, path)
        except VerispectError as error:
            self._notices.report(error)
            return False
        self._document.path, self._document.read_only = path, False
        self._seen = _signature(path)
        self._document.undo_stack.setClean()
        self._timer.stop()
        self._recovery.forget()
        self._remember(path)
        self.saved.emit()
        return True

    def _still_ours(self, path: Path) -> bool:
        """Whether the file is as it was opened or saved here; if not, whether the user has it written over."""
        now = _signature(path)
        if now is None or self._seen is None or now == self._seen:
            return True
        answer = QMessageBox.warning(
            self._window,
            self.tr("Changed meanwhile"),
            self.tr(
                "{0} was changed by another window or program since it was opened here. Save writes over that; "
                "cancel leaves it, and “Save as” keeps both."
            ).format(path.name),
            QMessageBox.StandardButton.Save | QMessageBox.StandardButton.Cancel,
            QMessageBox.StandardButton.Cancel,
        )
        return answer == QMessageBox.StandardButton.Save

    def may_leave(self) -> bool:
        """Whether the plan may be left: it is saved, or the user says what to do."""
        if self._document.undo_stack.isClean():
            return True
        answer = QMessageBox.warning(
            self._window,
            self.tr("Unsaved changes"),
            self.tr("This plan has changes that are not saved."),
            QMessageBox.StandardButton.Save | QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel,
            QMessageBox.StandardButton.Save,
        )
        if answer == QMessageBox.StandardButton.Save:
            return self.save()
        return answer == QMessageBox.StandardButton.Discard

    # Sheet and table -------------------------------------------------------------------------------

    def save_sheet(self) -> None:
        """Ask for a file and write the field sheet."""
        from verispect.ui.paper.sheet import write_sheet

        system = self._preferences.system
        paper = self._preferences.paper
        self._export(
            self.tr("Save the field sheet"),
            ".pdf",
            lambda shown, path: write_sheet(shown, path, system=system, paper=paper),
        )

    def save_table(self) -> None:
        """Ask for a file and write the frame list as CSV."""
        self._export(
            self.tr("Save the frame list"),
            ".csv",
            lambda shown, path: write_atomically(path, _table(shown)),
        )

    def save_drawings(self) -> None:
        """Ask for a file and write the drawings as SVG, PDF or PNG."""
        from verispect.ui.paper.drawing_file import write_drawings

        if self._session.shown is None or self._session.shown.is_empty:
            self._notices.report(self.tr("There is nothing to draw yet: add a mark"))
            return
        title = self._document.plan.title or self.tr("plan")
        start = Path(self._folder()) / f"{file_name(title)}-drawings.svg"
        path = ask_save(self._window, self.tr("Save the drawings"), start, "*.svg *.pdf *.png", ".svg")
        if path is None:
            return
        try:
            write_drawings(self._views, path, title=title)
        except VerispectError as error:
            self._notices.report(error)
        else:
            self._notices.say(self.tr("Written: {0}").format(path))

    def _export(self, title: str, suffix: str, write: Callable[[Shown, Path], None]) -> None:
        shown = self._session.shown
        if shown is None or shown.candidate is None or not shown.candidate.exposures:
            self._notices.report(self.tr("There are no numbers to write yet: choose a method that fits"))
            return
        name = f"{file_name(self._document.plan.title or self.tr('plan'))}-{shown.candidate.key}{suffix}"
        path = ask_save(self._window, title, Path(self._folder()) / name, f"*{suffix}", suffix)
        if path is None:
            return
        try:
            write(shown, path)
        except VerispectError as error:
            self._notices.report(error)
        else:
            self._notices.say(self.tr("Written: {0}").format(path))

    # Recovery --------------------------------------------------------------------------------------

    def mark_changed(self) -> None:
        """Something changed: a copy is due shortly, and the kit is kept for the next plan."""
        kit = self._document.plan.kit
        if kit.lenses and kit is not self._kept_kit:
            self._preferences.kit = self._kept_kit = kit
        if self._document.undo_stack.isClean():
            self._timer.stop()
            self._recovery.forget()
        elif not self._timer.isActive():
            # Not started anew: who keeps working is kept too.
            self._timer.start()

    def autosave(self) -> bool:
        """Keep a recovery copy of unsaved work; False where that failed."""
        if self._document.undo_stack.isClean():
            return True
        try:
            self._recovery.keep(self._document.plan, self._document.path)
        except (VerispectError, OSError) as error:
            self._notices.report(self.tr("No recovery copy could be kept: {0}").format(error))
            return False
        return True

    def offer_recovery(self) -> None:
        """If an earlier run broke off with unsaved work, offer it."""
        left = self._recovery.left_behind()
        if not left:
            return
        newest = left[0]
        name = newest.origin.name if newest.origin else newest.plan.title or self.tr("Untitled plan")
        self._notices.say(
            self.tr("Work on {0} was not saved when the program broke off.").format(name),
            [
                (self.tr("Bring it back"), lambda: self._bring_back(newest)),
                (self.tr("Throw it away"), lambda: newest.copy.unlink(missing_ok=True)),
            ],
        )

    def _bring_back(self, found: Recovered) -> None:
        if not self.may_leave():
            return
        self._document.open(found.plan, found.origin)
        self._seen = None
        # It counts as unsaved until it is saved, with nothing before it to undo to.
        self._document.undo_stack.resetClean()
        if self.autosave():
            found.copy.unlink(missing_ok=True)

    def close(self) -> None:
        """The window closes in good order: no copy is needed any more."""
        self._timer.stop()
        self._recovery.forget()

    # Recent ----------------------------------------------------------------------------------------

    def _remember(self, path: Path) -> None:
        self._preferences.remember(path)
        self.recent_changed.emit()

    def _folder(self) -> str:
        if self._document.path is not None:
            return str(self._document.path.parent)
        recent = self._preferences.recent
        return str(recent[0].parent if recent else Path.home())

    def _filter(self) -> str:
        return self.tr("Verispect plans (*{0})").format(SUFFIX)


def _signature(path: Path) -> tuple[int, int] | None:
    """By which a file is known to be as it was; None where there is none."""
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_mtime_ns, found.st_size


def _table(shown: Shown) -> bytes:
    assert shown.candidate is not None
    return frames_to_csv(shown.candidate).encode("utf-8")


def demo_plan() -> Plan:
    """The plan that `--demo` opens; it ships with the program."""
    text = files("verispect.ui").joinpath("demo/demo.verispect").read_text(encoding="utf-8")
    return plan_from_text(text, name="demo.verispect")
