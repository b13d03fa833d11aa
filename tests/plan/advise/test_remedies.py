"""Where nothing holds: every change that is named is made and weighed, and a little less is not enough."""

from __future__ import annotations

import re

import pytest

from tests.conftest import a_lens, make_plan
from verispect.plan.advise.remedies import eased, holds_with
from verispect.plan.advise.weigh import Weighing, weigh
from verispect.plan.document import Plan
from verispect.plan.methods.method import ONE_FRAME
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene

PLAIN = a_lens(24.0, tilt_deg=0.0, shift_mm=0.0)


def lost(places=((0.0, 1.5, 0.6), (0.2, 1.5, 4.0), (0.5, 1.0, 60.0)), **wish) -> Weighing:
    """Nothing holds: one stop only, no movements, no head, and a rule that knows no diffraction."""
    plan = make_plan(list(places), lenses=[PLAIN | {"f_numbers": [8, 8]}], rule="disc", **wish)
    data = plan.model_dump(mode="json", by_alias=True)
    data["kit"]["head"] = None
    data["marks"][0]["weight"] = 1.0
    return weigh(Plan.model_validate(data))


def told(weighing: Weighing, word: str) -> str:
    return next((str(reason) for reason in weighing.because if word in str(reason)), "")


def single(monkeypatch) -> None:
    """Without the series, which would hold."""
    monkeypatch.setattr("verispect.plan.advise.weigh.METHODS", (ONE_FRAME,))
    monkeypatch.setattr("verispect.plan.advise.weigh._PIECES", ((ONE_FRAME.key,),))


@pytest.mark.parametrize("wish", [{}, {"line_pairs_per_mm": 4.0}, {"detail_from": "sensor"}])
def test_easing_that_is_named_is_the_least(monkeypatch, wish) -> None:
    single(monkeypatch)
    weighing = lost(**wish)
    assert not weighing.by_key("one-frame").holds
    word = "pixels" if "detail_from" in wish else "per mm on the print" if wish else "Seen from"
    sentence = told(weighing, word)
    value = float(re.search(r"[\d.]+", sentence)[0])
    plan = weighing.scene.plan
    base = {"pixels": plan.wish.pixels_per_line_pair, "Seen from": plan.wish.viewing_mm}
    times = value / base[word] if word in base else plan.wish.line_pairs_per_mm / value
    for factor, holds in ((times * 1.03, True), (times * 0.95, False)):
        eased_plan = plan.model_copy(update={"wish": eased(plan.wish, factor)})
        assert worked("one-frame", build_scene(eased_plan)).holds == holds


def test_letting_go_is_named_where_it_helps(monkeypatch) -> None:
    single(monkeypatch)
    weighing = lost(((0.0, 1.5, 0.6), (0.2, 1.5, 8.0), (0.5, 1.0, 9.0)))
    sentence = told(weighing, "may be soft")
    assert sentence
    name = sentence.split()[1]
    plan = weighing.scene.plan
    marks = tuple(m.model_copy(update={"need": "may"}) if m.name == name else m for m in plan.marks)
    assert worked("one-frame", build_scene(plan.model_copy(update={"marks": marks}))).holds


def test_nothing_is_named_where_something_holds() -> None:
    weighing = weigh(make_plan([(0, 1.5, 3.0), (0, 1.5, 3.2)]))
    assert weighing.by_key("one-frame").holds
    assert not told(weighing, "Seen from")


@pytest.mark.parametrize("side", [(1.0, 0.0), (0.0, -1.0)])
def test_a_must_on_no_frame_is_told_what_brings_it_in_by_numbers(side) -> None:
    """At an eighth of life size the frame ends before the picture does; the mark lies between."""
    away, focal = 0.4, 50.0
    image = focal * away * 1000 / (away * 1000 - focal)
    half = (18.0, 12.0)
    at = [0.97 * s * h / focal * away for s, h in zip(side, half, strict=True)]
    assert any(abs(a) > h / image * away for a, h in zip(at, half, strict=True))
    lens = a_lens(focal, f_numbers=[4, 16], tilt_deg=0, shift_mm=0, closest_m=0.3)
    plan = make_plan([(0.0, 1.5, away), (at[0], 1.5 + at[1], away)], framing=focal, lenses=[lens])
    weighing = weigh(plan)
    wider = re.search(r"Framed wider, as by ([\d.]+) mm, .* holds", told(weighing, "Framed wider"))
    assert wider is None or float(wider[1]) < focal
    words = told(weighing, "With the camera")
    turn, pitch = (
        float(found[1].replace("−", "-")) if (found := re.search(rf"{way} by ([+−][\d.]+)°", words)) else 0.0
        for way in ("turned", "pitched")
    )
    assert turn or pitch
    camera = plan.camera.model_copy(update={"bearing_deg": turn, "pitch_deg": pitch})
    moved = weigh(plan.model_copy(update={"camera": camera}))
    assert any(candidate.holds for candidate in moved.candidates)
    assert (turn > 0.0) == (side[0] > 0.0)
    assert (pitch < 0.0) == (side[1] < 0.0)


@pytest.mark.parametrize("times", [0.5, 1.0, 2.0])
def test_whether_the_musts_hold_does_not_hang_on_what_comes_after_them(times) -> None:
    """Asked with and without a should and a thing wanted soft, of every method."""
    plan = make_plan([(0.0, 1.5, 1.2), (0.2, 1.5, 4.0), (0.5, 1.0, 60.0), (0.1, 1.2, 1.0), (-0.3, 1.5, 2.0)],
                     lenses=[a_lens(24.0)])  # fmt: skip
    needs = ("must", "must", "must", "should", "soft")
    marks = tuple(mark.model_copy(update={"need": need}) for mark, need in zip(plan.marks, needs, strict=True))
    plan = plan.model_copy(update={"marks": marks, "wish": eased(plan.wish, times)})
    for candidate in weigh(plan).candidates:
        assert holds_with(plan, candidate.key) == candidate.holds
