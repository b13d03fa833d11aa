"""What would make the nearest method hold, where none does: tried, not guessed."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from verispect.errors import PlanError
from verispect.optics.types import Floats
from verispect.plan.advise.confidence_search import can_be_sure
from verispect.plan.document import DetailFrom, Plan, Wish
from verispect.plan.methods.candidate import Candidate
from verispect.plan.scene.scene import Scene
from verispect.sentence import Sentence
from verispect.subject.camera import Around
from verispect.subject.mark import Need

# A wish is eased up to so many times, found to within this share.
_MOST = 8.0
_WITHIN = 0.01
# Marks this nearly as soft as the softest are tried to be let go, so many of them.
_AS_SOFT = 0.97
_TRIED = 4
# What brings a mark onto a frame brings it a little farther than to its very edge.
_MORE = 1.02
# No lens shifts farther than a plan can say, and nobody climbs higher for a mark.
_MOST_SHIFT_MM, _MOST_HIGHER_M = 500.0, 3.0


def remedies(nearest: Candidate, is_cancelled: Callable[[], bool] | None = None) -> tuple[Sentence, ...]:
    """Sentences that each name one change with which this method would hold."""
    found = []
    for attempt in (_shifted, _pointed_elsewhere, _higher, _framed_wider, _without_the_worst, _seen_from_farther):
        if is_cancelled is not None and is_cancelled():
            break
        sentence = attempt(nearest)
        if sentence is not None:
            found.append(sentence)
    return tuple(found)


def holds_with(plan: Plan, key: str) -> bool:
    """Whether a method of this plan holds, as surely as is asked; not where the plan is impossible."""
    try:
        return can_be_sure(key, plan)
    except PlanError:
        return False


def _lost_places(nearest: Candidate) -> tuple[Floats, Floats] | None:
    """Where lost marks lie off the middle of what is seen, and half of that, as tangents.

    Seen is of frames that all look one way what the narrowest has, and of marks beside the picture no more than that.

    Returns
    -------
    off, half : ndarray, shape (K, 2) and (2,)
        None where none is lost, or frames that look elsewhere each lose one in the picture.
    """
    scene = nearest.scene
    beside = _marks_beside(nearest)
    lost = [*(scene.names.index(name) for name in nearest.lost_marks), *beside]
    if not lost or (nearest.method.is_grid and nearest.lost_marks) or scene.plan.camera.around != Around.PICTURE:
        return None
    half, middle = scene.half_picture(), scene.picture_centre()
    if not nearest.method.is_grid:
        scale = max(exposure.state.pupil_scale_mm for exposure in nearest.exposures)
        narrowest = 0.5 * np.asarray(scene.plan.sensor_mm) / scale
        half = np.minimum(half, narrowest) if beside else narrowest
        middle = -np.asarray(nearest.exposures[0].sensor_centre_mm) / nearest.exposures[0].state.pupil_scale_mm
    return scene.points_mm[lost, :2] / scene.points_mm[lost, 2:] - middle, half


def _marks_beside(nearest: Candidate) -> list[int]:
    scene = nearest.scene
    return np.flatnonzero((scene.outside_picture & scene.deciding)[: scene.mark_count]).tolist()


def _lacking(nearest: Candidate) -> tuple[float, float] | None:
    """How far, as tangents right and up, the picture would have to move to take in what is lost.

    None where nothing is, or on both sides: no move brings all of that in.
    """
    places = _lost_places(nearest)
    if places is None:
        return None
    off, half = places
    over = np.sign(off) * np.maximum(np.abs(off) - half, 0.0)
    if np.any((over.max(axis=0) > 0.0) & (over.min(axis=0) < 0.0)):
        return None
    right, up = over[np.argmax(np.abs(over), axis=0), [0, 1]]
    return float(right), float(up)


def _pointed_elsewhere(nearest: Candidate) -> Sentence | None:
    """A turn of the camera that brings a lost mark onto the frame and loses none for it."""
    lacking, places = _lacking(nearest), _lost_places(nearest)
    if lacking is None or places is None:
        return None
    (right, up), half = lacking, places[1]
    # A little more than the least: the mark shall not lie on the very edge.
    turn = _MORE * np.degrees(np.arctan2(right, 1.0 - right * half[0])) if right else 0.0
    pitch = _MORE * np.degrees(np.arctan2(up, 1.0 - up * half[1])) if up else 0.0
    camera = nearest.scene.plan.camera
    changed = {"bearing_deg": camera.bearing_deg + float(turn), "pitch_deg": camera.pitch_deg + float(pitch)}
    if not _holds_from(nearest, changed):
        return None
    method = Sentence(nearest.method.name)
    if up and not right:
        return Sentence(
            "With the camera pitched by {pitch:+.1f}°, {method} holds", {"pitch": pitch, "method": method}
        )
    if right and not up:
        return Sentence("With the camera turned by {turn:+.1f}°, {method} holds", {"turn": turn, "method": method})
    return Sentence(
        "With the camera turned by {turn:+.1f}° and pitched by {pitch:+.1f}°, {method} holds",
        {"turn": turn, "pitch": pitch, "method": method},
    )


def _shifted(nearest: Candidate) -> Sentence | None:
    """A rise or cross of the lens that takes in what lies beside the picture, the camera as level as it is."""
    lacking, kit = _lacking(nearest), nearest.scene.plan.kit
    reach = max((lens.shift_mm for lens in kit.lenses), default=0.0) + kit.body.back_shift_mm
    if lacking is None or reach <= 0.0:
        return None
    camera, framing = nearest.scene.plan.camera, nearest.scene.plan.framing_mm
    rise, cross = (camera.rise_mm + _MORE * lacking[1] * framing, camera.cross_mm + _MORE * lacking[0] * framing)
    if max(abs(rise), abs(cross)) > _MOST_SHIFT_MM or not _holds_from(nearest, {"rise_mm": rise, "cross_mm": cross}):
        return None
    moves = []
    if lacking[1]:
        word = "a rise of {mm:.1f} mm" if rise > 0.0 else "a fall of {mm:.1f} mm"
        moves.append(Sentence(word, {"mm": abs(rise)}))
    if lacking[0]:
        word = "a cross of {mm:.1f} mm to the right" if cross > 0.0 else "a cross of {mm:.1f} mm to the left"
        moves.append(Sentence(word, {"mm": abs(cross)}))
    move = moves[0] if len(moves) == 1 else Sentence("{first} and {other}", {"first": moves[0], "other": moves[1]})
    return Sentence("With {move}, {method} holds", {"move": move, "method": Sentence(nearest.method.name)})


def _higher(nearest: Candidate) -> Sentence | None:
    """The camera put higher or lower, where that alone takes in what is lost above or below."""
    lacking, scene = _lacking(nearest), nearest.scene
    if lacking is None or lacking[0] != 0.0 or lacking[1] == 0.0:
        return None
    lost = [*(scene.names.index(name) for name in nearest.lost_marks), *_marks_beside(nearest)]
    more = _MORE * lacking[1] * float(scene.depth_mm[lost].max()) / 1000.0
    height = scene.plan.camera.height_m + more
    if abs(more) > _MOST_HIGHER_M or height < 0.0 or not _holds_from(nearest, {"height_m": height}):
        return None
    return Sentence(
        "With the camera at {height:.2f} m, {method} holds",
        {"height": height, "method": Sentence(nearest.method.name)},
    )


def _holds_from(nearest: Candidate, changed: dict[str, float]) -> bool:
    """Whether the method would hold with the camera changed so."""
    plan = nearest.scene.plan
    return holds_with(plan.model_copy(update={"camera": plan.camera.model_copy(update=changed)}), nearest.key)


def _framed_wider(nearest: Candidate) -> Sentence | None:
    """A wider framing that takes a lost mark in as near as it is focused."""
    plan, places = nearest.scene.plan, _lost_places(nearest)
    if places is None:
        return None
    times = _MORE * float((np.abs(places[0]) / places[1]).max())
    method = Sentence(nearest.method.name)
    width = plan.camera.framing_width_mm
    if width is not None:
        camera = plan.camera.model_copy(update={"framing_width_mm": width * times})
        said = Sentence(
            "With a picture {mm:.1f} mm wide instead, {method} holds", {"mm": width * times, "method": method}
        )
    else:
        camera = plan.camera.model_copy(update={"framing_mm": plan.camera.framing_mm / times})
        said = Sentence(
            "Framed wider, as by {mm:.1f} mm, {method} holds", {"mm": camera.framing_mm, "method": method}
        )
    return said if holds_with(plan.model_copy(update={"camera": camera}), nearest.key) else None


def _without_the_worst(nearest: Candidate) -> Sentence | None:
    """Let go of one of the softest musts."""
    scene, rendering = nearest.scene, nearest.rendering
    musts = np.flatnonzero(scene.musts)
    if rendering is None or len(np.unique(scene.group[musts])) < 2:
        return None
    softness = np.nan_to_num(rendering.softness[musts], posinf=1e9 - rendering.contrast[musts].min())
    rank = np.where(softness >= 1e8, 1e9 - rendering.contrast[musts], softness)
    # The best focus leaves two or more equally soft, near and far: each of them is tried.
    binding = musts[np.argsort(-rank, kind="stable")][: int(np.count_nonzero(rank >= _AS_SOFT * rank.max()))]
    if nearest.beside:
        # Only what lies beside the picture alone can be let go so that all the rest is held.
        binding = np.array(_marks_beside(nearest) if len(nearest.beside) == 1 else [], int)
    groups = list(dict.fromkeys(scene.group[binding].tolist()))[:_TRIED]
    for group in groups:
        if holds_with(_without(scene.plan, scene, group), nearest.key):
            name = scene.names[int(np.flatnonzero(scene.group == group)[0])]
            method = Sentence(nearest.method.name)
            return Sentence("If {mark} may be soft, {method} holds", {"mark": name, "method": method})
    return None


def _without(plan: Plan, scene: Scene, group: int) -> Plan:
    """The plan with one mark, surface or scan allowed to be soft."""
    if group < scene.mark_count:
        mark = plan.marks[group].model_copy(update={"need": Need.MAY})
        return plan.model_copy(update={"marks": (*plan.marks[:group], mark, *plan.marks[group + 1 :])})
    # The areas of a scene are the surfaces and then the scans that are not indifferent.
    left = group - scene.mark_count
    changed: dict[str, object] = {}
    for key in ("surfaces", "scans"):
        things = []
        for thing in getattr(plan, key):
            counts = thing.need != Need.MAY
            things.append(thing.model_copy(update={"need": Need.MAY}) if counts and left == 0 else thing)
            left -= counts
        changed[key] = tuple(things)
    return plan.model_copy(update=changed)


def eased(wish: Wish, times: float) -> Wish:
    """The wish with detail so many times coarser: seen from farther, or fewer lines or more pixels a line."""
    if wish.detail_from != DetailFrom.PRINT:
        return wish.model_copy(update={"pixels_per_line_pair": wish.pixels_per_line_pair * times})
    if wish.line_pairs_per_mm is not None:
        return wish.model_copy(update={"line_pairs_per_mm": wish.line_pairs_per_mm / times})
    return wish.model_copy(update={"viewing_mm": wish.viewing_mm * times})


def _seen_from_farther(nearest: Candidate) -> Sentence | None:
    """The least easing of the wish with which the method holds."""
    plan = nearest.scene.plan
    if nearest.beside:
        return None

    def holds(times: float) -> bool:
        return holds_with(plan.model_copy(update={"wish": eased(plan.wish, times)}), nearest.key)

    if not holds(_MOST):
        return None
    low, high = 1.0, _MOST
    while high / low > 1.0 + _WITHIN:
        middle = float(np.sqrt(low * high))
        low, high = (low, middle) if holds(middle) else (middle, high)
    wish = eased(plan.wish, high)
    method = Sentence(nearest.method.name)
    if wish.detail_from != DetailFrom.PRINT:
        return Sentence(
            "With a line pair over {pixels:.1f} pixels, {method} holds",
            {"pixels": wish.pixels_per_line_pair, "method": method},
        )
    if wish.line_pairs_per_mm is not None:
        return Sentence(
            "With {lines:.2g} line pairs per mm on the print, {method} holds",
            {"lines": wish.line_pairs_per_mm, "method": method},
        )
    return Sentence(
        "Seen from {far:.0f} mm, or printed {share:.0f} % as large, {method} holds",
        {"far": wish.viewing_mm, "share": 100.0 / high, "method": method},
    )
