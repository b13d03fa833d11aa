"""Softness from the spectra of two or three frames about the sharpest: content cancels, the defocus stays.

In linear light, noise subtracted; the one unknown is the image distance at which the block is sharp. The band
scales with the allowed blur, to stay before the first zero of the most blurred frame used (Pentland 1987; Subbarao
& Surya 1994; the band measured beforehand).
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from verispect.optics.otf import defocused_otf, otf_by_steps
from verispect.optics.types import Floats
from verispect.prove.softness.rings import Grey, RingNet, Seen

# No blur is known better than to so many pixels, and to such a share of the allowed one.
LEAST_PX, _LEAST_SHARE = 0.25, 0.16
# What a frame has lost of a ring beyond this says no more than that it is lost: nepers of power. Past the first zero
# of a disc, noise and what leaks from beside it are what is left, and places of one depth looked like several.
_MOST_LOST = 2.0
# Frames differ in focus by at least so many allowed blurs. Where all but the sharpest are blurred by more than the
# second, its own blur hides in theirs: marks at the end of a series whose next frame was focused elsewhere came out
# half an allowed blur too sharp, all others within a sixth in nine of ten.
LEAST_APART, _FARTHEST = 0.2, 3.2
# More than this is left of what no defocus explains: several depths, or things that moved. On path-traced frames nine
# in ten places of one depth leave less, of several two in five.
_MOST_MISFIT = 0.11


@dataclass(frozen=True)
class Look:
    """One frame's look at a block.

    Attributes
    ----------
    patch : ndarray, shape (n, n)
        Linear light.
    image_mm : float
        Image distance of the frame.
    working_f_number : float
    rate : float
        Blur per mm of defocus along the sensor's normal.
    """

    patch: Grey
    image_mm: float
    working_f_number: float
    rate: float


@dataclass(frozen=True)
class Found:
    """Where a block is sharp, as an image distance, with its ±, mm."""

    sharp_at_mm: float
    plus_minus_mm: float
    misfit: float


def sharp_distance(
    looks: list[Look], *, allowed_px: float, pitch_mm: float, wavelength_mm: float, span_mm: tuple[float, float]
) -> Found | None:
    """The image distance at which the block would be sharp; None where it cannot be told.

    Parameters
    ----------
    looks : list of Look
        Two or more at different image distances.
    allowed_px : float
        Allowed blur, which the band of frequencies follows.
    span_mm : (float, float)
        Between which the answer is sought.
    """
    if len(looks) < 2:
        return None
    net = RingNet(looks[0].patch.shape[0], max(allowed_px, 0.8))
    looks = sorted(looks, key=lambda look: look.image_mm)
    seen = [net.seen(look.patch[None]) for look in looks]
    about = about_sharpest(np.array([one.detail[0] for one in seen]))
    looks, seen = looks[about], seen[about]
    model = Model.of(
        [(look.image_mm, look.working_f_number, look.rate) for look in looks],
        net,
        pitch_mm,
        wavelength_mm=wavelength_mm,
        span_mm=span_mm,
    )
    return sharp_distance_of(net, seen, 0, model)


def least_unsure_mm(allowed_mm: float, pitch_mm: float) -> float:
    """No blur is told better than to this by spectra: planted and path-traced ones came out off by as much."""
    return max(LEAST_PX * pitch_mm, _LEAST_SHARE * allowed_mm)


def has_one_beside(
    looks: Iterable[tuple[float, float]], sharpest: float, sharp_at_mm: float, allowed_mm: float
) -> bool:
    """Whether a frame focused elsewhere than the sharpest is near enough to tell how sharp that one is.

    Parameters
    ----------
    looks : iterable of (float, float)
        Of every frame the image distance, mm, and the blur per mm of defocus.
    sharpest : float
        Image distance of the sharpest one.
    """
    return any(
        abs(focused - sharpest) * rate > LEAST_APART * allowed_mm
        and abs(focused - sharp_at_mm) * rate < _FARTHEST * allowed_mm
        for focused, rate in looks
    )


def about_sharpest(detail: Floats) -> slice:
    """The three frames about the one that shows most detail (frames,); farther ones are blurred past telling."""
    begin = max(min(int(np.argmax(detail)) - 1, len(detail) - 3), 0)
    return slice(begin, begin + 3)


@dataclass(frozen=True)
class Model:
    """What blocks would show of any content, for every image distance at which they might be sharp.

    Attributes
    ----------
    candidates : ndarray, shape (V,)
        Image distances, mm.
    logs : ndarray, shape (frames, V, rings)
        Logarithm of the powers that are left.
    """

    candidates: Floats
    logs: Floats

    @classmethod
    def of(
        cls,
        frames: Sequence[tuple[float, float, float]],
        net: RingNet,
        pitch_mm: float,
        *,
        wavelength_mm: float,
        span_mm: tuple[float, float],
    ) -> Model:
        """Of frames, each with image distance, working f-number and blur per mm, as the rings of a net show it."""
        candidates = np.linspace(*span_mm, 241)
        nu = net.fine / pitch_mm
        logs = []
        for image_mm, working_f_number, rate in frames:
            begin, step = rate * (candidates[0] - image_mm), rate * (candidates[1] - candidates[0])
            otf = otf_by_steps(
                reduced_frequency=nu * wavelength_mm * working_f_number,
                beta=np.pi * nu * begin,
                step=np.pi * nu * step,
                count=len(candidates),
            )
            logs.append(_mixed_logs(otf, net))
        return cls(candidates, np.array(logs))

    @staticmethod
    def at(
        frame: tuple[float, float, float], net: RingNet, pitch_mm: float, sharp_at_mm: Floats, wavelength_mm: float
    ) -> Floats:
        """Logarithm of the powers (V, rings) that one frame leaves of what is sharp at image distances (V,), mm."""
        image_mm, working_f_number, rate = frame
        blurs = np.abs(image_mm - sharp_at_mm)[:, None] * rate
        nu = net.fine / pitch_mm
        reach = (nu * wavelength_mm * working_f_number)[None]
        otf = defocused_otf(reduced_frequency=reach, beta=np.pi * nu[None] * blurs)
        return _mixed_logs(otf, net)


def _mixed_logs(otf: Floats, net: RingNet) -> Floats:
    """Logarithm of the powers (V, rings) that transfer functions (V, fine rings) leave."""
    return np.asarray(np.log(np.maximum((otf * otf) @ net.mixing.T, 1e-3)))


def sharp_distance_of(net: RingNet, seen: Sequence[Seen], block: int, model: Model) -> Found | None:
    """The same of one of many blocks of which the rings are known, in the frames of the model."""
    powers = np.array([one.powers[block] for one in seen])
    sound = net.counted & (np.sum([one.signal[block] for one in seen], axis=0) >= min(2, len(seen)))
    if sound.sum() < 4:
        return None
    costs = misfits(np.log(powers[:, sound]), model.logs[..., sound])
    candidates = model.candidates
    k = int(np.argmin(costs))
    if k in (0, len(candidates) - 1) or costs[k] > _MOST_MISFIT:
        return None
    step = candidates[1] - candidates[0]
    curve = costs[k - 1] - 2 * costs[k] + costs[k + 1]
    shift = 0.5 * (costs[k - 1] - costs[k + 1]) / curve if curve > 1e-12 else 0.0
    # Cost is a root mean square; its rise by a noise's worth bounds the answer.
    unsure = np.sqrt(2.0 * max(costs[k], 0.02) * 0.1 / max(curve / step**2, 1e-12))
    return Found(float(candidates[k] + np.clip(shift, -1, 1) * step), float(unsure), float(costs[k]))


def misfits(logs: Floats, modelled: Floats) -> Floats:
    """How badly each image distance (V,) explains spectra (frames, rings), whatever the content; nepers."""
    seen, told = (np.maximum(one - one.max(axis=0), -_MOST_LOST) for one in (logs, modelled))
    rest = seen[:, None] - told
    rest = rest - rest.mean(axis=0)
    found: Floats = np.sqrt(np.mean(np.clip(rest, -1.5, 1.5) ** 2, axis=(0, 2)))
    return found
