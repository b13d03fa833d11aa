"""Brightness and colour of a set's frames against one another, in stops of linear light."""

from __future__ import annotations

import functools
from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.report import Fault, FrameReport

Small = NDArray[np.float32]
# A frame of which so much is clipped has nothing left to be compared by; the others have less than so much.
WHITE, _OTHERS = 0.8, 0.4
# Between these a value is neither lost in the dark nor clipped.
_LOW, _HIGH = 0.01, 0.92
_CLIPPED = 0.98
# A drift of the light leaves less than such a part of how far frames lie apart.
_DRIFTS = 0.5
# Red or blue off by so many stops is another white balance.
OTHER_WHITE = 0.1
# Set by less than so many stops apart is set alike.
_SET_ALIKE = 0.1
_BLOCK, _ENOUGH_BLOCKS = 8, 50


def ratios_stops(first: Small, second: Small, there: NDArray[np.bool_]) -> tuple[float, float, float]:
    """How much brighter the second is, and its red and blue against green, as median log ratios.

    Parameters
    ----------
    first, second : ndarray, shape (rows, columns, 3)
        Linear light, laid over one another.
    there : ndarray of bool, shape (rows, columns)
        Where both show something.

    Blocks are held against one another where there are enough of them: what is sharp in one frame and blurred in the
    other has the same light all told and another in most of its pixels, up to 0.015 stops over a series.
    """
    blocks = _in_blocks(first, second, there)
    if blocks is not None:
        return _middle_of(*blocks)
    usable = there.copy()
    for picture in (first, second):
        usable &= (picture.min(axis=2) > _LOW) & (picture.max(axis=2) < _HIGH)
    if usable.sum() < 50:
        usable = there & (first.min(axis=2) > 1e-5) & (second.min(axis=2) > 1e-6)
    if usable.sum() < 20:
        return 0.0, 0.0, 0.0
    return _middle_of(first[usable], second[usable])


def _in_blocks(first: Small, second: Small, there: NDArray[np.bool_]) -> tuple[Small, Small] | None:
    """Means (K, 3) of the blocks that both show whole, neither lost in the dark nor clipped anywhere."""
    rows, columns = there.shape
    size = (columns // _BLOCK, rows // _BLOCK)
    if min(size) < 1:
        return None
    # Channel by channel: along an axis of three NumPy is many times as slow.
    brightest = functools.reduce(np.maximum, (part[..., k] for part in (first, second) for k in range(3)))
    fit = there & (brightest < _CLIPPED)
    parts = [
        cv2.resize(part[: size[1] * _BLOCK, : size[0] * _BLOCK], size, interpolation=cv2.INTER_AREA)
        for part in (first, second, fit.astype(np.float32))
    ]
    usable = parts[2] > 0.999
    for part in parts[:2]:
        usable &= (part.min(axis=2) > _LOW) & (part.max(axis=2) < _HIGH)
    if usable.sum() < _ENOUGH_BLOCKS:
        return None
    return np.asarray(parts[0][usable], np.float32), np.asarray(parts[1][usable], np.float32)


def _middle_of(first: Small, second: Small) -> tuple[float, float, float]:
    """Median log ratios of light (K, 3): brightness, and red and blue against green."""
    logs = np.log2(second) - np.log2(first)
    red, green, blue = (float(np.median(logs[:, k])) for k in range(3))
    light = float(np.median(logs @ np.array([0.2126, 0.7152, 0.0722])))
    return light, red - green, blue - green


def set_off_the_rest(set_stops: Sequence[float | None], asked: Floats | None = None) -> list[float | None]:
    """By how many stops each was set otherwise than all the others; None where these differ, or files do not tell.

    `asked` (n,) is what a plan asked for, in stops; frames all set alike or all set by it differ by nothing.
    """
    if any(one is None for one in set_stops):
        return [None] * len(set_stops)
    values = np.asarray(set_stops, float)
    found: list[float | None] = [None] * len(values)
    for k in range(len(values)) if len(values) > 1 else ():
        for off in (values, values - asked) if asked is not None else (values,):
            others = np.delete(off, k)
            if np.ptp(others) < _SET_ALIKE:
                found[k] = float(off[k] - np.median(others))
                break
    return found


def exposure_fault(off: float, set_off: float | None, others: str, evened: str) -> Fault:
    """What is said of a frame whose light is `off` by so many stops, with what it comes from where that is known.

    `set_off` is by how many its settings are off, `others` what it differs from and `evened` what helps else.
    """
    says = f"{abs(off):.2f} stops {'brighter' if off > 0 else 'darker'} than {others}"
    remedy = f"take it again with the others' exposure{evened}"
    if set_off is not None and abs(off - set_off) < abs(off) / 3.0:
        says += f": it was set {set_off:+.2f} stops"
    elif set_off is not None and abs(set_off) < _SET_ALIKE:
        says += ", though set alike: the light changed, a flash failed, or the shutter or stop varies"
        remedy = f"take it again once the light is as it was{evened}"
    return Fault("exposure", off, says, remedy)


def other_white_balance(report: FrameReport, red: float, blue: float) -> None:
    """Tell of a frame how many stops its red and its blue are off, and that it has another white balance by that."""
    report.white_balance_stops = (red, blue)
    if max(abs(red), abs(blue)) > OTHER_WHITE and report.without("exposure"):
        report.faults.append(
            Fault("wrong-setting", max(abs(red), abs(blue)),
                  f"another white balance: red {red:+.2f}, blue {blue:+.2f} stops",
                  "develop all frames with one white balance")
        )  # fmt: skip


def lower_median(values: Floats) -> float:
    """The median; of an even number the lower of the middle two, so that one of two frames is the standard."""
    ordered = np.sort(np.asarray(values, float))
    if len(ordered) == 2:
        return float(values[0])
    return float(ordered[(len(ordered) - 1) // 2])


def white_among(reports: Sequence[FrameReport], medians: Sequence[float]) -> None:
    """Say of planned frames of a set that are white, as the others are not, that they had too much light.

    `medians` are the frames' middle luminances, linear, 1 where clipped. What was to be brighter, as one of several
    shots, was not called clipped; and of what nobody planned nobody knows.
    """
    usual = float(np.median([report.clipped_share for report in reports]))
    light = float(np.median(medians))
    for report, own in zip(reports, medians, strict=True):
        known = {fault.name for fault in report.faults}
        if report.planned_exposure is None or "clipped" not in known or "exposure" in known:
            continue
        if report.clipped_share < WHITE or usual > _OTHERS:
            continue
        stops = float(np.log2(max(own, 1e-6) / max(light, 1e-6)))
        report.exposure_stops = stops
        report.faults.append(
            Fault("exposure", stops, f"nearly all of it is white, {stops:.1f} stops brighter than the others or more",
                  "take it again with the others' exposure")
        )  # fmt: skip


def off_the_rest(chained: Sequence[float], hypotheses: Sequence[Floats]) -> Floats:
    """How far each frame is off, in stops: against what explains the others best.

    Parameters
    ----------
    chained : sequence of float
        Brightness of every frame against the first.
    hypotheses : sequence of ndarray, shape (n,)
        What may be expected of it: nothing, the light lost to extension, the times and stops that frames tell. The
        one that leaves the least spread is taken, and a slow drift of the light with it where that is what it is.
    """
    values = np.asarray(chained, float)
    left = [values - expected for expected in hypotheses]
    best = min(left, key=lambda rest: float(np.median(np.abs(rest - np.median(rest)))))
    rest = best - np.median(best)
    if len(rest) == 2:
        # Of two neither is usual: the first is the standard.
        against_first: Floats = best - best[0]
        return against_first
    if len(rest) < 5:
        return rest
    # A straight drift, fitted to the middle by medians of slopes (Theil 1950, Sen 1968).
    at = np.arange(len(rest))
    slopes = [(rest[j] - rest[i]) / (j - i) for i in range(len(rest)) for j in range(i + 1, len(rest))]
    drift = float(np.median(slopes)) * at
    found: Floats = rest - drift - np.median(rest - drift)
    # Frames of which each has a light of its own lie about some line too.
    is_drift = np.median(np.abs(found)) < _DRIFTS * np.median(np.abs(rest))
    return found if is_drift else rest
