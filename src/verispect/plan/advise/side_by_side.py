"""Independent pieces of work by several processes, where whoever runs the program allows it.

The others are forked for the moment: they know all that is known here, and give back only what they found.
"""

from __future__ import annotations

import contextlib
import gc
import os
import pickle
import signal
from collections.abc import Callable, Iterator, Sequence
from io import BytesIO
from typing import Any, NoReturn, TypeVar

Item = TypeVar("Item")
Result = TypeVar("Result")

_NUMBERS = 255
# Processes at most: there are hardly more pieces than this that take long.
_MOST = 4
_allowed = 1


@contextlib.contextmanager
def using_processors() -> Iterator[None]:
    """Within it the processors there are may be used.

    For a process that does nothing beside: a fork copies the one thread that asks for it, and no other.
    """
    global _allowed
    before, _allowed = _allowed, min(len(os.sched_getaffinity(0)), _MOST)
    try:
        yield
    finally:
        _allowed = before


def each(
    function: Callable[[Item], Result],
    items: Sequence[Item],
    *,
    same: Sequence[object] = (),
    progress: Callable[[float], None] | None = None,
) -> list[Result]:
    """What a function gives for each item, in their order.

    Parameters
    ----------
    function : callable
        Of nothing that another item changes. What it raises is raised here.
    items : sequence
        The longest work first, at most 255.
    same : sequence
        What results refer to and what is the same object here and in every result.
    progress : callable
        Is told the share done.
    """
    global _allowed
    count = min(_allowed, len(items))
    if count < 2 or len(items) > _NUMBERS:
        return _alone(function, items, progress)
    waiting, given = os.pipe()
    os.write(given, bytes(range(len(items))))
    os.close(given)
    # Within a piece nothing is split again.
    before, _allowed = _allowed, 1
    others = _forked(count - 1, function, items, waiting, same)
    found: dict[int, Result] = {}
    try:
        while number := os.read(waiting, 1):
            found[number[0]] = function(items[number[0]])
            if progress is not None:
                progress(min(len(found) * count / len(items), 1.0))
        while others:
            process, answers = others.pop()
            found.update(_read(answers, same))
            os.waitpid(process, 0)
        # What another left undone, for a fault or because it was ended, is done here.
        return [found[k] if k in found else function(item) for k, item in enumerate(items)]
    finally:
        _allowed = before
        os.close(waiting)
        for process, answers in others:
            # It broke off here: nobody waits for what the others find.
            os.close(answers)
            os.kill(process, signal.SIGKILL)
            os.waitpid(process, 0)


def _alone(
    function: Callable[[Item], Result], items: Sequence[Item], progress: Callable[[float], None] | None
) -> list[Result]:
    found: list[Result] = []
    for item in items:
        if progress is not None:
            progress(len(found) / len(items))
        found.append(function(item))
    return found


def _forked(
    count: int,
    function: Callable[[Item], Result],
    items: Sequence[Item],
    waiting: int,
    same: Sequence[object],
) -> list[tuple[int, int]]:
    """Processes that take from the same heap of items, and where each one's answers are read.

    Fewer where the system gives no more.
    """
    found: list[tuple[int, int]] = []
    parent = os.getpid()
    for _ in range(count):
        answers, said = os.pipe()
        try:
            process = os.fork()
        except OSError:
            os.close(answers)
            os.close(said)
            break
        if process == 0:
            _answer(function, items, waiting, same, parent, said)
        os.close(said)
        found.append((process, answers))
    return found


def _answer(
    function: Callable[[Item], Result],
    items: Sequence[Item],
    waiting: int,
    same: Sequence[object],
    parent: int,
    said: int,
) -> NoReturn:
    """In a process of its own: take items while there are any, answer once, and end."""
    left = 1
    try:
        gc.disable()
        found: dict[int, Result] = {}
        while os.getppid() == parent and (number := os.read(waiting, 1)):
            found[number[0]] = function(items[number[0]])
        content = BytesIO()
        _Sender(content, same).dump(found)
        with os.fdopen(said, "wb") as stream:
            stream.write(content.getbuffer())
        left = 0
    finally:
        # Not by an exception, nor by what is registered for the end: both belong to the other process.
        os._exit(left)


def _read(answers: int, same: Sequence[object]) -> dict[int, Any]:
    with os.fdopen(answers, "rb") as stream:
        content = stream.read()
    try:
        found: dict[int, Any] = _Receiver(BytesIO(content), same).load()
    except (EOFError, pickle.UnpicklingError):
        # It was ended before it had answered.
        return {}
    return found


class _Sender(pickle.Pickler):
    """Names what is the same here and there by its number."""

    def __init__(self, stream: BytesIO, same: Sequence[object]) -> None:
        super().__init__(stream, pickle.HIGHEST_PROTOCOL)
        self._numbers = {id(thing): number for number, thing in enumerate(same)}

    def persistent_id(self, thing: object) -> int | None:
        return self._numbers.get(id(thing))


class _Receiver(pickle.Unpickler):
    def __init__(self, stream: BytesIO, same: Sequence[object]) -> None:
        super().__init__(stream)
        self._same = same

    def persistent_load(self, number: int) -> object:
        return self._same[number]
