"""Retouching what was merged: a process holds the picture, the window draws, asks and shows."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QEventLoop, QObject, QTimer
from PyQt6.QtWidgets import QMessageBox, QWidget

from verispect.prove.merge.retouch import Stroke, sources_of
from verispect.ui.controls.translate import say
from verispect.ui.panels.stations.retouch import MovedThing, Places, RetouchDialog
from verispect.ui.state.notices import Notices
from verispect.ui.work.retouch_process import RetouchProcess
from verispect.ui.workflows.saving import ask_save

if TYPE_CHECKING:
    from concurrent.futures import Future

_log = logging.getLogger("verispect")
_LOOK_EVERY_MS = 25


class RetouchDesk(QObject):
    """Opens one picture at a time."""

    def __init__(self, window: QWidget, notices: Notices, written: Callable[[Path], None]) -> None:
        super().__init__(window)
        self._window, self._notices, self._written = window, notices, written
        self.dialog: RetouchDialog | None = None
        self._process: RetouchProcess | None = None
        self._picture = Path()
        # Strokes that no file has.
        self.unsaved = False
        # And some on their way to the process.
        self._painting = 0
        self._asked: list[tuple[Future[Any], Callable[[Any], None]]] = []
        self._beat = QTimer(self)
        self._beat.setInterval(_LOOK_EVERY_MS)
        self._beat.timeout.connect(self._look)

    def open(
        self, picture: Path, report: dict[str, Any], folder: Path, *, moved: Sequence[tuple[str, float, float]] = ()
    ) -> None:
        """Show a merged picture beside its frames.

        Parameters
        ----------
        moved : sequence of (file, row, column)
            Where the check found that something moved.

        Raises
        ------
        FileError
            Where a frame is no longer there.
        """
        sources = sources_of(report, folder, name=picture.name)
        if not self.may_leave():
            return
        self.close()
        self._picture, self._process, self.unsaved, self._painting = picture, RetouchProcess(), False, 0
        names = [source.path.name for source in sources]
        things = [MovedThing(names.index(name), row, column) for name, row, column in moved if name in names]
        dialog = RetouchDialog(self._window, names, things)
        self.dialog = dialog
        dialog.painted.connect(self._paint)
        dialog.source_wanted.connect(self._show_source)
        dialog.undo_wanted.connect(lambda: self._take_back(forward=False))
        dialog.redo_wanted.connect(lambda: self._take_back(forward=True))
        dialog.write_wanted.connect(self.write)
        dialog.may_leave = self.may_leave
        dialog.left.connect(self._on_left)
        dialog.show()
        self._ask(self._process.open(picture, sources), dialog.show_merged)
        self._show_source(0)

    def write(self) -> None:
        """Ask where to, and write."""
        if self.dialog is None or self._process is None:
            return
        target = self._ask_target()
        if target is not None:
            self._ask(self._process.write(target), self._on_written)

    def close(self) -> None:
        """Give up what is open."""
        self._beat.stop()
        self._asked.clear()
        if self._process is not None:
            self._process.close()
            self._process = None
        if self.dialog is not None:
            dialog, self.dialog = self.dialog, None
            dialog.may_leave = lambda: True
            dialog.left.disconnect()
            dialog.close()

    def _on_left(self) -> None:
        self.dialog = None
        self.close()

    def _paint(self, source: int, line: Places, radius: float) -> None:
        if self._process is not None:
            self._painting += 1
            self._ask(self._process.paint(Stroke(source, line, radius)), self._on_painted)

    def _take_back(self, *, forward: bool) -> None:
        if self._process is not None:
            self._ask(self._process.take_back(forward=forward), self._on_changed)

    def _show_source(self, number: int) -> None:
        if self._process is not None and self.dialog is not None:
            self._ask(self._process.laid(number), self.dialog.show_frame)

    def _on_painted(self, changed: Any) -> None:
        self._painting -= 1
        self._on_changed(changed)

    def _on_changed(self, changed: Any) -> None:
        if changed is None or self.dialog is None:
            return
        self.unsaved = changed.strokes > 0
        self.dialog.merged.put(changed.top, changed.left, changed.pixels)
        self.dialog.show_counts(changed.strokes, can_redo=changed.can_redo)

    def _on_written(self, target: Path) -> None:
        self.unsaved = False
        self._notices.say(self.tr("Written: {0}").format(target))
        self._written(target)

    def may_leave(self) -> bool:
        """Whether the picture may be left: no stroke would be lost, or the user says what to do."""
        if not (self.unsaved or self._painting) or self._process is None:
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.warning(
            self._window,
            self.tr("Retouch"),
            self.tr("The retouched picture has not been saved."),
            buttons.Save | buttons.Discard | buttons.Cancel,
            buttons.Save,
        )
        if answer != buttons.Save:
            return answer == buttons.Discard
        target = self._ask_target()
        return target is not None and self._is_written(target)

    def _ask_target(self) -> Path | None:
        start = str(self._picture.with_name(f"{self._picture.stem}-retouched.tif"))
        return ask_save(self._window, self.tr("Save the picture"), start, "*.tif *.jpg *.png", ".tif")

    def _is_written(self, target: Path) -> bool:
        """Written before anything is closed; the window goes on being drawn meanwhile."""
        assert self._process is not None
        future, loop, beat = self._process.write(target), QEventLoop(), QTimer()
        beat.timeout.connect(lambda: loop.quit() if future.done() else None)
        beat.start(_LOOK_EVERY_MS)
        loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
        beat.stop()
        if future.exception() is not None:
            self._broken_off(future.exception())
            return False
        _, complaint = future.result()
        if complaint is not None:
            self._notices.say(say(complaint))
            return False
        self._on_written(target)
        return True

    def _broken_off(self, fault: BaseException | None) -> None:
        _log.error("retouching broke off", exc_info=fault)
        self._notices.say(self.tr("Retouching broke off through a fault of this program or for want of memory"))

    def _ask(self, future: Future[Any], then: Callable[[Any], None]) -> None:
        self._asked.append((future, then))
        self._beat.start()

    def _look(self) -> None:
        while self._asked and self._asked[0][0].done():
            future, then = self._asked.pop(0)
            fault = future.exception()
            if fault is not None:
                self._broken_off(fault)
                self.close()
                return
            outcome, complaint = future.result()
            if complaint is not None:
                self._notices.say(say(complaint))
            # What could not be done has changed nothing, and is told to whoever counts.
            if complaint is None or then == self._on_painted:
                then(outcome)
        if not self._asked:
            self._beat.stop()
