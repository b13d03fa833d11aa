"""How the camera was held, where its own guess may be wrong."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from verispect.prove.intake import Frame


def held_alike(frames: Sequence[Frame], sensor_mm: tuple[float, float] | None = None) -> list[Frame]:
    """The frames as one camera on one tripod takes them, whatever it thought of how it was held.

    Pointed steeply down it guesses, and may change its mind between two frames: of those of one size the tag that
    most have counts. Where a plan says how the camera is held, by the `sensor_mm` wide and high, a tag that lays the
    frame otherwise than its sensor does not count.
    """
    found = list(frames)
    if sensor_mm is not None:
        # What lies so in its file needs no tag.
        found = [one if stands_as(one.pixels, sensor_mm) or not stands_as(one.stored_pixels, sensor_mm)
                 else one.held(1) for one in found]  # fmt: skip
    tags = {size: Counter(one.orientation for one in found if one.stored_pixels == size)
            for size in {one.stored_pixels for one in found}}  # fmt: skip
    return [one.held(tags[one.stored_pixels].most_common(1)[0][0]) for one in found]


def stands_as(size: tuple[int, int], sensor_mm: tuple[float, float]) -> bool:
    """Whether a picture (wide, high) lies or stands as a sensor does; what is square does both."""
    (wide, high), (width, height) = size, sensor_mm
    return (wide - high) * (width - height) >= 0
