"""The photograph's picture: opened in the background when a plan has one, laid under the frame drawing."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QFileDialog, QWidget

from verispect.subject.distortion import Pixels, straightened
from verispect.subject.photograph import Photograph
from verispect.ui.drawings.frame_view import FrameBoard
from verispect.ui.state.notices import Notices
from verispect.ui.state.plan_document import PlanDocument
from verispect.ui.state.preferences import Preferences
from verispect.ui.work.job import Job

if TYPE_CHECKING:
    from verispect.files.photo_file import Picture


class PhotographDesk(QObject):
    """Asks for a photograph, opens it, and keeps the frame drawing's backdrop true to the plan.

    `shown` tells that the backdrop has changed.
    """

    shown = pyqtSignal()

    def __init__(
        self,
        window: QWidget,
        document: PlanDocument,
        notices: Notices,
        frame: FrameBoard,
        preferences: Preferences,
    ) -> None:
        super().__init__(window)
        self._preferences = preferences
        self._window, self._document, self._notices, self._frame = window, document, notices, frame
        self._image: QImage | None = None
        self._content: Pixels | None = None
        self._of = ""
        self._straight: Photograph | None = None
        self._wanted = ""
        document.changed.connect(self.refresh)

    def open(self) -> None:
        """Ask for a file and open it."""
        from verispect.files.photo_file import PICTURES, RAWS

        kinds = " ".join(f"*{suffix}" for suffix in (*PICTURES, *RAWS))
        name, _ = QFileDialog.getOpenFileName(
            self._window, self.tr("Open a photograph"), "", self.tr("Photographs ({0})").format(kinds)
        )
        if name:
            self.open_path(Path(name))

    def open_path(self, path: Path) -> None:
        """Open a photograph and put it into the plan, taken as the camera looks."""
        self._preferences.know_picture(path)
        self._start(path, self._put)

    def _start(self, path: Path, then: Callable[[Path, Picture], None], name: str = "") -> None:
        """Open a picture, which the plan calls by a name."""
        from verispect.files.photo_file import read_picture

        self._wanted = name or str(path)
        job = Job(self, read_picture, path)
        job.done.connect(lambda picture: then(path, picture))
        job.failed.connect(self._notices.report)

    def _put(self, path: Path, picture: Picture) -> None:
        self._keep(str(path), picture)
        plan = self._document.plan
        told = picture.focal_mm is not None
        sensor = picture.sensor_long_mm or max(plan.kit.body.sensor_mm)
        photo = Photograph(
            file=str(path),
            pixels=(picture.width, picture.height),
            focal_mm=picture.focal_mm or plan.framing_mm,
            sensor_long_mm=sensor,
            bearing_deg=plan.camera.bearing_deg,
            pitch_deg=plan.camera.pitch_deg,
            roll_deg=plan.camera.roll_deg,
        )
        self._document.update(self.tr("photograph {0}").format(path.name), photograph=photo)
        if not told:
            self._notices.say(
                self.tr(
                    "{0} does not tell its focal length: it is taken to be {1:g} mm on a sensor of {2:g} mm; put it "
                    "right in Photograph"
                ).format(path.name, photo.focal_mm, sensor)
            )
        elif picture.sensor_long_mm is None:
            self._notices.say(
                self.tr(
                    "{0} does not tell its sensor's size: it is taken to be {1:g} mm long; put it right in Photograph"
                ).format(path.name, sensor)
            )

    def _keep(self, name: str, picture: Picture) -> None:
        self._content = picture.shown
        self._image = _image_of(picture.shown)
        self._of, self._straight = name, None

    def _straighten(self, photo: Photograph) -> None:
        """Take the lens's distortion out of what is shown, where it is not yet."""
        before = self._straight
        self._straight = photo
        if before is not None and _bends_alike(before, photo):
            return
        if photo.distortion_percent == 0.0:
            if before is not None and self._content is not None:
                self._image = _image_of(self._content)
            return
        job = Job(self, straightened, self._content, photo)
        job.done.connect(lambda content: self._on_straight(content, photo))
        job.failed.connect(self._notices.report)

    def _on_straight(self, content: Pixels, photo: Photograph) -> None:
        wanted = self._document.plan.photograph
        # Meanwhile another photograph may have been opened, or its figures changed again.
        if wanted is None or wanted.file != photo.file or not _bends_alike(wanted, photo):
            return
        self._image = _image_of(content)
        self._frame.show_photograph(self._image, wanted)
        self.shown.emit()

    def refresh(self) -> None:
        """Show the photograph of the plan as it is now; open it where it is not at hand."""
        photo = self._document.plan.photograph
        frame = self._frame
        if photo is None:
            self._wanted = ""
            frame.show_photograph(None, None)
        elif photo.file == self._of:
            self._straighten(photo)
            frame.show_photograph(self._image, photo)
        else:
            frame.show_photograph(None, None)
            if photo.file and photo.file != self._wanted:
                self._open_named(photo.file)
        self.shown.emit()

    def _open_named(self, name: str) -> None:
        """Open what a plan names: unasked only beside the plan, or where this person has opened it before."""
        path, allowed = self._named(name)
        if allowed:
            self._start(path, lambda _path, picture: self._on_opened(name, picture), name)
            return
        self._wanted = name

        def open_it() -> None:
            self._preferences.know_picture(path)
            self._start(path, lambda _path, picture: self._on_opened(name, picture), name)

        self._notices.say(
            self.tr("This plan names a picture that does not lie beside it: {0}").format(path),
            [(self.tr("Open it"), open_it)],
        )

    def _named(self, name: str) -> tuple[Path, bool]:
        """Where a picture lies that the plan names, and whether it may be opened unasked."""
        from verispect.files.photo_file import lies_beside

        folder = None if self._document.path is None else self._document.path.resolve().parent
        path = Path(name) if folder is None else folder / name
        beside = folder is not None and lies_beside(folder, name)
        return path, beside or self._preferences.knows_picture(path)

    @property
    def at_hand(self) -> Path | None:
        """The file of the plan's photograph, where it is there and may be opened unasked."""
        photo = self._document.plan.photograph
        if photo is None or not photo.file:
            return None
        path, allowed = self._named(photo.file)
        return path if allowed and path.is_file() else None

    def _on_opened(self, name: str, picture: Picture) -> None:
        # Meanwhile the plan may have come to name another.
        if name != self._wanted:
            return
        self._keep(name, picture)
        self.refresh()


def _image_of(content: Pixels) -> QImage:
    rows, columns = content.shape[:2]
    lines = np.ascontiguousarray(content).tobytes()
    return QImage(lines, columns, rows, 3 * columns, QImage.Format.Format_RGB888).copy()


def _bends_alike(first: Photograph, second: Photograph) -> bool:
    """Whether both are straightened in the same way."""
    return first.distortion_percent == second.distortion_percent and bool(np.all(first.axis_px == second.axis_px))
