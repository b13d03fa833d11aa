"""How far each station is, told of plans, runs and proofs without a window."""

from __future__ import annotations

from datetime import UTC, datetime
from types import SimpleNamespace

from tests.conftest import make_plan
from verispect.plan.advise.weigh import weigh
from verispect.plan.document import Plan
from verispect.shoot.run import begin
from verispect.ui.state.session import Session
from verispect.ui.window.station_states import station_states


def words(states) -> dict[str, tuple[str, str]]:
    return {key: (str(state.state), state.words) for key, state in states.items()}


def test_an_empty_plan_misses_everything_but_the_book() -> None:
    told = words(station_states(Plan.model_validate({"kit": {"lenses": []}}), Session(), None, None))
    assert told["subject"] == ("missing", "no marks yet")
    assert told["kit"] == ("missing", "no lens yet")
    assert told["shoot"] == ("missing", "no run yet")
    assert told["prove"] == ("missing", "nothing checked")
    assert told["keep"][0] == "done"


def test_a_weighed_plan_is_stale_as_soon_as_it_changes() -> None:
    plan = make_plan([(0, 1.5, 2.0), (0, 1.5, 3.0)])
    session = Session()
    session.take(weigh(plan), plan)
    session.look(plan)
    told = words(station_states(plan, session, None, None))
    holding = sum(candidate.holds for candidate in session.weighing.candidates)
    assert told["subject"] == ("done", "2 marks")
    assert told["weigh"] == ("done", f"{holding} of {len(session.weighing.candidates)} hold")
    assert told["set"] == ("done", "as advised")
    changed = plan.model_copy(update={"title": "another"})
    assert words(station_states(changed, session, None, None))["weigh"][0] == "stale"


def test_a_run_counts_its_frames() -> None:
    plan = make_plan([(0, 1.5, 1.0), (0, 1.5, 30.0)])
    candidate = weigh(plan).by_key("series")
    run = begin(candidate)
    count = len(run.items)
    assert words(station_states(plan, Session(), run, None))["shoot"] == ("stale", f"0 of {count} taken")
    for _ in range(count):
        run = run.done(now=datetime(2027, 3, 14, 16, tzinfo=UTC))
    assert words(station_states(plan, Session(), run, None))["shoot"] == ("done", f"{count} of {count} taken")


def test_a_proof_with_a_soft_mark_is_never_all_good() -> None:
    good, bad = SimpleNamespace(verdict="good"), SimpleNamespace(verdict="redo")
    sharp = SimpleNamespace(verdict="sharp", softness=0.7)
    proof = SimpleNamespace(frames=[good, good], marks=[sharp])

    def told(**changed) -> tuple[str, str]:
        return words(station_states(Plan(), Session(), None, SimpleNamespace(**{**vars(proof), **changed})))["prove"]

    assert told() == ("done", "all good")
    assert told(frames=[good, bad]) == ("stale", "1 again")
    assert told(marks=[sharp, SimpleNamespace(verdict="soft", softness=1.4)]) == ("stale", "1 soft")
    assert told(marks=[sharp, SimpleNamespace(verdict="cannot-say", softness=None)]) == ("done", "1 not told")
