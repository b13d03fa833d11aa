"""Independent pieces of work by a few threads: what OpenCV and NumPy do on pictures holds none of the others up."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

Item = TypeVar("Item")
Result = TypeVar("Result")

# Each holds pictures of its own.
_MOST = 4


def workers() -> int:
    """How many threads there is a processor for, within reason."""
    return max(1, min(len(os.sched_getaffinity(0)), _MOST))


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
