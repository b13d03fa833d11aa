"""Tests of the kit run beside the window, and kept in it when wanted."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QWidget

from verispect.errors import VerispectError
from verispect.kit.lens import Lens
from verispect.ui.controls.translate import say_error
from verispect.ui.panels.stations.trials import (
    CLOSE,
    LENS,
    PUPIL,
    RECYCLE,
    SETTLE,
    STEP,
    TILT,
    CloseValues,
    PupilValues,
    RecycleValues,
    SettleValues,
    StepValues,
    TiltValues,
    TrialsPage,
)
from verispect.ui.state.notices import Notices
from verispect.ui.state.plan_document import PlanDocument
from verispect.ui.work.job import Job
from verispect.ui.workflows.saving import ask_save

if TYPE_CHECKING:
    from verispect.prove.trials.pupil_test import Patch
    from verispect.ui.panels.kit import KitPanel


class TrialDesk(QObject):
    """Starts a test on a folder, tells what it found, and puts it into the plan's kit as one step of its history."""

    def __init__(self, window: QWidget, panel: KitPanel, document: PlanDocument, notices: Notices) -> None:
        super().__init__(window)
        self._window, self._panel, self._document, self._notices = window, panel, document, notices
        self._page: TrialsPage = panel.trials
        self._job: Job | None = None
        self._found: Any = None
        # The lens that was tested, by name: another may be chosen meanwhile.
        self._tested: str | None = None
        self._page.frames_wanted.connect(self.choose)
        self._page.chart_wanted.connect(self.print_chart)
        self._page.stop_wanted.connect(self.stop)
        self._page.taking_wanted.connect(self.take)

    def choose(self) -> None:
        """Ask for a folder and test."""
        name = QFileDialog.getExistingDirectory(self._window, self.tr("The folder with the frames"))
        if name:
            self.test(Path(name))

    def print_chart(self) -> None:
        """Write a chart for lens tests."""
        from verispect.files.atomic import write_atomically
        from verispect.ui.paper.chart import chart_pdf

        target = ask_save(self._window, self.tr("Save the chart"), "chart-a3.pdf", "*.pdf", ".pdf")
        if target is None:
            return
        try:
            write_atomically(target, chart_pdf("a3"))
        except VerispectError as error:
            self._notices.report(error)
            return
        self._notices.say(self.tr("Written: {0}. Print it at its own size.").format(target))

    def test(self, folder: Path) -> None:
        """Run the chosen test on a folder's frames."""
        if self._job is not None:
            return
        page, which = self._page, self._page.what.currentIndex()
        lens = self._panel.current_lens
        self._tested = None if lens is None or which in (SETTLE, RECYCLE) else lens.name
        if lens is None and which not in (SETTLE, RECYCLE):
            self._notices.say(self.tr("Add the lens to the kit first, then test it."))
            return
        try:
            job = self._begun(folder, which, lens)
        except VerispectError as error:
            page.show_result(say_error(error), takes=False)
            return
        if job is None:
            return
        self._job, self._found = job, None
        page.show_result("", takes=False)
        page.show_busy(0.0)
        job.progress.connect(page.show_busy)
        job.failed.connect(lambda why: page.show_result(why, takes=False))
        job.done.connect(lambda found: self._tell(found, which))
        job.ended.connect(self._over)

    def _begun(self, folder: Path, which: int, lens: Lens | None) -> Job | None:
        """The test under way; None where it was thought better of."""
        from verispect.prove import desk

        plan, page = self._document.plan, self._page
        if which == SETTLE:
            still = page.values_of(SettleValues)
            return Job(self, desk.settle_test_in, folder, still.within_px, still.frames_per_s,
                       None if lens is None else lens.only_focal_mm, max(plan.kit.body.sensor_mm),
                       watched=True)  # fmt: skip
        if which == RECYCLE:
            full = page.values_of(RecycleValues)
            return Job(self, desk.recycle_test_in, folder, full.within_stops, full.frames_per_s, watched=True)
        assert lens is not None
        criterion, longer = plan.criterion(plan.whole_focal_mm), max(plan.kit.body.sensor_mm)
        focal, separation = lens.only_focal_mm, lens.principal_separation_mm
        if which == STEP:
            step = page.values_of(StepValues)
            run = desk.StepRun(step.stop, step.step, lens.focal_mm[0], criterion.disc_mm, (step.from_m, step.to_m))
            return Job(self, desk.step_test_in, folder, run, lens, watched=True)
        if which == TILT:
            tilt = page.values_of(TiltValues)
            ends = None if tilt.from_m is None or tilt.to_m is None else (tilt.from_m, tilt.to_m)
            return Job(self, desk.tilt_test_in, folder, focal, longer, ends, separation, watched=True)
        if which == CLOSE:
            names = (self.tr("one place on the ruler"), self.tr("the other"))
            places = self.ask_places(folder, names)
            if places is None:
                return None
            apart, both = page.values_of(CloseValues).apart_mm, (places[0][:2], places[1][:2])
            return Job(self, desk.close_test_in, folder, both, apart, longer, watched=True)
        if which == PUPIL:
            places, two = self.ask_places(folder), page.values_of(PupilValues)
            if places is None:
                return None
            far = math.inf if two.far_m is None else two.far_m
            pair = desk.PupilRun(*places, two.near_m, far, two.turned_deg or None, focal, longer,
                                 lens.pupil_magnification, separation)  # fmt: skip
            return Job(self, desk.pupil_test_in, folder, pair, watched=True)
        return Job(self, desk.lens_test_in, folder, criterion.lights, plan.kit.body.pixel_mm, focal, separation,
                   watched=True)  # fmt: skip

    def ask_places(self, folder: Path, names: tuple[str, str] | None = None) -> tuple[Patch, Patch] | None:
        """Two places in the first frame, a near and a far thing; None where that is given up."""
        from verispect.prove.desk import eight_bits
        from verispect.prove.intake import described, in_order
        from verispect.prove.taken_in.folders import frames_in
        from verispect.ui.panels.stations.two_places import TwoPlaces

        first = in_order([described(path) for path in frames_in([folder])])[0]
        asking = TwoPlaces(self._window, eight_bits(first.path), names)
        return asking.places() if asking.exec() else None

    def _tell(self, found: Any, which: int) -> None:
        from verispect.prove.trials.lens_report import report_lines

        self._found = found
        if which == LENS:
            rows = [
                self.tr("f/{0:g} {1}: {2:.0f} ± {3:.0f} lines/mm, own blur {4:.1f} µm").format(
                    row.f_number, row.zone.value, row.mtf50, row.plus_minus, row.blur_um
                )
                for row in found.test.stops
            ]
            text, takes = "\n".join([*rows, *report_lines(found)]), bool(found.test.stops)
        elif which == SETTLE:
            text = (
                self.tr("Nothing swings by more than {0:g} px.").format(found.within_px)
                if math.isinf(found.decay_s)
                else self.tr(
                    "Still within {0:g} px after {1:.2f} ± {2:.2f} s; at first it swings {3:.1f} px."
                ).format(found.within_px, found.settle_s, found.plus_minus_s, found.first_px)
            )
            takes = True
        elif which == RECYCLE:
            text = (
                self.tr("Full after every wait, the shortest {0:.2f} s: fire faster to find the least.")
                if found.always_full
                else self.tr("Full again after {0:.2f} s, at the most {1:.2f} s sooner.")
            ).format(found.recycle_s, found.plus_minus_s)
            takes = True
        elif which == TILT:
            reads = self._page.values_of(TiltValues).scale_deg
            text = self.tr(
                "The lens leans {0:+.2f}° forward and {1:+.2f}° to the right, ± {2:.2f}°; its scale reads {3:+.2f}°."
            ).format(found.tilt_deg, found.swing_deg, found.plus_minus_deg, reads)
            takes = True
        elif which == CLOSE:
            text, takes = (
                self.tr("Magnification {0:.3f} ± {1:.3f} at its closest.").format(
                    found.magnification, found.plus_minus
                ),
                True,
            )
        elif which == PUPIL:
            text, takes = self._told_pupil(found), self._page.values_of(PupilValues).axis_behind_front_mm is not None
        else:
            text = self.tr("One unit of the number is {0:.3f} ± {1:.3f} of the depth of focus, by {2}.").format(
                found.per_step_of_depth, found.plus_minus, found.how
            )
            if found.no_nearer_m is not None:
                text += " " + self.tr(
                    "Taken that nothing nearer than {0:.2f} m was focused on: the distance of one end makes it surer."
                ).format(found.no_nearer_m)
            takes = True
        self._page.show_result(text, takes=takes)

    def _told_pupil(self, found: Any) -> str:
        way = (
            self.tr("The entrance pupil lies {0:.1f} ± {1:.1f} mm ahead of the axis: move the camera back so far.")
            if found.ahead_mm > 0.0
            else self.tr("The entrance pupil lies {0:.1f} ± {1:.1f} mm behind the axis: move the camera forward so "
                         "far.")
        ).format(abs(found.ahead_mm), found.plus_minus_mm)  # fmt: skip
        lines = [way, self.tr("The field is {0:.2f}° wide.").format(found.field_deg)]
        if found.focal_mm is not None:
            lines.append(
                self.tr("Focal length {0:.2f} ± {1:.2f} mm.").format(found.focal_mm, found.focal_plus_minus_mm)
            )
        return "\n".join(lines)

    def take(self) -> None:
        """Put what was found into the kit."""
        from verispect.prove.trials import close_test, lens_report, recycle_test
        from verispect.prove.trials.pupil_test import PupilTest
        from verispect.prove.trials.settle_test import SettleTest, kept_in_kit
        from verispect.prove.trials.tilt_test import TiltTest, kept_in_lens

        found, kit = self._found, self._document.plan.kit
        if isinstance(found, SettleTest):
            lens = self._panel.current_lens
            kit = kept_in_kit(found, kit, None if lens is None else lens.only_focal_mm)
            self._document.update(self.tr("measured settling time"), kit=kit)
            self._page.show_result(self.tr("Kept: settle {0:g} s.").format(kit.times.settle_s), takes=False)
            return
        if isinstance(found, recycle_test.RecycleTest):
            kit = recycle_test.kept_in_kit(found, kit)
            self._document.update(self.tr("measured recycling time"), kit=kit)
            self._page.show_result(
                self.tr("Kept: the flash takes {0:g} s.").format(kit.times.flash_recycle_s), takes=False
            )
            return
        lens = next((lens for lens in kit.lenses if lens.name == self._tested), None)
        if lens is None or found is None:
            self._page.show_result(self.tr("The lens that was tested is no longer in the kit."), takes=False)
            return
        if isinstance(found, lens_report.LensReport):
            update: dict[str, Any] = lens_report.kept_in_lens(found, lens)
        elif isinstance(found, TiltTest):
            update = kept_in_lens(found, self._page.values_of(TiltValues).scale_deg)
        elif isinstance(found, close_test.CloseTest):
            update = close_test.kept_in_lens(found, lens)
        elif isinstance(found, PupilTest):
            behind = self._page.values_of(PupilValues).axis_behind_front_mm
            if behind is None:
                return
            update = {"pupil_behind_front_mm": round(behind - found.ahead_mm, 1)}
        else:
            circle = self._document.plan.criterion(self._document.plan.whole_focal_mm).disc_mm
            update = {"focus_step": {"per_step_of_depth": found.per_step_of_depth, "plus_minus": found.plus_minus,
                                     "circle_mm": circle}}  # fmt: skip
        new = Lens.model_validate(lens.model_dump() | update).as_measured(*update)
        lenses = tuple(new if own is lens else own for own in kit.lenses)
        self._document.update(self.tr("measured lens"), kit=kit.model_copy(update={"lenses": lenses}))
        self._page.show_result(self.tr("Kept in {0}.").format(lens.name), takes=False)

    def stop(self) -> None:
        """Give up what is under way."""
        if self._job is not None:
            self._job.give_up()

    def _over(self) -> None:
        self._job = None
        self._page.show_busy(None)

    def close(self) -> None:
        """The window closes."""
        self.stop()
