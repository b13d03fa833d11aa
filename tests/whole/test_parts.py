"""Parts of the window that need no window: lengths, colours, words, documents, the weigher."""

from __future__ import annotations

import math
import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import ROOT, make_plan
from verispect.quantities import parse_length_m
from verispect.sentence import Sentence
from verispect.ui.controls.lengths import format_length
from verispect.ui.controls.theme import THEMES, contrast_ratio
from verispect.ui.controls.translate import say
from verispect.ui.state.plan_document import PlanDocument, with_mark
from verispect.ui.work.weigher import Weigher
from verispect.ui.work.weighing_process import PROCESS


@given(st.floats(-5000, 5000))
def test_metric_writing_reads_back_to_what_a_tape_can_set(metres: float) -> None:
    back = parse_length_m(format_length(metres))
    assert back == pytest.approx(metres, rel=0.012, abs=6e-4)


@given(st.floats(0.001, 300.0))
def test_imperial_writing_reads_back(metres: float) -> None:
    back = parse_length_m(format_length(metres, "imperial"))
    assert back == pytest.approx(metres, rel=0.01, abs=0.0065)


def test_infinity_is_written_as_such() -> None:
    assert format_length(math.inf) == "∞"


@pytest.mark.parametrize("theme", THEMES.values(), ids=lambda theme: theme.name)
def test_text_has_contrast_of_4_5_and_greys_no_cast_in_the_light(theme) -> None:
    # WCAG 2.1, success criterion 1.4.3.
    for ground in (theme.ground, theme.panel, theme.field):
        for ink in (theme.ink, theme.faint, theme.sharp, theme.hand):
            assert contrast_ratio(ink, ground) >= 4.5, (ink, ground)
    assert contrast_ratio(theme.on_strong, theme.sharp) >= 4.5
    if theme.name == "light":
        for grey in (theme.ground, theme.panel, theme.field, theme.ink, theme.faint, theme.line):
            assert len({grey[k : k + 2] for k in (1, 3, 5)}) == 1


def test_contrast_ratio_of_black_on_white_is_21() -> None:
    assert contrast_ratio("#000000", "#ffffff") == pytest.approx(21.0)


def test_sentences_fill_sentences() -> None:
    inner = Sentence("Tilt")
    assert say(Sentence("{method} holds in {n} frames", {"method": inner, "n": 3})) == "Tilt holds in 3 frames"


def test_every_word_of_the_window_goes_through_translation() -> None:
    # Words given straight to a widget would stay English in every language.
    straight = re.compile(
        r"(?:QLabel|QPushButton|QGroupBox|QCheckBox|setText|setToolTip|addMenu)\(\s*[\"']([A-Za-z][^\"']*)"
    )
    for path in (ROOT / "src" / "verispect" / "ui").rglob("*.py"):
        assert not straight.findall(path.read_text(encoding="utf-8")), path


def test_core_sentences_translate_by_their_template(qapp) -> None:
    from PyQt6.QtCore import QCoreApplication, QTranslator

    class German(QTranslator):
        def isEmpty(self) -> bool:  # noqa: N802
            return False

        def translate(self, context, source, disambiguation=None, n=-1):
            return "{lens} schwenkt nicht" if (context, source) == ("core", "{lens} does not tilt") else ""

    german = German()
    QCoreApplication.installTranslator(german)
    try:
        assert say(Sentence("{lens} does not tilt", {"lens": "35"})) == "35 schwenkt nicht"
    finally:
        QCoreApplication.removeTranslator(german)


def test_document_changes_only_through_the_stack(qapp) -> None:
    document = PlanDocument()
    document.open(make_plan([(0, 1, 2)]), Path("a"))
    before = document.plan
    document.change(with_mark(before, 0, z_m=5.0), "move")
    assert document.plan.marks[0].z_m == 5.0
    document.change(document.plan, "nothing")
    assert document.undo_stack.count() == 1
    document.undo_stack.undo()
    assert document.plan is before


def test_preview_is_shown_but_not_kept(qapp) -> None:
    document = PlanDocument()
    document.open(make_plan([(0, 1, 2)]), None)
    document.preview(with_mark(document.plan, 0, z_m=5.0))
    assert document.shown.marks[0].z_m == 5.0
    assert document.plan.marks[0].z_m == 2.0
    document.change(document.plan, "given up")
    assert document.shown is document.plan


def test_weigher_gives_the_newest_plan_last(qtbot) -> None:
    weigher, results = Weigher(), []
    weigher.release()
    weigher.weighed.connect(lambda weighing, plan: results.append((weighing, plan)))
    plans = [make_plan([(0, 1.5, 2.0 + k)]) for k in range(6)]
    for plan in plans:
        weigher.request(plan)
    qtbot.waitUntil(weigher.idle, timeout=20_000)
    weighing, plan = results[-1]
    assert plan is plans[-1]
    assert weighing.scene.plan == plan
    assert len(results) < 6
    weigher.close()


def test_weigher_says_why_a_plan_cannot_be_weighed(qtbot) -> None:
    weigher = Weigher()
    weigher.release()
    with qtbot.waitSignal(weigher.failed, timeout=20_000) as caught:
        weigher.request(make_plan([(0, 1.5, -2.0)]))
    assert "behind the lens" in caught.args[0]
    weigher.close()


def test_weigher_closed_while_at_work_says_nothing_more(qtbot) -> None:
    weigher, results = Weigher(), []
    weigher.release()
    weigher.weighed.connect(lambda *result: results.append(result))
    weigher.request(make_plan([(0, 1.5, 2.0), (0, 1.5, 90.0)]))
    future = weigher._future
    weigher.close()
    assert weigher.idle()
    qtbot.waitUntil(future.done, timeout=20_000)
    assert not results


def test_a_weighing_process_that_dies_is_said_and_replaced(qtbot) -> None:
    weigher = Weigher()
    weigher.release()
    with qtbot.waitSignal(weigher.weighed, timeout=20_000):
        weigher.request(make_plan([(0, 1.5, 2.0)]))
    with qtbot.waitSignal(weigher.failed, timeout=20_000) as caught:
        weigher.request(make_plan([(0, 1.5, 2.0 + k) for k in range(300)]))
        for process in PROCESS._worker.processes():
            process.kill()
    assert "broke off" in caught.args[0]
    with qtbot.waitSignal(weigher.weighed, timeout=20_000):
        weigher.request(make_plan([(0, 1.5, 3.0)]))
    weigher.close()


def test_a_plan_that_was_weighed_before_is_there_at_once(qtbot) -> None:
    """Undone, done again or opened anew: an equal plan, read into other objects, comes back without a weighing."""
    plan, other = make_plan([(0, 1.5, 2.0), (0, 1.5, 2.5)]), make_plan([(0, 1.5, 2.0), (0, 1.5, 9.0)])
    first = PROCESS.submit(plan)[1].result(timeout=30)[0]
    PROCESS.submit(other)[1].result(timeout=30)
    again, _ = PROCESS.submit(make_plan([(0, 1.5, 2.0), (0, 1.5, 2.5)]))
    assert PROCESS.share_done(again) == 0.0
    weighing = PROCESS.submit(plan)[1].result(timeout=30)[0]
    assert PROCESS.share_done(again) == PROCESS.share_done(again + 1) == 0.0, "nothing was worked out"
    assert [c.key for c in weighing.candidates] == [c.key for c in first.candidates]
    assert [c.worst_softness for c in weighing.candidates] == [c.worst_softness for c in first.candidates]
    # What comes after the advice is that of the plan last asked for.
    number, future = PROCESS.submit(other)
    advised = future.result(timeout=30)[0].advised
    found = PROCESS.submit_further(number)[1].result(timeout=60)
    assert advised is None or found is not None


def test_errors_and_complaints_are_said_in_the_language_of_the_window(qapp, qtbot) -> None:
    """A translator that knows the templates: the values are put into its words."""
    from pydantic import ValidationError
    from PyQt6.QtCore import QTranslator

    from verispect.errors import PlanError
    from verispect.subject.mark import Mark
    from verispect.ui.controls.model_form import complaint_of
    from verispect.ui.controls.translate import say_error

    class Loud(QTranslator):
        def translate(self, context: str, source: str, _about: str = "", _count: int = -1) -> str:
            return source.upper().replace("{KEY}", "{key}").replace("{FOUND}", "{found}").replace(
                "{RIGHT}", "{right}").replace("{GT:G}", "{gt:g}").replace("{MESSAGE}", "{message}"
            ) if context == "core" else ""  # fmt: skip

    translator = Loud()
    qapp.installTranslator(translator)
    try:
        assert say_error(PlanError("marks", "nothing", "add one")) == "marks: FOUND NOTHING; ADD ONE"
        with pytest.raises(ValidationError) as caught:
            Mark(name="a", x_m=0, y_m=0, z_m=1, weight=-1)
        assert complaint_of(caught.value) == "-1: SHOULD BE GREATER THAN 0"
    finally:
        qapp.removeTranslator(translator)
