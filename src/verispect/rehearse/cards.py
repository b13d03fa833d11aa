"""Test cards: at every mark a flat card parallel to the sensor with an edge 5° from vertical, by the exact wave.

Each card is drawn sharp and fine, then convolved with its own point image, so that what is measured on it may be
held against what is reckoned.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.blur import blur_axes_mm, image_centres_mm
from verispect.optics.otf import disc_mtf
from verispect.optics.types import Floats
from verispect.rehearse.projection import Camera
from verispect.rehearse.wave_blur import point_image

Picture = NDArray[np.float32]
DARK, LIGHT, AROUND = 0.15, 0.75, 0.40
EDGE_DEG = 5.0
# A blur whose axes are alike to this ratio has no longest way; an edge may lean so far.
_ROUND, _MOST_LEAN_DEG = 1.1, 38.0
# Pixels: half a card, beyond what its own blur takes.
_HALF_PX = 52.0
_FINE = 4


@dataclass(frozen=True)
class Card:
    """A card as one picture sees it: the mark's pixel, how large it is, its blur and how far away it is."""

    pixel: tuple[float, float]  # column, row
    half_px: float
    long_mm: float
    short_mm: float
    direction: tuple[float, float]
    depth_mm: float
    residual_mm: float
    smear_mm: float


def cards_of(camera: Camera, world_m: Floats, residual_mm: Floats, smear_mm: Floats) -> list[Card | None]:
    """A card for each mark (M, 3); None for what lies off the picture or within the lens.

    `residual_mm` and `smear_mm` (M,) are the lens's own blur and the path of a moving mark on the sensor.
    """
    state = camera.exposure.state
    points = camera.to_lens_mm(world_m)
    found: list[Card | None] = []
    wide, high = camera.pixels
    for k, point in enumerate(points):
        if point @ np.asarray(state.axis) <= 1.05 * state.focal_mm or point[2] <= 0.0:
            found.append(None)
            continue
        long, short = (float(part) for part in blur_axes_mm(point, state))
        x, y = image_centres_mm(point[None], state)[0]
        column, row, _ = camera.to_pixel() @ np.array([x, y, 1.0])
        half = _HALF_PX + 1.2 * (long + residual_mm[k] + smear_mm[k]) / camera.pitch_mm
        if not (-half < column < wide + half and -half < row < high + half):
            found.append(None)
            continue
        spoilers = float(residual_mm[k]), float(smear_mm[k])
        way = _long_direction(camera, point)
        found.append(Card((column, row), half, long, short, way, float(point[2]), *spoilers))
    return found


def _long_direction(camera: Camera, point_mm: Floats) -> tuple[float, float]:
    """Direction of the blur figure's long axis in the picture, by the pupil's rim traced to the sensor."""
    basis = np.stack([np.array([1.0, 0, 0]), np.array([0, 1.0, 0]), point_mm], axis=1)
    onto = camera.onto_pixels(basis, camera.pupil_points_mm(64))
    seen = onto[:, :2, 2] / onto[:, 2:, 2]
    spread = np.cov((seen - seen.mean(axis=0)).T)
    values, vectors = np.linalg.eigh(spread)
    if values[1] - values[0] < 1e-9 * max(values[1], 1e-12):
        return 1.0, 0.0
    return float(vectors[0, 1]), float(vectors[1, 1])


def draw_cards(
    camera: Camera,
    world_m: Floats,
    *,
    residual_mm: Floats,
    smear_mm: Floats,
    wavelengths_mm: tuple[tuple[float, float], ...],
    is_cancelled: Callable[[], bool] | None = None,
) -> Picture | None:
    """Linear picture (rows, columns, 3): grey all round, cards from the farthest to the nearest."""
    wide, high = camera.pixels
    picture = np.full((high, wide), AROUND, np.float32)
    every = cards_of(camera, world_m, residual_mm, smear_mm)
    cards = sorted((card for card in every if card is not None), key=lambda card: -card.depth_mm)
    for card in cards:
        if is_cancelled is not None and is_cancelled():
            return None
        _paint(picture, camera, card, wavelengths_mm)
    return np.repeat(picture[..., None], 3, axis=2)


def edge_picture(
    camera: Camera, place_m: Floats, *, residual_mm: float, wavelengths_mm: tuple[tuple[float, float], ...]
) -> Picture | None:
    """The card of one place (3,), not moving, linear (rows, columns), its edge across the blur's longest way.

    None where the camera does not see the place. The edge leans off the rows and columns by 5 to 38 degrees, as a
    slanted edge must; so much nearer to the diagonal the blur's longest way is missed by 7 at most.
    """
    [card] = cards_of(camera, place_m[None], np.array([residual_mm]), np.zeros(1))
    if card is None:
        return None
    lean = EDGE_DEG
    if card.long_mm > _ROUND * card.short_mm:
        lean = math.degrees(math.atan2(card.direction[1], card.direction[0]))
    square = 90.0 * round(lean / 90.0)
    off = math.copysign(min(max(abs(lean - square), EDGE_DEG), _MOST_LEAN_DEG), lean - square)
    wide, high = camera.pixels
    picture = np.full((high, wide), AROUND, np.float32)
    _paint(picture, camera, card, wavelengths_mm, square + off)
    return picture


def _paint(
    picture: Picture,
    camera: Camera,
    card: Card,
    wavelengths_mm: tuple[tuple[float, float], ...],
    normal_deg: float = EDGE_DEG,
) -> None:
    """One card over what is there, its light and its cover both spread by its point image."""
    state = camera.exposure.state
    spread = card.long_mm + card.residual_mm + card.smear_mm
    reach = 0.5 * spread / camera.pitch_mm + 12.0 * state.working_f_number * 5.5e-4 / camera.pitch_mm + 4.0
    half = math.ceil(card.half_px + reach)
    fine = _FINE if half < 260 else 2 if half < 700 else 1
    column, row = card.pixel
    left, top = math.floor(column) - half, math.floor(row) - half
    side = 2 * half + 1
    # Fine samples: centres at ((k + 0.5)/fine − 0.5) pixels from the corner's pixel centre.
    at = (np.arange(side * fine) + 0.5) / fine - 0.5
    x, y = np.meshgrid(at + left - column, at + top - row)
    lean = math.radians(normal_deg)
    # Shares of a fine sample that lie on the light side and on the card.
    light = np.clip((x * math.cos(lean) + y * math.sin(lean)) * fine + 0.5, 0.0, 1.0)
    cover = np.clip((card.half_px - np.maximum(np.abs(x), np.abs(y))) * fine + 0.5, 0.0, 1.0).astype(np.float32)
    shade = (cover * (DARK + (LIGHT - DARK) * light)).astype(np.float32)
    kernel = _kernel(camera, card, wavelengths_mm, camera.pitch_mm / fine)
    step = camera.pitch_mm / fine
    blurred = [_spread(part, kernel, fine, card.residual_mm / step, card.smear_mm / step) for part in (cover, shade)]
    low_c, low_r = max(left, 0), max(top, 0)
    high_c, high_r = min(left + side, picture.shape[1]), min(top + side, picture.shape[0])
    if low_c >= high_c or low_r >= high_r:
        return
    inner = (slice(low_r - top, high_r - top), slice(low_c - left, high_c - left))
    there = picture[low_r:high_r, low_c:high_c]
    there *= 1.0 - blurred[0][inner]
    there += blurred[1][inner]


def _kernel(camera: Camera, card: Card, wavelengths_mm: tuple[tuple[float, float], ...], step_mm: float) -> Picture:
    images = [
        (
            weight,
            point_image(
                long_mm=card.long_mm,
                short_mm=card.short_mm,
                long_direction=card.direction,
                working_f_number=camera.exposure.state.working_f_number,
                wavelength_mm=wavelength,
                step_mm=step_mm,
            ),
        )
        for wavelength, weight in wavelengths_mm
    ]
    size = max(image.shape[0] for _, image in images)
    total = np.zeros((size, size), np.float32)
    for weight, image in images:
        pad = (size - image.shape[0]) // 2
        total[pad : pad + image.shape[0], pad : pad + image.shape[0]] += weight * image
    return total


def _spread(fine_picture: Picture, kernel: Picture, fine: int, residual: float, smear: float) -> Picture:
    """Convolved with the point image, an even disc and an even path along the rows, and averaged to pixels.

    The diameter of the disc and the length of the path are in fine samples.
    """
    rows, columns = fine_picture.shape
    height = cv2.getOptimalDFTSize(rows + kernel.shape[0])
    width = cv2.getOptimalDFTSize(columns + kernel.shape[1])
    spectrum = np.fft.rfft2(fine_picture, (height, width)) * np.fft.rfft2(kernel, (height, width))
    if residual > 0.0 or smear > 0.0:
        up, across = np.fft.fftfreq(height)[:, None], np.fft.rfftfreq(width)[None]
        spectrum *= disc_mtf(np.pi * residual * np.hypot(up, across)) * np.sinc(smear * across)
    full = np.fft.irfft2(spectrum, (height, width))
    at_r, at_c = kernel.shape[0] // 2, kernel.shape[1] // 2
    same = full[at_r : at_r + rows, at_c : at_c + columns]
    found: Picture = same.reshape(rows // fine, fine, columns // fine, fine).mean((1, 3)).astype(np.float32)
    return found
