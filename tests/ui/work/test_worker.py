"""The one process that works for the window: begun when asked, replaced where it died, ended when told."""

from __future__ import annotations

import os
import time
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path
from typing import Any

import pytest

from verispect.errors import FileError
from verispect.ui.work.worker import Worker, check_shared_memory, shared

_given: Any = None


def _begin(given: Any) -> None:
    global _given
    _given = given


def added(number: int) -> int:
    _given.value += number
    return int(_given.value)


def test_it_begins_when_first_asked_and_shares_what_it_was_given() -> None:
    count = shared("q", 40)
    worker = Worker(_begin, lambda: (count,))
    assert worker.processes() == []
    assert worker.submit(added, 2).result(timeout=30) == 42
    assert count.value == 42
    assert len(worker.processes()) == 1
    worker.close()
    assert worker.processes() == []


def test_one_that_died_is_begun_anew_and_a_mere_fault_leaves_it() -> None:
    worker = Worker(_begin, lambda: (shared("q", 0),))
    assert worker.submit(added, 1).result(timeout=30) == 1
    [first] = worker.processes()
    worker.replace_if_broken(ValueError("no harm done"))
    assert worker.processes() == [first]
    first.kill()
    first.join(10)
    with pytest.raises(BrokenProcessPool) as caught:
        worker.submit(added, 1).result(timeout=30)
    worker.replace_if_broken(caught.value)
    assert worker.submit(added, 7).result(timeout=30) == 7
    worker.close()


def test_it_is_ended_in_the_middle_of_its_work_when_left_at_once() -> None:
    worker = Worker(_begin, lambda: (shared("q", 0),))
    assert worker.submit(added, 1).result(timeout=30) == 1
    [process] = worker.processes()
    worker.submit(time.sleep, 60)
    worker.leave(at_once=True)
    # The pool reaps it too, and who comes second learns of the end a moment later.
    limit = time.monotonic() + 10
    while process.is_alive() and time.monotonic() < limit:
        time.sleep(0.05)
    assert not process.is_alive()


def test_a_system_without_shared_memory_is_told_how_to_mend_it(tmp_path: Path) -> None:
    check_shared_memory(tmp_path)
    with pytest.raises(FileError, match=r"gone: cannot be written.*mount -t tmpfs"):
        check_shared_memory(tmp_path / "gone")
    if os.geteuid() != 0:
        tmp_path.chmod(0o555)
        with pytest.raises(FileError, match="cannot be written"):
            check_shared_memory(tmp_path)
        tmp_path.chmod(0o755)
