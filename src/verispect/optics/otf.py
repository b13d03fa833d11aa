"""Contrast that reaches the sensor: the defocused pupil, the pixel, motion.

All frequencies are in cycles per mm on the sensor, blur in mm on the sensor.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats

# Beyond this β(1 − s) the transform has sunk below 1e-4 and its sign is of no use to anybody.
_TAU_END = 900.0
# And beyond this below a hundredth, which nobody sees.
_TAU_SEEN = 40.0
# Up to so many cosines are taken in one array; above, one node after the other, to spare memory.
_AT_ONCE = 200_000
_FEW = 2_000
_TOO_FEW_TO_PART = 100
# Gauss's rule errs by less than 1e-11 with 12 + 0.45 τ nodes, τ = β(1 − s) (measured up to 100). Nodes take long to
# find: few numbers of them are kept, each for what it is enough for.
_NODES = (12, 16, 24, 40, 64, 96)

# CIE 1924 photopic luminous efficiency V(λ) (from memory), at steps fine enough for a weighted mean.
LUMINOUS_EFFICIENCY: tuple[tuple[float, float], ...] = (
    (450.0, 0.038),
    (480.0, 0.139),
    (510.0, 0.503),
    (540.0, 0.954),
    (570.0, 0.952),
    (600.0, 0.631),
    (630.0, 0.265),
    (660.0, 0.061),
)
PEAK_NM = 555.0

# Wavelengths in mm with weights that sum to 1.
Lights = tuple[tuple[float, float], ...]
WHITE_LIGHT: Lights = tuple(
    (nm * 1e-6, weight / sum(share for _, share in LUMINOUS_EFFICIENCY)) for nm, weight in LUMINOUS_EFFICIENCY
)


@lru_cache(maxsize=64)
def _nodes(count: int) -> tuple[Floats, Floats]:
    """Nodes in −1 to 1 and weights; more than are kept as so many pieces, each with the most."""
    if count <= _NODES[-1]:
        return _legendre(count)
    nodes, weights = _nodes(_NODES[-1])
    pieces = count // _NODES[-1]
    middles = (2.0 * np.arange(pieces) + 1.0) / pieces - 1.0
    return (middles[:, None] + nodes / pieces).ravel(), np.tile(weights / pieces, pieces)


def _legendre(count: int) -> tuple[Floats, Floats]:
    """Gauss–Legendre nodes and weights, as eigenvalues of the Jacobi matrix (Golub & Welsch 1969).

    NumPy's own are the same to 1e-15 in nodes, 1e-14 in weights, but loading them takes longer than reckoning these.
    """
    k = np.arange(1, count)
    beside = k / np.sqrt(4.0 * k**2 - 1.0)
    nodes, vectors = np.linalg.eigh(np.diag(beside, -1))
    return nodes, 2.0 * vectors[0] ** 2


def defocused_otf(*, reduced_frequency: Floats | float, beta: Floats | float) -> Floats:
    """Optical transfer function of a defocused circular pupil.

    Parameters
    ----------
    reduced_frequency : ndarray
        s = ν λ N_w, 0 to 1 (the cutoff); beyond it the contrast is 0.
    beta : ndarray
        8π W020 s / λ, which for W020 = blur/(8 N_w) is π ν blur, the same for every wavelength. Broadcasts
        against `reduced_frequency`.

    Returns
    -------
    ndarray
        −1 to 1; negative where dark and light are reversed.

    Notes
    -----
    H. H. Hopkins, Proc. R. Soc. A 231 (1955), as the one-dimensional integral
    (4/π) ∫ sin²θ cos(β (cos θ − s)) dθ over 0..acos s (docs/derivations/contrast.md, equation 2).

    Examples
    --------
    >>> float(defocused_otf(reduced_frequency=0.0, beta=0.0).round(12))
    1.0
    """
    s, b = np.broadcast_arrays(np.asarray(reduced_frequency, float), np.abs(np.asarray(beta, float)))
    inside = (s < 1.0) & (b * (1.0 - s) < _TAU_END)
    out = np.zeros(s.shape)
    if not np.any(inside):
        return out
    s_in, b_in = np.maximum(s[inside], 0.0), b[inside]
    if not b_in.any():
        out[inside] = in_focus(s_in)
        return out
    needed = _enough(b_in * (1.0 - s_in))
    if s_in.size <= _TOO_FEW_TO_PART:
        out[inside] = _integrated(s_in, b_in, int(needed.max()))
        return out
    found = np.empty(s_in.shape)
    # What few need is not reckoned for all.
    for count in sorted(set(needed.tolist())):
        part = needed == count
        found[part] = _integrated(s_in[part], b_in[part], int(count))
    out[inside] = found
    return out


def otf_by_steps(*, reduced_frequency: Floats, beta: Floats, step: Floats, count: int) -> Floats:
    """The same at so many blurs in even steps, shape (count, F), in a sixth of the time.

    Parameters
    ----------
    reduced_frequency : ndarray, shape (F,)
    beta, step : ndarray, shape (F,)
        As in `defocused_otf`, at the first blur, and by how much it grows from each to the next; of either sign.

    Notes
    -----
    From one blur to the next every wave of the integral turns on by the same angle: cos(β + k δ) is the real part
    of what was there before times e^(iδ). Past β(1 − s) = 40, where less than a hundredth is left, it is 0.
    """
    s = np.clip(np.asarray(reduced_frequency, float), 0.0, 1.0)
    at = np.abs(beta + np.arange(count)[:, None] * step) * (1.0 - s)
    nodes, weights = _nodes(int(_enough(np.minimum(at.max(), _TAU_SEEN))))
    half = 0.5 * np.arccos(s)[:, None]
    theta = half * (1.0 + nodes)
    weight = 4.0 / np.pi * half * weights * np.sin(theta) ** 2
    lag = np.cos(theta) - s[:, None]
    wave, turn = np.exp(1j * beta[:, None] * lag), np.exp(1j * step[:, None] * lag)
    out = np.empty(at.shape)
    for k in range(count):
        out[k] = np.einsum("fn,fn->f", weight, wave.real)
        wave *= turn
    out[at > _TAU_SEEN] = 0.0
    return out


def in_focus(s: Floats) -> Floats:
    """The transfer function of a circular pupil in perfect focus, at reduced frequencies s from 0 to 1."""
    found: Floats = 2.0 / np.pi * (np.arccos(s) - s * np.sqrt(1.0 - s**2))
    return found


def _enough(tau: Floats) -> NDArray[np.intp]:
    """How many nodes each needs, shape (N,): one of those kept, or a multiple of the most."""
    least, most = 12.0 + 0.45 * tau, _NODES[-1]
    kept = np.asarray(_NODES)[np.minimum(np.searchsorted(_NODES, least), len(_NODES) - 1)]
    # In pieces: the phase runs up to twice as fast in one of them as on the average.
    return np.where(least <= most, kept, most * np.ceil(2.0 * least / most)).astype(np.intp)


def _integrated(s: Floats, beta: Floats, count: int) -> Floats:
    """The integral by Gauss's rule with so many nodes, shape (N,)."""
    nodes, weights = _nodes(count)
    half = 0.5 * np.arccos(s)
    if s.size * nodes.size <= _AT_ONCE:
        theta = half[:, None] * (1.0 + nodes)
        wave = np.cos(beta[:, None] * (np.cos(theta) - s[:, None]))
        total = (np.sin(theta) ** 2 * wave) @ weights
    else:
        total = np.zeros(s.shape)
        for node, weight in zip(nodes, weights, strict=True):
            theta = half * (1.0 + node)
            total += weight * np.sin(theta) ** 2 * np.cos(beta * (np.cos(theta) - s))
    found: Floats = 4.0 / np.pi * half * total
    return found


def polychromatic_otf(reach: Floats, beta: Floats | float, lights: Lights) -> Floats:
    """OTF weighted over wavelengths.

    Parameters
    ----------
    reach : ndarray
        ν N_w, 1/mm. Broadcasts against `beta`.
    beta : ndarray
        As in `defocused_otf`.
    lights : tuple of (wavelength_mm, weight)
        Weights sum to 1.
    """
    shape = np.broadcast_shapes(np.shape(reach), np.shape(beta))
    if len(lights) > 1 and int(np.prod(shape)) <= _FEW:
        # Of few places all colours at once: what takes the time is calling, not reckoning.
        waves, shares = np.asarray(lights).T
        of_colours = np.asarray(reach, float)[..., None] * waves
        mixed: Floats = defocused_otf(reduced_frequency=of_colours, beta=np.asarray(beta, float)[..., None]) @ shares
        return mixed
    total: Floats = np.zeros(shape)
    for wavelength_mm, weight in lights:
        total = total + weight * defocused_otf(reduced_frequency=wavelength_mm * reach, beta=beta)
    return total


def pixel_mtf(*, frequency: float, pixel_mm: float) -> float:
    """Contrast left by square pixels that sense their whole width: sinc(ν · pitch)."""
    return float(np.sinc(frequency * pixel_mm))


def motion_mtf(*, frequency: float, smear_mm: Floats | float) -> Floats:
    """Contrast left by even motion across the sensor during the exposure: sinc(ν · smear)."""
    found: Floats = np.sinc(frequency * np.asarray(smear_mm, dtype=float))
    return found


def disc_mtf(x: Floats | float) -> Floats:
    """MTF of an even disc: 2 J1(x)/x with x = π ν diameter."""
    x = np.asarray(x, dtype=float)
    if not x.any():
        return np.ones(x.shape)
    from scipy.special import j1  # SciPy is slow to import, and needed only where a lens has a blur of its own

    safe = np.where(x == 0.0, 1.0, x)
    found: Floats = np.where(x == 0.0, 1.0, 2.0 * j1(safe) / safe)
    return found
