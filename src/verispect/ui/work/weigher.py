"""Weighing beside the window: on a frozen plan, the newest request only, given up on close."""

from __future__ import annotations

import logging
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from verispect.plan.document import Plan
from verispect.ui.controls.translate import say
from verispect.ui.work.weighing_process import PROCESS, Outcome

if TYPE_CHECKING:
    from concurrent.futures import Future

    from verispect.plan.advise.follow_up import Further
    from verispect.plan.advise.weigh import Weighing

_log = logging.getLogger("verispect")
# Looked at by the window's own clock: nothing crosses threads, and a window may close at any time.
_LOOK_EVERY_MS = 8
_SAY_EVERY = 10
# A plan left alone for so long is looked at further.
_REST_MS = 250


class Weigher(QObject):
    """Runs one weighing at a time; a newer request waits and replaces older waiting ones.

    Signals
    -------
    weighed(Weighing, Plan)
        A result and the plan that was asked about; of a plan that may have been changed since, but never
        older than one given before.
    failed(str)
        Why the newest plan cannot be weighed.
    busy(float)
        Share done of the work under way; 1.0 when idle.
    further(Further, Plan)
        Ways out and what would change the advice, a while after the plan was weighed and left alone.
    """

    weighed = pyqtSignal(object, object)
    failed = pyqtSignal(str)
    busy = pyqtSignal(float)
    further = pyqtSignal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._beat = QTimer(self)
        self._beat.setInterval(_LOOK_EVERY_MS)
        self._beat.timeout.connect(self._look)
        self._beats = 0
        self._number = 0
        self._future: Future[Outcome] | None = None
        self._running: Plan | None = None
        self._waiting: Plan | None = None
        self._held = True
        # What comes after the last weighing, and the plan it was of.
        self._after: Future[Further | None] | None = None
        self._after_plan: Plan | None = None
        self._after_number = 0
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self._look_further)

    def release(self) -> None:
        """Begin to work: called when the window is painted, so that nothing delays its opening."""
        self._held = False
        PROCESS.begin()
        if self._running is None:
            self._start()

    def request(self, plan: Plan, *, at_once: bool = False) -> None:
        """Weigh this plan as soon as can be; `at_once` gives up what is under way."""
        self._waiting = plan
        self._leave_further()
        if self._held:
            return
        if self._running is None:
            self._start()
        elif at_once:
            PROCESS.give_up(self._number)

    def idle(self) -> bool:
        """Whether nothing is under way or waiting."""
        return self._running is None and self._waiting is None

    def close(self) -> None:
        """Give up."""
        self._waiting = None
        self._beat.stop()
        self._leave_further()
        if self._running is not None:
            PROCESS.give_up(self._number)
        self._running = self._future = None

    def _start(self) -> None:
        plan, self._waiting = self._waiting, None
        if plan is None:
            return
        self._running = plan
        self._number, self._future = PROCESS.submit(plan)
        self._beats = 0
        self._beat.start()

    def _look_further(self) -> None:
        """The plan was left alone for a while: ask for what comes after the advice."""
        if self._after_plan is not None and self._running is None:
            self._after_number, self._after = PROCESS.submit_further(self._number)
            self._beat.start()

    def _leave_further(self) -> None:
        self._rest.stop()
        if self._after is not None:
            PROCESS.give_up(self._after_number)
        self._after = self._after_plan = None

    def _tell_further(self) -> None:
        """Tell of it once it is there."""
        if self._after is None or not self._after.done():
            return
        future, plan, self._after = self._after, self._after_plan, None
        fault = None if future.cancelled() else future.exception()
        if fault is not None:
            _log.error("what comes after the advice broke off", exc_info=fault)
            PROCESS.replace_if_broken(fault)
        elif not future.cancelled() and future.result() is not None:
            self.further.emit(future.result(), plan)

    def _look(self) -> None:
        if self._running is None:
            self._tell_further()
            if self._after is None:
                self._beat.stop()
            return
        plan, future = self._running, self._future
        if plan is None or future is None:
            self._beat.stop()
            return
        self._beats += 1
        if not future.done():
            if self._beats % _SAY_EVERY == 0:
                self.busy.emit(PROCESS.share_done(self._number))
            return
        self._running = self._future = None
        weighing, complaint = self._outcome(future)
        if weighing is not None:
            self.weighed.emit(weighing, plan)
            if self._waiting is None:
                self._after_plan = plan
                self._rest.start()
        elif complaint and self._waiting is None:
            self.failed.emit(complaint)
        if self._waiting is not None:
            self._start()
        else:
            self._beat.stop()
            self.busy.emit(1.0)

    def _outcome(self, future: Future[Outcome]) -> tuple[Weighing | None, str]:
        if future.cancelled():
            return None, ""
        fault = future.exception()
        if fault is None:
            weighing, complaint = future.result()
            return weighing, "" if complaint is None else say(complaint)
        _log.error("the weighing broke off", exc_info=fault)
        PROCESS.replace_if_broken(fault)
        return None, self.tr("The weighing broke off through a fault of this program; any change starts it again")
