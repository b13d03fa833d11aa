"""What is to be said to the person: one place for every sentence, whoever has it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QObject, pyqtSignal

from verispect.errors import VerispectError

# A button's words and what it does.
Act = tuple[str, Callable[[], object]]


class Notices(QObject):
    """Sentences with what can be done about them.

    Signals
    -------
    said(str or VerispectError, list of (str, callable))
    """

    said = pyqtSignal(object, object)

    def say(self, text: str, acts: Sequence[Act] = ()) -> None:
        """A sentence."""
        self.said.emit(text, list(acts))

    def report(self, error: VerispectError | str) -> None:
        """What went wrong, in one sentence."""
        self.said.emit(error, [])
