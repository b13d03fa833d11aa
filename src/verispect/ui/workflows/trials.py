"""Tests of the kit run beside the window, and kept in it when wanted."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QWidget

from verispect.kit.lens import Lens
from verispect.ui.panels.stations.trials import LENS, SETTLE, TrialsPage
from verispect.ui.state.notices import Notices
from verispect.ui.state.plan_document import PlanDocument
from verispect.ui.work.job import Job

if TYPE_CHECKING:
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
        self._page.stop_wanted.connect(self.stop)
        self._page.taking_wanted.connect(self.take)

    def choose(self) -> None:
        """Ask for a folder and test."""
        name = QFileDialog.getExistingDirectory(self._window, self.tr("The folder with the frames"))
        if name:
            self.test(Path(name))

    def test(self, folder: Path) -> None:
        """Run the chosen test on a folder's frames."""
        from verispect.prove.desk import StepRun, lens_test_in, settle_test_in, step_test_in

        if self._job is not None:
            return
        page, plan, which = self._page, self._document.plan, self._page.what.currentIndex()
        lens = self._panel.current_lens
        self._tested = None if lens is None or which == SETTLE else lens.name
        if lens is None and which != SETTLE:
            self._notices.say(self.tr("Add the lens to the kit first, then test it."))
            return
        if which == LENS:
            lights = plan.criterion(plan.whole_focal_mm).lights
            job = Job(self, lens_test_in, folder, lights, plan.kit.body.pixel_mm, watched=True)
        elif which == SETTLE:
            values = page.settle_values
            job = Job(self, settle_test_in, folder, values.within_px, values.frames_per_s, watched=True)
        else:
            assert lens is not None
            run = StepRun(
                page.step_values.stop, page.step_values.step, lens.focal_mm[0],
                plan.criterion(plan.whole_focal_mm).disc_mm,
            )  # fmt: skip
            job = Job(self, step_test_in, folder, run, lens.pupil_magnification, lens.principal_separation_mm,
                      watched=True)  # fmt: skip
        self._job, self._found = job, None
        page.show_result("", takes=False)
        page.show_busy(0.0)
        job.progress.connect(page.show_busy)
        job.failed.connect(lambda why: page.show_result(why, takes=False))
        job.done.connect(lambda found: self._tell(found, which))
        job.ended.connect(self._over)

    def _tell(self, found: Any, which: int) -> None:
        self._found = found
        if which == LENS:
            rows = [
                self.tr("f/{0:g} {1}: {2:.0f} ± {3:.0f} lines/mm, own blur {4:.1f} µm").format(
                    row.f_number, row.zone.value, row.mtf50, row.plus_minus, row.blur_um
                )
                for row in found.stops
            ]
            best = ", ".join(f"{zone} f/{stop:g}" for zone, stop in found.best_stop.items())
            text, takes = "\n".join([*rows, self.tr("best: {0}").format(best)]), bool(found.stops)
        elif which == SETTLE:
            text = (
                self.tr("Nothing swings by more than {0:g} px.").format(found.within_px)
                if math.isinf(found.decay_s)
                else self.tr(
                    "Still within {0:g} px after {1:.2f} ± {2:.2f} s; at first it swings {3:.1f} px."
                ).format(found.within_px, found.settle_s, found.plus_minus_s, found.first_px)
            )
            takes = True
        else:
            text = self.tr("One unit of the number is {0:.3f} ± {1:.3f} of the depth of focus, by {2}.").format(
                found.per_step_of_depth, found.plus_minus, found.how
            )
            takes = True
        self._page.show_result(text, takes=takes)

    def take(self) -> None:
        """Put what was found into the kit."""
        from verispect.prove.trials.lens_test import LensTest, residual_rows
        from verispect.prove.trials.settle_test import SettleTest

        found, kit = self._found, self._document.plan.kit
        if isinstance(found, SettleTest):
            settle = round(found.settle_s + found.plus_minus_s, 2)
            kit = kit.model_copy(update={"times": kit.times.model_copy(update={"settle_s": settle})})
            self._document.update(self.tr("measured settling time"), kit=kit)
            self._page.show_result(self.tr("Kept: settle {0:g} s.").format(settle), takes=False)
            return
        lens = next((lens for lens in kit.lenses if lens.name == self._tested), None)
        if lens is None or found is None:
            self._page.show_result(self.tr("The lens that was tested is no longer in the kit."), takes=False)
            return
        if isinstance(found, LensTest):
            update: dict[str, Any] = {"residual": residual_rows(found)}
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
