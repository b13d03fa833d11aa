"""Bringing in a scan: which file, how it lies, and the reading of it in the background."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QDialog, QFileDialog, QProgressDialog, QWidget

from verispect.ui.controls.lengths import format_length
from verispect.ui.state.notices import Notices
from verispect.ui.state.plan_document import PlanDocument
from verispect.ui.state.preferences import Preferences
from verispect.ui.work.job import Job

if TYPE_CHECKING:
    from verispect.files.scans.scan_file import ScanPeek, ScanRead
    from verispect.ui.panels.scan_dialog import ScanDialog


class ScanDesk(QObject):
    """Asks, reads in the background with progress, and puts the scan into the plan. `brought` tells of it."""

    brought = pyqtSignal()

    def __init__(self, window: QWidget, document: PlanDocument, notices: Notices, preferences: Preferences) -> None:
        super().__init__(window)
        self._window, self._document = window, document
        self._notices, self._preferences = notices, preferences
        self._job: Job | None = None
        self.ask: Callable[[ScanDialog], bool] = lambda dialog: dialog.exec() == QDialog.DialogCode.Accepted

    def read(self) -> None:
        """Ask for a file and bring it in."""
        from verispect.files.scans.scan_file import SUFFIXES

        kinds = " ".join(f"*{suffix}" for suffix in SUFFIXES)
        name, _ = QFileDialog.getOpenFileName(
            self._window, self.tr("Bring in a scan"), "", self.tr("Scans ({0})").format(kinds)
        )
        if name:
            self.read_path(Path(name))

    def read_path(self, path: Path) -> None:
        """Look at a scan, ask how it lies, and read it."""
        from verispect.files.scans.scan_file import peek_scan

        job = self._start(self.tr("Looking at {0}").format(path.name), peek_scan, path)
        job.done.connect(lambda peek: self._ask(path, peek))

    def read_own(self, path: Path) -> None:
        """Read points that already lie in the plan's world."""
        from verispect.files.scans.placement import Placing
        from verispect.files.scans.scan_file import read_scan

        job = self._start(self.tr("Reading {0}").format(path.name), read_scan, path, Placing(), watched=True)
        job.done.connect(self._put)

    def _ask(self, path: Path, peek: ScanPeek) -> None:
        from verispect.files.scans.scan_file import read_depth, read_scan
        from verispect.ui.panels.scan_dialog import ScanDialog

        dialog = ScanDialog(self._window, path, peek, lambda: self._preferences.system)
        if not self.ask(dialog):
            return
        words = self.tr("Reading {0}").format(path.name)
        if peek.kind == "depth":
            pose = self._document.plan.camera.pose()
            job = self._start(words, read_depth, path, dialog.seen_by, pose, dialog.placing)
        else:
            job = self._start(words, read_scan, path, dialog.placing, watched=True)
        job.done.connect(self._put)

    def _start(self, words: str, function: Callable[..., object], *arguments: object, watched: bool = False) -> Job:
        job = Job(self, function, *arguments, watched=watched)
        shown = QProgressDialog(words, self.tr("Stop"), 0, 100, self._window)
        shown.setWindowTitle(self.tr("Scan"))
        shown.setWindowModality(Qt.WindowModality.WindowModal)
        shown.setMinimumDuration(300)
        shown.setAutoClose(False)
        shown.canceled.connect(job.give_up)
        job.progress.connect(lambda share: shown.setValue(round(100 * share)))
        job.failed.connect(self._notices.report)

        def over() -> None:
            shown.canceled.disconnect()
            shown.reset()
            shown.deleteLater()

        job.ended.connect(over)
        return job

    def _put(self, read: ScanRead) -> None:
        scans = (*self._document.plan.scans, read.cloud)
        self._document.update(self.tr("scan {0}").format(read.cloud.name), scans=scans)
        apart = format_length(read.voxel_m, self._preferences.system)
        self._notices.say(
            self.tr(
                "{0}: {1} points read, {2} kept, one in {3}. It is drawn only; say in Surfaces and scans what of it "
                "must be sharp"
            ).format(read.cloud.name, read.read, read.cloud.count, apart)
        )
        self.brought.emit()
