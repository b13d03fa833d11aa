"""What a lens resolves by stop: in the middle, half-way and in the corners, by slanted edges or shared texture."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import FileError
from verispect.kit.lens import Lens
from verispect.optics.otf import Lights, disc_mtf
from verispect.optics.types import Floats
from verispect.prove.intake import Frame, described, grey_linear, read_coded
from verispect.prove.softness.edges import find_edge
from verispect.prove.taken_in.folders import frames_in
from verispect.prove.trials.resolution import HALF, disc_of_mtf50, own_contrast

Grey = NDArray[np.float32]


class Zone(StrEnum):
    """Where in the picture, by the distance from its middle over that of its corners."""

    MIDDLE = "middle"
    HALF = "half"
    CORNER = "corner"


ZONES = {Zone.MIDDLE: (0.0, 0.22), Zone.HALF: (0.38, 0.62), Zone.CORNER: (0.78, 1.0)}
# Sides of the blocks in which an edge is looked for: the larger where a lens blurs over more than the smaller.
_SIDES = (65, 97)
_CELL = 8
_MOST_LOOKS = 600
_ENOUGH = 12
# For texture: blocks of so many pixels, so many of them in a zone.
_TEXTURE, _BLOCKS = 128, 8
_BAND = np.linspace(0.05, 0.30, 26)
_BLURS_PX = np.linspace(0.0, 16.0, 321)
_LEAST_SHARE = 0.01
# Frequencies by which a block must tell.
_LEAST_TOLD = 5


@dataclass(frozen=True)
class Resolved:
    """One stop in one zone.

    Attributes
    ----------
    mtf50, plus_minus : float
        Cycles/mm on the sensor at which half the contrast is left, the pixel included; almost surely within (95 %).
    blur_um, blur_plus_minus_um : float
        The disc that leaves as much, pixel and diffraction taken off.
    how : str
        "edges" or "texture"; texture tells blur against the sharpest stop, whose own is the least that lets those
        stopped down farther be no sharper than diffraction lets them.
    looks : int
        Edges or blocks that it rests on.
    """

    f_number: float
    zone: Zone
    mtf50: float
    plus_minus: float
    blur_um: float
    blur_plus_minus_um: float
    how: str
    looks: int


@dataclass(frozen=True)
class LensTest:
    """All stops and zones that could be told, widest first; `best_stop` by zone."""

    stops: tuple[Resolved, ...]
    best_stop: dict[str, float]
    pitch_mm: float


def lens_test(
    places: Sequence[Path],
    *,
    lights: Lights,
    pitch_mm: float | None = None,
    progress: Callable[[float, str], None] = lambda _share, _text: None,
) -> LensTest:
    """Measure test frames of one target at several stops.

    Raises
    ------
    FileError
        For frames that do not tell their stop, or where neither they nor `pitch_mm` tell the pixel's size, or with
        nothing in them to measure by.
    """
    frames = measured_frames(places)
    pitch = frames[0].pixel_mm or pitch_mm
    if pitch is None:
        raise FileError(
            "{path}: does not tell the size of its pixels; give --plan, whose body does", path=frames[0].path
        )
    by_edges: dict[tuple[float, Zone], list[float]] = {}
    textures: dict[tuple[float, Zone], list[Floats]] = {}
    spots: dict[Zone, list[tuple[int, int]]] = {}
    for number, frame in enumerate(frames):
        progress(number / len(frames), frame.path.name)
        grey, stop = grey_linear(read_coded(frame), 1), float(frame.f_number or 0.0)
        for zone in Zone:
            found = edges_in(grey, zone)
            by_edges.setdefault((stop, zone), []).extend(found)
            if zone not in spots:
                spots[zone] = _textured(grey, zone)
            textures.setdefault((stop, zone), []).extend(_powers(grey, spots[zone]))
    progress(1.0, "measured")
    told: list[Resolved] = []
    for zone in Zone:
        stops = sorted({stop for stop, own in by_edges if own is zone})
        if all(by_edges[stop, zone] for stop in stops):
            told += [_from_edges(stop, zone, by_edges[stop, zone], pitch, lights) for stop in stops]
        else:
            told += _from_texture(zone, {stop: textures[stop, zone] for stop in stops}, pitch, lights)
    if not told:
        raise FileError(
            "{path}: neither a straight edge, leaning 2 to 40 degrees, nor texture to measure by; photograph a chart "
            "or a brick wall",
            path=frames[0].path,
        )
    order = {zone: k for k, zone in enumerate(Zone)}
    told.sort(key=lambda row: (row.f_number, order[row.zone]))
    best = {
        zone.value: max((row for row in told if row.zone is zone), key=lambda row: row.mtf50).f_number
        for zone in Zone
        if any(row.zone is zone for row in told)
    }
    return LensTest(tuple(told), best, pitch)


def measured_frames(places: Sequence[Path]) -> list[Frame]:
    """The frames measured by, widest stop first; of a run of focus the one that is sharpest in the middle."""
    from verispect.prove.trials.bend_test import sharpest_of_runs

    return sorted(sharpest_of_runs(_with_stops(places)), key=lambda frame: frame.f_number or 0.0)


def _with_stops(places: Sequence[Path]) -> list[Frame]:
    frames = [described(path) for path in frames_in(places)]
    for frame in frames:
        if frame.f_number is None or frame.f_number <= 0.0:
            raise FileError(
                "{path}: does not tell its stop; test frames need the f-number in their metadata", path=frame.path
            )
        if frame.pixels != frames[0].pixels:
            raise FileError("{path}: of another size than {other}; test frames are taken alike", path=frame.path,
                            other=frames[0].path)  # fmt: skip
    return frames


def _share_out(shape: tuple[int, ...], row: Floats | float, column: Floats | float) -> Floats:
    """Distance from the picture's middle over that of its corners."""
    rows, columns = shape[:2]
    half = 0.5 * np.hypot(rows, columns)
    found: Floats = np.hypot(row - 0.5 * (rows - 1), column - 0.5 * (columns - 1)) / half
    return found


def edges_in(grey: Grey, zone: Zone, part: tuple[slice, slice] | None = None) -> list[float]:
    """MTF50 in cycles per pixel of the edges in a zone, or a part of it, the plainest steps first looked at."""
    gradient = cv2.magnitude(cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1))
    rows, columns = (side // _CELL for side in grey.shape)
    cells = cv2.resize(gradient[: rows * _CELL, : columns * _CELL], (columns, rows), interpolation=cv2.INTER_AREA)
    i, j = np.mgrid[0:rows, 0:columns]
    out = _share_out(grey.shape, (i + 0.5) * _CELL, (j + 0.5) * _CELL)
    least, most = ZONES[zone]
    strength = np.where((out >= least) & (out <= most), cells, 0.0)
    if part is not None:
        inside = np.zeros(grey.shape, bool)
        inside[part] = True
        strength = np.where(inside[_CELL // 2 :: _CELL, _CELL // 2 :: _CELL][:rows, :columns], strength, 0.0)
    floor = 0.02 * float(strength.max())
    found: list[float] = []
    for _ in range(_MOST_LOOKS):
        row, column = (int(k) for k in np.unravel_index(int(strength.argmax()), strength.shape))
        if strength[row, column] <= floor or len(found) >= _ENOUGH:
            break
        response = _edge_at(grey, (row * _CELL + _CELL // 2, column * _CELL + _CELL // 2))
        # Beside a border or a corner there may be an edge all the same; beside an edge lies but more of it.
        half = 1 if response is None else _SIDES[0] // (2 * _CELL)
        strength[max(row - half, 0) : row + half + 1, max(column - half, 0) : column + half + 1] = 0.0
        if response is not None:
            found.append(response)
    return found


def _edge_at(grey: Grey, middle: tuple[int, int]) -> float | None:
    for side in _SIDES:
        top, left = middle[0] - side // 2, middle[1] - side // 2
        if top < 0 or left < 0 or top + side > grey.shape[0] or left + side > grey.shape[1]:
            return None
        edge = find_edge(np.ascontiguousarray(grey[top : top + side, left : left + side]))
        if edge is not None:
            return edge.frequency_of(HALF)
    return None


def _from_edges(stop: float, zone: Zone, found: list[float], pitch: float, lights: Lights) -> Resolved:
    values = np.array(found) / pitch
    middle = float(np.median(values))
    spread = 1.4826 * float(np.median(np.abs(values - middle)))
    unsure = max(1.96 * 1.253 * spread / np.sqrt(len(values)), _LEAST_SHARE * middle)
    # Contrast beyond what no blur at all would leave is an error of measuring, and as much of one may lie below.
    limit = _mtf50_of(0.0, stop, pitch, lights)
    unsure = max(unsure, middle - limit)
    blur, most, least = (
        1000.0 * disc_of_mtf50(nu, pitch_mm=pitch, working_f_number=stop, lights=lights)
        for nu in (middle, min(middle, limit) - unsure, middle + unsure)
    )
    return Resolved(stop, zone, middle, unsure, blur, max(most - blur, blur - least), "edges", len(values))


def _textured(grey: Grey, zone: Zone) -> list[tuple[int, int]]:
    """Top left corners of the blocks of a zone with most detail."""
    return textured_blocks(grey, zone, (slice(None), slice(None)), side=_TEXTURE)


def textured_blocks(
    grey: Grey, zone: Zone, part: tuple[slice, slice], *, side: int, most: int = _BLOCKS
) -> list[tuple[int, int]]:
    """Top left corners of the blocks of a zone that lie in a part of the picture and have most detail."""
    rows, columns = (range(*piece.indices(length)) for piece, length in zip(part, grey.shape, strict=True))
    corners = [
        (i, j)
        for i in range(rows.start, rows.stop - side, side)
        for j in range(columns.start, columns.stop - side, side)
    ]
    least, farthest = ZONES[zone]
    middle = 0.5 * side
    mine = [
        (i, j) for i, j in corners
        if least <= float(_share_out(grey.shape, i + middle, j + middle)) <= farthest
    ]  # fmt: skip
    energy = [float(np.std(grey[i : i + side, j : j + side])) for i, j in mine]
    return [mine[k] for k in np.argsort(energy)[::-1][:most]]


def _powers(grey: Grey, corners: Sequence[tuple[int, int]]) -> list[Floats]:
    """Log power in the band of each block over its brightness, noise taken off; nan where noise drowns it."""
    window = np.outer(np.hanning(_TEXTURE), np.hanning(_TEXTURE))
    frequency = np.hypot(*np.meshgrid(np.fft.fftfreq(_TEXTURE), np.fft.fftfreq(_TEXTURE)))
    found = []
    for i, j in corners:
        block = grey[i : i + _TEXTURE, j : j + _TEXTURE].astype(float)
        block = (block / max(float(block.mean()), 1e-4) - 1.0) * window
        power = np.abs(np.fft.fft2(block)) ** 2
        noise = float(np.median(power[frequency > 0.47]))
        rings = np.array([power[np.abs(frequency - nu) <= 0.012].mean() for nu in _BAND])
        clear = rings - noise
        with np.errstate(invalid="ignore", divide="ignore"):
            found.append(np.where(clear > noise, np.log(np.maximum(clear, 1e-30)), np.nan))
    return found


def _from_texture(zone: Zone, powers: dict[float, list[Floats]], pitch: float, lights: Lights) -> list[Resolved]:
    """Blur of every stop against the one that keeps most detail, by the ratio of their spectra."""
    usable = {stop: np.array(found) for stop, found in powers.items() if found}
    if len(usable) < 2:
        return []
    kept = {stop: float(np.nanmean(np.where(_BAND > 0.12, found, np.nan))) for stop, found in usable.items()
            if np.isfinite(found[:, _BAND > 0.12]).any()}  # fmt: skip
    if len(kept) < 2:
        return []
    sharpest = max(kept, key=lambda stop: kept[stop])
    base, told = usable[sharpest], []
    ratios = {stop: usable[stop] - base for stop in kept}
    own_px = _blur_of_sharpest(ratios, sharpest, pitch, lights)
    for stop, ratio in ratios.items():
        modelled = _modelled(stop, sharpest, _BLURS_PX, pitch, lights) - _log_power(np.array([own_px]))
        blurs = [_fitted_px(one, modelled) for one in ratio]
        sound = np.array([blur for blur in blurs if blur is not None])
        if sound.size == 0:
            continue
        blur = float(np.median(sound))
        spread = 1.4826 * float(np.median(np.abs(sound - blur)))
        # Against the sharpest stop one can know no blur better than what that may have of its own.
        unsure = float(np.hypot(1.96 * 1.253 * spread / np.sqrt(len(sound)), 0.5))
        ends = [_mtf50_of(b * pitch, stop, pitch, lights) for b in (blur, max(blur - unsure, 0.0), blur + unsure)]
        told.append(
            Resolved(
                stop, zone, ends[0], max(ends[0] - ends[2], ends[1] - ends[0]), 1000.0 * blur * pitch,
                1000.0 * unsure * pitch, "texture", len(sound),
            )
        )  # fmt: skip
    return told


def _blur_of_sharpest(ratios: dict[float, Floats], sharpest: float, pitch: float, lights: Lights) -> float:
    """The blur, px, that the sharpest stop must itself have, were one stopped down farther without any.

    `ratios` hold the log power of each stop's blocks over the sharpest's, shape (blocks, F). Stopped down far a lens
    has next to no blur of its own but diffraction, which is known: that it falls behind by less tells of the other.
    """
    told = [0.0]
    for stop, blocks in ratios.items():
        if stop > sharpest:
            ideal = _modelled(stop, sharpest, np.zeros(1), pitch, lights)[0]
            blurs = [_fitted_px(ideal - ratio, _log_power(_BLURS_PX)) for ratio in blocks]
            told.append(float(np.median([blur for blur in blurs if blur is not None] or [0.0])))
    return max(told)


def _log_power(blurs_px: Floats) -> Floats:
    """Log power that discs leave in the band, shape (blurs, F)."""
    left: Floats = np.abs(disc_mtf(np.pi * _BAND[None] * blurs_px[:, None]))
    return 2.0 * np.log(np.maximum(left, 1e-2))


def _modelled(stop: float, sharpest: float, blurs_px: Floats, pitch: float, lights: Lights) -> Floats:
    """Log power of a stop with each of some blurs over that of the sharpest without any, shape (blurs, F)."""
    own = [
        own_contrast(nu / pitch, pitch_mm=pitch, working_f_number=stop, lights=lights, angle_deg=0.0)
        / own_contrast(nu / pitch, pitch_mm=pitch, working_f_number=sharpest, lights=lights, angle_deg=0.0)
        for nu in _BAND
    ]
    return _log_power(blurs_px) + 2.0 * np.log(np.maximum(own, 1e-2))


def _fitted_px(measured: Floats, modelled: Floats) -> float | None:
    """The one of `_BLURS_PX` with which log power (F,) is as measured; None where too little of that is known."""
    known = np.isfinite(measured)
    if known.sum() < _LEAST_TOLD:
        return None
    return float(_BLURS_PX[int(np.argmin(np.mean((modelled - measured)[:, known] ** 2, axis=1)))])


def _mtf50_of(blur_mm: float, stop: float, pitch: float, lights: Lights) -> float:
    """The frequency at which pixel, diffraction and a disc leave half the contrast, cycles/mm."""
    low, high = 0.0, 1.0 / pitch
    for _ in range(50):
        nu = 0.5 * (low + high)
        own = own_contrast(nu, pitch_mm=pitch, working_f_number=stop, lights=lights, angle_deg=0.0)
        if own * float(disc_mtf(np.array([np.pi * nu * blur_mm]))[0]) > HALF and nu * blur_mm < 1.2197:
            low = nu
        else:
            high = nu
    return low


def beside_others(lens: Lens, rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """New rows, and those the lens has for other focal lengths of a zoom."""
    focal = rows[0].get("focal_mm") if rows else None
    if focal is None:
        return rows
    others = [row.model_dump(mode="json") for row in lens.residual if row.focal_mm not in (focal, None)]
    return [*others, *rows]


def residual_rows(found: LensTest, focal_mm: float | None = None) -> list[dict[str, Any]]:
    """The lens's own blur as the plan keeps it: by stop, in the middle and in the corner; what was not told as the
    zone nearest to it.
    """
    rows = []
    for stop in sorted({row.f_number for row in found.stops}):
        by_zone = {row.zone.value: row.blur_um for row in found.stops if row.f_number == stop}
        centre = by_zone.get("middle", by_zone.get("half", by_zone.get("corner", 0.0)))
        corner = by_zone.get("corner", by_zone.get("half", centre))
        sure = max(row.blur_plus_minus_um for row in found.stops if row.f_number == stop)
        row = {"f_number": stop, "centre_um": round(centre, 2), "corner_um": round(corner, 2),
               "plus_minus_um": round(sure, 2)}  # fmt: skip
        rows.append(row if focal_mm is None else row | {"focal_mm": focal_mm})
    return rows
