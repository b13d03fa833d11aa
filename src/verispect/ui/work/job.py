"""Long work in a process of its own, with progress, and given up when asked; the window only looks in."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from verispect.ui.controls.translate import say
from verispect.ui.work.hands import Hand, leave_hand, take_hand

if TYPE_CHECKING:
    from concurrent.futures import Future

_log = logging.getLogger("verispect")
_LOOK_EVERY_MS = 40


class Job(QObject):
    """One piece of work: a plain function that can be sent to another process.

    Signals
    -------
    done(object)
        What it gave.
    failed(str)
        Why it did not.
    progress(float)
    ended
        Whatever came of it; also after it was given up.
    """

    done = pyqtSignal(object)
    failed = pyqtSignal(str)
    progress = pyqtSignal(float)
    ended = pyqtSignal()

    def __init__(self, parent: QObject, function: Callable[..., Any], *arguments: Any, watched: bool = False,
                 needs_window: bool = False, keeps: str = "") -> None:  # fmt: skip
        """`watched` functions take `progress` and `is_cancelled`.

        Work that `keeps` what it read, a kind of work of that name, has a process of its own, which the next such job
        finds again; given up, it comes to its end by itself, and therefore has to be `watched`.
        Those that `needs_window` are told to stop where the window hangs or is gone: nothing moves unattended.
        """
        super().__init__(parent)
        self._hand = Hand(needs_window=True) if needs_window else take_hand(keeps)
        self._future: Future[tuple[Any, Any]] = self._hand.submit(function, arguments, watched=watched)
        self._ends_by_itself = bool(keeps)
        self._given_up = False
        self._beat = QTimer(self)
        self._beat.setInterval(_LOOK_EVERY_MS)
        self._beat.timeout.connect(self._look)
        self._beat.start()

    def ask_to_stop(self) -> None:
        """Have it come to its own end, soon; what comes of it is told as ever."""
        self._hand.stop()

    def give_up(self) -> None:
        """Break it off; nothing more is told of it but that it ended."""
        self._given_up = True
        self._hand.stop()
        self._end()

    def _look(self) -> None:
        if self._hand.seen is not None:
            self._hand.seen.value = max(time.monotonic(), self._hand.seen.value)
        if not self._future.done():
            self.progress.emit(float(self._hand.share.value))
            return
        future = self._future
        self._end()
        fault = future.exception()
        if fault is not None:
            _log.error("work in the background broke off", exc_info=fault)
            self.failed.emit(self.tr("The work broke off through a fault of this program or for want of memory"))
            return
        outcome, complaint = future.result()
        if complaint is not None:
            self.failed.emit(say(complaint))
        else:
            self.done.emit(outcome)

    def _end(self) -> None:
        self._beat.stop()
        if self._given_up and not self._ends_by_itself:
            self._hand.worker.leave(at_once=True)
        elif self._hand.seen is not None:
            self._hand.worker.leave(at_once=False)
        else:
            leave_hand(self._hand)
        self.ended.emit()
        self.deleteLater()
