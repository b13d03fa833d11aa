"""Frames of one view that seem to have been pushed: what is said of them, and how far a few things feign it."""

from __future__ import annotations

from collections.abc import Sequence

from verispect.optics.types import Floats
from verispect.prove.evidence import Evidence
from verispect.prove.intake import Frame

# A few boards before an empty wall, out of focus each by another amount, lie over themselves by some tenths of a
# pixel less well than a picture full of things. No more than this is excused by it; up to so many times what leaving
# out one part of the picture changes, but for what that changes in full pictures too, pixels.
MOST_ASTRAY_PX, _OF_A_PART, _IN_FULL_PX = 1.0, 5.0, 0.25


def astray_px(evidence: Evidence, k: int, before: int, planned: Floats) -> float:
    """How far a frame may seem to be shifted, or its corners turned, because few things tell how it lies."""
    motion = evidence.motion(k, before, planned=planned)
    return max(_OF_A_PART * evidence.leans_px(k, before, motion.matrix) - _IN_FULL_PX, 0.0)


def knock_words(moved: str, used: Sequence[int], stay: tuple[int, int], frames: Sequence[Frame]) -> tuple[str, str]:
    """What is said of a frame that moved, and what to do: by itself, or with all that stayed with it."""
    first, last = stay
    if last - first < 2:
        return f"the camera moved: {moved}", "take this frame again"
    begin, end = frames[used[first]].path.name, frames[used[last - 1]].path.name
    said = f"the camera stands elsewhere from {begin} on: {moved}"
    if first > 0 and last == len(used) and last - first > first:
        return (
            said,
            f"take what was shot before {begin} again from where it stands now, or {begin} to {end} from before",
        )
    return said, f"take {begin} to {end} again, or let merging lay them over the rest"
