"""From scene-linear light to what a sensor gives: photons, electrons, the tone curve."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.kit.equipment import Body

Picture = NDArray[np.float32]
_ROWS = 16
_CURVE_STEPS = 1 << 20


def exposed(
    picture: Picture, *, body: Body, pixel_mm: float, gain: float, seed: tuple[int, int], noise: bool
) -> Picture:
    """Light 0 to 1 as the sensor gives it, in place: times gain, with shot and read noise, clipped.

    Parameters
    ----------
    seed : (int, int)
        Of the run and of the frame: the same give the same noise.
    """
    picture *= np.float32(gain)
    if noise:
        well = body.full_well_at(body.iso, pixel_mm)
        read = body.read_noise_e
        # OpenCV draws three times as fast as NumPy; its generator is each thread's own.
        cv2.setRNGSeed(int(np.random.SeedSequence(seed).generate_state(1)[0] >> 1))
        # So many rows stay in the processor's cache, in the same two places of memory.
        sigma, drawn = np.empty((2, _ROWS, *picture.shape[1:]), np.float32)
        for row in range(0, picture.shape[0], _ROWS):
            part = picture[row : row + _ROWS]
            spread, normal = sigma[: len(part)], drawn[: len(part)]
            np.maximum(part, 0.0, out=spread)
            spread *= np.float32(1.0 / well)
            spread += np.float32((read / well) ** 2)
            np.sqrt(spread, out=spread)
            cv2.randn(normal.reshape(len(normal), -1), 0.0, 1.0)  # type: ignore[call-overload]
            normal *= spread
            part += normal
    np.clip(picture, 0.0, 1.0, out=picture)
    return picture


def dim(picture: Picture, left: Picture) -> None:
    """Leave of a picture (rows, columns, 3) so much at each pixel (rows, columns), in place."""
    for row in range(0, picture.shape[0], _ROWS):
        part = picture[row : row + _ROWS]
        # Three channels of factors at once: OpenCV does them in a third of the time that NumPy takes to repeat one.
        cv2.multiply(part, cv2.merge([left[row : row + _ROWS]] * 3), dst=part)


def srgb_16(picture: Picture) -> NDArray[np.uint16]:
    """Linear light 0 to 1 as 16 bits through the sRGB curve (IEC 61966-2-1), from a table: within one of 65535."""
    found = np.empty(picture.shape, np.uint16)
    table = _curve()
    scaled, at = np.empty((_ROWS, *picture.shape[1:]), np.float32), np.empty((_ROWS, *picture.shape[1:]), np.int32)
    for row in range(0, picture.shape[0], _ROWS):
        part = picture[row : row + _ROWS]
        place, index = scaled[: len(part)], at[: len(part)]
        np.multiply(part, np.float32(len(table) - 1), out=place)
        place += np.float32(0.5)
        np.copyto(index, place, casting="unsafe")
        np.take(table, index, out=found[row : row + _ROWS], mode="clip")
    return found


@lru_cache(maxsize=1)
def _curve() -> NDArray[np.uint16]:
    """The sRGB curve at even steps of light, close enough for its steep beginning."""
    x = np.linspace(0.0, 1.0, _CURVE_STEPS + 1)
    curved = np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.maximum(x, 1e-9) ** (1 / 2.4) - 0.055)
    return np.round(curved * 65535.0).astype(np.uint16)


def linear_of_srgb(values: Picture) -> Picture:
    """The inverse of the sRGB curve, for values 0 to 1."""
    found: Picture = np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4).astype(np.float32)
    return found


def linear_16(picture: Picture) -> NDArray[np.uint16]:
    """Linear light 0 to 1 as 16 bits."""
    found: NDArray[np.uint16] = np.round(picture * 65535.0).astype(np.uint16)
    return found
