"""How far a lens really tilts: from a run of focus over a wall that the camera faces square on.

With the lens leaning forward by θ the wall's image stands aslant of the sensor: by the thin lens formula, with the
wall at U and y the height in the picture, it lies at w = (U f + y U sin θ)/(U cos θ − f) behind the lens, so each
place is sharpest in another frame of the run and dw/dy = U sin θ/(U cos θ − f). A swing does the same from side to
side.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from verispect.errors import FileError
from verispect.optics.conjugates import image_distance_for_scale_mm
from verispect.optics.types import Floats
from verispect.prove.intake import Frame, described, frames_in, grey_linear, in_order, read_coded

LEAST_FRAMES, _LEAST_BLOCKS = 5, 20
# The frame is cut into so many blocks along its long side, looked at in about so many pixels.
_BLOCKS, _SIDE = 16, 2400
# Detail between these (standard deviations in pixels) tells how sharp a block is.
_FINE, _COARSE = 0.8, 2.0
# A block whose sharpest frame stands out less than this from its least sharp one says nothing.
_STANDS_OUT = 1.6
_LOST = 1e-9
# The curve of sharpness about its peak: so many frames to either side, so many rounds.
_REACH, _ROUNDS = 3.0, 4
# Readings of distances are sure to so much of the length the run went.
_RUN_SHARE = 0.02
_LEAST_KEPT_DEG = 0.01


@dataclass(frozen=True)
class TiltTest:
    """What a run tells.

    Attributes
    ----------
    tilt_deg, swing_deg : float
        Tilt positive leans the top of the lens forward, swing positive faces it right.
    plus_minus_deg : float
        Of both; almost surely within (95 %).
    corner_um : float
        What is left of a bend: best focus in the picture's corner against its middle, at the sensor, away from the
        lens.
    blocks : int
        Places of the wall that told where they are sharpest.
    """

    tilt_deg: float
    swing_deg: float
    plus_minus_deg: float
    corner_um: float
    blocks: int


def kept_in_lens(found: TiltTest, reads_deg: float) -> dict[str, object]:
    """What a lens keeps of a test taken while its tilt scale read so."""
    sure = max(found.plus_minus_deg, _LEAST_KEPT_DEG)
    return {"tilt_zero_deg": round(found.tilt_deg - reads_deg, 2), "tilt_plus_minus_deg": round(sure, 2)}


def tilt_test(
    places: Sequence[Path],
    *,
    focal_mm: float,
    sensor_mm: tuple[float, float],
    ends_m: tuple[float, float] | None = None,
    separation_mm: float = 0.0,
    progress: Callable[[float, str], None] = lambda _share, _text: None,
) -> TiltTest:
    """Measure.

    Parameters
    ----------
    sensor_mm : (float, float)
        Width and height of what the frames show.
    ends_m : (float, float), optional
        What the focus was set to for the first and the last frame, from the sensor mark, in equal steps of the ring
        between; without, what the frames tell of themselves.

    Raises
    ------
    FileError
        For too few frames, focus that is not told, or a wall that does not pass through sharpness in the run.
    """
    frames = in_order([described(path) for path in frames_in(places)])
    if len(frames) < LEAST_FRAMES:
        raise FileError("{count} frames: a run of at least {least} is needed", count=len(frames), least=LEAST_FRAMES)
    images = _image_distances(frames, focal_mm, separation_mm, ends_m)
    detail, share = _detail(frames, progress)
    at, peaks = _peaks(detail, images, sensor_mm, share)
    if len(peaks) < _LEAST_BLOCKS:
        raise FileError(
            "only {count} places of the wall pass through sharpness in this run: begin nearer, end farther, at a "
            "wide stop, before something full of detail",
            count=len(peaks),
        )
    slopes, unsure, middle, bend = _plane(at, peaks, math.hypot(*sensor_mm) / 2.0)
    found = [_angle(slope, middle, focal_mm) for slope in slopes]
    total = math.hypot(2.0 * unsure, _RUN_SHARE * float(np.hypot(*slopes)))
    return TiltTest(
        tilt_deg=math.degrees(found[1]),
        swing_deg=-math.degrees(found[0]),
        plus_minus_deg=math.degrees(abs(_angle(total, middle, focal_mm))),
        corner_um=1000.0 * bend,
        blocks=len(peaks),
    )


def sensor_of(places: Sequence[Path], longer_mm: float) -> tuple[float, float]:
    """Width and height of what the frames show, by the sensor's longer side."""
    wide, high = described(frames_in(places)[0]).pixels
    return longer_mm * wide / max(wide, high), longer_mm * high / max(wide, high)


def _image_distances(
    frames: Sequence[Frame], focal: float, separation: float, ends_m: tuple[float, float] | None
) -> Floats:
    """Of every frame, along the lens's axis, mm."""
    told = list(ends_m) if ends_m is not None else [frame.subject_m for frame in frames]
    images = []
    for distance in told:
        if distance is None:
            raise FileError(
                "{path}: does not tell its focus; give --from and --to, the first and the last distance on the ring",
                path=frames[0].path,
            )
        if distance < (4.0 * focal + separation) / 1000.0:
            raise FileError("a focus at {distance:g} m: a {focal:g} mm lens forms no image of what is so near",
                            distance=distance, focal=focal)  # fmt: skip
        images.append(image_distance_for_scale_mm(scale_m=distance, focal_mm=focal, separation_mm=separation))
    found = np.linspace(images[0], images[-1], len(frames)) if ends_m is not None else np.array(images)
    if np.ptp(found) <= 0.0:
        raise FileError("every frame is focused alike: let the focus run from before the wall to behind it")
    return found


def _detail(frames: Sequence[Frame], progress: Callable[[float, str], None]) -> tuple[Floats, tuple[float, float]]:
    """Strength of fine detail in every block, shape (frames, down, across); a block's share of width and height."""
    found, shape, share = [], None, (1.0, 1.0)
    for number, frame in enumerate(frames):
        progress(number / len(frames), f"reading {frame.path.name}")
        grey = grey_linear(read_coded(frame), max(1, round(max(frame.pixels) / _SIDE)))
        if shape is not None and grey.shape != shape:
            raise FileError("{path}: of another size than {other}", path=frame.path, other=frames[0].path)
        shape = grey.shape
        even = grey / max(float(np.median(grey)), 1e-6)
        band = cv2.GaussianBlur(even, (0, 0), _FINE) - cv2.GaussianBlur(even, (0, 0), _COARSE)
        across = _BLOCKS if shape[1] >= shape[0] else max(4, round(_BLOCKS * shape[1] / shape[0]))
        down = max(4, round(across * shape[0] / shape[1]))
        size = (shape[0] // down, shape[1] // across)
        whole = band[: size[0] * down, : size[1] * across].reshape(down, size[0], across, size[1])
        share = (size[1] / shape[1], size[0] / shape[0])
        found.append(np.mean(whole.astype(float) ** 2, axis=(1, 3)))
    progress(1.0, "measured")
    return np.array(found), share


def _peaks(
    detail: Floats, images: Floats, sensor_mm: tuple[float, float], share: tuple[float, float]
) -> tuple[Floats, Floats]:
    """Where in the picture (right and up of its middle, mm, shape (N, 2)) what image distance is sharpest (mm).

    Every place falls from its peak alike, so one curve for all of them is drawn through what all frames show, and
    each place is laid against it: a parabola through three frames leans towards the frame next to the peak, by 4 %.
    """
    count, order = len(images), np.argsort(images)
    images, strength = images[order], np.log(np.maximum(detail[order], _LOST))
    best = np.argmax(strength, axis=0)
    fit = (best > 0) & (best < count - 1) & (np.ptp(strength, axis=0) > math.log(_STANDS_OUT))
    rows, columns = np.nonzero(fit)
    own = strength[:, rows, columns]
    right, up = (columns + 0.5) * share[0] - 0.5, 0.5 - (rows + 0.5) * share[1]
    at = np.column_stack([right * sensor_mm[0], up * sensor_mm[1]])
    if len(rows) < _LEAST_BLOCKS:
        return at, np.zeros(len(rows))
    apart = float(np.median(np.diff(images)))
    peaks = _parabola(own, images, best[rows, columns])
    for _ in range(_ROUNDS):
        about = _smooth(at, peaks, sensor_mm)
        peaks = about + _against_curve(own, images, about, apart)
    inside = (peaks > images[0]) & (peaks < images[-1])
    return at[inside], peaks[inside]


def _parabola(own: Floats, images: Floats, best: NDArray[np.intp]) -> Floats:
    """A first guess of every peak, from the three frames about it."""
    some = np.arange(own.shape[1])
    before, there, after = (own[best + k, some] for k in (-1, 0, 1))
    off = 0.5 * (before - after) / np.minimum(before - 2.0 * there + after, -_LOST)
    apart = np.where(off > 0.0, images[best + 1] - images[best], images[best] - images[best - 1])
    found: Floats = images[best] + np.clip(off, -0.5, 0.5) * apart
    return found


def _smooth(at: Floats, peaks: Floats, sensor_mm: tuple[float, float]) -> Floats:
    """Of every place, the peak of the plane and bend through all."""
    slopes, _, middle, bend = _plane(at, peaks, math.hypot(*sensor_mm) / 2.0)
    found: Floats = (
        at @ slopes + middle + bend * np.sum(at**2, axis=1) / (0.25 * (sensor_mm[0] ** 2 + sensor_mm[1] ** 2))
    )
    return found


def _against_curve(own: Floats, images: Floats, about: Floats, apart: float) -> Floats:
    """How far each place's peak lies off `about`, by the one curve that all places draw about it."""
    off = images[:, None] - about
    near = np.abs(off) <= _REACH * apart
    # Each place's own strength: what its detail is worth, taken off before all are put together.
    level = np.array([np.mean(own[near[:, k], k]) if near[:, k].any() else 0.0 for k in range(own.shape[1])])
    curve = _curve_of(off[near], (own - level)[near], apart)
    shifts = np.linspace(-1.0, 1.0, 81) * apart
    left = np.empty((len(shifts), own.shape[1]))
    for k, shift in enumerate(shifts):
        inside = np.abs(off - shift) <= _REACH * apart
        rest = np.where(inside, own - curve(off - shift), 0.0)
        number = np.maximum(inside.sum(axis=0), 1)
        mean = rest.sum(axis=0) / number
        left[k] = np.where(inside, (rest - mean) ** 2, 0.0).sum(axis=0) / number
    least = np.clip(np.argmin(left, axis=0), 1, len(shifts) - 2)
    some = np.arange(own.shape[1])
    before, there, after = (left[least + k, some] for k in (-1, 0, 1))
    part = 0.5 * (before - after) / np.maximum(before - 2.0 * there + after, 1e-15)
    found: Floats = shifts[least] + np.clip(part, -0.5, 0.5) * (shifts[1] - shifts[0])
    return found


def _curve_of(off: Floats, strength: Floats, apart: float) -> Callable[[Floats], Floats]:
    """The fall of the logarithm of detail from its peak: of a disc's blur as the detail's own sizes mix it."""

    def fall(values: Floats, x: Floats) -> Floats:
        power, width, lean = values[1], values[2] * apart, values[3] / apart
        drawn: Floats = values[0] - power * np.log1p((x / width) ** 2) + lean * x
        return drawn

    begin = np.array([float(strength.max()), 1.0, 1.0, 0.0])
    bounds = (np.array([-np.inf, 0.05, 0.05, -1.0]), np.array([np.inf, 20.0, 50.0, 1.0]))
    values = least_squares(lambda v: fall(v, off) - strength, begin, bounds=bounds, loss="soft_l1", f_scale=0.2).x
    return lambda x: fall(values, x)


def _plane(at: Floats, peaks: Floats, corner_mm: float) -> tuple[Floats, float, float, float]:
    """Slopes across and up with their σ, the middle, and the bend in the corner (mm): robust least squares."""
    rows = np.column_stack([at, np.ones(len(at)), np.sum((at / corner_mm) ** 2, axis=1)])
    begin = np.linalg.lstsq(rows, peaks, rcond=None)[0]
    spread = max(1.4826 * float(np.median(np.abs(rows @ begin - peaks))), 1e-6)
    solved = least_squares(lambda v: (rows @ v - peaks) / spread, begin, loss="soft_l1")
    left = rows @ solved.x - peaks
    inside: NDArray[np.bool_] = np.abs(left) < 4.0 * max(1.4826 * float(np.median(np.abs(left))), 1e-6)
    values = np.linalg.lstsq(rows[inside], peaks[inside], rcond=None)[0]
    error = float(np.sum((rows[inside] @ values - peaks[inside]) ** 2)) / max(int(inside.sum()) - 4, 1)
    covariance = error * np.linalg.inv(rows[inside].T @ rows[inside])
    return values[:2], math.sqrt(max(covariance[0, 0], covariance[1, 1])), float(values[2]), float(values[3])


def _angle(slope: float, image_mm: float, focal: float) -> float:
    """θ of a slope of image distance over height; those are told along the lens's axis, w = v cos θ."""
    wall = focal * image_mm / max(image_mm - focal, 1e-9)
    angle = 0.0
    for _ in range(30):
        level = math.cos(angle)
        angle = math.asin(max(-1.0, min(1.0, slope * level * (level - focal / wall))))
    return angle
