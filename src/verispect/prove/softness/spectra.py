"""Softness from the spectra of two or three frames about the sharpest: content cancels, the defocus stays.

In linear light, noise subtracted; the one unknown is the image distance at which the block is sharp. The band
scales with the allowed blur, to stay before the first zero of the most blurred frame used (Pentland 1987; Subbarao
& Surya 1994; the band measured beforehand).
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from verispect.optics.otf import defocused_otf
from verispect.optics.types import Floats

Grey = NDArray[np.float32]
_RINGS = 14
_BAND = (0.06, 0.34)
# Where the allowed blur is about a pixel or less: finer rings than this hold what the pixels have folded back, and
# put blocks that are sharp just beyond a series' end a third of a pixel off (path-traced frames).
_FINEST = 0.28
_LEAST_SIGNAL = 3.0
_MOST_MISFIT = 0.45


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
    powers, frequencies, sound = _ring_powers([look.patch for look in looks], max(allowed_px, 0.8))
    if sound.sum() < 4:
        return None
    logs = np.log(powers[:, sound])
    frequencies = frequencies[sound]
    candidates = np.linspace(*span_mm, 241)
    costs = _misfits(candidates, looks, logs, frequencies, pitch_mm, wavelength_mm)
    k = int(np.argmin(costs))
    if k in (0, len(candidates) - 1) or costs[k] > _MOST_MISFIT:
        return None
    step = candidates[1] - candidates[0]
    curve = costs[k - 1] - 2 * costs[k] + costs[k + 1]
    shift = 0.5 * (costs[k - 1] - costs[k + 1]) / curve if curve > 1e-12 else 0.0
    # Cost is a root mean square; its rise by a noise's worth bounds the answer.
    unsure = np.sqrt(2.0 * max(costs[k], 0.02) * 0.1 / max(curve / step**2, 1e-12))
    return Found(float(candidates[k] + np.clip(shift, -1, 1) * step), float(unsure), float(costs[k]))


def _misfits(
    candidates: Floats, looks: list[Look], logs: Floats, frequencies: Floats, pitch_mm: float, wavelength_mm: float
) -> Floats:
    """How badly each image distance (V,) explains the spectra, whatever the content; nepers."""
    modelled = []
    nu = frequencies / pitch_mm
    for look in looks:
        blurs = np.abs(look.image_mm - candidates)[:, None] * look.rate
        reach = (nu * wavelength_mm * look.working_f_number)[None]
        otf = defocused_otf(reduced_frequency=reach, beta=np.pi * nu[None] * blurs)
        modelled.append(np.log(np.maximum(otf * otf, 1e-3)))
    rest = logs[:, None] - np.array(modelled)
    rest = rest - rest.mean(axis=0)
    found: Floats = np.sqrt(np.mean(np.clip(rest, -1.5, 1.5) ** 2, axis=(0, 2)))
    return found


def _ring_powers(patches: list[Grey], allowed_px: float) -> tuple[Floats, Floats, NDArray[np.bool_]]:
    """Powers (frames, rings) with noise taken off, the rings' frequencies, and which rings bear signal everywhere."""
    side = patches[0].shape[0]
    window = np.hanning(side)[:, None] * np.hanning(side)[None]
    fy, fx = np.meshgrid(np.fft.fftfreq(side), np.fft.rfftfreq(side), indexing="ij")
    radius = np.hypot(fx, fy)
    low, high = _BAND[0] / allowed_px, min(_BAND[1] / allowed_px, _FINEST)
    low = min(max(low, 2.5 / side), _FINEST / 3.0)
    if high < 1.4 * low:
        high = min(1.4 * low, 0.45)
    edges = np.geomspace(low, high, _RINGS + 1)
    centres = np.sqrt(edges[1:] * edges[:-1])
    rings = [(radius >= a) & (radius < b) for a, b in itertools.pairwise(edges)]
    outer = radius > 0.46
    powers, signal = [], []
    for patch in patches:
        spectrum = np.abs(np.fft.rfft2((patch - patch.mean()) * window)) ** 2
        noise = float(np.median(spectrum[outer])) / np.log(2.0)
        means = np.array([float(spectrum[ring].mean()) if ring.any() else 0.0 for ring in rings])
        powers.append(np.maximum(means - noise, 1e-3 * means + 1e-15))
        signal.append(means > _LEAST_SIGNAL * noise)
    counted = np.array([int(ring.sum()) >= 3 for ring in rings])
    # A ring must bear signal in the sharper frames; at least in two of them.
    sound = counted & (np.sum(signal, axis=0) >= min(2, len(patches)))
    return np.array(powers), centres, sound
