"""Focus off the plan, told by how large frames are drawn: a lens that is drawn out draws larger."""

from __future__ import annotations

import math
from collections.abc import Sequence

import cv2
import numpy as np

from verispect.optics.conjugates import object_for_image_distance_mm
from verispect.optics.types import Floats
from verispect.plan.frames.between import closeness_per_mm
from verispect.prove.align.motion import at_middle
from verispect.prove.checks.rail import grows_by_depth, misplaced
from verispect.prove.evidence import Evidence, Grey, is_compressed
from verispect.prove.expected import view_of
from verispect.prove.join.far_out import grown_when_blurred
from verispect.prove.matching.not_of_plan import PUSHED_FAR
from verispect.prove.parting.order import out_of_order
from verispect.prove.parting.passes import detail_of
from verispect.prove.refocused import blurs_apart, disc_mm, refocused
from verispect.prove.report import Fault, FrameReport
from verispect.prove.softness.two_frames import misfit_of_two
from verispect.prove.verdict import metres

# From so many allowed blurs on a focus is a fault.
MISSED = 0.6
# Two of three rests agree when they lie so much nearer than all three do.
_AGREE = 0.12
# A lens is believed to breathe otherwise than planned where that leaves so little of what is off.
_CLEARLY = 0.4
# A frame's focus is off if it is drawn larger or smaller by so many times what all are off in the middle, and by so
# many allowed blurs: less than that is not told from a lens that breathes a little otherwise.
_ODD, _OFF = 4.0, 0.2
# Of two frames one was focused elsewhere if the marks then leave so little unexplained, and it was that one if they
# leave so many times as much for the other. Of eleven pairs, path-traced or drawn by the wave, two explain both
# alike; of the others each leaves 1.3 to 9 times as much for the wrong one.
_EXPLAINED, _ACCUSES = 0.75, 1.2
# A measured scale is sure to about so much.
_SCALE_NOISE = 3e-5
# Of the places of two frames so many are most alike: something that moved, or another knock, lies in the others.
_ALIKE_SHARE = 0.8
# How large a frame is drawn is told only by so many times what its parts and those of the one before disagree by.
_SURE_STEPS = 3.0


def compare_sizes(
    evidence: Evidence,
    reports: Sequence[FrameReport],
    used: Sequence[int],
    scales: Floats,
    planned: Floats,
    scatter: Floats,
) -> None:
    """Focus off the plan, told by how large the frame draws against the others (its breathing).

    Parameters
    ----------
    used : sequence of int
        The n frames that can be laid over one another.
    scales, planned : ndarray, shape (n,)
        How large each is drawn against the first, and as the plan has it; logarithms.
    scatter : ndarray, shape (n - 1,)
        How far parts of each and the one before disagree, as a share of the way from the middle to the corner.
    """
    indices = [evidence.matched[k] for k in used]
    if evidence.candidate is None or any(index is None for index in indices) or np.ptp(planned) < 1e-4:
        return
    if len(used) == 2:
        _one_of_two(evidence, reports, used, float(np.diff(scales - planned)[0]))
    if len(used) < 3:
        return
    slope, rest = _breathing(scales, planned)
    if slope is None:
        return
    if evidence.candidate.method.on_rail:
        scatter = np.maximum(scatter, grows_by_depth(planned) / _SURE_STEPS)
    rest = _by_steps(rest, scatter)
    if len(used) == 3:
        # Two that agree accuse the third; three that lie apart alike are a lens that breathes otherwise.
        ordered = np.sort(rest)
        if min(ordered[1] - ordered[0], ordered[2] - ordered[1]) > _AGREE * (ordered[2] - ordered[0]):
            return
    # What all frames are off by, more or less, is how the lens breathes.
    odd = max(6.0 * _SCALE_NOISE, _ODD * float(np.median(np.abs(rest))))
    for number, k in enumerate(used):
        if abs(rest[number]) >= 6.0 * _SCALE_NOISE:
            # A frame that is focused nearer draws larger; laid over the first it must shrink more.
            grown = -rest[number] / slope
            if not missed_focus(evidence, k, grown, reports[k]) and abs(rest[number]) >= odd:
                as_taken(evidence, k, grown, reports[k])


def _one_of_two(evidence: Evidence, reports: Sequence[FrameReport], used: Sequence[int], shrunk: float) -> None:
    """Which of two frames was focused off the plan, where the second is drawn smaller than planned by so much.

    How large they are drawn tells how far, marks whose distance the plan knows tell which; a lens that breathes
    otherwise than planned leaves the marks as they should be.
    """
    candidate = evidence.candidate
    indices = [evidence.matched[k] for k in used]
    assert candidate is not None
    if len(candidate.exposures) != 2 or None in indices or not candidate.method.merges or candidate.method.on_rail:
        return
    planned = [candidate.exposures[index] for index in indices if index is not None]
    if not all(exposure.allowed_blur_mm > 0.0 for exposure in planned):
        return
    either = [
        [refocused(planned[0], shrunk), planned[1]],
        [planned[0], refocused(planned[1], -shrunk)],
    ]
    if max(blurs_apart(*pair) for pair in zip(planned, [either[0][0], either[1][1]], strict=True)) < _OFF:
        return
    blocks = [evidence.reads[k].blocks for k in used]
    as_planned, *others = (misfit_of_two(candidate, pair, blocks, evidence.pitch_mm) for pair in (planned, *either))
    best = int(np.argmin(others))
    if not others[best] < _EXPLAINED * as_planned:
        return
    if others[1 - best] > _ACCUSES * others[best]:
        grown, report = (1 - 2 * best) * shrunk, reports[used[best]]
        if not missed_focus(evidence, used[best], grown, report):
            as_taken(evidence, used[best], grown, report)
        return
    blurs = blurs_apart(planned[best], either[best][best])
    if blurs < MISSED:
        return
    both = " and ".join(evidence.frames[k].path.name for k in used)
    for k in used:
        reports[k].faults.append(
            Fault("missed-focus", blurs,
                  f"this frame or the other was focused off the plan by {blurs:.1f} allowed blurs; the marks do "
                  "not tell which",
                  f"take {both} again, with manual focus")
        )  # fmt: skip


def _breathing(scales: Floats, planned: Floats) -> tuple[float | None, Floats]:
    """How many times the plan a lens breathes, and what is left of each frame; None where no such lens is known.

    As the plan has it, or as the middle one of all pairs shows it where that leaves far less: one odd frame among few
    bends the pairs.
    """
    pairs = [
        (scales[j] - scales[i]) / (planned[j] - planned[i])
        for i in range(len(scales))
        for j in range(i + 1, len(scales))
        if abs(planned[j] - planned[i]) > 0.1 * np.ptp(planned)
    ]
    fitted = float(np.median(pairs))
    as_planned, as_fitted = (rest - np.median(rest) for rest in (scales - planned, scales - fitted * planned))
    if len(scales) == 3 or np.abs(as_fitted).sum() > _CLEARLY * np.abs(as_planned).sum():
        return 1.0, as_planned
    # What fits neither is not told by its breathing.
    return (fitted if 0.3 < fitted < 3.0 else None), as_fitted


def missed_focus(evidence: Evidence, k: int, grown: float, report: FrameReport) -> bool:
    """Whether a frame that is drawn larger than planned (a logarithm) is out of focus; it is then said."""
    index = evidence.matched[k]
    if index is None or not evidence.exposures[index].allowed_blur_mm > 0.0:
        return False
    exposure = evidence.exposures[index]
    assert evidence.candidate is not None
    if evidence.candidate.method.on_rail:
        return misplaced(evidence.candidate, exposure, grown, report, least_blurs=MISSED)
    taken = refocused(exposure, grown)
    blurs = blurs_apart(exposure, taken)
    if blurs < MISSED:
        return False
    focused = taken.state.image_distance_mm
    where = object_for_image_distance_mm(image_mm=focused, focal_mm=taken.state.focal_mm) / 1000.0
    nearer = closeness_per_mm(taken) > closeness_per_mm(exposure)
    report.as_found = taken
    report.faults.append(
        Fault("missed-focus", float(blurs),
              f"focused {'nearer' if nearer else 'farther'} than planned, by {blurs:.1f} allowed blurs"
              + (f" (about {where:.2f} m)" if math.isfinite(where) else ""),
              f"take it again at {metres(exposure.focus_m)}, with manual focus")
    )  # fmt: skip
    return True


def moved_by_focus(evidence: Evidence, k: int, report: FrameReport) -> Floats:
    """How far down, right (pixels) and turned (degrees) a frame shows its middle for having been focused elsewhere.

    A lens that is tilted or shifted draws larger about another place than the middle.
    """
    planned, taken = evidence.view(k), report.as_found
    if planned is None or taken is None or evidence.candidate is None or evidence.candidate.method.on_rail:
        return np.zeros(3)
    pixels = evidence.pixels
    found = view_of(taken, pixels, evidence.pitch_mm, planned.rotation)
    down, right, turn, _ = at_middle(planned.onto(found), (0.5 * (pixels[0] - 1), 0.5 * (pixels[1] - 1)))
    return np.array([down, right, turn])


def disc_px(evidence: Evidence, index: int, grown: float) -> float:
    """By what disc an exposure blurs what it should render sharp where it is drawn larger than planned, pixels."""
    exposure = evidence.exposures[index]
    return disc_mm(exposure, refocused(exposure, grown)) / evidence.pitch_mm


def missed_by_far(evidence: Evidence, k: int, beside: Sequence[int], report: FrameReport) -> bool:
    """Whether a frame that cannot be laid over those beside it shows the same far out of focus; it is then said."""
    views = [view for number in (k, *beside) if (view := evidence.view(number)) is not None]
    index, candidate = evidence.matched[k], evidence.candidate
    if index is None or candidate is None or candidate.method.on_rail or len(views) <= len(beside):
        return False
    greys = [evidence.reads[number].grey for number in (k, *beside)]
    grown = grown_when_blurred(
        views, greys, evidence.pixels, lambda _number, grown: disc_px(evidence, index, grown), 0
    )
    return grown is not None and missed_focus(evidence, k, grown, report)


def out_of_focus(evidence: Evidence, k: int, blurred_px: float, report: FrameReport) -> None:
    """Say that a frame is blurred by a disc, whichever way its focus is off."""
    index = evidence.matched[k]
    says, remedy, size = f"far out of focus, by a disc of about {blurred_px:.0f} px", "take it again", blurred_px
    if index is not None and (allowed := evidence.exposures[index].allowed_blur_mm) > 0.0:
        size = blurred_px * evidence.pitch_mm / allowed
        says += f", {size:.1f} allowed blurs"
        remedy += f" at {metres(evidence.exposures[index].focus_m)}"
    report.is_far_out = True
    # It may have been said already, by its order.
    report.faults = [fault for fault in report.faults if fault.name != "missed-focus"]
    report.faults.append(Fault("missed-focus", float(size), says, f"{remedy}, with manual focus"))


def as_taken(evidence: Evidence, k: int, grown: float, report: FrameReport) -> None:
    """Keep how a frame was focused that is off by less than a fault: marks are told by it all the same."""
    index = evidence.matched[k]
    if index is None or evidence.candidate is None or evidence.candidate.method.on_rail:
        return
    exposure = evidence.exposures[index]
    taken = refocused(exposure, grown)
    if blurs_apart(exposure, taken) >= _OFF:
        report.as_found = taken


def _by_steps(rest: Floats, scatter: Floats) -> Floats:
    """How far frames (n,) are off, less what creeps from one to the next by no more than it is known.

    Parameters
    ----------
    scatter : ndarray, shape (n - 1,)
        How far parts of each and the one before disagree.
    """
    steps = np.diff(rest)
    jumped = np.cumsum([0.0, *np.where(np.abs(steps) > _SURE_STEPS * scatter, steps, 0.0)])
    jumped -= np.median(jumped)
    agreed = np.where(np.sign(jumped) == np.sign(rest), np.sign(rest), 0.0)
    found: Floats = agreed * np.minimum(np.abs(rest), np.abs(jumped))
    return found


def out_of_its_order(used: Sequence[int], details: Sequence[Floats], reports: Sequence[FrameReport]) -> None:
    """Where nothing is planned the series itself tells where a frame should have been focused."""
    for number, steps in out_of_order(details).items():
        where = "further on" if steps > 0.0 else "back"
        reports[used[number]].faults.append(
            Fault("missed-focus", abs(steps),
                  f"not focused between its neighbours but about {abs(steps):.1f} steps {where} in the series",
                  "take it again, focused between the frames before and after it, with manual focus")
        )  # fmt: skip


def in_order_after_all(
    evidence: Evidence, used: Sequence[int], smalls: Sequence[Grey], reports: Sequence[FrameReport]
) -> None:
    """Take back what was said of frames by what they show at the same places, where another fault explains it.

    A camera's own curve gives darker frames other contrast: such a JPEG is not out of its place in focus. Nor is a
    frame that was pushed so far that it shows other things at the same places. For what was pushed less, or where
    something moved, places are held against one another once more as they came to lie, but for those most unlike.
    """
    far = PUSHED_FAR * math.hypot(*evidence.pixels)
    accused = {number for number, k in enumerate(used) if not reports[k].without("missed-focus")}
    if accused:
        details = [detail_of(_as_it_lay(small, reports[k].moved(evidence.pixels), evidence.pixels))
                   for k, small in zip(used, smalls, strict=True)]  # fmt: skip
        accused &= set(out_of_order(details, alike=_ALIKE_SHARE))
    for number, k in enumerate(used):
        if reports[k].is_far_out:
            continue
        darker = is_compressed(evidence.frames[k]) and not reports[k].without("exposure")
        if number not in accused or darker or math.hypot(*reports[k].shift_px) > far:
            reports[k].faults = [fault for fault in reports[k].faults if fault.name != "missed-focus"]


def _as_it_lay(small: Grey, moved: Floats, pixels: tuple[int, int]) -> Grey:
    """A small picture of a frame of so many pixels as it would be had the frame not been moved."""
    rows, columns = small.shape
    smaller = np.diag([columns / pixels[0], rows / pixels[1], 1.0])
    matrix = smaller @ moved @ np.linalg.inv(smaller)
    how = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(
        cv2.warpPerspective(small, matrix, (columns, rows), flags=how, borderMode=cv2.BORDER_REPLICATE), np.float32
    )
