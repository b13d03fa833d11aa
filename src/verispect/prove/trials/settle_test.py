"""How long a tripod rings after a touch: from a burst of frames of something still."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from verispect.errors import FileError
from verispect.kit.equipment import Kit, Tripod
from verispect.optics.types import Floats
from verispect.prove.align.motion import at_middle, motion_between
from verispect.prove.intake import Frame, described, grey_linear, in_order, read_coded
from verispect.prove.taken_in.folders import frames_in
from verispect.prove.trials.burst import times_of

LEAST_FRAMES = 8
# Frames are laid over one another at about so many pixels along their long side.
_SIDE = 1200
# The last so much of a burst is taken for still.
_STILL_SHARE = 0.2
# Rates of dying away and of swinging that are tried: 1/s and Hz.
_DECAYS = np.geomspace(0.1, 60.0, 80)
_SLOWEST_HZ = 0.3
_TRIES = 60
# Of the swing, where the lens is not known, from a long one's to a wide one's.
_UNKNOWN_LENS = 0.1
# What an alignment leaves unsure, pixels of the frame as it is aligned.
_ALIGNED_PX = 0.03


@dataclass(frozen=True)
class SettleTest:
    """What a burst tells.

    Attributes
    ----------
    settle_s, plus_minus_s : float
        After a touch, until the picture stays within `within_px`; almost surely within (95 %).
    within_px : float
        Of the frames' own pixels.
    decay_s : float
        In which the swing falls to 1/e; inf where nothing was seen to swing.
    swing_hz : float
        Swings a second as the frames see them: faster ones than half the frames a second are told too slow.
    first_px : float
        The swing just after the touch.
    times_s, off_px : ndarray, shape (N,) and (N, 2)
        Of every frame: after the touch, and how far down and right of where it comes to rest.
    files : tuple of str
    focal_mm : float or None
        As the frames tell it.
    wide_px : int
        Of the frames' longer side.
    """

    settle_s: float
    plus_minus_s: float
    within_px: float
    decay_s: float
    swing_hz: float
    first_px: float
    times_s: Floats
    off_px: Floats
    files: tuple[str, ...]
    focal_mm: float | None = None
    wide_px: int = 0


def kept_in_kit(found: SettleTest, kit: Kit, focal_mm: float | None = None) -> Kit:
    """The kit with the time until it is still, and with the tripod's swing where the focal length is known."""
    settle = round(found.settle_s + found.plus_minus_s, 2)
    kit = kit.model_copy(update={"times": kit.times.model_copy(update={"settle_s": settle})})
    focal = found.focal_mm or focal_mm
    if focal is None or math.isinf(found.decay_s) or found.swing_hz <= 0.0:
        return kit
    across_rad = found.first_px * max(kit.body.sensor_mm) / found.wide_px / focal
    swing = {
        "swing_arcsec": round(math.degrees(across_rad) * 3600.0, 1), "decay_s": round(found.decay_s, 3),
        "swing_hz": round(found.swing_hz, 2),
    }  # fmt: skip
    tripod = (kit.tripod or Tripod()).model_copy(update=swing).as_measured(*swing)
    return kit.model_copy(update={"tripod": tripod})


def settle_test(
    places: Sequence[Path],
    *,
    within_px: float = 0.5,
    frames_per_s: float | None = None,
    touch_s: float = 0.0,
    focal_mm: float | None = None,
    sensor_long_mm: float | None = None,
    progress: Callable[[float, str], None] = lambda _share, _text: None,
) -> SettleTest:
    """Measure.

    Parameters
    ----------
    within_px : float
        What counts as still.
    frames_per_s : float, optional
        Of the burst, where the frames' own times are too coarse or missing.
    touch_s : float
        When the touch was, after the first frame.
    focal_mm, sensor_long_mm : float, optional
        Where the frames do not tell: what turns the camera by so much moves the picture's edges farther than its
        middle, the more the wider the lens.

    Raises
    ------
    FileError
        For too few frames, no times, or frames that cannot be laid over one another.
    """
    frames = in_order([described(path) for path in frames_in(places)])
    if len(frames) < LEAST_FRAMES:
        raise FileError(
            "{count} frames: a burst of at least {least} is needed", count=len(frames), least=LEAST_FRAMES
        )
    times = times_of(frames, frames_per_s) - touch_s
    focal_px, is_known = _focal_px(frames[0], focal_mm, sensor_long_mm)
    off = _offsets(frames, focal_px, progress)
    after = times >= -1e-9
    if after.sum() < LEAST_FRAMES:
        raise FileError("--touch-at {s:g}: fewer than {least} frames come after it", s=touch_s, least=LEAST_FRAMES)
    settle, sure, decay, hertz, first = _fitted(times[after], off[after], within_px)
    if math.isfinite(decay):
        # A first swing told so much too large or small is still so much later or sooner.
        sure = math.hypot(sure, 0.0 if is_known else decay * _UNKNOWN_LENS, 0.5 * (frames[0].shutter_s or 0.0))
    names = tuple(frame.path.name for frame in frames)
    return SettleTest(settle, sure, within_px, decay, hertz, first, times, off, names, frames[0].focal_mm,
                      max(frames[0].pixels))  # fmt: skip


def _focal_px(frame: Frame, focal_mm: float | None, sensor_long_mm: float | None) -> tuple[float, bool]:
    """Pixels of the frame for a tangent of 1, and whether that is known."""
    focal = frame.focal_mm or focal_mm
    pitch = frame.pixel_mm or (sensor_long_mm / max(frame.pixels) if sensor_long_mm else None)
    return (focal / pitch, True) if focal and pitch else (frame.focal_px, False)


def _offsets(frames: Sequence[Frame], focal_px: float, progress: Callable[[float, str], None]) -> Floats:
    """How far each frame lies off where the burst comes to rest, pixels down and right, shape (N, 2)."""
    divide = max(1, round(max(frames[0].pixels) / _SIDE))
    last = grey_linear(read_coded(frames[-1]), divide)
    rows, columns = last.shape
    middle = (0.5 * (columns - 1), 0.5 * (rows - 1))
    found = []
    for number, frame in enumerate(frames):
        progress(number / len(frames), f"laying {frame.path.name} over the last one")
        picture = grey_linear(read_coded(frame), divide)
        if picture.shape != last.shape:
            raise FileError("{path}: of another size than {other}; a burst is taken with one", path=frame.path,
                            other=frames[-1].path)  # fmt: skip
        motion = motion_between(picture, last, planned=np.eye(3), focal_px=focal_px / divide, centre_px=middle)
        if not motion.trusted:
            raise FileError(
                "{path}: cannot be laid over {other}: photograph something still and full of detail",
                path=frame.path, other=frames[-1].path,
            )  # fmt: skip
        down, right, _, _ = at_middle(motion.matrix, middle)
        found.append((-down * divide, -right * divide))
    progress(1.0, "measured")
    off = np.array(found)
    still = max(3, round(_STILL_SHARE * len(off)))
    rested: Floats = off - np.median(off[-still:], axis=0)
    return rested


def _fitted(times: Floats, off: Floats, within_px: float) -> tuple[float, float, float, float, float]:
    """Settling time with its ±, decay, swings a second, and the first swing.

    A swing that dies away, e^(−t/τ) times cosine and sine, both axes with one rate and one frequency: for every
    rate and frequency the rest is linear (variable projection: Golub & Pereyra 1973, from memory); the ± from
    drawing frames anew (bootstrap).
    """
    rate, hertz, swing, left = _best(times, off)
    noise = max(math.sqrt(left), _ALIGNED_PX)
    seen = float(np.hypot(*off.T).max())
    if swing <= 2.0 * noise or seen <= max(within_px, 2.0 * noise):
        return 0.0, float(np.median(np.diff(times))), math.inf, 0.0, seen
    settle = math.log(swing / within_px) / rate
    rng = np.random.default_rng(1)
    drawn = []
    for _ in range(_TRIES):
        rows = np.sort(rng.integers(0, len(times), len(times)))
        again_rate, _, again, _ = _best(times[rows], off[rows], about=(rate, hertz))
        drawn.append(max(0.0, math.log(max(again, 1e-9) / within_px)) / again_rate)
    return settle, max(2.0 * float(np.std(drawn)), 0.02 * settle), 1.0 / rate, hertz, swing


def _best(times: Floats, off: Floats, about: tuple[float, float] | None = None) -> tuple[float, float, float, float]:
    """Rate, frequency, first swing, and the mean square left, of the best of a net and then of finer ones."""
    span, step = float(times.max() - times.min()), float(np.median(np.diff(np.unique(times))))
    if about is None:
        fastest = max(0.5 / step, 2.0 * _SLOWEST_HZ)
        hertz = np.arange(_SLOWEST_HZ, fastest, 0.2 / max(span, step))
        rates = _DECAYS
    else:
        rates, hertz = about[0] * np.linspace(0.6, 1.6, 9), about[1] + np.linspace(-0.1, 0.1, 5) / max(span, step)
    best = (math.inf, float(rates[0]), float(hertz[0]), 0.0)
    for _ in range(3 if about is None else 2):
        left, swing = _left(times, off, rates, hertz)
        row, column = np.unravel_index(int(np.argmin(left)), left.shape)
        if left[row, column] < best[0]:
            best = (float(left[row, column]), float(rates[row]), float(hertz[column]), float(swing[row, column]))
        apart = float(np.median(np.diff(hertz)))
        rates, hertz = best[1] * np.geomspace(0.85, 1.18, 9), np.abs(best[2] + apart * np.linspace(-0.8, 0.8, 9))
    return best[1], best[2], best[3], best[0]


def _left(times: Floats, off: Floats, rates: Floats, hertz: Floats) -> tuple[Floats, Floats]:
    """Mean square left by the best swing of each rate and frequency, and how large that is at the touch, (R, F)."""
    falling = np.exp(-rates[:, None] * times)[:, None, :]
    angle = 2.0 * math.pi * hertz[:, None] * times
    basis = np.stack(np.broadcast_arrays(falling * np.cos(angle), falling * np.sin(angle)), axis=-1)
    # Of two unknowns the normal equations will do.
    gram = np.swapaxes(basis, -1, -2) @ basis + 1e-12 * np.eye(2)
    shares = np.linalg.solve(gram, np.swapaxes(basis, -1, -2) @ off)
    rest = off - basis @ shares
    left: Floats = np.mean(np.sum(rest**2, axis=-1), axis=-1)
    # The farthest it goes in a swing: the longer axis of the ellipse it describes.
    swing: Floats = np.linalg.norm(shares, ord=2, axis=(-2, -1))
    return left, swing
