"""Which stops, times and ISOs serve a method as it is focused: a region, with what bounds it on every side."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from verispect.optics.exposure_time import shutter_words
from verispect.optics.f_stops import marked
from verispect.optics.lens_state import from_principal_point
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.rendering import render
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.refine.iso_choice import signal_to_noise
from verispect.plan.scene.scene import Scene
from verispect.sentence import Sentence

# Times are found within this share, and nothing is exposed for longer.
_WITHIN, _LONGEST_S = 0.005, 3600.0
_SHORTEST_S = 1.0 / 32000.0


@dataclass(frozen=True)
class StopLimits:
    """One stop.

    Attributes
    ----------
    f_number : float
    softness : float
        Of the softest deciding mark if nothing moved at all; the stop is of no use above 1.
    longest_s : float
        Before what moves, or the hands, smear it past 1; inf where nothing does, 0 where no time is short enough.
    shortest_s, at_base_s : float
        In this light, at the highest ISO that serves and at the lowest.
    worst : str
        The mark that decides: the softest, or the first to smear.
    """

    f_number: float
    softness: float
    longest_s: float
    shortest_s: float
    at_base_s: float
    worst: str

    @property
    def serves(self) -> bool:
        """Whether some time and ISO hold everything at this stop."""
        return self.softness <= 1.0 and self.shortest_s <= self.longest_s * (1.0 + _WITHIN)

    @property
    def times_s(self) -> tuple[float, float]:
        """Shortest and longest time that serve."""
        return self.shortest_s, min(self.longest_s, self.at_base_s)


@dataclass(frozen=True)
class ExposureRegion:
    """All stops of the lens, from wide to small.

    Attributes
    ----------
    stops : tuple of StopLimits
    isos : (float, float)
        Lowest and highest that serve.
    chosen : (float, float, float)
        Stop, seconds and ISO as planned.
    bounds : tuple of Sentence
        What ends the region: wide stops, small stops, long times, short times.
    """

    stops: tuple[StopLimits, ...]
    isos: tuple[float, float]
    chosen: tuple[float, float, float]
    bounds: tuple[Sentence, ...]

    @property
    def serving(self) -> tuple[StopLimits, ...]:
        """The stops that serve."""
        return tuple(stop for stop in self.stops if stop.serves)


def exposure_region(candidate: Candidate) -> ExposureRegion | None:
    """The region about a method's own focus and plane; None where it has no exposures."""
    lens, criterion, problem = candidate.lens, candidate.criterion, candidate.problem
    if lens is None or criterion is None or problem is None or not candidate.exposures:
        return None
    scene, body = candidate.scene, candidate.scene.plan.kit.body
    (low, high), noisy = _isos(candidate)
    found = []
    for f_number in problem.stops.tolist():
        # Focus and plane stay; what opens or closes is the stop alone.
        exposures = [problem.exposure(exposure.state.at(f_number), exposure.sensor_centre_mm)
                     for exposure in candidate.exposures]  # fmt: skip
        exposures = [replace(new, pose=old.pose) for new, old in zip(exposures, candidate.exposures, strict=True)]
        metered = max(exposure.shutter_s for exposure in exposures) * body.iso

        softness = _by_time(candidate, exposures)
        still, worst = softness(0.0)
        longest, smears = _longest(softness) if still <= 1.0 else (0.0, worst)
        found.append(StopLimits(f_number, still, longest, metered / high, metered / low, smears or worst))
    first = candidate.exposures[0]
    chosen = (first.state.f_number, first.shutter_s, body.iso)
    return ExposureRegion(tuple(found), (low, high), chosen, tuple(_bounds(scene, found, (low, high), noisy)))


def _by_time(candidate: Candidate, exposures: Sequence[Exposure]) -> Callable[[float], tuple[float, str]]:
    """Softness of the softest deciding mark by exposure time, and its name; each as its best frame shows it."""
    scene, criterion = candidate.scene, candidate.criterion
    assert criterion is not None
    still = render(scene, [replace(exposure, shutter_s=0.0) for exposure in exposures], criterion)
    marks = np.flatnonzero(scene.deciding)
    working = np.array([exposure.state.working_f_number for exposure in exposures])[still.exposure[marks]]
    image = np.array([exposure.state.image_distance_mm for exposure in exposures])[still.exposure[marks]]
    depth = np.empty(len(marks))
    for index, exposure in enumerate(exposures):
        mine = still.exposure[marks] == index
        points = from_principal_point(exposure.pose.to_camera_mm(scene.world_m[marks[mine]]), exposure.state)
        depth[mine] = points[:, 2]
    drawn = image / np.maximum(depth, 1e-6)
    if not scene.speeds_mm_s[marks].any():
        worst = int(np.argmax(still.softness[marks]))
        answer = float(still.softness[marks][worst]), scene.names[marks[worst]]
        return lambda _seconds: answer

    def softness(seconds: float) -> tuple[float, str]:
        if seconds <= 0.0:
            values = still.softness[marks]
        else:
            values = criterion.softness(
                still.blur_long_mm[marks],
                working,
                scene.path_mm(seconds, marks) * drawn,
                residual_mm=still.residual_mm[marks],
            )
        worst = int(np.argmax(values))
        return float(values[worst]), scene.names[marks[worst]]

    return softness


def _isos(candidate: Candidate) -> tuple[tuple[float, float], bool]:
    """Lowest and highest ISO, and whether noise ends it before the body does."""
    plan, criterion = candidate.scene.plan, candidate.criterion
    assert criterion is not None
    body, wanted = plan.kit.body, plan.wish.noise_ratio
    low, top = body.iso_range or (body.iso, body.iso)
    low, top = min(low, body.iso), max(top, body.iso)
    if wanted is None:
        return (low, top), False

    def enough(iso: float) -> bool:
        return signal_to_noise(body.at_iso(iso), iso=iso, frequency=criterion.frequency) >= wanted

    high = low
    while high * 2.0 ** (1.0 / 3.0) <= top * (1.0 + 1e-6) and enough(high * 2.0 ** (1.0 / 3.0)):
        high *= 2.0 ** (1.0 / 3.0)
    return (low, high), high < top * (1.0 - 1e-6)


def _longest(softness: Callable[[float], tuple[float, str]]) -> tuple[float, str]:
    """The longest time with which all is sharp, and what smears first beyond it."""
    if softness(_LONGEST_S)[0] <= 1.0:
        return math.inf, ""
    low, high = math.log(_SHORTEST_S), math.log(_LONGEST_S)
    if softness(_SHORTEST_S)[0] > 1.0:
        return 0.0, softness(_SHORTEST_S)[1]
    while high - low > _WITHIN:
        middle = 0.5 * (low + high)
        if softness(math.exp(middle))[0] <= 1.0:
            low = middle
        else:
            high = middle
    return math.exp(low), softness(math.exp(high))[1]


def _bounds(scene: Scene, stops: list[StopLimits], isos: tuple[float, float], noisy: bool) -> list[Sentence]:
    serving = [k for k, stop in enumerate(stops) if stop.serves]
    if not serving:
        return [_none_serves(stops)]
    said = [_end(stops, serving[0], -1), _end(stops, serving[-1], +1)]
    moved = [stops[k] for k in serving if math.isfinite(stops[k].longest_s)]
    if moved:
        said.append(
            Sentence(
                "longer times: {mark} smears, {how}",
                {"mark": moved[0].worst, "how": _how(scene, moved[0].worst)},
            )
        )
    high: dict[str, object] = {"iso": isos[1]}
    if isos[1] > isos[0] * 1.01:
        said.append(
            Sentence("shorter times: ISO {iso:.0f}, beyond which it is noisier than is wished", high)
            if noisy
            else Sentence("shorter times: ISO {iso:.0f}, the highest that the kit allows", high)
        )
    return said


def _none_serves(stops: list[StopLimits]) -> Sentence:
    if min(stop.softness for stop in stops) > 1.0:
        return Sentence("no stop renders every must sharp, even if nothing moved")
    near = min((stop for stop in stops if stop.softness <= 1.0), key=lambda s: s.shortest_s / max(s.longest_s, 1e-9))
    return Sentence(
        "no time is short enough: at f/{stop} {mark} needs {wanted}, and this light gives {got} at the highest ISO "
        "that serves",
        {"stop": marked(near.f_number), "mark": near.worst, "wanted": _time(near.longest_s),
         "got": _time(near.shortest_s)},
    )  # fmt: skip


def _end(stops: list[StopLimits], index: int, way: int) -> Sentence:
    """What ends the serving stops on the wide side (way −1) or on the small one."""
    at: dict[str, object] = {"stop": marked(stops[index].f_number)}
    wide = way < 0
    if not 0 <= index + way < len(stops):
        return Sentence("f/{stop} is the lens's widest" if wide else "f/{stop} is the smallest that is used", at)
    beyond = stops[index + way]
    at["mark"] = beyond.worst
    if beyond.softness > 1.0:
        words = (
            "wider than f/{stop}: {mark} lies out of focus"
            if wide
            else "smaller than f/{stop}: {mark} is too soft, by diffraction"
        )
        return Sentence(words, at)
    words = (
        "wider than f/{stop}: {mark} smears"
        if wide
        else "smaller than f/{stop}: {mark} smears even at the highest ISO"
    )
    return Sentence(words, at)


def _how(scene: Scene, name: str) -> Sentence:
    moves = any(own > 0.0 for own, named in zip(scene.own_speeds_mm_s, scene.names, strict=True) if named == name)
    if moves:
        return Sentence("it moves")
    return Sentence("hands shake") if scene.plan.camera.hand_held else Sentence("the tripod still swings")


def _time(seconds: float) -> Sentence | str:
    return Sentence("no time at all") if seconds <= 0.0 else shutter_words(seconds)
