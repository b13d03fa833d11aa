"""The process that holds a merged picture while it is retouched: strokes go there, what they changed comes back."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from verispect.errors import VerispectError
from verispect.sentence import Sentence
from verispect.ui.work.worker import Worker

if TYPE_CHECKING:
    from concurrent.futures import Future

    from verispect.prove.merge.retouch import Box, Retouch, Source, Stroke

Eight = NDArray[np.uint8]


class Changed(NamedTuple):
    """A part of the picture as it is now, 8 bits, from a row and a column on; how much can be undone and redone."""

    top: int
    left: int
    pixels: Eight
    strokes: int
    can_redo: bool


# In the worker: what is worked on, and what the picture carries on when it is written.
_work: Retouch | None = None
_carried: dict[str, Any] = {}


def _begin() -> None:
    from verispect.prove.merge import retouch  # noqa: F401 - imported ahead of the first stroke


def _answered(function: Any, *given: Any) -> tuple[Any, Sentence | None]:
    """What a function gives, or the sentence of what went wrong."""
    try:
        return function(*given), None
    except VerispectError as error:
        return None, error.sentence


def _opened(picture: Path, sources: list[Source]) -> Eight:
    global _work
    from verispect.prove.intake import described, read_coded
    from verispect.prove.merge.retouch import Retouch
    from verispect.prove.merge.written import profile_of, shot_of

    first = sources[0].frame
    _carried.update(shot=shot_of(first), icc=profile_of(first), orientation=first.orientation)
    _work = Retouch(read_coded(described(picture)), sources)
    return _eight(_work.pixels)


def _painted(stroke: Stroke) -> Changed | None:
    assert _work is not None
    return _changed(_work.paint(stroke))


def _taken_back(forward: bool) -> Changed | None:
    assert _work is not None
    return _changed(_work.redo() if forward else _work.undo())


def _changed(box: Box | None) -> Changed | None:
    if box is None or _work is None:
        return None
    part = _work.pixels[box.top : box.bottom, box.left : box.right]
    return Changed(box.top, box.left, _eight(part), _work.strokes, _work.can_redo)


def _laid(source: int) -> Eight:
    assert _work is not None
    return _eight(_work.whole(source))


def _written(target: Path) -> Path:
    from verispect.files.picture_out import write_picture

    assert _work is not None
    write_picture(target, _work.pixels, **_carried, force=True)
    return target


def _eight(coded: NDArray[np.uint16]) -> Eight:
    return np.ascontiguousarray((coded >> 8).astype(np.uint8))


class RetouchProcess:
    """One picture's process; each call gives a future of (what came of it, or None; a sentence, or None)."""

    def __init__(self) -> None:
        self._worker = Worker(_begin, lambda: ())

    def open(self, picture: Path, sources: list[Source]) -> Future[tuple[Any, Sentence | None]]:
        """Its pixels, 8 bits (rows, columns, 3)."""
        return self._worker.submit(_answered, _opened, picture, sources)

    def paint(self, stroke: Stroke) -> Future[tuple[Any, Sentence | None]]:
        """What changed, or None."""
        return self._worker.submit(_answered, _painted, stroke)

    def take_back(self, *, forward: bool) -> Future[tuple[Any, Sentence | None]]:
        """Undo, or `forward` redo, a stroke: what changed, or None."""
        return self._worker.submit(_answered, _taken_back, forward)

    def laid(self, source: int) -> Future[tuple[Any, Sentence | None]]:
        """A whole frame where the merge laid it."""
        return self._worker.submit(_answered, _laid, source)

    def write(self, target: Path) -> Future[tuple[Any, Sentence | None]]:
        """The picture as it is, with what the first frame carries."""
        return self._worker.submit(_answered, _written, target)

    def close(self) -> None:
        """End the process with all that it holds."""
        self._worker.leave(at_once=True)
