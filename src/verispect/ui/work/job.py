"""Long work in a process of its own, with progress, and given up when asked; the window only looks in."""

from __future__ import annotations

import atexit
import logging
import time
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from verispect.errors import VerispectError
from verispect.ui.controls.translate import say
from verispect.ui.work.worker import Worker, shared

if TYPE_CHECKING:
    from concurrent.futures import Future

_log = logging.getLogger("verispect")
_LOOK_EVERY_MS = 40
# A process takes its time to start; it is not held against the window, seconds.
_START_S = 5.0

# In the worker: whether it is to give up, and how far it is.
_stop: Any = None
_share: Any = None
_seen: Any = None
# Work that needs the window ends where that has not looked in for so long, seconds.
_ALONE_S = 2.0
# And its process so much later, whatever it is at.
_GRACE_S = 30.0


def _begin(stop: Any, share: Any, seen: Any) -> None:
    global _stop, _share, _seen
    _stop, _share, _seen = stop, share, seen


def _set_share(share: float) -> None:
    _share.value = share


def _is_stopped() -> bool:
    # Both processes read one clock (CLOCK_MONOTONIC counts for the whole machine).
    return bool(_stop.value) or (_seen is not None and time.monotonic() - _seen.value > _ALONE_S)


def _work(function: Callable[..., Any], arguments: tuple[Any, ...], watched: bool) -> tuple[Any, Any]:
    watch: dict[str, Any] = {"progress": _set_share, "is_cancelled": _is_stopped} if watched else {}
    try:
        return function(*arguments, **watch), None
    except VerispectError as error:
        return None, error.sentence


class _Hand:
    """A process for jobs, one after the other, with what it shares with the window."""

    def __init__(self, *, needs_window: bool = False) -> None:
        self.stop, self.share = shared("b", 0), shared("d", 0.0)
        self.seen = shared("d", 0.0) if needs_window else None
        given = (self.stop, self.share, self.seen)
        self.worker = Worker(
            _begin,
            # Of values alone: a job that its window takes down with it goes at once, and its process with it.
            lambda: given,
            # What moves things first brings them to a stand, as soon as the window no longer looks in.
            grace_s=_GRACE_S if needs_window else 0.0,
        )

    def ready(self) -> None:
        """Before a job begins."""
        self.stop.value, self.share.value = 0, 0.0
        if self.seen is not None:
            self.seen.value = time.monotonic() + _START_S


# One process that has done its job waits for the next, with what it has imported: starting one takes seconds.
_idle: list[_Hand] = []


def _take_idle() -> _Hand:
    return _idle.pop() if _idle else _Hand()


def _leave_idle(hand: _Hand) -> None:
    alive = any(process.is_alive() for process in hand.worker.processes())
    if not alive or hand.seen is not None:
        hand.worker.leave(at_once=False)
        return
    # One that was begun meanwhile and has imported nothing yet is worth less.
    close_idle()
    _idle.append(hand)


def keep_one_ready() -> None:
    """Have a process start that the next job will find ready; returns at once."""
    if not _idle:
        hand = _Hand()
        hand.worker.begin()
        _idle.append(hand)


def close_idle() -> None:
    """End the process that waits."""
    while _idle:
        _idle.pop().worker.leave(at_once=True)


atexit.register(close_idle)


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
                 needs_window: bool = False) -> None:  # fmt: skip
        """`watched` functions take `progress` and `is_cancelled`.

        Those that `needs_window` are told to stop where the window hangs or is gone: nothing moves unattended.
        """
        super().__init__(parent)
        self._hand = _Hand(needs_window=True) if needs_window else _take_idle()
        self._hand.ready()
        self._future: Future[tuple[Any, Any]] = self._hand.worker.submit(_work, function, arguments, watched)
        self._given_up = False
        self._beat = QTimer(self)
        self._beat.setInterval(_LOOK_EVERY_MS)
        self._beat.timeout.connect(self._look)
        self._beat.start()

    def ask_to_stop(self) -> None:
        """Have it come to its own end, soon; what comes of it is told as ever."""
        self._hand.stop.value = 1

    def give_up(self) -> None:
        """Break it off; nothing more is told of it but that it ended."""
        self._given_up = True
        self._hand.stop.value = 1
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
        # Work that watches ends at its next look; what does not is ended with its process.
        if self._given_up:
            self._hand.worker.leave(at_once=True)
        else:
            _leave_idle(self._hand)
        self.ended.emit()
        self.deleteLater()
