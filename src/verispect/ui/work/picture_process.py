"""The process that rehearses pictures for the screen: warm, newest request only, given up when stale."""

from __future__ import annotations

import atexit
from typing import TYPE_CHECKING, Any

import numpy as np

from verispect.plan.methods.candidate import Candidate
from verispect.ui.work.worker import Worker, shared

if TYPE_CHECKING:
    from concurrent.futures import Future

Shape = tuple[int, int]

# In the worker: the number of the newest request; and the last candidate's scene, made into panels once.
_newest: Any = None


def _begin(newest: Any) -> None:
    global _newest
    _newest = newest
    from verispect.rehearse import textures
    from verispect.rehearse.camera import Rehearsal  # noqa: F401

    for kind in ("ground", "backdrop", "wall", "facade"):
        textures.painted(kind, 0, 1)


def _picture(candidate: Candidate, frame: int, pixels: Shape, fine: bool, number: int) -> bytes | None:
    """One frame as 8-bit RGB, row by row; None where a newer one is wanted by now."""
    if _newest.value > number:
        return None
    from verispect.rehearse.camera import Options, Rehearsal
    from verispect.rehearse.pupil_views import FINE, QUICK
    from verispect.rehearse.sensor_noise import srgb_16

    options = Options(pixels=pixels, noise=False, quality=FINE if fine else QUICK)
    taken = Rehearsal(candidate, options).take(frame, is_cancelled=lambda: _newest.value > number)
    if taken is None or taken.picture is None:
        return None
    return (srgb_16(np.clip(taken.picture, 0.0, 1.0)) >> 8).astype(np.uint8).tobytes()


class PictureProcess:
    """Starts when first asked for."""

    def __init__(self) -> None:
        self._worker = Worker(_begin, self._shared)
        self._newest: Any = None
        self._number = 0

    def _shared(self) -> tuple[Any, ...]:
        if self._newest is None:
            self._newest = shared("q", 0)
            atexit.register(self.close)
        return (self._newest,)

    def begin(self) -> None:
        """Have the process started and warm; returns at once."""
        self._worker.begin()

    def submit(self, candidate: Candidate, frame: int, pixels: Shape, *, fine: bool) -> Future[bytes | None]:
        """Ask for a picture; whatever was asked before is given up."""
        self.begin()
        self._number += 1
        self._newest.value = self._number
        return self._worker.submit(_picture, candidate, frame, pixels, fine, self._number)

    def give_up(self) -> None:
        """Nothing is wanted any more."""
        if self._newest is not None:
            self._number += 1
            self._newest.value = self._number

    def close(self) -> None:
        """End the process; it begins anew when next asked."""
        self.give_up()
        self._worker.close()


PICTURES = PictureProcess()
