"""What would change the advice: wishes, movement, rules, stops; and what of the kit would open a dead end."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import partial

import numpy as np

from verispect.optics.criterion import Rule
from verispect.plan.advise.alternatives import STEPS_BACK, stepped_back
from verispect.plan.advise.remedies import eased, holds_with
from verispect.plan.advise.weigh import Weighing
from verispect.plan.document import Plan
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import METHOD_KEYS, Method, method_of
from verispect.plan.scene.scene import Scene
from verispect.sentence import Sentence
from verispect.subject.camera import Around

# What a question finds, worked out when it is called.
Asked = Callable[[], Sentence | None]

_MOST_TIMES = 16.0
# A print so many times as large is another job; with series and grids it would be thousands of frames.
_MOST_LARGER = 4.0
_MOST_TILT_DEG = 40.0
_ANY_CIRCLE_MM = 2000.0
# How many of the simpler methods are asked what they would need.
_SIMPLER = 3


def views_of(plan: Plan) -> list[tuple[Sentence, Plan]]:
    """The plan by the other rules of sharpness, and with the other attitude to small stops; each in words."""
    views: list[tuple[Sentence, Plan]] = [
        (Sentence("the rule {rule}", {"rule": Sentence(rule)}), plan.model_copy(
            update={"wish": plan.wish.model_copy(update={"rule": rule})}))
        for rule in Rule if rule != plan.wish.rule
    ]  # fmt: skip
    refused = plan.kit.refuse_smallest
    other = plan.kit.model_copy(update={"refuse_smallest": 0 if refused else 3})
    words = "every stop allowed" if refused else "the three smallest stops refused"
    views.append((Sentence(words), plan.model_copy(update={"kit": other})))
    return views


def told_of_views(advised: str | None, views: Sequence[tuple[Sentence, str | None, bool]]) -> list[Sentence]:
    """What the advice would be by each view: the key of the method, if any, and whether it would hold."""
    same = [view for view, key, _ in views if key == advised]
    said = []
    for view, key, holds in views:
        if key is not None and key != advised:
            template = "By {view}, {method} would be advised"
            if not holds:
                template = "By {view}, nothing holds; {method} is nearest"
            said.append(Sentence(template, {"view": view, "method": Sentence(method_of(key).name)}))
    if same:
        listed = [part for view in same for part in (view, Sentence(", "))][:-1]
        said.append(Sentence("The advice stays the same by: {views}", {"views": tuple(listed)}))
    return said


def _least(holds: Callable[[float], bool], most: float = _MOST_TIMES) -> float | None:
    """The least factor above 1, up to a limit and to about 1 %, for which something holds."""
    if most <= 1.0 or not holds(most):
        return None
    low, high = 1.0, most
    while high / low > 1.01:
        middle = math.sqrt(low * high)
        low, high = (low, middle) if holds(middle) else (middle, high)
    return high


def thresholds(weighing: Weighing, advised: Candidate) -> list[Asked]:
    """At which wish a simpler method would do, at which the advised one would fail; and the same for movement."""
    plan = weighing.scene.plan
    order = METHOD_KEYS.index(advised.key)
    simpler = [c for c in weighing.candidates[:order] if c.fits and not (c.holds and c.is_sure)][:_SIMPLER]
    asked: list[Asked] = [partial(_would_do, plan, other.method) for other in simpler]
    asked.append(partial(_would_fail, plan, advised.method))
    if np.any(weighing.scene.own_speeds_mm_s[weighing.scene.deciding]):
        asked.append(partial(_too_fast, plan, advised.method))
    return asked


def _would_do(plan: Plan, method: Method) -> Sentence | None:
    times = _least(partial(_holds_eased, plan, method.key))
    if times is None:
        return None
    return Sentence(
        "Printed {share:.0f} % as large, or seen from {times:.2f} times as far, {method} would do",
        {"share": 100.0 / times, "times": times, "method": Sentence(method.name)},
    )


def _would_fail(plan: Plan, method: Method) -> Sentence | None:
    fails = _least(lambda t: not _holds_eased(plan, method.key, 1.0 / t), _MOST_LARGER)
    if fails is None:
        return None
    return Sentence(
        "Printed more than {share:.0f} % as large, or seen from as much nearer, {method} no longer holds",
        {"share": 100.0 * fails / 1.01, "method": Sentence(method.name)},
    )


def _too_fast(plan: Plan, method: Method) -> Sentence | None:
    faster = _least(lambda t: not holds_with(_faster(plan, t), method.key))
    if faster is None:
        return None
    return Sentence(
        "Once things move {times:.2f} times as fast, or {stops:.1f} stops of light are lost, {method} no "
        "longer holds",
        {"times": faster, "stops": math.log2(faster), "method": Sentence(method.name)},
    )


def openings(weighing: Weighing) -> list[Asked]:
    """Where nothing holds: the least more of the kit or of distance with which a method would."""
    plan, nearest = weighing.scene.plan, weighing.advised
    asked: list[Asked] = [partial(_if_it_tilted, plan)] if weighing.by_key("tilt").fits else []
    asked.append(partial(_if_it_stopped_down, plan))
    # What goes all round has no farther back.
    if nearest is not None and not plan.scans and plan.camera.around == Around.PICTURE:
        asked.append(partial(_from_farther_back, weighing.scene, nearest))
    return asked


def _if_it_tilted(plan: Plan) -> Sentence | None:
    now = max(lens.tilt_deg for lens in plan.kit.lenses) + plan.kit.body.back_tilt_deg
    times = _least(lambda t: holds_with(_with_lenses(plan, tilt=t), "tilt"), _MOST_TILT_DEG / now)
    if times is None:
        return None
    return Sentence(
        "{needed:.1f}° of tilt, not {now:.1f}°, with an image circle to match: Tilt would hold",
        {"needed": now * times, "now": now},
    )


def _if_it_stopped_down(plan: Plan) -> Sentence | None:
    times = _least(lambda t: holds_with(_with_lenses(plan, stop=t), "one-frame"), 8.0)
    if times is None:
        return None
    return Sentence(
        "Stops {stops:.1f} smaller than the lenses have: One frame would hold", {"stops": 2.0 * math.log2(times)}
    )


def _from_farther_back(scene: Scene, nearest: str) -> Sentence | None:
    for share in STEPS_BACK:
        back = share * float(scene.depth_mm[scene.deciding].min()) / 1000.0
        if holds_with(stepped_back(scene.plan, back), nearest):
            return Sentence(
                "From {back:.2f} m farther back, cropped to the same, {method} would hold",
                {"back": back, "method": Sentence(method_of(nearest).name)},
            )
    return None


def _with_lenses(plan: Plan, *, tilt: float = 1.0, stop: float = 1.0) -> Plan:
    """The kit with lenses that tilt so many times as far within any circle, or stop down so many times as small."""
    lenses = []
    for lens in plan.kit.lenses:
        update: dict[str, object] = {"f_numbers": (lens.f_numbers[0], lens.f_numbers[1] * stop)}
        if tilt > 1.0:
            rows = (row.model_copy(update={"tilt_deg": None, "image_circle_mm": None}) for row in lens.by_focal)
            update |= {"tilt_deg": lens.tilt_deg * tilt, "image_circle_mm": _ANY_CIRCLE_MM, "by_focal": tuple(rows)}
        lenses.append(lens.model_copy(update=update))
    body = plan.kit.body.model_copy(update={"back_tilt_deg": plan.kit.body.back_tilt_deg * tilt})
    return plan.model_copy(update={"kit": plan.kit.model_copy(update={"lenses": tuple(lenses), "body": body})})


def _holds_eased(plan: Plan, key: str, times: float) -> bool:
    return holds_with(plan.model_copy(update={"wish": eased(plan.wish, times)}), key)


def _faster(plan: Plan, times: float) -> Plan:
    marks = tuple(mark.model_copy(update={"speed_mm_s": mark.speed_mm_s * times}) for mark in plan.marks)
    return plan.model_copy(update={"marks": marks})
