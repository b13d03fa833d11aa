"""Weighing off the window's thread: on a frozen plan, the newest request only, cancelled on close."""

from __future__ import annotations

import threading

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal

from verispect.errors import VerispectError
from verispect.plan.document import Plan
from verispect.plan.weigh import Cancelled, Weighing, weigh


class _Task(QRunnable):
    def __init__(self, weigher: Weigher, plan: Plan, number: int) -> None:
        super().__init__()
        self._weigher, self._plan, self._number = weigher, plan, number
        self.cancelled = threading.Event()

    def run(self) -> None:
        signals = self._weigher.signals
        weighing = None
        # What is said if something unforeseen breaks the work off; the fault itself goes to the log.
        complaint = "The weighing broke off through a fault of this program"
        try:
            weighing = weigh(
                self._plan,
                is_cancelled=self.cancelled.is_set,
                progress=lambda share, _: signals.progressed.emit(self._number, share),
            )
        except Cancelled:
            complaint = ""
        except VerispectError as error:
            complaint = str(error)
        finally:
            signals.ended.emit(self._number, weighing, complaint)


class _Signals(QObject):
    progressed = pyqtSignal(int, float)
    ended = pyqtSignal(int, object, str)


class Weigher(QObject):
    """Runs one weighing at a time; a newer request waits and replaces older waiting ones.

    Signals
    -------
    weighed(Weighing)
        A result; of a plan that may have been changed since, but never older than one given before.
    failed(str)
        Why the newest plan cannot be weighed.
    busy(float)
        Share done of the work under way; 1.0 when idle.
    """

    weighed = pyqtSignal(object)
    failed = pyqtSignal(str)
    busy = pyqtSignal(float)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self.signals = _Signals(self)
        self.signals.progressed.connect(self._on_progress)
        self.signals.ended.connect(self._on_ended)
        self._number = 0
        self._running: _Task | None = None
        self._waiting: Plan | None = None
        self._held = True

    def release(self) -> None:
        """Begin to work: called when the window is painted, so that nothing delays its opening."""
        self._held = False
        if self._running is None:
            self._start()

    def request(self, plan: Plan, *, at_once: bool = False) -> None:
        """Weigh this plan as soon as can be; `at_once` gives up what is under way."""
        self._waiting = plan
        if self._held:
            return
        if self._running is None:
            self._start()
        elif at_once:
            self._running.cancelled.set()

    def idle(self) -> bool:
        """Whether nothing is under way or waiting."""
        return self._running is None and self._waiting is None

    def close(self) -> None:
        """Cancel and wait."""
        self._waiting = None
        if self._running is not None:
            self._running.cancelled.set()
        self._pool.waitForDone()

    def _start(self) -> None:
        plan, self._waiting = self._waiting, None
        if plan is None:
            return
        self._number += 1
        self._running = _Task(self, plan, self._number)
        self._pool.start(self._running)

    def _on_progress(self, number: int, share: float) -> None:
        if self._running is not None and number == self._number:
            self.busy.emit(share)

    def _on_ended(self, number: int, weighing: Weighing | None, complaint: str) -> None:
        if number != self._number:
            return
        self._running = None
        if weighing is not None:
            self.weighed.emit(weighing)
        elif complaint and self._waiting is None:
            self.failed.emit(complaint)
        if self._waiting is not None:
            self._start()
        else:
            self.busy.emit(1.0)
