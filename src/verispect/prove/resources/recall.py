"""What was read of frames before: a check that is made again reads only what is new."""

from __future__ import annotations

import dataclasses
import hashlib
from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import TypeVar, cast

import numpy as np
from pydantic import BaseModel

from verispect.errors import FileError
from verispect.prove.intake import Frame

Kept = TypeVar("Kept")
_MOST_BYTES = 500_000_000
# A place in the store, whatever lies there.
_LEAST_BYTES = 200


class Recall:
    """A store of what was worked out, of no more than so many bytes; what was not asked for longest goes first."""

    def __init__(self, most_bytes: int = _MOST_BYTES) -> None:
        self.most_bytes, self.bytes = most_bytes, 0
        self._kept: OrderedDict[Hashable, tuple[object, int]] = OrderedDict()
        self._lock = Lock()

    def of(self, key: Hashable, work: Callable[[], Kept]) -> Kept:
        """What is kept under a key; worked out where there is none."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return cast(Kept, self._kept[key][0])
        found = work()
        size = bytes_of(found)
        with self._lock:
            _, before = self._kept.pop(key, (None, 0))
            self._kept[key] = found, size
            self.bytes += size - before
            while self.bytes > self.most_bytes and len(self._kept) > 1:
                _, (_, freed) = self._kept.popitem(last=False)
                self.bytes -= freed
        return found


def bytes_of(value: object) -> int:
    """About how much memory something takes: of its arrays, wherever they lie in it."""
    if isinstance(value, np.ndarray):
        return int(value.nbytes) + _LEAST_BYTES
    parts: list[object] = []
    if isinstance(value, dict):
        parts = list(value.values())
    elif isinstance(value, list | tuple):
        parts = list(value)
    elif hasattr(value, "__dict__"):
        parts = list(vars(value).values())
    return _LEAST_BYTES + sum(map(bytes_of, parts))


def fingerprint(value: object) -> bytes:
    """The same for what is equal, part by part: what an object keeps for itself beside its fields does not count."""
    digest = hashlib.blake2b(digest_size=16)
    _feed(digest, value)
    return digest.digest()


def _feed(digest: hashlib.blake2b, value: object) -> None:
    digest.update(type(value).__name__.encode())
    if isinstance(value, np.ndarray):
        digest.update(f"{value.shape}{value.dtype.str}".encode() + value.tobytes())
    elif isinstance(value, BaseModel):
        digest.update(value.model_dump_json().encode())
    elif dataclasses.is_dataclass(value):
        for part in dataclasses.fields(value):
            _feed(digest, getattr(value, part.name))
    elif isinstance(value, dict):
        _feed(digest, list(value.items()))
    elif isinstance(value, list | tuple):
        digest.update(str(len(value)).encode())
        for part in value:
            _feed(digest, part)
    else:
        digest.update(repr(value).encode())


def file_key(frame: Frame) -> Hashable:
    """A file as it is now: written anew it is another.

    Raises
    ------
    FileError
        Where it can no longer be looked at.
    """
    try:
        told = frame.path.stat()
    except OSError as error:
        raise FileError("{path}: cannot be read: {why}", path=frame.path, why=error.strerror or error) from error
    # How it is read may change as more frames arrive.
    return str(frame.path.absolute()), told.st_size, told.st_mtime_ns, told.st_ino, frame.white, frame.orientation
