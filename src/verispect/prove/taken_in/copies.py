"""Files that hold the same picture as another one: a frame that was written twice has but one place."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from verispect.errors import FileError
from verispect.prove.intake import Frame, read_coded

# So much from the middle of a file tells most others from it.
_CHUNK = 65_536


def copies_among(frames: Sequence[Frame]) -> dict[int, int]:
    """Those, by number, that show pixel for pixel what one before them does, and which that is.

    Only files of one size that are the same in their middle are read whole; what is told beside the picture may
    differ.

    Raises
    ------
    FileError
        For what cannot be read as a picture.
    """
    found: dict[int, int] = {}
    seen: dict[tuple[int, bytes], list[int]] = {}
    for k, frame in enumerate(frames):
        alike = seen.setdefault(_in_short(frame), [])
        first = None
        if alike:
            own = read_coded(frame)
            first = next((other for other in alike if np.array_equal(own, read_coded(frames[other]))), None)
        if first is None:
            alike.append(k)
        else:
            found[k] = first
    return found


def _in_short(frame: Frame) -> tuple[int, bytes]:
    """A file's size and its middle."""
    try:
        size = frame.path.stat().st_size
        with frame.path.open("rb") as file:
            file.seek(max(0, (size - _CHUNK) // 2))
            return size, file.read(_CHUNK)
    except OSError as error:
        raise FileError("{path}: cannot be read: {why}", path=frame.path, why=error.strerror or error) from error
