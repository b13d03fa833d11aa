"""The camera as a rangefinder: marks put where the frames of a check show things, each step taken back as any."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from verispect.plan.entry.found_distance import FoundPlace, with_distances, with_proposed
from verispect.ui.panels.stations.prove import ProvePanel
from verispect.ui.state.notices import Notices
from verispect.ui.state.plan_document import PlanDocument
from verispect.ui.workflows.proving import ProveDesk

# Marks that are proposed at once.
_PROPOSED = 6


class RangingDesk(QObject):
    """Takes what a check found of distances into the plan."""

    def __init__(self, panel: ProvePanel, desk: ProveDesk, document: PlanDocument, notices: Notices) -> None:
        super().__init__(desk)
        self._desk, self._document, self._notices = desk, document, notices
        panel.distances_wanted.connect(self.take)
        panel.proposals_wanted.connect(self.propose)

    def take(self) -> None:
        """Marks go to where the frames show them."""
        from verispect.prove.report import found_places

        report, candidate = self._desk.report, self._desk.checked_against
        if report is not None and candidate is not None:
            self.move(found_places(report, candidate.scene.plan.marks))

    def move(self, found: list[FoundPlace]) -> None:
        """Move marks to where they were found."""
        plan, count = with_distances(self._document.plan, found)
        if count:
            self._document.change(plan, self.tr("distances found"))
        self._notices.say(self.tr("{0} marks moved along their lines of sight; Weigh follows.").format(count))

    def propose(self) -> None:
        """New marks where the frames tell of places far apart in depth."""
        from verispect.prove.softness.proposed import proposed_places

        report, candidate = self._desk.report, self._desk.checked_against
        if report is None or report.blocks is None or candidate is None:
            return
        places = proposed_places(report.blocks, candidate, _PROPOSED, report.looked)
        plan, count = with_proposed(self._document.plan, places, self.tr("Place"))
        if not count:
            self._notices.say(self.tr("These frames tell of no place far from the marks that are there."))
            return
        self._document.change(plan, self.tr("marks proposed by frames"))
        self._notices.say(
            self.tr("{0} marks put where the frames tell of places; say at Subject what they are.").format(count)
        )
