"""Frames that look apart, by what neighbours show in common: where they looked, their light, their shake."""

from __future__ import annotations

import math

import cv2
import numpy as np

from verispect.errors import Cancelled
from verispect.optics.types import Floats
from verispect.prove.checks.exposure import off_the_rest
from verispect.prove.checks.pointing import Looked, looked, words
from verispect.prove.checks.shake import agreed_loss, blur_length_px, sector_powers
from verispect.prove.evidence import Evidence
from verispect.prove.expected import light_stops
from verispect.prove.join.pointing import growth_agreed, growths
from verispect.prove.report import Fault, FrameReport, motion_fault
from verispect.prove.series_check import EXPOSURE_STOPS, SHAKE_NEPERS, missed_focus

# Overlaps at least so wide and high in the pictures looked at tell of shake.
_LEAST_SIDE = 160
# Rings of tiles above the noise in both. With few of them, as of things in few places at other focus, up to 0.29
# nepers were seen where nothing had shaken.
_LEAST_RINGS, _MANY_RINGS, _CLEAR = 12, 40, 0.35
# Drawn larger or smaller than planned by so much, and by so many times what is usual, a frame is out of focus.
_LEAST_GROWTH, _TIMES_USUAL = 1.5e-3, 6.0


def compare_cells(evidence: Evidence, used: list[int], reports: list[FrameReport]) -> None:
    """Compare one frame of every cell with its neighbours; what is wrong goes into their reports."""
    planned = [k for k in used if evidence.view(k) is not None]
    views = [view for k in planned if (view := evidence.view(k)) is not None]
    if len(planned) < 3:
        return
    found = looked(
        views, [evidence.reads[k].grey for k in planned], [evidence.reads[k].colour for k in planned],
        evidence.pixels, is_cancelled=evidence.is_cancelled,
        progress=lambda share: evidence.progress(0.6 + 0.3 * share, "comparing"),
    )  # fmt: skip
    if evidence.is_cancelled():
        raise Cancelled
    told = np.array([light_stops(evidence.exposures[evidence.matched[k] or 0]) for k in planned])
    off = off_the_rest(found.stops.tolist(), [np.zeros(len(planned)), told - told[0]])
    grown = growths(found.pairs, len(planned))
    usual = float(np.median(np.abs(grown)))
    missed = [
        found.joined[number] and abs(grown[number]) > max(_LEAST_GROWTH, _TIMES_USUAL * usual)
        and growth_agreed(found.pairs, grown, number)
        and missed_focus(evidence, k, float(grown[number]), reports[k])
        for number, k in enumerate(planned)
    ]  # fmt: skip
    for number, k in enumerate(planned):
        if not found.joined[number]:
            continue
        report = reports[k]
        report.shift_px = (float(found.shifts[number, 0]), float(found.shifts[number, 1]))
        report.turn_deg, report.exposure_stops = float(found.turns_deg[number]), float(off[number])
        if found.odd()[number] and not missed[number]:
            report.faults.append(
                Fault("knock", round(math.hypot(*report.shift_px), 3),
                      f"it looks elsewhere: {words(report.shift_px)}, turned {report.turn_deg:+.3f}°",
                      "take this frame again; joining sets it right as far as its overlaps reach")
            )  # fmt: skip
        if abs(off[number]) > 2.0 * EXPOSURE_STOPS:
            lighter = "brighter" if off[number] > 0 else "darker"
            says = f"{abs(off[number]):.2f} stops {lighter} than its neighbours"
            report.faults.append(
                Fault("exposure", float(off[number]), says,
                      "take it again with the others' exposure; joining evens out what is not clipped")
            )  # fmt: skip
    _shaken(evidence, planned, found, reports)


def _shaken(evidence: Evidence, planned: list[int], found: Looked, reports: list[FrameReport]) -> None:
    """Frames that lost detail along one direction against all neighbours that show the same places."""
    losses: list[list[tuple[Floats, Floats]]] = [[] for _ in planned]
    rings = [10**9] * len(planned)
    divide = evidence.reads[planned[0]].divide
    shift = (divide - 1) / 2.0
    up = np.array([[divide, 0, shift], [0, divide, shift], [0, 0, 1.0]])
    for pair in found.pairs:
        if not pair.trusted:
            continue
        here, there = evidence.reads[planned[pair.a]].grey, evidence.reads[planned[pair.b]].grey
        matrix = np.linalg.inv(up) @ found.views[pair.b].onto(found.views[pair.a]) @ up
        size = (here.shape[1], here.shape[0])
        shown = cv2.warpPerspective(np.ones_like(there), matrix, size, flags=cv2.INTER_NEAREST) > 0
        rows, columns = np.flatnonzero(shown.mean(axis=1) > 0.02), np.flatnonzero(shown.mean(axis=0) > 0.02)
        if len(rows) < _LEAST_SIDE or len(columns) < _LEAST_SIDE:
            continue
        box = np.s_[rows[0] + 8 : rows[-1] - 7, columns[0] + 8 : columns[-1] - 7]
        # A short kernel would take detail along the way it shifts by half pixels, and look like shake.
        moved = cv2.warpPerspective(there, matrix, size, flags=cv2.INTER_LANCZOS4)
        whole = cv2.erode(shown.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        own, other = (
            sector_powers(np.ascontiguousarray(part[box], np.float32), np.ascontiguousarray(whole[box]))
            for part in (here, moved)
        )
        shared = int(np.isfinite(own - other).all(axis=2).sum())
        if shared < _LEAST_RINGS:
            continue
        for number in (pair.a, pair.b):
            rings[number] = min(rings[number], shared)
        losses[pair.a].append((own, other))
        losses[pair.b].append((other, own))
    for number, k in enumerate(planned):
        if len(losses[number]) < 2:
            continue
        swing, direction = agreed_loss(losses[number])
        least = _CLEAR if rings[number] < _MANY_RINGS else 1.5 * SHAKE_NEPERS
        if swing >= least and not any(fault.name == "knock" for fault in reports[k].faults):
            motion_fault(reports[k], blur_length_px(swing) * divide, direction)
