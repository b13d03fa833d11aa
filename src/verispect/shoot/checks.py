"""Checks before the first frame, derived from the plan (common practice)."""

from __future__ import annotations

from verispect.plan.methods.candidate import Candidate
from verispect.sentence import Sentence

_LONG_LENS_MM = 100.0
_SLOW_S = 1.0 / 60.0
# Self-timers there are, and how long a firm tripod is left to calm down.
_TIMERS_S = (2.0, 5.0, 10.0)


def self_timer_s(candidate: Candidate) -> float:
    """The shortest usual self-timer that lets the camera calm down."""
    settle = candidate.scene.plan.kit.times.settle_s
    if candidate.focal_mm >= _LONG_LENS_MM:
        settle = max(settle, 5.0)
    return next((timer for timer in _TIMERS_S if timer >= settle), _TIMERS_S[-1])


def _of_the_release(candidate: Candidate) -> list[Sentence]:
    return [
        Sentence("Stabiliser off on a firm tripod; on in wind if it stays sharper in a trial frame"),
        Sentence("Cable, remote or self-timer of {seconds:g} s", {"seconds": self_timer_s(candidate)}),
    ]


def _of_the_tripod(candidate: Candidate) -> list[Sentence]:
    found = [Sentence("Legs spread, column down, every knob tight; on soft or wet ground feet pressed in")]
    if candidate.focal_mm >= _LONG_LENS_MM:
        found.append(Sentence("Collar of the long lens on the head, not the body"))
    return found


def _of_the_focus(candidate: Candidate) -> Sentence:
    if candidate.bracket is None:
        return Sentence("Manual focus; the ring has not slipped since it was set")
    return Sentence(
        "The body's bracket at step number {number} and {count} frames, begun focused at {focus:.3g} m; the lens "
        "switched as the bracket needs it, and where it stands looked at before each",
        {"number": candidate.bracket.number, "count": candidate.bracket.count,
         "focus": candidate.exposures[candidate.sequence[0]].focus_m},
    )  # fmt: skip


def checks(candidate: Candidate) -> list[Sentence]:
    """What to look at before the first frame of this method with this kit, but for what the plan hides."""
    plan = candidate.scene.plan
    found = [check for check in _derived(candidate) if check.template not in plan.hidden_checks]
    # The user's own words, whatever they are, are shown as they stand.
    return found + [Sentence("{text}", {"text": text.rstrip(". ")}) for text in plan.own_checks]


def _derived(candidate: Candidate) -> list[Sentence]:
    plan, method = candidate.scene.plan, candidate.method
    many = candidate.frame_count > 1
    found = [
        _of_the_focus(candidate),
        *([] if plan.camera.hand_held else _of_the_release(candidate)),
    ]
    if many:
        found.append(
            Sentence("Manual exposure, fixed white balance, ISO fixed at {iso:g}", {"iso": plan.kit.body.iso})
        )
    slowest = max((exposure.shutter_s for exposure in candidate.exposures), default=0.0)
    if slowest >= _SLOW_S:
        found.append(Sentence("Electronic or first-curtain shutter, silent: exposures of {seconds:.2g} s show shake",
                              {"seconds": slowest}))  # fmt: skip
    if plan.camera.hand_held:
        found.append(Sentence("Lean on something, elbows in, breathe out; take it three times over"))
    else:
        found += _of_the_tripod(candidate)
    if method.tilts:
        found.append(Sentence("Movements locked; the rotation of the mount has clicked in"))
    if method.turns:
        found.append(Sentence("Head level; near and far do not move apart as it turns"))
        found.append(Sentence("No polariser across a turned grid: the sky would come out uneven"))
    if method.on_rail:
        found.append(Sentence("The rail's unit is millimetres; slack taken out by coming from one side"))
    if many:
        found.append(Sentence("Highlights in the brightest frame not clipped"))
    recycle = plan.kit.times.flash_recycle_s
    if recycle > 0.0:
        found.append(
            Sentence("Flash by hand at one power, {s:g} s between frames; it gets hot, and nobody looks into it",
                     {"s": recycle})
        )  # fmt: skip
    body = plan.kit.body
    megabytes = candidate.shot_count * body.raw_mb
    found.append(
        Sentence("Card has room for {mb:.0f} MB, battery for {frames} frames and {minutes:.0f} minutes",
                 {"mb": megabytes, "frames": candidate.shot_count, "minutes": candidate.time_on_site_s / 60.0 + 1.0})
    )  # fmt: skip
    if any(mark.speed_mm_s > 0.0 for mark in plan.marks):
        found.append(Sentence("Wait for stillness of what moves; take such a frame again if it did not keep still"))
    if many:
        found.append(
            Sentence("A dark frame (a cloth before the lens) before and after, to part this set from others")
        )
    return found
