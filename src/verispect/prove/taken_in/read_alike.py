"""Frames of one picture are read alike: held as most of them, raws developed as the first of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

from verispect.prove.intake import Frame, described
from verispect.prove.taken_in.developed import developed_alike
from verispect.prove.taken_in.folders import frames_in
from verispect.prove.taken_in.held import held_alike


class HowRead(NamedTuple):
    """What decides, beside its file, which pixels a frame has: told to another process, or to a later try."""

    orientation: int
    white: tuple[float, ...] | None

    def of(self, frame: Frame) -> Frame:
        """The frame to be read so, whatever its file tells."""
        return replace(frame.held(self.orientation), white=self.white)


def how_read(frame: Frame) -> HowRead:
    """How a frame is read."""
    return HowRead(frame.orientation, frame.white)


def read_alike(given: Sequence[Path] | Sequence[Frame], sensor_mm: tuple[float, float] | None = None) -> list[Frame]:
    """The frames in folders and files as one camera took them; those given as frames stay as they are.

    Frames are given where they are some of a larger picture's, as a cell's are: they are read as all of it is.
    `sensor_mm` is the sensor's width and height as the camera is held, None without a plan.

    Raises
    ------
    FileError
        For what cannot be read.
    """
    frames = [one for one in given if isinstance(one, Frame)]
    if frames:
        return frames
    paths = [one for one in given if isinstance(one, Path)]
    return developed_alike(held_alike([described(path) for path in frames_in(paths)], sensor_mm))
