"""Bringing in a scan: which file, how it lies, and the reading of it in the background."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QFileDialog, QLabel, QProgressDialog, QVBoxLayout

from verispect.files.scans.depth import DepthCamera
from verispect.files.scans.placing import UNITS_M, Placing
from verispect.ui.background import Job
from verispect.ui.document import PlanDocument
from verispect.ui.forms import ModelForm, Spec
from verispect.ui.lengths import format_length

if TYPE_CHECKING:
    from verispect.files.scans.reading import ScanPeek, ScanRead
    from verispect.ui.main_window import MainWindow

# Clouds wider than this in their own unit are hardly metres.
_WIDE = 2000.0


class ScanDialog(QDialog):
    """Unit, up, stand, limits and thinning of a scan; of a depth picture also its camera."""

    def __init__(self, parent: MainWindow, path: Path, peek: ScanPeek, system: Callable[[], str]) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("How the scan lies"))
        self._peek = peek
        self.placing = _guess(peek)
        self.seen_by = DepthCamera()
        self.said = QLabel()
        self.said.setWordWrap(True)
        self.form = ModelForm(self._specs(peek), system, columns=2)
        self.form.edited.connect(self._on_placing)
        self.depth_form = ModelForm(self._depth_specs(), system, columns=2)
        self.depth_form.edited.connect(self._on_depth)
        self.depth_form.setVisible(peek.kind == "depth")
        buttons = QDialogButtonBox()
        take = buttons.addButton(self.tr("Bring it in"), QDialogButtonBox.ButtonRole.AcceptRole)
        leave = buttons.addButton(self.tr("Leave it"), QDialogButtonBox.ButtonRole.RejectRole)
        take.clicked.connect(self.accept)
        leave.clicked.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(QLabel(path.name))
        layout.addWidget(self.said)
        layout.addWidget(self.depth_form)
        layout.addWidget(self.form)
        layout.addWidget(buttons)
        self.resize(520, 420)
        self._show()

    def _specs(self, peek: ScanPeek) -> list[Spec]:
        units = tuple((unit, unit) for unit in UNITS_M)
        up = (("z", self.tr("z is up")), ("y", self.tr("y is up")))
        placed = [] if peek.kind == "depth" else [
            Spec("unit", self.tr("Unit"), "choice", choices=units),
            Spec("up", self.tr("Up"), "choice", choices=up),
            Spec("stand_x", self.tr("Stand x"),
                 hint=self.tr("The ground under the camera, in the scan's figures")),
            Spec("bearing_deg", self.tr("Away is"), unit="°",
                 hint=self.tr("Clockwise from above: 0 along y where z is up, along −z where y is up")),
            Spec("stand_y", self.tr("Stand y")),
            Spec("nearest_m", self.tr("From"), "length"),
            Spec("stand_z", self.tr("Stand z")),
        ]  # fmt: skip
        return [
            *placed,
            Spec("farthest_m", self.tr("To"), "length"),
            Spec("lowest_m", self.tr("Lowest"), "length"),
            Spec("highest_m", self.tr("Highest"), "length"),
            Spec("voxel_m", self.tr("One point in"), "length",
                 hint=self.tr("Of all points in a cube this wide one stays")),
        ]  # fmt: skip

    def _depth_specs(self) -> list[Spec]:
        return [
            Spec("focal_px", self.tr("Focal length"), unit="px"),
            Spec("step_m", self.tr("A step is"), unit="m", hint=self.tr("Metres for a value of 1")),
        ]  # fmt: skip

    def _on_placing(self, placing: Placing, _what: str) -> None:
        self.placing = placing
        self._show()

    def _on_depth(self, depth: DepthCamera, _what: str) -> None:
        self.seen_by = depth
        self._show()

    def _show(self) -> None:
        self.form.show_model(self.placing)
        self.depth_form.show_model(self.seen_by)
        low, high = self._peek.low, self._peek.high
        if self._peek.kind == "depth":
            self.said.setText(
                self.tr("A depth picture of {0:.0f} × {1:.0f} pixels, from {2:.4g} to {3:.4g} m, seen as the camera "
                        "of the plan looks").format(high[0], high[1], low[2] * self.seen_by.step_m,
                                                    high[2] * self.seen_by.step_m)
            )  # fmt: skip
            return
        metres = UNITS_M[self.placing.unit]
        spans = [format_length((b - a) * metres, "metric") for a, b in zip(low, high, strict=True)]
        self.said.setText(
            self.tr("Its first points span {0} in x, {1} in y, {2} in z; x from {3:.6g}, y from {4:.6g}, z from "
                    "{5:.6g} in its own unit").format(*spans, *low)
        )  # fmt: skip


def _guess(peek: ScanPeek) -> Placing:
    """A start: the unit by the size, the stand before the middle of its near side, on its lowest point."""
    if peek.kind == "depth":
        return Placing()
    size = max(b - a for a, b in zip(peek.low, peek.high, strict=True))
    unit = "mm" if size > _WIDE else "m"
    middle = [0.5 * (a + b) for a, b in zip(peek.low, peek.high, strict=True)]
    apart = 0.25 * size
    voxel = max(size * UNITS_M[unit] / 2000.0, 0.001)
    held = {"unit": unit, "up": peek.up, "stand_x": round(middle[0], 3), "voxel_m": round(voxel, 3)}
    if peek.up == "y":
        return Placing(**held, stand_y=round(peek.low[1], 3), stand_z=round(peek.high[2] + apart, 3))
    return Placing(**held, stand_y=round(peek.low[1] - apart, 3), stand_z=round(peek.low[2], 3))


class ScanDesk(QObject):
    """Asks, reads in the background with progress, and puts the scan into the plan. `brought` tells of it."""

    brought = pyqtSignal()

    def __init__(self, window: MainWindow, document: PlanDocument) -> None:
        super().__init__(window)
        self._window, self._document = window, document
        self._job: Job | None = None
        self.ask: Callable[[ScanDialog], bool] = lambda dialog: dialog.exec() == QDialog.DialogCode.Accepted

    def read(self) -> None:
        """Ask for a file and bring it in."""
        from verispect.files.scans.reading import SUFFIXES

        kinds = " ".join(f"*{suffix}" for suffix in SUFFIXES)
        name, _ = QFileDialog.getOpenFileName(
            self._window, self.tr("Bring in a scan"), "", self.tr("Scans ({0})").format(kinds)
        )
        if name:
            self.read_path(Path(name))

    def read_path(self, path: Path) -> None:
        """Look at a scan, ask how it lies, and read it."""
        from verispect.files.scans.reading import peek_scan

        job = self._start(self.tr("Looking at {0}").format(path.name), peek_scan, path)
        job.done.connect(lambda peek: self._ask(path, peek))

    def _ask(self, path: Path, peek: ScanPeek) -> None:
        from verispect.files.scans.reading import read_depth, read_scan

        dialog = ScanDialog(self._window, path, peek, lambda: self._window.system)
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
        job.failed.connect(self._window.report)

        def over() -> None:
            shown.canceled.disconnect()
            shown.reset()
            shown.deleteLater()

        job.ended.connect(over)
        return job

    def _put(self, read: ScanRead) -> None:
        scans = (*self._document.plan.scans, read.cloud)
        self._document.update(self.tr("scan {0}").format(read.cloud.name), scans=scans)
        self._window.message.say(
            self.tr(
                "{0}: {1} points read, {2} kept, one in {3}. It is drawn only; say in Surfaces and scans what of it "
                "must be sharp"
            ).format(read.cloud.name, read.read, read.cloud.count, format_length(read.voxel_m, self._window.system))
        )
        self.brought.emit()
