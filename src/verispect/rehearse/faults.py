"""What goes wrong on purpose: a camera knocked, an exposure off, a frame missing or black."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import VerispectError
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure


class FaultName(StrEnum):
    """Faults that can be asked for."""

    KNOCK = "knock"
    TURN = "turn"
    EXPOSURE = "exposure"
    MISSING = "missing"
    DARK = "dark"
    REFOCUS = "refocus"
    AUTOFOCUS_MISS = "autofocus-miss"
    WIND = "wind"
    MISSED_FLASH = "missed-flash"
    DUPLICATE = "duplicate"
    DUST = "dust"
    MOVED = "moved"
    GUST = "gust"


# What a fault does where no size is given: px, degrees, stops, allowed blurs, px; stops that the flash gave, specks,
# px that a thing of the subject has moved to the right, px that it moves by while the shutter is open.
_USUAL = {
    FaultName.KNOCK: 3.0,
    FaultName.TURN: 0.1,
    FaultName.EXPOSURE: -0.5,
    FaultName.MISSING: 0.0,
    FaultName.DARK: 0.0,
    FaultName.REFOCUS: 2.0,
    FaultName.AUTOFOCUS_MISS: 4.0,
    FaultName.WIND: 4.0,
    FaultName.MISSED_FLASH: 3.0,
    FaultName.DUPLICATE: 0.0,
    FaultName.DUST: 5.0,
    FaultName.MOVED: 12.0,
    FaultName.GUST: 8.0,
}
# A tripod that was turned stays turned, nor does dust fly away: these befall every later picture too.
LASTING = (FaultName.TURN, FaultName.DUST)
Picture = NDArray[np.float32]
MOST_SPECKS = 200
# Dust lies on the glass before the sensor, about so far from it, mm; grains of so many mm (from memory).
_GLASS_MM, _GRAINS_MM = 1.5, (0.03, 0.12)
# Places along the path of a motion.
_STEPS = 400
_PATTERN = re.compile(r"([a-z-]+)@(\d+)(?::([+-]?\d+(?:\.\d+)?))?")


class FaultError(VerispectError):
    """A fault that is written wrongly or cannot be had."""


@dataclass(frozen=True)
class Fault:
    """One thing that goes wrong in one exposure, counted from 0; `size` in the unit of its name."""

    name: FaultName
    frame: int
    size: float


def parse_fault(text: str, *, frames: int) -> Fault:
    """`knock@3:2.5` as a fault.

    Raises
    ------
    FaultError
        With what would be right.

    Examples
    --------
    >>> parse_fault("exposure@2:-1", frames=5)
    Fault(name=<FaultName.EXPOSURE: 'exposure'>, frame=2, size=-1.0)
    """
    match = _PATTERN.fullmatch(text.strip())
    names = ", ".join(FaultName)
    if match is None or match[1] not in set(FaultName):
        raise FaultError("fault {text!r}: write NAME@FRAME or NAME@FRAME:SIZE with a name of {names}", text=text,
                         names=names)  # fmt: skip
    name, frame = FaultName(match[1]), int(match[2])
    if frame >= frames:
        raise FaultError(
            "fault {text!r}: frame {frame} is none of the {frames} exposures, which count from 0 to {last}",
            text=text, frame=frame, frames=frames, last=frames - 1,
        )  # fmt: skip
    if name is FaultName.DUPLICATE and frame == 0:
        raise FaultError("fault {text!r}: there is no frame before the first to be written twice", text=text)
    size = float(match[3]) if match[3] else _USUAL[name]
    if name is FaultName.DUST and not 1 <= size <= MOST_SPECKS:
        raise FaultError("fault {text!r}: {size:g} specks; 1 to {most} would be right", text=text, size=size,
                         most=MOST_SPECKS)  # fmt: skip
    return Fault(name, frame, size)


def knocked(exposure: Exposure, size_px: float, *, pitch_mm: float, seed: int) -> Exposure:
    """The camera turned about its entrance pupil so that the picture's middle moves by so many pixels."""
    angle = size_px * pitch_mm / exposure.state.pupil_scale_mm
    way = np.random.default_rng(seed).uniform(0.0, 2.0 * math.pi)
    return turned(exposure, angle * math.cos(way), angle * math.sin(way))


def turned(exposure: Exposure, right_rad: float, up_rad: float) -> Exposure:
    """The camera looking more to the right and more up."""
    pose = exposure.pose
    forward = pose.forward + math.tan(right_rad) * pose.right + math.tan(up_rad) * pose.up
    forward /= np.linalg.norm(forward)
    right = pose.right - (pose.right @ forward) * forward
    right /= np.linalg.norm(right)
    up: Floats = np.cross(forward, right)
    return replace(exposure, pose=replace(pose, right=right, up=up, forward=forward))


def shaken(picture: Picture, length_px: float, direction_deg: float) -> Picture:
    """The picture with an even motion in it, in a direction clockwise from the horizontal (left to right)."""
    half = 0.5 * abs(length_px)
    reach = math.ceil(half) + 1
    kernel = np.zeros((2 * reach + 1, 2 * reach + 1), np.float32)
    steps = (np.arange(_STEPS) + 0.5) / _STEPS * 2.0 - 1.0
    x = reach + half * steps * math.cos(math.radians(direction_deg))
    y = reach + half * steps * math.sin(math.radians(direction_deg))
    column, row = np.floor(x).astype(int), np.floor(y).astype(int)
    for dx in (0, 1):
        for dy in (0, 1):
            share = np.abs(1 - dx - (x - column)) * np.abs(1 - dy - (y - row))
            np.add.at(kernel, (row + dy, column + dx), share / _STEPS)
    return np.asarray(cv2.filter2D(picture, -1, kernel, borderType=cv2.BORDER_REPLICATE), np.float32)


def defocused(exposure: Exposure, allowed_blurs: float) -> Exposure:
    """Focused off by so many allowed blurs on the axis, towards infinity where positive."""
    state = exposure.state
    allowed = exposure.allowed_blur_mm if math.isfinite(exposure.allowed_blur_mm) else 0.01
    # Blur = |Δv| / N_w on the axis.
    moved = state.image_distance_mm - allowed_blurs * allowed * state.working_f_number
    return exposure.focused(max(moved, 0.9 * state.focal_mm))


@dataclass(frozen=True)
class Grain:
    """A grain of dust before the sensor: where its shadow's middle falls (row, column), and its diameter, mm."""

    row: float
    column: float
    diameter_mm: float


def grains(count: int, pixels: tuple[int, int], seed: int) -> list[Grain]:
    """Dust that has landed, anywhere on the sensor."""
    random = np.random.default_rng((seed, 77))
    wide, high = pixels
    at, sizes = random.uniform(size=(count, 2)), random.uniform(*_GRAINS_MM, size=count)
    return [
        Grain(float(y * (high - 1)), float(x * (wide - 1)), float(size))
        for (y, x), size in zip(at, sizes, strict=True)
    ]


def dusted(
    picture: Picture, dust: Sequence[Grain], *, working_f_number: float, pitch_mm: float
) -> tuple[Picture, list[list[float]]]:
    """The picture under the shadows of dust, and of each shadow (row, column, radius) in pixels.

    A grain takes from the cone of light of each point, glass / N wide where it passes the grain: the shadow is the
    grain's disc spread over that cone's, and fainter and wider at wide stops.
    """
    found, told = picture.copy(), []
    cone = _GLASS_MM / working_f_number / pitch_mm
    for grain in dust:
        size = grain.diameter_mm / pitch_mm
        reach = math.ceil(0.5 * (cone + size)) + 2
        top, left = round(grain.row) - reach, round(grain.column) - reach
        # An odd number, so that the spread has a middle sample.
        fine = 5
        y, x = np.mgrid[0 : fine * (2 * reach + 1), 0 : fine * (2 * reach + 1)]
        away = np.hypot((y + 0.5) / fine - 0.5 + top - grain.row, (x + 0.5) / fine - 0.5 + left - grain.column)
        shadow = (away <= 0.5 * size).astype(np.float32)
        spread = (np.hypot(y - y.mean(), x - x.mean()) / fine <= max(0.5 * cone, 0.3)).astype(np.float32)
        shade = cv2.filter2D(shadow, -1, spread / spread.sum(), borderType=cv2.BORDER_CONSTANT)
        shade = shade.reshape(2 * reach + 1, fine, 2 * reach + 1, fine).mean(axis=(1, 3))
        rows = slice(max(top, 0), min(top + 2 * reach + 1, picture.shape[0]))
        columns = slice(max(left, 0), min(left + 2 * reach + 1, picture.shape[1]))
        part = shade[rows.start - top : rows.stop - top, columns.start - left : columns.stop - left]
        found[rows, columns] *= 1.0 - np.clip(part, 0.0, 1.0)[..., None].astype(np.float32)
        told.append([round(grain.row, 1), round(grain.column, 1), round(0.5 * max(cone, size), 2)])
    return found, told
