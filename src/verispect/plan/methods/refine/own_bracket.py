"""A focus series as the body's own bracketing takes it: even steps by a whole number, from where it was focused."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from verispect.optics.depth_of_field import image_limits_mm
from verispect.plan.document import BodyBracket, Covers, Order
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.rendering import render
from verispect.plan.methods.candidate import Candidate, Steps
from verispect.sentence import Sentence

# With the finest a body may still go too far.
_FINEST, _COARSEST = 1, 10
# A longer one is set on no body (from memory).
_MOST_FRAMES = 999
# Up to so many frames a number is tried on everything; more are held against the depth of a frame.
_MANY = 60
# What a step is unsure by never makes it vanish.
_MOST_UNSURE = 0.95
# So little softer than frame by frame is as good.
_AS_GOOD = 1.001


@dataclass(frozen=True)
class Unit:
    """What one unit of the step number moves the focus by: mm behind the lens, and its ± as a share."""

    mm: float
    unsure: float


def unit_of(candidate: Candidate) -> Unit | None:
    """By the step test that was kept in the lens; None without one."""
    exposure = candidate.exposures[0]
    known = exposure.lens.lens.focus_step
    if known is None:
        return None
    depth = 2.0 * exposure.state.f_number * circle_mm(candidate)
    return Unit(known.per_step_of_depth * depth, min(known.plus_minus / known.per_step_of_depth, _MOST_UNSURE))


def circle_mm(candidate: Candidate) -> float:
    """The circle of confusion that the step test reckoned with, or the plan's own."""
    assert candidate.criterion is not None
    known = candidate.exposures[0].lens.lens.focus_step
    return (known.circle_mm if known is not None else None) or candidate.criterion.disc_mm


def by_focus_alone(candidate: Candidate) -> bool:
    """Whether frames of one place differ in focus, which a body can set."""
    return (
        candidate.method.merges
        and not candidate.method.on_rail
        and candidate.frame_count > max(1, len(set(candidate.places)))
    )


def focus_span_mm(candidate: Candidate) -> tuple[float, float]:
    """Image distances along the axis of the nearest and the farthest focus of all places, as a ring sets them."""
    rings = [_ring_mm(exposure) for exposure in candidate.exposures]
    return max(rings), min(rings)


def even_spacing_mm(candidate: Candidate) -> float:
    """How far apart even steps may lie.

    The frames of the place with most of them on the average; where they were set for marks alone and jump what
    lies between, no farther than a frame is deep: even steps meet a mark by chance.
    """
    rings: dict[int, list[float]] = {}
    for place, exposure in zip(candidate.places, candidate.exposures, strict=True):
        rings.setdefault(place, []).append(_ring_mm(exposure))
    most = max(rings.values(), key=len)
    average = (max(most) - min(most)) / (len(most) - 1)
    if candidate.scene.plan.wish.series_covers is Covers.MARKS:
        return min(average, max(_depths_mm(candidate), default=average))
    return average


def _depths_mm(candidate: Candidate) -> list[float]:
    """What each frame covers by image distance, along the axis; of those in which some blur will do."""
    found = []
    for exposure in candidate.exposures:
        if math.isfinite(exposure.allowed_blur_mm) and exposure.allowed_blur_mm > 0.0:
            beyond, before = image_limits_mm(exposure.state, exposure.allowed_blur_mm)
            found.append((before - beyond) / float(exposure.state.axis[2]))
    return found


def fitting_steps(candidate: Candidate, unit: Unit) -> Steps:
    """The coarsest number not above the average spacing with which everything is as sharp as frame by frame.

    Tried at the widest the steps may turn out to be, and counted at the narrowest.
    """
    number = _within(math.floor(even_spacing_mm(candidate) / unit.mm + 1e-9))
    while number > _FINEST and not _serves(candidate, unit, steps_with(candidate, unit, number)):
        number -= 1
    return steps_with(candidate, unit, number)


def _serves(candidate: Candidate, unit: Unit, steps: Steps) -> bool:
    """Whether everything is as sharp as frame by frame, however wide or narrow the steps turn out."""
    if steps.most_count > _MANY:
        widest = steps.number * unit.mm * (1.0 + unit.unsure)
        return widest <= min(_depths_mm(candidate), default=0.0) * _AS_GOOD
    enough = max(1.0, candidate.worst_softness * _AS_GOOD)
    return all(
        _bracketed(candidate, steps.number * unit.mm * (1.0 + off), steps.most_count).worst_softness <= enough
        for off in {0.0, unit.unsure, -unit.unsure}
    )


def steps_with(candidate: Candidate, unit: Unit, number: int) -> Steps:
    """How many frames a number needs."""
    count, most = (_count(candidate, number * unit.mm * (1.0 - share)) for share in (0.0, unit.unsure))
    return Steps(number, count, most)


def _count(candidate: Candidate, step_mm: float) -> int:
    """Frames from the nearest focus to the farthest; from the middle half of them go each way."""
    near, far = focus_span_mm(candidate)
    if candidate.scene.plan.choice.order is not Order.CENTRE_FIRST:
        return math.ceil((near - far) / step_mm - 1e-9) + 1
    middle = _middle_mm(candidate)
    towards, away = (math.ceil(part / step_mm - 1e-9) for part in (near - middle, middle - far))
    return max(2 * towards + 1, 2 * away)


def focused_by_body(candidate: Candidate) -> Candidate:
    """A series, or a grid of them, with the frames that the body's own bracket takes, where the plan asks for it."""
    wanted = candidate.scene.plan.choice.bracket
    if wanted is None or not candidate.fits or not by_focus_alone(candidate):
        return candidate
    unit = unit_of(candidate)
    if unit is None:
        said = Sentence(
            "What one step number of the body moves the focus by was never measured with {lens}: the frames stand as "
            "focused one by one; a test run tells (verispect step-test)",
            {"lens": candidate.exposures[0].lens.name},
        )
        return replace(candidate, notes=(*candidate.notes, said), others=())
    steps = _asked(candidate, wanted, unit)
    found = replace(_bracketed(candidate, steps.number * unit.mm, steps.count), bracket=steps)
    each = found.frame_count // len(set(candidate.places))
    said = Sentence(
        "The body brackets the focus by itself, step number {number}, {count} frames from {focus:.3g} m on; focused "
        "one by one it would be {frames} frames at {softness:.2f} of what is allowed",
        {"number": steps.number, "count": each, "focus": found.exposures[found.sequence[0]].focus_m,
         "frames": candidate.frame_count, "softness": candidate.worst_softness},
    )  # fmt: skip
    return replace(found, notes=(*found.notes, said, *_cut_short(steps.count, each)))


def _cut_short(count: int, each: int) -> list[Sentence]:
    if each == count:
        return []
    return [
        Sentence(
            "It comes to the end of the focusing after {each} of {count} frames, and stops there",
            {"each": each, "count": count},
        )
    ]


def _asked(candidate: Candidate, wanted: BodyBracket, unit: Unit) -> Steps:
    """Number and count, each as typed or as it fits the other; of a body that merges no more than it merges."""
    limit = candidate.scene.plan.kit.body.merge_limit if wanted.merged else None
    most = min(limit or _MOST_FRAMES, _MOST_FRAMES)
    if wanted.step_number is not None:
        steps = steps_with(candidate, unit, wanted.step_number)
    else:
        steps = fitting_steps(candidate, unit)
        held = min(wanted.count or steps.most_count, most)
        if wanted.count is not None or held < steps.most_count:
            # So many must go round.
            numbers = range(_FINEST, _COARSEST + 1)
            number = next((n for n in numbers if _count(candidate, n * unit.mm) <= held), _COARSEST)
            steps = Steps(number, held, held)
    return replace(steps, count=max(min(wanted.count or steps.most_count, most), 2))


def _within(number: int) -> int:
    return max(_FINEST, min(_COARSEST, number))


def _bracketed(candidate: Candidate, step_mm: float, count: int | None = None) -> Candidate:
    """The same places, each with frames so far apart from the first focus on, as many as asked or as cover it."""
    assert candidate.criterion is not None
    rings = _rings(candidate, step_mm, count)
    places = candidate.places
    exposures, cells = [], []
    for place in dict.fromkeys(places):
        first = places.index(place)
        for ring in rings:
            exposures.append(_focused(candidate, candidate.exposures[first], ring))
        if candidate.cells:
            cells += [candidate.cells[first]] * len(rings)
    rendering = render(candidate.scene, exposures, candidate.criterion)
    return replace(candidate, exposures=tuple(exposures), cells=tuple(cells), rendering=rendering, others=())


def _rings(candidate: Candidate, step_mm: float, count: int | None) -> list[float]:
    """Image distances along the axis, near to far."""
    near, far = focus_span_mm(candidate)
    number = min(count or _count(candidate, step_mm), _MOST_FRAMES)
    order = candidate.scene.plan.choice.order
    if order is Order.CENTRE_FIRST:
        # It goes away from the middle, then jumps back and comes towards the camera, half of them each way.
        nearest = _middle_mm(candidate) + (number - 1) // 2 * step_mm
    else:
        nearest = far + (number - 1) * step_mm if order is Order.FAR_NEAR else near
    found = [nearest - k * step_mm for k in range(number)]
    assert candidate.problem is not None
    # Where the focusing ends the body stops.
    low, high, slack = candidate.problem.shortest_image_mm, candidate.problem.longest_image_mm, 0.02 * step_mm
    return [min(max(ring, low), high) for ring in found if low - slack <= ring <= high + slack]


def _middle_mm(candidate: Candidate) -> float:
    """The ring of the frame in the middle, where a body that goes both ways begins."""
    rings = sorted({_ring_mm(exposure) for exposure in candidate.exposures}, reverse=True)
    return rings[(len(rings) - 1) // 2]


def _ring_mm(exposure: Exposure) -> float:
    """The image distance along the axis that a lens of its unbreathed focal length would have, focused there."""
    along, own, nominal = exposure.axial_image_distance_mm, exposure.state.focal_mm, exposure.lens.focal_mm
    if own == nominal:
        return along
    if along <= own:
        return along - own + nominal
    object_mm = own * along / (along - own)
    return nominal * object_mm / (object_mm - nominal)


def _focused(candidate: Candidate, exposure: Exposure, ring_mm: float) -> Exposure:
    """An exposure focused elsewhere."""
    assert candidate.problem is not None
    lens, state = exposure.lens, exposure.state
    problem = replace(candidate.problem, lens=lens, focal_mm=lens.focal_mm, pose=exposure.pose)
    focused = problem.state(f_number=state.f_number, image_distance_mm=ring_mm * state.axis[2], axis=state.axis)
    return problem.exposure(focused)
