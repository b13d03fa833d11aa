"""Weigh: what is wanted of the final picture, what is advised and why, and how every method stands."""

from __future__ import annotations

import html
import math
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QGroupBox, QLabel, QPushButton, QTabWidget, QTextBrowser, QVBoxLayout, QWidget

from verispect.optics.criterion import Rule
from verispect.optics.f_stops import marked
from verispect.plan.assess.costs import cost_notes, costs_of
from verispect.plan.assess.focus_schools import FEWEST_WAYS, for_a_trial
from verispect.plan.document import DetailFrom, ManualSetting
from verispect.plan.explain.search_note import searched
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import method_of
from verispect.sentence import Sentence
from verispect.ui.controls.lengths import format_length
from verispect.ui.controls.model_form import ModelForm, Spec
from verispect.ui.controls.theme import Theme
from verispect.ui.controls.translate import counted_frames, heading, say
from verispect.ui.panels.compare import ComparePage
from verispect.ui.panels.two_methods import BesidePage
from verispect.ui.state.plan_document import PlanDocument, with_choice

if TYPE_CHECKING:
    from verispect.plan.advise.follow_up import Further
    from verispect.plan.advise.weigh import Weighing


class WeighPanel(QTabWidget):
    """The wish with the reasons; all methods in a table; two of them side by side."""

    advised_wanted = pyqtSignal()
    method_wanted = pyqtSignal(str)

    def __init__(self, document: PlanDocument, system: Any) -> None:
        super().__init__()
        self._system = system
        self.wish_form = ModelForm(self._specs(), system, columns=2)
        self.wish_form.edited.connect(
            lambda wish, what: document.update(self.tr("change of {0}").format(what), wish=wish)
        )
        self.light_form = ModelForm(self._light_specs(), system, columns=2)
        for form in (self.wish_form, self.light_form):
            form.line_up(label_px=110, unit_px=30, columns=2)
        self.light_form.edited.connect(
            lambda light, what: document.update(self.tr("change of {0}").format(what), light=light)
        )
        self.text = QTextBrowser()
        self.text.setAccessibleName(self.tr("Reasons"))
        self.text.setOpenLinks(False)
        self.text.anchorClicked.connect(lambda link: self._draw_school(link.toString()))
        self.take_button = QPushButton(self.tr("&Take the advised method"))
        self.take_button.clicked.connect(self.advised_wanted)
        self._criterion = QLabel()
        self._criterion.setWordWrap(True)
        self._criterion.setProperty("quiet", True)
        wish = QGroupBox(self.tr("The final picture, and what counts as sharp in it"))
        inside = QVBoxLayout(wish)
        inside.setContentsMargins(0, 4, 0, 0)
        inside.setSpacing(2)
        inside.addWidget(self.wish_form)
        inside.addWidget(self.light_form)
        inside.addWidget(self._criterion)
        self._further: Further | None = None
        self._complaint = ""
        self._weighing: Weighing | None = None
        self.compare, self.beside = ComparePage(), BesidePage()
        self.compare.chosen.connect(self.method_wanted)
        self.setDocumentMode(True)
        self.setAccessibleName(self.tr("Weigh"))
        first = QWidget()
        page = QVBoxLayout(first)
        page.setContentsMargins(0, 0, 0, 0)
        page.addWidget(wish)
        page.addWidget(self.text, 1)
        page.addWidget(self.take_button)
        for widget, title in (
            (first, self.tr("Wish and advice")),
            (self.compare, self.tr("All methods")),
            (self.beside, self.tr("Side by side")),
        ):
            place = QWidget()
            layout = QVBoxLayout(place)
            layout.setContentsMargins(10, 0, 10, 8)
            layout.addWidget(widget)
            self.addTab(place, title)
        self._document = document
        document.changed.connect(self.refresh)

    def _specs(self) -> list[Spec]:
        return [
            Spec("print_mm", self.tr("Print"), "pair", "mm"),
            Spec("viewing_mm", self.tr("Viewing distance"), unit="mm"),
            Spec("detail_from", self.tr("Detail"), "choice",
                 hint=self.tr("Where the finest detail is to be seen"),
                 choices=(("print", self.tr("on the print")), ("screen", self.tr("on a screen")),
                          ("sensor", self.tr("the sensor's finest")))),
            Spec("line_pairs_per_mm", self.tr("Finest lines"), "optional", "/mm",
                 self.tr("Line pairs per mm on the print; empty: what the eye sees from there (2 arcmin)")),
            Spec("screen_pixels", self.tr("Screen"), unit="px", hint=self.tr("Pixels of its long side")),
            Spec("pixels_per_line_pair", self.tr("Pixels per pair"), unit="px",
                 hint=self.tr("Pixels per light-dark pair; 2 is the least that can show one")),
            Spec("contrast_floor", self.tr("Faintest contrast"),
                 hint=self.tr("Of that detail, that still counts as sharp, 0 to 1; 0.2 is usual")),
            Spec("rule", self.tr("Judge by"), "choice",
                 hint=self.tr("All effects: contrast by the wave; quick sum: blur, diffraction, pixel in quadrature "
                              "(root-sum); defocus only: blur against a circle (disc)"),
                 choices=(("wave", self.tr("all effects")), ("root-sum", self.tr("quick sum")),
                          ("disc", self.tr("defocus only")))),
            Spec("series_covers", self.tr("Series covers"), "choice",
                 hint=self.tr("Covers everything from near to far, or looks at the marks only"),
                 choices=(("range", self.tr("all, no gaps")), ("marks", self.tr("the marks alone")))),
            Spec("spare_near", self.tr("Spare, near"), hint=self.tr("Frames of a series before its nearest one")),
            Spec("spare_far", self.tr("Spare, far"), hint=self.tr("Frames of a series beyond its farthest one")),
            Spec("last_at_infinity", self.tr("Series ends"), "choice",
                 choices=((False, self.tr("where it may")), (True, self.tr("at infinity")))),
            Spec("priority", self.tr("Prefer"), "choice", hint=self.tr("What matters most"),
                 choices=(("least frames", self.tr("least frames")), ("least time", self.tr("least time")),
                          ("most detail", self.tr("most detail")),
                          ("least risk from movement", self.tr("least movement")),
                          ("least computer work", self.tr("least merging")))),
            Spec("least_probability", self.tr("Must work in"), "percent", self.tr("of 100"),
                 hint=self.tr("Of 100 tries with your ±, so many must be sharp throughout; 0 asks for none")),
            Spec("overlap", self.tr("Overlap"), hint=self.tr("Of grid neighbours, as a share of a frame")),
            Spec("falloff_stops", self.tr("Dark corners"), "optional", self.tr("stops"),
                 self.tr("Most light that a shifted frame may lose in its farthest corner; empty: any")),
            Spec("noise_ratio", self.tr("Over noise"), "optional", "×",
                 self.tr("How far a mid-grey patch of one line pair must stand above its noise; empty: not asked")),
            Spec("circle_mm", self.tr("Blur circle"), "optional", "mm",
                 self.tr("Allowed on the sensor; empty: what print, distance and contrast ask for")),
        ]  # fmt: skip

    def _light_specs(self) -> list[Spec]:
        return [
            Spec("ev100", self.tr("Brightness"), unit="EV",
                 hint=self.tr("Exposure value at ISO 100; bright sun 15, overcast 12")),
            Spec("ev100_plus_minus", self.tr("Brightness ±"), unit="EV",
                 hint=self.tr("Almost surely within (95 %); it tells on what moves")),
            Spec("sky_declination_deg", self.tr("Stars, Moon at"), "optional", "°",
                 self.tr("Stars or Moon in the picture: their declination; empty: none")),
        ]  # fmt: skip

    def refresh(self) -> None:
        """Show the plan's wish."""
        plan = self._document.plan
        self.wish_form.show_model(plan.wish)
        source = plan.wish.detail_from
        for key, used in (
            ("viewing_mm", source == DetailFrom.PRINT),
            ("line_pairs_per_mm", source == DetailFrom.PRINT),
            ("screen_pixels", source == DetailFrom.SCREEN),
            ("pixels_per_line_pair", source != DetailFrom.PRINT),
            ("circle_mm", plan.wish.rule != Rule.WAVE),
        ):
            self.wish_form.set_shown(key, used)
        self.light_form.show_model(plan.light)

    def show_weighing(self, weighing: Weighing | None, complaint: str) -> None:
        """Show reasons and every method's state, or what hinders weighing."""
        self.take_button.setEnabled(weighing is not None and weighing.advised is not None)
        self._weighing, self._further, self._complaint = weighing, None, complaint
        self.compare.show_weighing(weighing)
        self.beside.show_weighing(weighing)
        self._write()

    def show_further(self, found: Further) -> None:
        """Ways out and what would change the advice, once they are worked out."""
        self._further = found
        self._write()

    def showEvent(self, event: QShowEvent | None) -> None:
        """What was not written while nobody looked."""
        super().showEvent(event)
        self._write()

    def apply_theme(self, theme: Theme) -> None:
        """Pictures in a theme's colours."""
        self.compare.apply_theme(theme)
        self.beside.apply_theme(theme)

    def _write(self) -> None:
        if not self.isVisible():
            return
        weighing = self._weighing
        place = self.text.verticalScrollBar().value()
        if weighing is None:
            self.text.setHtml(f"<p>{html.escape(self._complaint)}</p>")
            return
        plan = weighing.scene.plan
        criterion = plan.criterion(plan.whole_focal_mm)
        self._criterion.setText(
            self.tr("That is {0:.1f} cycles/mm on the sensor; circle of confusion {1:.1f} µm").format(
                criterion.frequency, criterion.disc_mm * 1000.0
            )
        )
        name = say(Sentence(method_of(weighing.advised).name)) if weighing.advised else self.tr("Nothing")
        parts = [f"<p>{heading(self.tr('Advised: {0}').format(name))}</p>"]
        parts.extend(f"<p>{html.escape(say(reason))}.</p>" for reason in weighing.because)
        if self._further is not None:
            parts.extend(self._beyond(self._further))
        parts.extend(self._method(candidate) for candidate in weighing.candidates)
        parts.append(self._schools(weighing))
        self.text.setHtml("".join(parts))
        self.text.verticalScrollBar().setValue(place)

    def _draw_school(self, link: str) -> None:
        """Take a school's focus and stop by hand, so that the drawings and every mark show what it does."""
        weighing, number = self._weighing, link.rpartition(":")[2]
        if weighing is None or not number.isdigit() or int(number) >= len(weighing.schools):
            return
        school, lens = weighing.schools[int(number)], weighing.by_key("one-frame").lens
        if lens is None or not math.isfinite(school.image_mm):
            return
        setting = ManualSetting(lens=lens.name, image_distance_mm=school.image_mm, f_number=school.f_number)
        plan = with_choice(self._document.plan, method="one-frame", manual=setting)
        self._document.change(plan, self.tr("focus of a school"))

    def _beyond(self, found: Further) -> list[str]:
        parts = []
        for title, told in (
            (self.tr("What would change this"), list(found.changes)),
            (self.tr("Other ways to one frame"), [way.told for way in found.ways]),
        ):
            if told:
                parts.append(f"<p>{heading(title)}</p>")
                parts.extend(f"<p>{html.escape(say(sentence))}.</p>" for sentence in told)
        return parts

    def _schools(self, weighing: Weighing) -> str:
        """Where to focus one frame: the schools and what they leave of the softest must."""
        if not weighing.schools:
            return ""
        system = self._system()
        rows = []
        for number, school in enumerate(weighing.schools):
            distance = math.inf if school.object_mm is None else school.object_mm / 1000.0
            worst = f"{school.worst:.2f}" if np.isfinite(school.worst) else f"∞ ({school.contrast:.2f})"
            state = self.tr("holds") if school.worst <= 1.0 else self.tr("too soft")
            cells = (say(school.name), format_length(distance, system), f"f/{marked(school.f_number)}", worst, state)
            line = "".join(f"<td>{html.escape(cell)}&nbsp;&nbsp;</td>" for cell in cells)
            can = math.isfinite(school.image_mm)
            link = f'<a href="school:{number}">{html.escape(self.tr("draw it"))}</a>' if can else ""
            rows.append(f"<tr>{line}<td>{link}</td></tr>")
        title = heading(self.tr("Where to focus one frame: the schools on these marks"))
        note = self.tr(
            "From the lens, each at its own best stop; last the softest must over what is allowed, or in brackets "
            "its contrast where not even perfect focus would do at that stop."
        )
        # Where the single frame's own stop is known the ways may be tried on one's own frames.
        trial = self._trial(weighing, system)
        return f"<p>{title}<br>{note}</p><table>{''.join(rows)}</table>{trial}"

    def _trial(self, weighing: Weighing, system: str) -> str:
        """What to take to see which way of focusing serves best."""
        frame = weighing.by_key("one-frame")
        if frame.problem is None or not frame.exposures:
            return ""
        stop = frame.exposures[0].state.f_number
        tried = [exposure.focus_m for _, exposure in for_a_trial(frame.problem, weighing.schools, stop)]
        if len(tried) < FEWEST_WAYS:
            return ""
        told = self.tr(
            "To see it on your own frames, take one at each of {0} by the lens's scale, all at f/{1} and in this "
            "order; then, at Prove, Side by side, “Which focus served best”."
        ).format(
            ", ".join(format_length(away, system) for away in tried),
            marked(stop),
        )
        return f"<p>{html.escape(told)}</p>"

    def _method(self, candidate: Candidate) -> str:
        name = heading(say(Sentence(candidate.method.name)))
        if not candidate.fits:
            reasons = "<br>".join(html.escape(say(reason)) for reason in candidate.why_not)
            return f"<p>{name} · {self.tr('does not fit')}<br>{reasons}.</p>"
        tried = f"<br>{html.escape(say(searched(candidate)))}."
        worst = candidate.worst_softness
        state = self.tr("holds") if candidate.holds else self.tr("does not hold")
        softness = f"{worst:.2f}" if np.isfinite(worst) else "∞"
        lens = html.escape(candidate.lens.name) if candidate.lens else ""
        width, height = candidate.final_pixels
        figures = self.tr("{0} at {1:.4g} mm · {2} · softest must {3} · {4} × {5} pixels").format(
            lens,
            candidate.focal_mm,
            counted_frames(candidate.frame_count, candidate.shot_count),
            softness,
            width,
            height,
        )
        if candidate.confidence is not None:
            figures += self.tr(" · holds in {0:.0f} of 100 tries").format(100.0 * candidate.confidence.holds)
        costs = cost_notes(candidate, costs_of(candidate))
        notes = "".join(f"<br>{html.escape(say(note))}." for note in (*candidate.notes, *costs))
        return f"<p>{name} · {state}<br>{figures}{notes}{tried}</p>"
