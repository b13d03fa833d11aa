"""Independent pieces of work by a few threads: what OpenCV and NumPy do on pictures holds none of the others up."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

Item = TypeVar("Item")
Result = TypeVar("Result")

# Each holds pictures of its own. Of the memory that may be taken so much is left to what is kept.
_MOST, _FOR_WORK = 4, 0.64
_allowed, _memory_mb = _MOST, 2500


def allow(count: int, memory_mb: int) -> None:
    """So many threads, and so much memory, from now on in this process: what whoever runs a command asks for."""
    global _allowed, _memory_mb
    _allowed, _memory_mb = count, memory_mb


def memory_mb() -> int:
    """How much memory may be taken."""
    return _memory_mb


def workers(each_bytes: float = 0.0) -> int:
    """How many threads there is a processor for, and memory where each takes so many bytes, within reason."""
    for_memory = _FOR_WORK * 1e6 * _memory_mb / each_bytes if each_bytes else _MOST
    return max(1, min(len(os.sched_getaffinity(0)), _MOST, _allowed, int(for_memory)))


def in_turn(work: Callable[[Item], Result], items: Iterable[Item], count: int) -> Iterator[Result]:
    """What work gives for each item, in their order; so many at once, and no more begun than are soon asked for.

    Whoever stops asking waits for the pieces in work alone. What one raises is raised at its turn.
    """
    if count < 2:
        yield from map(work, items)
        return
    pool = ThreadPoolExecutor(count)
    begun: deque[Future[Result]] = deque()
    try:
        for item in items:
            begun.append(pool.submit(work, item))
            if len(begun) > count:
                yield begun.popleft().result()
        while begun:
            yield begun.popleft().result()
    finally:
        pool.shutdown(wait=True, cancel_futures=True)
