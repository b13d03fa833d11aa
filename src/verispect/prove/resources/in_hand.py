"""Pixels that a first look has read, in hand until they are measured: no file is decoded twice that need not be."""

from __future__ import annotations

from pathlib import Path
from threading import Lock

from verispect.prove.intake import Frame, Kept, read_kept
from verispect.prove.resources.threads import memory_mb

# Of the memory that may be taken: threads at work and what is recalled have the rest.
_SHARE = 0.12


class InHand:
    """As many frames' pixels as a share of the memory holds, the first that were read; several threads may ask."""

    def __init__(self) -> None:
        self._pixels: dict[Path, Kept] = {}
        self._left = _SHARE * 1e6 * memory_mb()
        self._lock = Lock()

    def read(self, frame: Frame) -> Kept:
        """The pixels of a frame, which stay in hand where there is room.

        Raises
        ------
        FileError
            As `read_kept`.
        """
        pixels = read_kept(frame)
        with self._lock:
            if frame.path not in self._pixels and pixels.nbytes <= self._left:
                self._pixels[frame.path] = pixels
                self._left -= pixels.nbytes
        return pixels

    def take(self, frame: Frame) -> Kept | None:
        """What is in hand of a frame, given away; None where nothing is."""
        with self._lock:
            pixels = self._pixels.pop(frame.path, None)
            if pixels is not None:
                self._left += pixels.nbytes
        return pixels
