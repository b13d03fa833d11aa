"""A camera's card that is put in is offered to be checked: what was taken last, without a search in its folders."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer

from verispect.prove.taken_in.cards import MOUNTS, mounted_places
from verispect.ui.state.notices import Notices
from verispect.ui.work.job import Job

if TYPE_CHECKING:
    from verispect.prove.desk import CardPictures

# The system's list of what is mounted is read so often: a few lines, no disk is asked.
_LOOK_EVERY_MS = 2000


class CardDesk(QObject):
    """Looks out for cards.

    Parameters
    ----------
    check : callable
        Shows Prove and checks some files of a folder.
    mounts : Path
        The system's list of what is mounted.
    """

    def __init__(
        self,
        parent: QObject,
        notices: Notices,
        check: Callable[[Path, tuple[Path, ...]], None],
        mounts: Path = MOUNTS,
    ) -> None:
        super().__init__(parent)
        self._notices, self._check, self._mounts = notices, check, mounts
        # What is in when the program starts was not just put in.
        self._known = set(mounted_places(mounts))
        self._beat = QTimer(self)
        self._beat.setInterval(_LOOK_EVERY_MS)
        self._beat.timeout.connect(self.look)
        self._beat.start()

    def look(self) -> None:
        """Ask about disks that were mounted since the last look, in a process of its own: a card may be slow."""
        now = set(mounted_places(self._mounts))
        for root in sorted(now - self._known):
            self.ask(root, self._offer)
        self._known = now

    def ask(self, root: Path, then: Callable[[CardPictures | None], object]) -> None:
        """What was taken last onto a card; None where it is none, or empty."""
        from verispect.prove.desk import card_pictures

        Job(self, card_pictures, root).done.connect(then)

    def _offer(self, found: CardPictures | None) -> None:
        if found is None:
            return
        told = self.tr("A card is in: {0} pictures in {1}, taken from {2:%H:%M} to {3:%H:%M}.").format(
            len(found.files), found.folder.name, found.begun, found.ended
        )
        if found.elsewhere:
            told += " " + self.tr("{0} more of that sitting lie in another folder.").format(found.elsewhere)
        self._notices.say(told, [(self.tr("Check them"), lambda: self._check(found.folder, found.files))])

    def close(self) -> None:
        """The window closes."""
        self._beat.stop()
