"""Processes for jobs: what has done its job waits for the next, with what it has imported and read."""

from __future__ import annotations

import atexit
import time
from collections.abc import Callable
from concurrent.futures import Future
from typing import Any

from verispect.errors import VerispectError
from verispect.ui.work.worker import Worker, shared

# A process takes its time to start; it is not held against the window, seconds.
_START_S = 5.0
# Work that needs the window ends where that has not looked in for so long, seconds.
_ALONE_S = 2.0
# And its process so much later, whatever it is at.
_GRACE_S = 30.0
# So many wait, besides those that keep something for work of their own kind.
_MOST_IDLE = 3

# In the worker: up to which of its jobs are given up, which it is at, and how far it is.
_stopped: Any = None
_share: Any = None
_seen: Any = None
_number = 0


def _begin(stopped: Any, share: Any, seen: Any) -> None:
    global _stopped, _share, _seen
    _stopped, _share, _seen = stopped, share, seen


def _set_share(share: float) -> None:
    # What was given up may still be on its way to its end when the window looks to the next.
    if not _is_stopped():
        _share.value = share


def _is_stopped() -> bool:
    # Both processes read one clock (CLOCK_MONOTONIC counts for the whole machine).
    return _stopped.value >= _number or (_seen is not None and time.monotonic() - _seen.value > _ALONE_S)


def _work(function: Callable[..., Any], arguments: tuple[Any, ...], watched: bool, number: int) -> tuple[Any, Any]:
    global _number
    _number = number
    watch: dict[str, Any] = {"progress": _set_share, "is_cancelled": _is_stopped} if watched else {}
    try:
        return function(*arguments, **watch), None
    except VerispectError as error:
        return None, error.sentence


class Hand:
    """A process for jobs, one after the other, with what it shares with the window.

    Attributes
    ----------
    keeps : str
        The kind of work that it keeps what it read for; empty for none.
    """

    def __init__(self, *, needs_window: bool = False) -> None:
        self.stopped, self.share = shared("q", 0), shared("d", 0.0)
        self.seen = shared("d", 0.0) if needs_window else None
        given = (self.stopped, self.share, self.seen)
        self.worker = Worker(
            _begin,
            # Of values alone: a job that its window takes down with it goes at once, and its process with it.
            lambda: given,
            # What moves things first brings them to a stand, as soon as the window no longer looks in.
            grace_s=_GRACE_S if needs_window else 0.0,
        )
        self.keeps = ""
        self._number = 0

    def submit(
        self, function: Callable[..., Any], arguments: tuple[Any, ...], *, watched: bool
    ) -> Future[tuple[Any, Any]]:
        """Have it do this, after what it is still at."""
        self._number += 1
        self.share.value = 0.0
        if self.seen is not None:
            self.seen.value = time.monotonic() + _START_S
        return self.worker.submit(_work, function, arguments, watched, self._number)

    def stop(self) -> None:
        """Have the job it was given last come to its end, soon."""
        self.stopped.value = self._number

    def is_new(self) -> bool:
        """Whether it has done nothing yet, and imported nothing."""
        return self._number == 0


_idle: list[Hand] = []


def take_hand(keeps: str = "") -> Hand:
    """One that keeps what this work needs, else one that waits, else a new one."""
    fit = [hand for hand in _idle if hand.keeps == keeps] or [hand for hand in _idle if not hand.keeps]
    # One that has imported something before one that has not.
    hand = min(fit, key=Hand.is_new) if fit else Hand()
    if hand in _idle:
        _idle.remove(hand)
    hand.keeps = keeps
    return hand


def leave_hand(hand: Hand) -> None:
    """Let it wait for the next job, unless it is no longer alive; what is too many is ended."""
    if not any(process.is_alive() for process in hand.worker.processes()):
        hand.worker.leave(at_once=False)
        return
    _idle.append(hand)
    alike = [one for one in _idle if one.keeps == hand.keeps]
    # One that was begun meanwhile and has imported nothing yet is worth less.
    alike.sort(key=lambda one: (not one.is_new(), one is hand))
    for one in alike[: max(len(alike) - (1 if hand.keeps else _MOST_IDLE), 0)]:
        _idle.remove(one)
        one.worker.leave(at_once=True)


def keep_one_ready() -> None:
    """Have a process start that the next job will find ready; returns at once."""
    if all(hand.keeps for hand in _idle):
        hand = Hand()
        hand.worker.begin()
        _idle.append(hand)


def close_idle() -> None:
    """End those that wait."""
    while _idle:
        _idle.pop().worker.leave(at_once=True)


def waiting() -> list[Hand]:
    """Those that wait."""
    return list(_idle)


atexit.register(close_idle)
