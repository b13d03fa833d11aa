"""How soft each mark came out: by an edge where there is one, else by spectra of the frames about the sharpest."""

from __future__ import annotations

import itertools
import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from verispect.optics.blur import PupilCone, pupil_cones
from verispect.optics.lens_state import from_principal_point
from verispect.optics.otf import disc_mtf, polychromatic_otf
from verispect.plan.frames.between import blur_per_defocus, focused_from
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.rendering import Rendering, residual_mm
from verispect.plan.methods.candidate import Candidate
from verispect.prove.softness.edges import Edge, find_edge
from verispect.prove.softness.ranging import Ranged, ranged
from verispect.prove.softness.spectra import (
    LEAST_APART,
    LEAST_PX,
    Look,
    has_one_beside,
    least_unsure_mm,
    sharp_distance,
)

Grey = NDArray[np.float32]
# Half a block, in pixels: for an edge, and for spectra.
EDGE_HALF, SPECTRUM_HALF = 28, 32
# Frames to either side of the planned best in which an edge at the mark is looked for, and in grids all else too.
ABOUT = 2
_MOST_UNSURE = 0.45
# A quarter of a block tells so much less surely: twelve path-traced ones were 0.13 off in the mean, at the most 0.30.
_CLOSER_UNSURE = 1.5
# A mark counts as sharp where it is known at least so well, in softness.
_MOST_UNSURE_SHARP = 0.6
# Frames by which a mark is told, where a series has so many. Two tell it too, for they differ in low frequencies by
# (v1 − v2)(v1 + v2 − 2 s), but only if both were focused as planned: so many marks must then stand in the middle
# within so many allowed blurs of where they should. On six path-traced series of two that was 0.08, with one of the
# frames one and a half allowed blurs off 0.3.
_LEAST_LOOKS = 3
_LEAST_AGREEING, _AGREE, _MOST_OFF = 3, 0.2, 1.0
BY_TWO = "by two frames alone, and it or too many others do not look as planned"
# So much more than their ± the blurs of one edge may differ from what its frames' focus makes of it, allowed blurs.
_EDGES_APART = 0.2
# By so much at the most a distance was measured wrong; else something stands before the mark, or behind it.
_MISREAD = 1.3


# Frames of a series lie two allowed blurs apart, four where one is missing; what lies farther from all is alone.
_FAR = 6.0


@dataclass(frozen=True)
class MarkSoftness:
    """One mark: measured and planned softness; None where it cannot be said.

    `pixel` is where it was looked for, (row, column) of the first frame of a series, of its own `frame` in a grid.
    """

    name: str
    frame: int
    softness: float | None
    plus_minus: float | None
    planned: float | None
    how: str
    ranged: Ranged | None = None
    pixel: tuple[float, float] | None = None

    @property
    def hidden(self) -> bool:
        """Whether something else is seen where the mark should be."""
        return self.ranged is not None and _elsewhere(self.ranged)

    @property
    def verdict(self) -> str:
        """ "sharp", "soft" or "cannot-say"."""
        if self.softness is None:
            return "cannot-say"
        if self.softness <= 1.0:
            return "sharp" if (self.plus_minus or 0.0) <= _MOST_UNSURE_SHARP else "cannot-say"
        return "soft" if self.softness - (self.plus_minus or 0.0) > 1.0 else "cannot-say"


def measure(
    candidate: Candidate,
    rendering: Rendering,
    k: int,
    blocks: Mapping[int, Grey],
    pitch_mm: float,
    cut_off: Collection[int] = (),
) -> MarkSoftness:
    """Measure one mark.

    Parameters
    ----------
    rendering : Rendering
        Every mark as planned.
    k : int
        Which mark.
    blocks : mapping of int to ndarray
        Of exposures that show it, square blocks of linear light with the mark in their middle.
    cut_off : collection of int
        Exposures at whose edge such a block is cut off: what would be sharpest in them is not told from others.
    """
    name, best = candidate.scene.names[k], int(rendering.exposure[k])
    planned = float(rendering.softness[k])
    told = planned if math.isfinite(planned) else None
    if not blocks:
        return MarkSoftness(name, best, None, None, told, "on no frame that can be used")
    # An edge in a frame focused far elsewhere is another thing's.
    edges = {
        index: edge
        for index, block in blocks.items()
        if abs(index - best) <= ABOUT and (edge := _edge_of(block)) is not None
    }
    told_by = [(index, *by_edge(candidate, rendering, k, index, edge, pitch_mm)) for index, edge in edges.items()]
    at_edge = min(told_by, key=lambda row: row[1], default=None)
    if at_edge is not None and at_edge[1] > 1.0 and not _of_one_distance(candidate, told_by):
        at_edge = None
    # An edge that shows only in blurred frames is perhaps none, or another thing's: it accuses nobody, and bounds the
    # softness where the mark should look like that.
    sharpest = min(blocks, key=lambda index: _away_mm(candidate, index, best))
    by_spectra = _by_spectra(candidate, rendering, k, blocks, pitch_mm)
    if by_spectra is not None and _better_cut_off(candidate, by_spectra[0], by_spectra[3], cut_off):
        by_spectra = None
    away = None if by_spectra is None else by_spectra[3]
    if away is not None and _elsewhere(away):
        how = _elsewhere_words(away)
        return MarkSoftness(name, best, None, None, told, how, away)
    if at_edge is not None and (sharpest in edges or (at_edge[1] <= 1.0 and _as_planned(candidate, k, *at_edge))):
        return MarkSoftness(name, at_edge[0], at_edge[1], at_edge[2], told, "edge", away)
    if by_spectra is None:
        return MarkSoftness(name, best, None, None, told, "no texture, several depths, or too few frames")
    return MarkSoftness(name, by_spectra[0], by_spectra[1], by_spectra[2], told, "spectra", away)


def believed(candidate: Candidate, told: Sequence[MarkSoftness]) -> list[MarkSoftness]:
    """What is told of marks; of a series of two frames by their spectra only where marks stand as planned.

    `candidate` has the frames as they were taken. A frame that was focused elsewhere looks as if every mark stood
    elsewhere, and of two nothing but how large they are drawn tells which it is.
    """
    if len(candidate.exposures) != 2 or candidate.method.is_grid:
        return list(told)
    off: dict[int, float] = {}
    for number, mark in enumerate(told):
        if mark.how == "spectra" and mark.ranged is not None:
            exposure = candidate.exposures[mark.frame]
            off[number] = abs(mark.ranged.off_mm) * blur_per_defocus(exposure) / exposure.allowed_blur_mm
    agree = len(off) >= _LEAST_AGREEING and float(np.median(list(off.values()))) <= _AGREE
    # What is seen far from where the plan has it may as well be sharp at another place that looks alike in both.
    return [
        mark if agree and off.get(number, 0.0) <= _MOST_OFF else _without_distance(mark)
        for number, mark in enumerate(told)
    ]


def _without_distance(mark: MarkSoftness) -> MarkSoftness:
    """What is left of a mark where how far away it is cannot be believed: an edge tells by itself."""
    if mark.how == "edge" or (mark.ranged is None and mark.how != "spectra"):
        return replace(mark, ranged=None)
    return replace(mark, softness=None, plus_minus=None, how=BY_TWO, ranged=None)


def _better_cut_off(candidate: Candidate, index: int, away: Ranged | None, cut_off: Collection[int]) -> bool:
    """Whether what was found would be sharper in a frame at whose edge it is cut off than in the sharpest told."""
    if away is None:
        return False
    sharpest = candidate.exposures[index]
    point = from_principal_point(sharpest.pose.to_camera_mm(np.array(away.place_m)), sharpest.state)
    sharp_at = float(pupil_cones(point, sharpest.state).sharp_at_mm)
    off = abs(sharp_at - sharpest.state.image_distance_mm)
    others = (focused_from(candidate.exposures[other], sharpest)[0] for other in cut_off)
    return any(abs(other - sharp_at) < off for other in others)


def _as_planned(candidate: Candidate, k: int, index: int, softness: float, unsure: float) -> bool:
    """Whether a mark should look as soft as this in a frame: else the edge may be of what stands before it."""
    exposure = candidate.exposures[index]
    point = from_principal_point(exposure.pose.to_camera_mm(candidate.scene.world_m[k]), exposure.state)
    cone = pupil_cones(point, exposure.state)
    off = abs(exposure.state.image_distance_mm - float(cone.sharp_at_mm)) * float(cone.long_rate)
    return abs(off / exposure.allowed_blur_mm - softness) <= unsure + _EDGES_APART


def _of_one_distance(candidate: Candidate, edges: Sequence[tuple[int, float, float]]) -> bool:
    """Whether one distance explains how soft an edge is in every frame (exposure, softness, ±).

    What is soft by itself, a shadow or a stain, is as soft in frames focused elsewhere.
    """
    for (first, a, unsure), (second, b, other) in itertools.combinations(edges, 2):
        exposure = candidate.exposures[first]
        apart = _away_mm(candidate, first, second) * blur_per_defocus(exposure) / exposure.allowed_blur_mm
        if min(abs(abs(a - b) - apart), abs(a + b - apart)) > unsure + other + _EDGES_APART:
            return False
    return True


def _elsewhere(away: Ranged) -> bool:
    """Whether what is seen at a mark stands so far from it that no tape was merely misread."""
    low, high = away.distance_m - away.plus_minus_m, away.distance_m + away.plus_minus_m
    return high * _MISREAD < away.planned_m or low > _MISREAD * away.planned_m


def _elsewhere_words(away: Ranged) -> str:
    seen = f"what is seen there stands {away.distance_m:.3g} m away"
    if away.distance_m < away.planned_m:
        return f"{seen}: it hides the mark, or the mark stands there"
    return f"{seen}, beyond where the mark was planned: the mark stands there, or nothing stands at its place"


def _away_mm(candidate: Candidate, index: int, best: int) -> float:
    """How far a frame is focused from the one planned for the mark, on the image's side."""
    focused, _ = focused_from(candidate.exposures[index], candidate.exposures[best])
    away = abs(focused - candidate.exposures[best].state.image_distance_mm)
    return away if math.isfinite(away) else math.inf


def _middle(block: Grey, half: int) -> Grey:
    at = block.shape[0] // 2
    half = min(half, at)
    return block[at - half : at + half + 1, at - half : at + half + 1]


def _edge_of(block: Grey) -> Edge | None:
    return find_edge(_middle(block, EDGE_HALF))


def by_edge(
    candidate: Candidate, rendering: Rendering, k: int, index: int, edge: Edge, pitch_mm: float
) -> tuple[float, float]:
    """Softness and its ± by the blur that explains the edge's contrast best."""
    exposure, criterion = candidate.exposures[index], candidate.criterion
    assert criterion is not None
    frequencies = np.linspace(0.04, 0.48, 45)
    seen = np.interp(frequencies, edge.frequencies, edge.response)
    nu = frequencies / pitch_mm
    lean = math.radians(edge.angle_deg)
    others = np.sinc(frequencies * math.cos(lean)) * np.sinc(frequencies * math.sin(lean))
    own = residual_mm(candidate.scene, exposure, np.array([k]))[0]
    others = others * disc_mtf(np.pi * nu * own)
    blurs = np.linspace(0.0, 24.0 * pitch_mm, 481)
    otf = polychromatic_otf(
        (nu * exposure.state.working_f_number)[None], np.pi * nu[None] * blurs[:, None], criterion.lights
    )
    # Beyond its first zero contrast comes back reversed: a measured response has no sign.
    misfit = np.sqrt(np.mean((np.abs(otf * others) - seen) ** 2, axis=1))
    best = int(np.argmin(misfit))
    near = np.flatnonzero(misfit < misfit[best] + 0.012)
    unsure_mm = max(0.5 * float(blurs[near.max()] - blurs[near.min()]), LEAST_PX * pitch_mm)
    return as_softness(candidate, rendering, k, index, float(blurs[best]), unsure_mm)


def _by_spectra(
    candidate: Candidate, rendering: Rendering, k: int, blocks: Mapping[int, Grey], pitch_mm: float
) -> tuple[int, float, float, Ranged | None] | None:
    """The sharpest frame, the softness in it and its ±, and how far away the mark is.

    A ground seen at a slant runs through a block from sharp to soft; where the last frame just holds the mark the
    softer half of it would accuse it. And something nearer that reaches into the block, of more contrast than what is
    at the mark, is told in its stead. So what looks soft, or not as planned, is looked at once more, more closely.
    """
    found = _spectra_of(candidate, rendering, k, blocks, pitch_mm, SPECTRUM_HALF)
    as_planned = found is not None and _as_planned(candidate, k, *found[:3])
    if found is not None and as_planned and found[1] - found[2] <= 1.0:
        return found
    closer = _spectra_of(candidate, rendering, k, blocks, pitch_mm, SPECTRUM_HALF // 2)
    if closer is not None and not as_planned:
        return closer[0], closer[1], _CLOSER_UNSURE * closer[2], closer[3]
    if found is None:
        return None
    if not as_planned:
        # What hides the mark is told; that it is a little nearer or farther than planned may be the whole block's.
        return found if found[3] is not None and _elsewhere(found[3]) else None
    if closer is None or closer[1] >= found[1]:
        return found
    return closer[0], closer[1], max(closer[2], found[1] - closer[1]), closer[3]


def _spectra_of(
    candidate: Candidate, rendering: Rendering, k: int, blocks: Mapping[int, Grey], pitch_mm: float, half: int
) -> tuple[int, float, float, Ranged | None] | None:
    scene, criterion = candidate.scene, candidate.criterion
    assert criterion is not None
    # Two places of a grid that share a mark are no series of two.
    needed = 2 if len(candidate.exposures) == 2 and not candidate.method.is_grid else _LEAST_LOOKS
    if len(blocks) < needed:
        return None
    planned = int(rendering.exposure[k])
    best = planned if planned in blocks else min(blocks, key=lambda index: abs(index - planned))
    # On a rail all frames share one image distance: what each shows sharp is told as the best would be focused on it.
    looks, at, ratios = [], {}, {}
    for index in sorted(blocks):
        exposure = candidate.exposures[index]
        focused, ratios[index] = focused_from(exposure, candidate.exposures[best])
        if not math.isfinite(focused):
            continue
        point = from_principal_point(exposure.pose.to_camera_mm(scene.world_m[k]), exposure.state)
        cone = pupil_cones(point, exposure.state)
        at[index] = (focused, ratios[index] * float(cone.long_rate))
        patch = _middle(blocks[index], half)
        looks.append(Look(patch, at[index][0], exposure.state.working_f_number, at[index][1]))
    allowed = float(rendering.allowed_mm[k])
    if not math.isfinite(allowed) or allowed <= 0.0:
        return None
    looks = _near_another(looks, _FAR * allowed / at[best][1], needed)
    distances = sorted(look.image_mm for look in looks)
    # Frames focused alike, as those of a grid, tell nothing more than one.
    apart = LEAST_APART * allowed / at[best][1]
    if sum(b - a > apart for a, b in itertools.pairwise(distances)) < needed - 1:
        return None
    reach = 3.0 * allowed / at[best][1] + (distances[-1] - distances[0])
    found = sharp_distance(
        looks,
        allowed_px=allowed / pitch_mm,
        pitch_mm=pitch_mm,
        wavelength_mm=criterion.lights[len(criterion.lights) // 2][0],
        span_mm=(distances[0] - reach, distances[-1] + reach),
    )
    if found is None:
        return None
    blurs = {index: abs(v - found.sharp_at_mm) * rate for index, (v, rate) in at.items()}
    sharpest = min(blurs, key=blurs.__getitem__)
    (v, rate), blur = at[sharpest], blurs[sharpest]
    if not has_one_beside(at.values(), v, found.sharp_at_mm, allowed):
        return None
    unsure = max(found.plus_minus_mm * rate, least_unsure_mm(allowed, pitch_mm))
    softness, plus_minus = as_softness(candidate, rendering, k, sharpest, blur, unsure)
    if plus_minus > _MOST_UNSURE * max(1.0, softness):
        return None
    seen_from = candidate.exposures[sharpest]
    sharp_at = seen_from.state.image_distance_mm + ratios[sharpest] * (found.sharp_at_mm - v)
    away = ranged(seen_from, scene.world_m[k], sharp_at, unsure / rate * ratios[sharpest])
    return sharpest, softness, plus_minus, away


def _near_another(looks: list[Look], gap_mm: float, needed: int) -> list[Look]:
    """Those focused near another: of one far from all nothing is left that theirs could be held against."""
    near = [
        one for one in looks
        if any(other is not one and abs(one.image_mm - other.image_mm) <= gap_mm for other in looks)
    ]  # fmt: skip
    return near if len(near) >= needed else looks


def as_softness(
    candidate: Candidate, rendering: Rendering, k: int, index: int, blur_mm: float, unsure_mm: float
) -> tuple[float, float]:
    """Blur in the planner's units."""
    criterion, state = candidate.criterion, candidate.exposures[index].state
    assert criterion is not None
    own = float(residual_mm(candidate.scene, candidate.exposures[index], np.array([k]))[0])
    smear = float(rendering.smear_mm[k])
    values = np.array([blur_mm, blur_mm + unsure_mm])
    found = criterion.softness(values, state.working_f_number, smear, None, own)
    if not np.all(np.isfinite(found)):
        return math.inf, math.inf
    return float(found[0]), float(found[1] - found[0])


def in_each(candidate: Candidate, k: int, told: MarkSoftness, off_mm: float = 0.0) -> list[float]:
    """How soft a mark is in every frame as it was taken, from where it was found to be sharp, or `off_mm` of that."""
    assert told.ranged is not None
    assert candidate.rendering is not None
    seen = candidate.exposures[told.frame]

    def cone_in(exposure: Exposure) -> PupilCone:
        at = exposure.pose.to_camera_mm(candidate.scene.world_m[k])
        return pupil_cones(from_principal_point(at, exposure.state), exposure.state)

    sharp_at = float(cone_in(seen).sharp_at_mm) + told.ranged.off_mm + off_mm
    found = []
    for index, exposure in enumerate(candidate.exposures):
        focused, ratio = focused_from(exposure, seen)
        blur = abs(focused - sharp_at) * ratio * float(cone_in(exposure).long_rate)
        found.append(as_softness(candidate, candidate.rendering, k, index, blur, 0.0)[0])
    return found
