"""Pictures under the loupe, made beside the window."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from verispect.plan.methods.candidate import Candidate
from verispect.prove.softness.on_card import two_measured
from verispect.rehearse.crop import Crop, two_crops
from verispect.ui.panels.two_methods import BesidePage
from verispect.ui.state.notices import Notices
from verispect.ui.work.job import Job


class LoupeDesk(QObject):
    """Answers the loupe of the page of two methods."""

    def __init__(self, parent: QObject, page: BesidePage, notices: Notices) -> None:
        super().__init__(parent)
        self._page, self._notices = page, notices
        self._job: Job | None = None
        page.loupe.wanted.connect(self.look)

    def look(self, mark: int, print_mm: float, shown_px: int) -> None:
        """Make the two pictures; what was under way is given up."""
        pair = self._page.pair()
        if len(pair) != 2:
            return
        self.close()
        job = Job(self, two_crops, (pair[0], pair[1]), mark, print_mm, shown_px, watched=True)
        job.done.connect(lambda crops: self._take(pair, mark, crops))
        self._begin(job)

    def _begin(self, job: Job) -> None:
        job.failed.connect(self._notices.report)
        job.ended.connect(lambda: self._over(job))
        self._job = job

    def _take(self, pair: list[Candidate], mark: int, crops: list[Crop | None]) -> None:
        if not crops or not self._is_in_front(pair):
            return
        self._page.loupe.show_pictures(pair, crops)
        # Measured after that: it takes longer than to look.
        job = Job(self, two_measured, (pair[0], pair[1]), mark, watched=True)
        job.done.connect(lambda found: self._take_measured(pair, found))
        # What broke off is reported; the caption no longer says that it is being measured.
        job.failed.connect(lambda _why: self._take_measured(pair, [None, None]))
        self._begin(job)

    def _take_measured(self, pair: list[Candidate], found: list[tuple[float, float] | None]) -> None:
        if self._is_in_front(pair):
            self._page.loupe.show_measured(found)

    def _is_in_front(self, pair: list[Candidate]) -> bool:
        return all(a is b for a, b in zip(pair, self._page.pair(), strict=False))

    def _over(self, job: Job) -> None:
        # One that was given up for another may end after that has begun.
        if self._job is job:
            self._job = None
            self._page.loupe.button.setEnabled(True)

    def close(self) -> None:
        """Give up what is under way."""
        if self._job is not None:
            self._job.give_up()
