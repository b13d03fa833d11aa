"""Processes that work for the window end when its process ends, however that may happen."""

from __future__ import annotations

import multiprocessing
import os
import threading
import time


def leave_with_window(*, grace_s: float = 0.0) -> None:
    """Have this process end with its parent, or so much later where it has something to bring to its own end."""
    threading.Thread(target=_leave, args=(grace_s,), daemon=True).start()


def _leave(grace_s: float) -> None:
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        time.sleep(grace_s)
        os._exit(0)
