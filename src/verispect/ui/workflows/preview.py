"""The rehearsed picture of the method on the board, in the frame drawing."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QImage

from verispect.plan.methods.candidate import Candidate
from verispect.ui.drawings.frame_view import FrameBoard
from verispect.ui.state.session import Session
from verispect.ui.work.rehearser import Rehearser

_WARM_UP_MS = 400


class PreviewDesk(QObject):
    """Asks for the picture of what is shown while the switch is on, and lays it under the frame drawing."""

    def __init__(self, parent: QObject, session: Session, frame: FrameBoard) -> None:
        super().__init__(parent)
        self._session, self._frame = session, frame
        self.rehearser = Rehearser(self)
        self.rehearser.pictured.connect(self._on_picture)
        self.on = False
        # A station where the frame drawing shows the method: not while one works on the photograph.
        self.wanted_here = True

    def set_on(self, on: bool) -> None:
        """The switch."""
        self.on = on
        self.refresh()

    def set_here(self, here: bool) -> None:
        """Whether the station in front is one that shows it."""
        self.wanted_here = here
        if here:
            # Once what was clicked for is on screen: the first picture is then there at once.
            QTimer.singleShot(_WARM_UP_MS, self._warm_up)
        self.refresh()

    def _warm_up(self) -> None:
        shown = self._session.shown
        self.rehearser.warm_up(None if shown is None else shown.candidate)

    def refresh(self) -> None:
        """After anything that is shown has changed."""
        shown = self._session.shown
        candidate = None if shown is None else shown.candidate
        usable = candidate is not None and shown is not None and bool(candidate.exposures)
        if not (self.on and self.wanted_here and usable) or candidate is None or shown is None:
            self.rehearser.forget()
            self._frame.show_rehearsed(None, None)
            return
        if self._frame.rehearsed_of is not None and self._frame.rehearsed_of[0] is not candidate:
            self._frame.show_rehearsed(None, None)
        self.rehearser.request(candidate, min(shown.frame, len(candidate.exposures) - 1))

    def _on_picture(self, image: QImage, candidate: Candidate, frame: int) -> None:
        if self.on and self.wanted_here:
            self._frame.show_rehearsed(image, (candidate, frame))

    def close(self) -> None:
        """Give up what is under way."""
        self.rehearser.forget()
