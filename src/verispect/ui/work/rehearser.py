"""The rehearsed picture of what is on the board: a quick one first, then a fine one; dropped when stale."""

from __future__ import annotations

import logging
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

from verispect.plan.methods.candidate import Candidate
from verispect.ui.work.picture_process import PICTURES

if TYPE_CHECKING:
    from concurrent.futures import Future

_log = logging.getLogger("verispect")
_LOOK_EVERY_MS = 15
# A drag asks for nothing until it rests so long.
_REST_MS = 60
# The quick one is about as wide as the drawing that shows it.
_QUICK, _FINE, _TINY = 320, 960, (24, 16)


class Rehearser(QObject):
    """Keeps one picture true to a candidate's frame.

    Signals
    -------
    pictured(QImage, Candidate, int)
        A picture of an exposure, quick or fine.
    busy(bool)
    """

    pictured = pyqtSignal(object, object, int)
    busy = pyqtSignal(bool)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._wanted: tuple[Candidate, int] | None = None
        self._future: Future[bytes | None] | None = None
        self._under_way: tuple[Candidate, int, tuple[int, int], bool] | None = None
        self._beat = QTimer(self)
        self._beat.setInterval(_LOOK_EVERY_MS)
        self._beat.timeout.connect(self._look)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self._begin)

    def request(self, candidate: Candidate, frame: int) -> None:
        """Have this exposure's picture made, unless it is the one in hand."""
        if self._wanted is not None and self._wanted[0] is candidate and self._wanted[1] == frame:
            return
        self._wanted = (candidate, frame)
        PICTURES.give_up()
        self._rest.start()
        self.busy.emit(True)

    def warm_up(self, candidate: Candidate | None) -> None:
        """Have the process ready, and the things of this scene painted, before a picture is asked for."""
        if self._wanted is not None:
            return
        if candidate is None or not candidate.exposures:
            PICTURES.begin()
        else:
            PICTURES.submit(candidate, 0, _TINY, fine=False)

    def forget(self) -> None:
        """Nothing is wanted."""
        self._wanted = None
        self._future = self._under_way = None
        self._rest.stop()
        self._beat.stop()
        PICTURES.give_up()
        self.busy.emit(False)

    def _begin(self) -> None:
        if self._wanted is not None:
            self._submit(*self._wanted, fine=False)

    def _submit(self, candidate: Candidate, frame: int, *, fine: bool) -> None:
        wide, high = candidate.scene.plan.sensor_mm
        side = _FINE if fine else _QUICK
        pixels = (
            (side, max(16, round(side * high / wide))) if wide >= high else (max(16, round(side * wide / high)), side)
        )
        self._under_way = (candidate, frame, pixels, fine)
        self._future = PICTURES.submit(candidate, frame, pixels, fine=fine)
        self._beat.start()

    def _look(self) -> None:
        if self._future is None or self._under_way is None:
            self._beat.stop()
            return
        if not self._future.done():
            return
        future, (candidate, frame, pixels, fine) = self._future, self._under_way
        self._future = self._under_way = None
        self._beat.stop()
        fault = None if future.cancelled() else future.exception()
        if fault is not None:
            _log.error("the rehearsal broke off", exc_info=fault)
            PICTURES.close()
            self.busy.emit(False)
            return
        content = None if future.cancelled() else future.result()
        still = self._wanted is not None and self._wanted[0] is candidate and self._wanted[1] == frame
        if content is None or not still:
            return
        wide, high = pixels
        self.pictured.emit(
            QImage(content, wide, high, 3 * wide, QImage.Format.Format_RGB888).copy(), candidate, frame
        )
        if fine:
            self.busy.emit(False)
        else:
            self._submit(candidate, frame, fine=True)
