"""Where a probability is asked: another way to do a method, or more frames of it, that holds as surely as that.

What is wished for after the musts gives way where with it nothing is as sure as is asked.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import replace
from itertools import chain, takewhile

from verispect.optics.f_stops import marked
from verispect.plan.assess.confidence import confidence
from verispect.plan.document import Plan
from verispect.plan.frames.rendering import render
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.ranking import ranked
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import Scene, build_scene
from verispect.sentence import Sentence
from verispect.subject.mark import Need

# Of the allowed blur that a series may use up. The less, the more frames and the surer: halved between a share that
# is sure enough and one that is not, to spare frames.
_SHARES = (0.9, 0.8, 0.7, 0.6, 0.5, 0.4, 0.3, 0.2)
_HALVINGS = 4
# By so much of what is asked the wishes may help a method to be sure that is not without them.
_HELPED = 0.05
# What of a plan carries a need.
_NEEDED = ("marks", "surfaces", "scans")
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
    by_musts_from = math.inf
    stopped = is_cancelled or (lambda: False)
    for others in (_others(candidate, asked), _without_wishes(candidate, found, asked)):
        found.extend(takewhile(lambda _other: not stopped(), others))
        by_musts_from = min(by_musts_from, len(found))
    enough = [other for other in found if _sureness(other) >= asked]
    chosen = ranked(enough)[0] if enough else max(found, key=_sureness)
    if chosen is first:
        return first
    by_musts = next(k for k, other in enumerate(found) if other is chosen) >= by_musts_from
    return replace(chosen, notes=(*chosen.notes, _why_other(first, chosen, by_musts=by_musts)))


def can_be_sure(key: str, plan: Plan) -> bool:
    """Whether there is any way to do a method that holds as surely as is asked; the first one found will do."""
    asked = plan.wish.least_probability
    alone = worked(key, build_scene(deciding_alone(plan)), is_told=False)
    if not alone.holds or asked <= 0.0:
        return alone.holds
    surest = _surest(alone, asked)
    if surest >= asked or surest < asked - _HELPED or alone.scene.plan is plan:
        return surest >= asked
    candidate = worked(key, build_scene(plan), is_told=False)
    return candidate.holds and _surest(candidate, asked) >= asked


def deciding_alone(plan: Plan) -> Plan:
    """The plan without the wishes that come after the musts: whether these hold does not hang on them.

    As it is where no must is.
    """
    needs = [thing.need for kind in _NEEDED for thing in getattr(plan, kind)]
    if Need.MUST not in needs or all(need in (Need.MUST, Need.MAY) for need in needs):
        return plan
    return plan.model_copy(
        update={
            kind: tuple(
                thing if thing.need == Need.MUST else thing.model_copy(update={"need": Need.MAY})
                for thing in getattr(plan, kind)
            )
            for kind in _NEEDED
        }
    )


def _surest(candidate: Candidate, asked: float) -> float:
    """How surely the surest way to do a method holds; the first that is sure enough ends the search."""
    surest = _sureness(replace(candidate, confidence=confidence(candidate)))
    for other in () if surest >= asked else _others(candidate, asked):
        surest = max(surest, _sureness(other))
        if surest >= asked:
            break
    return surest


def _without_wishes(candidate: Candidate, found: list[Candidate], asked: float) -> Iterator[Candidate]:
    """The ways to do a method by the musts alone, where nothing found until then is sure enough."""
    if any(_sureness(other) >= asked for other in found):
        return
    scene = candidate.scene
    plan = deciding_alone(scene.plan)
    if plan is scene.plan:
        return
    alone = worked(candidate.key, build_scene(plan))
    if not alone.holds:
        return
    for other in chain([replace(alone, confidence=confidence(alone), others=())], _others(alone, asked)):
        yield _seen_in(scene, other)


def _why_other(first: Candidate, chosen: Candidate, *, by_musts: bool) -> Sentence:
    assert first.lens is not None
    values: dict[str, object] = {
        "own": 100.0 * _sureness(chosen),
        "frames": first.frame_count,
        "lens": first.lens.name,
        "stop": marked(first.exposures[0].state.f_number),
        "sure": 100.0 * _sureness(first),
    }
    if by_musts:
        return Sentence(
            "Set by what must be sharp alone, so as to hold in {own:.0f} of 100 tries; with what is wished besides "
            "it would hold in {sure:.0f}",
            values,
        )
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
    # Places in (1.0, *_SHARES): the last that is not sure enough, the first that is, and the first no longer of use.
    shares = (1.0, *_SHARES)
    unsure, sure, beyond = 0, 0, len(shares)
    while beyond - unsure > 1:
        middle = (unsure + beyond) // 2
        tried = _with_share(candidate, shares[middle])
        if tried.holds:
            yield tried
        if tried.holds and _sureness(tried) < asked:
            unsure = middle
        else:
            beyond = middle
            sure = middle if tried.holds else sure
    if sure:
        yield from _fewer(candidate, asked, enough=shares[sure], too_much=shares[unsure])


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
    return _seen_in(candidate.scene, replace(tried, confidence=confidence(tried), others=()))


def _seen_in(scene: Scene, tried: Candidate) -> Candidate:
    """What was worked out for a scene like it, looked at in the scene as it is."""
    problem = None if tried.problem is None else replace(tried.problem, scene=scene)
    return replace(tried, scene=scene, problem=problem)
