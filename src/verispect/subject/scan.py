"""Scans: clouds of measured points, thinned and kept within the plan.

Places are kept to the millimetre as whole numbers, packed: a plan stays one file, whatever becomes of the
scan's own.
"""

from __future__ import annotations

import base64
import binascii
import zlib
from functools import lru_cache

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from verispect.errors import GeometryError
from verispect.optics.types import Floats
from verispect.subject.mark import Need

# More than a drawing or a weighing needs; thin more coarsely rather than keep more.
MOST_POINTS = 1_500_000
_LARGEST_MM = 2**31 - 1

Region = tuple[float, float, float, float, float, float]


class Cloud(BaseModel):
    """A scan in world metres. What lies within the region counts; all is drawn."""

    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False, defer_build=True)

    name: str = Field(max_length=200)
    need: Need = Need.MAY
    weight: float = Field(default=1.0, gt=0.0, le=1000.0)
    file: str = Field(default="", max_length=4000, description="Where it came from.")
    count: int = Field(default=0, ge=0, le=MOST_POINTS)
    points: str = Field(default="", description="Base64 of zlib of int32 millimetres, x of all, then y, then z.")
    region_m: Region | None = Field(default=None, description="x, y and z from and to; none: all of it.")
    plus_minus_m: float = Field(default=0.0, ge=0.0, le=1.0e6)
    soft_times: float = Field(default=3.0, gt=1.0, le=1000.0)
    detail_mm: float | None = Field(default=None, gt=0.0)


def packed(places_m: Floats) -> str:
    """Places (P, 3) as text.

    Raises
    ------
    GeometryError
        If there are too many, or one lies farther than can be kept.
    """
    if len(places_m) > MOST_POINTS:
        raise GeometryError(
            "a scan of {count} points is more than a plan keeps; thin it to {most}",
            count=len(places_m),
            most=MOST_POINTS,
        )
    millimetres = np.rint(np.asarray(places_m, dtype=float) * 1000.0)
    if not np.all(np.abs(millimetres) < _LARGEST_MM):
        raise GeometryError("a point of the scan lies farther away than 2000 km; check its unit and where you stand")
    columns = np.ascontiguousarray(millimetres.astype("<i4").T)
    # Neighbours in the file lie close: their differences pack better.
    steps = np.diff(columns, axis=1, prepend=np.zeros((3, 1), "<i4")).astype("<i4")
    return base64.b64encode(zlib.compress(steps.tobytes(), 1)).decode("ascii")


@lru_cache(maxsize=16)
def unpacked(points: str, count: int) -> Floats:
    """Places (P, 3) in metres, from text.

    Raises
    ------
    GeometryError
        If the text is damaged.
    """
    if count == 0:
        return np.zeros((0, 3))
    unzip = zlib.decompressobj()
    try:
        content = unzip.decompress(base64.b64decode(points, validate=True), 12 * count + 1)
    except (binascii.Error, zlib.error, ValueError):
        content = b""
    if len(content) != 12 * count:
        raise GeometryError("the points of a scan in the plan are damaged; bring the scan in again")
    steps = np.frombuffer(content, "<i4").reshape(3, count)
    found: Floats = np.cumsum(steps, axis=1, dtype=np.int64).T / 1000.0
    found.setflags(write=False)
    return found


def within(places_m: Floats, region: Region | None) -> Floats:
    """The places that lie in a region."""
    if region is None:
        return places_m
    low, high = np.array(region[0::2]), np.array(region[1::2])
    found: Floats = places_m[np.all((places_m >= low) & (places_m <= high), axis=1)]
    return found
