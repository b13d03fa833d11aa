"""The ISO where what moves needs a shorter time than the body's own allows, and light too weak for any."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from verispect.kit.equipment import Body
from verispect.plan.methods.candidate import Candidate, unfit
from verispect.plan.scene.scene import Scene, same_scene
from verispect.sentence import Sentence

# Nobody keeps a shutter open longer for one frame of a picture that is planned.
_LONGEST_S = 24 * 3600.0
# Of white, linear: what a mid-grey card reflects.
MID_GREY = 0.18


def signal_to_noise(body: Body, *, iso: float, frequency: float) -> float:
    """Of a mid-grey patch as large as one line pair each way, at an ISO.

    Parameters
    ----------
    frequency : float
        Cycles/mm on the sensor: line pairs of the final picture.

    Notes
    -----
    n S / √(n (S + r²)) with n pixels in the patch, S electrons in each (photons arrive as they like: Poisson) and r
    of read noise. Twice the ISO halves the electrons that white is made of.
    """
    pixels = max(1.0, 1.0 / (frequency * body.pixel_mm) ** 2)
    electrons = MID_GREY * body.full_well_at(iso)
    return math.sqrt(pixels) * electrons / math.sqrt(electrons + body.read_noise_e**2)


def at_a_fitting_iso(solver: Callable[[Scene], Candidate], scene: Scene) -> Candidate:
    """A method at the body's own ISO, or where what moves smears there, at the lowest that lets every must hold.

    Full stops up to the end of the body's range, and no farther than the asked signal-to-noise ratio allows.
    """
    found = solver(scene)
    if not found.is_sharp and found.fits and np.any(scene.speeds_mm_s[scene.deciding]):
        found = _raised(solver, scene, found)
    longest = max((exposure.shutter_s for exposure in found.exposures), default=0.0)
    if longest > _LONGEST_S:
        return unfit(found.key, scene, _too_dark(longest))
    return found


def _raised(solver: Callable[[Scene], Candidate], scene: Scene, found: Candidate) -> Candidate:
    plan = scene.plan
    body, frequency = plan.kit.body, plan.criterion(plan.whole_focal_mm).frequency
    top = body.iso_range[1] if body.iso_range is not None else body.iso
    steps = [body.iso * 2.0**k for k in range(1, 25) if body.iso * 2.0**k <= top * (1.0 + 1e-6)]
    wanted = plan.wish.noise_ratio
    if wanted is not None:
        steps = [iso for iso in steps if signal_to_noise(body, iso=iso, frequency=frequency) >= wanted]
    if not steps:
        return found

    def at(iso: float) -> Candidate:
        kit = plan.kit.model_copy(update={"body": body.at_iso(iso)})
        return solver(same_scene(scene, plan.model_copy(update={"kit": kit})))

    highest = at(steps[-1])
    if not highest.is_sharp:
        return found
    low, high, best = -1, len(steps) - 1, highest
    while high - low > 1:
        middle = (low + high) // 2
        tried = at(steps[middle])
        if tried.is_sharp:
            high, best = middle, tried
        else:
            low = middle
    note = Sentence(
        "Set ISO {iso:.0f}, not {base:.0f}: at that {what} would smear; a mid-grey patch of one line pair then "
        "stands {ratio:.0f} times above its noise",
        {
            "what": Sentence("what moves")
            if np.any(scene.own_speeds_mm_s)
            else Sentence("a picture by hand")
            if plan.camera.hand_held
            else Sentence("a tripod that still swings"),
            "iso": steps[high],
            "base": body.iso,
            "ratio": signal_to_noise(body, iso=steps[high], frequency=frequency),
        },
    )
    return replace(best, notes=(note, *best.notes))


def _too_dark(seconds: float) -> Sentence:
    days = seconds / 86400.0
    return Sentence(
        "In this light one frame would be exposed for {days}; bring light, raise the ISO, or check the brightness",
        {"days": Sentence("{days:.1f} days", {"days": days}) if days < 1000.0 else Sentence("years on end")},
    )
