"""Depth pictures: every pixel tells how far away along the view the thing on it is."""

from __future__ import annotations

from pathlib import Path
from tokenize import TokenError

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from verispect.errors import FileError
from verispect.files.photo_file import too_large
from verispect.optics.types import Floats

MOST_PIXELS = 200_000_000


class DepthCamera(BaseModel):
    """What must be known of the camera that made a depth picture."""

    model_config = ConfigDict(frozen=True, allow_inf_nan=False, defer_build=True)

    focal_px: float = Field(default=1000.0, gt=0.0, le=1e6, description="Focal length in pixels of the picture.")
    step_m: float = Field(default=0.001, gt=0.0, le=1000.0, description="Metres for a value of 1.")
    middle_right_px: float | None = Field(default=None, ge=-1e6, le=1e6, description="None: the picture's middle.")
    middle_down_px: float | None = Field(default=None, ge=-1e6, le=1e6)


def depth_values(path: Path) -> Floats:
    """The picture's values (rows, columns), as floats.

    Raises
    ------
    FileError
        If it is no picture of one channel with 16 bits or floats.
    """
    if path.suffix.lower() == ".npy":
        return _array(path)
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(path) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                raise too_large(path, picture.width, picture.height, MOST_PIXELS)
            if picture.mode not in ("I;16", "I;16B", "I;16L", "I", "F"):
                raise FileError(
                    "{name}: a picture of kind {mode}; a depth picture has one channel of 16 bits or of floats",
                    name=path.name,
                    mode=picture.mode,
                )
            values = np.asarray(picture).astype(float)
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, MemoryError,
            Image.DecompressionBombError) as error:  # fmt: skip
        # A chunk whose length is false asks for gigabytes.
        raise FileError("{name}: this is no whole picture", name=path.name) from error
    return values


def _array(path: Path) -> Floats:
    try:
        values = np.load(path, mmap_mode="r", allow_pickle=False)
    except (ValueError, OSError, EOFError, SyntaxError, TokenError, TypeError, KeyError, MemoryError) as error:
        raise FileError("{name}: this is no whole array of numbers", name=path.name) from error
    if values.ndim != 2 or values.dtype.kind not in "fiu":
        raise FileError("{name}: an array of shape {shape}; a depth picture has rows and columns of numbers",
                        name=path.name, shape=str(values.shape))  # fmt: skip
    if values.size > MOST_PIXELS:
        raise too_large(path, values.shape[1], values.shape[0], MOST_PIXELS)
    return np.asarray(values, dtype=float)


def places_of(values: Floats, camera: DepthCamera) -> Floats:
    """Places (P, 3) right, up and ahead of the camera, in metres; pixels without a depth are left out.

    Images are indexed (row, column); the middle of the pixel (0, 0) lies at (0, 0).
    """
    rows, columns = values.shape
    right = camera.middle_right_px if camera.middle_right_px is not None else 0.5 * (columns - 1)
    down = camera.middle_down_px if camera.middle_down_px is not None else 0.5 * (rows - 1)
    depth = values * camera.step_m
    known = np.isfinite(depth) & (depth > 0.0)
    row, column = np.nonzero(known)
    ahead = depth[known]
    return np.column_stack(
        [(column - right) / camera.focal_px * ahead, (down - row) / camera.focal_px * ahead, ahead]
    )
