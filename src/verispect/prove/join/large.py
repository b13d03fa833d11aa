"""Joined pictures that no memory holds: painted part by part into files, by several processes, gone on with later.

A working folder beside the result holds what the parts are painted from (`work.json`), the picture's bare pixels,
what is covered, each frame's share of every part, and which parts are done. Any process that sees the folder and the
frames can paint any part: here, on a Dask cluster of this machine, or on one that is named.
"""

from __future__ import annotations

import contextlib
import json
import os
import socket
import time
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib import import_module
from itertools import chain
from pathlib import Path
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled, FileError
from verispect.prove.intake import Frame, described
from verispect.prove.join.frames import FrameStore
from verispect.prove.join.kept import (
    canvas_as_json,
    canvas_from_json,
    ghost_as_json,
    ghost_from_json,
    view_as_json,
    view_from_json,
)
from verispect.prove.join.painting import Painter
from verispect.prove.join.working_folder import PAINTED
from verispect.prove.taken_in.read_alike import HowRead, how_read

Progress = Callable[[float, str], None]
PART_PX = 1024
_WORK = "work.json"
# Parts given to a process at a time: few enough that a stop is answered soon.
_BATCH = 4
# One process paints a block of so many parts each way before another: a frame is read for few blocks.
_BLOCK = 8


@dataclass(frozen=True)
class Work:
    """All that parts are painted from."""

    folder: Path
    painter: Painter
    files: tuple[Frame, ...]
    budget_mb: float

    @property
    def parts(self) -> list[tuple[int, int, int, int]]:
        """Left, top, right, bottom of every part."""
        return self.painter.parts(PART_PX)

    def pixels(self, mode: Any = "r") -> NDArray[np.uint16]:
        """The picture so far (rows, columns, 3), mapped from its file."""
        wide, high = self.painter.canvas.size
        return np.memmap(self.folder / "pixels", np.uint16, mode, shape=(high, wide, 3))

    def covered(self, mode: Any = "r") -> NDArray[np.bool_]:
        """Where frames cover it, mapped."""
        wide, high = self.painter.canvas.size
        return np.memmap(self.folder / "covered", bool, mode, shape=(high, wide))

    def shares(self, mode: Any = "r") -> NDArray[np.float64]:
        """What each frame gave of every part (parts, frames), mapped."""
        return np.memmap(self.folder / "shares", float, mode, shape=(len(self.parts), len(self.files)))

    def done(self, mode: Any = "r") -> NDArray[np.bool_]:
        """Which parts are painted, mapped."""
        return np.memmap(self.folder / PAINTED, bool, mode, shape=(len(self.parts),))

    def begin(self) -> None:
        """Lay the files out, or find them as they were left.

        Raises
        ------
        FileError
            Where there is not room enough.
        """
        told, kept = _as_json(self), self.folder / _WORK
        if _same_work(kept, told):
            kept.write_text(json.dumps(told), encoding="utf-8")
            return
        wide, high = self.painter.canvas.size
        free = _free_bytes(self.folder)
        needed = wide * high * 7
        if free < needed:
            raise FileError(
                "{path}: joining needs {needed:.1f} GB of room beside the result while it works, and {free:.1f} are "
                "free; clear some, or name a result elsewhere",
                path=self.folder.parent, needed=needed / 1e9, free=free / 1e9,
            )  # fmt: skip
        for make in (self.pixels, self.covered, self.shares, self.done):
            make("w+")
        for name in ("pixels", "covered"):
            # Taken now: a disk that fills up under a mapped file kills whoever writes to it.
            with (self.folder / name).open("r+b") as stream:
                os.posix_fallocate(stream.fileno(), 0, os.fstat(stream.fileno()).st_size)
        kept.write_text(json.dumps(told, allow_nan=False), encoding="utf-8")


def _same_work(kept: Path, told: dict[str, Any]) -> bool:
    """Whether a folder holds this work begun, be it with other memory or processes."""
    try:
        before = json.loads(kept.read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return False
    again = json.loads(json.dumps(told))
    return bool({**before, "budget_mb": 0} == {**again, "budget_mb": 0})


def _free_bytes(folder: Path) -> int:
    import shutil

    return shutil.disk_usage(folder).free


def _as_json(work: Work) -> dict[str, Any]:
    return {
        "canvas": canvas_as_json(work.painter.canvas),
        "views": [view_as_json(view) for view in work.painter.views],
        "gains": work.painter.gains.tolist(),
        "ghosts": [ghost_as_json(ghost) for ghost in work.painter.ghosts],
        "pixels": list(work.painter.pixels),
        "files": [[str(frame.path.resolve()), *how_read(frame)] for frame in work.files],
        "budget_mb": work.budget_mb,
    }


@lru_cache(maxsize=1)
def _opened(folder: str, _written: int) -> tuple[Work, FrameStore]:
    told = json.loads((Path(folder) / _WORK).read_text(encoding="utf-8"))
    wide, high = told["pixels"]
    views = tuple(view_from_json(view) for view in told["views"])
    ghosts = tuple(ghost_from_json(ghost) for ghost in told["ghosts"])
    painter = Painter(canvas_from_json(told["canvas"]), views, np.array(told["gains"], float), (wide, high), ghosts)
    files = tuple(
        HowRead(orientation, None if white is None else tuple(white)).of(described(Path(path)))
        for path, orientation, white in told["files"]
    )
    work = Work(Path(folder), painter, files, told["budget_mb"])
    return work, FrameStore(files, work.budget_mb)


def paint_parts(folder: str, numbers: Sequence[int]) -> int:
    """Paint these parts of the work in a folder, those that are done left alone; how many were looked at."""
    work, store = _opened(folder, (Path(folder) / _WORK).stat().st_mtime_ns)
    pixels, covered, shares, done = work.pixels("r+"), work.covered("r+"), work.shares("r+"), work.done("r+")
    parts = work.parts
    left = [number for number in numbers if not done[number]]
    for number in left:
        box = parts[number]
        place = (slice(box[1], box[3]), slice(box[0], box[2]))
        pixels[place], covered[place], shares[number] = work.painter.paint(box, store.part)
    # Parts count as done only once they are on the disk.
    for laid in (pixels, covered, shares):
        cast("np.memmap[Any, Any]", laid).flush()
    done[left] = True
    return len(numbers)


def paint_all(
    work: Work, *, jobs: int, scheduler: str | None, memory_mb: int, say: Progress, stop: Callable[[], bool]
) -> None:
    """Paint whatever is left, on a cluster where one is named or more than one process is allowed.

    Raises
    ------
    Cancelled
        What is painted by then stays, for another try.
    FileError
        Where the cluster named does not answer.
    """
    blocks = blocks_of(work.parts, work.done())
    count = len(work.parts)
    before = count - sum(len(batch) for block in blocks for batch in block)

    def tell(number: int) -> None:
        say(0.5 + 0.45 * (before + number) / max(count, 1), f"joining, part {before + number} of {count}")

    finished = 0
    tell(0)
    if scheduler is None and jobs < 2:
        for batch in chain(*blocks):
            if stop():
                raise Cancelled
            finished += paint_parts(str(work.folder), batch)
            tell(finished)
        return
    with _cluster(scheduler, jobs, memory_mb) as client:
        for found in _as_done(client, str(work.folder), blocks, stop):
            finished += found
            tell(finished)


def blocks_of(parts: Sequence[tuple[int, int, int, int]], done: NDArray[np.bool_]) -> list[list[list[int]]]:
    """Blocks of batches of the parts that are not done: neighbours after one another, to and fro row by row."""
    side = _BLOCK * PART_PX
    found: dict[tuple[int, int], list[int]] = {}
    for number in np.flatnonzero(~done).tolist():
        left, top, _, _ = parts[number]
        found.setdefault((top // side, left // side), []).append(number)

    def place(number: int) -> tuple[int, int]:
        left, top, _, _ = parts[number]
        return top, left if top // PART_PX % 2 == 0 else -left

    ordered = [sorted(found[key], key=place) for key in sorted(found)]
    return [[block[k : k + _BATCH] for k in range(0, len(block), _BATCH)] for block in ordered]


def _check_answers(address: str) -> None:
    """Raise a FileError where nothing listens at an address such as tcp://host:8786.

    Asked of the socket first: a client that could not connect may hold up the next one while it is cleared away.
    """
    scheme, _, place = address.rpartition("://")
    host, _, port = place.rpartition(":")
    try:
        if scheme not in ("", "tcp", "tls") or not port.isdigit():
            raise ValueError(address)
        socket.create_connection((host.strip("[]") or "localhost", int(port)), timeout=10).close()
    except (OSError, ValueError, OverflowError) as error:
        raise FileError(
            "--scheduler {address}: no Dask cluster answers there; start one with `dask scheduler` and `dask "
            "worker`, give its address as tcp://HOST:8786, or leave it out",
            address=address,
        ) from error


@contextlib.contextmanager
def _cluster(scheduler: str | None, jobs: int, memory_mb: int) -> Iterator[Any]:
    """A Dask client: of the cluster at an address, or of one made here for the while."""
    import logging

    from dask import config

    distributed: Any = import_module("distributed")
    # What a cluster tells of itself is its own; the user is told one sentence.
    for name in ("distributed", "distributed.nanny", "distributed.worker", "distributed.scheduler", "tornado"):
        logging.getLogger(name).setLevel(logging.CRITICAL)
    if scheduler is not None:
        _check_answers(scheduler)
        client = distributed.Client(scheduler, timeout=10)
        try:
            yield client
        finally:
            client.close()
        return
    with config.set({"distributed.worker.memory.target": False, "distributed.worker.memory.spill": False}):
        cluster = distributed.LocalCluster(
            n_workers=jobs, threads_per_worker=1, processes=True, dashboard_address="127.0.0.1:0",
            memory_limit=f"{memory_mb}MiB", silence_logs=logging.CRITICAL,
        )  # fmt: skip
        client = distributed.Client(cluster)
        try:
            yield client
        finally:
            client.close()
            cluster.close()


class _Share:
    """Batches still to be given out, block by block to whoever asks; at the end each takes from another's block."""

    def __init__(self, blocks: Sequence[Sequence[Sequence[int]]]) -> None:
        self._blocks = deque(blocks)
        self._own: dict[str, deque[Sequence[int]]] = {}

    def next(self, worker: str) -> Sequence[int] | None:
        """The next batch for a worker; None where there is none left."""
        own = self._own.setdefault(worker, deque())
        if not own and self._blocks:
            own.extend(self._blocks.popleft())
        if own:
            return own.popleft()
        fullest = max(self._own.values(), key=len)
        return fullest.pop() if fullest else None


def _as_done(
    client: Any, folder: str, blocks: Sequence[Sequence[Sequence[int]]], stop: Callable[[], bool]
) -> Iterator[int]:
    """What each batch gives as it comes; few are given out at a time, so that a stop is soon."""
    distributed: Any = import_module("distributed")
    share = _Share(blocks)
    running: dict[Any, str] = {}
    more = True
    while more or running:
        if stop():
            client.cancel(list(running))
            raise Cancelled
        # Workers of a named cluster come and go; a batch may be done by another than it was meant for.
        for worker, threads in client.nthreads().items() if more else ():
            while more and list(running.values()).count(worker) < 2 * threads:
                batch = share.next(worker)
                more = batch is not None
                if batch is not None:
                    future = client.submit(
                        paint_parts, folder, batch, pure=False, workers=[worker], allow_other_workers=True
                    )
                    running[future] = worker
        if not running:
            # No worker at present.
            time.sleep(0.2)
            continue
        try:
            over, _ = distributed.wait(list(running), timeout=0.2, return_when="FIRST_COMPLETED")
        except TimeoutError:
            continue
        for future in over:
            del running[future]
            try:
                yield future.result()
            except FileNotFoundError as error:
                raise FileError(
                    "{path}: not seen from the cluster; its workers need the frames and the result's folder under "
                    "the same names",
                    path=error.filename or folder,
                ) from error
