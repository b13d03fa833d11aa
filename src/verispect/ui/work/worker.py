"""One process that works for the window: begun when first asked, begun anew where it died, ended with the window.

Whatever is done off the window's thread is done in one of these; what differs is only what is asked of it.
"""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from verispect.errors import FileError
from verispect.ui.work.leaving import leave_with_window

if TYPE_CHECKING:
    from concurrent.futures import Future, ProcessPoolExecutor


_SHARED_MEMORY = Path("/dev/shm")


def check_shared_memory(folder: Path = _SHARED_MEMORY) -> None:
    """Raise a FileError where processes cannot share memory, as on a system laid out by hand.

    Window and workers talk through POSIX shared memory, which Linux keeps in this folder.
    """
    if not os.access(folder, os.W_OK | os.X_OK):
        raise FileError(
            "{path}: cannot be written, so work beside the window cannot start; "
            "as root: mount -t tmpfs -o mode=1777 tmpfs {path}",
            path=folder,
        )


def shared(kind: str, begin: Any) -> Any:
    """A value, or with a list several, that window and worker both see."""
    context = multiprocessing.get_context("spawn")
    return context.Array(kind, begin) if isinstance(begin, list) else context.Value(kind, begin)


def _first(grace_s: float, begin: Callable[..., None], given: tuple[Any, ...]) -> None:
    leave_with_window(grace_s=grace_s)
    begin(*given)


class Worker:
    """A process of one worker.

    Parameters
    ----------
    begin : callable
        Called in the process, first of all, with what `given` gives (what window and worker share).
    grace_s : float
        How much longer than the window the process may live, seconds.
    """

    def __init__(
        self, begin: Callable[..., None], given: Callable[[], tuple[Any, ...]], *, grace_s: float = 0.0
    ) -> None:
        self._begin, self._given, self._grace_s = begin, given, grace_s
        self._pool: ProcessPoolExecutor | None = None

    def begin(self) -> None:
        """Have the process started and warm; returns at once."""
        if self._pool is not None:
            return
        from concurrent.futures import ProcessPoolExecutor

        self._pool = ProcessPoolExecutor(
            1,
            multiprocessing.get_context("spawn"),
            initializer=_first,
            initargs=(self._grace_s, self._begin, self._given()),
        )
        self._pool.submit(int)

    def submit(self, function: Callable[..., Any], *arguments: Any) -> Future[Any]:
        """Have it do this, after what was asked before."""
        self.begin()
        assert self._pool is not None
        return self._pool.submit(function, *arguments)

    def processes(self) -> list[Any]:
        """What works at present: none, or one."""
        return list((self._pool._processes or {}).values()) if self._pool is not None else []

    def replace_if_broken(self, fault: BaseException) -> None:
        """After a fault: begin anew, when next asked, where the process itself has died."""
        from concurrent.futures.process import BrokenProcessPool

        if isinstance(fault, BrokenProcessPool):
            self.close()

    def close(self) -> None:
        """Wait for its end, which is soon where its work was given up; it begins anew when next asked."""
        self._end(wait=True)

    def leave(self, *, at_once: bool) -> None:
        """End it without waiting; `at_once` whatever it is at."""
        processes = self.processes() if at_once else []
        self._end(wait=False)
        for process in processes:
            process.terminate()

    def _end(self, *, wait: bool) -> None:
        pool, self._pool = self._pool, None
        if pool is not None:
            pool.shutdown(wait=wait, cancel_futures=True)
