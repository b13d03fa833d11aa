"""The body's own bracket of focus: even steps by a thin lens reckoned here, numbers tried one by one."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import a_lens, make_plan
from verispect.plan.document import BodyBracket, Choice, Order
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene

F, STOPS, CIRCLE = 50.0, (4.0, 8.0), 0.03
DEEP = [(0.0, 1.5, z) for z in (0.9, 1.1, 1.4, 1.9, 2.7, 3.9, 6.0)]


def series(
    bracket: BodyBracket | None,
    *,
    order: Order = Order.NEAR_FAR,
    share: float = 0.25,
    places=DEEP,
    limit=None,
    stops=STOPS,
    covers: str = "range",
    print_mm=(450, 300),
    **step,
) -> Candidate:
    step = {"per_step_of_depth": share, "plus_minus": 0.0, "circle_mm": CIRCLE} | step
    lens = a_lens(F, f_numbers=list(stops)) | {"focus_step": step}
    plan = make_plan(places, framing=F, lenses=[lens], print_mm=print_mm, series_covers=covers)
    body = plan.kit.body.model_copy(update={"merge_limit": limit})
    kit = plan.kit.model_copy(update={"body": body})
    return worked(
        "series",
        build_scene(plan.model_copy(update={"kit": kit, "choice": Choice(bracket=bracket, order=order)})),
    )


def images(found: Candidate) -> np.ndarray:
    """Image distances by the thin lens from what its scale reads, which counts from the sensor, near first."""
    read = np.array([exposure.focus_m for exposure in found.exposures]) * 1000.0
    # s + v = D, 1/s + 1/v = 1/f, the longer side before the lens.
    return np.where(np.isinf(read), F, 0.5 * (read - np.sqrt(np.maximum(read**2 - 4.0 * F * read, 0.0))))


def worst_by_hand(found: Candidate, at_mm: np.ndarray) -> float:
    """Softness of the worst mark in the best of the frames focused at these image distances."""
    stop = found.exposures[0].state.f_number
    allowed = np.array([found.criterion.allowed_still_mm(float(stop * v / F)) for v in at_mm])
    depths = np.array([z for _, _, z in DEEP]) * 1000.0
    own = 1.0 / (1.0 / F - 1.0 / depths)
    blur = np.abs(own[:, None] - at_mm) / own[:, None] * F / stop
    return float((blur / allowed).min(axis=1).max())


@pytest.mark.parametrize("order", [Order.NEAR_FAR, Order.FAR_NEAR, Order.CENTRE_FIRST])
def test_frames_lie_a_whole_number_of_steps_apart_and_cover_the_series(order: Order) -> None:
    one_by_one = images(series(None, order=order))
    found = series(BodyBracket(), order=order)
    assert found.holds
    unit = 0.25 * 2.0 * found.exposures[0].state.f_number * CIRCLE
    apart = -np.diff(images(found))
    np.testing.assert_allclose(apart, found.bracket.number * unit, rtol=1e-6)
    assert images(found)[0] >= one_by_one[0] - 1e-9
    assert images(found)[-1] <= one_by_one[-1] + 1e-9
    assert found.frame_count == found.bracket.count


@settings(max_examples=12, deadline=None)
@given(st.floats(0.02, 0.6))
def test_the_number_found_is_the_coarsest_that_serves(share: float) -> None:
    """Every number from the average spacing down is tried by a thin lens's blur, against the one that was chosen."""
    alone, found = series(None, share=share), series(BodyBracket(), share=share)
    v = images(alone)
    unit = share * 2.0 * alone.exposures[0].state.f_number * CIRCLE
    coarsest = max(1, min(10, math.floor((v[0] - v[-1]) / (len(v) - 1) / unit)))
    for number in range(coarsest, 0, -1):
        count = math.ceil((v[0] - v[-1]) / (number * unit) - 1e-9) + 1
        worst = worst_by_hand(alone, v[0] - number * unit * np.arange(count))
        if worst <= max(1.0, alone.worst_softness) or number == 1:
            assert found.bracket.number == number
            assert found.worst_softness == pytest.approx(worst, rel=2e-3)
            return


@pytest.mark.parametrize("covers", ["range", "marks"])
def test_even_steps_of_a_long_bracket_are_no_wider_than_a_frame_is_deep(covers: str) -> None:
    """Frames set one by one for marks jump what lies between; a thin lens's blur says what even steps leave."""
    wide = {"stops": (1.4, 1.4), "covers": covers, "print_mm": (1200, 800)}
    alone = series(None, **wide)
    assert covers == "range" or alone.frame_count <= len(DEEP)
    found = series(BodyBracket(), **wide)
    assert found.bracket.count > 60
    assert worst_by_hand(found, images(found)) <= 1.01
    assert found.holds


def test_a_number_too_coarse_and_a_count_too_small_are_told_as_soft() -> None:
    for wanted in (BodyBracket(step_number=10), BodyBracket(step_number=1, count=4)):
        found = series(wanted, share=0.5)
        assert not found.holds
        assert found.worst_softness == pytest.approx(worst_by_hand(found, images(found)), rel=2e-3)


def test_where_the_focusing_ends_the_body_stops() -> None:
    found = series(BodyBracket(step_number=2, count=60))
    assert found.frame_count < 60
    assert images(found).min() >= F - 1e-6
    assert any("stops there" in str(note) for note in found.notes)


def test_a_count_alone_takes_the_finest_number_that_goes_round() -> None:
    need = series(BodyBracket())
    found = series(BodyBracket(count=2 * need.bracket.count))
    finer = series(BodyBracket(step_number=found.bracket.number))
    assert found.holds
    assert finer.bracket.count <= 2 * need.bracket.count
    if found.bracket.number > 1:
        closest = series(BodyBracket(step_number=found.bracket.number - 1))
        assert closest.bracket.count > 2 * need.bracket.count


def test_steps_finer_than_any_body_has_end_where_a_body_does() -> None:
    found = series(BodyBracket(step_number=1), share=1e-6)
    assert found.frame_count == 999
    assert not found.holds


def test_a_body_that_merges_takes_no_more_than_it_merges() -> None:
    free = series(BodyBracket(merged=True), share=0.12)
    held = series(BodyBracket(merged=True), share=0.12, limit=5)
    assert free.frame_count > 5
    assert held.frame_count <= 5
    assert held.bracket.number > free.bracket.number
    # Merged elsewhere the limit is none.
    assert series(BodyBracket(), share=0.12, limit=5).frame_count == free.frame_count


def test_steps_that_may_turn_out_wider_are_taken_closer_and_narrower_ones_counted() -> None:
    sure, unsure = series(BodyBracket()), series(BodyBracket(), plus_minus=0.1)
    assert unsure.bracket.number <= sure.bracket.number
    reach = (unsure.bracket.count - 1) * unsure.bracket.number * (1.0 - 0.1 / 0.25)
    assert reach >= (sure.bracket.count - 2) * sure.bracket.number


def test_no_bracket_without_a_measured_step_and_none_where_one_frame_does() -> None:
    lens = a_lens(F, f_numbers=list(STOPS))
    plan = make_plan(DEEP, framing=F, lenses=[lens], print_mm=(450, 300))
    asked = plan.model_copy(update={"choice": Choice(bracket=BodyBracket())})
    found, alone = (worked("series", build_scene(one)) for one in (asked, plan))
    assert [e.focus_m for e in found.exposures] == [e.focus_m for e in alone.exposures]
    assert not found.is_bracketed
    assert any("never measured" in str(note) for note in found.notes)
    assert not series(BodyBracket(), places=DEEP[:1]).is_bracketed


def test_a_body_goes_one_way_and_once_more_for_every_shot() -> None:
    found = series(BodyBracket(), order=Order.LEAST_LOSS)
    assert found.sequence == list(range(found.frame_count))
    plan = found.scene.plan
    choice = plan.choice.model_copy(update={"shots": plan.choice.shots.model_copy(update={"each": 2})})
    twice = worked("series", build_scene(plan.model_copy(update={"choice": choice})))
    assert [shot.number for shot in twice.shots] == [0] * found.frame_count + [1] * found.frame_count
