"""Where a wall is sharpest in a run of focus, place by place: a plane through it, and a bend."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import FileError
from verispect.optics.conjugates import image_distance_for_scale_mm
from verispect.optics.types import Floats
from verispect.prove.intake import Frame, grey_linear, read_coded

LEAST_FRAMES, _LEAST_BLOCKS = 5, 20
# The frame is cut into so many blocks along its long side, looked at in about so many pixels.
_BLOCKS, _SIDE = 16, 2400
# Detail between these (standard deviations in pixels) tells how sharp a block is.
_FINE, _COARSE = 0.8, 2.0
# A block whose sharpest frame stands out less than this from its least sharp one says nothing.
_STANDS_OUT = 1.6
_LOST = 1e-9
# Blur grows alike to both sides of the best focus; a lens that departs from that leans the curve. A little lean moves
# the peak far and changes the curve hardly at all: so much it is held upright.
_UPRIGHT = 0.5
# The curve of sharpness about its peak: so many frames to either side; nepers that are no longer chance.
_REACH, _ROUGH = 3.5, 0.15


@dataclass(frozen=True)
class FocusSurface:
    """Image distances at which a wall is sharpest over the picture, along the lens's axis.

    Attributes
    ----------
    slopes : ndarray, shape (2,)
        To the right and up, mm for each mm in the picture.
    slope_sigma, bend_sigma_mm, middle_sigma_mm : float
        Standard deviations.
    middle_mm : float
        In the picture's middle.
    bend_mm : float
        Of the corner against the middle, growing as the square of the height.
    blocks : int
        Places that told.
    """

    slopes: Floats
    slope_sigma: float
    middle_mm: float
    middle_sigma_mm: float
    bend_mm: float
    bend_sigma_mm: float
    blocks: int


def focus_surface(
    frames: Sequence[Frame],
    *,
    focal_mm: float,
    sensor_mm: tuple[float, float],
    ends_m: tuple[float, float] | None = None,
    separation_mm: float = 0.0,
    progress: Callable[[float, str], None] = lambda _share, _text: None,
) -> FocusSurface:
    """Measure.

    Parameters
    ----------
    frames : sequence of Frame
        Of one run, in order.
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
    if len(frames) < LEAST_FRAMES:
        raise FileError("{count} frames: a run of at least {least} is needed", count=len(frames), least=LEAST_FRAMES)
    images = _image_distances(frames, focal_mm, separation_mm, ends_m)
    detail, share = _detail(frames, progress)
    return _fitted(detail, images, sensor_mm, share)


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
        band = cv2.GaussianBlur(grey, (0, 0), _FINE) - cv2.GaussianBlur(grey, (0, 0), _COARSE)
        across = _BLOCKS if shape[1] >= shape[0] else max(4, round(_BLOCKS * shape[1] / shape[0]))
        down = max(4, round(across * shape[0] / shape[1]))
        size = (shape[0] // down, shape[1] // across)
        fine, light = (
            part[: size[0] * down, : size[1] * across].reshape(down, size[0], across, size[1]).astype(float)
            for part in (band, grey)
        )
        share = (size[1] / shape[1], size[0] / shape[0])
        # Against each place's mean light, which blur leaves as it is: the frame's median rises with its blur, and
        # draws the sharpest frame of every place towards the one that is sharp in most.
        found.append(np.mean(fine**2, axis=(1, 3)) / np.maximum(light.mean(axis=(1, 3)), 1e-6) ** 2)
    progress(1.0, "measured")
    return np.array(found), share


def middle_detail(frame: Frame) -> float:
    """Strength of fine detail in a frame's middle."""
    detail, _ = _detail([frame], lambda _share, _text: None)
    down, across = detail.shape[1:]
    return float(np.mean(detail[0, down // 3 : down - down // 3, across // 3 : across - across // 3]))


def _fitted(
    detail: Floats, images: Floats, sensor_mm: tuple[float, float], share: tuple[float, float]
) -> FocusSurface:
    """A plane, a bend and one curve of fall from the peak, through the detail of all places in all frames at once.

    Every place falls from its peak alike, and by how much detail it has of its own. A parabola through three frames
    for each place by itself leans towards the frame next to its peak, by 4 %.
    """
    count, order = len(images), np.argsort(images)
    images, strength = images[order], np.log(np.maximum(detail[order], _LOST))
    best = np.argmax(strength, axis=0)
    fit = (best > 0) & (best < count - 1) & (np.ptp(strength, axis=0) > math.log(_STANDS_OUT))
    rows, columns = np.nonzero(fit)
    if len(rows) < _LEAST_BLOCKS:
        raise FileError(
            "only {count} places of the wall pass through sharpness in this run: begin nearer, end farther, at a "
            "wide stop, before something full of detail",
            count=len(rows),
        )
    from scipy.optimize import least_squares  # slow to import, as all of SciPy

    own = strength[:, rows, columns]
    at = np.column_stack([
        ((columns + 0.5) * share[0] - 0.5) * sensor_mm[0], (0.5 - (rows + 0.5) * share[1]) * sensor_mm[1]
    ])  # fmt: skip
    basis = np.column_stack(
        [at, np.ones(len(at)), np.sum(at**2, axis=1) / (0.25 * float(np.sum(np.square(sensor_mm))))]
    )
    apart = float(np.median(np.diff(images)))
    peaks = _parabola(own, images, best[rows, columns])
    # From where it stands a robust fit finds its way; from nothing, thousands of steps off, not always.
    flat = np.array([0.0, 0.0, float(np.median(peaks)), 0.0])
    begin = least_squares(
        lambda v: (basis @ v - peaks) / apart, flat, loss="soft_l1", f_scale=0.2, x_scale="jac"
    ).x  # fmt: skip
    near = np.abs(images[:, None] - peaks) <= _REACH * apart
    number = np.maximum(near.sum(axis=0), 1)

    def left(values: Floats) -> Floats:
        rest = np.where(near, own - _fall((images[:, None] - basis @ values[:4]) / apart, values[4:]), 0.0)
        # What each place has of detail is its own.
        rest = np.where(near, rest - rest.sum(axis=0) / number, 0.0)
        return np.append(np.ravel(rest), _UPRIGHT * math.sqrt(float(near.sum())) * values[6])

    curve = (
        np.array([1.0, 1.0, 0.0, -4.0, 2.0]), np.array([0.05, 0.1, -1.0, -14.0, 1.2]),
        np.array([10.0, 20.0, 1.0, 0.0, 5.0]),
    )  # fmt: skip
    free = np.full(4, np.inf)
    solved = least_squares(
        left, np.concatenate([begin, curve[0]]), loss="soft_l1", f_scale=_ROUGH, x_scale="jac",
        bounds=(np.concatenate([-free, curve[1]]), np.concatenate([free, curve[2]])),
    )  # fmt: skip
    sigma = _sigma(solved.jac, left(solved.x)[:-1], len(at))
    middle = float(solved.x[2])
    if not images[0] < middle < images[-1]:
        raise FileError("the wall's middle is not sharp within this run: begin nearer, or end farther")
    return FocusSurface(solved.x[:2], float(sigma[:2].max()), middle, float(sigma[2]), float(solved.x[3]),
                        float(sigma[3]), len(at))  # fmt: skip


def _fall(x: Floats, shape: Floats) -> Floats:
    """Logarithm of detail so many frames off its peak: flat or pointed, long arms, a lean, and what noise leaves."""
    power, width, lean, floor, flat = shape
    bell = (1.0 + np.abs(x / width) ** flat) ** -power
    drawn: Floats = np.log(bell + math.exp(floor)) + lean * x
    return drawn


def _sigma(slopes: Floats, left: Floats, blocks: int) -> Floats:
    """Standard deviations of what was solved; the frames of a place are not so many independent looks."""
    used = np.abs(left) > 0.0
    spread = 1.4826 * float(np.median(np.abs(left[used]))) if used.any() else 0.0
    sharing = float(used.sum()) / max(blocks, 1)
    found: Floats = spread * math.sqrt(sharing) * np.sqrt(np.maximum(np.diag(np.linalg.pinv(slopes.T @ slopes)), 0.0))
    return found


def _parabola(own: Floats, images: Floats, best: NDArray[np.intp]) -> Floats:
    """A first guess of every peak, from the three frames about it."""
    some = np.arange(own.shape[1])
    before, there, after = (own[best + k, some] for k in (-1, 0, 1))
    off = 0.5 * (before - after) / np.minimum(before - 2.0 * there + after, -_LOST)
    apart = np.where(off > 0.0, images[best + 1] - images[best], images[best] - images[best - 1])
    found: Floats = images[best] + np.clip(off, -0.5, 0.5) * apart
    return found
