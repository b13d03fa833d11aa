"""A grid joined into a file: TIFF, JPEG, PNG or Zarr, in memory or over the disk, as its size asks."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from verispect.files.atomic import ready_for
from verispect.files.large_picture import ZARR, write_large
from verispect.files.picture_out import TIFF_SUFFIXES, not_over, suits, write_picture
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure
from verispect.prove.intake import Coded, Frame
from verispect.prove.join.grid import Joined, Room, join
from verispect.prove.join.working_folder import working_folder
from verispect.prove.merge.series import merge
from verispect.prove.merge.written import ghosts_words, profile_of, shot_of
from verispect.sentence import Sentence

# What libjpeg takes, each way.
_JPEG_SIDE = 65_500


def ghost_words(ghost: Mapping[str, Any]) -> Sentence:
    """What was done about a thing that moved."""
    top, left, bottom, right = ghost["box"]
    at = {"row": 0.5 * (top + bottom), "column": 0.5 * (left + right)}
    if ghost["passed"]:
        says = "something about row {row:.0f}, column {column:.0f} passed in {frame} and is left out of it"
        return Sentence(says, at | {"frame": ghost["left_out_of"][0]})
    return Sentence(
        "about row {row:.0f}, column {column:.0f} neighbours do not show the same; it is taken from {frame} alone",
        at | {"frame": ghost["file"]},
    )


def told_ghosts(joined: Joined) -> list[Sentence]:
    """What was done about all of them."""
    return ghosts_words(joined.ghosts, ghost_words, sum(not ghost["passed"] for ghost in joined.ghosts))


def bend_words(joined: Joined) -> Sentence | None:
    """How the lens bends lines, where it was found to."""
    if not joined.corners_share:
        return None
    way = "farther out" if joined.corners_share > 0.0 else "farther in"
    return Sentence(
        "the lens draws corners {share:.2f} % {way} than a straight one: taken out",
        {"share": 100.0 * abs(joined.corners_share), "way": Sentence(way)},
    )


def those_there(
    exposures: Sequence[Exposure], rotations: Mapping[int, Floats] | None, there: Sequence[int] | None
) -> dict[str, Any]:
    """The exposures and how they really looked, as `join` asks for them, of frames of which some may be missing."""
    some = range(len(exposures)) if there is None else there
    turned = None if rotations is None else {n: rotations[k] for n, k in enumerate(some) if k in rotations}
    return {"exposures": [exposures[k] for k in some], "rotations": turned}


def join_to(
    out: Path,
    places: Sequence[Path],
    *,
    sensor_mm: tuple[float, float] | None,
    jobs: int = 1,
    memory_mb: int = 2500,
    scheduler: str | None = None,
    force: bool = False,
    crop: bool = False,
    **how: Any,
) -> Joined:
    """Join frames and write what comes of it; `how` is given on to `join`.

    What is held in memory is cut, where asked, to the largest rectangle that frames cover.

    Raises
    ------
    FileError
        Also where the picture is too large for the file that was named, before anything of it is painted.
    Cancelled
    """
    begin = time.monotonic()
    not_over(out, force=force)
    suits(out, (ZARR,))
    ready_for(out)
    suffix = out.suffix.lower()

    def merge_cell(cell: list[Frame], exposures: list[Exposure] | None) -> Coded:
        return merge(cell, exposures=exposures, sensor_mm=sensor_mm, memory_mb=memory_mb).pixels

    with working_folder(out) as folder:
        room = Room(
            folder, jobs, memory_mb, scheduler, on_disk=suffix == ZARR or scheduler is not None,
            most_side=_JPEG_SIDE if suffix in (".jpg", ".jpeg") else None, out=out,
        )  # fmt: skip
        joined = join(places, sensor_mm=sensor_mm, merge_cell=merge_cell, room=room, **how)
        first, stop = joined.first, how.get("is_cancelled")
        assert first is not None

        def is_stopped() -> bool:
            joined.held.look()
            return stop is not None and stop()

        if joined.on_disk and suffix in (ZARR, *TIFF_SUFFIXES):
            write_large(
                out, joined.pixels, room=folder, shot=shot_of(first), icc=profile_of(first), force=force,
                is_cancelled=is_stopped,
            )  # fmt: skip
        else:
            top, left, bottom, right = joined.crop if crop else (0, 0, *joined.pixels.shape[:2])
            kept = joined.pixels[top:bottom, left:right]
            write_picture(out, kept, shot=shot_of(first), icc=profile_of(first), force=force)
    joined.seconds = time.monotonic() - begin
    return joined
