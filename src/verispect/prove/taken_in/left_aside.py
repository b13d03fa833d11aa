"""Of what is given to a check, the frames that go together, and those that must be left aside, each with why."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from verispect.errors import FileError
from verispect.prove.intake import Frame, described, in_order
from verispect.prove.report import Fault, FrameReport
from verispect.prove.taken_in.developed import developed_alike
from verispect.prove.taken_in.folders import frames_and_others, twins_of
from verispect.prove.taken_in.held import held_alike


@dataclass(frozen=True)
class LeftAside:
    """A file that is not checked with the others, and the sentence that says why."""

    path: Path
    why: FileError
    fault: Fault

    @property
    def report(self) -> FrameReport:
        """Its row in a report."""
        return FrameReport(file=self.path.name, is_left_aside=True, faults=[self.fault])


def unreadable(path: Path, why: FileError) -> LeftAside:
    """A file that is cut, or no picture."""
    said = str(why).removeprefix(f"{path}: ")
    return LeftAside(path, why, Fault("unreadable", 0.0, said, "copy it from the card once more, or take it again"))


def readable_frames(
    paths: Sequence[Path], sensor_mm: tuple[float, float] | None = None
) -> tuple[list[Frame], list[LeftAside]]:
    """Frames whose headers can be read, in order, and the other files; `sensor_mm` as in `held_alike`.

    Raises
    ------
    FileError
        Where there is none that can be read.
    """
    frames, aside = [], []
    for path in paths:
        try:
            frames.append(described(path))
        except FileError as error:
            aside.append(unreadable(path, error))
    if not frames and aside:
        raise aside[0].why
    return in_order(developed_alike(held_alike(frames, sensor_mm))), aside


def passed_over(places: Sequence[Path]) -> list[str]:
    """What is said of pictures in folders that are no frames of their own."""
    others = [path for place in places if place.is_dir() for path in frames_and_others(place)[1]]
    twins = [path for path in others if twins_of(path)]
    made = [path.name for path in others if path not in set(twins)]
    said = []
    if twins:
        said.append(
            f"{len(twins)} files passed over that show what another of the same name does, as raw or developed"
        )
    if made:
        said.append(f"{', '.join(made)}: merged or joined, not taken for a frame")
    return said


def of_one_size(frames: Sequence[Frame]) -> tuple[list[Frame], list[LeftAside]]:
    """The frames of the size that most have, of equally many the larger, and the others."""
    often = Counter(frame.pixels for frame in frames)
    most = max(often, key=lambda size: (often[size], size[0] * size[1], size))
    kept = [frame for frame in frames if frame.pixels == most]
    return kept, [_of_another_size(frame, most) for frame in frames if frame.pixels != most]


def _of_another_size(frame: Frame, most: tuple[int, int]) -> LeftAside:
    wide, high = frame.pixels
    why = FileError(
        "{path}: {wide} × {high} pixels, the frames it is checked with {width} × {height}; check those of one camera "
        "and setting together",
        path=frame.path, wide=wide, high=high, width=most[0], height=most[1],
    )  # fmt: skip
    says = f"{wide} × {high} pixels, the others {most[0]} × {most[1]}: of another camera or setting"
    return LeftAside(frame.path, why, Fault("other-size", 0.0, says, "check it with those of its own size"))
