"""Sets as a person put them together: frames by their files' names, moved from one set to another."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from verispect.errors import FileError
from verispect.files.json_file import read_object
from verispect.prove.parting.sets import FrameSet

WHY = "put together by hand"
_RIGHT = "what `verispect check --json` printed"


@dataclass(frozen=True)
class ByHand:
    """Which frames belong together.

    Attributes
    ----------
    sets : tuple of tuple of str
        The files of each set.
    aside : frozenset of str
        Files that belong to none. What is named nowhere, such as a frame that came later, is parted as ever.
    """

    sets: tuple[tuple[str, ...], ...] = ()
    aside: frozenset[str] = frozenset()

    def moved(self, names: Collection[str], to: int | None) -> ByHand:
        """With some frames in another set; in one of their own behind all others where `to` is None."""
        place = len(self.sets) if to is None else to
        there = [*self.sets, ()] if to is None else self.sets
        return self._tidy(
            [
                (*own, *_without(tuple(names), own)) if number == place else _without(own, names)
                for number, own in enumerate(there)
            ],
            self.aside - set(names),
        )

    def put_aside(self, names: Collection[str]) -> ByHand:
        """With some frames in no set."""
        return self._tidy([_without(own, names) for own in self.sets], self.aside | set(names))

    @staticmethod
    def _tidy(sets: Sequence[tuple[str, ...]], aside: frozenset[str]) -> ByHand:
        return ByHand(tuple(own for own in sets if own), aside)


def _without(own: Sequence[str], names: Collection[str]) -> tuple[str, ...]:
    return tuple(name for name in own if name not in names)


def put_together(names: Sequence[str], given: ByHand) -> tuple[list[FrameSet], list[int]]:
    """Sets of frames, in the order in which these were taken, and the places of those that are to be parted as ever.

    Raises
    ------
    FileError
        Where it is open which frames are meant: two of one name, or one in two sets.
    """
    often = Counter(names)
    listed = Counter(name for own in given.sets for name in own)
    for name in (*listed, *given.aside):
        if often[name] > 1:
            raise FileError("{name}: {count} frames of this name; check one folder at a time where sets are given",
                            name=name, count=often[name])  # fmt: skip
        if listed[name] > 1:
            raise FileError("{name}: in {count} sets; each frame belongs to one", name=name, count=listed[name])
    if (listed or given.aside) and not any(often[name] for name in (*listed, *given.aside)):
        raise FileError("none of the frames that the sets name is here; name those of this folder")
    place = {name: k for k, name in enumerate(names)}
    sets = [tuple(sorted(place[name] for name in own if name in place)) for own in given.sets]
    rest = [k for k, name in enumerate(names) if not listed[name] and name not in given.aside]
    return [FrameSet(own, None, (WHY,), by_hand=True) for own in sets if own], rest


def read_sets(path: Path) -> ByHand:
    """Sets from a check's report, or from any object with `sets` that have `frames`.

    Frames that the report tells of and that are in none of its sets belong to none.

    Raises
    ------
    FileError
        For what is none.
    """
    told = read_object(path, right=_RIGHT)
    sets = told.get("sets")
    if not isinstance(sets, list) or not sets:
        raise FileError("{path}: there are no sets in it; choose {right}", path=path, right=_RIGHT)
    found = tuple(_frames_of(own, path, number) for number, own in enumerate(sets))
    listed = {name for own in found for name in own}
    frames = told.get("frames")
    every = [frame.get("file") for frame in frames if isinstance(frame, dict)] if isinstance(frames, list) else []
    # The same picture once more goes with the first; it counts in no set, and is no frame by itself.
    return ByHand(found, frozenset(name for name in every if isinstance(name, str)) - listed)


def _frames_of(own: Any, path: Path, number: int) -> tuple[str, ...]:
    frames = own.get("frames") if isinstance(own, dict) else None
    if not isinstance(frames, list) or not all(isinstance(name, str) for name in frames):
        raise FileError('{path}: sets.{number}: must hold "frames", a list of file names', path=path, number=number)
    return tuple(frames)


def files_of_set(paths: Sequence[Path], given: ByHand, number: int) -> list[Path]:
    """The files of one set, counted from 1 as a check prints them.

    Raises
    ------
    FileError
        For a set that there is not, and frames of it that are not here.
    """
    if not 1 <= number <= len(given.sets):
        raise FileError(
            "--set {number}: there are {count} sets, counted from 1", number=number, count=len(given.sets)
        )
    own = given.sets[number - 1]
    found = [path for path in paths if path.name in own]
    lost = set(own) - {path.name for path in found}
    if lost:
        raise FileError("set {number}: {names} not among the frames given; name their folder", number=number,
                        names=", ".join(sorted(lost)[:5]))  # fmt: skip
    return found
