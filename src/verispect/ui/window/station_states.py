"""How far each station of a job is, in a word: done, stale or missing."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QCoreApplication

from verispect.plan.document import Plan
from verispect.shoot.run import RunState
from verispect.ui.state.session import Session, Standing
from verispect.ui.window.station_bar import StationState

if TYPE_CHECKING:
    from verispect.prove.report import Report


def _tr(text: str) -> str:
    return QCoreApplication.translate("StationStates", text)


def station_states(
    plan: Plan, session: Session, run: RunState | None, proof: Report | None
) -> dict[str, StationState]:
    """A state for every station; of a run or a proof that was not begun, None."""
    return {
        "subject": _of_subject(plan),
        "kit": _of_kit(plan),
        "weigh": _of_weigh(plan, session),
        "set": _of_set(plan, session),
        "shoot": _of_run(run),
        "prove": _of_proof(proof),
        "keep": StationState(Standing.DONE, _tr("logbook, shelf")),
    }


def _of_subject(plan: Plan) -> StationState:
    marks, areas = len(plan.marks), len(plan.surfaces) + len(plan.scans)
    of_areas = _tr("1 area") if areas == 1 else _tr("{0} areas").format(areas)
    of_marks = _tr("1 mark") if marks == 1 else _tr("{0} marks").format(marks)
    words = ", ".join([of_marks] * bool(marks) + [of_areas] * bool(areas))
    return StationState(Standing.DONE, words) if words else StationState(Standing.MISSING, _tr("no marks yet"))


def _of_kit(plan: Plan) -> StationState:
    lenses = len(plan.kit.lenses)
    if not lenses:
        return StationState(Standing.MISSING, _tr("no lens yet"))
    return StationState(Standing.DONE, _tr("1 lens") if lenses == 1 else _tr("{0} lenses").format(lenses))


def _of_weigh(plan: Plan, session: Session) -> StationState:
    if session.weighing is None:
        words = _tr("cannot weigh") if session.complaint else _tr("working")
    else:
        candidates = session.weighing.candidates
        words = _tr("{0} of {1} hold").format(sum(candidate.holds for candidate in candidates), len(candidates))
    return StationState(session.standing_of_weigh(plan), words)


def _of_set(plan: Plan, session: Session) -> StationState:
    standing = session.standing_of_set(plan)
    taken = _tr("taken") if plan.choice.method else _tr("as advised")
    if session.shown is not None and session.shown.by_hand:
        taken = _tr("moved by hand")
    return StationState(standing, taken if standing != Standing.MISSING else "")


def _of_run(run: RunState | None) -> StationState:
    if run is None:
        return StationState(Standing.MISSING, _tr("no run yet"))
    taken = len(run.items) - run.left
    standing = Standing.DONE if run.is_over else Standing.STALE
    return StationState(standing, _tr("{0} of {1} taken").format(taken, len(run.items)))


def _of_proof(proof: Report | None) -> StationState:
    if proof is None:
        return StationState(Standing.MISSING, _tr("nothing checked"))
    redo = sum(frame.verdict == "redo" for frame in proof.frames)
    if redo:
        return StationState(Standing.STALE, _tr("{0} again").format(redo))
    soft = sum(mark.verdict == "soft" for mark in proof.marks)
    if soft:
        return StationState(Standing.STALE, _tr("{0} soft").format(soft))
    untold = sum(mark.softness is None for mark in proof.marks)
    return StationState(Standing.DONE, _tr("{0} not told").format(untold) if untold else _tr("all good"))
