"""Checking, looking, merging and joining at the station Prove, beside the window, with progress and stop."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QFileSystemWatcher, QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QFileDialog, QWidget

from verispect.errors import VerispectError
from verispect.plan.document import Plan
from verispect.plan.methods.candidate import Candidate
from verispect.prove.parting.kept_by_hand import KeptByHand
from verispect.prove.report import Report
from verispect.prove.taken_in.cards import place_for_made
from verispect.ui.controls.translate import say
from verispect.ui.drawings.picture_view import PicturePair, image_of, net_of
from verispect.ui.panels.stations.prove import ProvePanel
from verispect.ui.state.notices import Act, Notices
from verispect.ui.state.session import Session
from verispect.ui.work.job import Job
from verispect.ui.workflows.at_prove.cutting import CuttingDesk
from verispect.ui.workflows.at_prove.side_by_side import SideBySide
from verispect.ui.workflows.by_hand.pointed_marks import PointedMarks
from verispect.ui.workflows.by_hand.sets_by_hand import SetsByHand
from verispect.ui.workflows.saving import ask_save

if TYPE_CHECKING:
    from verispect.prove.desk import JoinedFile, MergedFile
    from verispect.ui.workflows.at_prove.retouching import RetouchDesk

_QUIET_MS = 1000
# Small pictures made at once: those that are seen first come first.
_SCREENFUL = 40
_FEW_GHOSTS = 2


class ProveDesk(QObject):
    """Takes a folder in and says what came of it.

    Signals
    -------
    proved(Report, Path, Candidate or None)
    scanned(Path)
        Points to be brought in as a scan.
    card_named(Path)
        A camera's card in place of a folder.
    """

    proved = pyqtSignal(object, object, object)
    scanned = pyqtSignal(object)
    card_named = pyqtSignal(object)

    def __init__(
        self, window: QWidget, panel: ProvePanel, pair: PicturePair, session: Session, notices: Notices,
        photograph: Callable[[], Path | None], kept: KeptByHand, plan: Callable[[], Plan],
    ) -> None:  # fmt: skip
        super().__init__(window)
        self._window, self._panel, self._pair = window, panel, pair
        self._session, self._notices = session, notices
        self._job: Job | None = None
        self._checking: Job | None = None
        self.report: Report | None = None
        self.checked_against: Candidate | None = None
        self._merged: Path | None = None
        # Of the merge in the folder that is checked: where it lies, and how its frames were laid.
        self._merge_report: dict[str, Any] | None = None
        self._merged_of_frames = Path()
        self.retouching: RetouchDesk | None = None
        self.folder: Path | None = None
        self._images: dict[str, QImage] = {}
        self._first, self._second = "", ""
        self._thumbnails: Job | None = None
        self._wanting: list[Path] = []
        self._small: set[str] = set()
        self._listed: Path | None = None
        panel.folder_wanted.connect(self.choose)
        panel.stop_wanted.connect(self.stop)
        panel.merge_wanted.connect(self.merge)
        panel.sorting_wanted.connect(self.sort)
        panel.page_wanted.connect(self.write_page)
        panel.dropped.connect(self.drop)
        panel.watch_wanted.connect(self._watch)
        self._files: tuple[Path, ...] = ()
        self._seen: object = None
        self._watcher = QFileSystemWatcher(self)
        self._watcher.directoryChanged.connect(lambda _folder: self._quiet.start())
        # Frames come one after the other and in pieces: they are looked at when nothing has come for a while.
        self._quiet = QTimer(self)
        self._quiet.setSingleShot(True)
        self._quiet.setInterval(_QUIET_MS)
        self._quiet.timeout.connect(self._arrived)
        panel.return_wanted.connect(self.ask_return)
        self.cutting = CuttingDesk(window, notices, pair, self.start, self._show_made)
        self.side_by_side = SideBySide(window, panel, notices, lambda: self.folder, self.start, plan, self._planned)
        panel.retouch_wanted.connect(self.retouch)
        panel.frames.picked.connect(self.show_frame)
        panel.frames.beside_picked.connect(self.show_beside)
        self.sets = SetsByHand(self, panel.frames)
        self.sets.changed.connect(self._check_again)
        self._is_stale, self._kept = False, kept
        self.pointed = PointedMarks(self, pair, photograph)
        self.pointed.changed.connect(self._check_again)
        panel.mark_wanted.connect(pair.ask_for)

    def _planned(self) -> Candidate | None:
        """The method on the board, where what was checked is of it."""
        return None if self.report is not None and self.report.without_plan else self._candidate()

    def _candidate(self) -> Candidate | None:
        shown = self._session.shown
        found = None if shown is None else shown.candidate
        return found if found is not None and found.exposures else None

    def choose(self) -> None:
        """Ask for a folder and check it."""
        start = str(self.folder or "")
        name = QFileDialog.getExistingDirectory(self._window, self.tr("The folder with the frames"), start)
        if name:
            self.open(Path(name))

    def open(self, folder: Path) -> None:
        """Check a folder; of a camera's card what was taken last."""
        if (folder / "DCIM").is_dir():
            self.card_named.emit(folder)
        else:
            self.check(folder)

    def drop(self, places: list[Path]) -> None:
        """A folder, or frames of one folder, that were dropped."""
        if len(places) == 1 and places[0].is_dir():
            self.open(places[0])
        elif len({place.parent for place in places}) == 1 and not any(place.is_dir() for place in places):
            self.check(places[0].parent, tuple(sorted(places)))
        else:
            self._notices.say(self.tr("Drop one folder, or frames of one folder."))

    def _watch(self, on: bool) -> None:
        """Look again whenever frames arrive in the folder, or no longer."""
        if self._watcher.directories():
            self._watcher.removePaths(self._watcher.directories())
        if on and self.folder is not None:
            self._watcher.addPath(str(self.folder))
            self._quiet.start()

    def _arrived(self) -> None:
        if self.folder is None or not self._panel.watch_box.isChecked():
            return
        if self._job is not None:
            self._quiet.start()
        elif _look(self.folder) != self._seen:
            self.check(self.folder)

    def sort(self) -> None:
        """Copy what was checked into a folder a set."""
        from verispect.prove.desk import sort_into

        if self.report is None or self.folder is None or self._is_ahead():
            return
        name = QFileDialog.getExistingDirectory(self._window, self.tr("Where the sets are to lie"), str(self.folder))
        if name:
            candidate = self._planned()
            title = "" if candidate is None else candidate.scene.plan.title or ""
            job = self.start(self.tr("Copying"), sort_into, self.folder, self.report, Path(name), title, candidate)
            if job is not None:
                told = self.tr("{0} frames copied, each with a sidecar, into {1}")
                job.done.connect(lambda count: self._notices.say(told.format(count, name)))

    def ask_return(self) -> None:
        """Ask for a frame of before and the same one taken now."""
        start = str(self.folder or "")
        then, _ = QFileDialog.getOpenFileName(self._window, self.tr("A frame of before"), start)
        now, _ = (
            QFileDialog.getOpenFileName(self._window, self.tr("The same frame taken now"), start)
            if then
            else ("", "")
        )
        if then and now:
            self.stand_as_before(Path(then), Path(now))

    def stand_as_before(self, then: Path, now: Path) -> None:
        """How to move and turn the camera back, by the frame of the method that is chosen."""
        from verispect.prove.desk import return_of

        candidate = self._candidate()
        if candidate is None:
            self._notices.say(self.tr("Choose a method that fits first: its frame tells how the pictures are drawn."))
            return
        frame = min(self._session.frame, candidate.frame_count - 1)
        job = self.start(self.tr("Comparing"), return_of, then, now, candidate, frame)
        if job is not None:
            job.done.connect(
                lambda found: self._notices.say("; ".join(say(line) for line in found.says).capitalize() + ".")
            )

    def check(self, folder: Path, files: tuple[Path, ...] = ()) -> None:
        """Check the frames of a folder, or some of them, against one another and the method on the board."""
        from verispect.prove.desk import check_folder

        if self._job is None and folder != self.folder:
            self.folder, self._merged, self._merge_report = folder, None, None
            self._panel.retouch_button.setEnabled(False)
            together, places = self._kept.of(folder)
            self.sets.begin(together)
            self.pointed.begin(places)
            self._watch(self._panel.watch_box.isChecked())
        if self._job is None:
            self.sets.forget_unless_in(folder)
            self.pointed.forget_unless_in(folder)
        candidate = self._candidate()
        job = self.start(self.tr("Checking"), check_folder, folder, candidate, files, self.sets.together,
                          self.pointed.of(candidate), self.pointed.photograph, keeps="checks")  # fmt: skip
        if job is not None:
            self._checking = job
            self.folder, self._files, self._seen = folder, files, _look(folder)
            self._list(folder, files)
            job.done.connect(lambda report: self._on_report(report, candidate))

    def _check_again(self) -> None:
        """As frames were put together anew; what is still being checked is given up."""
        if self.folder is not None:
            self._kept.keep(self.folder, self.sets.together, self.pointed.places, self._notices.report)
        self._is_stale = True
        if self._job is None:
            self._check_stale()
        elif self._job is self._checking:
            self.stop()

    def _check_stale(self) -> None:
        if self._is_stale and self.folder is not None:
            self._is_stale = False
            self.check(self.folder, self._files)

    def _list(self, folder: Path, files: tuple[Path, ...]) -> None:
        """The frames by their names at once, small pictures of them as they come."""
        from verispect.prove.taken_in.folders import frames_in

        try:
            paths = list(files) or frames_in([folder])
        except VerispectError:
            # The check says so.
            return
        if folder != self._listed:
            self._panel.frames.forget_thumbnails()
            self._listed, self._small = folder, set()
        if self.sets.together is None and (
            self.report is None or {frame.file for frame in self.report.frames} != {path.name for path in paths}
        ):
            self._panel.frames.show_names([path.name for path in paths])
        self._wanting = [path for path in paths if path.name not in self._small]
        self._next_thumbnails()

    def _next_thumbnails(self) -> None:
        from verispect.prove.taken_in.thumbnails import thumbnails

        if self._thumbnails is not None or not self._wanting:
            return
        some, self._wanting = self._wanting[:_SCREENFUL], self._wanting[_SCREENFUL:]
        self._small |= {path.name for path in some}
        self._thumbnails = Job(self, thumbnails, some)
        self._thumbnails.done.connect(lambda found, folder=self._listed: self._on_thumbnails(folder, found))
        self._thumbnails.ended.connect(self._after_thumbnails)

    def _on_thumbnails(self, folder: Path | None, found: list[tuple[str, NDArray[np.uint8]]]) -> None:
        if folder == self._listed:
            self._panel.frames.take_thumbnails(found)

    def _after_thumbnails(self) -> None:
        self._thumbnails = None
        self._next_thumbnails()

    def _on_report(self, report: Report, candidate: Candidate | None) -> None:
        assert self.folder is not None
        candidate = None if report.without_plan else candidate
        self.report, self.checked_against = report, candidate
        self.sets.on_report(report)
        self._panel.show_report(report, grid=_is_grid(report, candidate))
        redo = sum(frame.verdict == "redo" and not frame.is_left_aside for frame in report.frames)
        untold = sum(mark.softness is None for mark in report.marks)
        told = self.tr("{0}: {1} frames, {2} to be taken again").format(self.folder.name, len(report.paths), redo)
        if report.marks:
            words = self.tr("; of {0} marks {1} cannot be told") if untold else self.tr("; all {0} marks told")
            told += words.format(len(report.marks), untold)
        if report.without_plan:
            told += self.tr("; checked without the plan")
        if report.left_aside:
            told += self.tr("; {0} left aside").format(len(report.left_aside))
        if sum(len(group.frames) > 1 for group in report.sets) > 1:
            told += self.tr("; {0} sets: choose a frame of the one to be merged or joined").format(len(report.sets))
        self._panel.words.setText(told)
        self._panel.words.setToolTip(str(self.folder))
        self._pair.show_net(net_of(report.blocks))
        self._images.clear()
        if report.paths:
            self.show_frame(report.paths[0])
        self.proved.emit(report, self.folder, candidate)

    def write_page(self) -> None:
        """What was planned, shot and proved, as one page, with what was merged last."""
        from verispect.prove.desk import page_pictures

        if self.report is None or self.folder is None:
            return
        start = str(self.folder.parent / f"{self.folder.name}.html")
        target = ask_save(self._window, self.tr("Save the page"), start, "*.html", ".html")
        if target is None:
            return
        report, candidate = self.report, self.checked_against
        merged = [] if self._merged is None else [self._merged]
        job = self.start(self.tr("Writing"), page_pictures, merged)
        if job is not None:
            job.done.connect(lambda pictures: self._put_page(target, report, candidate, pictures))

    def _put_page(
        self, target: Path, report: Report, candidate: Candidate | None, pictures: list[tuple[str, bytes]]
    ) -> None:
        from verispect.files.atomic import write_atomically
        from verispect.prove.report import report_dict
        from verispect.shoot.report_html import report_html
        from verispect.ui.paper.without_window import drawings_svg

        drawings = [] if candidate is None else drawings_svg(candidate)
        page = report_html(report_dict(report), candidate=candidate, pictures=pictures, drawings=drawings)
        try:
            write_atomically(target, page.encode("utf-8"))
        except VerispectError as error:
            self._notices.report(error)
        else:
            self._notices.say(self.tr("Written: {0}").format(target))

    def _is_ahead(self) -> bool:
        """Whether sets were put together that are still to be checked; then it is said."""
        if self.sets.is_ahead:
            words = self.tr("The sets were put together anew; let them be checked first.")
            self._notices.say(words, [] if self._job is not None else [(self.tr("Check now"), self._check_again)])
        return self.sets.is_ahead

    def merge(self, proof: bool) -> None:
        """Merge or join what was checked."""
        from verispect.prove.desk import join_files, merge_files

        if self.report is None or self.folder is None:
            return
        if self._is_ahead():
            return
        candidate = self._planned()
        number = _set_of(self.report, self._panel.frames.chosen_names())
        if number is None:
            self._notices.say(self.tr("These frames are several sets: choose a frame of the one that is meant."))
            return
        grid = _is_grid(self.report, candidate, number)
        only = len(self.report.sets) == 1
        if proof:
            # Of several sets each has its own.
            several = sum(len(group.frames) > 1 for group in self.report.sets) > 1
            name = f"proof-{number + 1}.tif" if several else "proof.tif"
            target = place_for_made(self.folder) / name
        else:
            start = str(self.folder / ("joined.tif" if grid else "merged.tif"))
            chosen = ask_save(self._window, self.tr("Save the picture"), start, "*.tif *.jpg *.png", ".tif")
            if chosen is None:
                return
            target = chosen
        paths = self.report.paths
        files = [
            self.folder / name for name in (paths if only else [paths[k] for k in self.report.sets[number].frames])
        ]
        if grid:
            job = self.start(self.tr("Joining"), join_files, files, candidate, target)
            if job is not None:
                job.done.connect(self._on_joined)
            return
        job = self.start(self.tr("Merging"), merge_files, files, candidate, target, proof)
        if job is not None:
            job.done.connect(self._on_merged)

    def _on_merged(self, found: MergedFile | None) -> None:
        if found is None:
            return
        path, ply = found.path, found.ply
        acts: list[Act] = []
        if ply is not None:
            acts.append((self.tr("Its depth as a scan…"), lambda: self.depth_as_scan(path, ply)))
        acts += self.cutting.of(path, found.report["crop"], found.size)
        from verispect.prove.merge.written import done_words, doubt_words

        words = [*doubt_words(found.report["doubtful"]), *done_words(found.report)[:_FEW_GHOSTS]]
        told = "; ".join([self.tr("Written: {0}").format(path), *map(say, words)])
        self._notices.say(told, acts)
        self._merge_report, self._merged_of_frames = found.report, path
        self._panel.retouch_button.setEnabled(True)
        self._show_made(path)

    def _on_joined(self, found: JoinedFile | None) -> None:
        if found is None:
            return
        told = [self.tr("Written: {0}").format(found.path), *map(say, [*found.doubts, *found.says[:_FEW_GHOSTS]])]
        acts = [] if found.crop is None else self.cutting.of(found.path, found.crop, found.size)
        self._notices.say("; ".join(told), acts)
        self._show_made(found.path)

    def _show_made(self, path: Path) -> None:
        """A picture that was written, on the left and for the page."""
        self._merged = path
        self._load(path, lambda image: self._show_result(path.name, image))

    def _on_retouched(self, path: Path) -> None:
        """It is gone on with from there, where nothing of it was lost in writing."""
        if path.suffix.lower() in (".tif", ".tiff"):
            self._merged_of_frames = path
        self._show_made(path)

    def _moved_things(self) -> list[tuple[str, float, float]]:
        """Frames of the last check in which something stood elsewhere, and where."""
        frames = [] if self.report is None else self.report.frames
        return [
            (frame.file, *fault.at)
            for frame in frames
            for fault in frame.faults
            if frame.file and fault.name == "moved-subject" and fault.at is not None
        ]

    def retouch(self) -> None:
        """Take parts of the picture that was merged last from its frames."""
        from verispect.ui.workflows.at_prove.retouching import RetouchDesk

        if self._merge_report is None or self.folder is None:
            return
        if self.retouching is None:
            self.retouching = RetouchDesk(self._window, self._notices, self._on_retouched)
        try:
            self.retouching.open(self._merged_of_frames, self._merge_report, self.folder, moved=self._moved_things())
        except VerispectError as error:
            self._notices.report(error)

    def depth_as_scan(self, path: Path, ply: bytes) -> None:
        """Write the depth as points, and bring them into the plan as a scan."""
        from verispect.files.atomic import write_atomically

        start = str(path.with_name(f"{path.stem}-depth.ply"))
        target = ask_save(self._window, self.tr("Save the depth"), start, "*.ply", ".ply")
        if target is None:
            return
        try:
            write_atomically(target, ply)
        except VerispectError as error:
            self._notices.report(error)
            return
        self.scanned.emit(target)

    def _show_result(self, name: str, image: QImage) -> None:
        self._images[name] = image
        self._second, self._first = self._first, name
        self._show()

    def show_frame(self, name: str) -> None:
        """A frame by itself; what is offered is for its set."""
        number = None if self.report is None else _set_of(self.report, [name])
        if self.report is not None and number is not None:
            self._panel.offer(grid=_is_grid(self.report, self._planned(), number))
        self._first, self._second = name, ""
        self._with_image(name)

    def show_beside(self, name: str) -> None:
        """A frame beside the one shown."""
        if name != self._first:
            self._second = name
            self._with_image(name)

    def _with_image(self, name: str) -> None:
        if name in self._images or self.folder is None:
            self._show()
            return
        self._load(self.folder / name, lambda image: self._keep(name, image))

    def _keep(self, name: str, image: QImage) -> None:
        self._images[name] = image
        while len(self._images) > 6:
            self._images.pop(next(iter(self._images)))
        self._show()

    def _load(self, path: Path, then: object) -> None:
        from verispect.prove.desk import eight_bits

        job = Job(self, eight_bits, path)
        job.done.connect(lambda pixels: then(image_of(pixels)))  # type: ignore[operator]
        job.failed.connect(self._notices.report)

    def _show(self) -> None:
        pair = [(name, self._images[name]) if name in self._images else None for name in (self._first, self._second)]
        first, second = (self.pointed.seen_in(self.report, shown) for shown in pair)
        words = self.tr("Choose a frame to look at it.")
        if pair[0]:
            words = self.tr("100 % shows a picture's pixel on one of the screen; drag, wheel or arrow keys move it.")
        if first or second:
            words += " " + self.tr("A mark may be dragged onto what it is.")
        self._pair.show_pair(pair[0], pair[1], words)
        self._pair.show_marks(first, second)

    def start(self, words: str, function: object, *arguments: object, keeps: str = "") -> Job | None:
        """Begin what is shown to be under way; None where something is already."""
        if self._job is not None:
            self._notices.say(self.tr("Something is still under way; stop it first."))
            return None
        job = Job(self, function, *arguments, watched=True, keeps=keeps)  # type: ignore[arg-type]
        self._job = job
        self._panel.show_busy(0.0, words)
        job.progress.connect(lambda share: self._panel.show_busy(share, words))
        job.failed.connect(self._notices.report)
        job.ended.connect(self._over)
        return job

    def _over(self) -> None:
        self._job = None
        self._panel.show_busy(None)
        self._check_stale()

    def stop(self) -> None:
        """Stop what is under way."""
        if self._job is not None:
            self._job.give_up()

    def may_leave(self) -> bool:
        """Whether the window may close: no retouched picture would be lost, or the user says what to do."""
        return self.retouching is None or self.retouching.may_leave()

    def close(self) -> None:
        """The window closes."""
        self._wanting = []
        if self._thumbnails is not None:
            self._thumbnails.give_up()
        self.stop()
        self.side_by_side.close()
        if self.retouching is not None:
            self.retouching.close()


def _look(folder: Path) -> object:
    """What a folder's pictures come to, told by names, sizes and times."""
    from verispect.prove.taken_in.folders import frames_and_others

    try:
        found = [(path.name, path.stat()) for path in frames_and_others(folder)[0]]
    except OSError:
        return None
    return sorted((name, told.st_size, told.st_mtime_ns) for name, told in found)


def _is_grid(report: Report, candidate: Candidate | None, number: int = 0) -> bool:
    """Whether a set's frames lie side by side: as planned, or when they show unlike things, whatever is planned."""
    if candidate is not None and candidate.method.is_grid and len(report.kinds) == 1:
        return True
    return number < len(report.kinds) and report.kinds[number] in ("grid", "unknown")


def _set_of(report: Report, chosen: Sequence[str]) -> int | None:
    """The set that is meant: of the first frame chosen, else the only one of several frames; None if that is open."""
    for frame in report.frames:
        if frame.file in chosen:
            return frame.set
    several = [number for number, group in enumerate(report.sets) if len(group.frames) > 1]
    return several[0] if len(several) == 1 else None if several else 0
