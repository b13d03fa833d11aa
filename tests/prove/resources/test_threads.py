"""Work by threads: in order, no more at once than there are, ended when nobody asks for more."""

from __future__ import annotations

import threading
import time

import pytest

from verispect.prove.resources import threads
from verispect.prove.resources.threads import in_turn, workers


@pytest.mark.parametrize("count", [1, 2, 4])
def test_results_come_in_the_order_of_their_items(count: int) -> None:
    def slower_first(k: int) -> int:
        time.sleep(0.001 * (7 - k))
        return k * k

    assert list(in_turn(slower_first, range(8), count)) == [k * k for k in range(8)]
    assert not list(in_turn(slower_first, [], count))


def test_no_more_work_at_once_than_asked_for() -> None:
    lock, now, most = threading.Lock(), [0], [0]

    def work(_k: int) -> None:
        with lock:
            now[0] += 1
            most[0] = max(most[0], now[0])
        time.sleep(0.002)
        with lock:
            now[0] -= 1

    list(in_turn(work, range(20), 3))
    assert 1 < most[0] <= 3


def test_who_stops_asking_leaves_little_undone() -> None:
    begun = []
    for k in in_turn(lambda k: begun.append(k) or k, range(1000), 2):
        if k == 5:
            break
    time.sleep(0.02)
    assert len(begun) < 15


def test_what_a_piece_raises_comes_at_its_turn() -> None:
    def work(k: int) -> int:
        if k == 2:
            raise ValueError("two")
        return k

    found = in_turn(work, range(6), 2)
    assert [next(found), next(found)] == [0, 1]
    with pytest.raises(ValueError, match="two"):
        next(found)


def test_no_more_than_is_allowed_and_there_is_memory_for_and_always_one(monkeypatch) -> None:
    monkeypatch.setattr(threads.os, "sched_getaffinity", lambda _process: set(range(16)))
    # Taken back by the test's end.
    monkeypatch.setattr(threads, "_allowed", threads._allowed)
    monkeypatch.setattr(threads, "_memory_mb", threads._memory_mb)
    threads.allow(16, 2500)
    assert workers() == 4
    assert workers(30.0 * 24e6) == 2
    assert workers(1e12) == 1
    threads.allow(8, 500)
    assert workers() == 4
    assert workers(30.0 * 24e6) == 1
    threads.allow(1, 2500)
    assert workers() == 1
