"""Sun and Moon worked out beside the window: the plan's day, and when they stand near a mark."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject

from verispect.errors import VerispectError
from verispect.shoot.day_of_light import DayOfLight, day_lines, day_of_light
from verispect.shoot.light_events import SUN_CAUTION, Meeting, direction_of, meetings, stand_for
from verispect.ui.drawings.three_views import BoardArea
from verispect.ui.panels.stations.light import LightPage, Search
from verispect.ui.state.notices import Notices
from verispect.ui.state.plan_document import PlanDocument
from verispect.ui.work.job import Job

if TYPE_CHECKING:
    from verispect.plan.document import Plan


def search_near(plan: Plan, mark: str, body: str, search: Search) -> list[Meeting]:
    """When a body stands near a mark, from the plan's first frame on."""
    assert plan.site is not None
    begin = plan.site.from_ or datetime.now(UTC)
    return meetings(
        plan.site, direction_of(plan, mark), body=body, within_deg=search.within_deg, begin=begin,
        end=begin + timedelta(days=search.days),
    )  # fmt: skip


class LightDesk(QObject):
    """Fills the page of the light and the drawings."""

    def __init__(
        self, parent: QObject, page: LightPage, board: BoardArea, document: PlanDocument, notices: Notices
    ) -> None:
        super().__init__(parent)
        self._page, self._board, self._document, self._notices = page, board, document, notices
        self._job: Job | None = None
        self._searching: Job | None = None
        self._worked: object = None
        # The page came into view before anybody listened.
        self._drawn = page.isVisible() and page.course_box.isChecked()
        self.day: DayOfLight | None = None
        page.day_wanted.connect(self.work_out)
        page.search_wanted.connect(self.search)
        page.stand_wanted.connect(self.stand)
        page.course_wanted.connect(self.draw)

    def work_out(self) -> None:
        """The plan's day, where it is not known yet."""
        plan = self._document.plan
        if plan.site is None or plan.site.from_ is None:
            self.day = self._worked = None
            self._page.show_day([self.tr("Give the place, where away is, and the time of the first frame.")])
            self._show_courses()
            return
        asked = (plan.site, plan.camera, plan.surfaces, plan.kit.body, plan.wish)
        if self._job is not None or asked == self._worked:
            return
        self._worked = asked
        self._job = Job(self, day_of_light, plan, watched=True)
        self._job.done.connect(self._take)
        self._job.failed.connect(lambda error: self._page.show_day([str(error)]))
        self._job.ended.connect(self._over)
        if self.day is None:
            self._page.show_day([self.tr("Working out the day…")])

    def _take(self, day: DayOfLight) -> None:
        self.day = day
        events = [f"{day.clock(datetime.fromisoformat(event.utc))}  {event.name}" for event in day.events]
        drift = self.tr("At the first frame the light changes by {0:+.2f} stops an hour.").format(
            60.0 * day.now.drift_stops_per_min
        )
        self._page.show_day([*events, "", drift, *(f"{line}." for line in day_lines(day))])
        self._show_courses()

    def _over(self) -> None:
        self._job = None
        # Something may have changed meanwhile.
        if self._page.isVisible():
            self.work_out()

    def draw(self, on: bool) -> None:
        """Show the courses in the drawings, or take them away."""
        self._drawn = on
        self._show_courses()

    def _show_courses(self) -> None:
        self._board.show_courses(self.day.courses if self._drawn and self.day is not None else ())

    def search(self, mark: str, body: str, search: Search) -> None:
        """When a body stands near a mark."""
        plan = self._document.plan
        if plan.site is None:
            self._page.show_found([self.tr("Give the place and the time of the first frame.")])
        if plan.site is None or self._searching is not None:
            return
        self._page.show_found([self.tr("Searching {0} days…").format(search.days)])
        self._searching = Job(self, search_near, plan, mark, body, search)
        self._searching.done.connect(lambda found: self._show_meetings(found, mark, body, search))
        self._searching.failed.connect(self._notices.report)
        self._searching.ended.connect(self._searched)

    def _searched(self) -> None:
        self._searching = None

    def _show_meetings(self, found: list[Meeting], mark: str, body: str, search: Search) -> None:
        site = self._document.plan.site
        zone = None if site is None or site.from_ is None else site.from_.tzinfo
        told = self.tr("{0}: {1:.1f}° apart, {2:.1f}° high, for {3:.0f} min")
        lines = [
            told.format(
                datetime.fromisoformat(one.utc).astimezone(zone or UTC).strftime("%Y-%m-%d %H:%M"), one.apart_deg,
                one.altitude_deg, one.minutes_within,
            )
            for one in found
        ]  # fmt: skip
        none = self.tr("The {0} comes within {1:g}° of {2} on none of {3} days.")
        lines = lines or [none.format(body, search.within_deg, mark, search.days)]
        self._page.show_found([*lines, *([SUN_CAUTION] if body == "Sun" else [])])

    def stand(self, mark: str, body: str) -> None:
        """From where a body is seen behind a mark at the first frame."""
        plan = self._document.plan
        if plan.site is None or plan.site.from_ is None:
            self._page.show_found([self.tr("Give the place and the time of the first frame.")])
            return
        try:
            place = stand_for(plan, mark, body=body, at=plan.site.from_)
        except VerispectError as error:
            self._notices.report(error)
            return
        if place is None:
            said = self.tr("From no place on level ground: the {0} is down, or {1} is no higher than the camera.")
            lines = [said.format(body, mark)]
        else:
            said = self.tr("Stand {0:.1f} m to the right and {1:.1f} m farther than now (negative: left, back).")
            lines = [said.format(*place)]
        self._page.show_found([*lines, *([SUN_CAUTION] if body == "Sun" else [])])

    def close(self) -> None:
        """The window closes."""
        for job in (self._job, self._searching):
            if job is not None:
                job.give_up()
