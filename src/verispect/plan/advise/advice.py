"""Which method is advised, and why, in sentences whose numbers come from the candidates.

The rule stands in docs/decisions/0004-advice.md: among methods that fit the kit and hold every must, the
least burden under the user's priority; near-ties go to the simpler method and are said to be ties.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from verispect.optics.f_stops import marked
from verispect.plan.assess.finest_detail import finest_detail_mm
from verispect.plan.document import Aim
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import order_of
from verispect.plan.methods.ranking import burden
from verispect.plan.solve.stop_cost import TIE
from verispect.sentence import Sentence

# Doubts below this share of draws are told.
SURE = 0.95


def advise(candidates: Sequence[Candidate]) -> tuple[str | None, tuple[Sentence, ...]]:
    """The advised method's key and the reasons; None where the kit can do nothing at all."""
    fitting = [candidate for candidate in candidates if candidate.fits]
    if not fitting:
        return None, (Sentence("No method fits this kit; each says why not"),)
    # What lies beside the picture does so with every method: by the rest they are told apart all the same.
    holding = [candidate for candidate in fitting if candidate.is_sharp]
    if not holding:
        nearest = min(fitting, key=lambda c: (c.worst_softness, -c.worst_contrast, _order(c)))
        return nearest.key, _nothing_holds(nearest, fitting)
    thrown_out = [candidate for candidate in holding if candidate.soft_enough]
    too_sharp = [candidate for candidate in holding if not candidate.soft_enough]
    holding = thrown_out or holding
    sure = [candidate for candidate in holding if candidate.is_sure]
    unsure = [candidate for candidate in holding if candidate not in sure] if sure else []
    doubts = () if sure else _noneis_sure(holding)
    holding = sure or [max(holding, key=lambda c: (c.confidence.holds if c.confidence else 1.0, -_order(c)))]
    least = min(burden(candidate) for candidate in holding)
    ties = [candidate for candidate in holding if burden(candidate) <= least * (1.0 + TIE)]
    chosen = min(ties, key=_order)
    if not chosen.holds:
        return chosen.key, (_beside(chosen), _but_for_that(chosen))
    passed = [c for c in fitting if c not in unsure and (c not in too_sharp or not thrown_out)]
    reasons = [
        _holds(chosen),
        *doubts,
        *_doubt(chosen, fitting),
        *_throws_out(chosen, too_sharp),
        *_too_coarse(chosen),
        *_too_unsure(chosen, unsure),
        *(_simpler_fail(chosen, passed) if sure else []),
        *_ties(chosen, ties),
    ]
    return chosen.key, tuple(reasons)


def _doubt(chosen: Candidate, fitting: list[Candidate]) -> list[Sentence]:
    """How often the chosen method holds where figures are unsure, and the surest of the others if that is surer."""
    if chosen.confidence is None or chosen.confidence.holds >= SURE:
        return []
    own = chosen.confidence.holds
    others = [c for c in fitting if c.holds and c.confidence is not None and c.confidence.holds > own + 0.005]
    values: dict[str, object] = {"own": 100.0 * own}
    if not others:
        return [Sentence("With your ± it holds in {own:.0f} of 100 tries; none of the others is surer", values)]
    surest = max(others, key=lambda c: (c.confidence.holds if c.confidence else 0.0, -_order(c)))
    assert surest.confidence is not None
    values |= {"other": Sentence(surest.method.name), "its": 100.0 * surest.confidence.holds}
    return [Sentence("With your ± it holds in {own:.0f} of 100 tries; {other} in {its:.0f}", values)]


def _throws_out(chosen: Candidate, too_sharp: list[Candidate]) -> list[Sentence]:
    """Whether what is wanted soft is, and which methods leave it too sharp."""
    scene = chosen.scene
    if not scene.wanted_soft.any():
        return []
    worst = int(np.argmin(chosen.soft_shares))
    least = int(np.flatnonzero(scene.wanted_soft)[worst])
    values: dict[str, object] = {
        "mark": scene.names[least],
        "times": float(chosen.defocus_times[worst]),
        "wanted": float(scene.soft_times[least]),
    }
    if not chosen.soft_enough:
        return [
            Sentence(
                "{mark} is {times:.1f}× the allowed blur; you asked for {wanted:g}×, which no method reaches", values
            )
        ]
    said = [Sentence("{mark}, wanted soft, is so {times:.1f} times; {wanted:g} were asked", values)]
    for other in too_sharp:
        said.append(
            Sentence("{method} leaves it too sharp", {"method": Sentence(other.method.name)}),
        )
    return said


def _too_coarse(chosen: Candidate) -> list[Sentence]:
    """Marks on which the smallest detail asked for is not rendered, though the picture as a whole is sharp."""
    scene = chosen.scene
    wanted = {k: mark.detail_mm for k, mark in enumerate(scene.plan.marks) if mark.detail_mm is not None}
    if not wanted:
        return []
    finest = finest_detail_mm(chosen)
    return [
        Sentence(
            "On {mark} the smallest detail rendered is {finest:.2g} mm; {wanted:g} mm was asked",
            {"mark": scene.names[k], "finest": float(finest[k]), "wanted": detail},
        )
        for k, detail in wanted.items()
        if finest[k] > detail * 1.005
    ]


def _noneis_sure(holding: list[Candidate]) -> tuple[Sentence, ...]:
    asked = holding[0].scene.plan.wish.least_probability
    return (
        Sentence(
            "No method holds in {asked:.0f} of 100 tries, as was asked; this one is the surest",
            {"asked": 100.0 * asked},
        ),
    )


def _too_unsure(chosen: Candidate, unsure: list[Candidate]) -> list[Sentence]:
    """Methods that hold by the figures as typed, but not surely enough."""
    asked = chosen.scene.plan.wish.least_probability
    return [
        Sentence(
            "{method} holds by the figures, but only in {sure:.0f} of 100 tries; {asked:.0f} were asked",
            {
                "method": Sentence(other.method.name),
                "sure": 100.0 * other.confidence.holds,
                "asked": 100.0 * asked,
            },
        )
        for other in unsure
        if other.confidence is not None
    ]


def _order(candidate: Candidate) -> int:
    return order_of(candidate.method)


def _worst_name(candidate: Candidate) -> str:
    rendering, scene = candidate.rendering, candidate.scene
    if rendering is None:
        return ""
    deciding = np.flatnonzero(scene.deciding)
    softness = rendering.softness[deciding]
    if not np.isfinite(softness).all():
        return scene.names[int(deciding[np.argmin(rendering.contrast[deciding])])]
    return scene.names[int(deciding[np.argmax(softness)])]


def _holds(chosen: Candidate) -> Sentence:
    values: dict[str, object] = {
        "method": Sentence(chosen.method.name),
        "frames": chosen.frame_count,
        "stop": marked(chosen.exposures[0].state.f_number),
        "worst": _worst_name(chosen),
        "softness": chosen.worst_softness,
    }
    if chosen.frame_count == 1:
        return Sentence(
            "{method} holds everything in one frame at f/{stop}; the softest, {worst}, is at {softness:.2f} "
            "of what is allowed",
            values,
        )
    return Sentence(
        "{method} holds everything in {frames} frames at f/{stop}; the softest, {worst}, is at "
        "{softness:.2f} of what is allowed",
        values,
    )


def _simpler_fail(chosen: Candidate, fitting: list[Candidate]) -> list[Sentence]:
    """Why each simpler method was passed over."""
    reasons = []
    for other in fitting:
        if _order(other) >= _order(chosen) or other.key == chosen.key:
            continue
        values: dict[str, object] = {
            "method": Sentence(other.method.name),
            "worst": _worst_name(other),
            "times": other.worst_softness,
            "frames": other.frame_count,
            "own": chosen.frame_count,
        }
        if other.holds:
            reasons.append(_holds_at_more(chosen, other))
        elif other.lost_marks:
            values["mark"] = other.lost_marks[0]
            reasons.append(Sentence("{method} has {mark} on none of its frames", values))
        elif np.isfinite(other.worst_softness):
            reasons.append(Sentence("{method} leaves {worst} {times:.2f} times too soft", values))
        else:
            reasons.append(Sentence("{method} cannot render the wanted detail on {worst}", values))
    return reasons


def _holds_at_more(chosen: Candidate, other: Candidate) -> Sentence:
    """What a simpler method that holds costs more of, by the aim."""
    values: dict[str, object] = {"method": Sentence(other.method.name)}
    priority = chosen.scene.plan.wish.priority
    if priority == Aim.DETAIL:
        own, its = ((w * h / 1e6) for w, h in (candidate.kept_pixels for candidate in (chosen, other)))
        values |= {"its": its, "own": own}
        return Sentence("{method} holds too, with {its:.0f} million pixels where this gives {own:.0f}", values)
    if priority == Aim.TIME:
        values |= {"its": other.time_on_site_s / 60.0, "own": chosen.time_on_site_s / 60.0}
        return Sentence("{method} holds too, in {its:.1f} min on site where this takes {own:.1f}", values)
    if priority == Aim.MOVEMENT:
        values |= {"its": other.run_s, "own": chosen.run_s}
        return Sentence(
            "{method} holds too, with {its:.2g} s from first to last exposure where this has {own:.2g}", values
        )
    values |= {"frames": other.frame_count, "own": chosen.frame_count}
    if priority == Aim.MERGING:
        return Sentence("{method} holds too, with {frames} frames to put together where this has {own}", values)
    return Sentence("{method} holds too, with {frames} frames where this takes {own}", values)


def _ties(chosen: Candidate, ties: list[Candidate]) -> list[Sentence]:
    # A series of one frame is that frame, taken the longer way.
    others = [other for other in ties if other.key != chosen.key and not other.is_one_of_a_series]
    return [
        Sentence(
            "{method} ties with it, at {softness:.2f}; this one is simpler to set",
            {"method": Sentence(other.method.name), "softness": other.worst_softness},
        )
        for other in others
    ]


def _nothing_holds(nearest: Candidate, fitting: list[Candidate]) -> tuple[Sentence, ...]:
    values: dict[str, object] = {
        "method": Sentence(nearest.method.name),
        "worst": _worst_name(nearest),
        # Not "1.00 times" of what is allowed, which would sound as if it held.
        "times": max(nearest.worst_softness, 1.01),
    }
    if nearest.lost_marks:
        return (
            Sentence(
                "Nothing holds every must; with {method}, {mark} is on no frame: pitch or raise the camera, "
                "step back, or take a wider lens",
                values | {"mark": nearest.lost_marks[0]},
            ),
            *(
                Sentence(
                    "{mark} lies in the picture and on no frame: the view narrows as the lens is focused near",
                    {"mark": name},
                )
                for name in nearest.lost_marks
            ),
            *([_beside(nearest)] if nearest.beside else []),
        )
    first = (
        Sentence("Nothing holds every must; {method} comes nearest, {worst} is {times:.2f} times too soft", values)
        if np.isfinite(nearest.worst_softness)
        else Sentence(
            "Hands shake too much for every stop in this light, at ISO {iso:g}: use a tripod, bring light, or allow "
            "a higher ISO in the kit",
            values | {"iso": nearest.scene.plan.kit.body.iso},
        )
        if _smears(nearest) and nearest.scene.plan.camera.hand_held
        else Sentence(
            "The tripod still swings too much {wait:.1f} s after a touch: wait longer, put the column down, or take "
            "a steadier one",
            {"wait": nearest.scene.plan.kit.times.waited_s},
        )
        if _smears(nearest) and not np.any(nearest.scene.own_speeds_mm_s)
        else Sentence(
            "What moves smears at every stop in this light, at ISO {iso:g}: bring light, wait for stillness, or "
            "allow a higher ISO in the kit",
            values | {"iso": nearest.scene.plan.kit.body.iso},
        )
        if _smears(nearest)
        else Sentence(
            "The wanted detail is finer than any stop of these lenses can render; print smaller, look from "
            "farther away or ask for less contrast",
            values,
        )
    )
    return (first, *([_beside(nearest)] if nearest.beside else []))


def _smears(candidate: Candidate) -> bool:
    """Whether everything that cannot be rendered at all moves."""
    if candidate.rendering is None:
        return False
    scene = candidate.scene
    hopeless = scene.deciding & ~np.isfinite(candidate.rendering.softness)
    return bool(hopeless.any() and np.all(scene.speeds_mm_s[hopeless] > 0.0))


def _beside(candidate: Candidate) -> Sentence:
    """What must be sharp and lies beside the picture, so that nothing holds it."""
    names = candidate.beside
    if len(names) == 1:
        return Sentence(
            "{mark} lies outside the picture, and nothing holds it there: turn, pitch or raise the camera, step "
            "back, or take a wider lens",
            {"mark": names[0]},
        )
    return Sentence(
        "{first} and {others} more lie outside the picture, and nothing holds them there: turn, pitch or raise the "
        "camera, step back, or take a wider lens",
        {"first": names[0], "others": len(names) - 1},
    )


def _but_for_that(chosen: Candidate) -> Sentence:
    values: dict[str, object] = {
        "method": Sentence(chosen.method.name),
        "frames": chosen.frame_count,
        "stop": marked(chosen.exposures[0].state.f_number),
    }
    if chosen.frame_count == 1:
        return Sentence("But for that {method} would hold everything in one frame at f/{stop}", values)
    return Sentence("But for that {method} would hold everything in {frames} frames at f/{stop}", values)
