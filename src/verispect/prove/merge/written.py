"""What a merged picture carries on from its first frame: profile, metadata, orientation; its depth as a picture."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from verispect.files.picture_out import Shot
from verispect.prove.intake import RAWS, Frame
from verispect.prove.merge.series import Merged
from verispect.prove.taken_in.folders import MADE_HERE
from verispect.sentence import Sentence

# Of less of the picture nothing is said.
_WORTH_TELLING = 0.001
# So many things that moved are told one by one, and so many doubts.
_EACH, _DOUBTS = 6, 3


def shot_of(frame: Frame) -> Shot:
    """How the first frame was taken; the distance is left out, since a series has many."""
    return Shot(
        focal_mm=frame.focal_mm,
        f_number=frame.f_number,
        shutter_s=frame.shutter_s,
        iso=frame.iso,
        taken=frame.taken,
        pixel_mm=frame.pixel_mm,
        description=MADE_HERE,
    )


def profile_of(frame: Frame) -> bytes | None:
    """The colour profile that the frame's file carries."""
    suffix = frame.path.suffix.lower()
    if suffix in RAWS:
        return None
    if suffix in (".tif", ".tiff"):
        import tifffile

        with tifffile.TiffFile(frame.path) as file:
            tag = file.pages.first.tags.get(34675)
            return bytes(tag.value) if tag is not None else None
    from PIL import Image

    with Image.open(frame.path) as picture:
        found = picture.info.get("icc_profile")
        return bytes(found) if found else None


def ghost_words(ghost: Mapping[str, Any]) -> Sentence:
    """What was done about a thing that moved."""
    top, left, bottom, right = ghost["box"]
    says = (
        "something about row {row:.0f}, column {column:.0f} moved in {frame} and is taken from it alone"
        if ghost["taken_from_it"]
        else "something about row {row:.0f}, column {column:.0f} moved in {frame} and is left out of it"
    )
    return Sentence(says, {"row": 0.5 * (top + bottom), "column": 0.5 * (left + right), "frame": ghost["moved_in"]})


def ghosts_words(
    ghosts: Sequence[Mapping[str, Any]], one: Callable[[Mapping[str, Any]], Sentence], alone: int
) -> list[Sentence]:
    """What was done about all that moved: each by itself, or, of a crowd, how many; `alone` come from one frame."""
    if len(ghosts) <= _EACH:
        return [one(ghost) for ghost in ghosts]
    says = (
        "{count} things moved or passed; left out of the frames that show them: {out}, taken from one frame alone: "
        "{alone}"
    )
    return [Sentence(says, {"count": len(ghosts), "out": len(ghosts) - alone, "alone": alone})]


def doubt_words(doubtful: Sequence[Mapping[str, Any]]) -> list[Sentence]:
    """What of a picture is doubtful: each, or of many the first and how many more."""
    told = doubtful if len(doubtful) <= _DOUBTS else doubtful[: _DOUBTS - 1]
    found = [Sentence("doubtful: {what}", {"what": doubt["says"]}) for doubt in told]
    more = len(doubtful) - len(told)
    return [*found, Sentence("{count} more things are doubtful", {"count": more})] if more else found


def done_words(report: Mapping[str, Any]) -> list[Sentence]:
    """What a merge did beside laying and choosing: what it left out, things that moved, and blur taken off."""
    ghosts = report["ghosts"]
    doubts = [doubt["says"] for doubt in report["doubtful"]]
    names = ", ".join(name for name in report["black"] if not any(says.startswith(f"{name} ") for says in doubts))
    found = [Sentence("black, and left out: {names}", {"names": names})] if names else []
    found += ghosts_words(ghosts, ghost_words, sum(bool(ghost["taken_from_it"]) for ghost in ghosts))
    share = float(report["unveiled_share"])
    if share >= _WORTH_TELLING:
        says = "the blur of near things is taken off what is behind their edges, {share:.1f} % of the picture"
        found.append(Sentence(says, {"share": 100.0 * share}))
    return found + developed_words(report.get("developed"))


def developed_words(developed: Mapping[str, Any] | None) -> list[Sentence]:
    """How raws were developed."""
    if developed is None:
        return []
    red, _, blue, _ = developed["white_balance"]
    says = (
        "all raws are developed with one white balance, the first one's: red × {red:.2f}, blue × {blue:.2f} of green"
    )
    return [Sentence(says, {"red": red, "blue": blue})]


def depth_picture(merged: Merged) -> NDArray[np.uint16]:
    """The depth map as 16-bit grey: nearest frame dark, farthest bright, at half the picture's size."""
    assert merged.depth is not None
    count = max(len(merged.frames) - 1, 1)
    grey = np.round(np.clip(merged.depth / count, 0.0, 1.0) * 65535.0).astype(np.uint16)
    return np.repeat(grey[..., None], 3, axis=2)
