"""Where a probability is asked: another way to do a method, or more frames of it, that holds as surely as that."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

from verispect.optics.f_stops import marked
from verispect.plan.assess.confidence import confidence
from verispect.plan.frames.rendering import render
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.ranking import ranked
from verispect.plan.methods.registry import worked
from verispect.sentence import Sentence

# Of the allowed blur that a series may use up, tried from much to little.
_SHARES = (0.9, 0.8, 0.7, 0.6, 0.5, 0.4, 0.3, 0.2)
# Then halved between a share that is sure enough and one that is not, to spare frames.
_HALVINGS = 4
# So much surer a stop must be to be named.
_WORTH_SAYING = 0.02
# Thirds in a whole stop.
_WHOLE = 3


def sure_enough(candidate: Candidate, is_cancelled: Callable[[], bool] | None = None) -> Candidate:
    """A method with its confidence; where that is less than asked, the least burden that reaches it.

    Other stops, lenses and focal lengths that hold are looked at, and series of more frames. Where none is
    sure enough the method becomes the surest of them.
    """
    first = replace(candidate, confidence=confidence(candidate), others=())
    asked = candidate.scene.plan.wish.least_probability
    if _sureness(first) >= asked or not candidate.holds:
        return first
    found = [first]
    for other in _others(candidate, asked):
        if is_cancelled is not None and is_cancelled():
            break
        found.append(other)
    enough = [other for other in found if _sureness(other) >= asked]
    chosen = ranked(enough)[0] if enough else max(found, key=_sureness)
    return chosen if chosen is first else replace(chosen, notes=(*chosen.notes, _why_other(first, chosen)))


def can_be_sure(candidate: Candidate) -> bool:
    """Whether any way to do a method that holds is as sure as is asked; the first one found will do."""
    asked = candidate.scene.plan.wish.least_probability
    if _sureness(replace(candidate, confidence=confidence(candidate))) >= asked:
        return True
    return any(_sureness(other) >= asked for other in _others(candidate, asked))


def _why_other(first: Candidate, chosen: Candidate) -> Sentence:
    assert first.lens is not None
    values: dict[str, object] = {
        "own": 100.0 * _sureness(chosen),
        "frames": first.frame_count,
        "lens": first.lens.name,
        "stop": marked(first.exposures[0].state.f_number),
        "sure": 100.0 * _sureness(first),
    }
    if first.frame_count == 1:
        return Sentence(
            "Set so as to hold in {own:.0f} of 100 tries; by the figures alone it would be {lens} at f/{stop}, "
            "which holds in {sure:.0f}",
            values,
        )
    return Sentence(
        "Set so as to hold in {own:.0f} of 100 tries; by the figures alone it would be {frames} frames with {lens} "
        "at f/{stop}, which hold in {sure:.0f}",
        values,
    )


def surer_stop(candidate: Candidate) -> Sentence | None:
    """At which other whole stop a method would hold more surely, where that makes a difference."""
    if not candidate.holds:
        return None
    surest = max(_at_other_stops(candidate, every=_WHOLE), key=_sureness, default=candidate)
    if _sureness(surest) < _sureness(candidate) + _WORTH_SAYING:
        return None
    return Sentence(
        "At f/{stop} it would hold in {sure:.0f} of 100 tries, at {softness:.2f} of what is allowed by the figures",
        {
            "stop": marked(surest.exposures[0].state.f_number),
            "sure": 100.0 * _sureness(surest),
            "softness": surest.worst_softness,
        },
    )


def _sureness(candidate: Candidate) -> float:
    return 1.0 if candidate.confidence is None else candidate.confidence.holds


def _others(candidate: Candidate, asked: float) -> Iterator[Candidate]:
    yield from _at_other_stops(candidate)
    for other in candidate.others:
        yield replace(other, confidence=confidence(other), others=())
        yield from _at_other_stops(other)
    if not candidate.method.merges:
        return
    previous = 1.0
    for share in _SHARES:
        tried = _with_share(candidate, share)
        if not tried.holds:
            return
        yield tried
        if _sureness(tried) >= asked:
            yield from _fewer(candidate, asked, enough=share, too_much=previous)
            return
        previous = share


def _at_other_stops(candidate: Candidate, every: int = 1) -> Iterator[Candidate]:
    """The same frames at every stop that holds: what lies nearly on a plane is surer stopped down."""
    assert candidate.criterion is not None
    problem = candidate.problem
    assert problem is not None
    if candidate.is_bracketed:
        # A body's steps grow with the stop: other stops are other frames.
        return
    for stop in problem.stops[::every]:
        exposures = []
        for exposure in candidate.exposures:
            state = exposure.state.at(float(stop))
            allowed = candidate.criterion.allowed_still_mm(state.working_f_number)
            exposures.append(
                replace(exposure, state=state, shutter_s=problem.shutter_s(state), allowed_blur_mm=allowed)
            )
        rendering = render(candidate.scene, exposures, candidate.criterion)
        tried = replace(candidate, exposures=tuple(exposures), rendering=rendering, others=())
        if tried.holds:
            yield replace(tried, confidence=confidence(tried))


def _fewer(candidate: Candidate, asked: float, *, enough: float, too_much: float) -> Iterator[Candidate]:
    for _ in range(_HALVINGS):
        middle = 0.5 * (enough + too_much)
        tried = _with_share(candidate, middle)
        yield tried
        if tried.holds and _sureness(tried) >= asked:
            enough = middle
        else:
            too_much = middle


def _with_share(candidate: Candidate, share: float) -> Candidate:
    tried = worked(candidate.key, replace(candidate.scene, blur_share=share))
    # What is looked at afterwards is the scene as it was.
    problem = None if tried.problem is None else replace(tried.problem, scene=candidate.scene)
    return replace(tried, scene=candidate.scene, problem=problem, confidence=confidence(tried), others=())
