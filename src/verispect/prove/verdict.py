"""What follows from checked frames: which are missing, where gaps are, what to take again."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from verispect.optics.conjugates import image_distance_for_object_mm, object_for_image_distance_mm
from verispect.plan.frames.between import blur_between
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.shots import Shot
from verispect.plan.methods.candidate import Candidate
from verispect.prove.checks.coverage import Coverage
from verispect.prove.expected import ahead_m
from verispect.prove.parting.sets import SetKind
from verispect.prove.report import REDO, Fault, FrameReport, surface_words
from verispect.prove.softness.block_map import BlockMap
from verispect.prove.softness.mark_softness import BY_TWO, MarkSoftness
from verispect.prove.softness.on_surfaces import SurfaceSoftness

# A gap is told from this softness on; and so finely its place is sought.
_SOFT, _HALVINGS = 1.05, 40
# Of what is lost so many are named.
_MOST_LOST = 6


def missing_frames(
    candidate: Candidate | None, there: Sequence[Shot], *, of_set: int | None = None
) -> list[FrameReport]:
    """A report without a file for every planned exposure, or shot of one, that no frame was matched to."""
    if candidate is None:
        return []
    taken = {(shot.exposure, shot.number) for shot in there}
    known = {exposure for exposure, _ in taken}
    # Where no frame was taken more than once nobody meant to, or its shots were put together.
    several = any(number for _, number in taken)
    where = "" if of_set is None else f" in set {of_set + 1}"
    found = []
    for shot in candidate.shots:
        if several and shot.exposure in known and (shot.exposure, shot.number) not in taken:
            lost = FrameReport(file=None, planned_exposure=shot.exposure, shot=shot.number, set=of_set or 0,
                               place=shot.exposure)  # fmt: skip
            number = candidate.number_of(shot.exposure)
            lost.faults.append(
                Fault("missing", 0.0, f"shot {shot.number + 1} of frame {number} is not there{where}",
                      "take it before the camera is moved, or do without it")
            )  # fmt: skip
            found.append(lost)
    for index, exposure in enumerate(candidate.exposures):
        if index not in known:
            lost = FrameReport(file=None, planned_exposure=index, set=of_set or 0, place=index)
            number = candidate.number_of(index)
            lost.faults.append(
                Fault("missing", 0.0, f"frame {number} of {candidate.frame_count} is not there{where}",
                      f"take it, {set_to(candidate, exposure)}")
            )  # fmt: skip
            found.append(lost)
    return found


def gaps_between(
    candidate: Candidate | None, matched: Sequence[int | None], reports: Sequence[FrameReport]
) -> list[dict[str, Any]]:
    """Depths between two frames of a series that neither holds."""
    if candidate is None or candidate.method.is_grid or not candidate.method.merges:
        return []
    good = sorted(
        {
            index
            for k, index in enumerate(matched)
            if index is not None and reports[k].without("dark", "missed-focus", "motion")
        }
    )
    found = []
    for a, b in itertools.pairwise(good):
        first, second = candidate.exposures[a], candidate.exposures[b]
        allowed = min(first.allowed_blur_mm, second.allowed_blur_mm)
        if not allowed > 0.0:
            continue
        if candidate.method.on_rail:
            softness = _between_places(first, second) / allowed
            if softness > _SOFT:
                place = 0.5 * (rail_place_mm(candidate, first) + rail_place_mm(candidate, second))
                remedy = f"one more frame, with the rail at {place:.3g} mm"
                found.append({"between": [a, b], "softness": float(softness), "remedy": remedy})
            continue
        blur, where = blur_between(first, second)
        softness = blur / allowed
        if softness > _SOFT:
            between = first.focused(where)
            found.append(
                {
                    "between": [a, b],
                    "softness": float(softness),
                    "remedy": f"one more frame focused at {metres(between.focus_m)}",
                }
            )
    return found


def _between_places(first: Exposure, second: Exposure) -> float:
    """The least blur, in mm, that two places of a rail leave somewhere between what they are focused on."""
    far, near = (first, second) if ahead_m(first, second) > 0.0 else (second, first)
    state = near.state
    image = state.image_distance_mm
    exit_mm = state.focal_mm * (1 - state.pupil_magnification)
    away = object_for_image_distance_mm(image_mm=image, focal_mm=state.focal_mm)

    def off(at_mm: float) -> float:
        sharp = image_distance_for_object_mm(object_mm=at_mm, focal_mm=state.focal_mm)
        return abs(image - sharp) / (sharp - exit_mm)

    # Ever softer from what the rear place is focused on, ever sharper towards that of the other.
    step = 1000.0 * ahead_m(far, near)
    low, high = 0.0, step
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if off(away + middle) < off(away + middle - step) else (low, middle)
    return state.pupil_magnification * state.focal_mm / state.f_number * off(away + low)


def rail_place_mm(candidate: Candidate, exposure: Exposure) -> float:
    """Where the rail stands for a frame, from its first place, as Set has it."""
    return 1000.0 * ahead_m(exposure, candidate.exposures[0])


def set_to(candidate: Candidate, exposure: Exposure) -> str:
    """How a frame is taken: by its focus, or by its place on the rail."""
    if candidate.method.on_rail:
        return f"with the rail at {rail_place_mm(candidate, exposure):.4g} mm"
    return f"focused at {metres(exposure.focus_m)}"


def redo(
    frames: Sequence[FrameReport],
    marks: Sequence[MarkSoftness] = (),
    gaps: Sequence[dict[str, Any]] = (),
    surfaces: Sequence[SurfaceSoftness] = (),
) -> list[str]:
    """What to take again while the camera still stands, in words."""
    said: list[str] = []
    told: set[str] = set()
    for frame in frames:
        for fault in frame.faults:
            # A remedy that names what it mends is told once.
            names = any(other.file is not None and other.file in fault.remedy for other in frames)
            if fault.name not in REDO or (names and fault.remedy in told):
                continue
            told.add(fault.remedy)
            name = f"{frame.file}: " if frame.file else ""
            said.append(f"again: {name}{fault.says}; {fault.remedy}")
    # What lies between two frames that are not next to one another is taken again anyway.
    near = [gap for gap in gaps if gap["between"][1] - gap["between"][0] == 1]
    said += [f"between {gap['between'][0] + 1} and {gap['between'][1] + 1}: {gap['remedy']}" for gap in near]
    for mark in marks:
        if mark.softness is not None and mark.verdict == "soft" and (mark.planned or 0.0) <= 1.0:
            said.append(f"{mark.name} is {mark.softness:.1f} times the allowed blur, planned {mark.planned or 0:.2f}")
    # Where a frame is taken again anyway, that comes first.
    for one in surfaces if not near and not any(frame.file is None for frame in frames) else ():
        if one.is_missed:
            said.append(f"{one.name}: {surface_words(one)}: one more frame focused there")
    return said


def losses_words(lost: Mapping[str, float]) -> str:
    """What of what must be sharp the frames that are there do not hold, so that nobody walks back for nothing."""
    if not lost:
        return (
            "Without what is to be taken again nothing that must be sharp is lost: the frames that are there hold it"
        )
    told = [
        f"{name} (on no frame)" if math.isinf(softness) else f"{name} ({softness:.1f} times the allowed blur)"
        for name, softness in list(lost.items())[:_MOST_LOST]
    ]
    rest = f" and {len(lost) - _MOST_LOST} more" if len(lost) > _MOST_LOST else ""
    return f"Without what is to be taken again is lost: {', '.join(told)}{rest}; all else that the plan holds is held"


def covered_words(coverage: Coverage | None) -> list[str]:
    """How much of a grid's picture is there, where that is not all."""
    if coverage is None or not coverage.holes:
        return []
    thin = "; what is lost is a thin strip along its edge, which is cropped away"
    return [
        f"{100.0 * coverage.share:.1f} % of the wanted picture lies on the frames that are there"
        + (thin if all(hole.is_rim for hole in coverage.holes) else "")
    ]


def holes_to_fill(
    coverage: Coverage | None, candidate: Candidate | None, missing: Sequence[FrameReport]
) -> list[str]:
    """What of a grid's picture is on no frame, where that is not because a frame is not there at all."""
    if coverage is None or candidate is None:
        return []
    lost = {frame.planned_exposure for frame in missing}
    return [
        f"{100.0 * hole.share:.1f} % of the wanted picture, at the {hole.where}, is on no frame: take frame "
        f"{candidate.number_of(hole.exposure)} again"
        for hole in coverage.holes
        if hole.exposure not in lost and not hole.is_rim
    ]


def advice(
    frames: Sequence[FrameReport],
    marks: Sequence[MarkSoftness],
    *,
    planned: bool,
    plain: bool,
    blocks: BlockMap | None = None,
) -> list[str]:
    """What would have told more, and what came out soft elsewhere than at marks."""
    said = []
    if not planned:
        said.append("With a plan the softness of every mark is measured and missing frames are found")
    if any(fault.name == "unsteady" for frame in frames for fault in frame.faults):
        said.append(
            "The camera stood elsewhere in every frame, as in a hand or on something that sags: a merge lays them "
            "over one another and is cropped for it, but near things may not fit"
        )
    said += [f"{mark.name}: {mark.how}" for mark in marks if mark.hidden]
    by_two = sum(mark.how == BY_TWO for mark in marks)
    if by_two:
        said.append(
            f"{by_two} of {len(marks)} marks show in two frames alone, which tell how sharp they came out only where "
            "they and three others look as planned: an edge at the mark, or a frame between the two, would tell"
        )
    untold = sum(mark.softness is None and not mark.hidden for mark in marks) - by_two
    if untold:
        said.append(
            f"How sharp {untold} of {len(marks)} marks came out cannot be told: it takes an edge at "
            "the mark, or three frames that show it and pixels finer than the blur"
        )
    if blocks is not None and blocks.soft.any():
        worst = int(np.argmax(np.where(blocks.soft, blocks.softness, -1.0)))
        row, column = np.unravel_index(worst, blocks.soft.shape)
        said.append(
            f"Of {blocks.told} places all over the picture that can be told {int(blocks.soft.sum())} came out softer "
            f"than allowed in every frame, the softest {blocks.softness[row, column]:.1f} times, about row "
            f"{blocks.rows[row]:.0f}, column {blocks.columns[column]:.0f}: see whether they matter"
        )
    if not plain:
        said.append(
            "Dust cannot be told from what the frames show: one frame of something plain, out of focus and at the "
            "smallest stop, put beside them, tells of it"
        )
    if any(mark.name == "missing" for frame in frames for mark in frame.faults):
        said.append("Take missing frames before the camera is moved")
    return said


def not_compared_words(kinds: Sequence[SetKind], sizes: Sequence[int], *, planned: bool) -> list[str]:
    """Of which sets the frames were held against nothing, being neither of one view nor placed side by side."""
    if planned and kinds[:1] == [SetKind.UNKNOWN]:
        return [
            "These frames show unlike things: they are no series as the plan's method has it, but may be joined side "
            "by side"
        ]
    return [
        f"The {size} frames {f'of set {number} ' if len(kinds) > 1 else ''}lie neither on one another nor side by "
        "side for sure: what they show repeats, overlaps too little, or is far out of focus. Nothing was compared; "
        "the plan they were taken by would tell where they look"
        for number, (kind, size) in enumerate(zip(kinds, sizes, strict=True), 1)
        if kind is SetKind.UNKNOWN and size > 1
    ]


def metres(distance: float) -> str:
    """A distance in words."""
    return "infinity" if math.isinf(distance) else f"{distance:.2f} m" if distance < 100 else f"{distance:.0f} m"
