"""Ways of focusing one frame, tried on one's own frames: how soft each leaves what must be sharp.

One frame focused as each school says, at one stop, from one place. They are a focus series of their own: from all of
them it is told where each mark is sharp, and from that how soft it is in every one.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from verispect.errors import FileError
from verispect.optics.f_stops import marked
from verispect.plan.assess.focus_schools import FEWEST_WAYS, for_a_trial, schools_of
from verispect.plan.document import Order, Plan
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.rendering import softness_on_each
from verispect.plan.methods.candidate import Candidate, worked_out
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.check import check
from verispect.prove.softness.mark_softness import in_each
from verispect.sentence import Sentence

# Two that leave their softest must so alike are as good.
_AS_GOOD = 0.1


@dataclass(frozen=True)
class Ways:
    """What is to be taken: one exposure a way, from the nearest focus on, and their names."""

    candidate: Candidate
    names: tuple[Sentence, ...]


@dataclass(frozen=True)
class Way:
    """One way as it came out.

    Attributes
    ----------
    softness : dict
        Of every mark that could be told, by name.
    untold : tuple of str
        Musts that could not: of these the plan's figures stand.
    hopeless : tuple of str
        Musts that no way renders; they are left out of what follows.
    worst, planned : float
        Of the softest must, and the most that was planned of one.
    """

    name: Sentence
    file: str
    focus_m: float
    softness: dict[str, float]
    untold: tuple[str, ...]
    hopeless: tuple[str, ...]
    worst_mark: str
    worst: float
    planned: float


def ways_of(plan: Plan) -> Ways:
    """The frames of the trial.

    Raises
    ------
    FileError
        Where the plan has no frame to focus, or its ways are all alike.
    """
    choice = plan.choice.model_copy(update={"order": Order.NEAR_FAR})
    frame = worked("one-frame", build_scene(plan.model_copy(update={"choice": choice})))
    problem = frame.problem
    if problem is None or not frame.exposures:
        raise FileError("no single frame fits this plan: there is nothing to be focused one way or another")
    stop = frame.exposures[0].state.f_number
    kept = for_a_trial(problem, schools_of(problem), stop)
    if len(kept) < FEWEST_WAYS:
        raise FileError(
            "the ways of focusing come to the same for this plan: the print would not show which was taken"
        )
    candidate = worked_out("series", problem, [exposure for _, exposure in kept])
    return Ways(candidate, tuple(name for name, _ in kept))


def tried(
    places: Sequence[Path],
    ways: Ways,
    *,
    progress: Callable[[float, str], None] = lambda _share, _text: None,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> list[Way]:
    """How soft each way left the marks, in the order of the ways.

    Raises
    ------
    FileError
        Where other frames are given than are to be taken.
    Cancelled
    """
    candidate = ways.candidate
    report = check(places, candidate=candidate, progress=progress, is_cancelled=is_cancelled)
    frames = {frame.planned_exposure: frame for frame in report.checked if frame.planned_exposure is not None}
    if len(frames) < candidate.frame_count:
        raise FileError(
            "{there} of the {asked} frames of the trial are there; take one each way, from the nearest focus on",
            there=len(frames), asked=candidate.frame_count,
        )  # fmt: skip
    # A scale is set as well as it can be read: what counts is where the focus came to be.
    taken = replace(
        candidate,
        exposures=tuple(frames[k].as_found or exposure for k, exposure in enumerate(candidate.exposures)),
    )
    seen = [(k, mark) for k, mark in enumerate(report.marks) if mark.ranged is not None and not mark.hidden]
    soft = {mark.name: in_each(taken, k, mark) for k, mark in seen}
    scene = candidate.scene
    musts = [name for name, decides in zip(scene.names[: scene.mark_count], scene.deciding, strict=False) if decides]
    planned = [_reckoned(candidate, exposure) for exposure in candidate.exposures]
    # Of what the frames do not tell its planned place does, for the focus as it came to be.
    left = [_reckoned(candidate, exposure) for exposure in taken.exposures]
    for mark, values in soft.items():
        for of, value in zip(left, values, strict=True):
            of[mark] = value
    # What no focus renders at this stop, or lies outside the frame, prefers none.
    can = [mark for mark in musts if any(math.isfinite(of[mark]) for of in left)]
    if not can:
        raise FileError("no way of focusing renders what must be sharp at f/{stop}: open the lens, or frame it all",
                        stop=marked(candidate.exposures[0].state.f_number))  # fmt: skip
    found = []
    for index, (name, exposure) in enumerate(zip(ways.names, taken.exposures, strict=True)):
        worst = max(can, key=left[index].__getitem__)
        found.append(
            Way(
                name=name,
                file=str(frames[index].file),
                focus_m=exposure.focus_m,
                softness={mark: values[index] for mark, values in soft.items()},
                untold=tuple(mark for mark in can if mark not in soft),
                hopeless=tuple(mark for mark in musts if mark not in can),
                worst_mark=worst,
                worst=left[index][worst],
                planned=max(planned[index][mark] for mark in can),
            )
        )
    return found


def _reckoned(candidate: Candidate, exposure: Exposure) -> dict[str, float]:
    """How soft the plan has every mark in one frame."""
    assert candidate.criterion is not None
    softness = softness_on_each(candidate.scene, [exposure], candidate.criterion)[0]
    count = candidate.scene.mark_count
    return dict(zip(candidate.scene.names[:count], softness[:count].tolist(), strict=True))


def way_words(way: Way) -> Sentence:
    """What one way left of its softest must."""
    values = {"way": way.name, "mark": way.worst_mark, "worst": _times(way.worst), "planned": _times(way.planned)}
    if way.worst_mark in way.untold:
        told = "{way}: {mark} {worst} times the allowed blur by the plan, not told by the frames"
        return Sentence(told, values)
    return Sentence("{way}: {mark} {worst} times the allowed blur, softest planned {planned}", values)


def _times(softness: float) -> str:
    return f"{softness:.2f}" if math.isfinite(softness) else "∞"


def verdict(found: Sequence[Way]) -> Sentence:
    """Which way served best, in words."""
    if not any(way.softness for way in found):
        return Sentence("How sharp the musts came out cannot be told from these frames")
    best = min(found, key=lambda way: way.worst)
    as_good = [way for way in found if way.worst < best.worst + _AS_GOOD]
    values = {
        "way": best.name, "mark": best.worst_mark, "worst": _times(best.worst),
        "ways": "; ".join(str(way.name) for way in as_good),
        "besides": _of(best.untold, "of {marks} the plan's figures stand: too soft to tell")
                  + _of(best.hopeless, "no way renders {marks}"),
    }  # fmt: skip
    if len(as_good) > 1:
        return Sentence(
            "As good as one another, the softest must {worst} times the allowed blur: {ways}{besides}", values
        )
    last = max(found, key=lambda way: way.worst)
    return Sentence(
        "Best: {way}. Its softest must, {mark}, comes to {worst} times the allowed blur; the worst way, {last}, "
        "leaves {other} at {most}{besides}",
        {**values, "last": last.name, "other": last.worst_mark, "most": _times(last.worst)},
    )


def _of(marks: Sequence[str], words: str) -> str:
    return f" ({Sentence(words, {'marks': ', '.join(marks)})})" if marks else ""


def ways_dict(ways: Ways, found: Sequence[Way]) -> dict[str, Any]:
    """As JSON: what is to be taken, and where it was, how it came out."""
    exposures = ways.candidate.exposures
    return {
        "format": "verispect-focus-ways",
        "version": 1,
        "f_number": exposures[0].state.f_number,
        "take": [
            {"name": str(name), "focus_m": _told(exposure.focus_m)}
            for name, exposure in zip(ways.names, exposures, strict=True)
        ],
        "ways": [
            {
                "name": str(way.name),
                "file": way.file,
                "focus_m": _told(way.focus_m),
                "softness": {mark: _told(softness) for mark, softness in way.softness.items()},
                "untold": list(way.untold),
                "hopeless": list(way.hopeless),
                "worst_mark": way.worst_mark,
                "worst": _told(way.worst),
                "planned": _told(way.planned),
            }
            for way in found
        ],
        "verdict": str(verdict(found)) if found else None,
    }


def _told(value: float) -> float | None:
    return value if math.isfinite(value) else None
